//! Lists of kept text: read, or told to be damaged; what is read is written to a list that reads back to the same.

#![no_main]

use libfuzzer_sys::fuzz_target;
use ysomorph_kept::Tiles;

fuzz_target!(|text: &str| {
    let Ok(tiles) = Tiles::from_list(text) else { return };
    let _ = (tiles.shown(), tiles.ids(), tiles.hidden());
    let again = Tiles::from_list(&tiles.list()).unwrap_or_else(|_| panic!("damaged: {:?}", tiles.list()));
    assert!(again == tiles, "{:?}", tiles.list());
});
