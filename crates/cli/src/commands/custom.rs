//! `ysomorph custom`

use super::shared::{known_names, print};
use crate::error::CliError;
use crate::output::Output;
use crate::session::{Session, bare_report};
use clap::Args;
use std::mem::ManuallyDrop;
use ysomorph_core::name::{Patterns, nearest, shown};
use ysomorph_report::{FileDiff, text};

#[derive(Debug, Args)]
pub struct Arguments {
    /// Only these entities, by pattern
    #[arg(value_name = "ENTITY")]
    entities: Vec<String>,
    /// Show the edit that would give one customisation up (entity/field/name/label); nothing is written
    #[arg(long, value_name = "PATH", conflicts_with = "entities")]
    reset: Option<String>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    // The files in which a customisation is given up are told in full.
    let workspace = if arguments.reset.is_some() { session.open()? } else { session.open_customised()? };
    let workspace = ManuallyDrop::new(workspace);
    let files: Vec<String> = workspace.texts.keys().map(|file| file.name().to_owned()).collect();
    known_names("entity", "entities", &arguments.entities, &files)?;
    let mut kept = workspace.customisations();
    kept.sort_by(|a, b| a.element.cmp(&b.element));
    let wanted = Patterns::from(arguments.entities.as_slice());
    kept.retain(|k| wanted.is_empty() || wanted.fit(k.element.file.name()));
    let mut diffs = Vec::new();
    if let Some(path) = &arguments.reset {
        let Some(one) = kept.iter().find(|k| k.element.shown() == *path).cloned() else {
            let error = CliError::new(format!("nothing is customised at `{}`", shown(path)));
            let known: Vec<String> = kept.iter().map(|k| k.element.shown()).collect();
            return Err(match nearest(path, known.iter().map(String::as_str)) {
                Some(near) => error.hint(format!("did you mean `{near}`?")),
                None => error.hint("`ysomorph custom` lists the paths"),
            });
        };
        let texts = workspace.given_up(&one)?;
        diffs = texts.into_iter().map(|(path, before, after)| FileDiff { path, before, after }).collect();
        kept = vec![one];
    }
    let mut report = bare_report("custom", session, &workspace, workspace.accepted()).with_kept(&kept);
    report.diffs = diffs;
    print(output, &report, text::custom)?;
    Ok(0)
}
