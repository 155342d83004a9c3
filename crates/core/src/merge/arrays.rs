//! Ownership in arrays: members come in relative to the neighbours they have in the draft, members the draft
//! lost go, and what a person ordered is never reordered.

use super::element::{Element, member_key};
use super::memory::Fact;
use super::ownership::{Drafts, Kept, Owner, Side, before_in};
use super::questions::Limit;
use crate::definition::{Node, Shape, Value};

fn keys(node: Option<&Node>) -> Vec<String> {
    node.map(|n| n.items().iter().map(member_key).collect()).unwrap_or_default()
}

fn item<'a>(node: Option<&'a Node>, key: &str) -> Option<&'a Node> {
    node?.items().iter().find(|i| member_key(i) == key)
}

impl Owner<'_> {
    /// An array of names.
    pub(super) fn set(&mut self, element: &Element, drafts: Drafts<'_>, around: Option<&Node>) {
        let yours = self.editor.get(element).cloned();
        let hand_laid = self.side == Side::Yours && self.placement.is_hand_laid(element);
        let (d, p0, p1) = (keys(drafts.d), keys(drafts.p0), keys(drafts.p1));
        let Some(yours) = yours else {
            let fresh: Vec<Node> = drafts
                .p1
                .map(Node::items)
                .unwrap_or_default()
                .iter()
                .filter(|i| self.placement.admits(self.side, element, &member_key(i)))
                .cloned()
                .collect();
            let was_there = !d.is_empty() || !p0.is_empty();
            if !fresh.is_empty() && (!was_there || self.waits_for_draft(element)) {
                self.add_array(element, Node::new(Value::List(fresh)), around);
            }
            return;
        };
        let y = keys(Some(&yours));
        if self.side == Side::Yours {
            // What a person took out stays out, also when the draft loses it and has it again.
            for lost in p0.iter().filter(|m| !p1.contains(m) && !y.contains(m) && d.contains(m)) {
                self.marks.insert(element.member(lost), None);
            }
        }
        if !hand_laid {
            // What a merge let in goes as well when the draft no longer has it, whenever it lost it.
            for lost in y.iter().filter(|m| !p1.contains(m)) {
                let member = element.member(lost);
                let owned = p0.contains(lost) || self.inserted.contains(&member);
                if owned && !self.is_marked(&member) {
                    self.inserted.remove(&member);
                    self.editor.remove(&member, Fact::Draft, "the draft no longer has it");
                    let inserted = self.inserted.contains(element);
                    if inserted && self.editor.get(element).is_some_and(|n| n.items().is_empty()) {
                        self.editor.remove(element, Fact::Container, "nothing is left in it");
                    }
                }
            }
        }
        let was_here = |owner: &Self, m: &str| owner.editor.removed(&element.member(m)).is_some_and(|p| p.fact == Fact::Draft);
        let new: Vec<String> = p1.iter().filter(|m| !p0.contains(m) || was_here(self, m)).cloned().collect();
        for new in &new {
            if y.contains(new) {
                if !d.contains(new) && self.side == Side::Yours {
                    self.marks.insert(element.member(new), item(Some(&yours), new).cloned());
                }
                continue;
            }
            let deleted = d.contains(new) && !was_here(self, new) || self.is_taken_out(&element.member(new));
            if !deleted && self.placement.admits(self.side, element, new) {
                self.enter(element, new, &p1, item(drafts.p1, new));
            }
        }
        if self.side == Side::Yours {
            let now = keys(self.editor.get(element));
            if now != d && now != p1 {
                self.kept.push(Kept { element: element.clone(), yours: Some(yours), draft: drafts.p1.cloned(), concerned: p0 != p1 });
            }
        }
    }

    /// Whether a merge took it out because the draft had lost it.
    fn waits_for_draft(&self, element: &Element) -> bool {
        self.editor.removed(element).is_some_and(|part| part.fact == Fact::Draft)
    }

    fn is_marked(&self, member: &Element) -> bool {
        self.marks.get(member).is_some_and(|value| value.as_ref() == self.editor.get(member))
    }

    /// Whether a person took the element out before the draft lost it.
    pub(super) fn is_taken_out(&self, element: &Element) -> bool {
        self.side == Side::Yours && self.marks.get(element) == Some(&None)
    }

    fn add_array(&mut self, element: &Element, value: Node, around: Option<&Node>) {
        let waiting = self.editor.removed(element).filter(|p| matches!(p.fact, Fact::Draft | Fact::Container)).map(|p| p.id);
        if let Some(id) = waiting
            && self.editor.put_back(id, "the draft has it again")
        {
            for member in value.items() {
                let all: Vec<String> = value.items().iter().map(member_key).collect();
                if !keys(self.editor.get(element)).contains(&member_key(member)) {
                    self.enter(element, &member_key(member), &all, Some(member));
                }
            }
            return;
        }
        self.editor.insert(element, value, before_in(around, element.last()), "new in the draft");
        self.inserted.insert(element.clone());
    }

    /// Lets a member in: in its own bytes where it was here before, else next to its neighbour in the draft.
    pub(super) fn enter(&mut self, element: &Element, member: &str, order: &[String], value: Option<&Node>) {
        let Some(value) = value.cloned() else { return };
        let target = element.member(member);
        if self.editor.get(&target).is_some() {
            return;
        }
        // What waited in a container that has just come back itself is there as well: the draft wouldn't have it otherwise.
        if let Some(id) = self.editor.removed(&target).filter(|p| matches!(p.fact, Fact::Draft | Fact::Needs(_))).map(|p| p.id)
            && self.editor.put_back(id, "the draft has it again")
        {
            return;
        }
        let there = keys(self.editor.get(element));
        let own = order.iter().position(|k| k == member).unwrap_or(order.len());
        let position = |k: &String| there.iter().position(|t| t == k);
        let index = order[..own]
            .iter()
            .rev()
            .find_map(position)
            .map(|at| at + 1)
            .or_else(|| order.iter().skip(own + 1).find_map(position))
            .unwrap_or(there.len());
        self.editor.insert_member(element, index, value, "new in the draft");
        self.inserted.insert(target);
    }

    /// An array of tables: sections, menu groups. They match by title, else by most shared members.
    pub(super) fn records(&mut self, element: &Element, shape: Shape, drafts: Drafts<'_>, around: Option<&Node>) {
        let Shape::Records { keys: record, .. } = shape else { return };
        let yours = self.editor.get(element).cloned();
        let Some(yours) = yours else {
            let flat = self.side == Side::Yours && self.placement.is_hand_laid(element);
            let is_new = drafts.p0.is_none() && drafts.d.is_none() && !flat;
            if let Some(p1) = drafts.p1.filter(|p| !p.items().is_empty() && (is_new || self.waits_for_draft(element))) {
                self.add_array(element, p1.clone(), around);
            }
            return;
        };
        let untouched = Some(&yours) == drafts.d || Some(&yours) == drafts.p0;
        // Emptied by what is gone, it waits as it is; the menu is written table by table.
        let whole = !yours.items().is_empty() && element.file != crate::definition::FileKey::App;
        if whole && drafts.p1.is_none() && drafts.p0.is_some() && untouched && !self.marks.keys().any(|m| m.is_within(element)) {
            self.inserted.remove(element);
            return self.editor.remove(element, Fact::Draft, "the draft no longer has it");
        }
        let is_choices = element.last() == "choices" && self.side == Side::Yours;
        let kept_choices = if is_choices { self.choices(element, drafts) } else { Vec::new() };
        let yours = self.editor.get(element).cloned().unwrap_or(yours);
        let hand_laid = self.side == Side::Yours && self.placement.is_hand_laid(element);
        let matching = Matching::of(&yours, drafts);
        let mut previous: Option<String> = None;
        for row in drafts.p1.map(Node::items).unwrap_or_default() {
            let title = member_key(row);
            let before = item(drafts.p0, &title);
            if let Some(own) = matching.yours_for(&title) {
                let member = element.member(&own);
                let own_drafts = Drafts { d: matching.row(drafts.d, &own), p0: matching.row(drafts.p0, &own), p1: Some(row) };
                for key in record {
                    self.record_key(&member.key(key.name), key.shape, own_drafts.key(key.name));
                }
                // Its title may have followed the draft.
                previous = Some(if self.editor.get(&member).is_some() { own } else { title });
            } else if before.is_none() {
                self.new_row(element, row, previous.as_deref(), hand_laid);
                previous = Some(title);
            } else {
                self.emptied_row(element, row, before);
            }
        }
        if self.side == Side::Yours {
            for row in drafts.p0.map(Node::items).unwrap_or_default() {
                let title = member_key(row);
                if item(drafts.p1, &title).is_none()
                    && item(drafts.d, &title).is_some()
                    && matching.yours_for(&title).is_none()
                    && self.editor.removed(&element.member(&title)).is_none()
                {
                    self.marks.insert(element.member(&title), None);
                }
            }
        }
        // A section that a merge let in goes when no draft has it any more: its title may follow a renamed table.
        for row in drafts.d.map(Node::items).unwrap_or_default() {
            let member = element.member(&member_key(row));
            let drafted = [drafts.p0, drafts.p1].iter().any(|d| item(*d, &member_key(row)).is_some());
            if !drafted && self.inserted.contains(&member) && self.editor.get(&member) == Some(row) {
                self.inserted.remove(&member);
                self.editor.remove(&member, Fact::Draft, "the draft no longer has it");
            }
        }
        if !hand_laid {
            for row in drafts.p0.map(Node::items).unwrap_or_default() {
                let title = member_key(row);
                let member = element.member(&title);
                if item(drafts.p1, &title).is_some() || self.editor.get(&member).is_none() || kept_choices.contains(&title) {
                    continue;
                }
                if self.editor.get(&member) == Some(row) {
                    self.editor.remove(&member, Fact::Draft, "the draft no longer has it");
                    continue;
                }
                // What a person added stays; emptied, the section waits for whatever comes back into it.
                for list in ["fields", "items"] {
                    let own = Drafts { d: matching.row(drafts.d, &title), p0: Some(row), p1: None };
                    if self.editor.get(&member.key(list)).is_some() {
                        self.set(&member.key(list), own.key(list), None);
                    }
                }
                let emptied = |row: &Node| ["fields", "items"].iter().all(|list| keys(row.get(list)).is_empty());
                if self.editor.get(&member).is_some_and(emptied) {
                    self.editor.remove(&member, Fact::Container, "the draft no longer has it");
                }
            }
        }
    }

    /// Choices of a person's own, or in a person's own words, that the database accepts no more are a question; those it
    /// accepts again come back. Gives the choices that stay whatever the draft says.
    fn choices(&mut self, element: &Element, drafts: Drafts<'_>) -> Vec<String> {
        let accepts = |key: &str| drafts.p1.is_none_or(|p1| p1.items().is_empty()) || item(drafts.p1, key).is_some();
        let waiting: Vec<(u32, String)> = self
            .editor
            .parts
            .iter()
            .filter(|p| p.fact == Fact::Limit && p.element.is_member() && p.element.parent() == *element)
            .map(|p| (p.id, p.element.last().to_owned()))
            .collect();
        for (id, _) in waiting.into_iter().filter(|(_, key)| accepts(key)) {
            self.editor.put_back(id, "the database accepts it again");
        }
        let now = self.editor.get(element).cloned();
        if drafts.p0 == drafts.p1 {
            return Vec::new();
        }
        let rows = now.as_ref().map(Node::items).unwrap_or_default();
        let by_hand = |row: &&Node| item(drafts.p0, &member_key(row)) != Some(*row);
        let refused: Vec<String> = rows.iter().filter(by_hand).map(member_key).filter(|key| !accepts(key)).collect();
        if refused.is_empty() {
            return refused;
        }
        let question = self.placement.limit_question(element);
        let keep = self.answers.get(&question).is_some_and(|answer| answer == "keep");
        self.limits.push(Limit { question, element: element.clone(), yours: now.clone(), database: drafts.p1.cloned() });
        if keep {
            self.kept.push(Kept { element: element.clone(), yours: now, draft: drafts.p1.cloned(), concerned: true });
            return refused;
        }
        for key in refused {
            self.editor.remove(&element.member(&key), Fact::Limit, "the database accepts it no more");
        }
        Vec::new()
    }

    fn record_key(&mut self, element: &Element, shape: Shape, drafts: Drafts<'_>) {
        if self.drops_left_over(element, drafts) {
            return;
        }
        match shape {
            Shape::Set(_) => self.set(element, drafts, None),
            // A section's title is what it is recognised by; it follows only where nobody touched it.
            _ => {
                let yours = self.editor.get(element).cloned();
                let owned = yours.as_ref() == drafts.d || yours.as_ref() == drafts.p0;
                if !owned && yours.is_some() && yours.as_ref() != drafts.p1 && self.side == Side::Yours {
                    let concerned = drafts.p0 != drafts.p1;
                    self.kept.push(Kept { element: element.clone(), yours, draft: drafts.p1.cloned(), concerned });
                    return;
                }
                if let (true, Some(p1)) = (owned && drafts.p0 != drafts.p1, drafts.p1) {
                    self.editor.set(element, p1.clone(), Fact::Draft, "follows the draft");
                }
            }
        }
    }

    /// A section or group that is new in the draft, with those of its members that may come in.
    fn new_row(&mut self, element: &Element, row: &Node, after: Option<&str>, hand_laid: bool) {
        let mut row = row.clone();
        for list in ["fields", "items"] {
            let Some(inner) = row.get(list).cloned() else { continue };
            let kept: Vec<Node> =
                inner.items().iter().filter(|i| self.placement.admits(self.side, element, &member_key(i))).cloned().collect();
            if kept.is_empty() {
                return;
            }
            row.set(list, Node::new(Value::List(kept)));
        }
        let title = member_key(&row);
        let own = element.member(&title);
        if self.is_taken_out(&own) {
            return;
        }
        // One that was here before comes back in its own bytes, and with whatever else belongs into it now.
        if let Some(id) = self.editor.removed(&own).filter(|p| matches!(p.fact, Fact::Draft | Fact::Container)).map(|p| p.id)
            && self.editor.put_back(id, "the draft has it again")
        {
            for list in ["fields", "items", "sort"] {
                let order = keys(row.get(list));
                let comes = |owner: &Self, m: &str| {
                    let member = own.key(list).member(m);
                    owner.editor.get(&member).is_none() && (list != "sort" || owner.waits_for_draft(&member))
                };
                for member in order.iter().filter(|m| comes(self, m)).cloned().collect::<Vec<_>>() {
                    self.enter(&own.key(list), &member, &order, item(row.get(list), &member));
                }
            }
            return;
        }
        let there = keys(self.editor.get(element));
        let index = after.and_then(|a| there.iter().position(|t| t == a)).map_or(if hand_laid { there.len() } else { 0 }, |at| at + 1);
        self.editor.insert_member(element, index, row, "new in the draft");
        self.inserted.insert(own);
    }

    /// New members of a section that isn't there: it was set aside empty and comes back with them; a section a
    /// person took out stays out, and the members go to the last one.
    fn emptied_row(&mut self, element: &Element, row: &Node, before: Option<&Node>) {
        let list = if row.get("items").is_some() { "items" } else { "fields" };
        let old = keys(before.and_then(|b| b.get(list)));
        let order = keys(row.get(list));
        let new: Vec<String> = order.iter().filter(|m| !old.contains(m) && self.placement.admits(self.side, element, m)).cloned().collect();
        if new.is_empty() {
            return;
        }
        let own = element.member(&member_key(row));
        let back = self.editor.removed(&own).map(|p| p.id);
        let target = match back {
            Some(id) if self.editor.put_back(id, "something belongs there again") => own,
            _ => match keys(self.editor.get(element)).last() {
                Some(last) if list == "fields" => element.member(last),
                _ => return,
            },
        };
        for member in new {
            self.enter(&target.key(list), &member, &order, item(row.get(list), &member));
        }
    }
}

