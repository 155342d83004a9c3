//! `.ysomorph/kept/`: a list for each file in which something is hidden or a person's, and one line for each other file.

use super::set_apart::set_apart;
use super::tree::members;
use crate::digest;
use crate::files::{FileError, list_folder};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;
use ysomorph_core::definition::FileKey;
use ysomorph_core::merge::{Identities, Tile, Whole, deleted_from, renamed_by_hand};
use ysomorph_core::schema::lined;
use ysomorph_kept::{Mark, Superseded, Tiles};

const FOLDER: &str = ".ysomorph/kept";
/// Stands in the index before the name of a list.
const LISTED: &str = "list";
/// Which file has a list, and what the others held.
pub(crate) const INDEX: &str = ".ysomorph/kept/index.list";
/// What is known of the database.
pub(crate) const KNOWN: &str = ".ysomorph/kept/known.json";

/// What is kept between commands, as read.
#[derive(Debug, Clone, Default)]
pub(crate) struct Stored {
    /// By file: its tiles as the last command left them.
    lists: BTreeMap<FileKey, Arc<Tiles>>,
    /// By file without a list: the digest of its text as the last command left it.
    index: BTreeMap<FileKey, String>,
    /// What is known of the database.
    pub known: Identities,
    /// The modes of the files that are away, by path.
    pub modes: BTreeMap<String, u32>,
}

/// The files of the definition as tiles, lifted to what stands in them.
#[derive(Debug, Clone, Default)]
pub(crate) struct Kept {
    /// By file, hidden ones too.
    pub files: BTreeMap<FileKey, Arc<Tiles>>,
    /// Files that aren't in the folder.
    pub away: BTreeSet<FileKey>,
    /// Files that are as the last command left them.
    pub unedited: BTreeSet<FileKey>,
    /// Files that were read for the first time.
    pub fresh: BTreeSet<FileKey>,
    /// What people deleted since the last command.
    pub deleted: BTreeSet<String>,
    /// Files that people made under the name of one that is hidden as a whole: what is hidden is left alone.
    pub taken: Vec<FileKey>,
    /// What was hidden, or stood behind something else, and gave way to what people did to the files since.
    pub superseded: Vec<(FileKey, Superseded)>,
    /// Fields that people gave another name since.
    pub renamed: Vec<(String, String, String)>,
    /// Hidden fields whose names people gave to others: entity, the name before, the one that it waits under.
    pub set_apart: Vec<(String, String, String)>,
    /// What they say.
    pub whole: Whole,
}

#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct KnownFile {
    format: u32,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    modes: BTreeMap<String, u32>,
    known: Identities,
}

impl KnownFile {
    fn read(text: &str) -> Result<KnownFile, FileError> {
        let failed = |message: String| FileError::new(KNOWN.to_owned(), message);
        let file: KnownFile = serde_json::from_str(text).map_err(|e| failed(e.to_string()))?;
        if file.format > 1 { Err(failed(crate::files::newer(u64::from(file.format), 1))) } else { Ok(file) }
    }
}

fn missing(file: &str) -> FileError {
    FileError::new(file, "it is missing: without it nothing that is hidden could come back; bring it back from version control")
}

fn key_of(name: &str) -> FileKey {
    if name == "app" { FileKey::App } else { FileKey::Entity(name.to_owned()) }
}

/// Where the list of a file is, if it has one.
pub(crate) fn list_of(file: &FileKey) -> String {
    match file {
        FileKey::App => format!("{FOLDER}/app.list"),
        FileKey::Entity(name) => format!("{FOLDER}/{name}.entity.list"),
    }
}

impl Kept {
    /// Files that were just drafted: nothing is hidden, and nothing is a person's.
    pub fn drafted(texts: &BTreeMap<FileKey, String>) -> Kept {
        let read = texts.iter().filter_map(|(file, text)| Some((file.clone(), Arc::new(ysomorph_kept::read(text).ok()?))));
        Kept { files: read.collect(), ..Kept::default() }
    }
}

