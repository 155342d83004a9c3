//! `ysomorph check`

use super::shared::{open_follow_up, print};
use crate::error::CliError;
use crate::output::Output;
use crate::scene::with_scene;
use crate::session::{Session, bare_report};
use ysomorph_core::impact;
use ysomorph_report::text;

pub fn run(session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let findings = impact::check_with(&workspace.tree, workspace.accepted(), &workspace.around());
    let follow_ups = workspace.follow_ups_now(&findings).map_err(|e| CliError::files(&[e]))?;
    let mut report = bare_report("check", session, &workspace, workspace.accepted()).with_findings(findings);
    report.open_follow_ups = follow_ups.still_open().map(open_follow_up).collect();
    report.verbose = session.verbose;
    with_scene(&mut report, session, &workspace, None, None)?;
    print(output, &report, text::check)?;
    let totals = report.totals.unwrap_or_default();
    Ok(u8::from(totals.breaks + totals.risk > 0 || !report.joined.is_empty()))
}
