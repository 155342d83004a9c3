//! What the drafted pages of an entity are made from: which fields are listed, searched, filtered, sorted, laid out.

use super::context::Context;
use super::fields::FieldDraft;
use super::labels;
use crate::definition::{Node, PageKind, Value};
use crate::sql;
use std::sync::Arc;

/// An entity whose pages are drafted.
pub(super) struct PageDraft<'a> {
    pub(super) context: &'a Context<'a>,
    pub(super) entity: &'a str,
    pub(super) fields: &'a [Arc<FieldDraft>],
    pub(super) title: &'a str,
    pub(super) one: &'a str,
    pub(super) many: &'a str,
    pub(super) key: &'a [String],
    /// Whether nothing can be saved.
    pub(super) read_only: bool,
}

impl<'a> Context<'a> {
    /// An entity as its lists elsewhere see it.
    pub(super) fn page_draft(&'a self, entity: &str) -> Option<PageDraft<'a>> {
        let drafted = self.by_entity(entity)?;
        let (title, key) = (&drafted.title.template, &drafted.key);
        let read_only = drafted.table.is_keyless();
        Some(PageDraft { context: self, entity: &drafted.entity, fields: &drafted.fields, title, one: "", many: "", key, read_only })
    }
}

/// Fields of a child list.
const CHILD_FIELDS: usize = 5;

impl<'a> PageDraft<'a> {
    /// The page of a kind as the generator writes it; nothing where it makes no sense.
    pub(super) fn page(&self, kind: PageKind) -> Option<Node> {
        match kind {
            PageKind::List => {
                let node = Node::table().with("fields", self.names(&self.listed()));
                let node = node.with_some("search", self.some(&self.searched())).with_some("filter", self.some(&self.filtered()));
                Some(node.with_some("sort", self.sort()))
            }
            PageKind::Detail => Some(self.sections(&|_| true).with_some("children", self.children())),
            PageKind::Add => (!self.read_only).then(|| self.sections(&|field| !field.kept && !field.supplied)),
            // Nothing can be changed in a record that is nothing but its key.
            PageKind::Edit => (!self.read_only).then(|| self.sections(&|field| !field.kept || !field.surrogate)),
            PageKind::Bulk => {
                let fields = self.changed_together();
                let node = || Node::table().with("fields", self.names(&fields)).with_some("filter", self.some(&self.filtered()));
                (!self.read_only && !fields.is_empty()).then(|| node().with_some("sort", self.sort()))
            }
            PageKind::Grouped => {
                let by = self.grouped_by()?;
                let label = self.group_label(by);
                let node = Node::table().with("label", label.as_str().into()).with("group", Node::texts(&[by]));
                Some(node.with("fields", self.names(&self.summed_up(by))).with_some("sort", self.sort()))
            }
        }
    }

    fn all(&self) -> impl Iterator<Item = &'a FieldDraft> {
        self.fields.iter().map(|field| &**field)
    }

