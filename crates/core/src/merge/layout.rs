//! Where new fields may go: pages laid out by hand take only what a person let in.

use super::questions::{Question, about_field};
use super::tile::Tile;
use super::whole::Whole;
use crate::definition::{EntityIndex, Node, Tree, Value};
use crate::merge::{Element, member_key};
use crate::name;
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// What new fields do where nobody answered (`[merge] new_fields`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NewFields {
    /// Ask.
    #[default]
    Ask,
    /// Place them.
    Append,
    /// Leave them off.
    LeaveOut,
}

/// What a page is searched, narrowed, sorted and grouped by.
pub(super) const CHOSEN: [&str; 4] = ["search", "filter", "sort", "group"];

/// Decisions about layout for one merge.
#[derive(Debug, Default)]
pub(super) struct Placement {
    hand_laid: BTreeSet<(String, String)>,
    /// By entity: new fields and the hand-laid pages they go on.
    pages: BTreeMap<String, BTreeMap<String, BTreeSet<String>>>,
    /// New fields that are hidden because what they may replace was.
    pub hidden: BTreeSet<(String, String)>,
    /// The definition's entities.
    yours: EntityIndex,
    /// The questions, answered or not.
    pub questions: Vec<Question>,
}

/// What decides about layout.
pub(super) struct LayoutInput<'a> {
    pub whole: &'a Whole,
    pub changed_draft: &'a Tree,
    /// The schema before with everything that was lost, under the names now.
    pub known: &'a Schema,
    pub changed: &'a Schema,
    pub answers: &'a BTreeMap<String, String>,
    pub policy: NewFields,
    pub hidden: BTreeSet<(String, String)>,
}

impl Placement {
    pub fn of(input: &LayoutInput<'_>) -> Placement {
        let mut placement = Placement { hidden: input.hidden.clone(), ..Placement::default() };
        let (yours, drafted) = (EntityIndex::of(&input.whole.tree), EntityIndex::of(input.changed_draft));
        for (entity, known) in &yours.entities {
            let (Some(mine), Some(changed_draft)) = (input.whole.tree.entity(entity), input.changed_draft.entity(entity)) else { continue };
            for page in mine.get("page").map(Node::entries).unwrap_or_default() {
                if is_hand_laid(&page.node, &input.whole.tiles) {
                    placement.hand_laid.insert((entity.clone(), page.key.clone()));
                }
            }
            let Some(names) = drafted.entities.get(entity) else { continue };
            for (field, drafted) in &names.fields {
                if is_new(input, &known.table, drafted) && !known.fields.contains_key(field) {
                    placement.decide(input, entity, &known.table, field, &drafted.columns, (mine, changed_draft));
                }
            }
        }
        placement.yours = yours;
        placement
    }

    fn decide(
        &mut self,
        input: &LayoutInput<'_>,
        entity: &str,
        table: &str,
        field: &str,
        columns: &[String],
        (mine, changed_draft): (&Node, &Node),
    ) {
        let hidden = self.hidden.contains(&(entity.to_owned(), field.to_owned()));
        let mut asked: Vec<String> = Vec::new();
        let mut needed: Vec<String> = Vec::new();
        for page in changed_draft.get("page").map(Node::entries).unwrap_or_default() {
            let there = mine.get("page").and_then(|p| p.get(&page.key)).is_some();
            let placed = laid_out(&page.node).iter().any(|(_, fields)| fields.iter().any(|f| f == field));
            if !there || !placed || hidden || !self.hand_laid.contains(&(entity.to_owned(), page.key.clone())) {
                continue;
            }
            asked.push(page.key.clone());
            let required = columns.iter().filter_map(|c| input.changed.column(table, c)).any(|c| c.must_be_given());
            if page.key == "add" && required {
                needed.push(page.key.clone());
            }
        }
        let Some(column) = columns.first().filter(|_| !asked.is_empty()) else { return };
        let mut question = about_field(table, column, &asked, &needed);
        question.answer = input.answers.get(&question.name).filter(|a| question.choices.contains(a)).cloned();
        let choice = match (question.answer.as_deref(), input.policy) {
            (Some(answer), _) => answer.to_owned(),
            (None, NewFields::Append) => "append".to_owned(),
            (None, NewFields::Ask | NewFields::LeaveOut) => "leave-out".to_owned(),
        };
        let pages = if choice == "append" { asked } else { needed };
        self.pages.entry(entity.to_owned()).or_default().insert(field.to_owned(), pages.into_iter().collect());
        if input.policy == NewFields::Ask || question.answer.is_some() {
            self.questions.push(question);
        }
    }

    /// Whether the element is on a page laid out by hand.
    pub fn is_hand_laid(&self, element: &Element) -> bool {
        page_of(element).is_some_and(|page| self.hand_laid.contains(&page))
    }

