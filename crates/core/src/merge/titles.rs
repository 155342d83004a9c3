//! Which titles of the changed draft are taken over. A title says what people see of a record wherever it is named, so one that still
//! works stays, and one that would show what is hidden from somebody doesn't come in.

use super::hide::{key_title, names_hidden};
use super::narrow;
use super::whole::{Whole, item};
use crate::definition::{EntityIndex, FileKey, Node, Tree, Value};
use std::collections::BTreeSet;

/// A title that names a field hidden from somebody isn't taken over: the one before stays, or the key. Nor is any other where the one
/// that stands still works. What stands instead is remembered under that draft: whichever way the database
/// comes there again, it is the same. Gives the files of titles that were concealed.
pub(super) fn hold_titles(whole: &mut Whole, accepted_draft: &Tree, changed_draft: &mut Tree) -> BTreeSet<FileKey> {
    let mut of_files = BTreeSet::new();
    let is_as_before = |(file, root): (&FileKey, &Node)| {
        accepted_draft.files.get(file).is_none_or(|before| ["title", "page"].iter().all(|key| before.get(key) == root.get(key)))
    };
    if changed_draft.files.iter().all(is_as_before) {
        return of_files;
    }
    let restricted = narrow::restricted_entities(&whole.tree);
    let drafted = EntityIndex::of(changed_draft);
    for (file, root) in changed_draft.files.iter_mut() {
        let Some(mine) = whole.tree.files.get(file) else { continue };
        let there = mine.get("title").cloned();
        let before = accepted_draft.files.get(file);
        let (old, new) = (before.and_then(|b| b.get("title")).cloned(), root.get("title").cloned());
        let (Some(old), Some(text)) = (old, new.as_ref().and_then(Node::as_text)) else { continue };
        // One that stands although somebody doesn't see all of it, since it was hidden from them later, stands again under the same draft.
        let leaves = there.as_ref() == Some(&old) && Some(&old) != new.as_ref() && names_hidden(mine, old.as_text().unwrap_or_default());
        let tile = there.as_ref().filter(|_| leaves).map(|node| node.tile as usize);
        if let Some(tile) =
            tile.and_then(|at| whole.tiles.get_mut(at)).filter(|t| !t.own && !t.faces.iter().any(|(d, _)| d.as_ref() == Some(&old)))
        {
            tile.faces.push((Some(old.plain()), old.plain()));
        }
        let known_before =
            there.as_ref().and_then(|t| whole.tile(t)).is_some_and(|t| t.faces.iter().any(|(d, _)| d.as_ref() == new.as_ref()));
        let is_new = |field: &str| {
            before.and_then(|b| b.get("field")?.get(field)).is_none() && mine.get("field").and_then(|f| f.get(field)).is_none()
        };
        let concealed = restricted.contains(file.name()) && crate::sql::parse_template(text).fields().any(|(f, ..)| is_new(f));
        // What stands there already exposes nothing new.
        let stands = there == new;
        if stands || Some(&old) == new.as_ref() || known_before {
            continue;
        }
        if !(concealed || names_hidden(mine, text)) {
            let works = there.as_ref().filter(|node| works(node, file.name(), &drafted) && !whole.tile(node).is_some_and(|t| t.own));
            if let Some(tile) = works.and_then(|node| whole.tiles.get_mut(node.tile as usize)) {
                tile.faces.push((new, there.as_ref().map(Node::plain).unwrap_or_default()));
                root.set("title", old);
            }
            continue;
        }
        of_files.insert(file.clone());
        let fields = root.get("field");
        let stays = crate::sql::parse_template(old.as_text().unwrap_or_default())
            .fields()
            .all(|(f, ..)| fields.and_then(|all| all.get(f)).is_some());
        let instead = if stays { Some(old) } else { key_title(file, root) };
        let stands_now = if stays { there.clone() } else { instead.clone() };
        instead.into_iter().for_each(|title| root.set("title", title));
        let tile = there.and_then(|node| whole.tiles.get_mut(node.tile as usize)).filter(|tile| !tile.own);
        if let (Some(tile), Some(stands_now)) = (tile, stands_now) {
            tile.faces.push((new, stands_now.plain()));
        }
    }
    hold_sorts(whole, &drafted, accepted_draft, changed_draft);
    of_files
}

