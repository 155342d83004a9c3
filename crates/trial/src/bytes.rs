//! Pictures and files: as texts that go to the database and come from it, and what they are.

use std::fmt::Write as _;

/// Bytes by their hexadecimal digits.
pub fn to_hex(bytes: &[u8]) -> String {
    bytes.iter().fold(String::with_capacity(bytes.len() * 2), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

/// The bytes of hexadecimal digits; nothing where they are none.
pub fn from_hex(text: &str) -> Option<Vec<u8>> {
    let digits = text.as_bytes().chunks(2);
    digits.map(|pair| if pair.len() == 2 { u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok() } else { None }).collect()
}

/// The kind of a picture, by how it begins.
pub fn picture(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', b'\r', b'\n', 0x1a, b'\n', ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        [b'G', b'I', b'F', b'8', b'7' | b'9', b'a', ..] => Some("image/gif"),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some("image/webp"),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_come_back_and_what_is_none_is_told() {
        let all: Vec<u8> = (0..=255).collect();
        assert_eq!(from_hex(&to_hex(&all)), Some(all));
        for text in ["0", "zz", "0g", "[object File]", "ä"] {
            assert_eq!(from_hex(text), None, "{text}");
        }
        assert_eq!(from_hex(""), Some(Vec::new()));
    }

    #[test]
    fn a_picture_is_one_by_how_it_begins() {
        for (bytes, kind) in [
            (&b"\x89PNG\r\n\x1a\nmore"[..], Some("image/png")),
            (b"\xff\xd8\xff\xe0", Some("image/jpeg")),
            (b"GIF89a", Some("image/gif")),
            (b"RIFF\0\0\0\0WEBP", Some("image/webp")),
            (b"<svg onload=alert(1)>", None),
            (b"", None),
        ] {
            assert_eq!(picture(bytes), kind, "{bytes:?}");
        }
    }
}
