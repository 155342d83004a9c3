//! Templates such as `{name} ({region.name})`: how a record is called, how a lookup is shown.

use std::ops::Range;

/// One piece of a template.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// Text as it stands.
    Text(String),
    /// `{field}` or `{lookup.field}`.
    Field {
        /// The field of this entity.
        field: String,
        /// Where the field's name stands, in bytes.
        at: Range<usize>,
        /// The field of the entity the lookup points at, and where its name stands.
        of: Option<(String, Range<usize>)>,
    },
}

/// A field a template names, where, and the field of the lookup's target that follows.
pub type Named<'a> = (&'a str, Range<usize>, Option<&'a (String, Range<usize>)>);

/// A template taken apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Template {
    /// Its pieces in order.
    pub parts: Vec<Part>,
}

impl Template {
    /// The fields it names directly.
    pub fn fields(&self) -> impl Iterator<Item = Named<'_>> {
        self.parts.iter().filter_map(|part| match part {
            Part::Field { field, at, of } => Some((field.as_str(), at.clone(), of.as_ref())),
            Part::Text(_) => None,
        })
    }
}

/// Takes a template apart. `{{` and `}}` stand for braces; a brace without partner is text.
pub fn parse(text: &str) -> Template {
    let mut parts = Vec::new();
    let mut plain = String::new();
    let mut rest = 0;
    while let Some(next) = text[rest..].find(['{', '}']) {
        let at = rest + next;
        plain.push_str(&text[rest..at]);
        let tail = &text[at..];
        if tail.starts_with("{{") || tail.starts_with("}}") {
            plain.push_str(&tail[..1]);
            rest = at + 2;
            continue;
        }
        let close = if tail.starts_with('{') { tail.find('}') } else { None };
        let Some(close) = close else {
            plain.push_str(&tail[..1]);
            rest = at + 1;
            continue;
        };
        if !plain.is_empty() {
            parts.push(Part::Text(std::mem::take(&mut plain)));
        }
        parts.push(field_part(&tail[1..close], at + 1));
        rest = at + close + 1;
    }
    plain.push_str(&text[rest..]);
    if !plain.is_empty() {
        parts.push(Part::Text(plain));
    }
    Template { parts }
}

fn field_part(inner: &str, start: usize) -> Part {
    let trimmed = |piece: &str, offset: usize| {
        let lead = piece.len() - piece.trim_start().len();
        let name = piece.trim();
        (name.to_owned(), start + offset + lead..start + offset + lead + name.len())
    };
    match inner.split_once('.') {
        Some((lookup, field)) => {
            let (name, at) = trimmed(lookup, 0);
            Part::Field { field: name, at, of: Some(trimmed(field, lookup.len() + 1)) }
        }
        None => {
            let (field, at) = trimmed(inner, 0);
            Part::Field { field, at, of: None }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fields_are_found_at_their_places() {
        let text = "{{x}} {name} ({ region.name }) {";
        let template = parse(text);
        let found: Vec<(&str, Option<&str>)> = template
            .fields()
            .map(|(f, at, of)| {
                assert_eq!(&text[at], f);
                (
                    f,
                    of.map(|(n, at)| {
                        assert_eq!(&text[at.clone()], n);
                        n.as_str()
                    }),
                )
            })
            .collect();
        assert_eq!(found, [("name", None), ("region", Some("name"))]);
        assert_eq!(template.parts.first(), Some(&Part::Text("{x} ".into())));
        assert_eq!(template.parts.last(), Some(&Part::Text(") {".into())));
    }
}
