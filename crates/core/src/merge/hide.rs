//! Step 4: what names something lost is hidden, and then what can't be without something hidden, until nothing more follows.

use super::carried::Lost;
use super::mentions::Mentions;
use super::tile::StandIn;
use super::whole::{Whole, element};
use crate::access::{NOBODY, nobodys};
use crate::definition::{EntityIndex, FileKey, Loss, Node, OnGone, Reference, Referent, Seg, Tree, at_path};
use crate::merge::{Element, Thing};
use crate::schema::Schema;
use crate::sql;
use std::collections::{BTreeMap, BTreeSet};

/// What decides about hiding.
#[derive(Clone, Copy)]
pub(super) struct Hiding<'a> {
    /// What names what in the definition.
    pub mentions: &'a Mentions,
    /// The schema with everything that is lost.
    pub all: &'a Schema,
    pub lost: &'a Lost,
    /// The names of what is lost, to find them in SQL that can't be analysed.
    pub words: &'a [String],
    /// Entities whose own SQL a person gave up.
    pub given_up: &'a BTreeSet<String>,
    /// What can't be, for want of something it needs.
    pub wanting: &'a BTreeSet<(FileKey, Vec<Seg>)>,
    /// The files whose drafted title names what is hidden from somebody.
    pub concealed: &'a BTreeSet<FileKey>,
    /// The changed draft: what stands in for a value.
    pub changed_draft: &'a Tree,
}

/// What hiding leaves to a person.
#[derive(Debug, Default)]
pub(super) struct Told {
    /// SQL that can't be analysed with certainty and mentions a lost name: it stays as it is.
    pub doubtful: Vec<Element>,
    /// SQL of a person's own that names what is gone, and what that is.
    pub asked: BTreeMap<Element, Vec<Thing>>,
}

/// An element by file and place.
type Spot = (FileKey, Vec<Seg>);

struct Run<'a> {
    hiding: &'a Hiding<'a>,
    /// What is hidden by what it names.
    gone: BTreeMap<Spot, Vec<Thing>>,
    /// Values that a stand-in takes the place of.
    pending: BTreeMap<Spot, (OnGone, Vec<Thing>)>,
    asked: BTreeMap<Spot, Vec<Thing>>,
    work: Vec<(Referent, Vec<Thing>)>,
    dead: BTreeSet<Referent>,
}

/// Works out what is hidden for what it names, and puts stand-ins where a value can't be without one.
pub(super) fn hide(whole: &mut Whole, hiding: &Hiding<'_>) -> Told {
    let mut run = Run::of(hiding);
    let mut told = Told::default();
    for reference in hiding.mentions.of_referent(&Referent::Doubtful) {
        let Some(root) = whole.tree.files.get(&reference.file) else { continue };
        let text = root.at_path(&reference.path).and_then(Node::as_text).unwrap_or_default();
        let words: Vec<&str> = hiding.words.iter().map(String::as_str).collect();
        if !words.is_empty() && sql::mentions_word(text, &words, hiding.all.engine) {
            told.doubtful.push(element(&reference.file, root, &reference.path));
        }
    }
    run.start(whole);
    run.follow(whole);
    run.settle(whole, &mut told);
    told
}

/// Says of what was hidden and is shown again, which of these it named.
pub(super) fn tell_back(whole: &mut Whole, hiding: &Hiding<'_>) {
    let mut run = Run::of(hiding);
    run.start_with_lost(whole);
    run.follow(whole);
    for ((file, path), things) in run.gone.iter().chain(run.pending.iter().map(|(spot, (_, things))| (spot, things))) {
        let Some(at) = whole.tree.get(file, path).map(|n| n.tile as usize) else { continue };
        let Some(tile) = whole.tiles.get_mut(at).filter(|t| !t.is_hidden()) else { continue };
        tile.is_back = true;
        let names: Vec<String> = things.iter().map(Thing::shown).collect();
        tile.because = match names.as_slice() {
            [] => "what it shows is in the database again".to_owned(),
            [one] => format!("{one} is in the database again"),
            several => format!("{} are in the database again", several.join(", ")),
        };
    }
}

