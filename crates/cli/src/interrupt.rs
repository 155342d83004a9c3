//! Ctrl-C: a write that has begun is finished, anything else is left at once. Both leave the workspace whole, and say which it was.

use std::io::Write;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicBool, Ordering};

/// What a shell gives for an interrupted program.
const STATUS: i32 = 130;

static WRITING: AtomicBool = AtomicBool::new(false);
/// Whether a write has come to its end.
static WRITTEN: AtomicBool = AtomicBool::new(false);
/// What the program says when it is ended while it serves: it is ended so, and may have saved what it was asked to.
static SERVING: OnceLock<&str> = OnceLock::new();
static ASKED: AtomicBool = AtomicBool::new(false);

/// Minds interrupts from now on.
pub fn mind() {
    // Without a handler the system ends the program, which a write survives too.
    let _ = ctrlc::set_handler(|| {
        if !WRITING.load(Ordering::SeqCst) {
            let done = WRITTEN.load(Ordering::SeqCst);
            say(if let Some(text) = SERVING.get() {
                text
            } else if done {
                "interrupted: what was to be written is written"
            } else {
                "interrupted: nothing was changed"
            });
        } else if !ASKED.swap(true, Ordering::SeqCst) {
            say("interrupted: what is being written is finished first; once more ends at once");
            return;
        } else {
            say("interrupted while writing: the next command finishes it or takes it back");
        }
        std::process::exit(STATUS);
    });
}

/// From now on an interrupt is how the program ends.
pub fn serving(text: &'static str) {
    let _ = SERVING.set(text);
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
