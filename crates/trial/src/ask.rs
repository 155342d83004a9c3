//! What an address asks for.

use crate::site::Which;
use std::collections::BTreeMap;
use ysomorph_core::statements::{Filter, Narrowing};

/// The names and values behind the question mark, in their order.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Query(Vec<(String, String)>);

impl Query {
    /// Reads what stands behind the question mark.
    pub fn read(text: &str) -> Query {
        Query(form_urlencoded::parse(text.as_bytes()).map(|(name, value)| (name.into_owned(), value.into_owned())).collect())
    }

    /// These names and values.
    pub fn of(pairs: Vec<(String, String)>) -> Query {
        Query(pairs)
    }

    /// The first value of a name; an empty one is none.
    pub fn get(&self, name: &str) -> Option<&str> {
        self.0.iter().find(|(own, value)| own == name && !value.is_empty()).map(|(_, value)| value.as_str())
    }

    /// The first value of a name, be it empty.
    pub fn first(&self, name: &str) -> Option<&str> {
        self.0.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
    }

    /// All values of a name that aren't empty.
    pub fn values<'q>(&'q self, name: &'q str) -> impl Iterator<Item = &'q str> {
        self.all(name).filter(|value| !value.is_empty())
    }

    /// All values of a name.
    pub fn all<'q>(&'q self, name: &'q str) -> impl Iterator<Item = &'q str> {
        self.0.iter().filter(move |(own, _)| own == name).map(|(_, value)| value.as_str())
    }

    /// With another value in the place of those of a name; without any where there is none.
    #[must_use]
    pub fn with(&self, name: &str, value: Option<&str>) -> Query {
        let mut all: Vec<(String, String)> = self.0.iter().filter(|(own, _)| own != name).cloned().collect();
        all.extend(value.map(|value| (name.to_owned(), value.to_owned())));
        Query(all)
    }

    /// With one more.
    pub fn and(mut self, name: String, value: String) -> Query {
        self.0.push((name, value));
        self
    }

    /// With the boxes that were ticked of each field that may have several choices as its value.
    pub fn with_members(mut self) -> Query {
        let (members, mut rest): (Vec<_>, Vec<_>) = self.0.drain(..).partition(|(name, _)| name.starts_with("member."));
        for (name, value) in &mut rest {
            let ticked = name.strip_prefix("field.").map(|field| format!("member.{field}"));
            let Some(ticked) = ticked.filter(|_| value.is_empty()) else { continue };
            let own: Vec<&str> = members.iter().filter(|(name, _)| *name == ticked).map(|(_, member)| member.as_str()).collect();
            *value = own.join(",");
        }
        Query(rest)
    }

    /// As it stands in an address, with the question mark; nothing where it is empty.
    pub fn written(&self) -> String {
        let kept: Vec<&(String, String)> = self.0.iter().filter(|(_, value)| !value.is_empty()).collect();
        if kept.is_empty() {
            return String::new();
        }
        let mut out = form_urlencoded::Serializer::for_suffix(String::from("?"), 1);
        kept.into_iter().for_each(|(name, value)| {
            out.append_pair(name, value);
        });
        out.finish()
    }

    /// What is asked of a list, whose fields are filtered in these ways.
    pub fn narrowing(&self, filters: &[(String, Way)], page_size: u32) -> Narrowing {
        let mut narrowing = Narrowing {
            search: self.get("search").map(str::to_owned),
            sort: self.get("sort").map(|sort| (sort.trim_start_matches('-').to_owned(), sort.starts_with('-'))),
            limit: page_size,
            offset: self.page().saturating_sub(1).saturating_mul(page_size),
            ..Narrowing::default()
        };
        for (field, way) in filters {
            let name = format!("filter.{field}");
            let mut put = |filter: Filter| narrowing.filters.push((field.clone(), filter));
            match way {
                Way::Is if self.get(&name) == Some(EMPTY) => put(Filter::Empty),
                Way::Is => {
                    if let Some(value) = self.get(&name) {
                        put(Filter::Is(values(value)));
                    }
                }
                Way::Between { is_moment } => {
                    if let Some(from) = self.get(&format!("{name}.from")) {
                        put(Filter::From(from.to_owned()));
                    }
                    if let Some(to) = self.get(&format!("{name}.to")) {
                        // A day is meant with all its hours.
                        let end = if *is_moment && to.len() == 10 { " 23:59:59.999" } else { "" };
                        put(Filter::To(format!("{to}{end}")));
                    }
                }
                Way::Has => {
                    if let Some(text) = self.get(&name) {
                        put(Filter::Has(text.to_owned()));
                    }
                }
            }
        }
        narrowing
    }

    /// The page of a list, from 1.
    pub fn page(&self) -> u32 {
        self.get("page").and_then(|page| page.parse().ok()).filter(|page| *page > 0).unwrap_or(1)
    }

