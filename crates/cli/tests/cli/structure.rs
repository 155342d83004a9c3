//! The folders and files of every crate lean on each other in one direction: no circle, however long.

use pathfinding::directed::strongly_connected_components::strongly_connected_components;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use syn::visit::{self, Visit};
use syn::{Attribute, Item, ItemMod, ItemUse, Macro, UseTree, Visibility};

/// A module's path inside its crate: empty for the crate itself.
type ModulePath = Vec<String>;

/// The files of one crate, by module, with what they mention of each other.
struct Crate {
    files: BTreeMap<ModulePath, Source>,
}

/// One file.
#[derive(Default)]
struct Source {
    path: PathBuf,
    /// The paths that it names, from the crate's root.
    named: BTreeSet<ModulePath>,
    /// What it only hands on: a name, and where that is from.
    handed_on: BTreeMap<String, ModulePath>,
}

impl Crate {
    fn read(src: &Path) -> Crate {
        let mut files = BTreeMap::new();
        for entry in crate::support::files_below(src) {
            let (relative, bytes) = entry;
            if relative.extension().is_none_or(|e| e != "rs") {
                continue;
            }
            let mut module: ModulePath = relative.with_extension("").iter().map(|part| part.to_string_lossy().into_owned()).collect();
            if module.last().is_some_and(|last| ["mod", "lib", "main"].contains(&last.as_str())) {
                module.pop();
            }
            let parsed = syn::parse_file(&String::from_utf8(bytes).unwrap()).unwrap_or_else(|e| panic!("{}: {e}", relative.display()));
            let mut reader = Reader { module: module.clone(), source: Source { path: relative, ..Source::default() } };
            reader.visit_file(&parsed);
            files.insert(module, reader.source);
        }
        // A module that is there for tests alone is a test.
        let tests: Vec<ModulePath> = files.keys().filter(|module| is_only_for_tests(src, module)).cloned().collect();
        tests.iter().for_each(|module| drop(files.remove(module)));
        Crate { files }
    }

    /// The file in which what a path names is defined.
    fn home(&self, path: &[String]) -> Option<&ModulePath> {
        let mut path = path.to_vec();
        for _ in 0..8 {
            let length = (0..=path.len()).rev().find(|length| self.files.contains_key(&path[..*length]))?;
            let (module, source) = self.files.get_key_value(&path[..length])?;
            match path.get(length).and_then(|name| source.handed_on.get(name)) {
                Some(from) => path = from.iter().chain(&path[length + 1..]).cloned().collect(),
                None => return Some(module),
            }
        }
        None
    }

    /// From each node to those that it leans on; `node` makes a file's node of its module.
    fn leans(&self, node: &dyn Fn(&ModulePath) -> String) -> BTreeMap<String, BTreeSet<String>> {
        let mut leans: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (module, source) in &self.files {
            let targets = source.named.iter().filter_map(|path| self.home(path)).map(node).filter(|target| *target != node(module));
            leans.entry(node(module)).or_default().extend(targets);
        }
        leans
    }
}

/// Whether a module is declared for tests alone.
fn is_only_for_tests(src: &Path, module: &[String]) -> bool {
    let Some((name, parent)) = module.split_last() else { return false };
    let folder = parent.iter().fold(src.to_owned(), |folder, part| folder.join(part));
    let declared = ["mod.rs", "lib.rs", "main.rs"].map(|file| folder.join(file)).into_iter().chain([folder.with_extension("rs")]);
    let parsed = declared.filter_map(|file| syn::parse_file(&std::fs::read_to_string(file).ok()?).ok());
    let items: Vec<Item> = parsed.flat_map(|file| file.items).collect();
    items.iter().any(|item| matches!(item, Item::Mod(inner) if inner.ident == name && is_test(&inner.attrs)))
}

fn is_test(attributes: &[Attribute]) -> bool {
    attributes.iter().any(|a| a.path().is_ident("cfg") && a.parse_args::<syn::Path>().is_ok_and(|what| what.is_ident("test")))
}

/// Reads what a file names.
struct Reader {
    module: ModulePath,
    source: Source,
}

impl Reader {
    /// A path as written, from the crate's root; nothing for one that leads out of it.
    fn rooted(&self, written: &[String]) -> Option<ModulePath> {
        let (first, rest) = written.split_first()?;
        let mut base = match first.as_str() {
            "crate" => Vec::new(),
            "self" => self.module.clone(),
            "super" => self.module[..self.module.len().checked_sub(1)?].to_vec(),
            _ => return None,
        };
        for part in rest {
            if part == "super" {
                base.pop();
            } else {
                base.push(part.clone());
            }
        }
        Some(base)
    }

