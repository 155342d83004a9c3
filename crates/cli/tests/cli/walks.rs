//! Random walks among the states of a database, with hand edits between merges: a state that is visited again gives the bytes it
//! had, with the edits.

use crate::by_hand::Hand;
use crate::layouts::relaid;
use crate::model::{Column, Database, Random};
use crate::properties::{edit_by_hand, merge_answered, random_begin, texts};
use crate::support::similar_diff;
use crate::upheld::Before;
use std::collections::{BTreeMap, BTreeSet};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use ysomorph_core::definition::Node;
use ysomorph_core::draft::field_label;
use ysomorph_core::merge::{Outcome, Thing};
use ysomorph_core::name::same;
use ysomorph_workspace::{Workspace, start};

const CASES: u64 = 40;
const CATALOGUE: &str = "labels.de.po";

/// The files as a state was left, and those of which an edit made more than can be foretold.
#[derive(Clone, Default)]
struct Visited {
    texts: BTreeMap<String, String>,
    free: BTreeSet<String>,
}

/// An edit of one line, found again by the header above it.
pub struct Edit {
    pub file: String,
    header: String,
    line: String,
    kind: Kind,
}

enum Kind {
    /// A comment behind it.
    Comment(String),
    /// A comment above it.
    Above(String),
    /// Another label.
    Label(String),
    /// It is deleted.
    Delete,
    /// A member of its array is deleted.
    Without(String),
    /// Its array is written over several lines. What returns to it stands as it stood there: not foretold.
    OverLines,
}

/// Where lines stand under which header, those of arrays over several lines left out.
fn lines(text: &str) -> Vec<(String, usize, String)> {
    let (mut header, mut all, mut depth) = (String::new(), Vec::new(), 0i32);
    for (at, line) in text.lines().enumerate() {
        let was = depth;
        let bare = line.split('#').next().unwrap_or_default();
        if !line.trim_start().starts_with('#') && !bare.starts_with('[') {
            depth += i32::try_from(bare.matches(['[', '{']).count()).unwrap() - i32::try_from(bare.matches([']', '}']).count()).unwrap();
        }
        if was == 0 && bare.starts_with('[') && !line.contains("= ") {
            header = bare.trim().to_owned();
        }
        if was == 0 && depth == 0 && (bare.contains(" = ") || bare.starts_with('[')) && !line.contains("\"\"\"") {
            all.push((header.clone(), at, line.to_owned()));
        }
    }
    all
}

impl Edit {
    pub fn random(root: &Path, random: &mut Random, number: usize) -> Option<Edit> {
        let all = texts(root);
        let files: Vec<&String> = all.keys().filter(|f| f.ends_with(".toml") && *f != "app.toml").collect();
        let file = (*random.pick(&files)).clone();
        let lines = lines(&all[&file]);
        let (header, _, line) = lines.get(random.below(lines.len()))?.clone();
        let kind = match random.below(6) {
            0 if !line.contains('#') => Kind::Comment(format!("{}   # c{number}", line.trim_end())),
            1 => Kind::Above(format!("# about {number}")),
            2 | 3 if line.starts_with("label = \"") && header.starts_with("[field.") => Kind::Label(format!("label = \"Mine {number}\"")),
            4 if line.starts_with("label = \"") && header.starts_with("[field.") => Kind::Delete,
            5 if line.starts_with("fields = [\"") && header.starts_with("[page.list") => {
                let member = line.split(", \"").nth(1)?.split('"').next()?.to_owned();
                Kind::Without(member)
            }
            _ if number.is_multiple_of(4) && line.contains(" = [\"") && line.ends_with("\"]") => Kind::OverLines,
            _ => return None,
        };
        Some(Edit { file, header, line, kind })
    }

    /// What stands in the list that a member is taken off.
    fn members(&self, text: &str) -> Vec<String> {
        let is_it = |(header, _, line): &(String, usize, String)| *header == self.header && line.starts_with("fields = [");
        let line = match self.kind {
            Kind::Without(_) => lines(text).into_iter().find(is_it).map(|(.., line)| line).unwrap_or_default(),
            _ => String::new(),
        };
        line.split('"').skip(1).step_by(2).map(str::to_owned).collect()
    }

