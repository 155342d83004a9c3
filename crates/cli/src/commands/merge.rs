//! `ysomorph merge`

use super::shared::{known_names, print, who};
use crate::clock::now;
use crate::error::{CliError, MOST_SHOWN, more};
use crate::interrupt::writing;
use crate::output::{Output, write_whole};
use crate::progress::during;
use crate::scene::with_scene;
use crate::session::{Opening, Session, report};
use clap::Args;
use std::collections::BTreeSet;
use std::mem::ManuallyDrop;
use std::path::PathBuf;
use ysomorph_core::merge::{merge, safe_merge};
use ysomorph_core::name::{Patterns, shown};
use ysomorph_core::rename::RenameMap;
use ysomorph_core::schema::{Schema, Table};
use ysomorph_report::{FileDiff, PartReport, PatchReport, patch, text};
use ysomorph_workspace::{By, Part, Planned, Workspace};

#[derive(Debug, Args)]
pub struct Arguments {
    /// Write what the preview shows, in one transaction
    #[arg(long)]
    write: bool,
    /// Take the safe choice wherever a question is open
    #[arg(long)]
    safe: bool,
    /// Merge only the tables that these entities use (* for any), and leave the rest for later
    #[arg(long, value_name = "ENTITY", num_args = 1..)]
    only: Vec<String>,
    /// Keep what the data of each column looks like with the accepted schema: counts, and hashes made with
    /// a key of the workspace's own, no values
    #[arg(long)]
    data: bool,
    /// Write a patch that gives hand-written code the new names, where that is certain (- for standard output)
    #[arg(long, value_name = "FILE")]
    patch: Option<PathBuf>,
    /// Write also where the database has none of the tables any more that the definition was made for
    #[arg(long)]
    all_gone: bool,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let to_output = arguments.patch.as_ref().is_some_and(|file| file.as_os_str() == "-");
    if to_output && !output.format.is_text() {
        return Err(CliError::new(format!("a patch on standard output isn't {}", output.format.word())).hint("name a file: --patch FILE"));
    }
    let is_of_all = arguments.data || arguments.patch.is_some() || !arguments.only.is_empty();
    let needs_all = is_of_all || session.verbose || !output.format.is_text();
    let opening = if needs_all { Opening::Whole } else { Opening::Merge };
    let (workspace, source, mut changed) = session.open_for_change(opening)?;
    // The process ends with the command: taking a large definition apart again would only take time.
    let mut workspace = ManuallyDrop::new(workspace);
    refuse_unsound(&workspace)?;
    let mut new_key = None;
    if arguments.data {
        let (key, is_new) = Session::data_key(Some(&session.folder))?;
        Session::measure(&source, &mut changed, &|_, _| true, &key)?;
        new_key = is_new.then(|| key.text());
    }
    let part = if arguments.only.is_empty() { None } else { Some(part_of(&workspace, &changed, &arguments.only)?) };
    let whole = changed;
    let changed = part.as_ref().map_or(&whole, |part| &part.schema);
    let given = workspace.answer_map();
    let merged = |workspace: &Workspace| {
        let input = workspace.merge_input(changed, &given);
        Ok(during("merging", || if arguments.safe { safe_merge(&input) } else { (given.clone(), merge(&input)) }))
    };
    let (answers, outcome) = session.until_steady(&mut workspace, changed, opening, merged, |(_, outcome)| outcome)?;
    let planned = ManuallyDrop::new(workspace.plan_of(changed, &answers, outcome)?);
    let open = planned.outcome.open_questions().count();
    let patched = arguments.patch.is_some().then(|| workspace.patched(&planned.outcome.comparison, changed)).transpose();
    let patched = patched.map_err(|e| CliError::files(&[e]))?;
    let write = arguments.write && open == 0 && planned.is_worth_writing();
    if write && !arguments.all_gone {
        refuse_another_database(workspace.accepted(), &whole, &planned.outcome.comparison.taken())?;
    }
    if write {
        // The files that stayed closed are asked while the database is.
        std::thread::scope(|both| {
            both.spawn(|| workspace.confirm_closed());
            refuse_changed_meanwhile(session, &workspace, &whole)
        })?;
        if let Some(key) = new_key {
            writing(|| workspace.keep_data_key(&key))?;
        }
        let by = By { when: now(), who: who(&workspace.root) };
        writing(|| workspace.write(&planned, &answers, &by))?;
        // What a part of a change leaves for later isn't what the accepted schema says.
        if arguments.only.is_empty() {
            workspace.keep_index_after(&planned, changed);
        }
    }
    let mut report = merge_report("merge", session, &workspace, changed, &planned, write);
    (report.only, report.left_for_later) = (arguments.only.clone(), part.as_ref().map(|part| part.for_later.clone()));
    report.kept_elsewhere = workspace.customised_elsewhere();
    report.verbose = session.verbose;
    with_scene(&mut report, session, &workspace, Some((&planned.outcome, changed)), None)?;
    match (&arguments.patch, patched) {
        (Some(file), Some(files)) if file.as_os_str() == "-" => output.push(&patch(&files)),
        (Some(file), Some(files)) => {
            write_whole(file, patch(&files).as_bytes())?;
            report.patch = Some(PatchReport { file: file.display().to_string(), files: files.into_keys().collect() });
            print(output, &report, text::merge)?;
        }
        _ => print(output, &report, text::merge)?,
    }
    let later_only = planned.outcome.open_questions().next().is_none() && !planned.is_worth_writing();
    Ok(match (arguments.write, later_only) {
        (true, _) => u8::from(open > 0),
        (false, true) => 0,
        (false, false) => 1,
    })
}

