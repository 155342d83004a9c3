//! The examples of the manual, run as they stand: what follows a `$` is run, what follows that has to be printed, `…` leaves lines out.

use crate::support::program;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A command and the lines that it has to print.
#[derive(Debug)]
struct Example {
    command: String,
    printed: Vec<String>,
}

fn examples(text: &str) -> Vec<Example> {
    let mut found: Vec<Example> = Vec::new();
    let mut within = false;
    for line in text.lines() {
        match line {
            "```console" => within = true,
            line if line.starts_with("```") => within = false,
            line if within => match line.strip_prefix("$ ") {
                Some(command) => found.push(Example { command: command.to_owned(), printed: Vec::new() }),
                None => found.last_mut().expect("a command comes first").printed.push(line.to_owned()),
            },
            _ => {}
        }
    }
    found
}

/// The words of a command line, as a shell takes them apart.
fn words(line: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut quoted = false;
    for c in line.chars() {
        match c {
            '"' => quoted = !quoted,
            ' ' if !quoted => words.push(String::new()),
            c => words.last_mut().unwrap().push(c),
        }
    }
    words
}

fn run(folder: &mut PathBuf, line: &str) -> String {
    let words = words(line);
    match (words[0].as_str(), &words[1..]) {
        ("ysomorph", rest) => {
            let ran = Command::new(program()).args(rest).current_dir(&*folder).env("GIT_AUTHOR_NAME", "Mara Lind").output().unwrap();
            assert_ne!(ran.status.code(), Some(2), "{line}: {}", String::from_utf8_lossy(&ran.stderr));
            String::from_utf8(ran.stdout).unwrap()
        }
        ("cd", [to]) => {
            folder.push(to);
            String::new()
        }
        ("ls", []) => {
            let mut names: Vec<String> =
                std::fs::read_dir(&*folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
            names.retain(|name| !name.starts_with('.'));
            names.sort();
            names.join("\n")
        }
        ("sqlite3", [file, sql]) => {
            rusqlite::Connection::open(folder.join(file)).unwrap().execute_batch(sql).unwrap();
            String::new()
        }
        other => panic!("the test doesn't know how to run {other:?}"),
    }
}

/// Whether a text is what an example says, with lines left out where it says so.
fn fits(said: &[String], printed: &[&str]) -> bool {
    match said {
        [] => printed.is_empty(),
        [first, rest @ ..] if first == "…" => (0..=printed.len()).any(|from| fits(rest, &printed[from..])),
        [first, rest @ ..] => printed.first().is_some_and(|line| line == first) && fits(rest, &printed[1..]),
    }
}

/// The command lines of a page, without what a shell does with them; those that leave something to be filled in aren't any.
fn command_lines(text: &str) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    // What stands between fences is prose and examples by turns; a span of prose may go on in the next line.
    for (at, part) in text.split("```").enumerate() {
        if at % 2 == 1 {
            lines.extend(part.lines().filter_map(|line| Some(line[line.find("ysomorph ")?..].to_owned())));
        } else {
            let spans = part.split('`').skip(1).step_by(2);
            lines.extend(spans.filter(|span| span.starts_with("ysomorph ")).map(|span| span.replace('\n', " ")));
        }
    }
    let is_whole =
        |line: &String| !line.split_whitespace().any(|word| word.starts_with('[') || word.chars().all(|c| c.is_ascii_uppercase()));
    let plain = |line: String| {
        line.split(['|', '>', '#', '&']).next().unwrap_or_default().split("   (").next().unwrap_or_default().trim().to_owned()
    };
    lines.into_iter().map(plain).filter(is_whole).collect()
}

#[test]
fn every_command_line_of_the_manual_is_one() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut pages: Vec<PathBuf> = std::fs::read_dir(root.join("docs")).unwrap().map(|entry| entry.unwrap().path()).collect();
    pages.extend(["README.md", "CONTRIBUTING.md", "ARCHITECTURE.md"].map(|page| root.join(page)));
    let mut lines: Vec<String> = Vec::new();
    for page in pages.iter().filter(|page| page.extension().is_some_and(|e| e == "md")) {
        lines.extend(command_lines(&std::fs::read_to_string(page).unwrap()));
    }
    lines.sort();
    lines.dedup();
    assert!(lines.len() > 40, "{}", lines.len());
    for line in lines {
        let mut words = words(&line);
        // What is watched is a command line itself.
        if words.get(1).is_some_and(|word| word == "watch") && words.get(2).is_some_and(|word| !word.starts_with('-')) {
            words.remove(1);
        }
        // Help comes after everything before it was understood.
        let ran = Command::new(program()).args(&words[1..]).arg("--help").output().unwrap();
        assert!(ran.status.success(), "{line}: {}", String::from_utf8_lossy(&ran.stderr));
    }
}

#[test]
fn every_example_of_the_manual_runs_and_prints_what_it_says() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let mut count = 0;
    for entry in std::fs::read_dir(docs).unwrap() {
        let path = entry.unwrap().path();
        if path.extension().is_none_or(|e| e != "md") {
            continue;
        }
        let home = tempfile::tempdir().unwrap();
        let mut folder = home.path().to_owned();
        for example in examples(&std::fs::read_to_string(&path).unwrap()) {
            let printed = run(&mut folder, &example.command);
            let mut said = example.printed.clone();
            // A blank line before the next command is for the eye.
            while said.last().is_some_and(String::is_empty) {
                said.pop();
            }
            let lines: Vec<&str> = printed.trim_end().lines().collect();
            assert!(fits(&said, &lines), "{}: {}\nsays:\n{}\nprinted:\n{printed}", path.display(), example.command, said.join("\n"));
            count += 1;
        }
    }
    assert!(count > 20, "{count} examples");
}
