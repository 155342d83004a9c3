//! The five steps, one after the other.

use super::access;
use super::asked::{answer, key_questions, rename_questions, source_questions};
use super::edit::Editor;
use super::element::Element;
use super::follow::{FieldNames, NewNames, Remembered, following, going_back, rename_fields};
use super::kept_references::with_kept_references;
use super::layout::{LayoutInput, Placement};
use super::loss::{Losing, Pending, Unsettled, set_aside};
use super::memory::{Fact, Left, Memory, Part, Thing};
use super::new_tables::NewTables;
use super::outcome::{Input, Outcome, Stored};
use super::ownership::{Kept, Marks, Owner, Side};
use super::questions::{Limit, about_limit, source_question};
use super::rekey::{Before, carried_back, rekey};
use super::remember::{keep_what_was_known, remember};
use super::returns::{Returning, Scene, put_back};
use crate::changes::{Comparison, compare};
use crate::definition::{FileKey, Index, Node, Tree, Value};
use crate::draft::{NamesInUse, Plan, draft};
use crate::impact::{Finding, Location, Severity};
use crate::name;
use crate::rename::{Known, RenameMap};
use crate::schema::{Schema, in_accepted_order};
use std::collections::{BTreeMap, BTreeSet};

/// What is known of renames beyond the two schemas.
pub(crate) fn known(input: &Input<'_>) -> Known {
    let returning = input.memory.gone.iter().map(|g| (g.thing.table.clone(), g.thing.column.clone())).collect();
    Known { policy: input.renames, former: input.memory.former_names(input.accepted), answers: input.answers.clone(), returning }
}

