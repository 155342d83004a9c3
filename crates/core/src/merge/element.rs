//! Names of elements that stay the same while positions move: keys, and members of arrays by what they are.

use crate::definition::{FileKey, Node, Seg};

/// One step to an element.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Step {
    /// A key of a table.
    Key(String),
    /// A member of an array, by its text, title or label.
    Member(String),
}

/// An element of the definition.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Element {
    /// The file.
    pub file: FileKey,
    /// From the file's root.
    pub steps: Vec<Step>,
}

impl Element {
    /// A whole file.
    pub fn file(file: FileKey) -> Element {
        Element { file, steps: Vec::new() }
    }

    /// The element at a place of a tree.
    pub fn at(file: &FileKey, root: &Node, path: &[Seg]) -> Element {
        let mut node = Some(root);
        let steps = path
            .iter()
            .map(|seg| {
                node = node.and_then(|n| n.at_path(std::slice::from_ref(seg)));
                match seg {
                    Seg::Key(key) => Step::Key(key.clone()),
                    Seg::Index(at) => Step::Member(node.map_or_else(|| at.to_string(), member_key)),
                }
            })
            .collect();
        Element { file: file.clone(), steps }
    }

    /// Its child under a key.
    pub fn key(&self, key: &str) -> Element {
        self.child(Step::Key(key.to_owned()))
    }

    /// Its member.
    pub fn member(&self, member: &str) -> Element {
        self.child(Step::Member(member.to_owned()))
    }

    fn child(&self, step: Step) -> Element {
        let mut steps = self.steps.clone();
        steps.push(step);
        Element { file: self.file.clone(), steps }
    }

    /// What it is in; a file is in itself.
    pub fn parent(&self) -> Element {
        let mut steps = self.steps.clone();
        steps.pop();
        Element { file: self.file.clone(), steps }
    }

    /// Where it stands now.
    pub fn resolve(&self, root: &Node) -> Option<Vec<Seg>> {
        let mut node = root;
        let mut path = Vec::new();
        for step in &self.steps {
            let seg = match step {
                Step::Key(key) => Seg::Key(key.clone()),
                Step::Member(member) => Seg::Index(node.items().iter().position(|i| member_key(i) == *member)?),
            };
            node = node.at_path(std::slice::from_ref(&seg))?;
            path.push(seg);
        }
        Some(path)
    }

    /// The last step's name.
    pub fn last(&self) -> &str {
        match self.steps.last() {
            Some(Step::Key(name) | Step::Member(name)) => name,
            None => "",
        }
    }

    /// Whether it is a member of an array.
    pub fn is_member(&self) -> bool {
        matches!(self.steps.last(), Some(Step::Member(_)))
    }

    /// Whether it is this element or inside it.
    pub fn is_within(&self, outer: &Element) -> bool {
        self.file == outer.file && self.steps.starts_with(&outer.steps)
    }

    /// The name of the key at a depth.
    pub fn key_at(&self, depth: usize) -> Option<&str> {
        match self.steps.get(depth)? {
            Step::Key(key) => Some(key),
            Step::Member(_) => None,
        }
    }

    /// As one text: `hive/page/list/fields/=tag`, with `%` before special characters' codes.
    pub fn encode(&self) -> String {
        let escape = |text: &str| text.replace('%', "%25").replace('/', "%2F").replace('=', "%3D");
        let mut out = escape(self.file.name());
        for step in &self.steps {
            match step {
                Step::Key(key) => out.push_str(&format!("/{}", escape(key))),
                Step::Member(member) => out.push_str(&format!("/={}", escape(member))),
            }
        }
        out
    }

    /// Reads what [`Element::encode`] wrote.
    pub fn decode(text: &str) -> Element {
        let plain = |text: &str| text.replace("%3D", "=").replace("%2F", "/").replace("%25", "%");
        let mut parts = text.split('/');
        let file = match parts.next().unwrap_or_default() {
            "app" => FileKey::App,
            name => FileKey::Entity(plain(name)),
        };
        let steps = parts.map(|part| match part.strip_prefix('=') {
            Some(member) => Step::Member(plain(member)),
            None => Step::Key(plain(part)),
        });
        Element { file, steps: steps.collect() }
    }

    /// As people read it.
    pub fn shown(&self) -> String {
        let mut out = self.file.name().to_owned();
        for step in &self.steps {
            let (Step::Key(name) | Step::Member(name)) = step;
            out.push('/');
            out.push_str(name);
        }
        crate::name::shown(&out)
    }
}

/// What recognises a member of an array: a name without its `-`, or what tells tables apart.
pub fn member_key(node: &Node) -> String {
    node.member_key()
}

/// Where a member that left an array in this order goes among those that are there.
pub fn place(order: &[String], key: &str, visible: &[String]) -> usize {
    let Some(own) = order.iter().position(|k| k == key) else { return visible.len() };
    let position = |wanted: &String| visible.iter().position(|k| k == wanted);
    let after = order[..own].iter().rev().find_map(position).map(|at| at + 1);
    after.or_else(|| order[own + 1..].iter().find_map(position)).unwrap_or(0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn elements_are_written_so_that_they_read_back() {
        let element = Element::file(FileKey::Entity("a%b".into())).key("page").key("x/y").member("=odd");
        assert_eq!(Element::decode(&element.encode()), element);
    }

    #[test]
    fn members_return_in_any_order() {
        let texts = |t: &str| -> Vec<String> { t.split(' ').filter(|p| !p.is_empty()).map(str::to_owned).collect() };
        let order = texts("a x y b");
        for (visible, key, expected) in [("a b", "y", 1), ("a y b", "x", 1), ("b", "x", 0), ("", "x", 0), ("b new a", "x", 3)] {
            assert_eq!(place(&order, key, &texts(visible)), expected, "{key} into {visible}");
        }
    }
}
