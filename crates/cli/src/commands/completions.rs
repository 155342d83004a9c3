//! `ysomorph completions`

use crate::error::CliError;
use crate::output::Output;
use clap::Args;
use clap_complete::{Shell, generate};

#[derive(Debug, Args)]
pub struct Arguments {
    /// The shell
    #[arg(value_enum)]
    shell: Shell,
}

pub fn run(arguments: &Arguments, mut whole: clap::Command, output: &mut Output) -> Result<u8, CliError> {
    let mut script = Vec::new();
    generate(arguments.shell, &mut whole, "ysomorph", &mut script);
    output.push(&String::from_utf8_lossy(&script));
    Ok(0)
}
