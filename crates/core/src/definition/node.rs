//! The definition as a tree of keys and values, as written, with positions.

/// A place in a file: line and column from 1, 0 where unknown (drafted values have no place).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub struct At {
    /// Line, from 1.
    pub line: u32,
    /// Column in characters, from 1.
    pub column: u32,
}

/// A value with its place. Equality is by value: places and the order of keys don't count.
#[derive(Debug, Clone, Default)]
pub struct Node {
    /// What it holds.
    pub value: Value,
    /// Where it stands.
    pub at: At,
    /// Characters between the value's start and its content: the opening quote.
    pub quote: u32,
    /// The number of its tile in the kept text; 0 where it has none.
    pub tile: u32,
}

/// What a node holds.
#[derive(Debug, Clone)]
pub enum Value {
    /// true or false
    Bool(bool),
    /// A whole number.
    Int(i64),
    /// A string.
    Text(String),
    /// A value of a type the format doesn't use (float, date), as written.
    Other(String),
    /// An array.
    List(Vec<Node>),
    /// A table of any spelling: header, dotted or inline.
    Table(Vec<Entry>),
}

impl Default for Value {
    fn default() -> Self {
        Value::Table(Vec::new())
    }
}

/// A key of a table with its value.
#[derive(Debug, Clone)]
pub struct Entry {
    /// The key.
    pub key: String,
    /// Where the key stands.
    pub at: At,
    /// The value.
    pub node: Node,
}

impl PartialEq for Node {
    fn eq(&self, other: &Self) -> bool {
        match (&self.value, &other.value) {
            (Value::Bool(a), Value::Bool(b)) => a == b,
            (Value::Int(a), Value::Int(b)) => a == b,
            (Value::Text(a), Value::Text(b)) | (Value::Other(a), Value::Other(b)) => a == b,
            (Value::List(a), Value::List(b)) => a == b,
            (Value::Table(a), Value::Table(b)) => {
                a.len() == b.len() && a.iter().all(|entry| other.get(&entry.key).is_some_and(|node| *node == entry.node))
            }
            _ => false,
        }
    }
}

impl Node {
    /// A value without a place.
    pub fn new(value: Value) -> Node {
        Node { value, ..Node::default() }
    }

    /// A string.
    pub fn text(text: impl Into<String>) -> Node {
        Node::new(Value::Text(text.into()))
    }

    /// An array of strings.
    pub fn texts<S: AsRef<str>>(texts: &[S]) -> Node {
        Node::new(Value::List(texts.iter().map(|t| Node::text(t.as_ref())).collect()))
    }

    /// An empty table.
    pub fn table() -> Node {
        Node::default()
    }

