//! The command line: parse, dispatch, print, exit code. No logic of its own.

#![allow(clippy::print_stderr, reason = "problems go to standard error")]

mod commands;
mod error;
mod output;
mod session;

use clap::Parser;
use commands::Command;
use output::{ColorChoice, Format, Output};
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
    #[arg(short = 'C', value_name = "FOLDER", global = true, default_value = ".")]
    folder: PathBuf,
    /// Compare with another changed schema than the configured one
    #[arg(long, value_name = "SOURCE", global = true)]
    changed: Option<String>,
    /// How the result is written
    #[arg(long, value_enum, default_value_t, global = true)]
    format: Format,
    /// Write the result to FILE instead of standard output
    #[arg(long, value_name = "FILE", global = true)]
    output: Option<PathBuf>,
    /// Colours
    #[arg(long, value_enum, default_value_t, global = true)]
    color: ColorChoice,
    /// Only the outcome, in one line
    #[arg(long, short, global = true)]
    quiet: bool,
    /// Everything, such as all customisations a merge keeps
    #[arg(long, short, global = true)]
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
    let mut output = Output::new(arguments.format, arguments.output, arguments.color, arguments.quiet);
    let digests = output.format == Format::Json;
    let session = session::Session { folder: arguments.folder, changed: arguments.changed, verbose: arguments.verbose, digests };
    let outcome = arguments.command.run(&session, &mut output).and_then(|code| output.finish().map(|()| code));
    match outcome {
        Ok(code) => ExitCode::from(code),
        Err(error) => {
            output.error(&error);
            ExitCode::from(2)
        }
    }
}