/// Merges a change of the database into the definition.
///
/// Where a question is open, the result is that of its safe choice.
pub fn merge(input: &Input<'_>) -> Outcome {
    let comparison = compare(input.accepted, input.changed, &known(input));
    let taken = comparison.taken();
    let mut memory = input.memory.clone();
    memory.rename(&taken);
    if !taken.is_empty() {
        memory.renames.push(taken.clone());
    }
    let carried = taken.applied_to(input.accepted);
    let mut tables = NewTables::of(input, &comparison, &carried, &memory);
    let effective = tables.effective(input.changed, &carried);

    // 1. Re-key
    let before_index = Index::of(input.tree);
    let mut respelled = memory.respelled.clone();
    let mut yours = Editor::new(input.tree.clone(), memory.parts.clone(), &memory);
    let before = Before { index: &before_index, schema: input.accepted, renames: &taken };
    let mut doubtful = rekey(&mut yours, &before, None, &mut respelled);
    let mut stored = Editor::new(input.stored.tree.clone(), memory.draft_parts.clone(), &memory);
    let stored_index = Index::of(&stored.tree);
    rekey(&mut stored, &Before { index: &stored_index, ..before }, None, &mut Vec::new());
    NamesInUse::align(&mut stored.tree, &yours.tree);
    let mut inserted = memory.inserted.clone();
    let mut marks = input.stored.marks.clone();
    let engine = input.changed.engine;
    let mut followed = match input.field_names {
        FieldNames::Follow => {
            let sides = (&*yours.whole(), &*stored.whole());
            following(sides, (input.accepted, &effective), &taken, &mut memory)
        }
        FieldNames::Keep => NewNames::new(),
    };
    let mut remembered = Remembered { inserted: &mut inserted, respelled: &mut respelled, marks: &mut marks };
    rename_fields(&mut yours, &mut stored, &followed, engine, &mut remembered);

    // 2. Set aside, 3. put back
    let returning = Returning::of(&memory, &effective, &carried);
    let accepted = returning.added_to(&carried);
    let things = lost_things(&accepted, &effective);
    let known = memory.clone();
    let scene = Scene { memory: &known, returning: &returning, carried: &carried, accepted: &accepted, changed: &effective };
    let mut restricted = access::restricted(&yours);
    let mut pending = Pending::new();
    let mut restored = Vec::new();
    let given_up = given_up(input, &yours.tree);
    // What was lost, now or with an earlier merge.
    let known_gone = known.gone.iter().map(|g| g.thing.clone());
    let is_away = |t: &Thing| !t.is_in(&carried) && !t.renamed(&returning.names).is_in(&effective);
    let still_gone: Vec<Thing> = things.iter().cloned().chain(known_gone.filter(is_away)).collect();
    let mut sources = BTreeMap::new();
    for (editor, is_yours) in [(&mut yours, true), (&mut stored, false)] {
        let mut own_pending = Pending::new();
        let gone = Losing { things: &things, inserted: &inserted, given_up: &given_up, within: None };
        let unsettled = set_aside(editor, &Index::of(&editor.tree), &accepted, gone, &mut own_pending);
        if is_yours {
            let Unsettled { doubtful: unsure, asked } = unsettled;
            doubtful.extend(unsure.into_iter().filter(|e| !doubtful.contains(e)).collect::<Vec<_>>());
            sources = asked;
        }
        let mut ignored = Vec::new();
        let respelled = if is_yours { &mut respelled } else { &mut ignored };
        let back = put_back(editor, &scene, respelled);
        if is_yours && !returning.names.is_empty() {
            // What was kept although what it names was gone has it again, under another name.
            let unsure = carried_back(editor, None, &returning.names, &accepted, respelled);
            doubtful.extend(unsure.into_iter().filter(|e| !doubtful.contains(e)).collect::<Vec<_>>());
        }
        if is_yours {
            // An entity that comes back with less than it had is as restricted as it comes back.
            let whole = |entity: &String| back.iter().any(|p| p.element.steps.is_empty() && p.element.file.name() == entity);
            restricted.extend(access::restricted(editor).into_iter().filter(|(entity, _)| whole(entity)));
        }
        if !back.is_empty() {
            own_pending.retain(|element, _| !back.iter().any(|part| part.element == *element));
            // What came back in another shape may name what didn't, now or with an earlier merge.
            let places: Vec<Element> = back.iter().map(|part| part.element.clone()).collect();
            let gone = Losing { things: &still_gone, within: Some(&places), ..gone };
            set_aside(editor, &Index::of(&editor.tree), &accepted, gone, &mut own_pending);
        }
        if is_yours {
            pending = own_pending;
            restored = back;
        } else {
            drop_pending(editor, &own_pending);
        }
    }

    // What came back may have the name its column had when the field followed it.
    let back = match memory.followed.is_empty() {
        true => NewNames::new(),
        false => going_back(&yours.tree, (&yours.whole(), &stored.whole()), &mut memory),
    };
    let mut remembered = Remembered { inserted: &mut inserted, respelled: &mut respelled, marks: &mut marks };
    let moved = rename_fields(&mut yours, &mut stored, &back, engine, &mut remembered);
    if !back.is_empty() {
        pending = pending.into_iter().map(|(element, things)| (moved.element(&element), things)).collect();
        sources = sources.into_iter().map(|(element, things)| (moved.element(&element), things)).collect();
        restored.iter_mut().for_each(|part: &mut Part| part.element = moved.element(&part.element));
        doubtful.iter_mut().for_each(|element| *element = moved.element(element));
        followed.extend(back);
    }

    // 4. Ownership
    let open_to = input.stored.start_role.as_deref().filter(|role| yours.tree.app().and_then(|a| a.get("role")?.get(role)).is_some());
    let names = NamesInUse::of(&yours.tree, &stored.tree).with_set_aside(&yours.whole(), &stored.whole());
    let title = stored.tree.app().and_then(|a| a.get("title")).and_then(Node::as_text).unwrap_or_default().to_owned();
    let plan = Plan { conventions: input.conventions, names: &names, open_to, title: &title };
    let ordered = in_accepted_order(&accepted, &effective);
    let p0 = returning.drafted(&carried, &|schema| {
        let seen = with_kept_references(schema, &yours.tree, &inserted);
        strip(draft(&seen, &plan).tree, schema, &things, &memory)
    });
    // A key that was chosen, or came back, holds for what is drafted from now on.
    let mut chosen = names.clone().with_keys(input.answers);
    for part in restored.iter().filter(|p| p.element.steps.len() == 1 && p.element.last() == "key") {
        let table = yours.tree.entity(part.element.file.name()).and_then(|e| e.get("table")).and_then(Node::as_text).map(name::read_table);
        let key = yours.get(&part.element).map(Node::strings).unwrap_or_default();
        chosen.set_key(&table.unwrap_or_default(), key.iter().map(|c| name::read(c)).collect());
    }
    let drafted = draft(&with_kept_references(&ordered, &yours.tree, &inserted), &Plan { names: &chosen, ..plan.clone() });
    let mut p1 = drafted.tree;
    let key_questions = key_questions(input, &drafted.keys, &yours.tree, &pending);
    let hidden = hidden_replacements(input, &comparison, &taken, &mut p1);
    let placement = Placement::of(&LayoutInput {
        yours: &yours.tree,
        whole: (&yours.whole(), &stored.whole()),
        p1: &p1,
        accepted: &accepted,
        changed: &effective,
        answers: input.answers,
        policy: input.new_fields,
        hidden,
        restricted: &access::restricted(&yours),
    });
    let d = stored.tree.clone();
    let (mut kept, mut limits): (Vec<Kept>, Vec<Limit>) = (Vec::new(), Vec::new());
    let inserted_before = inserted.clone();
    let renamed = entities_renamed(&yours.tree, &taken);
    for (editor, side) in [(&mut yours, Side::Yours), (&mut stored, Side::Stored)] {
        let (no_pending, mut no_marks, mut no_inserted) = (Pending::new(), Marks::new(), inserted_before.clone());
        let mut returned: Vec<Element> = restored.iter().map(|part: &Part| part.element.clone()).collect();
        let mut ignored = Vec::new();
        // What the first look added is nobody's own in the next ones.
        let mut first_marks: Option<Marks> = None;
        loop {
            let mut owner = Owner {
                returned: &returned,
                renamed: &renamed,
                side,
                editor: &mut *editor,
                pending: if side == Side::Yours { &pending } else { &no_pending },
                marks: if side == Side::Yours { &mut marks } else { &mut no_marks },
                inserted: if side == Side::Yours { &mut inserted } else { &mut no_inserted },
                placement: &placement,
                answers: input.answers,
                kept: Vec::new(),
                limits: Vec::new(),
            };
            owner.run(&d, &p0, &p1);
            let (own_kept, own_limits) = (owner.kept, owner.limits);
            // A place that ownership has made again may be what a part was waiting for: then it is looked at as well.
            let late = put_back(editor, &scene, if side == Side::Yours { &mut respelled } else { &mut ignored });
            let is_done = late.is_empty();
            returned.extend(late.iter().map(|part| part.element.clone()));
            if side == Side::Yours {
                if let Some(first) = first_marks.take() {
                    marks = first;
                }
                first_marks = (!is_done).then(|| marks.clone());
                kept = own_kept;
                let asked: Vec<String> = limits.iter().map(|l| l.question.clone()).collect();
                limits.extend(own_limits.into_iter().filter(|l| !asked.contains(&l.question)));
                restored.extend(late);
            }
            if is_done {
                break;
            }
        }
    }

    // 5. Narrow access
    access::narrow(&mut yours, &placement.new_fields, &returning.gone, &mut inserted);

    let first_new = memory.next;
    let set_aside: Vec<Part> = yours
        .parts
        .iter()
        .filter(|p| p.id >= first_new && matches!(p.fact, Fact::Needs(_) | Fact::Container | Fact::Limit))
        .cloned()
        .collect();
    remember(&mut memory, &scene, &things, &restricted, &yours, &stored);
    let aside = |e: &Element| yours.parts.iter().any(|p| p.left == Left::Absent && e.is_within(&p.element));
    memory.respelled = respelled.into_iter().filter(|r| yours.get(&r.element).is_some() || aside(&r.element)).collect();
    inserted.retain(|e| yours.get(e).is_some() || aside(e));
    memory.inserted = inserted;
    marks.retain(|element, value| yours.get(element) == value.as_ref() || aside(element));
    let mut new_accepted = ordered;
    new_accepted.outside.extend(tables.withheld());
    new_accepted.outside.sort();
    new_accepted.outside.dedup();

    keep_what_was_known(input, &taken, &comparison, &mut new_accepted);

    let mut questions = rename_questions(input, &comparison);
    questions.append(&mut tables.questions);
    questions.extend(placement.questions);
    for limit in limits {
        let mut question = about_limit(&limit);
        question.answer = answer(input, &question);
        questions.push(question);
    }
    questions.extend(source_questions(input, &sources, &set_aside));
    questions.extend(key_questions);
    let unasked = input.answers.keys().filter(|a| !questions.iter().any(|q| q.name == **a) && !a.starts_with("done/")).cloned().collect();
    let new_stored = Stored { tree: stored.tree, marks, start_role: input.stored.start_role.clone(), later: tables.later };
    let doubtful = doubtful.iter().filter_map(|e| Some(doubtful_sql(e, yours.tree.files.get(&e.file)?))).collect();
    Outcome {
        comparison,
        edits: yours.edits,
        tree: yours.tree,
        stored: new_stored,
        memory,
        accepted: new_accepted,
        questions,
        kept,
        set_aside,
        restored,
        doubtful,
        renamed_fields: followed.into_iter().map(|((entity, from), to)| (entity, from, to)).collect(),
        exclude: tables.exclude,
        unasked,
    }
}

