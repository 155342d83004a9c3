//! `ysomorph impact`

#![allow(clippy::print_stderr, reason = "notes go to standard error")]

use super::shared::{known_names, print};
use crate::error::CliError;
use crate::output::Output;
use crate::session::{Session, report};
use clap::{Args, ValueEnum};
use std::path::{Path, PathBuf};
use ysomorph_core::impact::{self, Baseline, Finding, ImpactInput, RULES};
use ysomorph_core::merge::merge;
use ysomorph_core::name::{Patterns, shown};
use ysomorph_report::text;
use ysomorph_workspace::Workspace;

#[derive(Debug, Args)]
pub struct Arguments {
    /// Only findings about these entities (* for any)
    #[arg(long, value_name = "ENTITY")]
    entity: Vec<String>,
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
    /// Count in the database which records go against the definition
    #[arg(long)]
    data: bool,
    /// How findings are ordered in text
    #[arg(long, value_name = "ORDER", value_enum, default_value_t)]
    order: Order,
    /// Only what is new: leave out the findings of an earlier `impact --format json`
    #[arg(long, value_name = "FILE")]
    baseline: Option<PathBuf>,
}

/// How findings are ordered.
#[derive(Debug, Clone, Copy, Default, ValueEnum)]
enum Order {
    /// By the change that caused them
    #[default]
    Cause,
    /// By entity
    Entity,
    /// By severity
    Severity,
}

impl From<Order> for ysomorph_report::Order {
    fn from(order: Order) -> Self {
        match order {
            Order::Cause => ysomorph_report::Order::Cause,
            Order::Entity => ysomorph_report::Order::Entity,
            Order::Severity => ysomorph_report::Order::Severity,
        }
    }
}

impl Arguments {
    /// Refuses a filter that fits nothing there is: misspelt, it would be green for ever.
    fn check_names(&self, workspace: &Workspace) -> Result<(), CliError> {
        let entities: Vec<String> = workspace.tree.entities().map(|(entity, _)| entity.to_owned()).collect();
        let pages = crate::session::pages(workspace);
        let both: Vec<String> = pages.iter().flat_map(|(entity, page)| [page.clone(), format!("{entity}/{page}")]).collect();
        let app = workspace.tree.app();
        let roles =
            app.and_then(|app| app.get("role")).map_or_else(Vec::new, |roles| roles.entries().iter().map(|e| e.key.clone()).collect());
        let rules: Vec<String> = RULES.iter().map(|rule| rule.name.to_owned()).collect();
        known_names("entity", "entities", &self.entity, &entities)?;
        known_names("page", "pages", &self.page, &both)?;
        known_names("role", "roles", &self.role, &roles)?;
        known_names("rule", "rules", &self.rule, &rules)
    }

    /// The findings that the filters leave.
    fn keep_wanted(&self, findings: &mut Vec<Finding>) {
        let of = |patterns: &Vec<String>| Patterns::from(patterns.as_slice());
        let (entities, pages, rules) = (of(&self.entity), of(&self.page), of(&self.rule));
        findings.retain(|finding| {
            let entity = finding.entity.clone().unwrap_or_default();
            let on_page = |page: &String| pages.fit(page) || pages.fit(&format!("{entity}/{page}"));
            (entities.is_empty() || entities.fit(&entity))
                && (pages.is_empty() || finding.pages.iter().any(on_page))
                && (self.role.is_empty() || finding.role.as_ref().is_none_or(|role| self.role.contains(role)))
                && (rules.is_empty() || rules.fit(finding.rule))
                && (self.severity.is_empty() || self.severity.iter().any(|s| s == finding.severity.word()))
        });
    }
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let mut baseline = arguments.baseline.as_deref().map(read_baseline).transpose()?;
    let workspace = session.open()?;
    arguments.check_names(&workspace)?;
    let changed = session.changed(&workspace)?;
    let answers = workspace.answer_map();
    let outcome = merge(&workspace.merge_input(&changed, &answers));
    let (tree, comparison) = (&workspace.tree, &outcome.comparison);
    let mut around = workspace.around();
    let (code, troubles) = workspace.find_in_code(impact::code::sought(comparison).keys().map(String::as_str))?;
    for trouble in troubles {
        eprintln!("note: {}", shown(&trouble));
    }
    (around.code, around.renamed_fields) = (code, outcome.renamed_fields.clone());
    let accepted = workspace.accepted();
    if arguments.data {
        let input = ImpactInput { tree, accepted, changed: &changed, comparison, around: &around };
        around.data = Session::count(&session.changed_source(&workspace.config)?, impact::data::plan(input))?;
    }
    let around = &around;
    let mut findings = impact::impact(ImpactInput { tree, accepted, changed: &changed, comparison, around });
    ysomorph_core::merge::settle(&mut findings, &outcome, &changed);
    let found = findings.len();
    arguments.keep_wanted(&mut findings);
    let wanted = findings.len();
    if let Some(baseline) = &mut baseline {
        findings.retain(|f| !baseline.has(f, &comparison.changes));
    }
    let mut report = report("impact", session, &workspace, &changed, &outcome);
    (report.order, report.narrowed, report.known) = (arguments.order.into(), found - wanted, wanted - findings.len());
    report.verbose = session.verbose;
    // Lines of hand-written code are quoted like those of the definition.
    for hit in &around.code {
        report.texts.entry(hit.file.clone()).or_insert_with(|| hit.text.to_string());
    }
    let report = report.with_findings(findings);
    print(output, &report, text::impact);
    let totals = report.totals.unwrap_or_default();
    Ok(u8::from(totals.breaks + totals.risk > 0))
}

/// Reads a baseline.
fn read_baseline(file: &Path) -> Result<Baseline, CliError> {
    let hint = "write one with: ysomorph impact --format json --output FILE";
    let failed = |why: String| CliError::new(format!("the baseline `{}` can't be read: {why}", file.display())).hint(hint);
    let text = std::fs::read_to_string(file).map_err(|e| failed(e.to_string()))?;
    Baseline::read(&text).map_err(failed)
}
