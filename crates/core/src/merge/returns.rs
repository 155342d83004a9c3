//! Step 3: what was set aside goes back when what it hung on returns.

use super::edit::Editor;
use super::element::{Element, member_key, place};
use super::loss::references_of;
use super::memory::{Fact, Gone, Left, Memory, Part, Respelled, Thing};
use super::rekey::rekey_returned;
use crate::definition::{FileKey, Index, Loss, Node, Reference, Referent, Tree, Value, at_path};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::{Schema, Table};

/// What has come back, and under which names.
#[derive(Debug, Clone, Default)]
pub(super) struct Returning {
    /// Facts that hold again.
    pub gone: Vec<Gone>,
    /// From the name they left with to the name they came back under.
    pub names: RenameMap,
}

impl Returning {
    /// The facts of the memory that hold again in `changed`; a thing returns under its latest name, or one it had before.
    pub fn of(memory: &Memory, changed: &Schema, accepted: &Schema) -> Returning {
        let mut returning = Returning::default();
        for gone in &memory.gone {
            let thing = &gone.thing;
            if thing.is_in(accepted) {
                continue;
            }
            let names = std::iter::once(thing.clone()).chain(earlier_names(memory, thing));
            let Some(found) = names.into_iter().find(|t| t.is_in(changed) && !t.is_in(accepted)) else { continue };
            match (&thing.column, &found.column) {
                (None, _) if thing.table != found.table => returning.names.rename_table(&thing.table, &found.table),
                (Some(from), Some(to)) if from != to => returning.names.rename_column(&thing.table, from, to),
                _ => {}
            }
            if thing.column.is_none() {
                returning.name_columns(gone, &found.table, memory, changed);
            }
            returning.gone.push(gone.clone());
        }
        returning
    }

    /// A returning table may have its columns back under names they had before.
    fn name_columns(&mut self, gone: &Gone, table: &str, memory: &Memory, changed: &Schema) {
        let Some(now) = changed.table(table) else { return };
        for column in gone.shape.columns.iter().filter(|c| now.column(&c.name).is_none()) {
            let earlier = earlier_names(memory, &Thing::column(&gone.thing.table, &column.name));
            let back = earlier.into_iter().filter_map(|t| t.column).find(|c| now.column(c).is_some() && gone.shape.column(c).is_none());
            if let Some(back) = back {
                self.names.rename_column(&gone.thing.table, &column.name, &back);
            }
        }
    }

    /// The accepted schema with everything that returns as it left, under the names it returned by.
    pub fn added_to(&self, accepted: &Schema) -> Schema {
        self.added_since(accepted, 0)
    }

    /// Likewise, with what left at this loss or later.
    fn added_since(&self, accepted: &Schema, left: u32) -> Schema {
        let mut schema = accepted.clone();
        // A table first, then the columns it had lost before.
        let mut gone: Vec<&Gone> = self.gone.iter().filter(|g| g.left >= left).collect();
        gone.sort_by_key(|g| g.thing.column.is_some());
        for gone in gone {
            let shape = self.names.applied_to_table(&gone.shape);
            match &gone.thing.column {
                None => schema.put(shape),
                Some(column) => {
                    if let Some(mut table) = schema.remove(&shape.name) {
                        add_column(&mut table, &shape, self.names.column(&gone.thing.table, column));
                        schema.put(table);
                    }
                }
            }
        }
        schema
    }
}

impl Returning {
    /// The draft for the accepted schema, with the elements that return as the draft had them when they left: what
    /// left earlier was gone already, and is not seen by them.
    pub fn drafted(&self, carried: &Schema, draft: &dyn Fn(&Schema) -> Tree) -> Tree {
        let mut drafted = draft(carried);
        let mut losses: Vec<u32> = self.gone.iter().map(|g| g.left).collect();
        losses.sort_unstable();
        losses.dedup();
        for loss in losses.into_iter().rev() {
            let things: Vec<Thing> = self.gone.iter().filter(|g| g.left == loss).map(|g| g.thing.renamed(&self.names)).collect();
            add_elements(&mut drafted, &draft(&self.added_since(carried, loss)), &things);
        }
        drafted
    }
}