impl Stored {
    /// The files there are.
    pub fn files_in(root: &Path) -> Result<Vec<String>, FileError> {
        let names = list_folder(root, FOLDER)?;
        Ok(names.into_iter().filter(|n| n.ends_with(".list") || n.ends_with(".json")).map(|n| format!("{FOLDER}/{n}")).collect())
    }

    /// What is known of the database, alone.
    pub fn known_of(texts: &BTreeMap<String, String>) -> Result<Identities, FileError> {
        let text = texts.get(KNOWN).ok_or_else(|| missing(KNOWN))?;
        Ok(KnownFile::read(text)?.known.read())
    }

    /// Reads them from their texts, but for the lists of files that aren't open.
    pub fn read(texts: &BTreeMap<String, String>, is_open: &dyn Fn(&FileKey) -> bool) -> Result<Stored, FileError> {
        let mut stored = Stored::default();
        let failed = |file: &str, message: String| FileError::new(file.to_owned(), message);
        let mut listed: BTreeSet<String> = BTreeSet::new();
        let mut lists: Vec<(&String, FileKey, &String)> = Vec::new();
        if let Some(file) = [INDEX, KNOWN].into_iter().find(|file| !texts.contains_key(*file)) {
            return Err(missing(file));
        }
        for (path, text) in texts.iter().filter(|(path, _)| path.starts_with(FOLDER)) {
            let name = path.strip_prefix(FOLDER).and_then(|n| n.strip_prefix('/')).unwrap_or(path);
            if path == INDEX {
                for (at, line) in text.lines().enumerate() {
                    match line.split_once(' ') {
                        Some((LISTED, name)) => {
                            listed.insert(name.to_owned());
                        }
                        Some((digest, name)) if digest.starts_with("sha256:") => {
                            stored.index.insert(key_of(name), digest.to_owned());
                        }
                        _ => return Err(failed(path, format!("line {}: a digest and a file's name belong here", at + 1))),
                    }
                }
            } else if path == KNOWN {
                let file = KnownFile::read(text)?;
                (stored.modes, stored.known) = (file.modes, file.known.read());
            } else if let Some(name) = name.strip_suffix(".list") {
                let file = match name.strip_suffix(".entity") {
                    Some(entity) => FileKey::Entity(entity.to_owned()),
                    None => key_of(name),
                };
                if is_open(&file) {
                    lists.push((path, file, text));
                }
            }
        }
        let read = |(path, file, text): (&String, FileKey, &String)| match Tiles::from_list(text) {
            Ok(tiles) if notes_are_sound(&tiles) => Ok((file, Arc::new(tiles))),
            Ok(_) => Err(failed(path, "what is remembered of a tile can't be read; bring it back from version control".to_owned())),
            Err(error) => Err(failed(path, error.to_string())),
        };
        stored.lists = lists.into_par_iter().map(read).collect::<Result<Vec<_>, _>>()?.into_iter().collect();
        match listed.into_iter().find(|name| !texts.contains_key(&format!("{FOLDER}/{name}"))) {
            Some(name) => {
                let message = "it is missing: without it what is hidden there couldn't come back; bring it back from version control";
                Err(failed(&format!("{FOLDER}/{name}"), message.to_owned()))
            }
            None => Ok(stored),
        }
    }

    /// Whether nothing of a file is hidden or a person's, and it is as the last command left it.
    pub fn stands_as_left(&self, file: &FileKey, text: &str) -> bool {
        self.index.get(file) == Some(&digest(text))
    }

