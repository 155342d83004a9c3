//! Where results and problems go: results to standard output (or a file), problems to standard error.

use crate::error::CliError;
use clap::ValueEnum;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use ysomorph_core::name::SEPARATOR;

/// How a result is written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// For people
    #[default]
    Text,
    /// For programs
    Json,
    /// For programs that read line by line
    Jsonl,
    /// For comments on a change request
    Markdown,
    /// One page for a browser, to look at and to send
    Html,
    /// For code hosts and editors
    Sarif,
    /// For pipelines: a test case a page
    Junit,
    /// The list the command is about
    Csv,
    /// All lists, as a workbook
    Xlsx,
}

impl Format {
    /// Whether the result is for people at a terminal.
    pub fn is_text(self) -> bool {
        self == Format::Text
    }

    /// As it is typed.
    pub fn word(self) -> String {
        self.to_possible_value().map(|value| value.get_name().to_owned()).unwrap_or_default()
    }
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
    /// A result that isn't text.
    bytes: Option<Vec<u8>>,
    failed: Option<CliError>,
}

impl Output {
    pub fn new(format: Format, file: Option<PathBuf>, color: ColorChoice, quiet: bool) -> Output {
        let color = match color {
            ColorChoice::Auto => anstream::ColorChoice::Auto,
            ColorChoice::Always => anstream::ColorChoice::Always,
            ColorChoice::Never => anstream::ColorChoice::Never,
        };
        Output { format, file, color, quiet, text: String::new(), bytes: None, failed: None }
    }

    /// An output that only collects, as text.
    pub fn collecting() -> Output {
        Output::new(Format::Text, None, ColorChoice::Always, false)
    }

    /// Adds text.
    pub fn push(&mut self, text: &str) {
        self.text.push_str(text);
    }

    /// Sets a result that isn't text.
    pub fn set_bytes(&mut self, bytes: Vec<u8>) {
        self.bytes = Some(bytes);
    }

    /// Takes what was collected.
    pub fn take(&mut self) -> String {
        std::mem::take(&mut self.text)
    }

    /// Prints what was collected so far: for commands that take their time.
    pub fn flush(&mut self) {
        let text = self.take();
        // What can't be written is said at the end.
        if let Err(error) = self.print(&text) {
            self.failed.get_or_insert(error);
        }
    }

    fn print(&self, text: &str) -> Result<(), CliError> {
        // Whatever a text was made from, no internal form of a name leaves the program.
        let text = &text.replace(SEPARATOR, ".");
        let mut out = anstream::AutoStream::new(io::stdout(), self.color);
        written(out.write_all(text.as_bytes()).and_then(|()| out.flush()))
    }

    /// Writes what was collected.
    pub fn finish(&mut self) -> Result<(), CliError> {
        if let Some(error) = self.failed.take() {
            return Err(error);
        }
        // `-` is standard output, as everywhere.
        let file = self.file.as_deref().filter(|file| file.as_os_str() != "-");
        if let Some(bytes) = self.bytes.take() {
            return match file {
                Some(path) => write_whole(path, &bytes),
                None => written(io::stdout().write_all(&bytes).and_then(|()| io::stdout().flush())),
            };
        }
        let mut text = std::mem::take(&mut self.text);
        if self.quiet && self.format.is_text() {
            text = outcome(&text);
        }
        match file {
            Some(path) => write_whole(path, anstream::adapter::strip_str(&text).to_string().as_bytes()),
            None => self.print(&text),
        }
    }

    /// Prints a problem.
    pub fn error(&self, error: &CliError) {
        let mut out = anstream::AutoStream::new(io::stderr(), self.color);
        let _ = out.write_all(error.to_string().as_bytes());
    }
}

/// What a report says first: its first line, or all lines of a sentence that goes on.
fn outcome(text: &str) -> String {
    let paragraph: Vec<&str> = text.lines().take_while(|line| !line.trim().is_empty()).collect();
    let ends = |line: &str| line.trim_end().ends_with(['.', ':', '!', '?']);
    // A table has no sentences.
    let lines = paragraph.iter().position(|line| ends(line)).map_or(1, |at| at + 1);
    let said: Vec<&str> = paragraph.into_iter().take(lines).map(str::trim).collect();
    if said.is_empty() { String::new() } else { format!("{}\n", said.join(" ")) }
}

/// What came of writing to standard output.
fn written(outcome: io::Result<()>) -> Result<(), CliError> {
    match outcome {
        // A closed pipe is success: whoever read has read enough.
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Ok(()),
        Err(error) => Err(CliError::new(format!("cannot write the result: {error}")).hint("see what standard output leads to")),
        Ok(()) => Ok(()),
    }
}

/// Writes a file that somebody named, wholly or not at all, beside nobody else's: what it replaces keeps its mode. A
/// device or a pipe is written to as it is.
pub fn write_whole(path: &Path, content: &[u8]) -> Result<(), CliError> {
    let failed = |error: io::Error| {
        CliError::new(format!("cannot write `{}`: {error}", path.display())).hint("name a file in a folder you may write to")
    };
    // A link is followed, as somebody named it.
    let there = std::fs::metadata(path).ok();
    if there.as_ref().is_some_and(|there| !there.is_file()) {
        let written = std::fs::OpenOptions::new().write(true).open(path).and_then(|mut file| file.write_all(content));
        return match written {
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Ok(()),
            other => other.map_err(failed),
        };
    }
    if there.as_ref().is_some_and(|there| there.permissions().readonly()) {
        return Err(failed(io::Error::other("it is read-only")));
    }
    let target = if there.is_some() { std::fs::canonicalize(path).map_err(failed)? } else { path.to_owned() };
    let folder = target.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut builder = tempfile::Builder::new();
    builder.prefix(".ysomorph-");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        // The user's mask takes its part away, as from any new file.
        builder.permissions(std::fs::Permissions::from_mode(0o666));
    }
    let written = builder.tempfile_in(folder).and_then(|mut new| {
        if let Some(there) = &there {
            new.as_file().set_permissions(there.permissions())?;
        }
        new.write_all(content)?;
        new.as_file().sync_all()?;
        new.persist(&target).map(drop).map_err(|error| error.error)
    });
    written.map_err(failed)
}

/// Makes a file that only its owner may read; one that is there already stays.
pub fn write_secret(path: &Path, text: &str) -> Result<(), CliError> {
    let mut options = std::fs::OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        options.mode(0o600);
    }
    let written = options.open(path).and_then(|mut file| file.write_all(text.as_bytes()));
    written.map_err(|error| {
        CliError::new(format!("cannot write `{}`: {error}", path.display())).hint("name a file in a folder you may write to")
    })
}

#[cfg(test)]
mod tests {
    use super::outcome;

    #[test]
    fn the_outcome_is_a_whole_sentence() {
        for (text, said) in [
            ("Nothing to merge: the definition agrees.\n", "Nothing to merge: the definition agrees.\n"),
            (
                "The merge would edit 1 file; 1 thing is left\nto you.\n\nLeft to you\n",
                "The merge would edit 1 file; 1 thing is left to you.\n",
            ),
            ("keeper  12\nhive    3\n", "keeper  12\n"),
            ("", ""),
        ] {
            assert_eq!(outcome(text), said);
        }
    }
}
