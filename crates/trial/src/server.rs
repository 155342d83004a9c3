//! Serves until the program is ended.

use crate::TrialError;
use crate::guard::Guard;
use crate::routes::routes;
use crate::served::{Served, Setting};
use crate::site::Site;
use std::sync::{Arc, Weak};
use std::time::Duration;
use tokio::net::TcpListener;

/// How often files and schema are looked at: of a server the whole schema is read for that.
const PAUSE: Duration = Duration::from_secs(2);

/// Makes the site anew whenever files or schema changed, and tells the open pages.
fn look_again(served: &Weak<Served>) {
    let mut last = served.upgrade().and_then(|served| (served.setting.seen)());
    if let Some(served) = served.upgrade().filter(|served| served.current.site().is_begun) {
        served.load();
    }
    loop {
        std::thread::sleep(PAUSE);
        let Some(served) = served.upgrade() else { return };
        let now = (served.setting.seen)();
        if now != last {
            last = now;
            served.load();
        }
    }
}

/// Serves until the program is ended.
///
/// # Errors
/// Where the site can't be made, or nobody can listen at the port.
pub fn serve(first: Site, setting: Setting) -> Result<(), TrialError> {
    let system = |error: &dyn std::fmt::Display| TrialError::System(error.to_string());
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().map_err(|e| system(&e))?;
    let port = setting.port;
    runtime.block_on(async move {
        let taken = |e: &std::io::Error| TrialError::Port { port, reason: e.to_string() };
        let listener = TcpListener::bind(("127.0.0.1", port)).await.map_err(|e| taken(&e))?;
        let port = listener.local_addr().map_err(|e| taken(&e))?.port();
        let guard = Arc::new(Guard::new(port).map_err(|e| system(&e))?);
        (setting.ready)(&guard.address());
        let served = Arc::new(Served::new(first, setting, Arc::clone(&guard)));
        let watched = Arc::downgrade(&served);
        std::thread::spawn(move || look_again(&watched));
        axum::serve(listener, routes(served, guard)).await.map_err(|e| system(&e))
    })
}
