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

/// Whether bytes may be of one of these types (`image/png`, `image/*`, `.pdf`). A type is told by how the bytes begin; of one that doesn't
/// show there, they must not begin as another's.
pub fn is_accepted(bytes: &[u8], accept: &[String]) -> bool {
    let known = kind_of(bytes);
    let takes = |accepted: &String| {
        let accepted = accepted.trim().to_ascii_lowercase();
        match known {
            Some((kind, ending)) => {
                let group = accepted.strip_suffix('*').filter(|group| group.ends_with('/'));
                accepted == kind
                    || accepted == ending
                    || ending == ".jpg" && accepted == ".jpeg"
                    || group.is_some_and(|g| kind.starts_with(g))
            }
            None => {
                let shows = PICTURES.iter().chain([&PDF]).any(|(kind, ending)| accepted == *kind || accepted == *ending);
                !shows && accepted != ".jpeg" && accepted != "image/*"
            }
        }
    };
    accept.is_empty() || accept.iter().any(takes)
}

/// The type and the usual ending of what shows its type by how it begins. An office document begins as any archive does.
fn kind_of(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
    if bytes.starts_with(b"%PDF-") {
        return Some(PDF);
    }
    let kind = picture(bytes)?;
    PICTURES.into_iter().find(|(known, _)| *known == kind)
}

const PDF: (&str, &str) = ("application/pdf", ".pdf");
const PICTURES: [(&str, &str); 4] = [("image/png", ".png"), ("image/jpeg", ".jpg"), ("image/gif", ".gif"), ("image/webp", ".webp")];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_taken_by_how_it_begins() {
        for (bytes, accept, wanted) in [
            (&b"%PDF-1.7"[..], &["application/pdf"][..], true),
            (b"%PDF-1.7", &[".pdf", "image/*"], true),
            (b"%PDF-1.7", &["text/csv"], false),
            (b"hello", &["application/pdf"], false),
            (b"hello", &["text/csv"], true),
            (b"\x89PNG\r\n\x1a\n", &["image/*"], true),
            (b"\x89PNG\r\n\x1a\n", &[".jpeg"], false),
            (b"\xff\xd8\xff\xe0", &[".jpeg"], true),
            (b"anything", &[], true),
        ] {
            let accept: Vec<String> = accept.iter().map(|accepted| (*accepted).to_owned()).collect();
            assert_eq!(is_accepted(bytes, &accept), wanted, "{bytes:?} {accept:?}");
        }
    }

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