    /// Lifts the files that are open to what stands in them now. One that isn't TOML is told when it is read as a definition.
    pub fn lifted(&self, texts: &BTreeMap<FileKey, String>, is_open: &dyn Fn(&FileKey) -> bool) -> Kept {
        let mut kept = Kept::default();
        let mut edited: BTreeMap<FileKey, Arc<Tiles>> = BTreeMap::new();
        let all: Vec<(&FileKey, &String)> = texts.iter().filter(|(file, _)| is_open(file)).collect();
        let lift = |(file, text): (&FileKey, &String)| match self.lists.get(file) {
            Some(known) if known.shown() == *text && !known.mark.notes.contains_key(&AWAY) => {
                Some((file.clone(), Arc::clone(known), Lift::AsItWas))
            }
            // A file that somebody made under the name of one that is hidden; one of the same table is that file, which another
            // branch still had.
            Some(known) if known.mark.notes.contains_key(&AWAY) && !is_of_same_table(known, text) => {
                Some((file.clone(), Arc::new(ysomorph_kept::read(text).ok()?), Lift::Taken))
            }
            Some(known) => {
                let mut tiles = Tiles::clone(known);
                let apart = set_apart(&mut tiles, &ysomorph_kept::read(text).ok()?);
                let before = if apart.is_empty() { Arc::clone(known) } else { Arc::new(tiles.clone()) };
                tiles.lift_keeping(text, &protects).ok()?;
                Some((file.clone(), Arc::new(tiles), Lift::Edited { before, apart }))
            }
            None => {
                let tiles = Arc::new(ysomorph_kept::read(text).ok()?);
                Some((file.clone(), tiles, if self.stands_as_left(file, text) { Lift::AsItWas } else { Lift::Fresh }))
            }
        };
        for (file, tiles, how) in all.into_par_iter().filter_map(lift).collect::<Vec<_>>() {
            match how {
                Lift::AsItWas => {
                    kept.unedited.insert(file.clone());
                }
                Lift::Edited { before, apart } => {
                    kept.superseded.extend(tiles.superseded(&before).into_iter().map(|gone| (file.clone(), gone)));
                    edited.insert(file.clone(), before);
                    kept.set_apart.extend(apart.into_iter().map(|(from, to)| (file.name().to_owned(), from, to)));
                }
                Lift::Taken => {
                    kept.taken.push(file.clone());
                    kept.fresh.insert(file.clone());
                }
                Lift::Fresh => {
                    kept.fresh.insert(file.clone());
                }
            }
            kept.files.insert(file, tiles);
        }
        for (file, tiles) in self.lists.iter().filter(|(file, _)| !texts.contains_key(file)) {
            if tiles.mark.notes.contains_key(&AWAY) {
                kept.files.insert(file.clone(), Arc::clone(tiles));
                kept.away.insert(file.clone());
                kept.unedited.insert(file.clone());
            }
        }
        kept.whole = super::whole_of(&kept.files, &|file| kept.away.contains(file));
        if !edited.is_empty() {
            let before = super::whole_of(&edited, &|_| false);
            kept.deleted = deleted_from(&before.tree, &kept.whole.tree);
            kept.renamed = renamed_by_hand(&before.tree, &kept.whole.tree);
        }
        kept
    }

