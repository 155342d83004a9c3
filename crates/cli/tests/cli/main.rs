//! Drives the built program and the crates beneath it on files in temporary folders.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::print_stdout,
    clippy::print_stderr,
    missing_docs,
    reason = "tests say so when something is wrong"
)]

/// As in the program: much of a test that merges in its own process is making small texts.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

mod accepting;
mod agreement;
mod bad_input;
mod browser;
mod by_hand;
mod changes;
mod code;
mod customised;
mod data;
mod dialogue;
mod drafts;
mod follow;
mod follow_ups;
mod foreign;
mod formats;
mod histories;
mod interrupts;
mod journey;
mod json;
mod layouts;
mod looking;
mod manual;
mod model;
mod narrowed;
mod parts;
mod people;
mod properties;
mod reach;
mod readers;
mod renames;
mod rights;
mod rules;
mod servers;
mod show;
mod statements;
mod stories;
mod structure;
mod support;
mod teams;
mod told;
mod trial;
mod untidy;
mod upheld;
mod views;
mod walks;
mod whole;
