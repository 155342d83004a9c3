//! What a report for a browser shows beside what it says: the definition now and after a merge, and who may do what.

use crate::clock::now;
use crate::error::CliError;
use crate::session::Session;
use ysomorph_core::definition::Model;
use ysomorph_core::merge::Outcome;
use ysomorph_core::schema::Schema;
use ysomorph_report::{Report, Scene};
use ysomorph_workspace::Workspace;

/// Adds what pictures are drawn from, where the format has some.
pub fn with_scene(
    report: &mut Report,
    session: &Session,
    workspace: &Workspace,
    merged: Option<(&Outcome, &Schema)>,
) -> Result<(), CliError> {
    if !session.pictures {
        return Ok(());
    }
    report.scene = Some(Box::new(Scene {
        database: session.changed_source(&workspace.config)?.to_string(),
        when: now(),
        now: Model::of(&workspace.tree),
        after: merged.map(|(outcome, _)| Model::of(&outcome.tree)),
        left: merged.map(|(outcome, changed)| outcome.breaks_left(changed)).unwrap_or_default(),
    }));
    if let Some((outcome, _)) = merged {
        report.access = outcome.access(&workspace.tree, workspace.accepted());
    }
    Ok(())
}
