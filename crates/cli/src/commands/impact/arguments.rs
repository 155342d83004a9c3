//! What of the findings is wanted.

use crate::commands::shared::known_names;
use crate::error::CliError;
use clap::{Args, ValueEnum};
use std::path::PathBuf;
use ysomorph_core::definition::{Model, Tree};
use ysomorph_core::impact::{Finding, RULES};
use ysomorph_core::name::Patterns;
use ysomorph_workspace::Workspace;

#[derive(Debug, Args)]
pub struct Arguments {
    /// Only findings about these entities (* for any)
    #[arg(long, value_name = "ENTITY")]
    entity: Vec<String>,
    /// Only findings on these pages (PAGE or ENTITY/PAGE, * for any)
    #[arg(long, value_name = "PAGE")]
    page: Vec<String>,
    /// Only findings that these roles meet: on pages that they may use, about fields that they see
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
    pub data: bool,
    /// With --format html: a few of the database's records in the pictures
    #[arg(long)]
    pub sample: bool,
    /// How findings are ordered in text
    #[arg(long, value_name = "ORDER", value_enum, default_value_t)]
    pub order: Order,
    /// Only what is new: leave out the findings of an earlier `impact --format json`
    #[arg(long, value_name = "FILE")]
    pub baseline: Option<PathBuf>,
}

/// How findings are ordered.
#[derive(Debug, Clone, Copy, Default, ValueEnum)]
pub enum Order {
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
    pub fn check_names(&self, workspace: &Workspace) -> Result<(), CliError> {
        let entities: Vec<String> = workspace.entities().map(str::to_owned).collect();
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
    pub fn keep_wanted(&self, findings: &mut Vec<Finding>, tree: &Tree) {
        let model = if self.role.is_empty() { Model::default() } else { Model::of(tree) };
        let of = |patterns: &Vec<String>| Patterns::from(patterns.as_slice());
        let (entities, pages, rules) = (of(&self.entity), of(&self.page), of(&self.rule));
        findings.retain(|finding| {
            let entity = finding.entity.clone().unwrap_or_default();
            let on_page = |page: &String| pages.fit(page) || pages.fit(&format!("{entity}/{page}"));
            (entities.is_empty() || entities.fit(&entity))
                && (pages.is_empty() || finding.pages.iter().any(on_page))
                && (self.role.is_empty() || self.role.iter().any(|role| finding.concerns(role, &model)))
                && (rules.is_empty() || rules.fit(finding.rule))
                && (self.severity.is_empty() || self.severity.iter().any(|s| s == finding.severity.word()))
        });
    }
}
