//! Signals: an interrupt at any moment of any command leaves a workspace whole, and says what became of it. `watch` sees what changes.

use crate::support::{Project, files_below, program};
use std::io::Read;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

fn spawned(project: &Project, arguments: &[&str]) -> Child {
    let mut command = Command::new(program());
    command.arg("-C").arg(project.dir.path()).args(arguments);
    command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
}

fn signal(child: &Child, name: &str) {
    // It may have ended already.
    let _ = Command::new("kill").args([&format!("-{name}"), &child.id().to_string()]).stderr(Stdio::null()).status();
}

/// The definition's files, without what a write that begins or ends has beside them, and what a look leaves for the next.
fn whole(project: &Project) -> Vec<(std::path::PathBuf, Vec<u8>)> {
    let is_kept = |path: &std::path::Path| {
        !path.to_string_lossy().contains("pending")
            && !path.ends_with("lock")
            && path.starts_with(".ysomorph")
            && !path.starts_with(".ysomorph/index")
    };
    let all = files_below(project.dir.path());
    all.into_iter().filter(|(path, _)| path.starts_with("app") || is_kept(path)).collect()
}

fn lost() -> Project {
    let tables: Vec<String> =
        (0..60).map(|n| format!("CREATE TABLE t{n} (id INTEGER PRIMARY KEY, name TEXT NOT NULL, gone TEXT);")).collect();
    let project = Project::new(&tables.join("\n"));
    let drops: Vec<String> = (0..60).map(|n| format!("ALTER TABLE t{n} DROP COLUMN gone;")).collect();
    project.sql(&drops.join("\n"));
    project
}

#[cfg(unix)]
#[test]
fn an_interrupt_at_any_moment_leaves_all_as_it_was_or_all_written() {
    let project = lost();
    let before = whole(&project);
    let started = Instant::now();
    project.run(&["merge", "--safe"]);
    let usual = started.elapsed();
    let mut written = false;
    for at in 0..24u32 {
        let name = if at % 3 == 2 { "TERM" } else { "INT" };
        let child = spawned(&project, &["merge", "--write", "--safe"]);
        std::thread::sleep(usual * at / 16);
        signal(&child, name);
        let Output { status, stderr, .. } = child.wait_with_output().unwrap();
        let said = String::from_utf8_lossy(&stderr);
        match status.code() {
            Some(130) => {
                // One that comes between the write and the end says so.
                written = said.contains("interrupted: what was to be written is written");
                assert!(written || said.contains("interrupted: nothing was changed"), "{said}");
                assert!((whole(&project) == before) != written, "{at}: something was written, or not: {said}");
            }
            Some(0) => {
                written = true;
                project.expect(0, &["check"]);
                project.expect(0, &["undo"]);
                assert_eq!(project.definition().len(), 61);
            }
            // Before the program minds signals the system ends it.
            None => assert!(whole(&project) == before, "{at}"),
            other => panic!("{at}: {other:?} {said}"),
        }
        if written {
            // An undo keeps its entry: what is compared next is what stands now.
            break;
        }
    }
    project.expect(0, &["merge", "--write", "--safe"]);
    project.expect(0, &["check"]);
}

#[cfg(unix)]
#[test]
fn looking_can_be_interrupted_and_says_so() {
    let project = lost();
    let before = whole(&project);
    for command in [&["impact"][..], &["check"], &["show", "t1"]] {
        let child = spawned(&project, command);
        std::thread::sleep(Duration::from_millis(30));
        signal(&child, "INT");
        // One that was done already has its own status.
        let code = child.wait_with_output().unwrap().status.code();
        assert!(matches!(code, Some(0 | 1 | 130) | None), "{command:?}: {code:?}");
        assert!(whole(&project) == before, "{command:?}");
    }
    // What never ends by itself was interrupted for certain, once it has begun.
    let mut child = spawned(&project, &["watch", "check"]);
    let mut first = [0];
    child.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
    signal(&child, "INT");
    let ended = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&ended.stderr);
    assert!(ended.status.code() == Some(130) && said.contains("interrupted: nothing was changed"), "{:?} {said}", ended.status);
    assert!(whole(&project) == before);
    // Also where nobody listens any more: a terminal that was closed.
    let mut child = spawned(&project, &["watch", "check"]);
    child.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
    drop(child.stderr.take());
    signal(&child, "HUP");
    let ended = (0..100).find_map(|_| {
        std::thread::sleep(Duration::from_millis(50));
        child.try_wait().unwrap()
    });
    if ended.is_none() {
        let _ = child.kill();
    }
    assert_eq!(ended.and_then(|status| status.code()), Some(130));
}

