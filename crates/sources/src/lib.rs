//! Where schemas come from. Each source converts at the border: the core sees one neutral model.
//!
//! A source only looks: databases are opened read-only, and nothing it is asked could write.

mod address;
mod count;
mod error;
mod mariadb;
mod measure;
mod option_file;
mod postgres;
mod reading;
mod rehearse;
mod sample;
mod script;
mod server;
mod source;
pub mod sqlite;
mod writing;

pub use address::Address;
pub use count::{CountedTables, Progress, count};
pub use error::SourceError;
pub use measure::{DataKey, measure};
pub use postgres::trail::INSTALL as TRAIL_SQL;
pub use reading::{ReadError, Reader, Values};
pub use rehearse::{Line, rehearse};
pub use sample::{Records, sample};
pub use script::{create_database, run_script};
pub use server::{ServerError, Trouble};
pub use source::{Source, kept_text};
pub use writing::{Transaction, Writer};
