//! `ysomorph check`

use super::print;
use crate::error::CliError;
use crate::output::Output;
use crate::session::{Session, report};
use ysomorph_core::impact;
use ysomorph_core::merge::merge;
use ysomorph_report::text;

pub fn run(session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let accepted = workspace.accepted().clone();
    let answers = std::collections::BTreeMap::new();
    let outcome = merge(&workspace.merge_input(&accepted, &answers));
    let findings = impact::check(&workspace.tree, &accepted);
    let report = report("check", &workspace, &accepted, &outcome).with_findings(findings);
    print(output, &report, text::check);
    let totals = report.totals.unwrap_or_default();
    Ok(u8::from(totals.breaks + totals.risk > 0))
}
