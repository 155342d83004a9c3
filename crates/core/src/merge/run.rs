//! The five steps, one after the other.

use super::asked::{answer, key_questions, rename_questions, source_questions};
use super::carried::{Carried, Lost};
use super::empty::{empty, wanting};
use super::follow::FieldNaming;
use super::hide::{Hiding, Told as Hidden, hide, tell_back};
use super::identities::Identities;
use super::layout::{LayoutInput, Placement};
use super::mentions::Mentions;
use super::outcome::{MergeInput, Outcome};
use super::questions::{about_limit, source_question};
use super::references::with_kept_references;
use super::titles::hold_titles;
use super::told::{Before, tell};
use super::values::Kept;
use super::walk::{self, walk};
use super::whole::has_own;
use super::{claim, follow, narrow, rekey};
use crate::changes::Comparison;
use crate::definition::{EntityIndex, FileKey, Node, Tree, Value};
use crate::draft::{Draft, DraftInput, Made, NamesInUse, draft};
use crate::merge::{Element, Thing};
use crate::name;
use crate::rename::{RenameMap, without_gone};
use crate::schema::{Schema, in_accepted_order};
use crate::sql::ResultColumn;
use std::collections::{BTreeMap, BTreeSet};

/// Merges a change of the database into the definition. Where a question is open, the result is that of its safe choice.
pub fn merge(given: &MergeInput<'_>) -> Outcome {
    let mut whole = given.whole.clone();
    let comparison = given.database().comparison();
    let taken = comparison.taken();
    let live = taken.applied_to(given.accepted);
    let mut tables = given.database().new_tables(&comparison, &live);
    let effective = tables.effective(given.changed, &live);

    // 1. Re-key
    follow::set_apart(&mut whole, given.set_apart, given.changed);
    follow::rename_by_hand(&mut whole, given.renamed, given.changed);
    let mut doubtful = if given.speaks_of_before { rekey::rekey_branch(&mut whole, given.known, given.accepted) } else { Vec::new() };
    let everything = given.known.all(given.accepted);
    let carried = Carried::of(given.known, given.accepted, &effective, &taken);
    let before = Before::of(given.whole);
    doubtful.extend(rekey::rekey(&mut whole, &everything, &carried.names));
    let followed = match given.field_names {
        FieldNaming::Follow => follow::follow(&mut whole, (&everything, &carried.all), &carried.names),
        FieldNaming::Keep => follow::NewNames::new(),
    };
    let mut left_out = carried.known.left_out.clone();
    left_out.elements.extend(given.deleted.iter().cloned());
    let still_out = |e: &String| !is_there(&whole.tree, &Element::decode(e));
    left_out.elements = left_out.elements.iter().map(|e| follow::renamed(e, &followed)).filter(still_out).collect();

    // The drafts, under the names in use
    let index = EntityIndex::of(&whole.tree);
    let accepted = carried.names.applied_to(given.accepted);
    let ordered = in_accepted_order(&carried.all, &effective);
    let asleep = &given.whole.tree.asleep;
    let is_own = |entity: &str| match asleep.get(entity) {
        Some(sleeper) => sleeper.is_own,
        None => whole.tree.entity(entity).and_then(|root| whole.tile(root)).is_some_and(|t| t.own),
    };
    let is_added = |entity: &str| {
        if let Some(sleeper) = asleep.get(entity) {
            return sleeper.is_added;
        }
        let root = whole.tree.entity(entity);
        root.is_some_and(|root| whole.tile(root).is_some_and(|t| t.added) && !has_own(root, &whole.tiles))
    };
    let first_names = carried.known.first_names(&carried.all);
    let earlier_names = first_names.clone();
    let by_first = |table: &str, column: &str| earlier_names.column(table, column).to_owned();
    let by_first_names = index.renamed(&first_names);
    let mut names = NamesInUse::of_whole(&whole.tree, &index, first_names, &is_own, &is_added);
    // A key behind another: the one that is shown holds where the columns of the other aren't there.
    for (entity, root) in whole.tree.entities() {
        let shown = root.get("key").and_then(|key| whole.tile(key)?.stand_in.as_ref());
        if let (Some(shown), Some(table)) = (shown, index.table(entity)) {
            let key: Vec<String> = shown.value.strings().iter().map(|c| name::read(c)).collect();
            names.add_key(table, &key);
        }
    }
    let open_to = given.known.start_role.as_deref().filter(|role| whole.tree.app().and_then(|a| a.get("role")?.get(role)).is_some());
    let title = whole.tree.title().to_owned();
    let seen = with_kept_references(&accepted, &whole, &index);
    let plan = |names: &NamesInUse, schema: &Schema, earlier: Option<&Made>| {
        draft(schema, &DraftInput { conventions: given.conventions, names, open_to, title: &title, earlier })
    };
    names.keep_out(&not_given(&index, [&accepted, &effective], &by_first), []);
    let first = plan(&names, &seen, None);
    // What a person deleted isn't drafted, so that nothing else in a draft names it.
    let lost = Lost::of(&carried.known);
    let (columns, deleted) = names.deleted(&index, &first.tree);
    keep_out(&mut left_out, &columns, &deleted, &by_first_names);
    let without_deleted = (!left_out.columns.is_empty() || !left_out.tables.is_empty()).then(|| {
        names.keep_out(&left_out.columns, &left_out.tables);
        plan(&names, &seen, Some(&first.made))
    });
    let deleted = without_deleted.as_ref().map(|accepted_draft| deleted_fields(&first.tree, &accepted_draft.tree)).unwrap_or_default();
    let Draft { tree: accepted_draft, signs, made, .. } = without_deleted.unwrap_or(first);
    left_out.elements.extend(claim::claim(&mut whole, &accepted_draft, given.fresh));
    narrow::restrict(&mut whole);
    let chosen = names.clone().with_keys(given.answers);
    let drafted = plan(&chosen, &with_kept_references(&ordered, &whole, &index), Some(&made));
    drop(made);
    let Draft { tree: mut changed_draft, signs: changed_signs, .. } = drafted;
    let unsteady = signs.into_iter().filter(|(entity, sign)| changed_signs.get(entity) != Some(sign)).map(|(entity, _)| entity).collect();
    let hidden = hidden_replacements(given, &comparison, &taken, &mut changed_draft);
    let concealed = hold_titles(&mut whole, &accepted_draft, &mut changed_draft);

    // 2. Values, and what is new
    let placement = Placement::of(&LayoutInput {
        whole: &whole,
        changed_draft: &changed_draft,
        known: &carried.names.applied_to(&everything),
        changed: &effective,
        answers: given.answers,
        policy: given.new_fields,
        hidden,
    });
    let restricted_before = narrow::restricted_shown(&whole);
    let is_lost = |table: &str, column: &String| lost.of_thing(&Thing::column(table, column)).is_some();
    let lost_keys: BTreeSet<String> =
        index.entities.iter().filter(|(_, e)| e.key.iter().any(|c| is_lost(&e.table, c))).map(|(e, _)| e.clone()).collect();
    let renamed: BTreeSet<(String, String)> = followed.iter().map(|((entity, _), to)| (entity.clone(), to.clone())).collect();
    let rules = walk::Given {
        placement: &placement,
        answers: given.answers,
        left_out: &left_out.elements,
        index: &index,
        lost_keys: &lost_keys,
        renamed: &renamed,
    };
    let walked = walk(&mut whole, &accepted_draft, &changed_draft, rules);
    let (mut kept, limits, new_fields) = (walked.kept, walked.limits, walked.new_fields);
    left_out.elements.extend(walked.left_out);
    // What another element is called now isn't left out.
    left_out.elements.retain(|e| !is_there(&whole.tree, &Element::decode(e)));
    kept.extend(deleted);

    // 4. Hide and show, of what is there now
    let words: Vec<String> = carried.known.lost.iter().map(|(t, c)| without_gone(c.as_deref().unwrap_or(t)).to_owned()).collect();
    let given_up = given_up(given, &whole.tree);
    // 3. Narrow access: before, since what is hidden from somebody is in no title
    narrow::narrow(&mut whole, &restricted_before, &new_fields);
    // Most definitions of most days hide nothing.
    let has_hidden = !carried.known.lost.is_empty()
        || whole.tiles.iter().any(|t| t.was_hidden || t.away || t.refused || t.stand_in.as_ref().is_some_and(|s| !s.limit));
    let tells_back = !carried.back.is_empty();
    // Hiding changes what stands in tiles, and no name: these are found once.
    let mentions = if has_hidden || tells_back { Mentions::of(&whole.tree, &carried.all) } else { Mentions::default() };
    let hiding = Hiding {
        mentions: &mentions,
        all: &carried.all,
        lost: &lost,
        words: &words,
        given_up: &given_up,
        wanting: &BTreeSet::new(),
        concealed: &concealed,
        changed_draft: &changed_draft,
    };
    let mut lacking = BTreeSet::new();
    let told = loop {
        let told = if has_hidden { hide(&mut whole, &Hiding { wanting: &lacking, ..hiding }) } else { Hidden::default() };
        empty(&mut whole);
        let more: BTreeSet<_> = wanting(&whole).difference(&lacking).cloned().collect();
        if more.is_empty() {
            break told;
        }
        lacking.extend(more);
    };
    // What goes for what it names comes back with that, whatever the draft says of it now; only then it is the draft's again.
    let was_away = |at: usize| given.whole.tiles.get(at).is_some_and(|t| t.away);
    for (at, tile) in whole.tiles.iter_mut().enumerate() {
        if tile.gone && tile.away && tile.at.is_some() && !was_away(at) {
            tile.away = false;
        }
    }
    if tells_back {
        tell_back(&mut whole, &Hiding { lost: &Lost::things(carried.back.iter().cloned()), words: &[], ..hiding });
    }
    doubtful.extend(told.doubtful.iter().filter(|e| !doubtful.contains(e)).cloned().collect::<Vec<_>>());

    let tree = whole.shown();
    let kept = as_shown(kept, &tree);
    let done = tell(&whole, &before);
    let mut accepted = ordered;
    accepted.outside.extend(tables.withheld());
    accepted.outside.sort();
    accepted.outside.dedup();
    keep_what_was_known(given, &taken, &comparison, &mut accepted);

    let mut questions = rename_questions(given.answers, &comparison);
    questions.append(&mut tables.questions);
    questions.extend(placement.questions);
    for limit in limits {
        let mut question = about_limit(&limit);
        question.answer = answer(given.answers, &question);
        questions.push(question);
    }
    let mut named: BTreeMap<String, Vec<Thing>> = BTreeMap::new();
    let known_before = given.known.renamed(&carried.names);
    let was_lost = |thing: &Thing| known_before.is_lost(thing);
    for (element, things) in &told.asked {
        let new: Vec<Thing> = things.iter().filter(|t| !was_lost(t)).cloned().collect();
        if !new.is_empty() {
            named.entry(element.file.name().to_owned()).or_default().extend(new);
        }
    }
    questions.extend(source_questions(given.answers, &named));
    let asks = |entity: &str| {
        let is_lost_now = |c: &String| {
            let thing = index.table(entity).map(|table| Thing::column(table, c));
            thing.is_some_and(|t| lost.of_thing(&t).is_some() && !was_lost(&t))
        };
        let before = given.whole.tree.entity(entity).and_then(|root| given.whole.tile(root));
        let is_new = before.is_none_or(|tile| tile.was_hidden);
        is_new || index.entities.get(entity).is_some_and(|e| e.key.iter().any(is_lost_now))
    };
    questions.extend(key_questions(given.answers, &drafted.keys, &asks));
    let asked: BTreeSet<&String> = questions.iter().map(|question| &question.name).collect();
    let unasked = given.answers.keys().filter(|answer| !asked.contains(answer) && !answer.starts_with("done/")).cloned().collect();
    let known = Identities { left_out, later: tables.later, start_role: given.known.start_role.clone(), ..carried.known };
    let doubtful = doubtful.iter().filter(|e| tree.files.get(&e.file).is_some_and(|root| e.resolve(root).is_some())).cloned().collect();
    Outcome {
        comparison,
        whole,
        tree,
        known,
        accepted,
        questions,
        kept,
        edits: done.changes,
        set_aside: done.set_aside,
        restored: done.restored,
        doubtful,
        renamed_fields: followed.into_iter().map(|((entity, from), to)| (entity, from, to)).collect(),
        exclude: tables.exclude,
        unasked,
        unsteady,
    }
}

