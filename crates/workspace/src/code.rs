//! Looking for old names in hand-written code, with the libraries of ripgrep: all names in one pass, ignore files respected.

use crate::files::FileError;
use crate::open::Workspace;
use grep_matcher::Matcher;
use grep_regex::{RegexMatcher, RegexMatcherBuilder};
use grep_searcher::sinks::Bytes;
use grep_searcher::{BinaryDetection, MmapChoice, SearcherBuilder};
use ignore::{WalkBuilder, WalkState};
use std::path::{Component, Path};
use std::sync::{Arc, Mutex};
use ysomorph_core::impact::code::Hit;

/// Files this large aren't written by hand.
const LARGEST: u64 = 8 << 20;

impl Workspace {
    /// Every place of one of these words under `[code].roots`, in the order of files and lines; and what couldn't be
    /// searched, in words.
    ///
    /// # Errors
    /// Where a root leads out of the workspace.
    pub fn find_in_code<'w>(&self, words: impl Iterator<Item = &'w str>) -> Result<(Vec<Hit>, Vec<String>), FileError> {
        let words: Vec<&str> = words.collect();
        let mut troubles = Vec::new();
        let mut walk: Option<WalkBuilder> = None;
        for root in &self.config.code.roots {
            let path = Path::new(root);
            // A link may lead out too.
            let real = std::fs::canonicalize(self.root.join(path)).ok().zip(std::fs::canonicalize(&self.root).ok());
            let leaves = real.is_some_and(|(path, root)| !path.starts_with(root));
            if leaves || path.components().any(|c| !matches!(c, Component::Normal(_) | Component::CurDir)) {
                let message = format!("[code] roots: `{root}` leads out of the workspace; name a folder below it");
                return Err(FileError::new("ysomorph.toml".to_owned(), message));
            }
            let path = self.root.join(path);
            match &mut walk {
                _ if !path.exists() => troubles.push(format!("[code] roots of ysomorph.toml names `{root}`, which isn't there")),
                None => walk = Some(WalkBuilder::new(&path)),
                Some(walk) => {
                    walk.add(&path);
                }
            }
        }
        let Some(mut walk) = walk.filter(|_| !words.is_empty()) else { return Ok((Vec::new(), troubles)) };
        let matcher = matcher(&words)?;
        let found: Mutex<(Vec<Hit>, Vec<String>)> = Mutex::default();
        walk.follow_links(false).require_git(false).max_filesize(Some(LARGEST)).build_parallel().run(|| {
            let (matcher, found) = (&matcher, &found);
            Box::new(move |entry| {
                let hits = match entry {
                    Ok(entry) if entry.file_type().is_some_and(|kind| kind.is_file()) => {
                        let path = entry.path();
                        self.hits(path, matcher).map_err(|e| format!("`{}` can't be searched: {e}", path.display()))
                    }
                    Ok(_) => Ok(Vec::new()),
                    Err(error) => Err(format!("[code] roots: {error}")),
                };
                if let Ok(mut found) = found.lock() {
                    match hits {
                        Ok(hits) => found.0.extend(hits),
                        Err(trouble) => found.1.push(trouble),
                    }
                }
                WalkState::Continue
            })
        });
        let (mut hits, more) = found.into_inner().unwrap_or_default();
        troubles.extend(more);
        troubles.sort();
        hits.sort_by(|a, b| (&a.file, a.offset).cmp(&(&b.file, b.offset)));
        Ok((hits, troubles))
    }

    /// The places in one file. Its text is read a second time only where there are some.
    fn hits(&self, path: &Path, matcher: &RegexMatcher) -> std::io::Result<Vec<Hit>> {
        // A file that shrinks while it is mapped can end the program, so none is mapped. The sink wants line numbers.
        let mut searcher =
            SearcherBuilder::new().binary_detection(BinaryDetection::quit(0)).memory_map(MmapChoice::never()).line_number(true).build();
        let mut any = false;
        searcher.search_path(
            matcher,
            path,
            Bytes(|_, _| {
                any = true;
                Ok(false)
            }),
        )?;
        if !any {
            return Ok(Vec::new());
        }
        // In other encodings the letters of names are the same.
        let bytes = std::fs::read(path)?;
        let text: Arc<str> = String::from_utf8_lossy(&bytes).into();
        let file = path.strip_prefix(&self.root).unwrap_or(path).to_string_lossy().replace('\\', "/");
        let mut hits = Vec::new();
        // Lines and characters are counted along, from the place found last.
        let (mut last, mut line, mut column) = (0, 1, 1);
        let _ = matcher.find_iter(text.as_bytes(), |found| {
            let (offset, end) = (found.start(), found.end());
            if let (Some(word), Some(between)) = (text.get(offset..end), text.get(last..offset)) {
                let count = |text: &str| u32::try_from(text.chars().count()).unwrap_or_default();
                column = match between.rfind('\n') {
                    Some(at) => 1 + count(&between[at + 1..]),
                    None => column + count(between),
                };
                line += u32::try_from(between.matches('\n').count()).unwrap_or_default();
                last = offset;
                hits.push(Hit { file: file.clone(), text: Arc::clone(&text), offset, line, column, word: word.to_owned() });
            }
            true
        });
        Ok(hits)
    }
}

/// One pattern for all words, whole ones only.
fn matcher(words: &[&str]) -> Result<RegexMatcher, FileError> {
    // Longest first: of `hive-no` and `hive`, the longer is meant.
    let mut words = words.to_vec();
    words.sort_by_key(|w| (std::cmp::Reverse(w.len()), *w));
    let failed = |e: grep_regex::Error| {
        let message = format!("[code] roots can't be searched: {e}");
        FileError::new("ysomorph.toml".to_owned(), message)
    };
    RegexMatcherBuilder::new().word(true).build_literals(&words).map_err(failed)
}