    /// The key of the record that is asked for, as the parameters of its statement.
    pub fn key(&self) -> BTreeMap<String, String> {
        self.all("key").enumerate().map(|(at, value)| (format!("key_{}", at + 1), value.to_owned())).collect()
    }

    /// The group that is asked for: a value, or none, for each column.
    pub fn group(&self) -> Option<Vec<Option<String>>> {
        let group: Vec<Option<String>> = self.all("group").map(|value| value.strip_prefix('=').map(str::to_owned)).collect();
        (!group.is_empty()).then_some(group)
    }
}

/// How a field is filtered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// By a value that is chosen.
    Is,
    /// By a least and a greatest value.
    Between {
        /// Whether it has a time of day.
        is_moment: bool,
    },
    /// By a part of its text.
    Has,
}

impl Way {
    /// How a field of this kind is filtered.
    pub fn of(kind: &str, has_choices: bool) -> Way {
        match kind {
            "boolean" | "choice" | "lookup" => Way::Is,
            // Of several choices one is looked for.
            "list" => Way::Has,
            _ if has_choices => Way::Is,
            "date" | "time" | "number" | "decimal" | "money" | "percent" => Way::Between { is_moment: false },
            "date-time" => Way::Between { is_moment: true },
            _ => Way::Has,
        }
    }
}

/// Stands for no value where one is chosen.
pub const EMPTY: &str = "=";

/// Between the values of a key that is chosen as one.
const BETWEEN: char = '\u{1f}';

/// A key as one text.
pub fn as_one(values: &[String]) -> String {
    values.join(&BETWEEN.to_string())
}

/// A key that was one text.
pub fn values(text: &str) -> Vec<String> {
    text.split(BETWEEN).map(str::to_owned).collect()
}

/// The address of a page; of a record's, with its key.
pub fn address(which: Shown, entity: &str, page: &str, key: &[String]) -> String {
    let encoded = |part: &str| form_urlencoded::byte_serialize(part.as_bytes()).collect::<String>().replace('+', "%20");
    let mut out = format!("/{}/{}/{}", which.word(), encoded(entity), encoded(page));
    for (at, value) in key.iter().enumerate() {
        out.push(if at == 0 { '?' } else { '&' });
        out.push_str("key=");
        out.extend(form_urlencoded::byte_serialize(value.as_bytes()));
    }
    out
}

/// What of the two is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shown {
    /// One of them.
    One(Which),
    /// Both, beside each other.
    Both,
}

impl Shown {
    /// The one of this name.
    pub fn named(name: &str) -> Option<Shown> {
        [Shown::One(Which::Now), Shown::One(Which::After), Shown::Both].into_iter().find(|shown| shown.word() == name)
    }

    /// Its name in an address.
    pub fn word(self) -> &'static str {
        match self {
            Shown::One(which) => which.word(),
            Shown::Both => "both",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_narrows_a_list_by_the_ways_its_fields_have() {
        let filters = [("yard".to_owned(), Way::Is), ("built".to_owned(), Way::Between { is_moment: true }), ("tag".to_owned(), Way::Has)];
        let query = Query::read("search=a+b&filter.yard=3&filter.built.to=2024-05-01&filter.tag=x%25&filter.secret=1&sort=-tag&page=3");
        let narrowing = query.narrowing(&filters, 25);
        assert_eq!(
            narrowing.filters,
            [
                ("yard".to_owned(), Filter::Is(vec!["3".to_owned()])),
                ("built".to_owned(), Filter::To("2024-05-01 23:59:59.999".to_owned())),
                ("tag".to_owned(), Filter::Has("x%".to_owned())),
            ]
        );
        assert_eq!((narrowing.search.as_deref(), narrowing.offset), (Some("a b"), 50));
        assert_eq!(narrowing.sort, Some(("tag".to_owned(), true)));
        assert_eq!(Query::read("filter.yard==").narrowing(&filters, 25).filters, [("yard".to_owned(), Filter::Empty)]);
    }

    #[test]
    fn a_page_below_the_first_is_the_first_and_none_is_too_far() {
        for (text, page) in [("page=0", 1), ("page=-4", 1), ("page=x", 1), ("", 1), ("page=4294967295", u32::MAX)] {
            let query = Query::read(text);
            assert_eq!(query.page(), page, "{text}");
            let _ = query.narrowing(&[], u32::MAX);
        }
    }

    #[test]
    fn what_stands_in_an_address_is_read_as_it_was() {
        let key = vec!["a&b=c/ü".to_owned(), "'; --".to_owned()];
        let address = address(Shown::Both, "my hive", "by/yard", &key);
        assert_eq!(address.split('?').next(), Some("/both/my%20hive/by%2Fyard"));
        let query = Query::read(address.split_once('?').unwrap().1);
        assert_eq!(query.key().into_values().collect::<Vec<_>>(), key);
        assert_eq!(values(&as_one(&key)), key);
        let again = Query::read(query.with("page", Some("2")).with("page", None).written().trim_start_matches('?'));
        assert_eq!(again, query);
    }
}
