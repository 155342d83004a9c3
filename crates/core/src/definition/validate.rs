//! Is the definition sound in itself and with a schema? Unknown keys, values of the wrong kind, names that don't exist.

use super::{At, EntityIndex, FileKey, Node, Referent, Seg, Shape, Tree, Value, display_path, each_reference, shape_of};
use crate::name;
use crate::schema::{Engine, Schema};
use rayon::prelude::*;
use std::collections::BTreeSet;

/// What is wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum ProblemKind {
    /// A key the format doesn't have.
    UnknownKey,
    /// A value of another kind than the key takes, or a key that is missing.
    WrongKind,
    /// An entity, field, page, role or parameter that doesn't exist.
    UnknownName,
    /// A table or column the schema doesn't have.
    UnknownColumn,
    /// Something that is there twice.
    Duplicate,
}

/// Something wrong at a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// What kind.
    pub kind: ProblemKind,
    /// The file.
    pub file: FileKey,
    /// The element, as people read it.
    pub path: String,
    /// Where the culprit starts.
    pub at: At,
    /// The culprit's text, empty when something is missing.
    pub culprit: String,
    /// What is wrong, in a sentence.
    pub message: String,
    /// The nearest name that would do.
    pub nearest: Option<String>,
}

/// All problems of the definition, in the order of files and places. Columns are looked up in `schema`.
pub fn validate(tree: &Tree, schema: &Schema) -> Vec<Problem> {
    let index = EntityIndex::of(tree);
    let of = |(file, root): (&FileKey, &Node)| {
        let mut problems = Vec::new();
        let mut check = Checker { file, root, problems: &mut problems };
        check.node(root, shape_of(file), &mut Vec::new());
        check.needed();
        check.names(tree, &index, schema);
        problems
    };
    let files: Vec<(&FileKey, &Node)> = tree.files.iter().collect();
    let mut problems: Vec<Problem> = files.into_par_iter().flat_map_iter(of).collect();
    problems.sort_by(|a, b| (&a.file, a.at, a.kind).cmp(&(&b.file, b.at, b.kind)));
    problems
}

/// Problems of `ysomorph.toml` in itself: keys, kinds of values, words.
pub fn validate_workspace(root: &Node) -> Vec<Problem> {
    let mut problems = Vec::new();
    // A problem's file is only needed where there are several.
    Checker { file: &FileKey::App, root, problems: &mut problems }.node(root, &super::WORKSPACE, &mut Vec::new());
    problems.sort_by_key(|p| p.at);
    problems
}

struct Checker<'a> {
    file: &'a FileKey,
    root: &'a Node,
    problems: &'a mut Vec<Problem>,
}