/// Columns that the query of a person's own, which stands in for their table, doesn't give, by first names: nothing can be read from them,
/// and what has the name of one is something else.
fn not_given(index: &EntityIndex, schemas: [&Schema; 2], first: &dyn Fn(&str, &str) -> String) -> Vec<(String, String)> {
    let mut columns = Vec::new();
    for (entity, own) in &index.entities {
        let Some(select) = &own.select else { continue };
        for schema in schemas {
            let Some((table, results)) = schema.table(&own.table).zip(crate::sql::projection(select, schema)) else { continue };
            // What has the name of something else that the query gives can't be told from that.
            let is_given = |column: &str| {
                let is_it =
                    |c: &ResultColumn| c.from.as_ref().is_some_and(|(of, from)| name::same(of, &table.name) && name::same(from, column));
                let is_twice = |c: &ResultColumn| crate::sql::named_twice(&results).any(|twice| name::same(twice, &c.name));
                results.iter().any(|c| is_it(c) && !is_twice(c))
            };
            let missing = table.columns.iter().filter(|c| !is_given(&c.name));
            columns.extend(missing.map(|c| (entity.clone(), name::fold(&first(&own.table, &c.name)))));
        }
    }
    columns
}

/// Whether an element is there, shown or hidden.
fn is_there(tree: &Tree, element: &Element) -> bool {
    tree.files.get(&element.file).is_some_and(|root| element.resolve(root).is_some())
}

