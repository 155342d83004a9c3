//! Where results and problems go: results to standard output (or a file), problems to standard error.

use crate::error::CliError;
use clap::ValueEnum;
use std::io::{self, Write};
use std::path::PathBuf;

/// How a result is written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// For people
    #[default]
    Text,
    /// For programs
    Json,
    /// For pipelines: a test case a page
    Junit,
}

/// Colours.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum ColorChoice {
    /// On a terminal
    #[default]
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

/// Collects a command's result.
#[derive(Debug)]
pub struct Output {
    /// How results are written.
    pub format: Format,
    file: Option<PathBuf>,
    color: anstream::ColorChoice,
    quiet: bool,
    text: String,
}

impl Output {
    pub fn new(format: Format, file: Option<PathBuf>, color: ColorChoice, quiet: bool) -> Output {
        let color = match color {
            ColorChoice::Auto => anstream::ColorChoice::Auto,
            ColorChoice::Always => anstream::ColorChoice::Always,
            ColorChoice::Never => anstream::ColorChoice::Never,
        };
        Output { format, file, color, quiet, text: String::new() }
    }

    /// An output that only collects, as text.
    pub fn collecting() -> Output {
        Output::new(Format::Text, None, ColorChoice::Always, false)
    }

    /// Adds text.
    pub fn push(&mut self, text: &str) {
        self.text.push_str(text);
    }

    /// Takes what was collected.
    pub fn take(&mut self) -> String {
        std::mem::take(&mut self.text)
    }

    /// Prints what was collected so far: for commands that take their time.
    pub fn flush(&mut self) {
        let text = self.take();
        self.print(&text);
    }

    fn print(&self, text: &str) {
        // A closed pipe is success: whoever read has read enough.
        let mut out = anstream::AutoStream::new(io::stdout(), self.color);
        let _ = out.write_all(text.as_bytes()).and_then(|()| out.flush());
    }

    /// Writes what was collected.
    pub fn finish(&mut self) -> Result<(), CliError> {
        let mut text = self.take();
        if self.quiet && self.format == Format::Text {
            text = text.lines().next().map(|line| format!("{line}\n")).unwrap_or_default();
        }
        match &self.file {
            Some(path) => {
                let plain = anstream::adapter::strip_str(&text).to_string();
                std::fs::write(path, plain).map_err(|e| {
                    CliError::new(format!("cannot write `{}`: {e}", path.display())).hint("name a file in a folder you may write to")
                })
            }
            None => {
                self.print(&text);
                Ok(())
            }
        }
    }

    /// Prints a problem.
    pub fn error(&self, error: &CliError) {
        let mut out = anstream::AutoStream::new(io::stderr(), self.color);
        let _ = out.write_all(error.to_string().as_bytes());
    }
}
