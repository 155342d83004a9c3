//! The heart of Ysomorph: pure values in, pure values out. No file, clock, terminal, network or database.
pub mod changes;
pub mod definition;
pub mod draft;
pub mod impact;
pub mod merge;
pub mod name;
pub mod rename;
pub mod schema;
pub mod sql;
pub mod statements;
