//! Kinds of fields: one row each, with what drafting, searching and showing need to know. A new kind is a row here.

use crate::name;
use crate::schema::{Column, Kind};

/// A kind of field.
#[derive(Debug, Clone, Copy)]
pub struct FieldKind {
    /// Its name.
    pub name: &'static str,
    /// Whether people search its text.
    pub is_text: bool,
    /// Whether it is too long or too big for a row of a list or the top of a form.
    pub is_bulky: bool,
    /// Whether lists are filtered by it.
    pub is_filtered: bool,
    /// Whether a column is drafted so; the first kind that says so is taken.
    fits: fn(&Column, &Words) -> bool,
}

/// The words of a column's name.
struct Words(Vec<String>);

impl Words {
    fn any(&self, list: &[&str]) -> bool {
        self.0.iter().any(|w| list.contains(&w.as_str()))
    }

    /// Whether the name is called so: nothing stands behind the word but which one it is. The subject of an e-mail is none.
    fn means(&self, list: &[&str]) -> bool {
        let at = self.0.iter().rposition(|w| list.contains(&w.as_str()));
        let tells_which = |w: &String| WHICH.contains(&w.as_str()) || w.chars().all(|c| c.is_ascii_digit());
        at.is_some_and(|at| self.0.iter().skip(at + 1).all(tells_which))
    }

    fn ends(&self, list: &[&str]) -> bool {
        self.0.len() > 1 && self.0.last().is_some_and(|w| list.contains(&w.as_str()))
    }
}

const fn kind(name: &'static str, fits: fn(&Column, &Words) -> bool) -> FieldKind {
    FieldKind { name, is_text: false, is_bulky: false, is_filtered: false, fits }
}

const fn text(name: &'static str, fits: fn(&Column, &Words) -> bool) -> FieldKind {
    FieldKind { is_text: true, ..kind(name, fits) }
}

const fn bulky(name: &'static str, fits: fn(&Column, &Words) -> bool) -> FieldKind {
    FieldKind { is_bulky: true, ..kind(name, fits) }
}

const fn filtered(name: &'static str, fits: fn(&Column, &Words) -> bool) -> FieldKind {
    FieldKind { is_filtered: true, ..kind(name, fits) }
}

fn is(column: &Column, kinds: &[Kind]) -> bool {
    kinds.contains(&column.column_type.kind)
}

/// Text of any type, also where the engine doesn't say.
fn texts(column: &Column) -> bool {
    is(column, &[Kind::Text, Kind::Uuid, Kind::Any, Kind::Other, Kind::Enum])
}

/// Text without a length: an engine without date types keeps dates so.
fn open_text(column: &Column) -> bool {
    texts(column) && column.column_type.size.is_none()
}

fn roomy(column: &Column) -> bool {
    texts(column) && column.column_type.size.is_none_or(|size| size > 400)
}

fn never(_: &Column, _: &Words) -> bool {
    false
}

/// What stands behind a word to tell which one is meant, or how it is kept.
const WHICH: &[&str] = &[
    "address",
    "addr",
    "number",
    "no",
    "nr",
    "home",
    "work",
    "private",
    "business",
    "office",
    "main",
    "primary",
    "secondary",
    "other",
    "alt",
    "new",
    "old",
    "path",
    "file",
    "url",
    "data",
    "blob",
    "large",
    "small",
    "hash",
    "encrypted",
];
const PICTURES: &[&str] = &["photo", "picture", "portrait", "image", "logo", "thumbnail", "avatar"];
const LONG: &[&str] = &[
    "notes",
    "note",
    "description",
    "comment",
    "comments",
    "findings",
    "remark",
    "remarks",
    "text",
    "body",
    "summary",
    "biography",
    "terms",
];
const SUMS: &[&str] = &["kg", "g", "mg", "ml", "l", "km", "total", "sum", "amount", "average"];
const MONEY: &[&str] = &["price", "cost", "costs", "amount", "fee", "fees", "salary", "balance", "payment", "budget", "turnover", "wage"];

