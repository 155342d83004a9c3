//! Templates such as `{name} ({region.name})`: every text is one, and the places of its names are theirs.

#![no_main]

use libfuzzer_sys::fuzz_target;
use ysomorph_core::sql::parse_template;

fuzz_target!(|text: &str| {
    for (field, at, of) in parse_template(text).fields() {
        assert_eq!(text.get(at), Some(field));
        if let Some((field, at)) = of {
            assert_eq!(text.get(at.clone()), Some(field.as_str()));
        }
    }
});
