//! `ysomorph rehearse`

use super::shared::print;
use crate::error::CliError;
use crate::output::Output;
use crate::scene::with_scene;
use crate::session::{Session, bare_report};
use clap::Args;
use ysomorph_core::definition::Model;
use ysomorph_core::name::nearest;
use ysomorph_core::rehearsal;
use ysomorph_report::{Rehearsal, text};
use ysomorph_sources::{Line, Source, rehearse};
use ysomorph_workspace::Workspace;

#[derive(Debug, Args)]
pub struct Arguments {
    /// Only what this role may do, under its database role's own grants
    #[arg(long = "as", value_name = "ROLE")]
    role: Option<String>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let source = session.changed_source(&workspace.config)?;
    if matches!(source, Source::Snapshot(_)) {
        return Err(CliError::new(format!("{source} is no database: nothing can be rehearsed on it"))
            .hint("give --changed SOURCE, or YSOMORPH_URL"));
    }
    let model = Model::of(&workspace.tree);
    let database_role = arguments.role.as_deref().map(|role| database_role(&workspace, &model, role, &source)).transpose()?;
    let mut known = workspace.accepted().clone();
    known.engine = source.engine();
    let asked = rehearsal::script(&model, &known, arguments.role.as_deref());
    let lines: Vec<Line> = asked.iter().map(|a| Line { sql: a.statement.sql.clone(), writes: a.statement.purpose.is_write() }).collect();
    let mut outcomes = rehearse(&source, &lines, database_role.as_deref())?;
    if asked.iter().any(|a| rehearsal::calls(&a.statement)) {
        let live = session.changed(&workspace)?;
        for (asked, outcome) in asked.iter().zip(&mut outcomes) {
            *outcome = outcome.take().or_else(|| rehearsal::refused_call(&asked.statement, &live));
        }
    }
    let refused: Vec<_> = asked.iter().zip(outcomes).filter_map(|(asked, refusal)| Some((asked, refusal?))).collect();
    let mut pages: Vec<(String, String)> = asked.iter().filter_map(|a| Some((a.entity.name.clone(), a.page?.name.clone()))).collect();
    pages.dedup();
    let mut report = bare_report("rehearse", session, &workspace, workspace.accepted()).with_findings(rehearsal::findings(&refused));
    report.rehearsal = Some(Rehearsal {
        engine: source.engine().word().to_owned(),
        role: arguments.role.clone(),
        statements: asked.len(),
        refused: refused.len(),
        pages,
    });
    with_scene(&mut report, session, &workspace, None, None)?;
    print(output, &report, text::rehearse)?;
    Ok(u8::from(!refused.is_empty()))
}

/// The database role whose grants a role of the definition has.
fn database_role(workspace: &Workspace, model: &Model, role: &str, source: &Source) -> Result<String, CliError> {
    if matches!(source, Source::Sqlite(_)) {
        return Err(CliError::new("SQLite has no roles: everybody may do everything").hint("leave --as out"));
    }
    if !model.app.roles.contains_key(role) {
        let error = CliError::new(format!("there is no role `{role}` in app/app.toml"));
        return Err(match nearest(role, model.app.roles.keys().map(String::as_str)) {
            Some(near) => error.hint(format!("did you mean `{near}`?")),
            None => error.hint("its roles are the tables [role.NAME]"),
        });
    }
    let named = workspace.tree.app().and_then(|app| app.get("role")?.get(role)?.get("database_role")?.as_text().map(str::to_owned));
    named.ok_or_else(|| {
        CliError::new(format!("role `{role}` names no database role: whose grants it has can't be told"))
            .hint(format!("write database_role = \"…\" under [role.{role}] in app/app.toml"))
    })
}
