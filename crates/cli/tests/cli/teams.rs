//! Two people, two branches: joined by version control line by line, and brought together by a merge.

use crate::by_hand::Hand;
use crate::model::{Database, Random};
use crate::properties::{edit_by_hand, merge_answered, random_begin, texts};
use crate::support::{Project, files_below};
use std::collections::BTreeSet;
use std::path::Path;
use std::process::Command;
use ysomorph_workspace::{Workspace, start};

/// A file's text without its conflicts: what stands on our side of them.
fn ours(text: &str) -> String {
    let (mut out, mut takes) = (String::new(), true);
    for line in text.split_inclusive('\n') {
        match line {
            _ if line.starts_with("<<<<<<< ") => takes = true,
            _ if line.trim_end() == "=======" => takes = false,
            _ if line.starts_with(">>>>>>> ") => takes = true,
            _ if takes => out.push_str(line),
            _ => {}
        }
    }
    out
}

/// Joins a branch; what conflicts in the files that people edit is settled on our side, the workspace's own is left as it is.
fn join(project: &Project, branch: &str) {
    project.git(&["merge", "-q", "--no-edit", branch]);
    for (path, bytes) in files_below(project.dir.path()) {
        let name = path.to_string_lossy().into_owned();
        if !name.starts_with(".git/") && !name.starts_with(".ysomorph/") {
            let text = String::from_utf8_lossy(&bytes).into_owned();
            if text.contains("\n<<<<<<< ") || text.starts_with("<<<<<<< ") {
                project.write(&name, &ours(&text));
            }
        }
    }
    project.git_ok(&["add", "-A"]);
    project.git(&["commit", "-q", "--no-edit", "-m", "joined"]);
}

/// Marks some fields with comments that nobody else writes.
fn marked(project: &Project, by: &str, random: &mut Random) {
    for (file, text) in texts(project.dir.path()) {
        let headers: Vec<&str> = text.lines().filter(|l| l.starts_with("[field.") && l.ends_with(']')).collect();
        if headers.is_empty() || !random.one_in(2) {
            continue;
        }
        let header = *random.pick(&headers);
        let edited = text.replacen(&format!("{header}\n"), &format!("{header}  # {by}-{}\n", random.below(100_000)), 1);
        project.write(&format!("app/{file}"), &edited);
    }
}

/// The marks that are in the files, and those that are hidden; each as often as it is there.
fn marks(root: &Path) -> Vec<String> {
    let mut found = Vec::new();
    let mut look = |text: &str| {
        for part in text.split("# ").skip(1) {
            let mark: String = part.chars().take_while(|c| c.is_ascii_alphanumeric() || *c == '-').collect();
            if mark.starts_with("one-") || mark.starts_with("two-") {
                found.push(mark);
            }
        }
    };
    texts(root).values().for_each(|text| look(text));
    for (path, bytes) in files_below(&root.join(".ysomorph/kept")) {
        let text = String::from_utf8_lossy(&bytes).into_owned();
        // Of a file that one branch lost and the other one edited, version control keeps one whole: the one in the folder counts.
        let is_there = root.join("app").join(path.to_string_lossy().replace(".entity.list", ".toml")).exists();
        if is_there && text.contains("\"255\"") {
            continue;
        }
        text.lines().filter(|line| !is_there || line.contains("\"hidden\":true")).for_each(&mut look);
    }
    found.sort();
    found
}

fn commit(project: &Project, message: &str) {
    project.git_ok(&["add", "-A"]);
    project.git_ok(&["commit", "-q", "--allow-empty", "-m", message]);
}

