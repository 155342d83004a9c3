//! How the fields of a record are laid out: a few sections of what belongs together.

use super::fields::FieldDraft;
use super::labels;
use super::pages::PageDraft;
use crate::definition::{Node, Value};
use std::collections::BTreeMap;

/// Fields that a section has without being divided.
const CALM: usize = 12;
/// Fields that a page has before those of one beginning get a section of their own.
const DIVIDED: usize = 10;

struct Section<'a> {
    title: String,
    fields: Vec<&'a FieldDraft>,
}

impl<'a> PageDraft<'a> {
    /// Sections: short fields, what begins alike, the address together, switches, long texts and pictures, then what is kept of the
    /// record.
    pub(super) fn sections(&self, wanted: &dyn Fn(&FieldDraft) -> bool) -> Node {
        let fields: Vec<&FieldDraft> = self.shown().into_iter().filter(|f| wanted(f)).collect();
        let parts: Vec<&&FieldDraft> = fields.iter().filter(|f| f.is_address).collect();
        let postal = parts.iter().any(|f| labels::is_street_or_town(&f.spoken));
        let address = postal && parts.len() > 1 && self.one != "Address";
        let place = |f: &FieldDraft| match f {
            _ if f.kept && !f.surrogate && !f.columns.is_empty() => 3,
            _ if f.is_bulky() => 2,
            _ if f.is_address && address => 1,
            _ => 0,
        };
        let at = |rank: usize| fields.iter().copied().filter(move |f| place(f) == rank).collect::<Vec<_>>();
        // The parts of a billing address stay with what else is said of the billing.
        let (mut short, mut address) = (at(0), at(1));
        let begins_alike = |field: &FieldDraft| field.begins.is_some() && address.iter().filter(|f| f.begins == field.begins).count() >= 3;
        if short.len() + address.len() > DIVIDED && address.iter().all(|f| begins_alike(f)) {
            short = fields.iter().copied().filter(|f| place(f) < 2).collect();
            address.clear();
        }
        let mut sections = self.divided(short);
        let rest = [("Address", address), ("More", at(2)), ("Record", at(3))];
        sections.extend(rest.into_iter().map(|(title, fields)| Section { title: title.to_owned(), fields }));
        let mut taken: Vec<String> = Vec::new();
        let mut rows: Vec<Node> = Vec::new();
        for Section { title, fields } in sections.into_iter().filter(|s| !s.fields.is_empty()) {
            // What the section is called tells it from others.
            let title = std::iter::once(title.clone()).chain((2..).map(|n| format!("{title} {n}"))).find(|t| !taken.contains(t));
            let title = title.unwrap_or_default();
            rows.push(Node::table().with("title", title.as_str().into()).with("fields", self.names(&fields)));
            taken.push(title);
        }
        Node::table().with("sections", Node::new(Value::List(rows)))
    }

    /// Short fields: in one section where they are few, else by how they begin, switches by themselves, the rest in parts.
    fn divided(&self, fields: Vec<&'a FieldDraft>) -> Vec<Section<'a>> {
        let main = |fields| Section { title: self.one.to_owned(), fields };
        if fields.len() <= DIVIDED {
            return vec![main(fields)];
        }
        let titled: Vec<&str> = self.titled().iter().map(|f| f.name.as_str()).collect();
        let mut beginnings: BTreeMap<&str, usize> = BTreeMap::new();
        for begins in fields.iter().filter_map(|f| f.begins.as_deref()) {
            *beginnings.entry(begins).or_default() += 1;
        }
        let switches = fields.iter().filter(|f| f.kind.name == "boolean").count();
        let group_of = |field: &&FieldDraft| match &field.begins {
            _ if titled.contains(&field.name.as_str()) => None,
            Some(word) if beginnings.get(word.as_str()).is_some_and(|count| *count >= 3) => {
                Some(labels::label(word, self.context.names.conventions))
            }
            _ if field.kind.name == "boolean" && switches >= 4 => Some("Options".to_owned()),
            _ => None,
        };
        let mut rest: Vec<&FieldDraft> = Vec::new();
        let mut groups: Vec<Section<'a>> = Vec::new();
        for field in &fields {
            match group_of(field) {
                None => rest.push(field),
                Some(title) => match groups.iter_mut().find(|s| s.title == title) {
                    Some(section) => section.fields.push(field),
                    None => groups.push(Section { title, fields: vec![field] }),
                },
            }
        }
        if rest.is_empty() {
            return groups;
        }
        let parts = rest.len().div_ceil(CALM);
        let mut own = rest.chunks(rest.len().div_ceil(parts)).map(<[&FieldDraft]>::to_vec);
        let mut sections: Vec<Section<'a>> = own.next().map(main).into_iter().collect();
        sections.extend(own.map(|fields| Section { title: "Details".to_owned(), fields }));
        sections.extend(groups);
        sections
    }
}