/// Adds to a draft the elements over these tables and columns that another draft has.
fn add_elements(drafted: &mut Tree, with: &Tree, things: &[Thing]) {
    let index = Index::of(with);
    let is = |wanted: Thing| things.iter().any(|t| t.same(&wanted));
    let is_new = |entity: &str| index.table(entity).is_some_and(|t| is(Thing::table(t)));
    for (file, node) in &with.files {
        match (file, drafted.files.get_mut(file)) {
            (FileKey::Entity(entity), None) if is_new(entity) => {
                drafted.files.insert(file.clone(), node.clone());
            }
            (FileKey::Entity(entity), Some(root)) => {
                let returns = |owner: &str, field: &str| {
                    let Some(known) = index.entities.get(owner) else { return false };
                    let over = |table: &str, columns: &[String]| columns.iter().any(|c| is(Thing::column(table, c)));
                    is(Thing::table(&known.table))
                        || known.fields.get(field).is_some_and(|f| {
                            let joined =
                                f.through.as_ref().is_some_and(|(t, here, there)| is(Thing::table(t)) || over(t, here) || over(t, there));
                            let target = f.target.as_ref().filter(|_| f.through.is_some()).and_then(|t| index.table(t));
                            over(&known.table, &f.columns) || joined || target.is_some_and(|t| is(Thing::table(t)))
                        })
                };
                for field in node.get("field").map(Node::entries).unwrap_or_default().iter().filter(|f| returns(entity, &f.key)) {
                    if let Some(fields) = root.at_path_mut(&["field".into()]) {
                        fields.set(&field.key, field.node.clone());
                    }
                }
                if let (Some(pages), Some(all)) = (root.at_path_mut(&["page".into()]), node.get("page")) {
                    add_members(pages, all, entity, &returns);
                }
            }
            (FileKey::App, Some(root)) => add_members(root, node, "", &|_, item| is_new(item.split('/').next().unwrap_or(item))),
            _ => {}
        }
    }
}

/// Adds to arrays those members of the same arrays in `with` that return, and the tables and arrays around them.
fn add_members(node: &mut Node, with: &Node, owner: &str, returns: &dyn Fn(&str, &str) -> bool) {
    match (&mut node.value, &with.value) {
        (Value::Table(entries), Value::Table(all)) => {
            for entry in all {
                match entries.iter_mut().find(|e| e.key == entry.key) {
                    Some(own) => add_members(&mut own.node, &entry.node, owner, returns),
                    None => {
                        let mut own = Node::new(match &entry.node.value {
                            Value::List(_) => Value::List(Vec::new()),
                            _ => continue,
                        });
                        add_members(&mut own, &entry.node, owner, returns);
                        if !own.items().is_empty() {
                            entries.push(crate::definition::Entry {
                                key: entry.key.clone(),
                                at: crate::definition::At::default(),
                                node: own,
                            });
                        }
                    }
                }
            }
        }
        (Value::List(items), Value::List(all)) => {
            let order: Vec<String> = all.iter().map(member_key).collect();
            for item in all {
                let key = member_key(item);
                let visible: Vec<String> = items.iter().map(member_key).collect();
                // A child list's fields are those of its entity.
                let child = item.get("entity").and_then(Node::as_text);
                let owner = child.unwrap_or(owner);
                let by = item.get("by").and_then(Node::as_text).unwrap_or_default();
                match (items.iter_mut().find(|i| member_key(i) == key), &item.value) {
                    (Some(own), Value::Table(_)) => add_members(own, item, owner, returns),
                    (None, Value::Table(_)) if child.is_some() && returns(owner, by) => {
                        items.insert(place(&order, &key, &visible), item.clone());
                    }
                    (None, Value::Table(_)) if child.is_some() => {}
                    (None, Value::Text(_)) if returns(owner, &key) => items.insert(place(&order, &key, &visible), item.clone()),
                    (None, Value::Table(entries)) => {
                        let mut own = Node::table();
                        let mut any = false;
                        for entry in entries {
                            let mut value = entry.node.clone();
                            if let Value::List(members) = &mut value.value {
                                members.retain(|m| returns(owner, &member_key(m)));
                                any |= !members.is_empty();
                            }
                            own.set(&entry.key, value);
                        }
                        if any {
                            items.insert(place(&order, &key, &visible), own);
                        }
                    }
                    _ => {}
                }
            }
        }
        _ => {}
    }
}

/// Names a gone thing had before, the latest first.
fn earlier_names(memory: &Memory, thing: &Thing) -> Vec<Thing> {
    let mut names = Vec::new();
    let mut back = RenameMap::default();
    for renames in memory.renames.iter().rev() {
        back = back.then(&renames.inverse());
        let earlier = Thing { table: thing.table.clone(), column: thing.column.as_ref().map(|c| back.column(&thing.table, c).to_owned()) };
        let earlier = if thing.column.is_none() { thing.renamed(&back) } else { earlier };
        if !earlier.same(thing) {
            names.push(earlier);
        }
    }
    names
}

/// A column at the place it left from, with the keys and constraints it took part in.
fn add_column(table: &mut Table, shape: &Table, column: &str) {
    let Some(returning) = shape.column(column) else { return };
    if table.column(column).is_some() {
        return;
    }
    let order: Vec<String> = shape.columns.iter().map(|c| name::fold(&c.name)).collect();
    let visible: Vec<String> = table.columns.iter().map(|c| name::fold(&c.name)).collect();
    table.columns.insert(place(&order, &name::fold(column), &visible), returning.clone());
    let here = |table: &Table, columns: &[String]| name::contains(columns, column) && columns.iter().all(|c| table.column(c).is_some());
    if here(table, &shape.primary_key) {
        table.primary_key.clone_from(&shape.primary_key);
    }
    for key in &shape.foreign_keys {
        if here(table, &key.columns) && !table.foreign_keys.contains(key) {
            table.foreign_keys.push(key.clone());
        }
    }
    for unique in &shape.uniques {
        if here(table, &unique.columns) && !table.uniques.contains(unique) {
            table.uniques.push(unique.clone());
        }
    }
    // What checks said of it is part of how it left.
    for check in &shape.checks {
        let speaks = crate::sql::limits(&check.expression, shape.engine).iter().any(|(c, _)| name::same(c, column));
        if speaks && !table.checks.contains(check) {
            table.checks.push(check.clone());
        }
    }
    table.foreign_keys.sort();
    table.uniques.sort();
}

