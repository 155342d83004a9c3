//! `ysomorph impact`

use super::print;
use crate::error::CliError;
use crate::output::Output;
use crate::session::{Session, report};
use clap::Args;
use ysomorph_core::impact::{self, Finding, Input};
use ysomorph_core::merge::merge;
use ysomorph_core::name::matches_any;
use ysomorph_report::text;

#[derive(Debug, Args)]
pub struct Arguments {
    /// Only findings on these pages (PAGE or ENTITY/PAGE, * for any)
    #[arg(long, value_name = "PAGE")]
    page: Vec<String>,
    /// Only findings for these roles, or for all of them
    #[arg(long, value_name = "ROLE")]
    role: Vec<String>,
    /// Only findings of these rules (group/name, * for any)
    #[arg(long, value_name = "RULE")]
    rule: Vec<String>,
    /// Only findings this bad
    #[arg(long, value_name = "SEVERITY", value_parser = ["break", "risk", "note"])]
    severity: Vec<String>,
}

impl Arguments {
    fn wants(&self, finding: &Finding) -> bool {
        let entity = finding.entity.clone().unwrap_or_default();
        let on_page = |page: &String| matches_any(&self.page, page) || matches_any(&self.page, &format!("{entity}/{page}"));
        (self.page.is_empty() || finding.pages.iter().any(on_page))
            && (self.role.is_empty() || finding.role.as_ref().is_none_or(|role| self.role.contains(role)))
            && (self.rule.is_empty() || matches_any(&self.rule, finding.rule))
            && (self.severity.is_empty() || self.severity.iter().any(|s| s == finding.severity.word()))
    }
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let changed = session.changed(&workspace)?;
    let answers = workspace.answer_map();
    let outcome = merge(&workspace.merge_input(&changed, &answers));
    let input = Input { tree: &workspace.tree, accepted: workspace.accepted(), changed: &changed, comparison: &outcome.comparison };
    let findings = impact::impact(input).into_iter().filter(|f| arguments.wants(f)).collect();
    let report = report("impact", session, &workspace, &changed, &outcome).with_findings(findings);
    print(output, &report, text::impact);
    let totals = report.totals.unwrap_or_default();
    Ok(u8::from(totals.breaks + totals.risk > 0))
}