/// SQL that can't be analysed with certainty isn't rewritten: a person has to look at it.
fn doubtful_sql(element: &Element, root: &Node) -> Finding {
    let rule = match element.last() {
        "rows" => "access/row-filter-broken",
        "formula" => "page/formula-broken",
        "rule" => "value/rule-broken",
        "select" | "sql" => "page/source-broken",
        _ if element.key_at(0) == Some("field") => "lookup/condition-broken",
        _ => "page/condition-broken",
    };
    let message = format!(
        "{} can't be analysed with certainty and may name something that is gone or renamed: it was left as it is",
        element.shown()
    );
    let mut finding = Finding::new(rule, Severity::Risk, message).entity(element.file.name()).help("look through it and mend it by hand");
    if let Some(at) = element.resolve(root).and_then(|path| root.at_path(&path)).map(|n| n.at) {
        finding.at = Some(Location::at(&element.file, at));
    }
    finding
}

/// Entities over tables that are renamed, or whose columns are, and those that show or look up their records.
fn entities_renamed(tree: &Tree, taken: &RenameMap) -> BTreeSet<String> {
    let of_columns = taken.column_renames().map(|(table, ..)| taken.table(table));
    let tables: BTreeSet<String> = taken.table_renames().map(|(_, to)| to).chain(of_columns).map(name::fold).collect();
    if tables.is_empty() {
        return BTreeSet::new();
    }
    let index = Index::of(tree);
    let is_renamed = |entity: &str| index.table(entity).is_some_and(|table| tables.contains(&name::fold(table)));
    let mut all = BTreeSet::new();
    for (entity, known) in &index.entities {
        for target in known.fields.values().filter_map(|f| f.target.as_ref()) {
            if is_renamed(entity) {
                all.insert(target.clone());
            }
            if is_renamed(target) {
                all.insert(entity.clone());
            }
        }
        if is_renamed(entity) {
            all.insert(entity.clone());
        }
    }
    all
}

