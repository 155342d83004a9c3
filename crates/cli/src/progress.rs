//! What takes long says what it is doing: on a terminal, once half a second is over, and the line is wiped at the end.

use std::io::{IsTerminal, Write};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::Duration;
use ysomorph_core::name::shown;

/// What takes less says nothing.
const PATIENCE: Duration = Duration::from_millis(500);

/// Does something that may take long.
pub fn during<T>(what: &str, work: impl FnOnce() -> T) -> T {
    if !std::io::stderr().is_terminal() {
        return work();
    }
    let (working, ended) = channel::<()>();
    let text = shown(what);
    let teller = std::thread::spawn(move || {
        if ended.recv_timeout(PATIENCE) == Err(RecvTimeoutError::Timeout) {
            say(&format!("{text} …"));
            // The other end goes with the work.
            let _ = ended.recv();
            say("");
        }
    });
    let outcome = work();
    drop(working);
    let _ = teller.join();
    outcome
}

/// Says which table of how many is looked at.
pub fn of_tables(done: usize, all: usize, table: &str) {
    if std::io::stderr().is_terminal() && all > 1 {
        say(&if done == all { String::new() } else { format!("{} of {all}: {}", done + 1, shown(table)) });
    }
}

/// Writes over the line.
fn say(text: &str) {
    let mut terminal = std::io::stderr();
    let _ = write!(terminal, "\r\x1b[K{text}");
    let _ = terminal.flush();
}