/// Every kind a field may have.
pub const KINDS: &[FieldKind] = &[
    filtered("boolean", |c, _| is(c, &[Kind::Boolean])),
    filtered("date", |c, w| is(c, &[Kind::Date]) || open_text(c) && w.ends(&["on", "date"])),
    kind("time", |c, _| is(c, &[Kind::Time])),
    filtered("date-time", |c, w| is(c, &[Kind::DateTime]) || open_text(c) && (w.ends(&["at", "when"]) || c.is_supplied_moment())),
    kind("duration", |c, _| is(c, &[Kind::Interval])),
    bulky("json", |c, _| is(c, &[Kind::Json])),
    kind("place", |c, _| is(c, &[Kind::Spatial])),
    kind("list", |c, _| is(c, &[Kind::Array, Kind::Set])),
    bulky("image", |c, w| (is(c, &[Kind::Binary]) || texts(c)) && w.means(PICTURES)),
    bulky("file", |c, _| is(c, &[Kind::Binary])),
    kind("percent", |c, w| is(c, &[Kind::Integer, Kind::Decimal, Kind::Float]) && w.any(&["pct", "percent", "percentage"])),
    kind("money", |c, w| is(c, &[Kind::Decimal]) && c.column_type.scale.is_some_and(|s| (2..=4).contains(&s)) && w.any(MONEY)),
    kind("number", |c, _| is(c, &[Kind::Integer])),
    // An engine may not say what a view calculates.
    kind("decimal", |c, w| is(c, &[Kind::Decimal, Kind::Float]) || is(c, &[Kind::Any]) && w.any(SUMS)),
    bulky("password", |c, w| texts(c) && w.means(&["password", "passwd"])),
    text("email", |c, w| texts(c) && w.means(&["email", "mail"])),
    text("phone", |c, w| texts(c) && w.means(&["phone", "mobile", "fax", "telephone"])),
    text("url", |c, w| texts(c) && w.means(&["url", "website", "homepage", "link"])),
    kind("colour", |c, w| texts(c) && w.any(&["colour", "color"]) && c.column_type.size.is_some_and(|s| s <= 9)),
    bulky("multiline", |c, w| roomy(c) && w.any(LONG)),
    text("text", |c, _| texts(c)),
    filtered("choice", never),
    filtered("lookup", never),
    kind("related", never),
    bulky("code", never),
];

/// Their names.
pub const NAMES: [&str; KINDS.len()] = {
    let mut names = [""; KINDS.len()];
    let mut at = 0;
    while at < KINDS.len() {
        names[at] = KINDS[at].name;
        at += 1;
    }
    names
};

impl FieldKind {
    /// The kind of this name; plain text where there is none.
    pub fn named(name: &str) -> &'static FieldKind {
        const TEXT: FieldKind = text("text", never);
        KINDS.iter().find(|k| k.name == name).unwrap_or(&TEXT)
    }

    /// The kind a column is drafted as, by its type, its name helping where the type says little.
    pub fn of(column: &Column) -> &'static FieldKind {
        let words = Words(name::words(&column.name));
        KINDS.iter().find(|k| (k.fits)(column, &words)).unwrap_or(FieldKind::named("text"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::ColumnType;

    #[test]
    fn a_column_is_drafted_by_type_and_name() {
        for (name, declared, wanted) in [
            ("opened_on", "TEXT", "date"),
            ("opened_on", "varchar(10)", "text"),
            ("photo", "BLOB", "image"),
            ("photo_path", "varchar(200)", "image"),
            ("photo_by", "varchar(200)", "text"),
            ("contract", "BLOB", "file"),
            ("fee", "decimal(8,2)", "money"),
            ("honey_kg", "decimal(8,2)", "decimal"),
            ("moisture_pct", "decimal(4,1)", "percent"),
            ("findings", "TEXT", "multiline"),
            ("findings", "varchar(40)", "text"),
            ("email", "varchar(120)", "email"),
        ] {
            let column = Column { name: name.into(), column_type: ColumnType::from_declaration(declared, false), ..Column::default() };
            assert_eq!(FieldKind::of(&column).name, wanted, "{name} {declared}");
        }
    }
}
