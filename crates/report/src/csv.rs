//! The list a command is about, as comma-separated values.

use crate::Report;
use crate::lists::{List, lists};

/// The first list of a report as CSV (RFC 4180).
pub fn to_csv(report: &Report) -> String {
    lists(report).first().map(written).unwrap_or_default()
}

/// A list as CSV.
pub(crate) fn written(list: &List) -> String {
    let columns: Vec<String> = list.columns.iter().map(|column| (*column).to_owned()).collect();
    rows_to_csv(&columns, &list.rows)
}

/// Rows under headings as CSV; no cell is a formula.
pub fn rows_to_csv(columns: &[String], rows: &[Vec<String>]) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    // Nothing fails in memory.
    for row in std::iter::once(columns).chain(rows.iter().map(Vec::as_slice)) {
        let _ = writer.write_record(row.iter().map(|cell| harmless(cell)));
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// A cell that no spreadsheet takes for a formula: names from databases are data. A negative number is none.
fn harmless(cell: &str) -> String {
    let is_formula = cell.starts_with(['=', '+', '-', '@', '\t', '\r']) && cell.parse::<f64>().is_err();
    if is_formula { format!("'{cell}") } else { cell.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::written;
    use crate::lists::List;

    #[test]
    fn what_is_written_reads_back_and_is_no_formula() {
        let rows =
            [["a,b", "say \"hi\""], ["=1+1", "-2+3"], ["-2", "@x"], ["zwei\nZeilen", "ü"]].map(|row| row.map(str::to_owned).to_vec());
        let text = written(&List { name: "parts", columns: vec!["one", "two"], rows: rows.to_vec() });
        let read: Vec<Vec<String>> = csv::Reader::from_reader(text.as_bytes()).deserialize().map(Result::unwrap).collect();
        assert_eq!(read, [["a,b", "say \"hi\""], ["'=1+1", "'-2+3"], ["-2", "'@x"], ["zwei\nZeilen", "ü"]]);
    }
}
