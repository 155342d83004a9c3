//! Ctrl-C: a write that has begun is finished, anything else is left at once. Both leave the workspace whole, and say which it was.

use std::io::Write;
use std::sync::atomic::{AtomicBool, Ordering};

/// What a shell gives for an interrupted program.
const STATUS: i32 = 130;

static WRITING: AtomicBool = AtomicBool::new(false);
/// Whether a write has come to its end.
static WRITTEN: AtomicBool = AtomicBool::new(false);
static ASKED: AtomicBool = AtomicBool::new(false);

/// Minds interrupts from now on.
pub fn mind() {
    // Without a handler the system ends the program, which a write survives too.
    let _ = ctrlc::set_handler(|| {
        if !WRITING.load(Ordering::SeqCst) {
            let done = WRITTEN.load(Ordering::SeqCst);
            say(if done { "interrupted: what was to be written is written" } else { "interrupted: nothing was changed" });
        } else if !ASKED.swap(true, Ordering::SeqCst) {
            say("interrupted: what is being written is finished first; once more ends at once");
            return;
        } else {
            say("interrupted while writing: the next command finishes it or takes it back");
        }
        std::process::exit(STATUS);
    });
}

/// Says it where somebody still listens: a terminal that was closed is what ends many programs.
fn say(text: &str) {
    let _ = writeln!(std::io::stderr(), "\n{text}");
}

/// Writes: an interrupt waits until that is done.
pub fn writing<T>(write: impl FnOnce() -> T) -> T {
    WRITING.store(true, Ordering::SeqCst);
    let outcome = write();
    WRITTEN.store(true, Ordering::SeqCst);
    WRITING.store(false, Ordering::SeqCst);
    outcome
}
