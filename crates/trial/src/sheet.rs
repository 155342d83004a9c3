//! Files of rows, as spreadsheets write them: CSV whatever its delimiter and encoding, and workbooks.

use calamine::{Data, Reader, Xlsx};
use std::io::Cursor;

/// Most rows of a file.
pub const MOST_ROWS: usize = 50_000;

/// A sheet: its name, and its rows as texts.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sheet {
    /// Its name.
    pub name: String,
    /// Row by row.
    pub rows: Vec<Vec<String>>,
}

/// The sheets of a file.
///
/// # Errors
/// Why it can't be read, in words.
pub fn read(bytes: &[u8]) -> Result<Vec<Sheet>, String> {
    let sheets = if bytes.starts_with(b"PK\x03\x04") { workbook(bytes)? } else { vec![separated(bytes)?] };
    match sheets.iter().find(|sheet| sheet.rows.len() > MOST_ROWS) {
        Some(sheet) => Err(format!("{} has more than {MOST_ROWS} rows", if sheet.name.is_empty() { "the file" } else { &sheet.name })),
        None if sheets.iter().all(|sheet| sheet.rows.is_empty()) => Err("there is nothing in it".to_owned()),
        None => Ok(sheets),
    }
}

fn workbook(bytes: &[u8]) -> Result<Vec<Sheet>, String> {
    let mut book: Xlsx<_> = Xlsx::new(Cursor::new(bytes)).map_err(|e| format!("it is no workbook that can be read: {e}"))?;
    let mut sheets = Vec::new();
    for name in book.sheet_names() {
        let range = book.worksheet_range(&name).map_err(|e| format!("the sheet {name} can't be read: {e}"))?;
        let rows = range.rows().take(MOST_ROWS + 1).map(|row| row.iter().map(text).collect()).collect();
        sheets.push(Sheet { name, rows });
    }
    Ok(sheets)
}

fn text(cell: &Data) -> String {
    match cell {
        Data::DateTime(moment) if moment.is_datetime() => {
            let (year, month, day, hour, minute, second, _) = moment.to_ymd_hms_milli();
            let time = format!(" {hour:02}:{minute:02}:{second:02}");
            format!("{year:04}-{month:02}-{day:02}{}", if time == " 00:00:00" { "" } else { &time })
        }
        Data::Bool(truth) => if *truth { "1" } else { "0" }.to_owned(),
        Data::Empty => String::new(),
        other => other.to_string().trim().to_owned(),
    }
}

fn separated(bytes: &[u8]) -> Result<Sheet, String> {
    let text = decoded(bytes);
    if text.contains('\0') {
        return Err("it is neither CSV nor a workbook (XLSX)".to_owned());
    }
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(delimiter(&text)).from_reader(text.as_bytes());
    let mut rows = Vec::new();
    for record in reader.records().take(MOST_ROWS + 1) {
        let record = record.map_err(|e| format!("it can't be read as CSV: {e}"))?;
        rows.push(record.iter().map(|cell| cell.trim().to_owned()).collect());
    }
    Ok(Sheet { name: String::new(), rows })
}

/// A text of whatever encoding: by its mark, else UTF-8 where it is that, else what spreadsheets of the West write.
fn decoded(bytes: &[u8]) -> String {
    if let Some((encoding, _)) = encoding_rs::Encoding::for_bom(bytes) {
        return encoding.decode(bytes).0.into_owned();
    }
    match std::str::from_utf8(bytes) {
        Ok(text) => text.to_owned(),
        Err(_) => encoding_rs::WINDOWS_1252.decode(bytes).0.into_owned(),
    }
}

/// What stands between cells: of those that are used, what the first lines have most of, and all of them alike.
fn delimiter(text: &str) -> u8 {
    let lines: Vec<&str> = text.lines().filter(|line| !line.is_empty()).take(20).collect();
    let count = |line: &str, sought: char| {
        let mut inside = false;
        line.chars()
            .filter(|c| {
                inside ^= *c == '"';
                *c == sought && !inside
            })
            .count()
    };
    let fits = |sought: char| {
        let counts: Vec<usize> = lines.iter().map(|line| count(line, sought)).collect();
        let first = counts.first().copied().unwrap_or(0);
        (counts.iter().filter(|count| **count == first && first > 0).count(), first)
    };
    let best = [',', ';', '\t', '|'].into_iter().max_by_key(|sought| fits(*sought)).filter(|sought| fits(*sought).1 > 0);
    best.and_then(|c| u8::try_from(c).ok()).unwrap_or(b',')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_read_whatever_wrote_it() {
        let wanted = vec![vec!["Name".to_owned(), "Ort".to_owned()], vec!["Grün, Ada".to_owned(), "Köln; Süd".to_owned()]];
        let comma = "Name,Ort\r\n\"Grün, Ada\",Köln; Süd\r\n";
        let semicolon = "Name;Ort\n\"Grün, Ada\";\"Köln; Süd\"\n";
        let utf16: Vec<u8> = std::iter::once(0xfeff_u16).chain(comma.encode_utf16()).flat_map(u16::to_le_bytes).collect();
        let western: Vec<u8> = semicolon.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect();
        for bytes in [
            comma.as_bytes(),
            semicolon.as_bytes(),
            semicolon.replace(';', "\t").replace("Köln\t", "Köln;").as_bytes(),
            &utf16,
            &western,
            &[b"\xef\xbb\xbf", comma.as_bytes()].concat(),
        ] {
            assert_eq!(read(bytes).unwrap()[0].rows, wanted, "{:?}", String::from_utf8_lossy(bytes));
        }
        assert_eq!(read(b"one\ntwo\n").unwrap()[0].rows.len(), 2);
        for bytes in [&b""[..], b"\0\x01\x02", b"PK\x03\x04 no workbook"] {
            assert!(read(bytes).is_err(), "{bytes:?}");
        }
    }
}