/// What putting back looks at.
#[derive(Clone, Copy)]
pub(super) struct Scene<'a> {
    pub memory: &'a Memory,
    pub returning: &'a Returning,
    /// The accepted schema under the names in use now.
    pub carried: &'a Schema,
    /// The same with what returns.
    pub accepted: &'a Schema,
    /// The changed schema.
    pub changed: &'a Schema,
}

impl Scene<'_> {
    /// Whether something is in the database again: itself, not another thing that has its name now.
    fn is_back(&self, thing: &Thing) -> bool {
        thing.renamed(&self.returning.names).is_in(self.changed) && !self.memory.is_taken_over(thing, self.carried)
    }
}

/// Puts back every part whose facts hold and whose place holds what the merge left; returns the parts that went back.
pub(super) fn put_back(editor: &mut Editor, scene: &Scene<'_>, respelled: &mut Vec<Respelled>) -> Vec<Part> {
    let mut done = Vec::new();
    loop {
        let waiting: Vec<Part> = editor.parts.iter().filter(|p| matches!(p.fact, Fact::Needs(_))).cloned().collect();
        let before = done.len();
        for part in waiting {
            let Fact::Needs(needs) = &part.fact else { continue };
            if !needs.iter().all(|t| scene.is_back(t)) || !stands(editor, &part, scene) {
                continue;
            }
            let names: Vec<String> = needs.iter().map(|t| t.renamed(&scene.returning.names).shown()).collect();
            let because = format!("{} {} back", names.join(" and "), if names.len() == 1 { "is" } else { "are" });
            if editor.put_back(part.id, &because) {
                rekey_returned(editor, &part.element, part.since, scene.memory, &scene.returning.names, scene.accepted, respelled);
                done.push(part);
            }
        }
        if done.len() == before {
            return done;
        }
    }
}

/// Whether a reference is a member of an array inside a part.
fn is_inner_member(part: &Part, reference: &Reference) -> bool {
    at_path(&reference.file, &reference.path)
        .is_some_and(|(_, depth, loss)| matches!(loss, Loss::Member) && depth > part.element.steps.len())
}

/// Whether a field is set aside.
fn is_away(editor: &Editor, entity: &str, field: &str) -> bool {
    editor.removed(&Element::file(FileKey::Entity(entity.to_owned())).key("field").key(field)).is_some()
}

/// Whether all that a part names is there: another loss since then keeps it waiting.
fn stands(editor: &Editor, part: &Part, scene: &Scene<'_>) -> bool {
    let Scene { memory, returning, accepted: schema, changed, .. } = *scene;
    let Some(was) = &part.was else { return true };
    // A field is a lookup again together with what it looks up.
    if part.element.last() == "kind" && was.as_text() == Some("lookup") {
        let lookup = part.element.parent().key("lookup");
        if let Some(waiting) = editor.removed(&lookup)
            && !stands(editor, waiting, scene)
        {
            return false;
        }
    }
    let renames = memory.renames_since(part.since).then(&returning.names);
    let back = renames.inverse();
    let mut index = Index::of(&editor.tree).renamed(&back);
    if part.element.steps.is_empty() {
        // An entity's file brings its own names along.
        let mut alone = Tree::default();
        alone.files.insert(part.element.file.clone(), was.clone());
        index.entities.extend(Index::of(&alone).entities);
    }
    let then = back.applied_to(schema);
    let own_field = match part.element.steps.as_slice() {
        [super::Step::Key(group), super::Step::Key(field)] if group == "field" => Some(field.as_str()),
        _ => None,
    };
    references_of(&part.element, was, &index, &then).into_iter().all(|reference| match reference.to {
        // A member that still waits leaves what comes back again, and keeps it from nothing.
        Referent::Field { ref entity, ref field } if is_inner_member(part, &reference) && is_away(editor, entity, field) => true,
        Referent::Table(table) => {
            part.left != Left::Absent || part.element.steps.is_empty() || changed.table(renames.table(&table)).is_some()
        }
        Referent::Column { table, column } => {
            part.element.steps.is_empty() || changed.table(renames.table(&table)).is_none_or(|t| t.reads(renames.column(&table, &column)))
        }
        Referent::Field { entity, field } => {
            part.element.steps.is_empty()
                || own_field == Some(field.as_str())
                || index.entities.get(&entity).is_some_and(|e| e.fields.contains_key(&field))
        }
        Referent::Entity(entity) => part.element.steps.is_empty() || index.entities.contains_key(&entity),
        Referent::Page { .. } | Referent::Routine(_) | Referent::Doubtful => true,
    })
}
