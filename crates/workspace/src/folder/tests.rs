//! Wholly old or wholly new, wherever it stops; and nothing through links, whatever a commit file says.

use super::lasting::{TransactionError, digest};
use super::recovery::{new_name, take};
use super::transaction::{Before, Step, Transaction};
use super::whole;
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use tempfile::TempDir;

fn step(path: &str, before: Option<&str>, new: Option<&str>) -> Step {
    Step { path: path.into(), before: Before::of(before), new: new.map(str::to_owned), mode: None }
}

/// A folder with a few files, the lock taken once.
fn folder() -> TempDir {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir_all(dir.path().join("app")).unwrap();
    fs::write(dir.path().join("app/a.toml"), "old a").unwrap();
    fs::write(dir.path().join("app/gone.toml"), "old").unwrap();
    drop(take(dir.path()).unwrap());
    dir
}

fn change() -> Transaction {
    Transaction {
        steps: vec![
            step("app/a.toml", Some("old a"), Some("new a")),
            step(".ysomorph/merges/b.json", None, Some("new b")),
            step("app/gone.toml", Some("old"), None),
        ],
    }
}

/// The workspace's files with their texts; the lock and what is pending aside.
fn texts(root: &Path) -> BTreeMap<String, String> {
    let mut all = BTreeMap::new();
    for file in ["app/a.toml", "app/gone.toml", ".ysomorph/merges/b.json", "ysomorph.toml"] {
        all.extend(fs::read_to_string(root.join(file)).ok().map(|text| (file.to_owned(), text)));
    }
    all
}

fn pending(root: &Path) -> Vec<String> {
    super::list(root, ".ysomorph/pending").unwrap().unwrap_or_default()
}

#[test]
fn a_write_is_wholly_old_or_wholly_new_wherever_it_stops() {
    let (old, new) = {
        let dir = folder();
        let old = texts(dir.path());
        change().commit(dir.path(), &mut take(dir.path()).unwrap()).unwrap();
        (old, texts(dir.path()))
    };
    assert!(old != new && new.len() == 2);
    for stop in 0..5 {
        let dir = folder();
        let root = dir.path();
        change().prepare(root).unwrap();
        match stop {
            // Before the commit point.
            0 => fs::rename(root.join(".ysomorph/pending/commit"), root.join(".ysomorph/pending/commit.tmp")).unwrap(),
            1 => {}
            // After each step.
            _ => fs::rename(root.join(new_name(0)), root.join("app/a.toml")).unwrap(),
        }
        if stop > 2 {
            fs::create_dir_all(root.join(".ysomorph/merges")).unwrap();
            fs::rename(root.join(new_name(1)), root.join(".ysomorph/merges/b.json")).unwrap();
        }
        if stop > 3 {
            fs::remove_file(root.join("app/gone.toml")).unwrap();
        }
        // A looker sees one of both, and the next writer too.
        let seen = whole(root, |recovered| (recovered, texts(root))).unwrap();
        assert_eq!(seen, if stop == 0 { (false, old.clone()) } else { (true, new.clone()) }, "stopped at {stop}");
        assert!(!take(root).unwrap().recovered && pending(root).is_empty());
        assert_eq!(texts(root), seen.1);
    }
}

#[test]
fn what_was_edited_after_an_interruption_is_neither_lost_nor_half_overwritten() {
    let dir = folder();
    let root = dir.path();
    change().prepare(root).unwrap();
    fs::write(root.join("app/gone.toml"), "edited").unwrap();
    for _ in 0..2 {
        let error = whole(root, |_| ()).unwrap_err().to_string();
        assert!(error.contains("`app/gone.toml` changed meanwhile"), "{error}");
        assert_eq!(fs::read_to_string(root.join("app/a.toml")).unwrap(), "old a");
    }
    fs::write(root.join("app/gone.toml"), "old").unwrap();
    assert!(whole(root, |recovered| recovered).unwrap());
    assert!(!root.join("app/gone.toml").exists());
}

