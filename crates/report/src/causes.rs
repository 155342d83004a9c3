//! Parts of the definition by what takes them along: a cause is told once, with what hangs on it counted.

use crate::PartReport;
use crate::wording::plural;
use std::collections::{BTreeMap, BTreeSet};

/// What one cause takes along or brings back.
pub(crate) struct Cause<'r> {
    pub because: &'r str,
    pub parts: Vec<&'r PartReport>,
}

impl Cause<'_> {
    /// `1 field, 1 label, 9 places on 5 pages`
    pub fn counted(&self) -> String {
        let mut kinds: BTreeMap<Kind, usize> = BTreeMap::new();
        let mut pages: BTreeSet<(&str, &str)> = BTreeSet::new();
        for part in &self.parts {
            let (kind, page) = kind_of(&part.path);
            *kinds.entry(kind).or_default() += 1;
            pages.extend(page);
        }
        let phrase = |(kind, count): (&Kind, &usize)| match kind {
            Kind::Place => format!("{} on {}", plural(*count, "place", "places"), plural(pages.len(), "page", "pages")),
            kind => {
                let (one, many) = kind.words();
                plural(*count, one, many)
            }
        };
        kinds.iter().map(phrase).collect::<Vec<_>>().join(", ")
    }
}

/// What a part is, in the order in which they are told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Kind {
    Entity,
    Field,
    Label,
    Title,
    Page,
    Place,
    Access,
    Menu,
    Check,
    Exchange,
    Other,
}

impl Kind {
    fn words(self) -> (&'static str, &'static str) {
        match self {
            Kind::Entity => ("entity", "entities"),
            Kind::Field => ("field", "fields"),
            Kind::Label => ("label", "labels"),
            Kind::Title => ("title", "titles"),
            Kind::Page => ("page", "pages"),
            Kind::Place => ("place", "places"),
            Kind::Access => ("place in access rules", "places in access rules"),
            Kind::Menu => ("place in the menu", "places in the menu"),
            Kind::Check => ("check", "checks"),
            Kind::Exchange => ("place in imports and exports", "places in imports and exports"),
            Kind::Other => ("other part", "other parts"),
        }
    }
}

/// What stands at a path, and on which page.
fn kind_of(path: &str) -> (Kind, Option<(&str, &str)>) {
    let mut steps = path.split('/');
    let entity = steps.next().unwrap_or_default();
    let rest: Vec<&str> = steps.collect();
    let kind = match rest.as_slice() {
        [] => Kind::Entity,
        ["title"] => Kind::Title,
        [.., "label"] | ["label", ..] => Kind::Label,
        ["field", _] => Kind::Field,
        ["page", page] => return (Kind::Page, Some((entity, page))),
        ["page", page, ..] => return (Kind::Place, Some((entity, page))),
        ["access", ..] => Kind::Access,
        ["menu", ..] => Kind::Menu,
        ["check", ..] => Kind::Check,
        ["import" | "export", ..] => Kind::Exchange,
        _ => Kind::Other,
    };
    (kind, None)
}

/// Parts by their causes, in the order of each cause's first part.
pub(crate) fn causes(parts: &[PartReport]) -> Vec<Cause<'_>> {
    let mut places: BTreeMap<&str, usize> = BTreeMap::new();
    let mut causes: Vec<Cause<'_>> = Vec::new();
    for part in parts {
        let at = *places.entry(&part.because).or_insert(causes.len());
        match causes.get_mut(at) {
            Some(cause) => cause.parts.push(part),
            None => causes.push(Cause { because: &part.because, parts: vec![part] }),
        }
    }
    causes
}

#[cfg(test)]
mod tests {
    use super::causes;
    use crate::PartReport;

    #[test]
    fn one_cause_is_one_line() {
        let part = |path: &str, because: &str| PartReport { path: path.to_owned(), value: None, because: because.to_owned() };
        let parts = [
            part("colony/field/queen_mark", "queen_mark is gone"),
            part("colony/page/list/fields/queen_mark", "queen_mark is gone"),
            part("colony/page/list/search/queen_mark", "queen_mark is gone"),
            part("hive/page/detail/children/colony by hive/fields/queen_mark", "queen_mark is gone"),
            part("remedy", "remedy is gone"),
            part("colony/field/queen_mark/label", "queen_mark is gone"),
        ];
        let told: Vec<(String, String)> = causes(&parts).iter().map(|c| (c.because.to_owned(), c.counted())).collect();
        assert_eq!(told[0], ("queen_mark is gone".to_owned(), "1 field, 1 label, 3 places on 2 pages".to_owned()));
        assert_eq!(told[1], ("remedy is gone".to_owned(), "1 entity".to_owned()));
    }
}
