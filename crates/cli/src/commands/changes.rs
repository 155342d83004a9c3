//! `ysomorph changes`

use super::print;
use crate::error::CliError;
use crate::output::Output;
use crate::session::{Session, report};
use ysomorph_core::merge::merge;
use ysomorph_report::text;

pub fn run(session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let changed = session.changed(&workspace)?;
    let answers = workspace.answer_map();
    let outcome = merge(&workspace.merge_input(&changed, &answers));
    let report = report("changes", &workspace, &changed, &outcome);
    print(output, &report, text::changes);
    Ok(u8::from(report.counted_changes() > 0))
}
