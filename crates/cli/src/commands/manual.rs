//! `ysomorph manual`

use crate::error::CliError;
use crate::output::{Output, write_whole};
use clap::Args;
use clap_mangen::Man;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub struct Arguments {
    /// The page of this command; the program's own without one
    #[arg(value_name = "COMMAND")]
    command: Option<String>,
    /// Write a page for each command into this folder
    #[arg(long, value_name = "FOLDER", conflicts_with = "command")]
    into: Option<PathBuf>,
}

pub fn run(arguments: &Arguments, mut whole: clap::Command, output: &mut Output) -> Result<u8, CliError> {
    whole.build();
    let commands: Vec<&clap::Command> = whole.get_subcommands().filter(|c| c.get_name() != "help").collect();
    if let Some(folder) = &arguments.into {
        let failed = |error: std::io::Error| {
            CliError::new(format!("cannot write to `{}`: {error}", folder.display())).hint("name a folder you may write to")
        };
        std::fs::create_dir_all(folder).map_err(failed)?;
        for command in std::iter::once(&whole).chain(commands) {
            let name = if std::ptr::eq(command, &whole) { "ysomorph".to_owned() } else { format!("ysomorph-{}", command.get_name()) };
            write_whole(&folder.join(format!("{name}.1")), &page(command.clone(), &name)?)?;
        }
        return Ok(0);
    }
    let written = match &arguments.command {
        None => page(whole.clone(), "ysomorph")?,
        Some(name) => {
            let command = commands.iter().find(|c| c.get_name() == name).ok_or_else(|| {
                let names: Vec<&str> = commands.iter().map(|c| c.get_name()).collect();
                CliError::new(format!("there is no command `{name}`")).hint(format!("there are: {}", names.join(", ")))
            })?;
            page((*command).clone(), &format!("ysomorph-{name}"))?
        }
    };
    output.push(&String::from_utf8_lossy(&written));
    Ok(0)
}

fn page(command: clap::Command, name: &str) -> Result<Vec<u8>, CliError> {
    let mut page = Vec::new();
    let rendered = Man::new(command).title(name).render(&mut page);
    rendered.map_err(|e| CliError::new(format!("the manual can't be written: {e}")))?;
    Ok(page)
}
