//! The kept text: a file is shown as it was read; whatever is hidden of it, what is left is TOML that lifts to the same; an edited file
//! is lifted to the byte.

#![no_main]

use libfuzzer_sys::fuzz_target;
use ysomorph_kept::{Id, Lifted, read};

fn is_toml(text: &str) -> bool {
    toml::de::DeTable::parse(text.trim_start_matches('\u{feff}')).is_ok()
}

// Which tiles are hidden, by the bits of eight letters; a file; and how it stands after an edit. Between them stands what no TOML holds.
fuzz_target!(|input: &str| {
    let mut parts = input.splitn(3, '\u{1}');
    let (Some(bits), Some(text), Some(edited)) = (parts.next(), parts.next(), parts.next()) else { return };
    let bits = bits.bytes().fold(0u64, |bits, byte| bits.rotate_left(8) ^ u64::from(byte));
    // Which line end a file of both kinds has hangs on what is shown of it; nothing but new lines takes it.
    if text.contains("\r\n") && text.replace("\r\n", "").contains('\n') {
        return;
    }
    let Ok(mut tiles) = read(text) else { return };
    assert_eq!(tiles.shown(), text, "nothing is hidden");
    let hidden: Vec<Id> = tiles.ids().into_iter().enumerate().filter(|(at, _)| bits >> (at % 64) & 1 == 1).map(|(_, id)| id).collect();
    hidden.iter().for_each(|id| tiles.hide(*id));
    let shown = tiles.shown();
    assert!(is_toml(&shown), "without {hidden:?}: {shown:?}");
    let mut lifted = tiles.clone();
    assert_eq!(lifted.lift(&shown), Ok(Lifted::default()), "without {hidden:?}: {shown:?}");
    assert!(lifted == tiles, "without {hidden:?}: {shown:?}");
    if tiles.lift(edited).is_ok() {
        assert_eq!(tiles.shown(), edited, "lifted to the byte");
    }
    hidden.iter().for_each(|id| tiles.show(*id));
    assert!(is_toml(&tiles.shown()), "shown again after an edit: {:?}", tiles.shown());
});