    /// The text with the edit; nothing where the line isn't there as it was.
    pub fn apply(&self, text: &str) -> Option<String> {
        let is_it = |(header, _, line): &(String, usize, String)| {
            let same = match &self.kind {
                Kind::Without(member) => line.starts_with("fields = [") && line.contains(&format!(", \"{member}\"")),
                _ => *line == self.line,
            };
            *header == self.header && same
        };
        let found: Vec<usize> = lines(text).into_iter().filter(is_it).map(|(_, at, _)| at).collect();
        let [at] = found.as_slice() else { return None };
        let mut out = String::new();
        for (number, line) in text.split_inclusive('\n').enumerate() {
            if number != *at {
                out.push_str(line);
                continue;
            }
            let bare = line.trim_end_matches(['\r', '\n']);
            let end = &line[bare.len()..];
            let end_above = if end.is_empty() { if text.contains("\r\n") { "\r\n" } else { "\n" } } else { end };
            match &self.kind {
                Kind::Comment(new) | Kind::Label(new) => out.push_str(&format!("{new}{end}")),
                Kind::Above(comment) => out.push_str(&format!("{comment}{end_above}{line}")),
                Kind::Delete => {}
                Kind::Without(member) => out.push_str(&line.replacen(&format!(", \"{member}\""), "", 1)),
                Kind::OverLines => {
                    let apart = format!("\",{end_above}  \"");
                    let open =
                        bare.replacen(" = [\"", &format!(" = [{end_above}  \""), 1).replace("\", \"", &apart).replace("\",\"", &apart);
                    out.push_str(&format!("{},{end_above}]{end}", open.trim_end_matches(']')));
                }
            }
        }
        Some(out)
    }
}

/// One edit, in the file and in what is remembered of every state.
fn edit_between(root: &Path, visited: &mut [Option<Visited>], random: &mut Random, number: usize) {
    let Some(edit) = Edit::random(root, random, number) else { return };
    let path = root.join("app").join(&edit.file);
    let before = std::fs::read_to_string(&path).unwrap();
    let Some(after) = edit.apply(&before) else { return };
    std::fs::write(&path, &after).unwrap();
    let is_sound = Workspace::open(root).is_ok_and(|w| ysomorph_core::definition::validate(&w.tree, w.accepted()).is_empty());
    if !is_sound {
        return std::fs::write(&path, &before).unwrap();
    }
    if std::env::var_os("YSOMORPH_TRACE").is_some() {
        eprintln!("---- by hand: {} {} {:?}", edit.file, edit.header, edit.line);
    }
    let entity = format!("\"{}\"", edit.file.trim_end_matches(".toml"));
    let naming: Vec<String> =
        texts(root).into_iter().filter(|(file, text)| *file == edit.file || text.contains(&entity)).map(|(file, _)| file).collect();
    for state in visited.iter_mut().flatten() {
        // What is translated from another text is to be looked at, in every state.
        if matches!(edit.kind, Kind::Label(_) | Kind::Delete) {
            state.free.insert(CATALOGUE.to_owned());
        }
        let Some(text) = state.texts.get_mut(&edit.file) else {
            // Who changed an entity keeps it, and what lists it, where the draft makes none of its table, too.
            if !matches!(edit.kind, Kind::Comment(_) | Kind::Above(_)) {
                state.free.extend(naming.iter().cloned());
            }
            continue;
        };
        // Who takes a field off a list has laid the page out: what another draft doesn't list stays on it from now on.
        if edit.members(&before).iter().any(|m| !edit.members(text).contains(m) && text.contains(&format!("[field.{m}]"))) {
            state.free.insert(edit.file.clone());
        }
        match edit.apply(text).filter(|_| !matches!(edit.kind, Kind::OverLines)) {
            Some(new) => *text = new,
            // What isn't there as it is here may show as a person's now, or stand free of what is hidden: not told here.
            None => {
                state.free.insert(edit.file.clone());
            }
        }
    }
}

/// A file's text; of a catalogue what is in use. What is gone is spoken of by the name it had when it went.
fn in_use(file: &str, text: &str) -> String {
    let is_obsolete = |entry: &&str| file == CATALOGUE && entry.lines().any(|line| line.starts_with("#~"));
    text.split("\n\n").filter(|entry| !is_obsolete(entry)).collect::<Vec<_>>().join("\n\n")
}

/// Copies a workspace, to look at what a step of a walk left.
pub fn keep(root: &Path, to: &Path) {
    for (file, bytes) in crate::support::files_below(root) {
        std::fs::create_dir_all(to.join(&file).parent().unwrap()).unwrap();
        std::fs::write(to.join(&file), bytes).unwrap();
    }
}

