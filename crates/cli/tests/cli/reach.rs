//! A look that opens only what a change reaches says what a look at everything says.

use crate::by_hand::Hand;
use crate::layouts::relaid;
use crate::model::{Database, Random};
use crate::properties::{edit_by_hand, merge_answered, random_begin, texts};
use crate::readers::mutated;
use crate::support::{Project, assert_same_files, copy_folder, files_below, program, similar_diff};
use crate::walks::Edit;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::process::Command;
use ysomorph_core::definition::FileKey;
use ysomorph_core::impact::{Finding, ImpactInput, impact, told_whatever_changes};
use ysomorph_core::merge::{MergeInput, Outcome, Question, effects, merge, safe_merge};
use ysomorph_core::schema::Schema;
use ysomorph_workspace::{By, Closed, Workspace, start};

const CASES: u64 = 10;

/// A merge with the answers it went by.
type Answered = (BTreeMap<String, String>, Outcome);

/// What a change comes to: the merge, and what is found.
fn looked_at(workspace: &Workspace, changed: &Schema) -> (Outcome, Vec<Finding>) {
    let answers = BTreeMap::new();
    let outcome = merge(&workspace.merge_input(changed, &answers));
    let (around, _) = workspace.around_change(&outcome).unwrap();
    let (tree, accepted, comparison) = (&workspace.tree, workspace.accepted(), &outcome.comparison);
    let findings = impact(ImpactInput { tree, accepted, changed, comparison, around: &around });
    (outcome, findings)
}

/// Leaves what a look at everything leaves for the next.
fn index(root: &Path, changed: &Schema) {
    let workspace = Workspace::open(root).unwrap();
    let (outcome, findings) = looked_at(&workspace, changed);
    workspace.keep_index(&outcome, &told_whatever_changes(&findings));
}

/// The workspace as a look at the change opens it.
fn opened_for(root: &Path, changed: &Schema) -> Workspace {
    merged(root, changed, false, |input| (BTreeMap::new(), merge(input))).0
}