    /// The string, if it is one.
    pub fn as_text(&self) -> Option<&str> {
        match &self.value {
            Value::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The truth value, if it is one.
    pub fn as_bool(&self) -> Option<bool> {
        match self.value {
            Value::Bool(value) => Some(value),
            _ => None,
        }
    }

    /// The number, if it is one.
    pub fn as_int(&self) -> Option<i64> {
        match self.value {
            Value::Int(value) => Some(value),
            _ => None,
        }
    }

    /// A value of the database as text: `calm`, `3`, `0.5`, `true`.
    pub fn as_scalar(&self) -> Option<String> {
        match &self.value {
            Value::Text(text) | Value::Other(text) => Some(text.clone()),
            Value::Int(number) => Some(number.to_string()),
            Value::Bool(truth) => Some(truth.to_string()),
            Value::List(_) | Value::Table(_) => None,
        }
    }

    /// The array's members, none if it isn't one.
    pub fn items(&self) -> &[Node] {
        match &self.value {
            Value::List(items) => items,
            _ => &[],
        }
    }

    /// The table's entries, none if it isn't one.
    pub fn entries(&self) -> &[Entry] {
        match &self.value {
            Value::Table(entries) => entries,
            _ => &[],
        }
    }

    /// The array's strings.
    pub fn strings(&self) -> Vec<String> {
        self.items().iter().filter_map(Node::as_text).map(str::to_owned).collect()
    }

    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<&Node> {
        self.entries().iter().find(|entry| entry.key == key).map(|entry| &entry.node)
    }

    /// The value down a path.
    pub fn at_path(&self, path: &[Seg]) -> Option<&Node> {
        path.iter().try_fold(self, |node, seg| match seg {
            Seg::Key(key) => node.get(key),
            Seg::Index(at) => node.items().get(*at),
        })
    }

    /// The value down a path, to change it.
    pub fn at_path_mut(&mut self, path: &[Seg]) -> Option<&mut Node> {
        path.iter().try_fold(self, |node, seg| match (seg, &mut node.value) {
            (Seg::Key(key), Value::Table(entries)) => entries.iter_mut().find(|e| e.key == *key).map(|e| &mut e.node),
            (Seg::Index(at), Value::List(items)) => items.get_mut(*at),
            _ => None,
        })
    }

    /// Sets a key, at the end if it is new.
    pub fn set(&mut self, key: &str, node: Node) {
        if let Value::Table(entries) = &mut self.value {
            match entries.iter_mut().find(|e| e.key == key) {
                Some(entry) => entry.node = node,
                None => entries.push(Entry { key: key.to_owned(), at: At::default(), node }),
            }
        }
    }

    /// The value alone, without places and tiles.
    #[must_use]
    pub fn plain(&self) -> Node {
        let value = match &self.value {
            Value::List(items) => Value::List(items.iter().map(Node::plain).collect()),
            Value::Table(entries) => Value::Table(entries.iter().map(|e| Entry { node: e.node.plain(), ..e.clone() }).collect()),
            other => other.clone(),
        };
        Node::new(value)
    }

    /// With a key set: for building drafts.
    #[must_use]
    pub fn with(mut self, key: &str, node: Node) -> Node {
        self.set(key, node);
        self
    }

    /// With a key set where there is something to set.
    #[must_use]
    pub fn with_some(self, key: &str, node: Option<Node>) -> Node {
        match node {
            Some(node) => self.with(key, node),
            None => self,
        }
    }

    /// Takes a key out.
    pub fn unset(&mut self, key: &str) -> Option<Node> {
        match &mut self.value {
            Value::Table(entries) => {
                let at = entries.iter().position(|e| e.key == key)?;
                Some(entries.remove(at).node)
            }
            _ => None,
        }
    }

    /// Takes out what stands at a path.
    pub fn remove(&mut self, path: &[Seg]) -> Option<Node> {
        let (last, parent) = path.split_last()?;
        let parent = self.at_path_mut(parent)?;
        match (last, &mut parent.value) {
            (Seg::Key(key), _) => parent.unset(key),
            (Seg::Index(at), Value::List(items)) if *at < items.len() => Some(items.remove(*at)),
            _ => None,
        }
    }
}

impl From<bool> for Node {
    fn from(value: bool) -> Node {
        Node::new(Value::Bool(value))
    }
}

impl From<i64> for Node {
    fn from(value: i64) -> Node {
        Node::new(Value::Int(value))
    }
}

impl From<&str> for Node {
    fn from(value: &str) -> Node {
        Node::text(value)
    }
}

/// One step into a tree.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Seg {
    /// A key of a table.
    Key(String),
    /// A member of an array.
    Index(usize),
}

impl From<&str> for Seg {
    fn from(key: &str) -> Seg {
        Seg::Key(key.to_owned())
    }
}

/// One file of the definition.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum FileKey {
    /// `app/app.toml`
    App,
    /// `app/NAME.toml`
    Entity(String),
}

impl FileKey {
    /// The path in the workspace, with `/`.
    pub fn path(&self) -> String {
        format!("app/{}.toml", self.name())
    }

    /// The file's name without its ending.
    pub fn name(&self) -> &str {
        match self {
            FileKey::App => "app",
            FileKey::Entity(name) => name,
        }
    }
}