/// What a person left out: told by the draft of the accepted schema; of what is lost at the moment, as it was known before. All
/// by first names.
fn keep_out(left_out: &mut super::identities::LeftOut, columns: &[(String, String)], deleted: &[String], index: &EntityIndex) {
    let used = |entity: &str, column: &str| index.entities.get(entity).is_some_and(|e| e.fields.values().any(|f| f.is_over(column)));
    left_out.columns.retain(|(entity, column)| index.entities.contains_key(entity) && !used(entity, column));
    left_out.columns.extend(columns.iter().cloned());
    let has_entity = |table: &str| index.entities.values().any(|e| name::same(&e.table, table));
    left_out.tables.retain(|t| !has_entity(t));
    left_out.tables.extend(deleted.iter().cloned());
}

/// Customisations as they are shown: what is hidden with what it names isn't among them.
fn as_shown(kept: Vec<Kept>, tree: &Tree) -> Vec<Kept> {
    let shown = |one: Kept| {
        if one.yours.is_none() {
            return Some(one);
        }
        let root = tree.files.get(&one.element.file)?;
        let yours = root.at_path(&one.element.resolve(root)?)?.clone();
        let differs = Some(&yours) != one.draft.as_ref();
        differs.then_some(Kept { yours: Some(yours), ..one })
    };
    kept.into_iter().filter_map(shown).collect()
}