impl<'a> Run<'a> {
    fn of(hiding: &'a Hiding<'a>) -> Run<'a> {
        Run { hiding, gone: BTreeMap::new(), pending: BTreeMap::new(), asked: BTreeMap::new(), work: Vec::new(), dead: BTreeSet::new() }
    }

    /// Goes on until nothing more follows.
    fn follow(&mut self, whole: &Whole) {
        while let Some((referent, things)) = self.work.pop() {
            self.dies(whole, &referent, &things);
        }
    }

    /// What is lost in the database.
    fn start_with_lost(&mut self, whole: &Whole) {
        let of_lost = |to: &Referent| {
            let thing = match to {
                Referent::Table(table) => Thing::table(table),
                Referent::Column { table, column } => Thing::column(table, column),
                _ => return None,
            };
            self.hiding.lost.of_thing(&thing)
        };
        let lost: Vec<(&Referent, Thing)> = self.hiding.mentions.by_referent().filter_map(|(to, _)| Some((to, of_lost(to)?))).collect();
        for (to, thing) in lost {
            self.mentions_go(whole, to, &[thing]);
        }
    }

    /// What is lost in the database, what wants something, and what the draft has no more.
    fn start(&mut self, whole: &Whole) {
        self.start_with_lost(whole);
        // First what names a loss: it says why more than that something is hidden.
        self.follow(whole);
        self.hide_orphans(whole);
        for spot in self.hiding.wanting {
            self.hides(spot.clone(), &[]);
        }
        let is_away = |node: &Node| whole.tile(node).is_some_and(|t| t.away || t.refused);
        for (entity, root) in whole.tree.entities() {
            if is_away(root) {
                self.work.push((Referent::Entity(entity.to_owned()), Vec::new()));
            }
            for field in root.get("field").map(Node::entries).unwrap_or_default().iter().filter(|f| is_away(&f.node)) {
                self.work.push((Referent::Field { entity: entity.to_owned(), field: field.key.clone() }, Vec::new()));
            }
            for page in root.get("page").map(Node::entries).unwrap_or_default().iter().filter(|p| is_away(&p.node)) {
                self.work.push((Referent::Page { entity: entity.to_owned(), page: page.key.clone() }, Vec::new()));
            }
        }
    }

    /// What is hidden and names what a person has deleted stays hidden.
    fn hide_orphans(&mut self, whole: &Whole) {
        let is_there = |to: &Referent| match to {
            Referent::Field { entity, field } => {
                self.hiding.mentions.index.entities.get(entity).is_some_and(|e| e.fields.contains_key(field))
            }
            Referent::Entity(entity) => self.hiding.mentions.index.entities.contains_key(entity),
            Referent::Page { entity, page } => whole.tree.has_page(entity, page),
            _ => true,
        };
        let gone: Vec<&Reference> = self.hiding.mentions.by_referent().filter(|(to, _)| !is_there(to)).flat_map(|(_, all)| all).collect();
        for reference in gone {
            let was_hidden = whole.tree.get(&reference.file, &reference.path).and_then(|n| whole.tile(n)).is_some_and(|t| t.was_hidden);
            if was_hidden {
                self.goes(whole, reference, &[]);
            }
        }
    }

    /// What names something that is hidden.
    fn dies(&mut self, whole: &Whole, referent: &Referent, things: &[Thing]) {
        if !self.dead.insert(referent.clone()) {
            return;
        }
        if let Referent::Entity(entity) = referent {
            for to in self.hiding.mentions.inside(entity) {
                self.dead.insert(to.clone());
                self.mentions_go(whole, to, things);
            }
        }
        self.mentions_go(whole, referent, things);
    }

    fn mentions_go(&mut self, whole: &Whole, referent: &Referent, things: &[Thing]) {
        for reference in self.hiding.mentions.of_referent(referent) {
            self.goes(whole, reference, things);
        }
    }

    /// What becomes of an element that names something lost or hidden.
    fn goes(&mut self, whole: &Whole, reference: &Reference, things: &[Thing]) {
        let Some((_, depth, loss)) = at_path(&reference.file, &reference.path) else { return };
        let up = |steps: usize| (reference.file.clone(), reference.path.get(..depth.saturating_sub(steps)).unwrap_or_default().to_vec());
        match loss {
            Loss::Key(OnGone::RemoveFile) => self.hides((reference.file.clone(), Vec::new()), things),
            Loss::Key(OnGone::RemoveParent) => self.hides(up(1), things),
            Loss::Key(OnGone::RemoveField) => self.hides(up(2), things),
            Loss::Member | Loss::Key(OnGone::Remove) => self.hides(up(0), things),
            Loss::Key(OnGone::Ask) => {
                let (file, path) = up(0);
                // What was given up, or is hidden with its file, stays so.
                let tile = whole.tree.get(&file, &path).and_then(|n| whole.tile(n));
                let was_aside = tile.is_some_and(|t| t.was_hidden || t.stand_in.is_some());
                if !was_aside {
                    add(self.asked.entry(up(0)).or_default(), things);
                }
                if was_aside || self.hiding.given_up.contains(file.name()) {
                    self.source_goes(whole, (file, path), things);
                }
            }
            Loss::Key(how @ (OnGone::Deny | OnGone::Draft | OnGone::DraftLookup)) => {
                add(&mut self.pending.entry(up(0)).or_insert((how, Vec::new())).1, things);
                // Without a lookup in the draft it goes as a whole, and its field's kind with it.
                if how == OnGone::DraftLookup {
                    self.lookup_goes(&reference.file, &reference.path, things);
                }
            }
        }
    }

    fn lookup_goes(&mut self, file: &FileKey, path: &[Seg], things: &[Thing]) {
        let Some(field) = path.get(..2) else { return };
        let lookup = [field, &["lookup".into()]].concat();
        let drafted = self.hiding.changed_draft.files.get(file).and_then(|root| root.at_path(&lookup));
        if drafted.is_none() {
            self.hides((file.clone(), lookup), things);
            let kind = (file.clone(), [field, &["kind".into()]].concat());
            add(&mut self.pending.entry(kind).or_insert((OnGone::Draft, Vec::new())).1, things);
        }
    }

    /// SQL of a person's own is set aside. Without a query nobody would be kept from any record of the table: one that gives none stands
    /// in for it, and columns that only the query gave go with it.
    fn source_goes(&mut self, whole: &Whole, (file, path): Spot, things: &[Thing]) {
        if path.last() != Some(&Seg::from("select")) {
            return self.hides((file, path), things);
        }
        if let Some(known) = self.hiding.mentions.index.entities.get(file.name()) {
            let table = self.hiding.all.table(&known.table);
            let only = known.fields.iter().filter(|(_, f)| f.columns.iter().any(|c| !table.is_some_and(|t| t.reads(c))));
            for spot in only.map(|(f, _)| (file.clone(), vec!["field".into(), Seg::Key(f.clone())])).collect::<Vec<Spot>>() {
                if whole.tree.get(&spot.0, &spot.1).is_some() {
                    self.hides(spot, things);
                }
            }
        }
        add(&mut self.pending.entry((file, path)).or_insert((OnGone::Ask, Vec::new())).1, things);
    }

    fn hides(&mut self, spot: Spot, things: &[Thing]) {
        let is_new = !self.gone.contains_key(&spot);
        add(self.gone.entry(spot.clone()).or_default(), things);
        if !is_new {
            return;
        }
        let (file, path) = spot;
        let entity = file.name().to_owned();
        match path.as_slice() {
            [] => self.work.push((Referent::Entity(entity), things.to_vec())),
            [Seg::Key(group), Seg::Key(field)] if group == "field" => {
                self.work.push((Referent::Field { entity, field: field.clone() }, things.to_vec()));
            }
            [Seg::Key(group), Seg::Key(page)] if group == "page" => {
                self.work.push((Referent::Page { entity, page: page.clone() }, things.to_vec()));
            }
            _ => {}
        }
    }

    /// Writes what was worked out into the tiles.
    fn settle(self, whole: &mut Whole, told: &mut Told) {
        let Run { hiding, gone, pending, asked, .. } = self;
        for tile in &mut whole.tiles {
            tile.gone = false;
        }
        let mut waiting: BTreeSet<u32> = BTreeSet::new();
        for ((file, path), things) in &gone {
            let at = whole.tree.get(file, path).map(|node| node.tile as usize);
            if let Some(tile) = at.and_then(|at| whole.tiles.get_mut(at)) {
                tile.gone = true;
                tile.because = reason(things);
            }
        }
        for ((file, path), (how, things)) in &pending {
            let Some(root) = whole.tree.files.get(file) else { continue };
            let Some(node) = root.at_path(path) else { continue };
            waiting.insert(node.tile);
            let place = element(file, root, path);
            let drafted = hiding.changed_draft.get(file, path);
            let drafted = match how {
                OnGone::Deny => Some(Node::text(NOBODY)),
                OnGone::Ask => hiding.mentions.index.table(file.name()).map(|t| Node::text(nobodys(t, hiding.all.engine))),
                _ => safe(whole, &place, drafted, hiding),
            };
            let because = reason(things);
            let Some(tile) = whole.tiles.get_mut(node.tile as usize) else { continue };
            match drafted {
                // Also where one stands there: the draft may call it otherwise, and a field that it names has another name.
                Some(value) => {
                    let value = value.plain();
                    if tile.stand_in.as_ref().is_none_or(|s| s.value != value) {
                        tile.because = because;
                    }
                    tile.stand_in = Some(StandIn { value, limit: false });
                }
                None => {
                    tile.stand_for_itself();
                    tile.gone = true;
                    tile.because = because;
                }
            }
        }
        for tile in whole.tiles.iter_mut().enumerate().filter(|(at, _)| !waiting.contains(&u32::try_from(*at).unwrap_or(0))).map(|(_, t)| t)
        {
            if tile.stand_in.as_ref().is_some_and(|s| !s.limit) {
                tile.stand_for_itself();
                "what it hung on is in the database again".clone_into(&mut tile.because);
            }
        }
        for ((file, path), things) in asked {
            if let Some(root) = whole.tree.files.get(&file) {
                told.asked.insert(element(&file, root, &path), things);
            }
        }
    }
}

