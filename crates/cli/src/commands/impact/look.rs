//! What breaks on one changed schema.

#![allow(clippy::print_stderr, reason = "notes go to standard error")]

use super::arguments::Arguments;
use crate::error::CliError;
use crate::progress::during;
use crate::session::{Session, report};
use std::collections::BTreeSet;
use std::path::Path;
use ysomorph_core::impact::{self, Baseline, ImpactInput};
use ysomorph_core::merge::{Outcome, merge};
use ysomorph_core::name::shown;
use ysomorph_core::schema::Schema;
use ysomorph_report::Report;
use ysomorph_sources::Source;
use ysomorph_workspace::Workspace;

/// What a look found.
pub struct Looked {
    /// As far as it is asked for.
    pub report: Report,
    /// What a merge would come to.
    pub outcome: Outcome,
    /// The entities of which something is told that no change is the cause of.
    pub told: BTreeSet<String>,
}

/// What breaks on one changed schema.
pub fn look(
    arguments: &Arguments,
    session: &Session,
    workspace: &Workspace,
    changed: &Schema,
    source: &Source,
) -> Result<Looked, CliError> {
    let mut baseline = arguments.baseline.as_deref().map(read_baseline).transpose()?;
    let answers = workspace.answer_map();
    let outcome = during("comparing", || merge(&workspace.merge_input(changed, &answers)));
    let (tree, comparison) = (&workspace.tree, &outcome.comparison);
    let (mut around, troubles) = workspace.around_change(&outcome)?;
    for trouble in troubles {
        eprintln!("note: {}", shown(&trouble));
    }
    let accepted = workspace.accepted();
    if arguments.data {
        let input = ImpactInput { tree, accepted, changed, comparison, around: &around };
        around.data = Session::count(source, impact::data::plan(input))?;
    }
    let around = &around;
    let mut findings = impact::impact(ImpactInput { tree, accepted, changed, comparison, around });
    ysomorph_core::merge::settle(&mut findings, &outcome, changed);
    let told = impact::told_whatever_changes(&findings);
    let found = findings.len();
    arguments.keep_wanted(&mut findings, tree);
    let wanted = findings.len();
    if let Some(baseline) = &mut baseline {
        findings.retain(|f| !baseline.has(f, &comparison.changes));
    }
    let mut report = report("impact", session, workspace, changed, &outcome);
    (report.order, report.narrowed, report.known) = (arguments.order.into(), found - wanted, wanted - findings.len());
    report.verbose = session.verbose;
    // Lines of hand-written code are quoted like those of the definition.
    for hit in &around.code {
        report.texts.entry(hit.file.clone()).or_insert_with(|| hit.text.to_string());
    }
    Ok(Looked { report: report.with_findings(findings), outcome, told })
}

/// Reads a baseline.
fn read_baseline(file: &Path) -> Result<Baseline, CliError> {
    let hint = "write one with: ysomorph impact --format json --output FILE";
    let failed = |why: String| CliError::new(format!("the baseline `{}` can't be read: {why}", file.display())).hint(hint);
    let text = std::fs::read_to_string(file).map_err(|e| failed(e.to_string()))?;
    Baseline::read(&text).map_err(failed)
}