/// Fields and entities that a person deleted are customisations.
fn deleted_fields(first: &Tree, accepted_draft: &Tree) -> Vec<Kept> {
    let mut kept = Vec::new();
    for (file, root) in &first.files {
        let element = Element::file(file.clone());
        let Some(now) = accepted_draft.files.get(file) else {
            kept.push(Kept { element, yours: None, draft: Some(root.clone()), concerned: false });
            continue;
        };
        for field in root.get("field").map(Node::entries).unwrap_or_default() {
            if now.get("field").is_none_or(|f| f.get(&field.key).is_none()) {
                let element = element.key("field").key(&field.key);
                kept.push(Kept { element, yours: None, draft: Some(field.node.clone()), concerned: false });
            }
        }
    }
    kept
}

/// Entities whose own SQL goes if anything it names is gone: so answered.
fn given_up(given: &MergeInput<'_>, tree: &Tree) -> BTreeSet<String> {
    let is = |entity: &&str| given.answers.get(&source_question(entity)).is_some_and(|answer| answer == "set-aside");
    tree.entities().map(|(entity, _)| entity).filter(is).map(str::to_owned).collect()
}

/// What was measured of the data stays known until it is measured anew; and where nothing changed, the catalogue's
/// numbers alone, which move when a database is restored, are no reason to write.
fn keep_what_was_known(given: &MergeInput<'_>, taken: &RenameMap, comparison: &Comparison, accepted: &mut Schema) {
    if accepted.fingerprints.is_empty() {
        let known = given.accepted.fingerprints.iter().map(|f| {
            let (table, column) = (taken.table(&f.table).to_owned(), taken.column(&f.table, &f.column).to_owned());
            crate::schema::Fingerprint { table, column, ..f.clone() }
        });
        accepted.fingerprints = known.filter(|f| accepted.column(&f.table, &f.column).is_some()).collect();
        accepted.fingerprints.sort_by(|a, b| (&a.table, &a.column).cmp(&(&b.table, &b.column)));
    }
    let same = comparison.changes.is_empty()
        && accepted.tables == given.accepted.tables
        && accepted.objects == given.accepted.objects
        && accepted.outside == given.accepted.outside;
    if same {
        accepted.catalogue.clone_from(&given.accepted.catalogue);
    }
}