/// Translations of the labels that fields have.
fn translate(root: &Path) {
    let tree = Workspace::open(root).unwrap().tree;
    let mut text = "msgid \"\"\nmsgstr \"Content-Type: text/plain; charset=UTF-8\\n\"\n".to_owned();
    for (entity, file) in tree.entities() {
        for field in file.get("field").map(Node::entries).unwrap_or_default() {
            let label = field.node.get("label").and_then(Node::as_text).map_or_else(|| field_label(&field.key), str::to_owned);
            let context = format!("{entity}/field/{}/label", field.key);
            text.push_str(&format!("\n# {}\nmsgctxt {context:?}\nmsgid {label:?}\nmsgstr \"{}\"\n", field.key, label.to_uppercase()));
        }
    }
    std::fs::write(root.join("app").join(CATALOGUE), text).unwrap();
}

/// One walk. Whether it came to its end: it leaves off where what was edited isn't sound, and where nobody could tell what is what.
fn run(seed: u64) -> bool {
    let mut random = Random::new(seed ^ 0x0A1C);
    let original = Database::random(&mut random);
    let dir = tempfile::tempdir().unwrap();
    let root = dir.path();
    start(root, &random_begin(), &original.schema()).unwrap();
    if seed.is_multiple_of(2) {
        let config = std::fs::read_to_string(root.join("ysomorph.toml")).unwrap();
        std::fs::write(root.join("ysomorph.toml"), config.replace("[merge]\n", "[merge]\nfield_names = \"follow\"\n")).unwrap();
    }
    if !seed.is_multiple_of(5) {
        edit_by_hand(root, &original, &mut random, if seed.is_multiple_of(3) { Hand::AsPeople } else { Hand::AsWritten });
    }
    if seed.is_multiple_of(2) || seed.is_multiple_of(5) {
        for (file, text) in texts(root).iter().filter(|(f, _)| f.ends_with(".toml")) {
            std::fs::write(root.join("app").join(file), relaid(text, &mut random)).unwrap();
        }
    }
    // A query of another form may not give what a field shows.
    if Workspace::open(root).is_ok_and(|w| !ysomorph_core::definition::validate(&w.tree, w.accepted()).is_empty()) {
        return false;
    }
    if seed.is_multiple_of(3) {
        translate(root);
    }
    if let Some(folder) = std::env::var_os("YSOMORPH_KEEP") {
        keep(root, &Path::new(&folder).join(format!("{seed}-start")));
    }
    let mut states = vec![original.clone()];
    for _ in 0..2 + random.below(2) {
        let mut next = random.pick(&states).clone();
        for _ in 0..1 + random.below(4) {
            next.mutate(&mut random);
        }
        states.push(next);
    }
    if lets_go_of_a_moved_reference(&states) {
        return false;
    }
    let mut visited: Vec<Option<Visited>> = vec![None; states.len()];
    visited[0] = Some(Visited { texts: texts(root), free: BTreeSet::new() });
    let mut at = 0;
    for step in 0..5 + random.below(4) {
        let way: Vec<usize> = (0..states.len())
            .filter(|s| *s != at && !states[at].exchanges_names_with(&states[*s]) && original_allows(&states, *s))
            .collect();
        if way.is_empty() {
            return false;
        }
        let next = *random.pick(&way);
        for n in 0..random.below(3) {
            edit_between(root, &mut visited, &mut random, step * 10 + n);
        }
        let there = states[next].shuffled(&states[at]);
        let before = Before::of(root, &states[at]);
        let outcome = merge_answered(root, &states[at], &there, &original, &mut |question| {
            let mut hasher = DefaultHasher::new();
            (seed, &question.name).hash(&mut hasher);
            let choices: Vec<&String> = question.choices.iter().filter(|c| !["out", "later"].contains(&c.as_str())).collect();
            (*choices[usize::try_from(hasher.finish() % 97).unwrap() % choices.len()]).clone()
        });
        before.assert_upheld(root, &outcome, &there);
        let seen: Vec<&Database> = visited.iter().zip(&states).filter(|(v, _)| v.is_some()).map(|(_, s)| s).collect();
        if !seen.iter().all(|state| knows_renames(state, &there, &outcome)) {
            return false;
        }
        // What returns asks nothing: SQL that was kept broken once, by an answer, is hidden where it comes back without what it names.
        let kept = outcome.questions.iter().filter(|q| q.answer.as_deref() == Some("keep"));
        for entity in kept.filter_map(|q| q.name.strip_prefix("source/")) {
            visited.iter_mut().flatten().for_each(|state| {
                state.free.insert(format!("{entity}.toml"));
            });
        }
        at = next;
        let now = texts(root);
        if let Some(folder) = std::env::var_os("YSOMORPH_KEEP") {
            keep(root, &Path::new(&folder).join(format!("{seed}-{step}")));
        }
        // A view that can't be read is known by what it was, the last time it could.
        let broken = there.schema().tables.iter().any(|t| t.broken.is_some());
        let free = now.keys().filter(|f| broken && f.contains("overview")).cloned().collect();
        match &visited[at] {
            None => visited[at] = Some(Visited { texts: now, free }),
            Some(known) => {
                for file in known.texts.keys().chain(now.keys()).filter(|f| !known.free.contains(*f)) {
                    let text = |texts: &BTreeMap<String, String>| in_use(file, texts.get(file).map_or("", |t| t));
                    let (was, is) = (text(&known.texts), text(&now));
                    assert!(was == is, "step {step}, state {at}: {file} isn't what it was:\n{}", similar_diff(&was, &is));
                }
            }
        }
    }
    true
}