/// Which of a person's sections is which of the draft's.
struct Matching {
    /// Draft title → yours.
    pairs: Vec<(String, String)>,
}

impl Matching {
    fn of(yours: &Node, drafts: Drafts<'_>) -> Matching {
        let mut pairs: Vec<(String, String)> = Vec::new();
        let own = keys(Some(yours));
        for title in &own {
            pairs.push((title.clone(), title.clone()));
        }
        for draft in [drafts.p1, drafts.p0, drafts.d].into_iter().flatten() {
            let titles = keys(Some(draft));
            for row in draft.items() {
                let title = member_key(row);
                if pairs.iter().any(|(t, _)| *t == title) {
                    continue;
                }
                let free = yours.items().iter().filter(|y| {
                    !titles.contains(&member_key(y)) && !pairs.iter().any(|(t, o)| *o == member_key(y) && t != o && titles.contains(t))
                });
                let best = free.map(|y| (shared(row, y), member_key(y))).filter(|(count, _)| *count > 0).max_by_key(|(count, _)| *count);
                if let Some((_, own)) = best {
                    pairs.push((title, own));
                }
            }
        }
        Matching { pairs }
    }

    fn yours_for(&self, title: &str) -> Option<String> {
        self.pairs.iter().find(|(t, _)| t == title).map(|(_, own)| own.clone())
    }

    /// The row of a draft that one of yours is.
    fn row<'a>(&self, draft: Option<&'a Node>, own: &str) -> Option<&'a Node> {
        let direct = item(draft, own);
        direct.or_else(|| self.pairs.iter().filter(|(_, o)| o == own).find_map(|(t, _)| item(draft, t)))
    }
}

fn shared(a: &Node, b: &Node) -> usize {
    let members = |n: &Node| keys(n.get("fields").or(n.get("items")));
    let b = members(b);
    members(a).iter().filter(|m| b.contains(m)).count()
}
