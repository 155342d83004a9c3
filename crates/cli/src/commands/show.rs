//! `ysomorph show`

use super::shared::{Viewer, print};
use crate::error::CliError;
use crate::output::Output;
use crate::sampling::{NoRecords, records};
use crate::session::{Session, bare_report};
use clap::Args;
use std::collections::BTreeMap;
use ysomorph_core::definition::{Model, Tree};
use ysomorph_core::drawing::{Drawing, DrawingInput};
use ysomorph_core::impact::{self, Finding, ImpactInput};
use ysomorph_core::merge::merge;
use ysomorph_core::name::nearest;
use ysomorph_core::schema::Schema;
use ysomorph_report::{DrawnPage, Report, text};
use ysomorph_sources::Source;

#[derive(Debug, Args)]
pub struct Arguments {
    /// The page: ENTITY for its list, or ENTITY/PAGE
    #[arg(value_name = "ENTITY[/PAGE]")]
    page: String,
    #[command(flatten)]
    viewer: Viewer,
    /// How many records
    #[arg(long, value_name = "N", default_value_t = 5)]
    records: u32,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let source = session.changed_source(&workspace.config)?;
    let changed = session.changed(&workspace)?;
    let outcome = merge(&workspace.merge_input(&changed, &workspace.answer_map()));
    let translations = match &arguments.viewer.language {
        Some(language) => workspace.translations(language)?,
        None => BTreeMap::new(),
    };
    let (tree, comparison, around) = (&workspace.tree, &outcome.comparison, &workspace.around());
    let findings = impact::impact(ImpactInput { tree, accepted: workspace.accepted(), changed: &changed, comparison, around });
    let picture = |tree: &Tree, known: &Schema, findings: &[Finding]| -> Result<Drawing, CliError> {
        let model = Model::of(tree);
        let scene = DrawingInput { model: &model, findings, role: arguments.viewer.role.as_deref(), translations: &translations };
        draw(arguments, &scene, known, &source)
    };
    let drawn_page = |when: &str, page: Drawing, tree: &Tree, known: &Schema| {
        let fields: Vec<&str> = page.sections.iter().flat_map(|(_, fields)| fields).map(|f| f.name.as_str()).collect();
        let notes = workspace.drafted(tree, known).standing(tree, &page.entity, &page.page, &fields).cloned().collect();
        DrawnPage { when: when.to_owned(), page, notes }
    };
    let now = picture(&workspace.tree, workspace.accepted(), &findings)?;
    // The page may be gone after the merge.
    let after = (!outcome.edits.is_empty())
        .then(|| picture(&outcome.tree, &outcome.accepted, &impact::check(&outcome.tree, &outcome.accepted)).ok())
        .flatten();
    let after = after.filter(|after| *after != now).map(|page| drawn_page("after the merge", page, &outcome.tree, &outcome.accepted));
    let mut drawn = vec![drawn_page("now", now, &workspace.tree, workspace.accepted())];
    drawn.extend(after);
    let report = Report { drawn, ..bare_report("show", session, &workspace, &changed) };
    print(output, &report, text::page)?;
    Ok(0)
}

fn draw(arguments: &Arguments, scene: &DrawingInput<'_>, known: &Schema, source: &Source) -> Result<Drawing, CliError> {
    let (entity, page) = arguments.page.split_once('/').unwrap_or((&arguments.page, "list"));
    let unknown = |message: String, near: Option<&str>, names: Vec<&str>| match near {
        Some(near) => CliError::new(message).hint(format!("did you mean `{near}`?")),
        None => CliError::new(message).hint(format!("there are: {}", names.join(", "))),
    };
    let model = scene.model;
    let names: Vec<&str> = model.entities.keys().map(String::as_str).collect();
    let entity = model
        .entities
        .get(entity)
        .ok_or_else(|| unknown(format!("there is no entity `{entity}`"), nearest(entity, names.iter().copied()), names.clone()))?;
    let pages: Vec<&str> = entity.pages.iter().map(|p| p.name.as_str()).collect();
    let Some(page) = entity.pages.iter().find(|p| p.name == page) else {
        return Err(unknown(format!("`{}` has no page `{page}`", entity.name), nearest(page, pages.iter().copied()), pages));
    };
    if let Some(role) = scene.role {
        let roles: Vec<&str> = model.app.roles.keys().map(String::as_str).collect();
        if !roles.contains(&role) {
            return Err(unknown(format!("there is no role `{role}`"), nearest(role, roles.iter().copied()), roles));
        }
        if !scene.may_use(entity, page) {
            return Err(CliError::new(format!("role `{role}` may not use {}/{}", entity.name, page.name))
                .hint(format!("its rights are under [access.{role}] in app/{}.toml", entity.name)));
        }
    }
    let mut drawing = scene.draw(entity, page);
    if drawing.layout == "form" || matches!(source, Source::Snapshot(_)) {
        return Ok(drawing);
    }
    let most = if drawing.layout == "record" { 1 } else { arguments.records };
    let values: BTreeMap<String, String> = arguments.viewer.with.iter().cloned().collect();
    match records(source, known, &values, |known| scene.sample(entity, page, known, most)) {
        Err(NoRecords::Missing(parameter)) => {
            drawing.broken.push(format!("no records without a value for :{parameter}: give --with {parameter}=…"));
        }
        Err(NoRecords::Refused(error))
            if drawing.broken.is_empty() && drawing.sections.iter().all(|(_, f)| f.iter().all(|f| f.broken.is_none())) =>
        {
            drawing.broken.push(format!("its records can't be read: {error}"));
        }
        // Why is told by what is broken already.
        Err(NoRecords::Refused(_)) => {}
        Ok(records) => drawing.records = records,
    }
    Ok(drawing)
}
