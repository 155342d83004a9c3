//! What a change leaves to people: judged by the rules on the definition as a merge leaves it, and again whenever somebody asks.

use super::named::{FIELD_UNPLACED, TRANSLATION_FUZZY};
use super::reversed::remembered;
use super::{Around, Finding, ImpactInput, Location, Remedy, Severity, Translation, impact_by};
use crate::changes::{Change, ChangeKind, Comparison};
use crate::definition::{EntityIndex, FileKey, Node, Tree, rename_mentions};
use crate::name;
use crate::schema::Schema;
use std::collections::BTreeSet;

/// Something left to a person.
#[derive(Debug, Clone, PartialEq)]
pub struct FollowUp {
    /// Its stable name, to close it by. What one rule finds in one place has one name.
    pub name: String,
    /// What is the matter, where it stands today.
    pub finding: Finding,
    /// The change that it comes of, as it is [remembered](remembered).
    pub cause: Option<Change>,
}

impl FollowUp {
    /// A finding with the name that closes it. Lines move, so they are no part of it.
    pub fn of(finding: Finding, comparison: &Comparison) -> FollowUp {
        let change = finding.cause.and_then(|at| comparison.changes.get(at));
        let name = match change {
            Some(change) if finding.is_about_code() => {
                let file = finding.at.as_ref().map_or_else(String::new, |at| format!("{}/", at.file));
                format!("{}/{file}{}", finding.rule, change.subject())
            }
            _ => name_of_place(&finding),
        };
        let cause = change.map(|change| remembered(change, &comparison.taken()));
        FollowUp { name, finding, cause }
    }

    /// Where it is, whichever rule found it: the part of its name that tells.
    pub fn place(&self) -> &str {
        place(&self.name, self.finding.rule)
    }
}

/// The name of a follow-up that is about a place of the definition.
pub(super) fn name_of_place(finding: &Finding) -> String {
    let part = finding.field.as_deref().or(finding.role.as_deref()).or(finding.pages.first().map(String::as_str));
    format!("{}/{}/{}", finding.rule, finding.entity.as_deref().unwrap_or("app"), part.unwrap_or("all"))
}

/// The place in a follow-up's name.
pub fn place<'a>(name: &'a str, rule: &str) -> &'a str {
    name.strip_prefix(rule).unwrap_or(name).trim_start_matches('/')
}

/// The files of a definition that a change concerns: the entities over the tables that it is about, those they refer to, in turn, and
/// those that refer to them, open or not. All of them where a change is about something else than tables.
pub fn concerned(tree: &Tree, comparison: &Comparison) -> impl Fn(&FileKey) -> bool {
    let is_about_all = comparison.changes.iter().any(|c| c.table.is_empty());
    let entities = if is_about_all { BTreeSet::new() } else { concerned_entities(tree, comparison) };
    move |file| is_about_all || *file == FileKey::App || entities.contains(file.name())
}

fn concerned_entities(tree: &Tree, comparison: &Comparison) -> BTreeSet<String> {
    let index = EntityIndex::of(tree);
    let names = comparison.presumed();
    let tables: BTreeSet<String> =
        comparison.changes.iter().flat_map(|c| [name::fold(&c.table), name::fold(names.table(&c.table))]).collect();
    let is_over = |table: &str| tables.contains(&name::fold(table));
    let targets = |entity: &str| index.entities.get(entity).into_iter().flat_map(|e| e.fields.values()).filter_map(|f| f.target.clone());
    let changed: BTreeSet<&String> = index
        .entities
        .iter()
        .filter(|(_, e)| is_over(&e.table) || e.fields.values().any(|f| f.through.as_ref().is_some_and(|(t, ..)| is_over(t))))
        .map(|(entity, _)| entity)
        .collect();
    let mut concerned: BTreeSet<String> = changed.iter().map(|entity| (*entity).clone()).collect();
    concerned.extend(index.entities.keys().filter(|entity| targets(entity).any(|t| changed.contains(&t))).cloned());
    let mut next: Vec<String> = concerned.iter().cloned().collect();
    while let Some(entity) = next.pop() {
        let more: Vec<String> = targets(&entity).filter(|t| !concerned.contains(t)).collect();
        concerned.extend(more.iter().cloned());
        next.extend(more);
    }
    concerned
}