#[test]
fn nothing_is_written_when_a_step_can_not_be() {
    let dir = folder();
    let root = dir.path();
    fs::create_dir(root.join("app/folder.toml")).unwrap();
    fs::write(root.join("app/read_only.toml"), "mine").unwrap();
    let mut mode = fs::metadata(root.join("app/read_only.toml")).unwrap().permissions();
    mode.set_readonly(true);
    fs::set_permissions(root.join("app/read_only.toml"), mode).unwrap();
    let before = texts(root);
    let long = format!("app/{}.toml", "x".repeat(300));
    for (bad, expected) in [
        (step("app/a.toml", Some("read"), Some("c")), "`app/a.toml` changed meanwhile"),
        (step("app/new.toml", Some("read"), Some("c")), "`app/new.toml` changed meanwhile"),
        (step("app/folder.toml", None, Some("c")), "`app/folder.toml` is a folder, not a file"),
        (step("app/read_only.toml", Some("mine"), Some("c")), "`app/read_only.toml` is read-only"),
        (step("app/read_only.toml", Some("mine"), None), "`app/read_only.toml` is read-only"),
        (step(&long, None, Some("c")), "ile name too long"),
        (step("../x.toml", None, Some("x")), "leads out of the workspace"),
        (step("/etc/x.toml", None, Some("x")), "leads out of the workspace"),
        (step(".git/hooks/pre-commit", None, Some("x")), "leads out of the workspace"),
    ] {
        let steps = vec![step("ysomorph.toml", None, Some("format = 1")), bad, step("app/gone.toml", Some("old"), None)];
        let error = Transaction { steps }.commit(root, &mut take(root).unwrap()).unwrap_err();
        assert!(error.to_string().contains(expected), "{error}");
        assert_eq!((texts(root), pending(root)), (before.clone(), Vec::new()), "{error}");
        assert!(!take(root).unwrap().recovered, "{error}: nothing is completed later");
    }
}

#[test]
fn a_failure_after_the_commit_point_puts_everything_back() {
    let dir = folder();
    let root = dir.path();
    let before = texts(root);
    let commit = change().prepare(root).unwrap();
    // The second step's place is taken by a folder that nobody could know of.
    fs::create_dir_all(root.join(".ysomorph/merges/b.json/inside")).unwrap();
    let mut lock = super::lock::take_without_recovery(root).unwrap();
    assert!(super::recovery::complete(root, &commit, &mut lock).is_err());
    fs::remove_dir_all(root.join(".ysomorph/merges/b.json")).unwrap();
    // Midway: the first file is moved, then it is given up.
    fs::rename(root.join(new_name(0)), root.join("app/a.toml")).unwrap();
    super::recovery::roll_back(root, &commit).unwrap();
    assert_eq!((texts(root), pending(root)), (before, Vec::new()));
}

#[test]
fn a_commit_file_from_anybody_reaches_nothing_but_the_workspaces_own_files() {
    for path in ["../victim.toml", "/tmp/victim.toml", ".git/hooks/post-merge", "app/../../victim.toml", "victim.sh", "app/x/y.toml", ""] {
        let dir = folder();
        let (outer, root) = (dir.path().to_owned(), dir.path().join("inner"));
        fs::create_dir_all(root.join(".ysomorph/pending")).unwrap();
        fs::write(outer.join("victim.toml"), "precious").unwrap();
        let text = |format: u32| {
            format!(
                "{{\"format\":{format},\"steps\":[{{\"path\":{path:?},\"before\":\"{}\",\"after\":\"{}\"}}]}}",
                digest("precious"),
                digest("bad")
            )
        };
        fs::write(root.join(new_name(0)), "bad").unwrap();
        for (format, expected) in [(1, "leads out of the workspace"), (2, "use a newer")] {
            fs::write(root.join(".ysomorph/pending/commit"), text(format)).unwrap();
            let error = whole(&root, |_| ()).unwrap_err().to_string();
            assert!(error.contains(expected) || format == 2 && error.contains("format 2"), "{path}: {error}");
            assert_eq!(fs::read_to_string(outer.join("victim.toml")).unwrap(), "precious");
        }
    }
    for broken in ["", "{", "[]", "{\"format\":1}", "{\"format\":1,\"steps\":[{\"path\":\"app/a.toml\",\"pending\":\"0.new\"}]}", "null"] {
        let dir = folder();
        fs::create_dir_all(dir.path().join(".ysomorph/pending")).unwrap();
        fs::write(dir.path().join(".ysomorph/pending/commit"), broken).unwrap();
        assert!(matches!(whole(dir.path(), |_| ()), Err(super::LockError::Folder(TransactionError::Broken { .. }))), "{broken}");
        assert_eq!(fs::read_to_string(dir.path().join("app/a.toml")).unwrap(), "old a");
    }
}