/// The answers given, with the safe choice for every question that is open, until none is: an answer may open others.
pub fn safe_answers(input: &Input<'_>) -> BTreeMap<String, String> {
    let mut answers = input.answers.clone();
    loop {
        let outcome = merge(&Input { answers: &answers, ..*input });
        let open: Vec<(String, String)> = outcome.open_questions().map(|q| (q.name.clone(), q.safe.clone())).collect();
        if open.is_empty() {
            return answers;
        }
        answers.extend(open);
    }
}

/// Entities whose own SQL goes if anything it names is gone: so answered.
fn given_up(input: &Input<'_>, tree: &Tree) -> BTreeSet<String> {
    let is = |entity: &&str| input.answers.get(&source_question(entity)).is_some_and(|answer| answer == "set-aside");
    tree.entities().map(|(entity, _)| entity).filter(is).map(str::to_owned).collect()
}

/// Tables and columns that the changed schema lacks.
fn lost_things(accepted: &Schema, changed: &Schema) -> Vec<Thing> {
    let mut things = Vec::new();
    for table in &accepted.tables {
        match changed.table(&table.name) {
            None => things.push(Thing::table(&table.name)),
            Some(now) => {
                things.extend(table.columns.iter().filter(|c| now.column(&c.name).is_none()).map(|c| Thing::column(&table.name, &c.name)));
            }
        }
    }
    things
}