#[test]
fn watch_runs_again_when_a_file_or_the_database_changes() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT)");
    let child = spawned(&project, &["watch", "--every", "1", "--runs", "3", "--on-break", "true", "impact"]);
    std::thread::sleep(Duration::from_millis(600));
    project.sql("ALTER TABLE hive DROP COLUMN tag");
    std::thread::sleep(Duration::from_millis(1500));
    project.append("app/hive.toml", "\n# a note\n");
    let ended = child.wait_with_output().unwrap();
    let text = String::from_utf8(ended.stdout).unwrap();
    assert_eq!(text.matches(" ysomorph impact\n").count(), 3, "{text}{}", String::from_utf8_lossy(&ended.stderr));
    assert!(
        text.contains("Nothing changed, and nothing breaks.") && text.contains("by 1 change") && ended.status.code() == Some(1),
        "{text}"
    );
    let refused = project.run(&["watch", "watch"]);
    assert!(refused.code == 2 && refused.err.contains("watch can't watch itself"), "{}", refused.err);
}

#[cfg(unix)]
#[test]
fn what_serves_says_what_became_of_it_when_it_is_ended() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT)");
    for (arguments, told) in [(&["try"][..], "ended: nothing was saved"), (&["try", "--write"], "ended: what was saved stays saved")] {
        let mut child = spawned(&project, arguments);
        let mut head = [0; 20];
        child.stdout.as_mut().unwrap().read_exact(&mut head).unwrap();
        signal(&child, "INT");
        let ended = child.wait_with_output().unwrap();
        let said = String::from_utf8_lossy(&ended.stderr);
        assert!(ended.status.code() == Some(130) && said.contains(told), "{arguments:?} {:?} {said}", ended.status);
    }
}

#[test]
fn completions_and_manual_pages_name_every_command() {
    let project = Project::folder();
    let help = project.expect(0, &["--help"]);
    let commands: Vec<&str> = help
        .lines()
        .skip_while(|l| *l != "Commands:")
        .skip(1)
        .take_while(|l| !l.is_empty())
        .filter_map(|l| l.split_whitespace().next())
        .collect();
    assert!(commands.len() > 15, "{help}");
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let script = project.expect(0, &["completions", shell]);
        assert!(commands.iter().all(|command| script.contains(command)), "{shell}");
    }
    let folder = project.path("man");
    project.expect(0, &["manual", "--into", folder.to_str().unwrap()]);
    let main = project.expect(0, &["manual"]);
    for command in &commands {
        let page = std::fs::read_to_string(folder.join(format!("ysomorph-{command}.1"))).unwrap();
        assert!(page.contains(".TH") && main.contains(command), "{command}");
        assert_eq!(project.expect(0, &["manual", command]), page, "{command}");
    }
}

#[test]
fn options_are_taken_from_the_environment() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY)");
    let run = |name: &str, value: &str, arguments: &[&str]| {
        let ran = Command::new(program()).arg("-C").arg(project.dir.path()).args(arguments).env(name, value).output().unwrap();
        String::from_utf8(ran.stdout).unwrap()
    };
    assert!(run("YSOMORPH_FORMAT", "json", &["changes"]).starts_with('{'));
    assert_eq!(run("YSOMORPH_QUIET", "1", &["check"]).lines().count(), 1);
    assert!(run("YSOMORPH_QUIET", "0", &["check"]).lines().count() >= 1);
    let file = project.path("out.txt");
    assert_eq!(run("YSOMORPH_OUTPUT", file.to_str().unwrap(), &["check"]), "");
    assert!(std::fs::read_to_string(file).unwrap().starts_with("Sound"));
    // `-` is standard output.
    assert!(run("YSOMORPH_OUTPUT", "-", &["check"]).starts_with("Sound"));
}
