//! Readers of outside bytes: whatever stands in a file of the workspace, it is read, or told with its place; nothing panics, and a
//! merge of what could be read comes to its end. `YSOMORPH_CASES` runs more, from `YSOMORPH_FIRST`.

use crate::model::Random;
use crate::support::{Project, files_below};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use ysomorph_core::impact::check;
use ysomorph_core::merge::merge;
use ysomorph_core::schema::{Outline, Schema};
use ysomorph_workspace::{OpenError, Workspace};

const CASES: u64 = 400;

/// What stands in no file by intent, or where it shouldn't.
const ODD: &[&[u8]] = &[
    b"\"",
    b"'",
    b"\"\"\"",
    b"'''",
    b"[",
    b"]",
    b"[[",
    b"]]",
    b"{",
    b"}",
    b"=",
    b" = ",
    b".",
    b",",
    b"#",
    b"\\",
    b"\\u{0}",
    b"\0",
    b"\r",
    b"\r\n",
    b"\n\n",
    b"\t",
    b"\xff",
    b"\xc3",
    b"\xe2\x80\xae",
    b"\xef\xbb\xbf",
    b"\x1f",
    b"-",
    b"--",
    b"/*",
    b"*/",
    b"$$",
    b";",
    b"(",
    b")",
    b":a",
    b"::",
    b"{{",
    b"}}",
    b"{a.b.c}",
    b"<<<<<<< a\n",
    b"=======\n",
    b">>>>>>> b\n",
    b"null",
    b"true",
    b"1e999",
    b"-0",
    b"9223372036854775808",
    b"1979-05-27T07:32:00Z",
    b"inf",
    b"nan",
    b"msgid \"\"\n",
    b"#~ ",
    b"#, fuzzy\n",
    b"[page]\n",
    b"kind = 1\n",
    b"format = 2\n",
];

/// Bytes with a few places changed, as accidents, editors and people with bad intent leave them.
pub fn mutated(random: &mut Random, bytes: &[u8]) -> Vec<u8> {
    let mut all = bytes.to_vec();
    for _ in 0..=random.below(4) {
        let at = random.below(all.len() + 1);
        let to = (at + random.below(40)).min(all.len());
        match random.below(8) {
            0 => all.truncate(at),
            1 => drop(all.drain(at..to)),
            2 => {
                let part = all[at..to].to_vec();
                let there = random.below(all.len() + 1);
                all.splice(there..there, part);
            }
            3 if at < all.len() => all[at] ^= 1 << random.below(8),
            4 => {
                let deep = random.pick(ODD).repeat(1 + random.below(3000));
                all.splice(at..at, deep);
            }
            5 => {
                // Two lines change places.
                let mut lines: Vec<&[u8]> = all.split(|b| *b == b'\n').collect();
                let (a, b) = (random.below(lines.len()), random.below(lines.len()));
                lines.swap(a, b);
                all = lines.join(&b'\n');
            }
            _ => drop(all.splice(at..at, random.pick(ODD).iter().copied())),
        }
    }
    all
}

/// Reads the workspace and does with it what commands do.
fn looked_at(root: &Path) {
    match Workspace::open(root) {
        Ok(workspace) => {
            let accepted = workspace.accepted().clone();
            let _ = workspace.problems();
            let _ = check(&workspace.tree, &accepted);
            let answers = workspace.answer_map();
            let _ = merge(&workspace.merge_input(&accepted, &answers));
        }
        Err(error @ OpenError::Files(_)) => assert!(!error.to_string().is_empty()),
        Err(_) => {}
    }
}

#[test]
fn no_byte_in_any_file_makes_a_reader_panic() {
    let project = Project::demo(None);
    project.change_demo(None);
    project.run(&["merge", "--write", "--safe"]);
    // Merged once, the workspace has files of every kind: hidden parts, follow-ups, entries of the history.
    let root = project.dir.path();
    let files: Vec<_> = files_below(root).into_iter().filter(|(path, _)| !path.to_string_lossy().ends_with(".db")).collect();
    assert!(files.len() > 15, "{}", files.len());
    let number = |name: &str, otherwise: u64| std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise);
    let first = number("YSOMORPH_FIRST", 1);
    for seed in first..first + number("YSOMORPH_CASES", CASES) {
        let mut random = Random::new(seed);
        let (name, bytes) = random.pick(&files);
        let path = &root.join(name);
        let changed = mutated(&mut random, bytes);
        std::fs::write(path, &changed).unwrap();
        let text = String::from_utf8_lossy(&changed);
        let read = || {
            looked_at(root);
            // The same bytes where a snapshot is expected, or a text of SQL.
            let _ = Schema::from_snapshot(&text);
            let _ = Outline::of(&text);
            let _ = ysomorph_workspace::toml::parse(&text);
            let _ = ysomorph_core::sql::parse_template(&text);
        };
        let ended = catch_unwind(AssertUnwindSafe(read));
        std::fs::write(path, bytes).unwrap();
        assert!(ended.is_ok(), "YSOMORPH_FIRST={seed} YSOMORPH_CASES=1: {} with {:?}", path.display(), text);
    }
}
