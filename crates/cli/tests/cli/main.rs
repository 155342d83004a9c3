//! Drives the built program and the crates beneath it on files in temporary folders.

mod agreement;
mod bad_input;
mod json;
mod journey;
mod looking;
mod model;
mod properties;
mod rules;
mod stories;
mod support;
