//! A workspace with other bytes in one of its files: configuration, definition, answers, catalogues, kept lists, history, index. It is
//! opened and merged, or told what is wrong with it. `YSOMORPH_FUZZ_WORKSPACES` is a folder of workspaces, each with the snapshot that a
//! merge is looked at for beside it (`NAME.changed.json`); their files are changed and put back for each case.

#![no_main]

use libfuzzer_sys::{Corpus, fuzz_target};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;
use ysomorph_core::impact::check;
use ysomorph_core::merge::merge;
use ysomorph_core::schema::Schema;
use ysomorph_workspace::{Closed, OpenError, Workspace};

struct Bench {
    root: PathBuf,
    /// Its files with their bytes.
    files: Vec<(PathBuf, Vec<u8>)>,
    /// The schema that a merge is looked at for.
    changed: Schema,
}

static BENCHES: LazyLock<Vec<Bench>> = LazyLock::new(|| {
    let folder = PathBuf::from(std::env::var_os("YSOMORPH_FUZZ_WORKSPACES").expect("YSOMORPH_FUZZ_WORKSPACES isn't set"));
    let all = std::fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path());
    let bench = |root: PathBuf| {
        let mut files = Vec::new();
        gather(&root, &mut files);
        let changed = std::fs::read_to_string(root.with_extension("changed.json")).expect("the changed schema beside the folder");
        Bench { root, files, changed: Schema::from_snapshot(&changed).expect("a snapshot") }
    };
    all.filter(|path| path.is_dir()).map(bench).collect()
});

fn gather(folder: &Path, files: &mut Vec<(PathBuf, Vec<u8>)>) {
    for entry in std::fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path()) {
        if entry.is_dir() {
            gather(&entry, files);
        } else if entry.extension().is_none_or(|kind| kind != "db") && entry.file_name().is_none_or(|name| name != "lock") {
            files.push((entry.clone(), std::fs::read(&entry).expect("a file")));
        }
    }
}

fn looked_at(workspace: Result<Workspace, OpenError>, changed: &Schema) {
    match workspace {
        Ok(workspace) => {
            let _ = (workspace.problems(), check(&workspace.tree, workspace.accepted()));
            let _ = merge(&workspace.merge_input(changed, &workspace.answer_map()));
        }
        Err(error) => assert!(!error.to_string().is_empty()),
    }
}

fn opened_for(bench: &Bench) -> Result<Workspace, OpenError> {
    Workspace::open_for(Closed::read(&bench.root, true)?, &bench.changed, &BTreeSet::new(), false)
}

// The path of a file on a line, and its bytes.
fuzz_target!(|input: &[u8]| -> Corpus {
    let Some(end) = input.iter().position(|byte| *byte == b'\n') else { return Corpus::Reject };
    let (named, bytes) = (&input[..end], &input[end + 1..]);
    let named = Path::new(std::str::from_utf8(named).unwrap_or_default());
    let of = |bench: &'static Bench| {
        let path = bench.root.parent()?.join(named);
        bench.files.iter().find(|(file, _)| *file == path).map(|(_, as_it_was)| (bench, path, as_it_was))
    };
    let Some((bench, path, as_it_was)) = BENCHES.iter().find_map(of) else { return Corpus::Reject };
    // An index is read as far as its digest says, so it gets the digest of what it holds.
    let indexed = path.ends_with(".ysomorph/index/entities").then(|| {
        let text = String::from_utf8_lossy(bytes);
        format!("{}\n{text}", blake3::hash(text.as_bytes()).to_hex()).into_bytes()
    });
    std::fs::write(&path, indexed.as_deref().unwrap_or(bytes)).expect("written");
    looked_at(Workspace::open(&bench.root), &bench.changed);
    looked_at(opened_for(bench), &bench.changed);
    std::fs::write(&path, as_it_was).expect("put back");
    Corpus::Keep
});
