//! All lists of a report as a workbook, a sheet each.

use crate::Report;
use crate::lists::{List, lists};
use rust_xlsxwriter::{Format, Workbook, XlsxError};

/// Most characters that a cell holds.
const MOST: usize = 32_767;

/// A report as an Office Open XML workbook.
///
/// # Errors
/// Where a list is longer than a sheet can be.
pub fn to_xlsx(report: &Report) -> Result<Vec<u8>, String> {
    workbook(&lists(report))
}

/// Lists as a workbook, a sheet each.
pub(crate) fn workbook(lists: &[List]) -> Result<Vec<u8>, String> {
    written(lists).map_err(|error| error.to_string())
}

fn written(lists: &[List]) -> Result<Vec<u8>, XlsxError> {
    let mut book = Workbook::new();
    let (bold, wrapped) = (Format::new().set_bold(), Format::new().set_text_wrap());
    // A workbook has at least one sheet.
    if lists.is_empty() {
        book.add_worksheet();
    }
    for list in lists {
        let sheet = book.add_worksheet().set_name(list.name)?;
        for (at, column) in (0u16..).zip(&list.columns) {
            sheet.write_string_with_format(0, at, *column, &bold)?;
            sheet.set_column_width(at, width(list, at))?;
        }
        for (at, row) in (1u32..).zip(&list.rows) {
            for (column, cell) in (0u16..).zip(row) {
                // Texts, never formulas, whatever a name looks like.
                let cell: String = cell.chars().take(MOST).collect();
                sheet.write_string_with_format(at, column, cell, &wrapped)?;
            }
        }
        sheet.set_freeze_panes(1, 0)?;
        if let (Ok(last_row), Ok(columns)) = (u32::try_from(list.rows.len()), u16::try_from(list.columns.len())) {
            sheet.autofilter(0, 0, last_row, columns.saturating_sub(1))?;
        }
    }
    book.save_to_buffer()
}

/// Rows under headings as a workbook of one sheet; the columns that hold numbers as numbers.
///
/// # Errors
/// Where there are more rows than a sheet can have.
pub fn rows_to_xlsx(columns: &[String], numbers: &[bool], rows: &[Vec<String>]) -> Result<Vec<u8>, String> {
    let written = || -> Result<Vec<u8>, XlsxError> {
        let mut book = Workbook::new();
        let bold = Format::new().set_bold();
        let sheet = book.add_worksheet();
        for (at, column) in (0u16..).zip(columns) {
            sheet.write_string_with_format(0, at, column, &bold)?;
        }
        for (at, row) in (1u32..).zip(rows) {
            for ((column, cell), is_number) in (0u16..).zip(row).zip(numbers) {
                match cell.parse::<f64>() {
                    // Fifteen digits are what a spreadsheet keeps.
                    Ok(number) if *is_number && cell.len() <= 15 && number.is_finite() => sheet.write_number(at, column, number)?,
                    _ => sheet.write_string(at, column, cell.chars().take(MOST).collect::<String>())?,
                };
            }
        }
        sheet.set_freeze_panes(1, 0)?;
        book.save_to_buffer()
    };
    written().map_err(|error| error.to_string())
}

/// As wide as what stands in a column, within reason.
fn width(list: &List, column: u16) -> f64 {
    let cells = list.rows.iter().filter_map(|row| row.get(usize::from(column)));
    let longest = cells.map(|cell| cell.chars().count()).max().unwrap_or(0).clamp(10, 60);
    f64::from(u32::try_from(longest).unwrap_or(60)) + 2.0
}
