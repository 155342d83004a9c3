//! Files as TOML: read, or told with its place; what is read is written so that it says the same.

#![no_main]

use libfuzzer_sys::fuzz_target;
use ysomorph_workspace::toml::{errors, parse, render_value};

fuzz_target!(|text: &str| {
    let node = match parse(text) {
        Ok(node) => node,
        Err(error) => {
            assert!(!error.message.is_empty());
            let _ = errors(text);
            return;
        }
    };
    for entry in node.entries() {
        let written = format!("x = {}\n", render_value(&entry.node));
        let again = parse(&written).unwrap_or_else(|error| panic!("{error} in {written:?}"));
        assert!(again.entries()[0].node == entry.node, "{written:?}");
    }
});