/// The part of a definition that is open and that a change concerns.
pub fn concerned_part(tree: &Tree, comparison: &Comparison) -> Tree {
    let is_concerned = concerned(tree, comparison);
    let files = tree.files.iter().filter(|(file, _)| is_concerned(file)).map(|(file, node)| (file.clone(), node.clone()));
    Tree { files: files.collect(), ..Tree::default() }
}

/// What a merge leaves to people in the definition as it leaves it, and beside it: what the rules find there of the change
/// from `accepted` to `changed`, but for what fails at once, which is told by what is left of it.
pub fn follow_ups_of_change(
    mut tree: Tree,
    accepted: &Schema,
    changed: &Schema,
    comparison: &Comparison,
    around: &Around,
) -> Vec<FollowUp> {
    // Rules look at a definition before the merge: this one is brought to the names it would have had.
    let back = comparison.taken().inverse();
    if !back.is_empty() {
        rename_mentions(&mut tree, changed, &back);
    }
    let kinds: Vec<ChangeKind> = comparison.changes.iter().map(|c| c.kind).collect();
    let input = ImpactInput { tree: &tree, accepted, changed, comparison, around };
    let mut findings = impact_by(input, &|rule| {
        (rule.severity == Severity::Risk || rule.is_about_code()) && rule.changes.iter().any(|kind| kinds.contains(kind))
    });
    findings.retain(|f| f.cause.is_some() && f.remedy == Remedy::Hand && (f.severity == Severity::Risk || f.is_about_code()));
    findings.into_iter().map(|finding| FollowUp::of(finding, comparison)).collect()
}

/// A field that is on no page, where it could be: somebody has to place it.
pub fn to_place(tree: &Tree, entity: &str, field: &str) -> Option<FollowUp> {
    let file = FileKey::Entity(entity.to_owned());
    let root = tree.files.get(&file)?;
    let node = root.get("field")?.get(field)?;
    let pages = root.get("page")?;
    // What tells records apart or whether they changed has its use without a page.
    let column = node.get("column").and_then(Node::as_text);
    let of_record = |key: &str| root.get(key).is_some_and(|value| column.is_some_and(|column| says(value, column)));
    if of_record("key") || of_record("version") {
        return None;
    }
    if node.get("hidden").and_then(Node::as_bool) == Some(true) || says(pages, field) {
        return None;
    }
    let message = format!("`{}` is new and on no page", name::shown(field));
    let mut finding = Finding::new(FIELD_UNPLACED, Severity::Note, message).entity(entity).field(field);
    finding.at = Some(Location::at(&file, node.at));
    finding = finding.help("place it on a page, or hide it");
    Some(FollowUp::of(finding, &Comparison::default()))
}

/// Whether a text stands among the values of a node.
fn says(node: &Node, text: &str) -> bool {
    node.as_text() == Some(text)
        || node.items().iter().any(|item| says(item, text))
        || node.entries().iter().any(|entry| says(&entry.node, text))
}

/// A translation that was made of another text: somebody has to look at it.
pub fn to_translate(entry: &Translation) -> FollowUp {
    let message =
        format!("\"{}\" is translated as \"{}\", which was said of another text", name::shown(&entry.id), name::shown(&entry.text));
    let mut finding = Finding::new(TRANSLATION_FUZZY, Severity::Note, message);
    finding.at = Some(entry.at.clone());
    FollowUp { name: format!("{TRANSLATION_FUZZY}/{}/{}", entry.language, entry.context), finding, cause: None }
}