/// One database goes on; one branch merges it early, the other late, both edit by hand; joined, and merged once more.
/// Whether it came to its end: where the two sides of a file fit together no more, a person has to fix it first.
fn run(seed: u64) -> bool {
    let mut random = Random::new(seed ^ 0x7EA3);
    let original = Database::random(&mut random);
    let project = Project::folder();
    let root = project.dir.path();
    start(root, &random_begin(), &original.schema()).unwrap();
    edit_by_hand(root, &original, &mut random, Hand::AsWritten);
    project.git_ok(&["init", "-q", "-b", "base"]);
    commit(&project, "base");
    let (mut early, mut late) = (original.clone(), original.clone());
    for _ in 0..1 + random.below(3) {
        early.mutate(&mut random);
    }
    late.clone_from(&early);
    for _ in 0..random.below(3) {
        late.mutate(&mut random);
    }
    let merge = |from: &Database, to: &Database, random: &mut Random| {
        merge_answered(root, from, to, &original, &mut |question| random.pick(&question.choices).clone());
    };
    project.git_ok(&["checkout", "-q", "-b", "one"]);
    merge(&original, &early, &mut random);
    marked(&project, "one", &mut random);
    commit(&project, "one");
    project.git_ok(&["checkout", "-q", "base"]);
    project.git_ok(&["checkout", "-q", "-b", "two"]);
    marked(&project, "two", &mut random);
    // One in three only edits by hand.
    if !random.one_in(3) {
        merge(&original, &late, &mut random);
    }
    commit(&project, "two");
    join(&project, "one");
    let joined: BTreeSet<String> = marks(root).into_iter().collect();
    if let Some(folder) = std::env::var_os("YSOMORPH_KEEP") {
        crate::walks::keep(root, &Path::new(&folder).join(seed.to_string()));
    }
    let workspace = Workspace::open(root).unwrap_or_else(|e| panic!("{e}: {e:?}"));
    let problems = workspace.problems();
    if let Some(problem) = problems.first() {
        println!("pair {seed} has to be fixed by hand: {}: {}", problem.path, problem.message);
        return false;
    }
    drop(workspace);
    merge(&early, &late, &mut random);
    let after = marks(root);
    let lost: Vec<&String> = joined.iter().filter(|mark| !after.contains(mark)).collect();
    assert!(lost.is_empty(), "lost: {lost:?}");
    let twice: Vec<&[String]> = after.windows(2).filter(|pair| pair[0] == pair[1]).collect();
    assert!(twice.is_empty(), "twice: {twice:?}");
    for (path, bytes) in files_below(root) {
        if !path.starts_with(".git") && !path.starts_with(".ysomorph/merges") {
            assert!(!String::from_utf8_lossy(&bytes).contains("<<<<<<< "), "{} still has a conflict", path.display());
        }
    }
    true
}

#[test]
fn random_pairs_of_branches_end_sound_with_nothing_lost() {
    let only = std::env::var("YSOMORPH_SEED").ok().and_then(|s| s.parse().ok());
    let cases = std::env::var("YSOMORPH_CASES").ok().and_then(|s| s.parse().ok()).unwrap_or(25);
    let seeds: Vec<u64> = only.map_or_else(|| (1..=cases).collect(), |seed| vec![seed]);
    let (mut failed, mut ended, all) = (Vec::new(), 0, seeds.len());
    for seed in seeds {
        match std::panic::catch_unwind(|| run(seed)) {
            Ok(true) => ended += 1,
            Ok(false) => {}
            Err(_) => failed.push(seed),
        }
    }
    println!("{ended} of {all} pairs came to their end");
    assert!(all == 1 || ended * 10 > all * 9, "only {ended} of {all} pairs came to their end");
    assert!(failed.is_empty(), "{} seeds failed: {failed:?} (run one with YSOMORPH_SEED=N)", failed.len());
}

const SQL: &str = "CREATE TABLE yard (id INTEGER PRIMARY KEY, name TEXT NOT NULL, place TEXT, notes TEXT, altitude_m INTEGER);
CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT NOT NULL, colour TEXT, weight_kg REAL, yard_id INTEGER REFERENCES yard (id));";

