//! The command line: parse, dispatch, print, exit code. No logic of its own.

#![allow(clippy::print_stderr, reason = "problems go to standard error")]

mod clock;
mod commands;
mod error;
mod interrupt;
mod output;
mod progress;
mod sampling;
mod scene;
mod session;
mod width;

use clap::{CommandFactory, Parser};
use commands::Command;
use error::CliError;
use output::{ColorChoice, Format, Output};
use session::{NamedSource, Session};
use std::path::PathBuf;
use std::process::ExitCode;

/// Reading and comparing large schemas is mostly making small texts.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Learn what changed in a database, what breaks in the application on it, and merge the change with every
/// hand-made customisation kept.
#[derive(Debug, Parser)]
#[command(name = "ysomorph", version, propagate_version = true, disable_help_subcommand = true)]
struct Arguments {
    /// Run as if started in FOLDER
    #[arg(short = 'C', value_name = "FOLDER", global = true, default_value = ".", env = "YSOMORPH_FOLDER")]
    folder: PathBuf,
    /// Compare with another changed schema than the configured one; impact takes several
    #[arg(long, value_name = "SOURCE", global = true, env = "YSOMORPH_CHANGED")]
    changed: Vec<String>,
    /// Compare with each source of FILE, one a line, with a name before it where wanted (- for standard input)
    #[arg(long, value_name = "FILE", global = true, env = "YSOMORPH_CHANGED_LIST")]
    changed_list: Option<PathBuf>,
    /// How the result is written
    #[arg(long, value_enum, default_value_t, global = true, env = "YSOMORPH_FORMAT")]
    format: Format,
    /// Write the result to FILE instead of standard output
    #[arg(long, value_name = "FILE", global = true, env = "YSOMORPH_OUTPUT")]
    output: Option<PathBuf>,
    /// Colours
    #[arg(long, value_enum, default_value_t, global = true, env = "YSOMORPH_COLOR")]
    color: ColorChoice,
    /// Only the outcome, in one line
    #[arg(long, short, global = true, env = "YSOMORPH_QUIET", value_parser = clap::builder::FalseyValueParser::new())]
    quiet: bool,
    /// Everything, such as all customisations a merge keeps
    #[arg(long, short, global = true, env = "YSOMORPH_VERBOSE", value_parser = clap::builder::FalseyValueParser::new())]
    verbose: bool,
    #[command(subcommand)]
    command: Command,
}

fn main() -> ExitCode {
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let _ = error.print();
            return ExitCode::from(if error.use_stderr() { 2 } else { 0 });
        }
    };
    let mut output = Output::new(arguments.format, arguments.output.clone(), arguments.color, arguments.quiet);
    interrupt::mind();
    if let Some(width) = width::of_terminal() {
        ysomorph_report::text::fit(width);
    }
    let outcome = run(arguments, &mut output).and_then(|code| output.finish().map(|()| code));
    match outcome {
        Ok(code) => ExitCode::from(code),
        Err(error) => {
            output.error(&error);
            ExitCode::from(2)
        }
    }
}

fn run(arguments: Arguments, output: &mut Output) -> Result<u8, CliError> {
    let several = NamedSource::all(&arguments.changed, arguments.changed_list.as_deref())?;
    let is_several = several.len() > 1 || arguments.changed_list.is_some();
    let session = Session {
        folder: arguments.folder,
        changed: arguments.changed.first().cloned(),
        several: if is_several { several } else { Vec::new() },
        verbose: arguments.verbose,
        digests: matches!(output.format, Format::Json | Format::Jsonl | Format::Html),
        pictures: output.format == Format::Html,
    };
    arguments.command.run(&Arguments::command, &session, output)
}
