//! Step 2: every element or mention of what is gone is set aside, whatever the drafts say.

use super::edit::Editor;
use super::element::Element;
use super::memory::{Fact, Thing};
use crate::definition::{Index, Loss, Node, OnGone, Reference, Referent, Value, at_path, references};
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// What a condition nobody fulfils looks like.
pub(super) const NOBODY: &str = "1 = 0";

/// What is gone, with all that names it.
#[derive(Debug, Clone, Default)]
pub(super) struct Losses {
    pub things: Vec<Thing>,
    /// Fields over gone columns.
    fields: BTreeMap<(String, String), Vec<Thing>>,
    /// Entities over gone tables.
    entities: BTreeMap<String, Thing>,
}

impl Losses {
    pub fn of(things: Vec<Thing>, index: &Index) -> Losses {
        let mut losses = Losses { things, ..Losses::default() };
        for (entity, known) in &index.entities {
            if let Some(thing) = losses.lost(&Thing::table(&known.table)) {
                losses.entities.insert(entity.clone(), thing);
            }
            for (field, (columns, _)) in &known.fields {
                let gone: Vec<Thing> = columns.iter().filter_map(|c| losses.lost(&Thing::column(&known.table, c))).collect();
                if !gone.is_empty() {
                    losses.fields.insert((entity.clone(), field.clone()), gone);
                }
            }
        }
        losses
    }

    /// The loss a table or column falls under.
    fn lost(&self, thing: &Thing) -> Option<Thing> {
        let whole = Thing::table(&thing.table);
        self.things.iter().find(|t| t.same(thing) || t.same(&whole)).cloned()
    }

    /// What of a reference is gone.
    pub fn of_reference(&self, to: &Referent) -> Vec<Thing> {
        match to {
            Referent::Table(table) => self.lost(&Thing::table(table)).into_iter().collect(),
            Referent::Column { table, column } => self.lost(&Thing::column(table, column)).into_iter().collect(),
            Referent::Field { entity, field } => match self.entities.get(entity) {
                Some(thing) => vec![thing.clone()],
                None => self.fields.get(&(entity.clone(), field.clone())).cloned().unwrap_or_default(),
            },
            Referent::Entity(entity) | Referent::Page { entity, .. } => self.entities.get(entity).cloned().into_iter().collect(),
            Referent::Doubtful => Vec::new(),
        }
    }
}

/// Elements whose value the draft has to give, with what they wait for.
pub(super) type Pending = BTreeMap<Element, Vec<Thing>>;

/// Sets aside everything that hangs on the losses. `inserted` are elements that merges added. Returns the elements
/// whose SQL can't be analysed with certainty and mentions a lost name: they stay as they are.
pub(super) fn set_aside(
    editor: &mut Editor,
    index: &Index,
    schema: &Schema,
    losses: &Losses,
    inserted: &BTreeSet<Element>,
    pending: &mut Pending,
) -> Vec<Element> {
    let mut doubtful = Vec::new();
    if losses.things.is_empty() {
        return doubtful;
    }
    let lost: Vec<&str> = losses.things.iter().map(|t| t.column.as_deref().unwrap_or(&t.table)).collect();
    let mut actions: BTreeMap<(u8, Element), (Loss, Vec<Thing>)> = BTreeMap::new();
    for reference in references(&editor.tree, index, schema) {
        let Some(root) = editor.tree.files.get(&reference.file) else { continue };
        if reference.to == Referent::Doubtful {
            let text = root.at_path(&reference.path).and_then(Node::as_text).unwrap_or_default();
            if crate::sql::mentions_word(text, &lost, schema.engine) {
                doubtful.push(Element::at(&reference.file, root, &reference.path));
            }
        }
        let things = losses.of_reference(&reference.to);
        if things.is_empty() {
            continue;
        }
        let Some((element, loss, rank)) = classify(&reference, root) else { continue };
        let entry = actions.entry((rank, element)).or_insert((loss, Vec::new()));
        for thing in things {
            if !entry.1.iter().any(|t| t.same(&thing)) {
                entry.1.push(thing);
            }
        }
    }
    for ((_, element), (loss, things)) in actions {
        let because = reason(&things);
        let fact = Fact::Needs(things.clone());
        match loss {
            Loss::Member => {
                editor.remove(&element, fact, &because);
                remove_emptied(editor, &element.parent(), inserted, &because);
            }
            Loss::Key(OnGone::Remove | OnGone::RemoveParent | OnGone::RemoveFile) => editor.remove(&element, fact, &because),
            Loss::Key(OnGone::Deny) => editor.set(&element, Node::text(NOBODY), fact, &because),
            Loss::Key(OnGone::Draft) => {
                pending.entry(element).or_default().extend(things);
            }
            Loss::Key(OnGone::DraftLookup) => {
                let lookup = element.parent();
                for together in [lookup.parent().key("kind"), lookup] {
                    pending.entry(together).or_default().extend(things.clone());
                }
            }
        }
    }
    doubtful
}

/// The element that goes with a reference, how, and when: whole files first, then elements, then mentions.
fn classify(reference: &Reference, root: &Node) -> Option<(Element, Loss, u8)> {
    let (_, depth, loss) = at_path(&reference.file, &reference.path)?;
    let element = Element::at(&reference.file, root, reference.path.get(..depth)?);
    Some(match loss {
        Loss::Key(OnGone::RemoveFile) => (Element::file(reference.file.clone()), loss, 0),
        Loss::Key(OnGone::RemoveParent) => (element.parent(), loss, 1),
        _ => (element, loss, 2),
    })
}

/// An array that lost its last member takes the section or group around it along; one that a merge added goes too.
pub(super) fn remove_emptied(editor: &mut Editor, container: &Element, inserted: &BTreeSet<Element>, because: &str) {
    let Some(Value::List(items)) = editor.get(container).map(|n| &n.value) else { return };
    if !items.is_empty() {
        return;
    }
    if inserted.contains(container) {
        editor.remove(container, Fact::Container, because);
    } else if container.parent().is_member() {
        editor.remove(&container.parent(), Fact::Container, because);
    }
}

/// Why something went, for people.
pub(super) fn reason(things: &[Thing]) -> String {
    let names: Vec<String> = things.iter().map(Thing::shown).collect();
    format!("{} {} gone from the database", names.join(" and "), if names.len() == 1 { "is" } else { "are" })
}

/// Everything a value at an element names, resolved in a scratch tree that holds nothing else.
pub(super) fn references_of(element: &Element, value: &Node, index: &Index, schema: &Schema) -> Vec<Reference> {
    let mut root = value.clone();
    for step in element.steps.iter().rev() {
        root = match step {
            super::Step::Key(key) => Node::table().with(key, root),
            super::Step::Member(_) => Node::new(Value::List(vec![root])),
        };
    }
    crate::definition::references_in(&element.file, &root, index, schema)
}
