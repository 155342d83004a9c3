//! A menu that a person laid out: its groups are nobody's but the person's. Nothing in it moves, whatever the draft does with its own
//! groups; what is new comes in once, to the end of a group that the draft made, or to one of its own.

use super::tile::Tile;
use super::walk::{AGAIN, Drafts, NEW, NO_MORE, Walk};
use super::whole::{keys, numbered, rows};
use crate::definition::{Node, Value};
use crate::merge::{Element, member_key};
use std::collections::{BTreeMap, BTreeSet};

/// Whether a person added, deleted or moved groups or entries. To call a group otherwise is no layout.
pub(super) fn is_laid_menu(menu: &Node, tiles: &[Tile]) -> bool {
    let is = |node: &Node, what: fn(&Tile) -> bool| tiles.get(node.tile as usize).is_some_and(what);
    let is_laid = |list: &Node| is(list, |t| t.laid) || list.items().iter().any(|item| is(item, |t| t.own));
    is_laid(menu) || menu.items().iter().any(|group| group.get("items").is_some_and(is_laid))
}

/// The entries of a group, to be changed.
fn entries_of(group: &mut Node) -> Option<&mut Vec<Node>> {
    let Value::Table(entries) = &mut group.value else { return None };
    match &mut entries.iter_mut().find(|e| e.key == "items")?.node.value {
        Value::List(items) => Some(items),
        _ => None,
    }
}

/// What a menu offers, over all its groups.
fn offered(menu: Option<&Node>) -> Vec<String> {
    rows(menu).iter().flat_map(|group| keys(group.get("items"))).collect()
}

