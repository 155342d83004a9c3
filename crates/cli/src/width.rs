//! How wide text is: the terminal's width, within what can be read.

use std::io::IsTerminal;

/// The narrowest and widest text; without a terminal it is 80.
const NARROWEST: usize = 40;
const WIDEST: usize = 120;

/// The width of the terminal that standard output is.
pub fn of_terminal() -> Option<usize> {
    if !std::io::stdout().is_terminal() {
        return None;
    }
    // One that doesn't say is as wide as none.
    let columns = crossterm::terminal::size().ok().map(|(columns, _)| usize::from(columns)).filter(|columns| *columns > 0)?;
    Some(columns.clamp(NARROWEST, WIDEST))
}
