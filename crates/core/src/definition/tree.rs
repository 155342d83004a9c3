//! The definition as written: its files. A copy shares every file with what it was copied from, until one of them changes it: a merge copies
//! the definition several times and changes few of its files.

use super::asleep::Asleep;
use super::node::{FileKey, Node, Seg};
use std::collections::{BTreeMap, btree_map};
use std::sync::Arc;

/// The whole definition as written.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Tree {
    /// A file each.
    pub files: Files,
    /// Entities that weren't opened.
    pub asleep: Asleep,
}

impl Tree {
    /// The application file.
    pub fn app(&self) -> Option<&Node> {
        self.files.get(&FileKey::App)
    }

    /// What the application is called; empty where nothing says.
    pub fn title(&self) -> &str {
        self.app().and_then(|app| app.get("title")).and_then(Node::as_text).unwrap_or_default()
    }

    /// An entity's file.
    pub fn entity(&self, name: &str) -> Option<&Node> {
        self.files.get(&FileKey::Entity(name.to_owned()))
    }

    /// All entity files.
    pub fn entities(&self) -> impl Iterator<Item = (&str, &Node)> {
        self.files.iter().filter_map(|(file, node)| match file {
            FileKey::Entity(name) => Some((name.as_str(), node)),
            FileKey::App => None,
        })
    }

    /// Closes entities: what is known of them stands for their files.
    pub fn close(&mut self, asleep: Asleep) {
        self.files.0.retain(|file, _| !asleep.contains(file.name()));
        self.asleep = asleep;
    }

    /// The pages of an entity, open or not.
    pub fn pages(&self, entity: &str) -> Vec<&str> {
        match self.asleep.get(entity) {
            Some(sleeper) => sleeper.pages.iter().map(String::as_str).collect(),
            None => {
                let pages = self.entity(entity).and_then(|root| root.get("page")).map(Node::entries).unwrap_or_default();
                pages.iter().map(|page| page.key.as_str()).collect()
            }
        }
    }

    /// Whether an entity, open or not, has a page.
    pub fn has_page(&self, entity: &str, page: &str) -> bool {
        match self.asleep.get(entity) {
            Some(sleeper) => sleeper.pages.iter().any(|name| name == page),
            None => self.entity(entity).and_then(|root| root.get("page")?.get(page)).is_some(),
        }
    }

    /// What stands at a place.
    pub fn get(&self, file: &FileKey, path: &[Seg]) -> Option<&Node> {
        self.files.get(file)?.at_path(path)
    }
}

/// Files by name, in order.
#[derive(Debug, Clone, Default)]
pub struct Files(BTreeMap<FileKey, Arc<Node>>);

impl Files {
    /// A file's content.
    pub fn get(&self, file: &FileKey) -> Option<&Node> {
        self.0.get(file).map(|node| &**node)
    }

    /// A file's content, to change it: it is no longer shared then.
    pub fn get_mut(&mut self, file: &FileKey) -> Option<&mut Node> {
        self.0.get_mut(file).map(Arc::make_mut)
    }

    /// Puts a file in the place of one of its name.
    pub fn insert(&mut self, file: FileKey, node: Node) {
        self.0.insert(file, Arc::new(node));
    }

    /// Puts another definition's file in, shared with it; nothing where it has none.
    pub fn share(&mut self, file: &FileKey, from: &Files) {
        if let Some(node) = from.0.get(file) {
            self.0.insert(file.clone(), Arc::clone(node));
        }
    }

    /// Whether there is a file.
    pub fn contains_key(&self, file: &FileKey) -> bool {
        self.0.contains_key(file)
    }

    /// Their names.
    pub fn keys(&self) -> btree_map::Keys<'_, FileKey, Arc<Node>> {
        self.0.keys()
    }

    /// Their contents.
    pub fn values(&self) -> impl Iterator<Item = &Node> {
        self.0.values().map(|node| &**node)
    }

    /// All of them.
    pub fn iter(&self) -> Iter<'_> {
        Iter(self.0.iter())
    }

    /// All of them, to change every one. Where only some change, [`Files::get_mut`] leaves the others shared.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (&FileKey, &mut Node)> {
        self.0.iter_mut().map(|(file, node)| (file, Arc::make_mut(node)))
    }
}

/// Two definitions are the same where their files say the same; shared ones needn't be looked into.
impl PartialEq for Files {
    fn eq(&self, other: &Files) -> bool {
        let mut pairs = self.0.iter().zip(&other.0);
        self.0.len() == other.0.len() && pairs.all(|((a, x), (b, y))| a == b && (Arc::ptr_eq(x, y) || x == y))
    }
}

/// Files with their names.
#[derive(Debug)]
pub struct Iter<'a>(btree_map::Iter<'a, FileKey, Arc<Node>>);

impl<'a> Iterator for Iter<'a> {
    type Item = (&'a FileKey, &'a Node);

    fn next(&mut self) -> Option<Self::Item> {
        self.0.next().map(|(file, node)| (file, &**node))
    }
}

impl<'a> IntoIterator for &'a Files {
    type Item = (&'a FileKey, &'a Node);
    type IntoIter = Iter<'a>;

    fn into_iter(self) -> Iter<'a> {
        self.iter()
    }
}

impl FromIterator<(FileKey, Node)> for Files {
    fn from_iter<I: IntoIterator<Item = (FileKey, Node)>>(files: I) -> Files {
        Files(files.into_iter().map(|(file, node)| (file, Arc::new(node))).collect())
    }
}

impl Extend<(FileKey, Node)> for Files {
    fn extend<I: IntoIterator<Item = (FileKey, Node)>>(&mut self, files: I) {
        self.0.extend(files.into_iter().map(|(file, node)| (file, Arc::new(node))));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_copy_shares_what_nobody_changes() {
        let (app, hive) = (FileKey::App, FileKey::Entity("hive".to_owned()));
        let files: Files = [(app.clone(), Node::table()), (hive.clone(), Node::table())].into_iter().collect();
        let is_shared = |copy: &Files, file: &FileKey| Arc::ptr_eq(&copy.0[file], &files.0[file]);
        let mut copy = files.clone();
        assert!(copy == files && is_shared(&copy, &hive));
        copy.get_mut(&hive).unwrap().set("table", "hive".into());
        assert!(copy != files && is_shared(&copy, &app) && !is_shared(&copy, &hive));
        assert!(files.get(&hive).unwrap().get("table").is_none());
        copy.share(&hive, &files);
        assert!(copy == files && is_shared(&copy, &hive));
    }
}
