//! `ysomorph accept`

use super::merge::{merge_report, refuse_changed_meanwhile, refuse_unsound};
use super::shared::{print, who};
use crate::clock::now;
use crate::error::CliError;
use crate::interrupt::writing;
use crate::output::Output;
use crate::session::Session;
use ysomorph_report::text::{hint, plural};
use ysomorph_workspace::{By, Planned};

/// Takes the changed schema as accepted where a merge would do nothing else.
pub fn run(session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    refuse_unsound(&workspace)?;
    let changed = Session::read(&session.changed_source(&workspace.config)?, &workspace.config.database)?;
    let answers = workspace.answer_map();
    let planned = workspace.plan(&changed, &answers)?;
    let hinders = hindrance(&planned);
    let write = hinders.is_none() && planned.is_worth_writing();
    if write {
        refuse_changed_meanwhile(session, &workspace, &changed)?;
        let by = By { when: now(), who: who(&workspace.root) };
        writing(|| workspace.write(&planned, &answers, &by))?;
    }
    let report = merge_report("accept", session, &workspace, &changed, &planned, write);
    print(output, &report, |report| match &hinders {
        Some(hinders) => format!("Not accepted: a merge {hinders}.\n\n{}\n", hint("ysomorph merge")),
        None if write => format!(
            "Accepted: {} in the database, nothing to do in the definition.\n\n{}\n",
            plural(report.changes.len(), "change", "changes"),
            hint("ysomorph history   (and ysomorph undo takes it back)")
        ),
        None => "Nothing to accept: the accepted schema is the database's.\n".to_owned(),
    })?;
    Ok(u8::from(hinders.is_some()))
}

/// What a merge would do beyond accepting, in words.
fn hindrance(planned: &Planned) -> Option<String> {
    let files = planned.files.keys().filter(|path| !path.starts_with(".ysomorph/")).count();
    let open = planned.outcome.open_questions().count();
    let edits = (files > 0).then(|| format!("would edit {}", plural(files, "file", "files")));
    let asks = (open > 0).then(|| format!("asks {}", plural(open, "question", "questions")));
    let all: Vec<String> = edits.into_iter().chain(asks).collect();
    (!all.is_empty()).then(|| all.join(" and "))
}