    fn used(&mut self, prefix: &[String], tree: &UseTree, is_handed_on: bool) {
        let with = |name: &syn::Ident| prefix.iter().cloned().chain([name.to_string()]).collect::<Vec<_>>();
        let (path, known_as) = match tree {
            UseTree::Path(inner) => return self.used(&with(&inner.ident), &inner.tree, is_handed_on),
            UseTree::Group(group) => return group.items.iter().for_each(|item| self.used(prefix, item, is_handed_on)),
            UseTree::Name(name) if name.ident == "self" => (prefix.to_vec(), prefix.last().cloned().unwrap_or_default()),
            UseTree::Name(name) => (with(&name.ident), name.ident.to_string()),
            UseTree::Rename(rename) => (with(&rename.ident), rename.rename.to_string()),
            UseTree::Glob(_) => (prefix.to_vec(), String::new()),
        };
        // A module's own children are named without a prefix.
        let rooted = self.rooted(&path).unwrap_or_else(|| self.module.iter().cloned().chain(path).collect());
        if is_handed_on {
            self.source.handed_on.insert(known_as, rooted);
        } else {
            self.source.named.insert(rooted);
        }
    }
}

impl<'ast> Visit<'ast> for Reader {
    fn visit_item_mod(&mut self, module: &'ast ItemMod) {
        if !is_test(&module.attrs) {
            visit::visit_item_mod(self, module);
        }
    }

    fn visit_item_use(&mut self, item: &'ast ItemUse) {
        self.used(&[], &item.tree, !matches!(item.vis, Visibility::Inherited));
    }

    // Who may see something is no use of it.
    fn visit_visibility(&mut self, _: &'ast Visibility) {}

    fn visit_path(&mut self, path: &'ast syn::Path) {
        let written: Vec<String> = path.segments.iter().map(|s| s.ident.to_string()).collect();
        // A module's own children are named without a prefix; what isn't one is at home here, which is no tie.
        self.source.named.insert(self.rooted(&written).unwrap_or_else(|| self.module.iter().cloned().chain(written).collect()));
        visit::visit_path(self, path);
    }

    // What stands in a macro is no syntax yet: its words tell.
    fn visit_macro(&mut self, inner: &'ast Macro) {
        let words: Vec<String> = inner.tokens.to_string().split_whitespace().map(str::to_owned).collect();
        for (at, word) in words.iter().enumerate().filter(|(_, word)| ["crate", "super", "self"].contains(&word.as_str())) {
            let rest = words[at + 1..].chunks(2).take_while(|pair| pair[0] == "::").filter_map(|pair| pair.get(1).cloned());
            let written: Vec<String> = std::iter::once(word.clone()).chain(rest).collect();
            if written.len() > 1 {
                self.source.named.extend(self.rooted(&written));
            }
        }
    }
}

/// The circles among nodes, each with what ties it.
fn circles(leans: &BTreeMap<String, BTreeSet<String>>) -> Vec<String> {
    let nodes: Vec<&String> = leans.keys().collect();
    let all = strongly_connected_components(&nodes, |node| {
        leans.get(*node).into_iter().flatten().filter_map(|to| leans.get_key_value(to)).map(|(to, _)| to).collect::<Vec<_>>()
    });
    let several = all.into_iter().filter(|circle| circle.len() > 1);
    several
        .map(|circle| {
            let ties =
                circle.iter().flat_map(|from| leans[*from].iter().filter(|to| circle.contains(to)).map(move |to| format!("{from} → {to}")));
            let mut ties: Vec<String> = ties.collect();
            ties.sort();
            ties.join(", ")
        })
        .collect()
}

#[test]
fn no_folder_and_no_file_leans_on_what_leans_on_it() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    for name in ["core", "kept", "sources", "workspace", "report", "cli"] {
        let read = Crate::read(&crates.join(name).join("src"));
        assert!(read.files.len() > 5, "{name}: nothing was read");
        let folder = |module: &ModulePath| module.first().cloned().unwrap_or_else(|| "the crate itself".to_owned());
        let file = |module: &ModulePath| read.files[module].path.display().to_string();
        for (what, found) in [("folders", circles(&read.leans(&folder))), ("files", circles(&read.leans(&file)))] {
            assert!(found.is_empty(), "{name} has circles of {what}:\n{}", found.join("\n"));
        }
    }
}
