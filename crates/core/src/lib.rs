//! The heart of Ysomorph: pure values in, pure values out. No file, clock, terminal, network or database.
//!
//! A guided tour, in the order things happen:
//!
//! - [`schema`] is what a database has, whatever engine it runs on; [`name`] knows how names compare.
//! - [`changes`] compares two schemas, after [`rename`] has found which names are the same thing.
//! - [`definition`] is the application as data; its shape says what each key means.
//! - [`draft`] is what the generator would write for a schema.
//! - [`sql`] knows what a fragment or template names.
//! - [`statements`] are what each page asks of the database.
//! - [`access`] is who may see and do what, and whether a change gave anybody more.
//! - [`impact`] finds what breaks, one rule a file.
//! - [`refusal`] is why a database refuses a statement, in words that quote no value.
//! - [`rehearsal`] leads what a real database says of those statements back to the definition.
//! - [`merge`] carries the definition over, in five steps.

pub mod access;
pub mod changes;
pub mod definition;
pub mod draft;
pub mod drawing;
pub mod engine;
pub mod impact;
pub mod merge;
pub mod name;
pub mod refusal;
pub mod rehearsal;
pub mod rename;
pub mod schema;
pub mod sql;
pub mod statements;
#[cfg(test)]
mod testkit;