impl Checker<'_> {
    fn report(&mut self, kind: ProblemKind, path: &[Seg], at: At, culprit: &str, message: String, nearest: Option<String>) {
        let path = display_path(self.file, Some(self.root), path);
        self.problems.push(Problem { kind, file: self.file.clone(), path, at, culprit: culprit.to_owned(), message, nearest });
    }

    fn node(&mut self, node: &Node, shape: &'static Shape, path: &mut Vec<Seg>) {
        let expected = match (shape, &node.value) {
            (Shape::Bool, Value::Bool(_))
            | (Shape::Int, Value::Int(_))
            | (Shape::Text | Shape::Name(_) | Shape::Template { .. } | Shape::Condition { .. } | Shape::Statement, Value::Text(_))
            | (Shape::Scalar, Value::Text(_) | Value::Int(_) | Value::Bool(_) | Value::Other(_)) => return,
            (Shape::Word(words), Value::Text(text)) => {
                return self.word(text, words, node.at, path);
            }
            (Shape::Names(role) | Shape::Set(role), Value::List(items)) => {
                self.twice(items, path);
                for (at, item) in items.iter().enumerate() {
                    path.push(Seg::Index(at));
                    match (item.as_text(), role) {
                        (None, _) => self.report(ProblemKind::WrongKind, path, item.at, "", "takes names in quotes".into(), None),
                        (Some(text), super::Role::Word(words)) if !words.is_empty() => self.word(text, words, item.at, path),
                        _ => {}
                    }
                    path.pop();
                }
                return;
            }
            (Shape::Records { keys, .. }, Value::List(items)) => {
                self.twice(items, path);
                for (at, item) in items.iter().enumerate() {
                    path.push(Seg::Index(at));
                    match &item.value {
                        Value::Table(_) => self.record(item, keys, path),
                        _ => self.report(
                            ProblemKind::WrongKind,
                            path,
                            item.at,
                            "",
                            "takes tables such as { title = \"…\", fields = […] }".into(),
                            None,
                        ),
                    }
                    path.pop();
                }
                return;
            }
            (Shape::Record(keys), Value::Table(_)) => return self.record(node, keys, path),
            (Shape::Named(inner) | Shape::ByField(inner), Value::Table(entries)) => {
                for entry in entries {
                    path.push(Seg::Key(entry.key.clone()));
                    self.node(&entry.node, inner, path);
                    path.pop();
                }
                return;
            }
            (Shape::Bool, _) => "true or false",
            (Shape::Int, _) => "a whole number",
            (Shape::Scalar, _) => "text in quotes, a number, or true or false",
            (Shape::Text | Shape::Word(_) | Shape::Name(_) | Shape::Template { .. } | Shape::Condition { .. } | Shape::Statement, _) => {
                "text in quotes"
            }
            (Shape::Names(_) | Shape::Set(_), _) => "names in brackets, such as [\"name\"]",
            (Shape::Records { .. }, _) => "a list of tables in brackets",
            (Shape::Record(_) | Shape::Named(_) | Shape::ByField(_), _) => "a table",
        };
        self.report(ProblemKind::WrongKind, path, node.at, "", format!("takes {expected}"), None);
    }

    /// Members that are there twice: a merge couldn't tell them apart.
    fn twice(&mut self, items: &[Node], path: &mut Vec<Seg>) {
        let mut seen = BTreeSet::new();
        for (at, item) in items.iter().enumerate() {
            let name = item.member_key();
            if !name.is_empty() && !seen.insert(name.clone()) {
                path.push(Seg::Index(at));
                self.report(ProblemKind::Duplicate, path, item.at, &name, format!("\"{}\" is there twice", name::shown(&name)), None);
                path.pop();
            }
        }
    }

    fn word(&mut self, text: &str, words: &[&str], at: At, path: &[Seg]) {
        if !words.contains(&text) {
            let nearest = name::nearest(text, words.iter().copied()).map(str::to_owned);
            let message = format!("\"{}\" is not one of: {}", name::shown(text), words.join(", "));
            self.report(ProblemKind::WrongKind, path, at, text, message, nearest);
        }
    }

    fn record(&mut self, node: &Node, keys: &'static [super::Key], path: &mut Vec<Seg>) {
        for entry in node.entries() {
            path.push(Seg::Key(entry.key.clone()));
            match keys.iter().find(|k| k.name == entry.key) {
                Some(key) => self.node(&entry.node, &key.shape, path),
                None => {
                    let nearest = name::nearest(&entry.key, keys.iter().map(|k| k.name)).map(str::to_owned);
                    self.report(
                        ProblemKind::UnknownKey,
                        path,
                        entry.at,
                        &entry.key,
                        format!("there is no key `{}` here", name::shown(&entry.key)),
                        nearest,
                    );
                }
            }
            path.pop();
        }
    }

    /// What an entity can't do without.
    fn needed(&mut self) {
        let FileKey::Entity(_) = self.file else { return };
        let root = self.root;
        let mut need = |present: bool, path: &[Seg], at: At, message: &str| {
            if !present {
                self.report(ProblemKind::WrongKind, path, at, "", message.to_owned(), None);
            }
        };
        need(root.get("table").is_some(), &[], At { line: 1, column: 1 }, "an entity needs `table`");
        need(
            root.get("key").is_some_and(|k| !k.items().is_empty()),
            &[],
            At { line: 1, column: 1 },
            "an entity needs `key`: the columns that tell its records apart",
        );
        for field in root.get("field").map(Node::entries).unwrap_or_default() {
            let path = ["field".into(), Seg::Key(field.key.clone())];
            let has = |key: &str| field.node.get(key).is_some();
            let kind = field.node.get("kind").and_then(Node::as_text);
            need(
                ["column", "columns", "formula", "related"].iter().filter(|k| has(k)).count() == 1,
                &path,
                field.at,
                "a field needs one of `column`, `columns` (a composite reference), `formula` and `related`",
            );
            for (key, word, sample) in
                [("lookup", "lookup", "lookup = { entity = … }"), ("related", "related", "related = { entity = …, through = … }")]
            {
                if has(key) != (kind == Some(word)) {
                    need(false, &path, field.at, &format!("`kind = \"{word}\"` and `{sample}` go together"));
                }
            }
            if let Some(pattern) = field.node.get("pattern")
                && let Some(wrong) = pattern.as_text().and_then(super::TextPattern::problem)
            {
                let path = [path.as_slice(), &["pattern".into()]].concat();
                need(false, &path, pattern.at, &format!("this regular expression can't be read: {wrong}"));
            }
            need(kind != Some("choice") || has("choices"), &path, field.at, "`kind = \"choice\"` needs `choices = [{ value = … }]`");
            for (key, needed) in [("lookup", &["entity"][..]), ("related", &["entity", "through", "here", "there"])] {
                let Some(node) = field.node.get(key) else { continue };
                for part in needed.iter().filter(|part| node.get(part).is_none()) {
                    need(false, &[path.as_slice(), &[key.into()]].concat(), node.at, &format!("it needs `{part}`"));
                }
            }
        }
        for page in root.get("page").map(Node::entries).unwrap_or_default() {
            let path = ["page".into(), Seg::Key(page.key.clone())];
            let known = super::PAGE_KINDS.contains(&page.key.as_str());
            let kind = page.node.get("kind").and_then(Node::as_text).unwrap_or(&page.key);
            need(known || page.node.get("kind").is_some(), &path, page.at, "a page of its own name needs `kind`");
            let grouped = kind != "grouped" || page.node.get("group").is_some();
            need(grouped, &path, page.at, "a grouped page needs `group`: the fields it groups by");
            for child in page.node.get("children").map(Node::items).unwrap_or_default() {
                for part in ["entity", "by"].iter().filter(|part| child.get(part).is_none()) {
                    need(false, &path, child.at, &format!("a child list needs `{part}`"));
                }
            }
        }
        for (group, needed) in [("check", &["rule"][..]), ("import", &["key", "columns"]), ("export", &["fields"])] {
            for entry in root.get(group).map(Node::entries).unwrap_or_default() {
                for part in needed.iter().filter(|part| entry.node.get(part).is_none()) {
                    need(false, &[group.into(), Seg::Key(entry.key.clone())], entry.at, &format!("it needs `{part}`"));
                }
            }
        }
        for operation in ["insert", "update", "delete"] {
            let Some(node) = root.get("source").and_then(|s| s.get(operation)) else { continue };
            need(
                node.get("routine").is_some() != node.get("sql").is_some(),
                &["source".into(), operation.into()],
                node.at,
                "it needs either `routine` or `sql`",
            );
        }
    }

    fn names(&mut self, tree: &Tree, index: &EntityIndex, schema: &Schema) {
        let mut wanting = Vec::new();
        each_reference(self.file, self.root, index, schema, &mut |path, at, in_key, to| {
            wanting.extend(wrong(&to, tree, index, schema).map(|what| (path.to_vec(), at, in_key, what)));
        });
        let mut seen = BTreeSet::new();
        for (path, at, in_key, (kind, message, nearest)) in wanting {
            // Only what is wrong is looked up in the file.
            let Some(node) = self.root.at_path(&path) else { continue };
            let text = node.as_text().unwrap_or_default();
            let (culprit, at) = match path.split_last() {
                Some((Seg::Key(key), parent)) if in_key => {
                    let entries = self.root.at_path(parent).map(Node::entries).unwrap_or_default();
                    (key.clone(), entries.iter().find(|e| e.key == *key).map_or(node.at, |e| e.at))
                }
                _ => (text.get(at.clone()).unwrap_or_default().to_owned(), node.inner(at.start)),
            };
            // A name written in several parts (`region.name`) may be found wanting once for each.
            if seen.insert((at, culprit.clone())) {
                self.report(kind, &path, at, &culprit, message, nearest.map(str::to_owned));
            }
        }
        self.roles_and_parameters(tree, schema.engine);
    }

    fn roles_and_parameters(&mut self, tree: &Tree, engine: Engine) {
        let names = |key: &str| -> Vec<String> {
            tree.app().and_then(|a| a.get(key)).map(|t| t.entries().iter().map(|e| e.key.clone()).collect()).unwrap_or_default()
        };
        let (roles, parameters) = (names("role"), names("parameter"));
        for access in self.root.get("access").map(Node::entries).unwrap_or_default() {
            if !roles.contains(&access.key) {
                let nearest = name::nearest(&access.key, roles.iter().map(String::as_str)).map(str::to_owned);
                let path = ["access".into(), Seg::Key(access.key.clone())];
                self.report(
                    ProblemKind::UnknownName,
                    &path,
                    access.at,
                    &access.key,
                    format!("there is no role `{}` in app/app.toml", name::shown(&access.key)),
                    nearest,
                );
            }
        }
        let mut conditions = Vec::new();
        collect_conditions(self.root, shape_of(self.file), &mut Vec::new(), &mut conditions);
        for path in conditions {
            let Some(node) = self.root.at_path(&path) else { continue };
            let own = self.own_parameters(&path);
            for (offset, parameter) in crate::sql::parameters(node.as_text().unwrap_or_default(), engine) {
                if own.contains(&parameter) {
                    continue;
                }
                if !parameters.contains(&parameter) && !["today", "now", "user_name"].contains(&parameter.as_str()) {
                    let nearest = name::nearest(&parameter, parameters.iter().map(String::as_str)).map(str::to_owned);
                    self.report(
                        ProblemKind::UnknownName,
                        &path,
                        node.inner(offset),
                        &format!(":{parameter}"),
                        format!("there is no parameter `{}` in app/app.toml", name::shown(&parameter)),
                        nearest,
                    );
                }
            }
        }
    }
}