/// A path as people read it: `entity/page/list/fields`, members by their text or title.
pub fn display_path(file: &FileKey, root: Option<&Node>, path: &[Seg]) -> String {
    let mut out = file.name().to_owned();
    // Only members are looked up: keys say their names themselves.
    let last_member = path.iter().rposition(|seg| matches!(seg, Seg::Index(_)));
    let mut node = root;
    for (at, seg) in path.iter().enumerate() {
        out.push('/');
        node = node.filter(|_| last_member.is_some_and(|last| at <= last)).and_then(|n| n.at_path(std::slice::from_ref(seg)));
        match seg {
            Seg::Key(key) => out.push_str(key),
            Seg::Index(at) => match node.map(Node::member_name).filter(|name| !name.is_empty()) {
                Some(name) => out.push_str(&name),
                None => out.push_str(&(at + 1).to_string()),
            },
        }
    }
    out
}

impl Node {
    /// What a member of an array is recognised by: a name, a choice's value, a child list's entity and link, a section's
    /// or menu group's title.
    pub fn member_name(&self) -> String {
        if let Some(text) = self.as_text() {
            return text.to_owned();
        }
        if let Some(value) = self.get("value") {
            return value.as_scalar().unwrap_or_default();
        }
        if let Some(entity) = self.get("entity").and_then(Node::as_text) {
            return format!("{entity} by {}", self.get("by").and_then(Node::as_text).unwrap_or_default());
        }
        ["title", "label"].iter().find_map(|k| self.get(k)?.as_text()).unwrap_or_default().to_owned()
    }

    /// The same without the `-` before a sorted field: what a member is the same by.
    pub fn member_key(&self) -> String {
        let name = self.member_name();
        match self.as_text() {
            Some(_) => name.strip_prefix('-').unwrap_or(&name).to_owned(),
            None => name,
        }
    }

    /// The place of a byte of a string's content. Escapes and line breaks before it aren't counted: then it's the value's own place.
    pub fn inner(&self, offset: usize) -> At {
        match self.as_text().and_then(|text| text.get(..offset)) {
            Some(before) if self.at.line > 0 && !before.contains(['\n', '\\', '"']) => {
                let characters = u32::try_from(before.chars().count()).unwrap_or(0);
                At { line: self.at.line, column: self.at.column + self.quote + characters }
            }
            _ => self.at,
        }
    }
}

/// What a value of a type that the format doesn't use is marked with as JSON: no key of a definition.
const OTHER: &str = "\u{0}";

impl serde::Serialize for Node {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        use serde::ser::{SerializeMap, SerializeSeq};
        match &self.value {
            Value::Bool(truth) => serializer.serialize_bool(*truth),
            Value::Int(number) => serializer.serialize_i64(*number),
            Value::Text(text) => serializer.serialize_str(text),
            Value::Other(text) => {
                let mut map = serializer.serialize_map(Some(1))?;
                map.serialize_entry(OTHER, text)?;
                map.end()
            }
            Value::List(items) => {
                let mut list = serializer.serialize_seq(Some(items.len()))?;
                items.iter().try_for_each(|item| list.serialize_element(item))?;
                list.end()
            }
            Value::Table(entries) => {
                let mut map = serializer.serialize_map(Some(entries.len()))?;
                entries.iter().try_for_each(|e| map.serialize_entry(&e.key, &e.node))?;
                map.end()
            }
        }
    }
}

impl<'de> serde::Deserialize<'de> for Node {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Node, D::Error> {
        fn node(value: serde_json::Value) -> Result<Node, String> {
            Ok(match value {
                serde_json::Value::Bool(truth) => truth.into(),
                serde_json::Value::Number(number) => number.as_i64().ok_or("a whole number belongs here")?.into(),
                serde_json::Value::String(text) => Node::text(text),
                serde_json::Value::Array(items) => Node::new(Value::List(items.into_iter().map(node).collect::<Result<_, _>>()?)),
                serde_json::Value::Object(entries) => match entries.get(OTHER).and_then(serde_json::Value::as_str) {
                    Some(text) => Node::new(Value::Other(text.to_owned())),
                    None => entries
                        .into_iter()
                        .try_fold(Node::table(), |table, (key, value)| Ok::<_, String>(table.with(&key, node(value)?)))?,
                },
                serde_json::Value::Null => return Err("a value belongs here".to_owned()),
            })
        }
        node(serde_json::Value::deserialize(deserializer)?).map_err(serde::de::Error::custom)
    }
}
