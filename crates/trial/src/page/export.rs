//! What a list finds, or what an export of the definition says, as a file for a spreadsheet.

use super::{Making, list};
use crate::form::is_bytes;
use crate::reader::{Record, Trouble};
use crate::value;
use ysomorph_core::definition::Field;
use ysomorph_core::statements::Narrowing;
use ysomorph_report::{rows_to_csv, rows_to_xlsx};

/// Most records of a file.
const MOST: u32 = 100_000;

/// A file to keep.
pub struct File {
    /// Its name.
    pub name: String,
    /// What it is.
    pub kind: &'static str,
    /// Its content.
    pub bytes: Vec<u8>,
}

/// The file that is asked for; nothing where the page doesn't offer it.
pub fn file(making: &Making<'_>) -> Option<Result<File, Trouble>> {
    let query = making.request.query;
    let format = query.get("as").filter(|format| ["csv", "xlsx"].contains(format))?;
    let (found, fields, name) = match query.get("export") {
        Some(name) => {
            let export = making.source.entity.exports.iter().find(|export| export.name == name)?;
            let seen = making.source.reading().visible(&export.fields).filter(|f| !f.sensitive && f.related.is_none());
            (making.source.export(export, MOST), seen.collect::<Vec<&Field>>(), export.name.clone())
        }
        None => {
            let narrowing = Narrowing { limit: MOST, offset: 0, ..list::narrowing(making) };
            let found = making.source.rows(&narrowing, &making.broken);
            // A picture is no text; what is linked is many.
            let fields = making.fields(&found.without).into_iter().filter(|f| f.related.is_none() && !is_bytes(f));
            let fields = fields.collect();
            (found, fields, making.source.entity.name.clone())
        }
    };
    if let (Some(trouble), true) = (found.trouble, found.without.is_empty()) {
        return Some(Err(trouble));
    }
    let columns: Vec<String> = fields.iter().map(|field| making.label(field)).collect();
    let row = |record: &Record| fields.iter().map(|field| text(field, record)).collect::<Vec<String>>();
    let rows: Vec<Vec<String>> = found.records.iter().map(row).collect();
    let plain: String = name.chars().map(|c| if c.is_ascii_alphanumeric() || "-_".contains(c) { c } else { '_' }).collect();
    let (kind, bytes) = match format {
        "csv" => ("text/csv; charset=utf-8", rows_to_csv(&columns, &rows).into_bytes()),
        _ => {
            let numbers: Vec<bool> = fields.iter().map(|field| value::is_number(field)).collect();
            match rows_to_xlsx(&columns, &numbers, &rows) {
                Ok(bytes) => ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", bytes),
                Err(error) => return Some(Err(Trouble::Refused(error))),
            }
        }
    };
    Some(Ok(File { name: format!("{plain}.{format}"), kind, bytes }))
}

/// A value as a spreadsheet reads it: numbers as they are, the rest as people read it.
fn text(field: &Field, record: &Record) -> String {
    match record.text(&field.name) {
        None => String::new(),
        Some(text) if value::is_number(field) => text.to_owned(),
        Some(text) => value::plain(field, text),
    }
}
