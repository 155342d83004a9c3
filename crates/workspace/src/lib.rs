//! Ysomorph's workspace.
pub mod toml;