    /// The files of what is kept from now on. What `known` before is as it was has the text it had.
    pub fn files(
        files: &BTreeMap<FileKey, Arc<Tiles>>,
        shown: &BTreeMap<FileKey, String>,
        known: &Identities,
        modes: &BTreeMap<String, u32>,
        was: &Was<'_>,
    ) -> BTreeMap<String, String> {
        let mut out = BTreeMap::new();
        let each: Vec<(&FileKey, &Arc<Tiles>)> = files.iter().collect();
        let listed = |(file, tiles): (&FileKey, &Arc<Tiles>)| {
            let path = list_of(file);
            let name = path.strip_prefix(FOLDER).and_then(|n| n.strip_prefix('/')).unwrap_or(&path).to_owned();
            let is_as_it_was = was.kept.is_some_and(|kept| {
                kept.unedited.contains(file)
                    && kept.files.get(file).is_some_and(|t| Arc::ptr_eq(t, tiles))
                    && kept.away.contains(file) != shown.contains_key(file)
            });
            if let (true, Some(text)) = (is_as_it_was, was.texts.and_then(|texts| texts.get(&path))) {
                return (file.clone(), (format!("{LISTED} {name}\n"), Some((path, text.clone()))));
            }
            let mut tiles = Cow::Borrowed(&**tiles);
            match shown.get(file) {
                Some(text) if tiles.is_plain() => return (file.clone(), (format!("{} {}\n", digest(text), file.name()), None)),
                Some(_) => {
                    if tiles.mark.notes.contains_key(&AWAY) {
                        tiles.to_mut().mark.notes.remove(&AWAY);
                    }
                }
                None => {
                    tiles.to_mut().mark.notes.insert(AWAY, String::new());
                }
            }
            (file.clone(), (format!("{LISTED} {name}\n"), Some((path, tiles.list()))))
        };
        let mut lines: BTreeMap<FileKey, (String, Option<(String, String)>)> =
            each.into_par_iter().map(listed).collect::<Vec<_>>().into_iter().collect();
        if let Some((stored, closed)) = was.closed {
            let as_it_was = |(file, text): (&&FileKey, &&String)| {
                let path = list_of(file);
                let kept = match was.texts.and_then(|texts| texts.get(&path)) {
                    Some(list) => {
                        let name = path.strip_prefix(FOLDER).and_then(|n| n.strip_prefix('/')).unwrap_or(&path);
                        (format!("{LISTED} {name}\n"), Some((path.clone(), list.clone())))
                    }
                    None => {
                        let known = stored.index.get(file).cloned().unwrap_or_else(|| digest(text));
                        (format!("{known} {}\n", file.name()), None)
                    }
                };
                ((*file).clone(), kept)
            };
            lines.extend(closed.iter().map(as_it_was));
        }
        let mut index = String::new();
        for (line, list) in lines.into_values() {
            index.push_str(&line);
            out.extend(list);
        }
        out.insert(INDEX.to_owned(), index);
        let file = KnownFile { format: 1, modes: modes.clone(), known: known.written() };
        out.insert(KNOWN.to_owned(), lined(&file));
        out
    }
}

/// Whether everything that is remembered of the tiles can be read: nothing of it is guessed.
fn notes_are_sound(tiles: &Tiles) -> bool {
    let is_sound = |mark: &Mark| mark.notes.iter().all(|(key, note)| *key == AWAY || serde_json::from_str::<Tile>(note).is_ok());
    let mut sound = is_sound(&tiles.mark);
    for line in tiles.lines() {
        sound &= is_sound(&line.mark);
        members(line.value(), &mut |member| sound &= is_sound(&member.mark));
    }
    sound
}

/// How a file stands to what the last command left.
enum Lift {
    AsItWas,
    /// What it was, and the hidden fields whose names others have now.
    Edited {
        before: Arc<Tiles>,
        apart: Vec<(String, String)>,
    },
    Fresh,
    /// It has the name of a file that is hidden as a whole.
    Taken,
}

/// What was kept before, to share what is as it was.
#[derive(Clone, Copy, Default)]
pub(crate) struct Was<'a> {
    pub kept: Option<&'a Kept>,
    /// The state's files as read.
    pub texts: Option<&'a BTreeMap<String, String>>,
    /// What was stored, and the texts of files that weren't opened: of them everything stays, and they are as the last command left them.
    pub closed: Option<(&'a Stored, &'a BTreeMap<&'a FileKey, &'a String>)>,
}

/// Whether a file is over the table that hidden tiles are over.
fn is_of_same_table(known: &Tiles, text: &str) -> bool {
    let table = |tiles: &Tiles| {
        let line = tiles.lines().iter().find(|line| line.path() == ["table"])?;
        tiles.written(line.id())
    };
    ysomorph_kept::read(text).is_ok_and(|tiles| table(&tiles).is_some_and(|name| table(known) == Some(name)))
}

/// Lines that hide something from somebody: what is hidden in them at the moment stays, also when a person deletes the line.
fn protects(path: &[String]) -> bool {
    path.last().is_some_and(|key| ["hide", "read_only"].contains(&key.as_str()))
}

/// The note of a file that isn't in the folder.
const AWAY: u8 = 255;
