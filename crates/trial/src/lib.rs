//! The application, running from its definition: as it is now and as a merge would make it, on the real database.
//!
//! Whatever is served is read by the statements of `ysomorph-core`, with the rights of the role that is chosen; what
//! forms say is written only where that was asked for.
//!
//! - [`Site`] is what is served; `Current` holds it while it is replaced by a newer one.
//! - `routes` says what answers which address; `guard` refuses whatever nobody with the printed address asks, and a `visit` is what
//!   it lets in.
//! - `page/` makes pages, each from what `reader` reads.

mod adding;
mod ask;
mod bytes;
mod form;
mod guard;
mod importing;
mod limits;
mod own_statement;
mod page;
mod pool;
mod reader;
mod routes;
mod saving;
mod sent;
mod served;
mod server;
mod sheet;
mod site;
mod uploads;
mod value;
mod visit;

pub use pool::Pool;
pub use served::{Answered, Setting};
pub use server::serve;
pub use site::{How, Site};

/// Why nothing can be served.
#[derive(Debug, thiserror::Error)]
pub enum TrialError {
    /// A file of the workspace can't be read.
    #[error("{}: {}", .0.file, .0.message)]
    File(ysomorph_workspace::FileError),
    /// Nobody can listen there.
    #[error("port {port} of this machine can't be used: {reason}")]
    Port {
        /// The port.
        port: u16,
        /// What came back.
        reason: String,
    },
    /// Anything else of the system.
    #[error("{0}")]
    System(String),
}