impl Checker<'_> {
    /// The parameters that SQL of a person's own for writes has besides: its fields, and its key columns as `key_…` (a new record has
    /// no key yet).
    fn own_parameters(&self, path: &[Seg]) -> Vec<String> {
        if path.first() != Some(&"source".into()) || path.len() < 3 {
            return Vec::new();
        }
        let fields = self.root.get("field").map(Node::entries).unwrap_or_default();
        let is_new = path.get(1) == Some(&"insert".into());
        let keys = self.root.get("key").filter(|_| !is_new).map(Node::strings).unwrap_or_default();
        fields.iter().map(|f| f.key.clone()).chain(keys.iter().map(|k| format!("key_{}", name::read(k)))).collect()
    }
}

fn collect_conditions(node: &Node, shape: &'static Shape, path: &mut Vec<Seg>, out: &mut Vec<Vec<Seg>>) {
    if matches!(shape, Shape::Condition { .. } | Shape::Statement) {
        out.push(path.clone());
    }
    for entry in node.entries() {
        if let Some(child) = shape.child(&entry.key) {
            path.push(Seg::Key(entry.key.clone()));
            collect_conditions(&entry.node, child, path, out);
            path.pop();
        }
    }
}
/// What is wrong with a name, in a sentence, and the nearest that would do; nothing where it means something.
fn wrong<'a>(to: &Referent, tree: &'a Tree, index: &'a EntityIndex, schema: &'a Schema) -> Option<(ProblemKind, String, Option<&'a str>)> {
    let wrong = match to {
        Referent::Table(table) if schema.table(table).is_none() => (
            ProblemKind::UnknownColumn,
            format!("there is no table or view `{}` in the schema", name::shown(table)),
            name::nearest(table, schema.tables.iter().map(|t| t.name.as_str())),
        ),
        Referent::Column { table, column } => {
            let known = schema.table(table).filter(|known| !known.reads(column))?;
            (
                ProblemKind::UnknownColumn,
                format!("`{}` has no column `{}`", name::shown(table), name::shown(column)),
                name::nearest(column, known.columns.iter().map(|c| c.name.as_str())),
            )
        }
        Referent::Field { entity, field } => {
            let known = index.entities.get(entity).filter(|known| !known.fields.contains_key(field))?;
            (
                ProblemKind::UnknownName,
                format!("`{}` has no field `{}`", name::shown(entity), name::shown(field)),
                name::nearest(field, known.fields.keys().map(String::as_str)),
            )
        }
        Referent::Entity(entity) if !index.entities.contains_key(entity) => (
            ProblemKind::UnknownName,
            format!("there is no entity `{}`", name::shown(entity)),
            name::nearest(entity, index.entities.keys().map(String::as_str)),
        ),
        Referent::Routine(routine) if !schema.objects.routines.iter().any(|r| name::same(&r.name, routine)) => (
            ProblemKind::UnknownColumn,
            format!("there is no routine `{}` in the schema", name::shown(routine)),
            name::nearest(routine, schema.objects.routines.iter().map(|r| r.name.as_str())),
        ),
        Referent::Page { entity, page } if index.entities.contains_key(entity) && !tree.has_page(entity, page) => (
            ProblemKind::UnknownName,
            format!("`{}` has no page `{}`", name::shown(entity), name::shown(page)),
            name::nearest(page, tree.pages(entity)),
        ),
        _ => return None,
    };
    Some(wrong)
}
