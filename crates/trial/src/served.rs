//! What is served, while it is: the present site, the files that were sent, and what tells the open pages that something changed.

use crate::guard::{Guard, random};
use crate::sheet::Sheet;
use crate::site::{Current, Site};
use axum::body::Bytes;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::watch;
use ysomorph_sources::Values;

/// Most files that are kept between looking at them and taking them.
const MOST_FILES: usize = 4;

/// An answer that somebody gave in the browser.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answered {
    /// The question's name.
    pub question: String,
    /// The choice.
    pub choice: String,
}

/// Keeps an answer, or says why it can't.
pub type Keep = Box<dyn Fn(&Answered) -> Result<(), String> + Send + Sync>;

/// What is served, and how.
pub struct Setting {
    /// The port; 0 for any that is free.
    pub port: u16,
    /// Who looks first: a role, and values for what SQL may name.
    pub role: Option<String>,
    /// Values by the names of parameters.
    pub values: Values,
    /// Makes the site from the files and the database as they are.
    pub load: Box<dyn Fn() -> Result<Site, String> + Send + Sync>,
    /// What tells whether files or schema changed since the last time.
    pub seen: Box<dyn Fn() -> Option<String> + Send + Sync>,
    /// Keeps an answer.
    pub answer: Keep,
    /// Tells the address, once it can be opened.
    pub ready: Box<dyn Fn(&str) + Send + Sync>,
    /// Values of parameters that are always there: today, now.
    pub always: Box<dyn Fn() -> Values + Send + Sync>,
}

/// What is served, while it is.
pub struct Served {
    /// What the program was told.
    pub setting: Setting,
    /// The present site.
    pub current: Current,
    /// Counts what may have changed what pages show.
    pub changes: watch::Sender<u64>,
    /// Files that were sent, under random names: never by their own, and never on the disk.
    files: Mutex<VecDeque<(String, Arc<Vec<Sheet>>)>>,
    /// Files of forms that have to be sent once more: no browser chooses a file by itself.
    held: Mutex<VecDeque<(String, Bytes)>>,
    /// Who is let in.
    pub guard: Arc<Guard>,
}

/// The same for every request.
pub type Shared = Arc<Served>;

impl Served {
    /// Begins with a site.
    pub fn new(first: Site, setting: Setting, guard: Arc<Guard>) -> Served {
        Served {
            setting,
            current: Current::new(first),
            changes: watch::Sender::new(0),
            files: Mutex::default(),
            held: Mutex::default(),
            guard,
        }
    }

    /// Makes the site anew; where that fails the one before stays, with a word of what hinders.
    pub fn load(&self) {
        match (self.setting.load)() {
            Ok(site) => self.current.replace(site),
            Err(trouble) => self.current.hindered(trouble),
        }
        self.tell();
    }

    /// Keeps a file's sheets, and gives the name that they are kept under; the oldest go.
    pub fn keep(&self, sheets: Vec<Sheet>) -> Option<String> {
        put(&self.files, Arc::new(sheets))
    }

    /// A file's sheets, where they are still kept.
    pub fn file(&self, name: &str) -> Option<Arc<Vec<Sheet>>> {
        get(&self.files, name)
    }

    /// Keeps a file of a form, and gives the name that it is kept under; the oldest go.
    pub fn hold(&self, file: Bytes) -> Option<String> {
        put(&self.held, file)
    }

    /// A file of a form, where it is still kept.
    pub fn held(&self, name: &str) -> Option<Bytes> {
        get(&self.held, name)
    }

    /// Tells the open pages that something may have changed.
    pub fn tell(&self) {
        self.changes.send_modify(|count| *count = count.wrapping_add(1));
    }
}

/// Keeps something under a random name.
fn put<T>(all: &Mutex<VecDeque<(String, T)>>, one: T) -> Option<String> {
    let name = random().ok()?;
    let mut all = all.lock().unwrap_or_else(PoisonError::into_inner);
    all.push_back((name.clone(), one));
    while all.len() > MOST_FILES {
        all.pop_front();
    }
    Some(name)
}

fn get<T: Clone>(all: &Mutex<VecDeque<(String, T)>>, name: &str) -> Option<T> {
    let all = all.lock().unwrap_or_else(PoisonError::into_inner);
    all.iter().find(|(own, _)| own == name).map(|(_, one)| one.clone())
}