/// A database that has nothing of what was accepted is an empty one, or another: everything would be set aside.
fn refuse_another_database(accepted: &Schema, changed: &Schema, taken: &RenameMap) -> Result<(), CliError> {
    let is_there = |table: &Table| changed.table(taken.table(&table.name)).is_some();
    if accepted.tables.len() < 2 || accepted.tables.iter().any(is_there) {
        return Ok(());
    }
    let has: Vec<String> = changed.tables.iter().take(MOST_SHOWN).map(|table| shown(&table.name)).collect();
    let details = match has.as_slice() {
        [] => "the database has no table at all\n".to_owned(),
        several => format!("the database has {}\n{}", several.join(", "), more(changed.tables.len())),
    };
    let count = accepted.tables.len();
    Err(CliError::new(format!("none of the {count} tables that the definition was made for is in the database; nothing was written"))
        .details(details)
        .hint("is it another one? look at the address in ysomorph.toml; where the tables are really gone, add --all-gone"))
}

/// The part of a change that concerns these entities.
fn part_of(workspace: &Workspace, changed: &Schema, only: &[String]) -> Result<Part, CliError> {
    let entities: Vec<String> = workspace.tree.entities().map(|(entity, _)| entity.to_owned()).collect();
    known_names("entity", "entities", only, &entities)?;
    let only = Patterns::from(only);
    let chosen: BTreeSet<String> = entities.into_iter().filter(|entity| only.fit(entity)).collect();
    workspace.part(changed, &chosen).map_err(|used| {
        let mut others: BTreeSet<String> = BTreeSet::new();
        let mut details = String::new();
        for one in &used {
            let fate = one.to.as_ref().map_or_else(|| "is gone".to_owned(), |to| format!("is `{}` now", shown(to)));
            let by: Vec<String> = one.by.iter().map(|entity| shown(entity)).collect();
            details.push_str(&format!("`{}` {fate}, and {} too\n", shown(&one.table), used_by(&by)));
            others.extend(by);
        }
        let others: Vec<String> = others.into_iter().collect();
        CliError::new("a part of the merge would leave other entities half merged; nothing was merged").details(details).hint(format!(
            "name them too: --only {} {}",
            chosen.iter().map(|e| shown(e)).collect::<Vec<_>>().join(" "),
            others.join(" ")
        ))
    })
}

fn used_by(entities: &[String]) -> String {
    format!("{} {}", entities.join(", "), if entities.len() == 1 { "uses it" } else { "use it" })
}

/// A definition with unknown keys or names can't be merged: something would be guessed.
pub(super) fn refuse_unsound(workspace: &Workspace) -> Result<(), CliError> {
    let problems = workspace.hindrances();
    if problems.is_empty() {
        return Ok(());
    }
    let mut details = String::new();
    for problem in problems.iter().take(MOST_SHOWN) {
        let file = problem.file.path();
        let near = problem.nearest.as_ref().map(|n| format!("; did you mean `{n}`?")).unwrap_or_default();
        details.push_str(&format!("{file}:{}:{}: {}{near}\n", problem.at.line, problem.at.column, problem.message));
        let length = problem.culprit.chars().count();
        details.push_str(
            &workspace
                .texts
                .get(&problem.file)
                .and_then(|t| text::quote(t, problem.at.line, problem.at.column, length))
                .unwrap_or_default(),
        );
    }
    details.push_str(&more(problems.len()));
    let count = text::plural(problems.len(), "problem", "problems");
    Err(CliError::new(format!("the definition has {count}; nothing was merged"))
        .details(details)
        .hint("correct them; `ysomorph check` shows whether it is sound"))
}

/// Nothing is written where the database isn't any more what was looked at.
pub(super) fn refuse_changed_meanwhile(session: &Session, workspace: &Workspace, changed: &Schema) -> Result<(), CliError> {
    let mut again = session.changed(workspace)?;
    again.fingerprints.clone_from(&changed.fingerprints);
    if again != *changed {
        return Err(CliError::new("the database changed while the merge was made; nothing was written")
            .hint("look again with `ysomorph changes`, then merge"));
    }
    Ok(())
}

/// The report of a merge, of which `accept` is one without edits.
pub(super) fn merge_report(
    command: &str,
    session: &Session,
    workspace: &Workspace,
    changed: &Schema,
    planned: &Planned,
    written: bool,
) -> ysomorph_report::Report {
    let mut report =
        report(command, session, workspace, changed, &planned.outcome).with_merge(&planned.outcome, &planned.follow_ups.open, written);
    let gave_way = workspace.superseded().map(|(path, text)| PartReport {
        path,
        value: Some(text.into()),
        because: format!("{text} won't come back"),
    });
    report.superseded = gave_way.collect();
    report.diffs = planned.shown_files().map(|(path, before, after)| FileDiff { path, before, after }).collect();
    // Follow-ups stand in the files as the merge leaves them.
    let texts = report.diffs.iter().filter_map(|diff| Some((diff.path.clone(), diff.after.clone()?)));
    report.texts.extend(texts);
    report.texts.extend(planned.follow_ups.code.iter().map(|(file, text)| (file.clone(), text.to_string())));
    report
}
