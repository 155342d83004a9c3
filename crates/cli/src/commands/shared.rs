//! What commands have in common: who works when, names that patterns fit, printing a report.

use crate::error::CliError;
use crate::output::{Format, Output};
use std::path::Path;
use std::sync::OnceLock;
use ysomorph_core::name::{Patterns, nearest, shown};
use ysomorph_report::{OpenFollowUp, Report};
use ysomorph_workspace::FollowUp;

/// Refuses a pattern that fits none of the names there are, with the nearest.
pub fn known_names(one: &str, many: &str, patterns: &[String], names: &[String]) -> Result<(), CliError> {
    for pattern in patterns {
        let own = Patterns::from(pattern.as_str());
        if !names.iter().any(|name| own.fit(name)) {
            let error = CliError::new(format!("there is no {one} `{}`", shown(pattern)));
            return Err(match nearest(pattern, names.iter().map(String::as_str)) {
                Some(near) => error.hint(format!("did you mean `{}`?", shown(near))),
                None if names.is_empty() => error.hint(format!("the definition has no {many}")),
                None if names.len() <= 40 => {
                    error.hint(format!("the {many} are {}", names.iter().map(|n| shown(n)).collect::<Vec<_>>().join(", ")))
                }
                None => error.hint(format!("name one of its {} {many}, or a pattern such as *", names.len())),
            });
        }
    }
    Ok(())
}

/// Who looks at a page.
#[derive(Debug, Clone, clap::Args)]
pub struct Viewer {
    /// As this role sees it
    #[arg(long, value_name = "ROLE")]
    pub role: Option<String>,
    /// A parameter's value, for the records of a role
    #[arg(long = "with", value_name = "NAME=VALUE", value_parser = pair)]
    pub with: Vec<(String, String)>,
    /// In this language, by the catalogue app/labels.LANG.po
    #[arg(long, value_name = "LANG")]
    pub language: Option<String>,
}

/// A parameter's name and its value.
fn pair(text: &str) -> Result<(String, String), String> {
    let (name, value) = text.split_once('=').ok_or("write it as NAME=VALUE")?;
    Ok((name.trim_start_matches(':').to_owned(), value.to_owned()))
}

/// Who works here: as version control knows them in this folder, else as the system does. Asked once a run.
pub fn who(folder: &Path) -> Option<String> {
    static WHO: OnceLock<Option<String>> = OnceLock::new();
    WHO.get_or_init(|| ask_who(folder)).clone()
}

fn ask_who(folder: &Path) -> Option<String> {
    let variable = |name: &str| std::env::var(name).ok();
    let configured = || {
        let mut git = std::process::Command::new("git");
        let ran = git.args(["config", "--get", "user.name"]).current_dir(folder).stderr(std::process::Stdio::null()).output().ok()?;
        ran.status.success().then(|| String::from_utf8_lossy(&ran.stdout).trim().to_owned())
    };
    let not_empty = |who: &String| !who.is_empty();
    let version_control = variable("GIT_AUTHOR_NAME").filter(not_empty).or_else(configured).filter(not_empty);
    version_control.or_else(|| ["USER", "LOGNAME", "USERNAME"].iter().find_map(|name| variable(name).filter(not_empty)))
}

/// A follow-up of an earlier merge, for a report.
pub fn open_follow_up(follow_up: &FollowUp) -> OpenFollowUp {
    OpenFollowUp {
        name: follow_up.name.clone(),
        rule: follow_up.rule.clone(),
        severity: follow_up.severity,
        file: follow_up.file.clone(),
        entity: follow_up.entity.clone(),
        message: follow_up.message.clone(),
        places: follow_up.places,
    }
}

/// Why there is no workbook.
pub fn no_workbook(why: &str) -> CliError {
    CliError::new(format!("a workbook can't hold this: {why}")).hint("use --format csv or jsonl")
}

/// Prints a report in the wanted format.
pub fn print(output: &mut Output, report: &Report, text: impl Fn(&Report) -> String) -> Result<(), CliError> {
    let written = match output.format {
        Format::Text => text(report),
        Format::Json => ysomorph_report::to_json(report),
        Format::Jsonl => ysomorph_report::to_jsonl(report),
        Format::Markdown => ysomorph_report::to_markdown(report),
        Format::Html => ysomorph_report::to_html(report),
        Format::Sarif => ysomorph_report::to_sarif(report),
        Format::Junit => ysomorph_report::to_junit(report),
        Format::Csv => ysomorph_report::to_csv(report),
        Format::Xlsx => {
            let book = ysomorph_report::to_xlsx(report);
            output.set_bytes(book.map_err(|why| no_workbook(&why))?);
            return Ok(());
        }
    };
    output.push(&written);
    Ok(())
}
