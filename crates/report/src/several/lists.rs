//! Many databases as lists: who may be updated, and what keeps the others from it.

use super::{Several, Shared};
use crate::csv::written;
use crate::lists::{FINDING, List, of_finding};
use crate::xlsx;
use ysomorph_core::name::shown;

/// The databases as CSV.
pub fn to_csv(several: &Several) -> String {
    written(&databases(several))
}

/// The databases and the findings as an Office Open XML workbook.
///
/// # Errors
/// Where there are more findings than a sheet has lines.
pub fn to_xlsx(several: &Several) -> Result<Vec<u8>, String> {
    xlsx::workbook(&[databases(several), findings(several)])
}

fn databases(several: &Several) -> List {
    let row = |one: &super::OneOfMany| {
        let count = |count: usize| if one.trouble.is_some() { String::new() } else { count.to_string() };
        vec![
            shown(&one.name),
            one.state().to_owned(),
            count(one.changes),
            count(one.totals.breaks),
            count(one.totals.risk),
            count(one.totals.note),
            shown(one.trouble.as_deref().unwrap_or_default()),
            shown(&one.source),
        ]
    };
    List {
        name: "databases",
        columns: vec!["database", "the definition", "changes", "breaks", "risks", "notes", "trouble", "source"],
        rows: several.databases.iter().map(row).collect(),
    }
}

fn findings(several: &Several) -> List {
    let row = |shared: &Shared| {
        let mut row = of_finding(&shared.finding, shared.because.as_deref().map(shown).unwrap_or_default());
        row.push(shared.databases.iter().map(|name| shown(name)).collect::<Vec<_>>().join(", "));
        row
    };
    List { name: "findings", columns: [FINDING, &["databases"]].concat(), rows: several.findings.iter().map(row).collect() }
}