    /// What may be shown: nothing hidden, no number that only the database knows, unless there is nothing else.
    pub(super) fn shown(&self) -> Vec<&'a FieldDraft> {
        let shown: Vec<&FieldDraft> = self.all().filter(|f| !f.hidden && !f.surrogate && !self.is_bare_id(f)).collect();
        if shown.is_empty() { self.all().filter(|f| !f.hidden).collect() } else { shown }
    }

    /// A view's `apiary_id` says nothing beside its `apiary`.
    fn is_bare_id(&self, field: &FieldDraft) -> bool {
        let stem = |column: &String| column.strip_suffix("_id").map(str::to_owned);
        let Some(stem) = field.columns.first().and_then(stem).filter(|_| self.read_only && field.target.is_none()) else { return false };
        self.fields.iter().any(|other| !other.hidden && other.columns.first().is_some_and(|c| crate::name::same(c, &stem)))
    }

    /// Names of fields as an array.
    pub(super) fn names(&self, fields: &[&FieldDraft]) -> Node {
        Node::texts(&fields.iter().map(|f| f.name.as_str()).collect::<Vec<_>>())
    }

    /// The same, where there are any.
    pub(super) fn some(&self, fields: &[&FieldDraft]) -> Option<Node> {
        (!fields.is_empty()).then(|| self.names(fields))
    }

    /// The fields that the title names, in its order.
    pub(super) fn titled(&self) -> Vec<&'a FieldDraft> {
        let template = sql::parse_template(self.title);
        template.fields().filter_map(|(name, ..)| self.all().find(|f| f.name == name)).collect()
    }

    /// What records are known by first, then short fields in their order; addresses and what the database keeps only
    /// while there is room.
    pub(super) fn listed(&self) -> Vec<&'a FieldDraft> {
        let shown = self.shown();
        let fits = |f: &&FieldDraft| !f.is_bulky() && !f.is_related() && !f.secret;
        let mut listed: Vec<&FieldDraft> =
            self.titled().into_iter().filter(|f| fits(f) && shown.iter().any(|s| s.name == f.name)).collect();
        let later = |f: &FieldDraft| f.is_address && !["place", "city", "town"].contains(&f.name.as_str());
        for rank in [false, true] {
            for field in shown.iter().copied().filter(|f| fits(f) && !f.kept && later(f) == rank) {
                if !listed.iter().any(|l| l.name == field.name) {
                    listed.push(field);
                }
            }
        }
        if listed.is_empty() {
            listed = shown;
        }
        let most = self.context.names.conventions.list_fields.max(1);
        // An address cut in the middle is worse than none.
        let first_later = listed.iter().position(|f| later(f)).unwrap_or(listed.len());
        listed.truncate(if listed.len() > most { most.min(first_later.max(1)) } else { most });
        listed
    }

    /// What people look for: names, codes, e-mail and phone, what is unique or has an index.
    pub(super) fn searched(&self) -> Vec<&'a FieldDraft> {
        let titled: Vec<&str> = self.titled().iter().map(|f| f.name.as_str()).collect();
        let patterns = &self.context.names.conventions.searches;
        let known = |f: &FieldDraft| patterns.fit(&f.spoken);
        let shown = self.shown();
        let texts: Vec<&FieldDraft> = shown.iter().copied().filter(|f| f.is_text() && !f.secret).collect();
        let wanted = |f: &&FieldDraft| {
            f.unique || f.indexed || known(f) || titled.contains(&f.name.as_str()) || ["email", "phone"].contains(&f.kind.name)
        };
        let mut searched: Vec<&FieldDraft> = texts.iter().copied().filter(wanted).collect();
        if searched.is_empty() {
            searched = texts;
        }
        // What a record is called by may be another record's name.
        searched.extend(self.titled().into_iter().filter(|f| f.kind.name == "lookup" && !f.hidden && !f.secret));
        searched
    }

    /// Lookups, choices, dates and booleans.
    pub(super) fn filtered(&self) -> Vec<&'a FieldDraft> {
        self.shown().into_iter().filter(|f| f.kind.is_filtered && !f.kept && !f.secret).collect()
    }

    /// Sorted by what records are called; by the newest date where only a date tells.
    pub(super) fn sort(&self) -> Option<Node> {
        let shown = self.shown();
        let mut by: Vec<String> = Vec::new();
        let template = sql::parse_template(self.title);
        for (name, _, of) in template.fields() {
            if of.is_some() {
                continue;
            }
            let Some(field) = shown.iter().find(|f| f.name == name && !f.is_bulky()) else { continue };
            match field.kind.name {
                // Events: the newest first, whatever they belong to.
                "date" | "date-time" => by.insert(0, format!("-{name}")),
                _ => by.push(name.to_owned()),
            }
        }
        (!by.is_empty()).then(|| Node::texts(&by))
    }

    /// A list for every lookup of another entity that points here.
    pub(super) fn children(&self) -> Option<Node> {
        let mut rows = Vec::new();
        for (entity, by) in self.context.pointing_at(self.entity) {
            let Some(child) = self.context.page_draft(entity) else { continue };
            let listed: Vec<&FieldDraft> = child.listed().into_iter().filter(|f| f.name != by).take(CHILD_FIELDS).collect();
            if listed.is_empty() {
                continue;
            }
            let sort: Option<Node> = child.sort().map(|sort| {
                let by_other: Vec<String> = sort.strings().into_iter().filter(|s| s.trim_start_matches('-') != by).collect();
                Node::texts(&by_other)
            });
            rows.push(
                Node::table()
                    .with("entity", entity.into())
                    .with("by", by.into())
                    .with("fields", child.names(&listed))
                    .with_some("sort", sort.filter(|s| !s.items().is_empty())),
            );
        }
        (!rows.is_empty()).then(|| Node::new(Value::List(rows)))
    }

    /// What people change in many records at once: lookups, choices and booleans that aren't what a record is known by.
    pub(super) fn changed_together(&self) -> Vec<&'a FieldDraft> {
        let titled: Vec<&str> = self.titled().iter().map(|f| f.name.as_str()).collect();
        let in_key = |f: &FieldDraft| f.columns.iter().any(|c| crate::name::contains(self.key, c));
        let alike = |f: &&FieldDraft| {
            ["lookup", "choice", "boolean"].contains(&f.kind.name)
                && !f.kept
                && !f.unique
                && !in_key(f)
                && !titled.contains(&f.name.as_str())
        };
        self.shown().into_iter().filter(alike).collect()
    }

    /// The field that records are grouped by where there is something to add up: their first lookup; in a view, its
    /// first text.
    pub(super) fn grouped_by(&self) -> Option<&'a str> {
        let shown = self.shown();
        if !shown.iter().any(|f| f.is_measure) {
            return None;
        }
        let lookup = shown.iter().find(|f| f.kind.name == "lookup");
        let choice = || shown.iter().find(|f| f.kind.name == "choice");
        let text = || shown.iter().find(|f| self.read_only && f.is_text() && !f.unique);
        lookup.or_else(choice).or_else(text).map(|f| f.name.as_str())
    }

    /// What a grouped page shows: what is listed beside the group, and everything that is added up.
    pub(super) fn summed_up(&self, by: &str) -> Vec<&'a FieldDraft> {
        let mut fields: Vec<&FieldDraft> = self.listed().into_iter().filter(|f| f.name != by).collect();
        for measure in self.shown().into_iter().filter(|f| f.is_measure) {
            if !fields.iter().any(|f| f.name == measure.name) {
                fields.push(measure);
            }
        }
        fields
    }

    /// What a grouped page is called.
    pub(super) fn group_label(&self, by: &str) -> String {
        let label = self.fields.iter().find(|f| f.name == by).map_or(by, |f| &f.label);
        let by = format!(" by {}", labels::lowered(label));
        if self.many.ends_with(&by) { self.many.to_owned() } else { format!("{}{by}", self.many) }
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn pages_are_drafted_from_what_belongs_together() {
        crate::testkit::draft_as_said(
            r#"
# A list shows what a person tells records by; the detail shows everything, with what belongs to the record.
then keeper/page.list.search = ["last_name", "phone"]
then keeper/page.detail.children[0].entity = "visit"
then keeper/page.detail.children[0].by = "keeper"

# Who noted a record has no list of all that they noted.
before visit + created_by integer -> keeper; seen_by integer -> keeper
then keeper/page.detail.children[0].by = "keeper"
then keeper/page.detail.children[1].by = "seen_by"
then keeper/page.detail.children[2] gone

# Nothing is added to a view.
then grown_up/page.add gone
then grown_up/page.edit gone

# A join table has no pages of its own; both ends show the other.
then region_helper/ gone
then keeper/field.regions.related.entity = "region"
then region/field.helpers.related.through = "region_helper"

# One with something of its own has.
before region_helper + since date required
then region_helper/table = "region_helper"
then keeper/field.regions gone
"#,
        );
    }
}
