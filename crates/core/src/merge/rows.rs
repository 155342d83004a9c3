//! Arrays: members come in beside the neighbours they have in the draft, members that the draft lost go, and what a person
//! ordered is never reordered.

use super::layout::CHOSEN;
use super::menu::is_laid_menu;
use super::questions::Limit;
use super::row_matching::Matching;
use super::walk::{AGAIN, Drafts, NEW, NO_MORE, Walk};
use super::whole::{Members, has_own, item, keys, numbered, place_by, rows};
use crate::definition::{Node, Shape, Value};
use crate::merge::{Element, member_key};
use std::collections::{HashMap, HashSet};

impl Walk<'_> {
    /// An array of names.
    pub(super) fn set(&mut self, element: &Element, node: &mut Node, drafts: Drafts<'_>) {
        self.set_called(element, element, node, drafts);
    }

    /// An array of names in a row that the changed draft may call otherwise: what a person left out of it is known by either.
    fn set_called(&mut self, element: &Element, now: &Element, node: &mut Node, drafts: Drafts<'_>) {
        // What is on a page a person laid out stays until its column goes. What it is searched and sorted by is no layout, but as much a
        // person's where a person chose it.
        let is_laid = self.tile(node).laid || node.items().iter().any(|m| self.tiles.get(m.tile as usize).is_some_and(|t| t.own));
        let is_chosen = is_laid && CHOSEN.contains(&element.last());
        let hand_laid = is_chosen || element.last() == "fields" && self.given.placement.is_hand_laid(element);
        let (accepted, changed) = (keys(drafts.accepted), keys(drafts.changed));
        let was: HashSet<&String> = accepted.iter().collect();
        let is: HashSet<&String> = changed.iter().collect();
        let Value::List(items) = &mut node.value else { return };
        for member in items.iter() {
            let key = member_key(member);
            let tile = self.tile(member);
            if tile.own {
                continue;
            }
            if is.contains(&key) {
                if tile.away {
                    tile.away = false;
                    AGAIN.clone_into(&mut tile.because);
                    // It went before a person laid the page out: it goes again with its cause.
                    tile.added |= hand_laid;
                } else if !was.contains(&key) && !tile.was_hidden {
                    tile.stays = true;
                }
            } else if was.contains(&key) && !tile.away {
                if tile.stays {
                    tile.stays = false;
                } else if !hand_laid || tile.added {
                    // What a merge put in goes with its cause.
                    tile.away = true;
                    NO_MORE.clone_into(&mut tile.because);
                }
            }
        }
        let mut there: Vec<String> = items.iter().map(member_key).collect();
        let mut has: HashSet<String> = there.iter().cloned().collect();
        for (key, new) in changed.iter().zip(rows(drafts.changed)).filter(|(key, _)| !was.contains(key)) {
            let is_out = || [element, now].iter().any(|at| self.given.left_out.contains(&at.member(key).encode()));
            let comes = !has.contains(key) && !is_out() && !is_chosen;
            if comes && self.given.placement.admits(element, key) {
                let at = place_by(&changed, key, &there);
                items.insert(at, numbered(new.clone(), self.tiles, NEW));
                there.insert(at, key.clone());
                has.insert(key.clone());
            }
        }
        let lost = accepted.iter().filter(|key| !is.contains(key) && !has.contains(*key));
        self.left_out.extend(lost.map(|key| element.member(key).encode()));
        let shown = super::whole::shown(node, self.tiles);
        let differs = keys(shown.as_ref()) != changed || shown.as_ref().map(Node::strings) != drafts.changed.map(Node::strings);
        if differs && (is_laid || hand_laid) {
            self.keep(element, shown.as_ref(), drafts.changed, accepted != changed);
        }
    }

    /// An array of tables: sections, menu groups, child lists, choices. They match by their key, else by most shared members.
    pub(super) fn records(&mut self, element: &Element, node: &mut Node, shape: Shape, drafts: Drafts<'_>) {
        let Shape::Records { keys: record, .. } = shape else { return };
        if element.last() == "menu" && is_laid_menu(node, self.tiles) {
            return self.own_menu(element, node, drafts);
        }
        let hand_laid = self.given.placement.is_hand_laid(element);
        let told = self.kept.len();
        if element.last() == "choices" {
            self.choices(element, node, drafts);
        }
        let matching = Matching::of(node, drafts, self.tiles, ["sections", "menu"].contains(&element.last()));
        let Value::List(items) = &mut node.value else { return };
        let (accepted_rows, changed_rows) = (Members::of(drafts.accepted), Members::of(drafts.changed));
        let places = |items: &[Node]| items.iter().enumerate().rev().map(|(at, row)| (row.tile, at)).collect::<HashMap<u32, usize>>();
        let there = places(items);
        let mut previous: Option<u32> = None;
        let mut new_rows: Vec<(Option<u32>, Node)> = Vec::new();
        for row in rows(drafts.changed) {
            let title = member_key(row);
            let before = accepted_rows.get(&title);
            if let Some(own) = matching.yours_for(&title) {
                let accepted = matching.row_before(&accepted_rows, own);
                if let Some(mine) = there.get(&own).and_then(|at| items.get_mut(*at)) {
                    let member = element.member(&member_key(mine));
                    let at = self.tile(mine).at.clone();
                    let tile = self.tile(mine);
                    if tile.away {
                        tile.away = false;
                        AGAIN.clone_into(&mut tile.because);
                    } else if accepted.is_none() && at.is_none() && !tile.was_hidden && !tile.own {
                        tile.stays = true;
                    }
                    tile.forget_departure();
                    let of = Drafts { accepted: accepted.or(at.as_ref()), changed: Some(row) };
                    for key in record {
                        self.row_key((&member, &element.member(&title)), mine, key.name, key.shape, of);
                    }
                }
                previous = Some(own);
            } else if before.is_none() || matching.yours_before(&title).is_some() {
                // New, or what was called so is called otherwise now.
                if let Some(new) = self.new_row(element, row) {
                    let new = numbered(new, self.tiles, NEW);
                    let own = new.tile;
                    new_rows.push((previous, new));
                    previous = Some(own);
                }
            } else if let Some(before) = before.filter(|_| element.last() == "sections") {
                self.emptied_row(element, items, row, before);
            }
        }
        for (after, new) in new_rows {
            let behind = after.and_then(|a| items.iter().position(|i| i.tile == a)).map(|at| at + 1);
            items.insert(behind.unwrap_or(if hand_laid { items.len() } else { 0 }), new);
        }
        let there = places(items);
        for row in rows(drafts.accepted) {
            let title = member_key(row);
            let Some(own) = matching.yours_before(&title) else {
                if changed_rows.get(&title).is_none() {
                    self.left_out.insert(element.member(&title).encode());
                }
                continue;
            };
            // Another row may be called so now.
            let at = there.get(&own).filter(|_| !matching.is_there_now(own));
            if let Some(mine) = at.and_then(|at| items.get_mut(*at)) {
                self.row_lost(element, mine, row, record, hand_laid);
            }
        }
        // What went with what it names, and names something that is there again, is the draft's again.
        for mine in items.iter_mut().filter(|i| !matching.is_there(i.tile)) {
            if let Some(at) = self.tile(mine).at.clone().filter(|_| !has_own(mine, self.tiles)) {
                self.row_lost(element, mine, &at, record, hand_laid);
            }
        }
        let shown = super::whole::shown(node, self.tiles);
        let is_own = self.tile(node).laid;
        // What is told row by row isn't told as a whole too.
        if is_own && self.kept.len() == told && shown.as_ref() != drafts.changed {
            self.keep(element, shown.as_ref(), drafts.changed, drafts.accepted != drafts.changed);
        }
    }

    /// A row that the draft has no more.
    fn row_lost(&mut self, element: &Element, mine: &mut Node, row: &Node, record: &'static [crate::definition::Key], hand_laid: bool) {
        let is_own = has_own(mine, self.tiles);
        let tile = self.tile(mine);
        if tile.stays {
            tile.stays = false;
            return;
        }
        if tile.away {
            return;
        }
        tile.at = Some(row.plain());
        let stays = is_own || hand_laid && element.last() == "sections";
        if !stays {
            tile.away = true;
            NO_MORE.clone_into(&mut tile.because);
        } else if element.last() != "choices" {
            // What a person added stays; what was the generator's goes.
            let member = element.member(&member_key(mine));
            for key in record.iter().filter(|k| matches!(k.shape, Shape::Set(_))) {
                self.row_key((&member, &member), mine, key.name, key.shape, Drafts { accepted: Some(row), changed: None });
            }
        }
    }

    /// A key of a row, with the element that the row is, and the one that it is under the changed draft's name.
    fn row_key(&mut self, (member, now): (&Element, &Element), mine: &mut Node, name: &str, shape: Shape, of: Drafts<'_>) {
        let element = member.key(name);
        let drafts = of.key(name);
        let Value::Table(entries) = &mut mine.value else { return };
        match entries.iter_mut().find(|e| e.key == name) {
            Some(entry) => match shape {
                Shape::Set(_) => self.set_called(&element, &now.key(name), &mut entry.node, drafts),
                _ => {
                    let own = self.tile(&entry.node).own;
                    match (drafts.accepted, drafts.changed) {
                        (accepted, Some(changed)) if accepted != Some(changed) && own => {
                            self.keep(&element, Some(&entry.node), Some(changed), true);
                        }
                        (Some(_), Some(changed)) if own && entry.node != *changed => {
                            self.keep(&element, Some(&entry.node), Some(changed), false);
                        }
                        (None, Some(changed)) if !own => self.follows(&mut entry.node, None, changed),
                        (Some(accepted), Some(changed)) if accepted != changed && !own => {
                            self.follows(&mut entry.node, Some(accepted), changed);
                        }
                        _ => {}
                    }
                }
            },
            None => match (drafts.accepted, drafts.changed) {
                (None, Some(new)) if !self.given.left_out.contains(&element.encode()) => {
                    let is_list = matches!(new.value, Value::List(_));
                    let admitted = if is_list { self.given.placement.admitted(&element, new) } else { Some(new.clone()) };
                    let Some(new) = admitted else { return };
                    let new = numbered(new, self.tiles, NEW);
                    super::walk::enter_key(mine, name, new, of.changed);
                }
                (Some(_), None) => {
                    self.left_out.insert(element.encode());
                }
                _ => {}
            },
        }
    }

    /// A section or group that is new in the draft, with those of its members that may come in.
    fn new_row(&mut self, element: &Element, row: &Node) -> Option<Node> {
        let own = element.member(&member_key(row));
        if self.given.left_out.contains(&own.encode()) {
            return None;
        }
        let mut row = row.clone();
        for list in ["fields", "items"] {
            if let Some(inner) = row.get(list) {
                let mut admitted = self.given.placement.admitted(element, inner)?;
                // What a person left out of a row of this name stays out.
                let place = own.key(list);
                if let Value::List(members) = &mut admitted.value {
                    members.retain(|m| !self.given.left_out.contains(&place.member(&member_key(m)).encode()));
                    if members.is_empty() {
                        return None;
                    }
                }
                row.set(list, admitted);
            }
        }
        Some(row)
    }

    /// New members of a section that a person took out go to the last one.
    fn emptied_row(&mut self, element: &Element, items: &mut [Node], row: &Node, before: &Node) {
        let old = keys(before.get("fields"));
        let order = keys(row.get("fields"));
        let Some(target) = items.last_mut() else { return };
        let own = element.member(&member_key(target)).key("fields");
        let Value::Table(entries) = &mut target.value else { return };
        let Some(list) = entries.iter_mut().find(|e| e.key == "fields") else { return };
        let Value::List(members) = &mut list.node.value else { return };
        for key in order.iter().filter(|m| !old.contains(m)) {
            let there: Vec<String> = members.iter().map(member_key).collect();
            let is_out = self.given.left_out.contains(&own.member(key).encode());
            if there.contains(key) || is_out || !self.given.placement.admits(element, key) {
                continue;
            }
            if let Some(new) = item(row.get("fields"), key) {
                members.insert(place_by(&order, key, &there), numbered(new.clone(), self.tiles, NEW));
            }
        }
    }

    /// Choices of a person's own, or in a person's own words, that the database accepts no more are a question; those it
    /// accepts again come back.
    fn choices(&mut self, element: &Element, node: &mut Node, drafts: Drafts<'_>) {
        let changed = Members::of(drafts.changed);
        let accepts = |key: &str| drafts.changed.is_none_or(|changed| changed.items().is_empty()) || changed.get(key).is_some();
        for row in node.items() {
            let key = member_key(row);
            let tile = self.tile(row);
            if tile.refused && accepts(&key) {
                tile.refused = false;
                "the database accepts it again".clone_into(&mut tile.because);
            }
        }
        if drafts.accepted == drafts.changed {
            return;
        }
        let by_hand = |walk: &Self, row: &&Node| has_own(row, walk.tiles);
        let refused: Vec<u32> =
            node.items().iter().filter(|row| by_hand(self, row)).filter(|row| !accepts(&member_key(row))).map(|r| r.tile).collect();
        let open: Vec<u32> = refused.into_iter().filter(|at| self.tiles.get(*at as usize).is_some_and(|t| !t.refused)).collect();
        if open.is_empty() {
            return;
        }
        let question = self.given.placement.limit_question(element);
        let keep = self.given.answers.get(&question).is_some_and(|answer| answer == "keep");
        let shown = super::whole::shown(node, self.tiles);
        self.limits.push(Limit { question, element: element.clone(), yours: shown.clone(), database: drafts.changed.cloned() });
        if keep {
            return self.keep(element, shown.as_ref(), drafts.changed, true);
        }
        for at in open {
            if let Some(tile) = self.tiles.get_mut(at as usize) {
                tile.refused = true;
                "the database accepts it no more".clone_into(&mut tile.because);
            }
        }
    }
}
