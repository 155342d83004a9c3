//! `ysomorph explain`

use crate::error::CliError;
use crate::output::Output;
use clap::Args;
use ysomorph_core::impact::RULES;
use ysomorph_core::name::nearest;
use ysomorph_report::text::heading;

#[derive(Debug, Args)]
pub struct Arguments {
    /// The rule
    rule: Option<String>,
}

pub fn run(arguments: &Arguments, output: &mut Output) -> Result<u8, CliError> {
    let Some(name) = &arguments.rule else {
        for rule in RULES {
            output.push(&format!("{:<29} {:<6} {}\n", rule.name, rule.severity.word(), rule.docs.detects));
        }
        return Ok(0);
    };
    let Some(rule) = RULES.iter().find(|r| r.name == name) else {
        let error = CliError::new(format!("there is no rule `{name}`"));
        return Err(match nearest(name, RULES.iter().map(|r| r.name)) {
            Some(near) => error.hint(format!("did you mean `{near}`?")),
            None => error.hint("`ysomorph explain` lists them"),
        });
    };
    let docs = rule.docs;
    let parts = [
        ("What it finds", docs.detects.to_owned()),
        ("Why it matters", docs.matters.to_owned()),
        ("Example", format!("{}\nthen: {}", docs.before, docs.after)),
        ("What to do", docs.to_do.to_owned()),
    ];
    output.push(&format!("{}   ({})\n", heading(rule.name), rule.severity.word()));
    for (title, body) in parts {
        output.push(&format!("\n{}\n  {}\n", heading(title), body.replace('\n', "\n  ")));
    }
    Ok(0)
}