/// A draft without anything that is gone.
fn strip(tree: Tree, schema: &Schema, things: &[Thing], memory: &Memory) -> Tree {
    let mut editor = Editor::new(tree, Vec::new(), memory);
    let index = Index::of(&editor.tree);
    let mut pending = Pending::new();
    let gone = Losing { things, inserted: &BTreeSet::new(), given_up: &BTreeSet::new(), within: None };
    set_aside(&mut editor, &index, schema, gone, &mut pending);
    drop_pending(&mut editor, &pending);
    editor.tree
}

fn drop_pending(editor: &mut Editor, pending: &Pending) {
    for element in pending.keys() {
        let keep = editor.parts.len();
        editor.remove(element, Fact::Draft, "");
        editor.parts.truncate(keep);
    }
}

/// New columns that may be a hidden one's new name are hidden in the draft, whatever was answered.
fn hidden_replacements(input: &Input<'_>, comparison: &Comparison, taken: &RenameMap, p1: &mut Tree) -> BTreeSet<(String, String)> {
    let mut hidden = BTreeSet::new();
    let yours = Index::of(input.tree);
    for rename in &comparison.renames {
        let Some(old) = &rename.column else { continue };
        for (entity, known) in yours.of_table(&rename.table) {
            let is_hidden =
                |field: &str| input.tree.entity(entity).and_then(|e| e.get("field")?.get(field)?.get("hidden")?.as_bool()) == Some(true);
            if !known.fields.iter().any(|(field, names)| names.is_over(old) && is_hidden(field)) {
                continue;
            }
            let Some(fields) = p1.files.get_mut(&FileKey::Entity(entity.to_owned())).and_then(|root| root.at_path_mut(&["field".into()]))
            else {
                continue;
            };
            let Value::Table(entries) = &mut fields.value else { continue };
            let table = taken.table(&rename.table);
            for entry in entries.iter_mut() {
                let column = entry.node.get("column").and_then(Node::as_text).map(name::read);
                let offered =
                    column.as_ref().is_some_and(|c| name::contains(&rename.candidates, c) && input.accepted.column(table, c).is_none());
                if offered && rename.to.as_deref().is_none_or(|to| !rename.taken || !column.as_deref().is_some_and(|c| name::same(c, to))) {
                    entry.node.set("hidden", true.into());
                    hidden.insert((entity.to_owned(), entry.key.clone()));
                }
            }
        }
    }
    hidden
}