/// New columns that may be a hidden one's new name are hidden in the draft, whatever was answered.
fn hidden_replacements(
    given: &MergeInput<'_>,
    comparison: &Comparison,
    taken: &RenameMap,
    changed_draft: &mut Tree,
) -> BTreeSet<(String, String)> {
    let mut hidden = BTreeSet::new();
    if comparison.renames.is_empty() {
        return hidden;
    }
    let before = given.whole.shown();
    let yours = EntityIndex::of(&before);
    for rename in &comparison.renames {
        let Some(old) = &rename.column else { continue };
        for (entity, known) in yours.of_table(&rename.table) {
            let is_hidden =
                |field: &str| before.entity(entity).and_then(|e| e.get("field")?.get(field)?.get("hidden")?.as_bool()) == Some(true);
            if !known.fields.iter().any(|(field, names)| names.is_over(old) && is_hidden(field)) {
                continue;
            }
            let fields =
                changed_draft.files.get_mut(&FileKey::Entity(entity.to_owned())).and_then(|root| root.at_path_mut(&["field".into()]));
            let Some(Value::Table(entries)) = fields.map(|f| &mut f.value) else { continue };
            let table = taken.table(&rename.table);
            for entry in entries.iter_mut() {
                let column = entry.node.get("column").and_then(Node::as_text).map(name::read);
                let offered =
                    column.as_ref().is_some_and(|c| name::contains(&rename.candidates, c) && given.accepted.column(table, c).is_none());
                if offered && rename.to.as_deref().is_none_or(|to| !rename.taken || !column.as_deref().is_some_and(|c| name::same(c, to))) {
                    entry.node.set("hidden", true.into());
                    hidden.insert((entity.to_owned(), entry.key.clone()));
                }
            }
        }
    }
    hidden
}

/// Merges with the safe choice for every question that is open, until none is: an answer may open others. Gives the answers too.
pub fn safe_merge(input: &MergeInput<'_>) -> (BTreeMap<String, String>, Outcome) {
    let mut answers = input.answers.clone();
    loop {
        let outcome = merge(&MergeInput { answers: &answers, ..*input });
        let open: Vec<(String, String)> = outcome.open_questions().map(|q| (q.name.clone(), q.safe.clone())).collect();
        if open.is_empty() {
            return (answers, outcome);
        }
        answers.extend(open);
    }
}