/// Whether a title can be read of a draft: every field that it names is there, in the entity or in the one that a lookup leads to.
fn works(title: &Node, entity: &str, drafted: &EntityIndex) -> bool {
    let Some(known) = drafted.entities.get(entity) else { return false };
    crate::sql::parse_template(title.as_text().unwrap_or_default()).fields().all(|(field, _, of)| {
        let Some(own) = known.fields.get(field) else { return false };
        let target = || own.target.as_ref().and_then(|target| drafted.entities.get(target));
        of.is_none_or(|(inner, _)| target().is_some_and(|target| target.fields.contains_key(inner)))
    })
}

/// An order that still works stays too: of an entity's pages, and of the lists of its records on others'. One that gave way to another
/// comes back with its fields.
fn hold_sorts(whole: &Whole, drafted: &EntityIndex, accepted: &Tree, changed: &mut Tree) {
    for (file, root) in changed.files.iter_mut() {
        let (Some(before), Some(mine)) = (accepted.files.get(file).and_then(|root| root.get("page")), whole.tree.files.get(file)) else {
            continue;
        };
        if root.get("page") == Some(before) {
            continue;
        }
        let Some(Value::Table(pages)) = root.at_path_mut(&["page".into()]).map(|pages| &mut pages.value) else { continue };
        for page in pages {
            let (Some(before), mine) = (before.get(&page.key), mine.get("page").and_then(|pages| pages.get(&page.key))) else { continue };
            hold_sort(whole, drafted, file.name(), &mut page.node, (before, mine));
            let Some(Value::List(lists)) = page.node.at_path_mut(&["children".into()]).map(|children| &mut children.value) else {
                continue;
            };
            for list in lists {
                let (key, entity) = (list.member_key(), list.get("entity").and_then(Node::as_text).unwrap_or_default().to_owned());
                if let Some(before) = item(before.get("children"), &key) {
                    let mine = mine.and_then(|mine| item(mine.get("children"), &key));
                    hold_sort(whole, drafted, &entity, list, (before, mine));
                }
            }
        }
    }
}

/// The same of one list of an entity's records: what the drafts say of it, and what stands there.
fn hold_sort(whole: &Whole, drafted: &EntityIndex, entity: &str, list: &mut Node, (before, mine): (&Node, Option<&Node>)) {
    let (Some(was), Some(is)) = (before.get("sort"), list.get("sort")) else { return };
    let fields = drafted.entities.get(entity).map(|known| &known.fields);
    let still_works = |member: &Node| fields.is_some_and(|fields| fields.contains_key(&member.member_key()));
    let waits = |member: &Node| {
        let known = mine.and_then(|mine| item(mine.get("sort"), &member.member_key()));
        known.is_some_and(|own| whole.tile(own).is_some_and(|tile| tile.was_hidden))
    };
    if was != is && was.items().iter().all(still_works) && !is.items().iter().any(waits) {
        let was = was.clone();
        list.set("sort", was);
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn a_title_that_still_works_stays_with_what_is_sorted_by_it() {
        crate::testkit::merge_as_said(
            r#"
# A new column that nobody has filled in yet.
after keeper + name text(40)
then keeper/title = "{last_name}"
then keeper/page.list.sort = ["last_name"]

# A draft of today would say otherwise.
before shed: id integer key numbered; code text(10)
after shed + name text(40) required
then shed/title = "{code}"
then shed/page.list.sort = ["code"]

# It doesn't work any more: the draft's.
before shed: id integer key numbered; code text(10)
after shed + name text(40) required
after drop shed.code
then shed/title = "{name}"
then shed/page.list.sort = ["name"]
"#,
        );
        crate::testkit::draft_as_said(
            r#"
before shed: id integer key numbered; code text(10); name text(40) required
then shed/title = "{name}"
then shed/page.list.sort = ["name"]
"#,
        );
    }
}