/// A workspace under version control, its database apart.
fn versioned() -> Project {
    let project = Project::new(SQL);
    project.git_ok(&["init", "-q", "-b", "base"]);
    let app = project.read("app/app.toml");
    let title = app.lines().find(|line| line.starts_with("title = ")).unwrap().to_owned();
    project.edit("app/app.toml", &title, "title = \"Yards\"");
    project.write(".gitignore", "my.db\nbin/\n");
    project.edit("app/yard.toml", "[field.place]\n", "[field.place]\nlabel = \"Where\"   # as we say\n");
    project.edit("app/yard.toml", "[field.notes]\n", "[field.notes]\nlabel = \"Remarks\"\n");
    commit(&project, "base");
    project
}

fn branch(project: &Project, name: &str) {
    project.git_ok(&["checkout", "-q", "base"]);
    project.git_ok(&["checkout", "-q", "-b", name]);
}

#[test]
fn both_sides_of_the_states_conflicts_are_read_together_and_written_by_a_merge() {
    let project = versioned();
    let before = project.definition();
    // One branch merges the loss of a column, the other that of another one too; both add something.
    branch(&project, "one");
    project.sql("ALTER TABLE yard DROP COLUMN place; ALTER TABLE hive ADD COLUMN built_on DATE");
    project.expect(0, &["merge", "--write", "--safe"]);
    commit(&project, "one");
    branch(&project, "two");
    project.sql("ALTER TABLE yard DROP COLUMN notes; ALTER TABLE hive ADD COLUMN row_version INTEGER NOT NULL DEFAULT 0");
    project.expect(0, &["merge", "--write", "--safe"]);
    commit(&project, "two");
    join(&project, "one");
    let conflict =
        files_below(&project.path(".ysomorph")).into_iter().any(|(_, bytes)| String::from_utf8_lossy(&bytes).contains("<<<<<<< "));
    assert!(conflict, "there is nothing to bring together");
    let told = project.expect(1, &["check"]);
    assert!(told.contains("Two branches met in") && told.contains("Next: ysomorph merge --write"), "{told}");
    // Looking writes nothing.
    let told = project.expect(1, &["merge"]);
    assert!(told.contains("Two branches met") && told.contains("would be written"), "{told}");
    assert!(project.git_ok(&["status", "--short"]).is_empty());
    project.merge(&[]);
    project.expect(0, &["check"]);
    assert!(project.expect(0, &["history"]).contains("merged"));
    // What either of them hid comes back.
    project.sql("ALTER TABLE yard ADD COLUMN place TEXT; ALTER TABLE yard ADD COLUMN notes TEXT; ALTER TABLE hive DROP COLUMN built_on; ALTER TABLE hive DROP COLUMN row_version");
    project.merge(&[]);
    let text = project.read("app/yard.toml");
    assert!(text.contains("label = \"Where\"   # as we say") && text.contains("label = \"Remarks\""), "{text}");
    project.same_definition(&before);
}

#[test]
fn parts_merged_on_two_branches_and_joined_are_the_whole_merge() {
    let change = "ALTER TABLE yard RENAME COLUMN place TO spot; ALTER TABLE yard ADD COLUMN flag TEXT; ALTER TABLE hive DROP COLUMN colour; ALTER TABLE hive ADD COLUMN built_on DATE";
    let whole = versioned();
    whole.sql(change);
    whole.merge(&[("rename/yard.place", "spot")]);
    let project = versioned();
    project.sql(change);
    for (name, entity) in [("one", "yard"), ("two", "hive")] {
        branch(&project, name);
        if entity == "yard" {
            project.expect(0, &["decide", "rename/yard.place", "spot"]);
        }
        project.expect(0, &["merge", "--only", entity, "--write", "--safe"]);
        commit(&project, name);
    }
    join(&project, "one");
    project.merge(&[]);
    project.same_definition(&whole.definition());
    project.expect(0, &["changes"]);
    project.expect(0, &["check"]);
}

