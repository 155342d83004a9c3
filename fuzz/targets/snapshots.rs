//! Snapshots of schemas: read, or told why not; what is read is written so that it reads back to the same, and can be compared.

#![no_main]

use libfuzzer_sys::fuzz_target;
use ysomorph_core::schema::{Outline, Schema};

fuzz_target!(|text: &str| {
    let outline = Outline::of(text);
    let Ok(schema) = Schema::from_snapshot(text) else { return };
    assert!(outline.is_ok());
    let _ = schema.is_word_for_word(text);
    let written = schema.to_snapshot();
    let again = Schema::from_snapshot(&written).unwrap_or_else(|error| panic!("{error}: {written}"));
    assert_eq!(again.to_snapshot(), written);
    if let (Ok(before), Ok(after)) = (Outline::of(text), Outline::of(&written)) {
        let _ = Outline::differing(before, after);
    }
});
