//! What a report for a browser shows beside what it says: the definition now and after a merge, and who may do what.

use crate::clock::now;
use crate::error::CliError;
use crate::sampling;
use crate::session::Session;
use std::collections::BTreeMap;
use ysomorph_core::definition::{Drawn, Entity, Model, Page};
use ysomorph_core::merge::Outcome;
use ysomorph_core::schema::Schema;
use ysomorph_core::statements;
use ysomorph_report::{PageRecords, Report, Scene};
use ysomorph_sources::Source;
use ysomorph_workspace::Workspace;

/// Adds what pictures are drawn from, where the format has some.
pub fn with_scene(
    report: &mut Report,
    session: &Session,
    workspace: &Workspace,
    merged: Option<(&Outcome, &Schema)>,
    sampled: Option<&Source>,
) -> Result<(), CliError> {
    if !session.pictures {
        return Ok(());
    }
    let (now_model, after) = (Model::of(&workspace.tree), merged.map(|(outcome, _)| Model::of(&outcome.tree)));
    let records = |model: &Model, known: &Schema| sampled.map(|source| records(report, model, known, source)).unwrap_or_default();
    let as_it_is = records(&now_model, workspace.accepted());
    let as_merged = after.as_ref().zip(merged).map(|(model, (outcome, _))| records(model, &outcome.accepted)).unwrap_or_default();
    report.scene = Some(Box::new(Scene {
        database: session.changed_source(&workspace.config)?.to_string(),
        when: now(),
        now: now_model,
        after,
        left: merged.map(|(outcome, changed)| outcome.breaks_left(changed)).unwrap_or_default(),
        records: [as_it_is, as_merged],
    }));
    if let Some((outcome, _)) = merged {
        report.access = outcome.access(&workspace.tree, workspace.accepted());
    }
    Ok(())
}

/// Records on a drawn list.
const RECORDS: u32 = 3;
/// What stands for a value that nobody is to read in a file.
const MASKED: &str = "•••";

/// A few records of each page that can't work, where the database gives them: of what is broken it gives none, and none where SQL
/// names a value that only whoever is signed in has.
fn records(report: &Report, model: &Model, known: &Schema, source: &Source) -> PageRecords {
    let mut all = PageRecords::new();
    for (entity, page) in report.drawn_pages() {
        let Some(own) = model.entities.get(entity) else { continue };
        let Some(page) = own.pages.iter().find(|p| p.name == page).filter(|page| page.kind.drawn() != Drawn::Form) else { continue };
        let most = if page.kind.drawn() == Drawn::Record { 1 } else { RECORDS };
        let statement = |known: &Schema| statements::sample(model, own, page, None, known, most);
        if let Ok(mut records) = sampling::records(source, known, &BTreeMap::new(), statement) {
            mask(own, page, &mut records);
            all.insert((entity.to_owned(), page.name.clone()), records);
        }
    }
    all
}

/// A report is sent on: what is sensitive doesn't stand in it.
fn mask(entity: &Entity, page: &Page, records: &mut [Vec<Option<String>>]) {
    let fields = page.shown.iter().filter_map(|name| entity.field(&name.value)).filter(|field| field.related.is_none() && !field.hidden);
    for (at, _) in fields.enumerate().filter(|(_, field)| field.sensitive || field.kind == "password") {
        records.iter_mut().filter_map(|record| record.get_mut(at)).flatten().for_each(|text| MASKED.clone_into(text));
    }
}