/// Whether what has another name than in a state visited before is known to be the same: a rename that nobody asked about, or
/// one that happened while its table was away, made two things of one.
fn knows_renames(before: &Database, now: &Database, outcome: &Outcome) -> bool {
    let had = |thing: Thing, name: &str| outcome.known.names_of(&thing).iter().any(|n| same(n, name));
    let lost = |table: &str, column: &str| outcome.known.is_lost(&Thing::column(table, column));
    before.tables.iter().all(|old| {
        let Some(new) = now.tables.iter().find(|t| t.uid == old.uid) else { return true };
        let column = |(c, n): (&Column, &Column)| had(Thing::column(&new.name, &n.name), &c.name) && !lost(&new.name, &c.name);
        let pairs = old.columns.iter().filter_map(|c| Some((c, new.columns.iter().find(|n| n.uid == c.uid)?)));
        had(Thing::table(&new.name), &old.name) && pairs.into_iter().all(column)
    })
}

/// Whether a column refers to one table in one state, to another in a second, and to none in a third: there its lookup stays on
/// what it referred to last, and that hangs on the way.
fn lets_go_of_a_moved_reference(states: &[Database]) -> bool {
    let mut targets: BTreeMap<(usize, usize), BTreeSet<Option<usize>>> = BTreeMap::new();
    for state in states {
        for (table, column) in state.tables.iter().flat_map(|t| t.columns.iter().map(move |c| (t, c))) {
            let target = column.to.as_ref().and_then(|to| state.tables.iter().find(|t| same(&t.name, to))).map(|t| t.uid);
            targets.entry((table.uid, column.uid)).or_default().insert(target);
        }
    }
    targets.values().any(|known| known.len() > 2 && known.contains(&None))
}

/// Names that two columns had, one after the other, mean one or the other by the way one came.
fn original_allows(states: &[Database], next: usize) -> bool {
    states.iter().all(|s| !s.exchanges_names_with(&states[next]))
}

#[test]
fn every_state_visited_again_gives_its_bytes_with_the_edits_made_between() {
    let only = std::env::var("YSOMORPH_SEED").ok().and_then(|s| s.parse().ok());
    let cases = std::env::var("YSOMORPH_WALKS").ok().and_then(|s| s.parse().ok()).unwrap_or(CASES);
    let first = std::env::var("YSOMORPH_FIRST").ok().and_then(|s| s.parse().ok()).unwrap_or(1);
    let seeds: Vec<u64> = only.map_or_else(|| (first..first + cases).collect(), |seed| vec![seed]);
    let next = AtomicUsize::new(0);
    let (failed, left_off) = (Mutex::new(Vec::new()), AtomicUsize::new(0));
    let threads = std::thread::available_parallelism().map_or(1, |n| n.get());
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                while let Some(seed) = seeds.get(next.fetch_add(1, Ordering::Relaxed)) {
                    if seeds.len() > 500 && seed.is_multiple_of(500) {
                        eprintln!("walk {seed} begins");
                    }
                    match std::panic::catch_unwind(|| run(*seed)) {
                        Ok(true) => {}
                        Ok(false) => {
                            left_off.fetch_add(1, Ordering::Relaxed);
                        }
                        Err(_) => {
                            eprintln!("walk {seed} failed");
                            failed.lock().unwrap().push(*seed);
                        }
                    }
                }
            });
        }
    });
    let (failed, left_off) = (failed.into_inner().unwrap(), left_off.into_inner());
    eprintln!("{} walks, {left_off} of them left off before their end", seeds.len());
    assert!(left_off * 2 < seeds.len().max(20), "{left_off} of {} walks left off before their end", seeds.len());
    assert!(failed.is_empty(), "{} walks failed: {failed:?} (run one with YSOMORPH_SEED=N)", failed.len());
}
