//! `ysomorph access`

use super::shared::{known_names, print};
use crate::error::CliError;
use crate::output::Output;
use crate::session::{Session, bare_report};
use clap::Args;
use ysomorph_core::access;
use ysomorph_core::definition::Model;
use ysomorph_core::merge::merge;
use ysomorph_core::name::Patterns;
use ysomorph_report::text;

#[derive(Debug, Args)]
pub struct Arguments {
    /// Only these entities, by pattern
    #[arg(value_name = "ENTITY")]
    entities: Vec<String>,
    /// Only these roles, by pattern
    #[arg(long, value_name = "ROLE")]
    role: Vec<String>,
    /// Only the definition as it is, without looking at the database
    #[arg(long)]
    now: bool,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let model = Model::of(&workspace.tree);
    known_names("entity", "entities", &arguments.entities, &model.entities.keys().cloned().collect::<Vec<_>>())?;
    known_names("role", "roles", &arguments.role, &model.app.roles.keys().cloned().collect::<Vec<_>>())?;
    let mut report = if arguments.now {
        let report = bare_report("access", session, &workspace, workspace.accepted());
        ysomorph_report::Report { access: access::access(&model), ..report }
    } else {
        let changed = session.changed(&workspace)?;
        let outcome = merge(&workspace.merge_input(&changed, &workspace.answer_map()));
        let report = bare_report("access", session, &workspace, &changed);
        ysomorph_report::Report { access: outcome.access(&workspace.tree, workspace.accepted()), ..report }
    };
    let (entities, roles) = (Patterns::from(arguments.entities.as_slice()), Patterns::from(arguments.role.as_slice()));
    report.access.retain(|a| (entities.is_empty() || entities.fit(&a.entity)) && (roles.is_empty() || roles.fit(&a.role)));
    report.verbose = session.verbose;
    print(output, &report, text::access)?;
    Ok(u8::from(report.access.iter().any(|a| !a.wider.is_empty())))
}