impl Walk<'_> {
    /// Where something new goes: last, but before what a merge put there that is later in the draft.
    fn behind(&self, nodes: &[Node], is_later: impl Fn(&Node) -> bool) -> usize {
        let is_added = |node: &Node| self.tiles.get(node.tile as usize).is_some_and(|t| t.added);
        nodes.len() - nodes.iter().rev().take_while(|node| is_added(node) && is_later(node)).count()
    }

    /// The menu as one list of what it offers: whether an entry is there follows from whether the drafts offer it at all.
    pub(super) fn own_menu(&mut self, element: &Element, menu: &mut Node, drafts: Drafts<'_>) {
        let (accepted, changed) = (offered(drafts.accepted), offered(drafts.changed));
        let was: BTreeSet<&String> = accepted.iter().collect();
        let is: BTreeSet<&String> = changed.iter().collect();
        let place = element.key("items");
        let Value::List(groups) = &mut menu.value else { return };
        let is_away = |walk: &Self, node: &Node| walk.tiles.get(node.tile as usize).is_some_and(|t| t.away);
        // An entry stands once: of one that went from several groups, the first comes back.
        let mut standing: BTreeSet<String> = BTreeSet::new();
        let mut has: BTreeSet<String> = BTreeSet::new();
        for group in groups.iter() {
            let is_shown = !is_away(self, group);
            for item in group.get("items").map(Node::items).unwrap_or_default() {
                has.insert(member_key(item));
                if is_shown && !is_away(self, item) {
                    standing.insert(member_key(item));
                }
            }
        }
        for group in groups.iter_mut() {
            let was_away = is_away(self, group);
            let mut comes_back = false;
            for item in entries_of(group).into_iter().flatten() {
                let key = member_key(item);
                let is_standing = standing.contains(&key);
                let tile = self.tile(item);
                // What is hidden with its group goes by itself, where another of the group comes back.
                let away = tile.away || was_away;
                if tile.own {
                    continue;
                }
                if is.contains(&key) {
                    if away && !is_standing {
                        (tile.away, tile.added) = (false, true);
                        AGAIN.clone_into(&mut tile.because);
                        standing.insert(key);
                        comes_back = true;
                    } else if !away && !was.contains(&key) && !tile.was_hidden {
                        tile.stays = true;
                    } else if was_away {
                        tile.away = true;
                    }
                } else if was.contains(&key) && !away {
                    if tile.stays {
                        tile.stays = false;
                    } else if tile.added {
                        tile.away = true;
                        NO_MORE.clone_into(&mut tile.because);
                    }
                } else if was_away {
                    tile.away = true;
                }
            }
            if comes_back {
                self.tile(group).away = false;
            }
        }
        // What came in before stands behind what a person placed, in the order of the draft: whichever came first.
        let order: BTreeMap<&String, usize> = changed.iter().enumerate().map(|(at, key)| (key, at)).collect();
        let titles: Vec<String> = rows(drafts.changed).iter().map(member_key).collect();
        for (key, row) in rows(drafts.changed).iter().flat_map(|row| keys(row.get("items")).into_iter().map(move |key| (key, row))) {
            let is_out = self.given.left_out.contains(&place.member(&key).encode());
            if was.contains(&key) || is_out || !has.insert(key.clone()) {
                continue;
            }
            let entry = Node::text(&key);
            let title = member_key(row);
            let of_draft = groups.iter().position(|group| member_key(group) == title && !self.tile(group).own);
            match of_draft.and_then(|at| groups.get_mut(at)) {
                Some(group) => {
                    let entry = numbered(entry, self.tiles, NEW);
                    self.tile(group).away = false;
                    let is_later = |item: &Node| order.get(&member_key(item)) > order.get(&key);
                    if let Some(items) = entries_of(group) {
                        let at = self.behind(items, is_later);
                        items.insert(at, entry);
                    }
                }
                None => {
                    let place = |title: &String| titles.iter().position(|t| t == title);
                    let at = self.behind(groups, |group| place(&member_key(group)) > place(&title));
                    groups.insert(at, numbered(row.clone().with("items", Node::new(Value::List(vec![entry]))), self.tiles, NEW));
                }
            }
        }
        let lost = accepted.iter().filter(|key| !is.contains(key) && !has.contains(*key));
        self.left_out.extend(lost.map(|key| place.member(key).encode()));
        let shown = super::whole::shown(menu, self.tiles);
        if shown.as_ref() != drafts.changed {
            self.keep(element, shown.as_ref(), drafts.changed, drafts.accepted != drafts.changed);
        }
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn a_menu_laid_out_by_hand_is_never_rearranged() {
        crate::testkit::merge_as_said(
            r#"
# What is new comes to the end of the group that the draft made for it.
given app/menu = [{ label = "Mine", items = ["visit"] }, { label = "Records", items = ["keeper", "region"] }, { label = "Overviews", items = ["grown_up"] }]
after barn: id integer key numbered; name text(40) required
answer table/barn in
then app/menu = [{ label = "Mine", items = ["visit"] }, { label = "Records", items = ["keeper", "region", "barn"] }, { label = "Overviews", items = ["grown_up"] }]

# Where there is none, one of its own.
given app/menu = [{ label = "Mine", items = ["keeper", "region", "visit"] }]
after barn: id integer key numbered; name text(40) required
answer table/barn in
then app/menu = [{ label = "Mine", items = ["keeper", "region", "visit"] }, { label = "Records", items = ["barn"] }]

# The draft has a group of four tables of a kind now: what a person placed stays where it is.
given app/menu = [{ label = "Mine", items = ["keeper", "region", "keeper_card"] }]
before keeper_card: id integer key numbered; name text(40) required
after keeper_badge: id integer key numbered; name text(40) required
answer table/keeper_badge in
after keeper_medal: id integer key numbered; name text(40) required
answer table/keeper_medal in
after barn: id integer key numbered; name text(40) required
answer table/barn in
then app/menu = [{ label = "Mine", items = ["keeper", "region", "keeper_card"] }, { label = "Keepers", items = ["keeper_badge", "keeper_medal"] }, { label = "Records", items = ["barn"] }]

# What a person put in twice stays twice, and goes with its table alone.
given app/menu = [{ label = "First", items = ["region", "visit"] }, { label = "Second", items = ["region", "keeper"] }]
after drop visit
then app/menu = [{ label = "First", items = ["region"] }, { label = "Second", items = ["region", "keeper"] }]
"#,
        );
    }

    #[test]
    fn a_group_that_a_person_calls_otherwise_is_the_drafts_still() {
        crate::testkit::merge_as_said(
            r#"
given app/menu = [{ label = "Our work", items = ["keeper", "region"] }, { label = "Overviews", items = ["grown_up"] }]
after drop region
then app/menu = [{ label = "Our work", items = ["keeper"] }, { label = "Overviews", items = ["grown_up"] }]
"#,
        );
    }
}
