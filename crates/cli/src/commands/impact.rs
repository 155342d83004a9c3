//! `ysomorph impact`

mod arguments;
mod look;
mod several;

use super::shared::print;
use crate::error::CliError;
use crate::output::Output;
use crate::scene::with_scene;
use crate::session::{Opening, Session, index_from};
pub use arguments::Arguments;
use look::{Looked, look};
use std::mem::ManuallyDrop;
use ysomorph_report::text;
use ysomorph_workspace::Workspace;

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    if arguments.sample && !session.pictures {
        return Err(
            CliError::new("--sample puts records into pictures, and only --format html has some").hint("add --format html --output FILE")
        );
    }
    if !session.several.is_empty() {
        if arguments.sample {
            return Err(CliError::new("--sample draws the records of one database").hint("name one with --changed"));
        }
        let workspace = session.open()?;
        arguments.check_names(&workspace)?;
        return several::run(arguments, session, &workspace, output);
    }
    // Pictures are of everything, and records are counted for everything.
    let opening = if session.pictures || arguments.data { Opening::Whole } else { Opening::Change };
    let (workspace, source, changed) = session.open_for_change(opening)?;
    // The process ends with the command: taking a large definition apart again would only take time.
    let mut workspace = ManuallyDrop::new(workspace);
    arguments.check_names(&workspace)?;
    let look_at = |workspace: &Workspace| look(arguments, session, workspace, &changed, &source);
    let looked = session.until_steady(&mut workspace, &changed, opening, look_at, |looked| &looked.outcome)?;
    if workspace.texts.len() >= index_from() {
        workspace.keep_index(&looked.outcome, &looked.told);
    }
    let Looked { mut report, outcome, .. } = looked;
    let outcome = ManuallyDrop::new(outcome);
    with_scene(&mut report, session, &workspace, Some((&outcome, &changed)), arguments.sample.then_some(&source))?;
    print(output, &report, text::impact)?;
    let totals = report.totals.unwrap_or_default();
    Ok(u8::from(totals.breaks + totals.risk > 0))
}