/// The draft's value, but a title that names a field hidden from somebody gives way to the key that the draft has: whatever stood there before, for
/// what stands in for something else is the same whichever way the database came to what it is.
fn safe(whole: &Whole, place: &Element, drafted: Option<&Node>, hiding: &Hiding<'_>) -> Option<Node> {
    let drafted = drafted?;
    let is_title = place.last() == "title" && place.steps.len() == 1;
    let (true, Some(text)) = (is_title, drafted.as_text()) else { return Some(drafted.clone()) };
    let root = whole.tree.files.get(&place.file)?;
    let drafted_root = hiding.changed_draft.files.get(&place.file).unwrap_or(root);
    if hiding.concealed.contains(&place.file) || names_hidden(root, text) {
        key_title(&place.file, drafted_root)
    } else {
        Some(drafted.clone())
    }
}

/// A title of the fields over an entity's key.
pub(super) fn key_title(file: &FileKey, root: &Node) -> Option<Node> {
    let index = EntityIndex::of(&Tree { files: [(file.clone(), root.clone())].into_iter().collect(), ..Tree::default() });
    let known = index.entities.get(file.name())?;
    let keys = known.fields.iter().filter(|(_, f)| f.columns.iter().any(|c| crate::name::contains(&known.key, c)));
    let title = keys.map(|(f, _)| format!("{{{f}}}")).collect::<Vec<_>>().join(" ");
    (!title.is_empty()).then(|| Node::text(title))
}

