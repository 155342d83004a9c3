//! Step 2: every element or mention of what is gone is set aside, whatever the drafts say.

use super::edit::Editor;
use super::element::Element;
use super::memory::{Fact, Left, Thing};
use crate::definition::{FileKey, Index, Loss, Node, OnGone, Reference, Referent, Seg, Tree, Value, at_path, references};
use crate::name;
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// What a condition nobody fulfils looks like.
pub(super) const NOBODY: &str = "1 = 0";

/// What is gone, with all that names it.
#[derive(Debug, Clone, Default)]
pub(super) struct Losses {
    /// By folded table: itself as a whole, or its columns.
    things: BTreeMap<String, Vec<Thing>>,
    /// Fields over gone columns, or whose formula or join table names something gone.
    fields: BTreeMap<(String, String), Vec<Thing>>,
    /// Entities over gone tables.
    entities: BTreeMap<String, Thing>,
}

impl Losses {
    /// What of a tree with these references is lost. `given_up` are entities whose own query goes if anything it names is gone.
    fn of(
        things: Vec<Thing>,
        tree: &Tree,
        index: &Index,
        schema: &Schema,
        references: &[Reference],
        given_up: &BTreeSet<String>,
    ) -> Losses {
        let mut losses = Losses::default();
        for thing in things {
            losses.things.entry(name::fold(&thing.table)).or_default().push(thing);
        }
        for (entity, known) in &index.entities {
            if let Some(thing) = losses.lost(&Thing::table(&known.table)) {
                losses.entities.insert(entity.clone(), thing);
            }
        }
        for reference in references {
            let things = losses.of_reference(&reference.to);
            let Some(root) = tree.files.get(&reference.file).filter(|_| !things.is_empty()) else { continue };
            let entity = reference.file.name();
            match (classify(reference, root), reference.path.as_slice()) {
                (Some((element, Loss::Key(OnGone::RemoveParent | OnGone::RemoveField), _)), [Seg::Key(group), Seg::Key(field), ..])
                    if group == "field" && element.steps.len() == 2 =>
                {
                    losses.add(entity, field, things);
                }
                // Columns that only the query gives go with it.
                (_, [Seg::Key(source), Seg::Key(select)]) if source == "source" && select == "select" && given_up.contains(entity) => {
                    let Some(known) = index.entities.get(entity) else { continue };
                    for (field, names) in &known.fields {
                        if names.columns.iter().any(|c| !schema.table(&known.table).is_some_and(|t| t.reads(c))) {
                            losses.add(entity, field, things.clone());
                        }
                    }
                }
                _ => {}
            }
        }
        losses
    }

    /// Notes that a field goes with these things, each once however often the field names it.
    fn add(&mut self, entity: &str, field: &str, things: Vec<Thing>) {
        let known = self.fields.entry((entity.to_owned(), field.to_owned())).or_default();
        for thing in things {
            if !known.iter().any(|k| k.same(&thing)) {
                known.push(thing);
            }
        }
    }

    /// Fields and entities that are away already: what comes back may name them.
    fn add_waiting(&mut self, editor: &Editor) {
        for part in editor.parts.iter().filter(|p| p.left == Left::Absent) {
            let Fact::Needs(things) = &part.fact else { continue };
            match part.element.steps.as_slice() {
                [] => {
                    if let Some(thing) = things.first().filter(|_| editor.get(&part.element).is_none()) {
                        self.entities.entry(part.element.file.name().to_owned()).or_insert_with(|| thing.clone());
                    }
                }
                [super::Step::Key(group), super::Step::Key(field)] if group == "field" && editor.get(&part.element).is_none() => {
                    self.add(part.element.file.name(), field, things.clone());
                }
                _ => {}
            }
        }
    }

    /// The fields that go, among them those that only a query which is given up provides.
    fn lost_fields(&self) -> impl Iterator<Item = (Element, Vec<Thing>)> {
        self.fields
            .iter()
            .map(|((entity, field), things)| (Element::file(FileKey::Entity(entity.clone())).key("field").key(field), things.clone()))
    }

    /// The loss a table or column falls under.
    fn lost(&self, thing: &Thing) -> Option<Thing> {
        let of_table = self.things.get(&name::fold(&thing.table))?;
        of_table.iter().find(|t| t.column.is_none() || t.same(thing)).cloned()
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
            Referent::Routine(_) | Referent::Doubtful => Vec::new(),
        }
    }
}

/// Elements whose value the draft has to give, with what they wait for.
pub(super) type Pending = BTreeMap<Element, Vec<Thing>>;

/// What setting aside is told.
#[derive(Clone, Copy)]
pub(super) struct Losing<'a> {
    /// What is gone.
    pub things: &'a [Thing],
    /// Elements that merges added.
    pub inserted: &'a BTreeSet<Element>,
    /// Entities whose own SQL a person gave up.
    pub given_up: &'a BTreeSet<String>,
    /// Where to look; everywhere without it.
    pub within: Option<&'a [Element]>,
}