#[cfg(unix)]
#[test]
fn no_link_is_followed_wherever_it_stands() {
    use std::os::unix::fs::symlink;
    for place in [
        ".ysomorph",
        ".ysomorph/pending",
        ".ysomorph/pending/commit",
        ".ysomorph/lock",
        ".ysomorph/merges",
        ".ysomorph/merges/b.json",
        "app",
        "app/a.toml",
        "app/gone.toml",
    ] {
        for target in ["victim", "victim/file", "nowhere"] {
            let (outer, dir) = (tempfile::tempdir().unwrap(), folder());
            let root = dir.path();
            fs::create_dir(outer.path().join("victim")).unwrap();
            for file in ["file", "0.new", "a.toml", "gone.toml", "b.json", "lock"] {
                fs::write(outer.path().join("victim").join(file), "old a").unwrap();
            }
            let link = root.join(place);
            if link.is_dir() {
                fs::remove_dir_all(&link).unwrap();
            } else {
                drop(fs::remove_file(&link));
            };
            fs::create_dir_all(link.parent().unwrap()).unwrap();
            symlink(outer.path().join(target), &link).unwrap();
            let _ = whole(root, |_| super::read(root, "app/a.toml"));
            let written = take(root).map_err(|e| e.to_string()).and_then(|mut lock| {
                // As if it had been read through the link.
                let read = |file: &str| fs::read_to_string(root.join(file)).ok();
                let steps = vec![
                    step("app/a.toml", read("app/a.toml").as_deref(), Some("new a")),
                    step(".ysomorph/merges/b.json", read(".ysomorph/merges/b.json").as_deref(), Some("new b")),
                    step("app/gone.toml", read("app/gone.toml").as_deref(), None),
                ];
                Transaction { steps }.commit(root, &mut lock).map_err(|e| e.to_string())
            });
            assert!(written.unwrap_err().contains("is a link"), "{place} → {target}");
            assert!(link.is_symlink(), "{place} → {target}");
            for file in ["file", "0.new", "a.toml", "gone.toml", "b.json", "lock"] {
                assert_eq!(fs::read_to_string(outer.path().join("victim").join(file)).unwrap(), "old a", "{place} → {target}");
            }
            assert!(!outer.path().join("nowhere").exists());
        }
    }
}

#[cfg(unix)]
#[test]
fn pipes_and_devices_are_refused_and_not_waited_for() {
    let dir = folder();
    let pipe = dir.path().join("app/pipe.toml");
    rustix::fs::mknodat(rustix::fs::CWD, &pipe, rustix::fs::FileType::Fifo, 0o600.into(), 0).unwrap();
    let error = super::read(dir.path(), "app/pipe.toml").unwrap_err().to_string();
    assert!(error.contains("is a named pipe, not a file"), "{error}");
}

#[cfg(unix)]
#[test]
fn modes_stay_and_come_with_a_file_that_is_made_anew() {
    use std::os::unix::fs::PermissionsExt;
    let dir = folder();
    let root = dir.path();
    let mode = |file: &str| fs::metadata(root.join(file)).unwrap().permissions().mode() & 0o7777;
    fs::set_permissions(root.join("app/a.toml"), fs::Permissions::from_mode(0o640)).unwrap();
    let mut new = step("app/b.toml", None, Some("b"));
    new.mode = Some(0o600);
    Transaction { steps: vec![step("app/a.toml", Some("old a"), Some("new")), new] }.commit(root, &mut take(root).unwrap()).unwrap();
    assert_eq!((mode("app/a.toml"), mode("app/b.toml")), (0o640, 0o600));
}

/// Lookers beside writers: each sees the two files with the same number.
#[test]
fn lookers_see_whole_states_while_others_write() {
    let dir = folder();
    let root = dir.path();
    let text = |n: usize| format!("number {n}");
    fs::write(root.join("app/a.toml"), text(0)).unwrap();
    fs::write(root.join("app/gone.toml"), text(0)).unwrap();
    let is_over = std::sync::atomic::AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            for n in 0..60 {
                let (before, after) = (text(n), text(n + 1));
                let steps = ["app/a.toml", "app/gone.toml"].map(|path| step(path, Some(&before), Some(&after)));
                Transaction { steps: steps.into() }.commit(root, &mut take(root).unwrap()).unwrap();
            }
            is_over.store(true, std::sync::atomic::Ordering::Relaxed);
        });
        for _ in 0..4 {
            scope.spawn(|| {
                while !is_over.load(std::sync::atomic::Ordering::Relaxed) {
                    let read = |file: &str| super::read(root, file).unwrap();
                    let (a, b) = whole(root, |_| (read("app/a.toml"), read("app/gone.toml"))).unwrap();
                    assert_eq!(a, b);
                }
            });
        }
    });
    assert_eq!(fs::read_to_string(root.join("app/a.toml")).unwrap(), text(60));
}