/// Whether a template names a field that is hidden, from everybody or from a role.
pub(super) fn names_hidden(root: &Node, template: &str) -> bool {
    let hidden = |field: &str| {
        let by_field = root.at_path(&["field".into(), Seg::from(field), "hidden".into()]).and_then(Node::as_bool) == Some(true);
        by_field
            || root.get("access").is_some_and(|a| {
                a.entries().iter().any(|role| role.node.get("hide").is_some_and(|h| h.strings().iter().any(|f| f == field)))
            })
    };
    sql::parse_template(template).fields().any(|(field, ..)| hidden(field))
}

fn add(all: &mut Vec<Thing>, things: &[Thing]) {
    for thing in things {
        if !all.iter().any(|t| t.same(thing)) {
            all.push(thing.clone());
        }
    }
}

/// Why something went, for people.
fn reason(things: &[Thing]) -> String {
    let names: Vec<String> = things.iter().map(Thing::shown).collect();
    match names.as_slice() {
        [] => "what it shows is hidden".to_owned(),
        [one] => format!("{one} is gone from the database"),
        several => format!("{} are gone from the database", several.join(" and ")),
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn what_names_something_lost_goes_with_it_and_nothing_else() {
        crate::testkit::merge_as_said(
            r#"
# The field, and its place on every page.
given keeper/field.phone.label = "Call"
after drop keeper.phone
then keeper/field.phone gone
then keeper/page.list.search = ["last_name"]
then keeper/access.guest.hide = []
then keeper/field.last_name.max_length = 60

# What is made of several names stays with those that are there.
given keeper/page.list.sort = ["phone", "last_name"]
given keeper/export.all = { fields = ["phone", "last_name"] }
after drop keeper.phone
then keeper/page.list.sort = ["last_name"]
then keeper/export.all.fields = ["last_name"]

# A condition is SQL: it goes as a whole, and what it kept out stays out.
given keeper/page.list.where = "age > 5"
given keeper/field.region_code.lookup.where = "active = 1"
after drop keeper.age
after drop region.active
then keeper/page.list.where = "1 = 0"
then keeper/access.guest.rows = "1 = 0"
then keeper/field.region_code.lookup.where = "1 = 0"

# A query of a person's own that is set aside: the table isn't shown without it.
given keeper/source = { select = "SELECT k.*, 1 AS one FROM keeper k WHERE k.age > 17" }
given keeper/field.one = { column = "one", kind = "number" }
after drop keeper.age
answer source/keeper set-aside
then keeper/source.select = "SELECT * FROM \"keeper\" WHERE 1 = 0"
then keeper/field.one gone

# A lookup's entity is gone: the field is a plain one, and the list of helpers goes with the join table.
after drop region_helper
then keeper/field.regions gone
then region/field.helpers gone
then keeper/field.region_code.lookup.entity = "region"

# An entity goes as a whole, with what the menu says of it.
after drop visit
then visit/ gone
then keeper/page.detail.children gone

# A rename isn't a loss.
after keeper.phone -> mobile
then keeper/field.phone.column = "mobile"
then keeper/access.guest.hide = ["phone"]
"#,
        );
    }
}