    /// Whether a new member comes into an array: everywhere in drafted ones, on hand-laid pages as decided, and on no
    /// page where it is a new field that replaces a hidden one.
    pub fn admits(&self, element: &Element, member: &str) -> bool {
        let Some((entity, page)) = page_of(element) else { return true };
        let decided = || self.pages.get(&entity).and_then(|fields| fields.get(member)).is_some_and(|pages| pages.contains(&page));
        // What a page is sorted and searched by is the generator's still, of the fields that there are.
        let is_known =
            || CHOSEN.contains(&element.last()) && self.yours.entities.get(&entity).is_some_and(|own| own.fields.contains_key(member));
        !self.hidden.contains(&(entity.clone(), member.to_owned()))
            && (!self.hand_laid.contains(&(entity.clone(), page.clone())) || decided() || is_known())
    }

    /// A new array with the members that come in; nothing where none does.
    pub fn admitted(&self, element: &Element, new: &Node) -> Option<Node> {
        let kept: Vec<Node> = new.items().iter().filter(|item| self.admits(element, &member_key(item))).cloned().collect();
        (!kept.is_empty()).then(|| Node::new(Value::List(kept)))
    }

    /// The drafts of a page whose sections a person turned into plain fields, turned likewise.
    pub fn flattened(&self, yours: &Node, draft: Option<&Node>) -> Option<Node> {
        let plain = yours.get("fields").is_some() && yours.get("sections").is_none();
        let node = draft.filter(|n| plain && n.get("sections").is_some())?;
        let fields: Vec<String> = laid_out(node).into_iter().flat_map(|(_, fields)| fields).collect();
        let mut flat = node.clone().with("fields", Node::texts(&fields));
        flat.unset("sections");
        Some(flat)
    }

    /// The name of the question about a limit.
    pub fn limit_question(&self, element: &Element) -> String {
        let field = element.key_at(1).unwrap_or_default();
        let known = self.yours.entities.get(element.file.name());
        let column = known.and_then(|known| Some(name::dotted(&known.table, known.fields.get(field)?.columns.first()?)));
        format!("limit/{}/{}", column.as_deref().unwrap_or(field), element.last())
    }
}

/// Whether a drafted field is over something that was never there before.
fn is_new(input: &LayoutInput<'_>, table: &str, drafted: &crate::definition::KnownField) -> bool {
    let appears =
        |table: &str, column: &String| input.known.column(table, column).is_none() && input.changed.column(table, column).is_some();
    let joined_anew = drafted.through.as_ref().is_some_and(|(t, ..)| input.known.table(t).is_none() && input.changed.table(t).is_some());
    joined_anew || drafted.columns.iter().any(|c| appears(table, c))
}

/// Whether a person laid a page out: added, deleted or moved fields, sections or child lists, or made the page.
fn is_hand_laid(page: &Node, tiles: &[Tile]) -> bool {
    let is = |node: &Node, what: fn(&Tile) -> bool| tiles.get(node.tile as usize).is_some_and(what);
    let array = |node: &Node| is(node, |t| t.laid) || node.items().iter().any(|m| is(m, |t| t.own));
    let rows = |node: &Node| node.items().iter().any(|row| row.get("fields").is_some_and(array));
    is(page, |t| t.own) || ["fields", "sections"].iter().filter_map(|key| page.get(key)).any(|node| array(node) || rows(node))
}

/// The entity and page an element is on.
fn page_of(element: &Element) -> Option<(String, String)> {
    (element.key_at(0) == Some("page")).then(|| Some((element.file.name().to_owned(), element.key_at(1)?.to_owned()))).flatten()
}

/// A page's layout: sections with their fields, in order.
fn laid_out(page: &Node) -> Vec<(String, Vec<String>)> {
    let mut all = Vec::new();
    if let Some(fields) = page.get("fields") {
        all.push((String::new(), fields.strings()));
    }
    if let Some(Value::List(sections)) = page.get("sections").map(|s| &s.value) {
        all.extend(sections.iter().map(|s| (member_key(s), s.get("fields").map(Node::strings).unwrap_or_default())));
    }
    all
}

#[cfg(test)]
mod tests {
    #[test]
    fn new_fields_go_on_pages_that_the_generator_laid_out() {
        crate::testkit::merge_as_said(
            r#"
after keeper + shoe integer
then keeper/field.shoe.column = "shoe"

# A person laid the page out: where the field goes is a question.
given keeper/page.list.fields = ["phone", "last_name"]
after keeper + shoe integer
then keeper/page.list.fields = ["phone", "last_name"]
asks new-field/keeper.shoe

# Appended: beside the neighbour that it has in the draft, of those that are there.
given keeper/page.list.fields = ["phone", "last_name"]
after keeper + shoe integer
answer new-field/keeper.shoe append
then keeper/page.list.fields = ["phone", "shoe", "last_name"]
"#,
        );
    }
}