impl Losing<'_> {
    fn concerns(&self, element: &Element) -> bool {
        self.within.is_none_or(|places| places.iter().any(|place| element.is_within(place) || place.is_within(element)))
    }
}

/// What setting aside leaves to a person.
#[derive(Debug, Default)]
pub(super) struct Unsettled {
    /// SQL that can't be analysed with certainty and mentions a lost name: it stays as it is.
    pub doubtful: Vec<Element>,
    /// SQL of a person's own that names what is gone, and what that is.
    pub asked: BTreeMap<Element, Vec<Thing>>,
}

/// Sets aside everything that hangs on what is gone.
pub(super) fn set_aside(editor: &mut Editor, index: &Index, schema: &Schema, gone: Losing<'_>, pending: &mut Pending) -> Unsettled {
    let mut left = Unsettled::default();
    if gone.things.is_empty() {
        return left;
    }
    let lost: Vec<&str> = gone.things.iter().map(|t| t.column.as_deref().unwrap_or(&t.table)).collect();
    let mut actions: BTreeMap<(u8, Element), (Loss, Vec<Thing>)> = BTreeMap::new();
    let references = references(&editor.tree, index, schema);
    let mut losses = Losses::of(gone.things.to_vec(), &editor.tree, index, schema, &references, gone.given_up);
    losses.add_waiting(editor);
    for (element, things) in losses.lost_fields() {
        if editor.get(&element).is_some() && gone.concerns(&element) {
            actions.insert((1, element), (Loss::Key(OnGone::Remove), things));
        }
    }
    for reference in references {
        let Some(root) = editor.tree.files.get(&reference.file) else { continue };
        if reference.to == Referent::Doubtful {
            let text = root.at_path(&reference.path).and_then(Node::as_text).unwrap_or_default();
            if crate::sql::mentions_word(text, &lost, schema.engine) {
                left.doubtful.push(Element::at(&reference.file, root, &reference.path));
            }
        }
        let things = losses.of_reference(&reference.to);
        if things.is_empty() {
            continue;
        }
        let Some((element, loss, rank)) = classify(&reference, root) else { continue };
        if !gone.concerns(&element) {
            continue;
        }
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
                remove_emptied(editor, &element.parent(), gone.inserted, &because);
            }
            Loss::Key(OnGone::Remove | OnGone::RemoveParent | OnGone::RemoveField | OnGone::RemoveFile) => {
                editor.remove(&element, fact, &because);
            }
            Loss::Key(OnGone::Ask) if gone.given_up.contains(element.file.name()) => editor.remove(&element, fact, &because),
            Loss::Key(OnGone::Ask) => {
                left.asked.insert(element, things);
            }
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
    left
}

/// The element that goes with a reference, how, and when: whole files first, then elements, then mentions.
fn classify(reference: &Reference, root: &Node) -> Option<(Element, Loss, u8)> {
    let (_, depth, loss) = at_path(&reference.file, &reference.path)?;
    let element = Element::at(&reference.file, root, reference.path.get(..depth)?);
    Some(match loss {
        Loss::Key(OnGone::RemoveFile) => (Element::file(reference.file.clone()), loss, 0),
        Loss::Key(OnGone::RemoveParent) if element.parent().is_member() => (element.parent(), Loss::Member, 1),
        Loss::Key(OnGone::RemoveParent) => (element.parent(), loss, 1),
        Loss::Key(OnGone::RemoveField) => (element.parent().parent(), loss, 1),
        _ => (element, loss, 2),
    })
}

/// An array that lost its last member takes the section or group around it along; one that a merge added goes too.
pub(super) fn remove_emptied(editor: &mut Editor, container: &Element, inserted: &BTreeSet<Element>, because: &str) {
    let Some(Value::List(items)) = editor.get(container).map(|n| &n.value) else { return };
    if !items.is_empty() {
        return;
    }
    // A child list without a sort is one still.
    let holds = ["fields", "items"].contains(&container.last());
    if inserted.contains(container) {
        editor.remove(container, Fact::Container, because);
    } else if holds && container.parent().is_member() {
        editor.remove(&container.parent(), Fact::Container, because);
        // The list around it goes as well where a merge had added it for this one.
        let around = container.parent().parent();
        if inserted.contains(&around) {
            remove_emptied(editor, &around, inserted, because);
        }
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
    for (at, step) in element.steps.iter().enumerate().rev() {
        root = match step {
            super::Step::Key(key) => Node::table().with(key, root),
            super::Step::Member(member) => {
                // A child list says whose records it shows in its name.
                let of_children = at.checked_sub(1).and_then(|at| element.key_at(at)) == Some("children");
                if let (true, Some((entity, by))) = (of_children, member.split_once(" by "))
                    && root.get("entity").is_none()
                {
                    root = root.with("entity", entity.into()).with("by", by.into());
                }
                Node::new(Value::List(vec![root]))
            }
        };
    }
    crate::definition::references_in(&element.file, &root, index, schema)
}