/// The same, and the merge that was looked at.
fn merged(root: &Path, changed: &Schema, with_follow_ups: bool, look: impl Fn(&MergeInput<'_>) -> Answered) -> (Workspace, Answered) {
    let mut also = BTreeSet::new();
    loop {
        let workspace = Workspace::open_for(Closed::read(root, true).unwrap(), changed, &also, with_follow_ups).unwrap();
        let (answers, outcome) = look(&workspace.merge_input(changed, &BTreeMap::new()));
        if outcome.unsteady.is_empty() {
            return (workspace, (answers, outcome));
        }
        assert!(outcome.unsteady.iter().all(|entity| also.insert(entity.clone())), "asked for twice: {:?}", outcome.unsteady);
    }
}

/// Whether a merge that opened what the change reaches wrote the files, the state and the entry that one of everything writes, and how
/// many entities it left closed.
fn assert_written_alike(root: &Path, changed: &Schema) -> usize {
    let written = |merged: &dyn Fn(&Path) -> (Workspace, Answered)| {
        let copy = tempfile::tempdir().unwrap();
        copy_folder(root, copy.path());
        let (workspace, (answers, outcome)) = merged(copy.path());
        let planned = workspace.plan_of(changed, &answers, outcome).unwrap();
        if planned.is_worth_writing() {
            workspace.write(&planned, &answers, &By::default()).unwrap();
        }
        let mut files = files_below(copy.path());
        files.retain(|path, _| !path.starts_with(".ysomorph/index"));
        (files, workspace.tree.asleep.iter().map(|(entity, _)| entity.to_owned()).collect::<Vec<_>>())
    };
    let whole = |root: &Path| {
        let workspace = Workspace::open(root).unwrap();
        let answered = safe_merge(&workspace.merge_input(changed, &BTreeMap::new()));
        (workspace, answered)
    };
    let ((all, _), (part, closed)) = (written(&whole), written(&|root| merged(root, changed, true, safe_merge)));
    assert_same_files(&all, &part, &format!("written otherwise with {closed:?} closed"));
    closed.len()
}

/// Whether both looks say the same, and how many entities one of them left closed.
fn assert_same(root: &Path, changed: &Schema) -> usize {
    let (whole, part) = (Workspace::open(root).unwrap(), opened_for(root, changed));
    let ((outcome, findings), (of_part, found)) = (looked_at(&whole, changed), looked_at(&part, changed));
    let closed: Vec<&str> = part.tree.asleep.iter().map(|(entity, _)| entity).collect();
    let all = |findings: &[Finding]| findings.iter().map(|f| format!("{f:?}\n")).collect::<String>();
    let (a, b) = (all(&findings), all(&found));
    assert!(a == b, "findings differ, with {closed:?} closed:\n{}", similar_diff(&a, &b));
    assert_eq!(outcome.comparison, of_part.comparison);
    let told = |o: &Outcome| format!("{:#?}", (&o.questions, &o.known, &o.renamed_fields, &o.exclude, &o.unasked, &o.doubtful));
    assert!(told(&outcome) == told(&of_part), "with {closed:?} closed:\n{}", similar_diff(&told(&outcome), &told(&of_part)));
    assert!(outcome.accepted == of_part.accepted, "the accepted schema differs");
    let done = |o: &Outcome| {
        let edits = o.edits.iter().map(|e| format!("{} {:?} {:?}→{:?}\n", e.element.shown(), e.done, e.old, e.new));
        edits.collect::<String>() + &format!("{:#?}{:#?}", o.set_aside, o.restored)
    };
    let plain = |text: String| {
        // Numbers of tiles count over all files that are open.
        text.split("tile: ").map(|part| part.trim_start_matches(|c: char| c.is_ascii_digit())).collect::<String>()
    };
    let (a, b) = (plain(done(&outcome)), plain(done(&of_part)));
    assert!(a == b, "with {closed:?} closed:\n{}", similar_diff(&a, &b));
    for (file, node) in &outcome.tree.files {
        match of_part.tree.files.get(file) {
            Some(other) => assert!(node == other, "{file:?} differs, with {closed:?} closed"),
            None => assert!(Some(node) == whole.tree.files.get(file), "{file:?} was left closed, and changes"),
        }
    }
    assert!(of_part.tree.files.iter().all(|(file, _)| outcome.tree.files.contains_key(file)));
    assert_eq!(outcome.kept.len(), of_part.kept.len() + part.customised_elsewhere(), "with {closed:?} closed");
    let customised = |workspace: &Workspace| plain(format!("{:#?}", workspace.customisations()));
    let few = Workspace::open_customised(Closed::read(root, true).unwrap()).unwrap();
    let (all, some) = (customised(&whole), customised(&few));
    assert!(all == some, "{}", similar_diff(&all, &some));
    let answers = BTreeMap::new();
    for question in outcome.open_questions().take(1) {
        let [all, some] = [&whole, &part].map(|workspace| effects(&workspace.merge_input(changed, &answers), question));
        assert!(!some.unsteady.is_empty() || all.each == some.each, "{}: {all:?}\n{some:?}", question.name);
    }
    // What earlier merges left to people may be anywhere: then a preview opens everything.
    if !root.join(".ysomorph/follow-ups.toml").exists() {
        let (all, some) = (plan(&whole, changed, &outcome), plan(&part, changed, &of_part));
        assert!(all == some, "with {closed:?} closed:\n{}", similar_diff(&all, &some));
    }
    closed.len()
}

/// What a merge would write and leave to people.
fn plan(workspace: &Workspace, changed: &Schema, outcome: &Outcome) -> String {
    let planned = workspace.plan_of(changed, &BTreeMap::new(), outcome.clone()).unwrap();
    let mut told = String::new();
    for (path, (before, after)) in &planned.files {
        let text = |text: &Option<String>| text.as_deref().unwrap_or_default().to_owned();
        told.push_str(&format!("{path}:\n{}", similar_diff(&text(before), &text(after))));
    }
    told + &planned.follow_ups.open.iter().map(|f| format!("{}: {}\n", f.name, f.finding.message)).collect::<String>()
}

/// Several random databases in one, with references between them.
fn several(random: &mut Random) -> Database {
    let mut all = Database::random(random);
    for number in 1..2 + random.below(4) {
        all.add(Database::random(random), number, random);
    }
    all
}

/// How many entities stayed closed, how many of those at first looks, how many in merges that were written, and how many there were.
fn run(seed: u64) -> [usize; 4] {
    let mut random = Random::new(seed ^ 0x5EED);
    let original = several(&mut random);
    let dir = tempfile::tempdir().unwrap();
    let root = dir.path();
    start(root, &random_begin(), &original.schema()).unwrap();
    if !seed.is_multiple_of(4) {
        edit_by_hand(root, &original, &mut random, if seed.is_multiple_of(3) { Hand::AsPeople } else { Hand::AsWritten });
    }
    if seed.is_multiple_of(2) {
        for (file, text) in texts(root).iter().filter(|(f, _)| f.ends_with(".toml")) {
            std::fs::write(root.join("app").join(file), relaid(text, &mut random)).unwrap();
        }
    }
    let (mut closed, mut at_first, mut at_writes, mut of, mut now) = (0, 0, 0, 0, original.clone());
    for step in 0..4 {
        let workspace = Workspace::open(root).unwrap();
        if !workspace.problems().is_empty() {
            break;
        }
        let mut next = now.clone();
        for _ in 0..1 + random.below(3) {
            next.mutate(&mut random);
        }
        if now.exchanges_names_with(&next) || original.exchanges_names_with(&next) {
            continue;
        }
        let changed = next.schema();
        // What people wrote is lifted by the first merge; from then on most files are as they were left.
        // What a merge leaves of an index has to do as well, and where there is none, what a look makes of the files.
        match random.below(4) {
            0 => drop(std::fs::remove_dir_all(root.join(".ysomorph/index"))),
            1 => {}
            _ => index(root, if random.one_in(2) { workspace.accepted() } else { &changed }),
        }
        for number in 0..random.below(3) {
            edit(root, &mut random, step * 10 + number);
        }
        let is_first = !root.join(".ysomorph/index").exists();
        let these = assert_same(root, &changed);
        at_writes += assert_written_alike(root, &changed);
        closed += these;
        at_first += if is_first { these } else { 0 };
        of += workspace.tree.entities().count();
        merge_answered(root, &now, &next, &original, &mut |question| random.pick(&question.choices).clone());
        now = next;
    }
    [closed, at_first, at_writes, of]
}

/// One edit by hand that leaves the definition sound.
fn edit(root: &Path, random: &mut Random, number: usize) {
    let Some(edit) = Edit::random(root, random, number) else { return };
    let path = root.join("app").join(&edit.file);
    let before = std::fs::read_to_string(&path).unwrap();
    let Some(after) = edit.apply(&before) else { return };
    std::fs::write(&path, after).unwrap();
    if !Workspace::open(root).is_ok_and(|w| w.problems().is_empty()) {
        std::fs::write(&path, before).unwrap();
    }
}

#[test]
fn a_look_at_what_a_change_reaches_says_what_a_look_at_everything_says() {
    let only = std::env::var("YSOMORPH_SEED").ok().and_then(|s| s.parse().ok());
    let cases = std::env::var("YSOMORPH_CASES").ok().and_then(|s| s.parse().ok()).unwrap_or(CASES);
    let seeds: Vec<u64> = only.map_or_else(|| (1..=cases).collect(), |seed| vec![seed]);
    let (mut closed, mut at_first, mut at_writes, mut of, mut failed) = (0, 0, 0, 0, Vec::new());
    for seed in &seeds {
        match std::panic::catch_unwind(|| run(*seed)) {
            Ok([these, first, written, all]) => {
                (closed, at_first, at_writes, of) = (closed + these, at_first + first, at_writes + written, of + all);
            }
            Err(_) => failed.push(*seed),
        }
    }
    assert!(failed.is_empty(), "{} of {} failed: {failed:?} (run one with YSOMORPH_SEED=N)", failed.len(), seeds.len());
    let told =
        format!("{closed} of {of} entities stayed closed, {at_first} of them at first looks; {at_writes} in merges that were written");
    eprintln!("{told}");
    assert!(only.is_some() || closed * 10 > of && at_first * 100 > of && at_writes * 20 > of, "{told}: this proves little");
}

#[test]
fn an_edit_is_seen_whatever_its_size_and_time() {
    let database = Database::random(&mut Random::new(7));
    let dir = tempfile::tempdir().unwrap();
    start(dir.path(), &random_begin(), &database.schema()).unwrap();
    let accepted = Workspace::open(dir.path()).unwrap().accepted().clone();
    index(dir.path(), &accepted);
    let open = || -> Vec<FileKey> { opened_for(dir.path(), &accepted).tree.files.keys().cloned().collect() };
    assert_eq!(open(), [FileKey::App], "nothing changed, and nothing was edited");
    let customised = || {
        let workspace = Workspace::open_customised(Closed::read(dir.path(), true).unwrap()).unwrap();
        workspace.tree.files.keys().cloned().collect::<Vec<_>>()
    };
    assert_eq!(customised(), [FileKey::App], "nothing is customised");
    let edited = dir.path().join("app/yard.toml");
    let (text, time) = (std::fs::read_to_string(&edited).unwrap(), std::fs::metadata(&edited).unwrap().modified().unwrap());
    std::fs::write(&edited, text.replace("one = \"Yard\"", "one = \"Bard\"")).unwrap();
    std::fs::File::options().write(true).open(&edited).unwrap().set_modified(time).unwrap();
    assert!(open().contains(&FileKey::Entity("yard".to_owned())));
    assert!(customised().contains(&FileKey::Entity("yard".to_owned())));
    // What lists records of an entity that is gone says so.
    std::fs::remove_file(&edited).unwrap();
    let problems = |workspace: Workspace| format!("{:#?}", workspace.problems());
    let (all, part) = (problems(Workspace::open(dir.path()).unwrap()), problems(opened_for(dir.path(), &accepted)));
    assert!(all == part && all.contains("there is no entity"), "{}", similar_diff(&all, &part));
    std::fs::write(&edited, &text).unwrap();
    // Without the index, or with one that isn't as it was written, it is made anew.
    let file = dir.path().join(".ysomorph/index/entities");
    let kept = std::fs::read(&file).unwrap();
    for seed in 0..60 {
        std::fs::write(&file, mutated(&mut Random::new(seed), &kept)).unwrap();
        assert_eq!(open(), [FileKey::App], "{seed}");
        assert!(std::fs::read(&file).unwrap() == kept, "{seed}");
    }
    std::fs::remove_dir_all(dir.path().join(".ysomorph/index")).unwrap();
    assert_eq!(open(), [FileKey::App]);
    // Where something is wrong, everything is opened.
    std::fs::remove_dir_all(dir.path().join(".ysomorph/index")).unwrap();
    std::fs::write(&edited, format!("unknown = true\n{text}")).unwrap();
    assert_eq!(open().len(), texts(dir.path()).len());
}

#[test]
fn a_first_look_opens_what_would_be_drafted_otherwise_today() {
    let original = several(&mut Random::new(11));
    let dir = tempfile::tempdir().unwrap();
    let root = dir.path();
    start(root, &random_begin(), &original.schema()).unwrap();
    let closed = || opened_for(root, &original.schema()).tree.asleep.iter().count();
    let all = Workspace::open(root).unwrap().entities().count();
    assert_eq!(closed(), all);
    // Nobody touched a file, but lists are drafted shorter from now on.
    let config = root.join("ysomorph.toml");
    let text = std::fs::read_to_string(&config).unwrap();
    std::fs::write(&config, text.replace("list_fields = 8", "list_fields = 1")).unwrap();
    assert!(closed() * 2 < all, "{} of {all} are closed", closed());
    for seed in 12..16 {
        let _ = std::fs::remove_dir_all(root.join(".ysomorph/index"));
        let mut next = original.clone();
        next.mutate(&mut Random::new(seed));
        assert_same(root, &next.schema());
    }
}

#[test]
fn a_merge_leaves_what_the_next_look_needs() {
    let original = several(&mut Random::new(11));
    let dir = tempfile::tempdir().unwrap();
    let root = dir.path();
    start(root, &random_begin(), &original.schema()).unwrap();
    let mut next = original.clone();
    next.mutate(&mut Random::new(12));
    let no_answers = &mut |question: &Question| question.safe.clone();
    // The first merge lifts the files; then all of them are as they were left.
    merge_answered(root, &original, &next, &original, no_answers);
    index(root, &next.schema());
    merge_answered(root, &next, &original, &original, no_answers);
    let workspace = opened_for(root, &original.schema());
    let closed = workspace.tree.asleep.iter().count();
    assert!(closed * 2 > workspace.entities().count(), "{closed} of {} stay closed", workspace.entities().count());
}

/// The demo, changed, without catalogues: they are told by all labels.
fn demo_without_catalogues() -> Project {
    let project = Project::demo(None);
    for file in std::fs::read_dir(project.path("app")).unwrap().flatten().filter(|e| e.path().extension().is_some_and(|end| end == "po")) {
        std::fs::remove_file(file.path()).unwrap();
    }
    project.change_demo(None);
    project
}

/// Tables that don't all know each other, of which one changed, and a label that somebody wrote.
fn partly_changed() -> Project {
    let project = Project::new(
        "CREATE TABLE shed (id INTEGER PRIMARY KEY, name TEXT NOT NULL, place TEXT);
         CREATE TABLE tool (id INTEGER PRIMARY KEY, name TEXT NOT NULL, shed_id INTEGER REFERENCES shed (id));
         CREATE TABLE remedy (id INTEGER PRIMARY KEY, name TEXT NOT NULL, dose_ml INTEGER);
         CREATE TABLE visitor (id INTEGER PRIMARY KEY, name TEXT NOT NULL, born DATE);",
    );
    project.edit("app/visitor.toml", "many = \"Visitors\"", "many = \"Guests\"");
    project.sql("ALTER TABLE shed RENAME COLUMN place TO town; ALTER TABLE shed ADD COLUMN built DATE;");
    project
}

/// What a command says in a folder, where an index is made from this many files on.
fn said_in(folder: &Path, arguments: &[&str], index_from: usize) -> String {
    let mut command = Command::new(program());
    command.arg("-C").arg(folder).args(arguments).env("YSOMORPH_INDEX_FROM", index_from.to_string());
    let ran = command.output().unwrap();
    format!("{:?}\n{}\n{}", ran.status.code(), String::from_utf8_lossy(&ran.stdout), String::from_utf8_lossy(&ran.stderr))
}

#[test]
fn nothing_is_written_by_an_index_that_says_otherwise_than_the_files() {
    let project = partly_changed();
    said_in(project.dir.path(), &["impact"], 1);
    let kept = project.read(".ysomorph/index/entities");
    let (_, rest) = kept.split_once('\n').unwrap();
    let forged = rest.replace("\"left_out\":[]", "\"left_out\":[\"forged\"]");
    project.write(".ysomorph/index/entities", &format!("{}\n{forged}", blake3::hash(forged.as_bytes()).to_hex()));
    let before = files_below(project.dir.path());
    let refused = said_in(project.dir.path(), &["merge", "--safe", "--write"], 1);
    assert!(refused.contains(".ysomorph/index/entities: it says otherwise than `app/"), "{refused}");
    assert_same_files(&before, &files_below(project.dir.path()), "something was written");
    std::fs::remove_dir_all(project.path(".ysomorph/index")).unwrap();
    let written = said_in(project.dir.path(), &["merge", "--safe", "--write"], 1);
    assert!(written.starts_with("Some(0)"), "{written}");
}

#[test]
fn commands_say_the_same_with_an_index_and_leave_nothing_else() {
    // Of the demo everything is opened: its views changed.
    [demo_without_catalogues(), partly_changed()].iter().for_each(assert_commands_say_the_same);
}

fn assert_commands_say_the_same(project: &Project) {
    let before = files_below(project.dir.path());
    let said = |arguments: &[&str], index_from: usize| said_in(project.dir.path(), arguments, index_from);
    let commands: [&[&str]; 10] = [
        &["decide", "--list"],
        &["decide", "--list", "--format", "json"],
        &["custom"],
        &["custom", "--format", "json"],
        &["impact"],
        &["impact", "--format", "json"],
        &["impact", "--order", "entity", "--verbose"],
        &["impact", "--severity", "break"],
        &["merge"],
        &["merge", "--safe"],
    ];
    let without: Vec<String> = commands.iter().map(|command| said(command, usize::MAX)).collect();
    assert!(!project.path(".ysomorph/index").exists());
    for (command, without) in commands.iter().zip(&without) {
        let _ = std::fs::remove_dir_all(project.path(".ysomorph/index"));
        assert_eq!(&said(command, 1), without, "{command:?}");
    }
    said(&["impact"], 1);
    assert!(project.path(".ysomorph/index/entities").is_file());
    for (command, without) in commands.iter().zip(&without) {
        assert_eq!(&said(command, 1), without, "{command:?}");
    }
    let mut after = files_below(project.dir.path());
    after.retain(|path, _| !path.starts_with(".ysomorph/index"));
    assert_same_files(&before, &after, "a look left more than its index");
    // An entry tells the moment.
    let written = |index_from: usize| {
        let copy = tempfile::tempdir().unwrap();
        copy_folder(project.dir.path(), copy.path());
        let said = said_in(copy.path(), &["merge", "--safe", "--write"], index_from);
        let mut files = files_below(copy.path());
        files.retain(|path, _| !path.starts_with(".ysomorph/index") && !path.starts_with(".ysomorph/merges"));
        (said, files)
    };
    let _ = std::fs::remove_dir_all(project.path(".ysomorph/index"));
    let (all, at_first) = (written(usize::MAX), written(1));
    said(&["impact"], 1);
    let part = written(1);
    assert!(all.0.starts_with("Some(0)") && all.1 != before, "{}", all.0);
    for (other, what) in [(at_first, "at first"), (part, "with an index")] {
        assert_eq!(other.0, all.0, "{what}");
        assert_same_files(&all.1, &other.1, what);
    }
}