#[test]
fn a_conflict_in_a_file_that_people_write_is_named_as_that() {
    for (file, text) in [
        ("app/yard.toml", None),
        ("ysomorph.toml", None),
        ("decisions.toml", Some("[[answer]]\nquestion = \"table/x\"\nchoice = \"in\"\n")),
        ("app/labels.de.po", Some("msgctxt \"yard/label/one\"\nmsgid \"Yard\"\nmsgstr \"Stand\"\n")),
    ] {
        let project = versioned();
        let text = text.map_or_else(|| project.read(file), str::to_owned);
        let (first, rest) = text.split_once('\n').unwrap();
        project.write(file, &format!("{first}\n<<<<<<< HEAD\n# a\n=======\n# b\n>>>>>>> other\n{rest}"));
        for command in [&["check"][..], &["merge"], &["impact"]] {
            let told = project.expect(2, command);
            assert!(told.contains("version control left a conflict here") && told.contains(&format!("{file}:2:1")), "{file}: {told}");
        }
    }
}

/// The scripts of the manual's page on teams, in their order.
fn scripts() -> Vec<String> {
    let page = include_str!("../../../../docs/teams.md");
    page.split("```sh\n").skip(1).map(|part| part.split("```").next().unwrap().to_owned()).collect()
}

/// Runs something with the program on the path.
fn with_program(project: &Project, command: &str, arguments: &[&str]) -> (i32, String) {
    let bin = project.path("bin");
    std::fs::create_dir_all(&bin).unwrap();
    let link = bin.join("ysomorph");
    if !link.exists() {
        std::os::unix::fs::symlink(crate::support::program(), &link).unwrap();
    }
    let path = format!("{}:{}", bin.display(), std::env::var("PATH").unwrap());
    let mut run = Command::new(command);
    run.args(arguments).current_dir(project.dir.path()).env("PATH", path).env("GIT_CONFIG_GLOBAL", "/dev/null");
    let output = run.output().unwrap();
    (output.status.code().unwrap_or(-1), format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr)))
}

#[test]
fn the_manuals_hook_lets_only_sound_definitions_be_committed() {
    use std::os::unix::fs::PermissionsExt;
    let project = versioned();
    let hook = project.path(".git/hooks/pre-commit");
    std::fs::create_dir_all(hook.parent().unwrap()).unwrap();
    std::fs::write(&hook, &scripts()[0]).unwrap();
    std::fs::set_permissions(&hook, std::fs::Permissions::from_mode(0o755)).unwrap();
    let commit = |message: &str| {
        with_program(&project, "git", &["-c", "user.name=Mara", "-c", "user.email=m@example.org", "commit", "-q", "-m", message])
    };
    project.edit("app/yard.toml", "label = \"Where\"", "label = \"Whereabouts\"");
    project.git_ok(&["add", "-A"]);
    // What isn't staged doesn't matter.
    project.edit("app/yard.toml", "label = \"Remarks\"", "labell = \"Remarks\"");
    let (code, told) = commit("sound");
    assert_eq!(code, 0, "{told}");
    project.git_ok(&["add", "-A"]);
    let (code, told) = commit("unsound");
    assert!(code != 0 && told.contains("Not sound"), "{code} {told}");
    assert_eq!(project.git_ok(&["log", "--format=%s", "-1"]).trim(), "sound");
}

#[test]
fn the_manuals_pipeline_fails_for_what_breaks_until_it_is_known() {
    let project = versioned();
    project.write("pipeline.sh", &scripts()[1]);
    assert_eq!(with_program(&project, "sh", &["pipeline.sh"]).0, 0);
    project.sql("ALTER TABLE yard DROP COLUMN place");
    let (code, told) = with_program(&project, "sh", &["pipeline.sh"]);
    assert_eq!(code, 1, "{told}");
    assert!(project.read("impact.xml").contains("page/column-missing"));
    project.run(&["impact", "--format", "json", "--output", &project.path("known.json").display().to_string()]);
    assert_eq!(with_program(&project, "sh", &["pipeline.sh"]).0, 0);
}
