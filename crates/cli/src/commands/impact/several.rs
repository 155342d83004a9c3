//! `ysomorph impact` on several databases: all at the same time, and one that can't be reached spoils nothing.

use super::arguments::Arguments;
use super::look::look;
use crate::clock::now;
use crate::commands::shared::no_workbook;
use crate::error::CliError;
use crate::output::{Format, Output};
use crate::session::{NamedSource, Session};
use std::collections::VecDeque;
use std::sync::Mutex;
use ysomorph_report::{Looked, Several, several, several_json, several_jsonl, several_sarif, text};
use ysomorph_workspace::Workspace;

/// Most databases that are looked at at the same time.
const AT_ONCE: usize = 16;

pub fn run(arguments: &Arguments, session: &Session, workspace: &Workspace, output: &mut Output) -> Result<u8, CliError> {
    let waiting: Mutex<VecDeque<(usize, &NamedSource)>> = Mutex::new(session.several.iter().enumerate().collect());
    let done = Mutex::new(Vec::new());
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(session.several.len()) {
            scope.spawn(|| {
                while let Some((at, named)) = waiting.lock().ok().and_then(|mut waiting| waiting.pop_front()) {
                    let (source, outcome) = one(arguments, session, workspace, named);
                    if let Ok(mut done) = done.lock() {
                        done.push((at, (named.name.clone(), source, outcome)));
                    }
                }
            });
        }
    });
    let mut done = done.into_inner().unwrap_or_default();
    done.sort_by_key(|(at, _)| *at);
    let mut several = Several::of(done.into_iter().map(|(_, looked)| looked).collect());
    (several.title, several.when) = (workspace.tree.title().to_owned(), now());
    print(output, &several, session.verbose)?;
    Ok(several.status())
}

fn print(output: &mut Output, all: &Several, verbose: bool) -> Result<(), CliError> {
    let written = match output.format {
        Format::Text => text::several(all, verbose),
        Format::Json => several_json(all),
        Format::Jsonl => several_jsonl(all),
        Format::Sarif => several_sarif(all),
        Format::Markdown => several::to_markdown(all),
        Format::Html => several::to_html(all),
        Format::Junit => several::to_junit(all),
        Format::Csv => several::to_csv(all),
        Format::Xlsx => {
            output.set_bytes(several::to_xlsx(all).map_err(|why| no_workbook(&why))?);
            return Ok(());
        }
    };
    output.push(&written);
    Ok(())
}

/// Looks at one database: where it is, and what was found or why nothing could be.
fn one(arguments: &Arguments, session: &Session, workspace: &Workspace, named: &NamedSource) -> (String, Result<Looked, String>) {
    let source = match Session::source(&named.source) {
        Ok(source) => source,
        // What can't be read may hold a password.
        Err(error) => return (String::new(), Err(error.message().to_owned())),
    };
    let outcome = Session::read(&source, &workspace.config.database).and_then(|changed| {
        let report = look(arguments, session, workspace, &changed, &source)?.report;
        let found = report.findings.unwrap_or_default();
        Ok(Looked { schema: report.schema.changed, changes: report.changes, findings: found })
    });
    (source.to_string(), outcome.map_err(|error| error.message().to_owned()))
}
