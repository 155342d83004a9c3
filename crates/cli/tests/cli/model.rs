//! Random databases and random changes of them, as values that become SQL.

use rusqlite::Connection;
use ysomorph_core::schema::Schema;

/// A small generator of pseudo-random numbers (xorshift64*): the same seed gives the same case.
pub struct Random(u64);

impl Random {
    pub fn new(seed: u64) -> Random {
        Random(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1)
    }

    pub fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_F491_4F6C_DD1D) >> 33) as usize % n.max(1)
    }

    pub fn one_in(&mut self, n: usize) -> bool {
        self.below(n) == 0
    }

    pub fn pick<'a, T>(&mut self, items: &'a [T]) -> &'a T {
        &items[self.below(items.len())]
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct Column {
    /// Stays through renames: the truth about them.
    pub uid: usize,
    pub name: String,
    pub kind: String,
    pub required: bool,
    pub default: bool,
    pub unique: bool,
    pub generated: bool,
    /// The table it points at.
    pub to: Option<String>,
    /// The unique column there; the key without it.
    pub to_column: Option<String>,
    /// How many values a CHECK allows; 0 for any.
    pub values: usize,
    /// What happens to it when what it points at goes or changes, as SQL.
    pub action: &'static str,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Table {
    /// Stays through renames.
    pub uid: usize,
    pub name: String,
    pub columns: Vec<Column>,
    /// A view over another table shows these columns of it.
    pub view_of: Option<String>,
    /// Its `id` is a column like others: the row number alone tells records apart.
    pub keyless: bool,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Database {
    pub tables: Vec<Table>,
    counter: usize,
    uids: usize,
    /// Whether keys come and go, and records go along with others.
    wild: bool,
}

const NAMES: &[&str] = &[
    "name",
    "code",
    "notes",
    "place",
    "weight_kg",
    "opened_on",
    "order",
    "Größe",
    "two words",
    "email",
    "status",
    "api_token",
    "phone",
    "rank",
    "row_version",
    "street",
    "postcode",
    "created_at",
    "photo",
];
const KINDS: &[&str] = &["VARCHAR(40)", "VARCHAR(12)", "TEXT", "INTEGER", "DECIMAL(8,2)", "DATE", "BOOLEAN", "BLOB"];
const ACTIONS: &[&str] = &[
    "",
    " ON DELETE CASCADE",
    " ON DELETE SET NULL",
    " ON DELETE SET DEFAULT ON UPDATE CASCADE",
    " ON UPDATE SET NULL",
    " ON DELETE RESTRICT",
];
const TABLES: &[&str] = &["yard", "hive", "group", "Vogel", "box part", "visit", "person", "batch"];

impl Database {
    pub fn random(random: &mut Random) -> Database {
        let mut database = Database { tables: Vec::new(), counter: 0, uids: 0, wild: false };
        for (at, name) in TABLES.iter().enumerate().take(3 + random.below(3)) {
            let mut table = Table { uid: at, name: (*name).to_owned(), columns: Vec::new(), view_of: None, keyless: false };
            for _ in 0..2 + random.below(4) {
                let column = database.column(random, &table);
                table.columns.push(column);
            }
            database.tables.push(table);
        }
        for at in 0..database.tables.len() {
            for tries in 0..random.below(3) {
                let to = random.pick(&database.tables).name.clone();
                let name = format!("{}_id", to.replace(' ', "_").to_lowercase());
                if database.tables[at].columns.iter().all(|c| c.name != name) {
                    let required = random.one_in(3);
                    database.tables[at].columns.push(Column {
                        uid: 1000 + at * 10 + tries,
                        name,
                        kind: "INTEGER".into(),
                        required,
                        default: false,
                        unique: false,
                        generated: false,
                        to: Some(to),
                        to_column: None,
                        values: 0,
                        action: "",
                    });
                }
            }
        }
        // Some references point at a unique column rather than at the key.
        for at in 0..database.tables.len() {
            for column in 0..database.tables[at].columns.len() {
                let target = database.tables[at].columns[column].to.as_ref().and_then(|to| database.tables.iter().find(|t| t.name == *to));
                let unique = target.and_then(|t| t.columns.iter().find(|c| c.unique)).map(|c| c.name.clone());
                database.tables[at].columns[column].to_column = unique.filter(|_| random.one_in(2));
            }
        }
        // A table that only links two others.
        if random.one_in(2) {
            let ends = [random.pick(&database.tables).name.clone(), random.pick(&database.tables).name.clone()];
            let link = |at: usize| Column {
                uid: 2000 + at,
                name: format!("{}_{}", ["left", "right"][at], "id"),
                kind: "INTEGER".into(),
                required: true,
                default: false,
                unique: false,
                generated: false,
                to: Some(ends[at].clone()),
                to_column: None,
                values: 0,
                action: "",
            };
            database.tables.push(Table {
                uid: 98,
                name: "helper link".into(),
                columns: vec![link(0), link(1)],
                view_of: None,
                keyless: false,
            });
        }
        if random.one_in(2) {
            let of = random.pick(&database.tables).clone();
            database.tables.push(Table {
                uid: 99,
                name: format!("{} overview", of.name),
                columns: of.columns,
                view_of: Some(of.name),
                keyless: false,
            });
        }
        database
    }

    /// Takes another one in, under names of its own, with references to it and from it.
    pub fn add(&mut self, mut other: Database, number: usize, random: &mut Random) {
        let named = |name: &str| format!("{name} {number}");
        for table in &mut other.tables {
            table.uid += number * 100_000;
            table.name = named(&table.name);
            table.view_of = table.view_of.as_deref().map(named);
            for column in &mut table.columns {
                column.uid += number * 100_000;
                column.to = column.to.as_deref().map(named);
            }
        }
        self.uids += other.uids + number * 100_000;
        self.tables.append(&mut other.tables);
        for _ in 0..random.below(3) {
            let (from, to) = (random.below(self.tables.len()), random.pick(&self.tables).clone());
            let table = &mut self.tables[from];
            if to.view_of.is_some() || table.view_of.is_some() || table.columns.iter().any(|c| c.name == "other_id") {
                continue;
            }
            let like = table.columns.first().cloned();
            table.columns.extend(like.map(|like| Column {
                uid: like.uid + 50_000,
                name: "other_id".to_owned(),
                kind: "INTEGER".to_owned(),
                required: false,
                default: false,
                unique: false,
                generated: false,
                to: Some(to.name),
                to_column: None,
                values: 0,
                action: "",
            }));
        }
    }

    /// The same with records that go along when others go, and tables without a key.
    pub fn wild(random: &mut Random) -> Database {
        let mut database = Database::random(random);
        database.wild = true;
        for table in database.tables.iter_mut().filter(|t| t.view_of.is_none()) {
            table.keyless = random.one_in(6);
            table.columns.iter_mut().filter(|c| c.to.is_some()).for_each(|c| c.action = *random.pick::<&str>(ACTIONS));
        }
        database
    }

    fn column(&mut self, random: &mut Random, table: &Table) -> Column {
        let mut name = (*random.pick(NAMES)).to_owned();
        while table.columns.iter().any(|c| c.name == name) {
            self.counter += 1;
            name = format!("{}_{}", random.pick(NAMES), self.counter);
        }
        let required = random.one_in(4);
        self.uids += 1;
        Column {
            uid: 10_000 + self.uids,
            values: if random.one_in(5) { 2 + random.below(3) } else { 0 },
            name,
            kind: (*random.pick(KINDS)).to_owned(),
            required,
            default: required && random.one_in(2),
            unique: random.one_in(6),
            generated: false,
            to: None,
            to_column: None,
            action: "",
        }
    }

    /// One random change. Returns false where it didn't apply.
    pub fn mutate(&mut self, random: &mut Random) -> bool {
        let real: Vec<usize> = (0..self.tables.len()).filter(|t| self.tables[*t].view_of.is_none()).collect();
        let at = *random.pick(&real);
        let count = self.tables[at].columns.len();
        let column = random.below(count.max(1));
        match random.below(16) {
            0 | 1 if count > 1 => {
                self.tables[at].columns.remove(column);
            }
            2 | 3 => {
                let table = self.tables[at].clone();
                let new = self.column(random, &table);
                let place = random.below(count + 1);
                self.tables[at].columns.insert(place, new);
            }
            4 | 5 if count > 0 => {
                self.counter += 1;
                let number = self.counter;
                let (table, old) = (self.tables[at].name.clone(), self.tables[at].columns[column].name.clone());
                let column = &mut self.tables[at].columns[column];
                column.name = match random.below(3) {
                    0 => format!("{} {number}", column.name),
                    1 => format!("new_{}_{number}", column.name.replace(' ', "_")),
                    _ => format!("x{number}"),
                };
                let new = column.name.clone();
                // An engine that renames a column renames it in references too.
                let pointing = self
                    .tables
                    .iter_mut()
                    .flat_map(|t| &mut t.columns)
                    .filter(|c| c.to.as_ref() == Some(&table) && c.to_column.as_ref() == Some(&old));
                pointing.for_each(|c| c.to_column = Some(new.clone()));
            }
            6 if count > 0 => {
                let column = &mut self.tables[at].columns[column];
                if column.to.is_none() {
                    column.kind = (*random.pick(KINDS)).to_owned();
                }
            }
            7 if count > 0 => {
                let column = &mut self.tables[at].columns[column];
                // A database has no say in a default of what it generates itself.
                if column.generated {
                    return false;
                }
                column.required = !column.required;
                column.default = column.required && random.one_in(2);
            }
            8 if real.len() > 2 => {
                self.tables.remove(at);
            }
            9 => {
                self.counter += 1;
                let name = format!("extra {}", self.counter);
                self.uids += 1;
                let mut table = Table { uid: 10_000 + self.uids, name, columns: Vec::new(), view_of: None, keyless: false };
                for _ in 0..2 {
                    let new = self.column(random, &table);
                    table.columns.push(new);
                }
                self.tables.push(table);
            }
            10 => {
                self.counter += 1;
                let (old, new) = (self.tables[at].name.clone(), format!("{}_{}", self.tables[at].name.replace(' ', "_"), self.counter));
                for table in &mut self.tables {
                    table.columns.iter_mut().filter(|c| c.to.as_ref() == Some(&old)).for_each(|c| c.to = Some(new.clone()));
                    if table.view_of.as_ref() == Some(&old) {
                        table.view_of = Some(new.clone());
                    }
                }
                self.tables[at].name = new;
            }
            11 if count > 0 => {
                let target = self.tables[*random.pick(&real)].name.clone();
                let action = if self.wild { *random.pick::<&str>(ACTIONS) } else { "" };
                let column = &mut self.tables[at].columns[column];
                (column.to_column, column.action) = (None, action);
                column.to = match &column.to {
                    Some(_) => None,
                    None if column.kind == "INTEGER" && !column.generated => Some(target),
                    None => None,
                };
            }
            12 if count > 0 => {
                let column = &mut self.tables[at].columns[column];
                column.unique = !column.unique && !column.generated;
            }
            13 if count > 1 => {
                let column = &mut self.tables[at].columns[column];
                if column.to.is_none() && !column.unique {
                    column.generated = !column.generated;
                    column.required = false;
                    column.default = false;
                }
            }
            14 if count > 0 => {
                let column = &mut self.tables[at].columns[column];
                column.values = if column.values == 0 || random.one_in(2) { 2 + random.below(4) } else { 0 };
            }
            15 if self.wild => self.tables[at].keyless = !self.tables[at].keyless,
            _ => return false,
        }
        true
    }

    /// The same database with columns in another order: what comes back comes back last.
    /// This database without some of the columns that another one lost: a way back in two steps.
    pub fn partly(&self, lost_in: &Database, random: &mut Random) -> Database {
        let mut database = self.clone();
        let known = |uid: usize| lost_in.tables.iter().flat_map(|t| &t.columns).any(|c| c.uid == uid);
        let shown: Vec<String> =
            self.tables.iter().filter(|t| t.view_of.is_some()).flat_map(|t| t.columns.iter().map(|c| c.name.clone())).collect();
        for table in database.tables.iter_mut().filter(|t| t.view_of.is_none()) {
            let first = table.columns.first().map(|c| c.uid);
            table.columns.retain(|c| known(c.uid) || Some(c.uid) == first || shown.contains(&c.name) || random.one_in(2));
        }
        database
    }

    /// Whether a column has a name that another one of its table has in the other database.
    pub fn exchanges_names_with(&self, other: &Database) -> bool {
        let columns = |database: &Database| -> Vec<(usize, String, usize)> {
            database.tables.iter().flat_map(|t| t.columns.iter().map(|c| (t.uid, c.name.clone(), c.uid))).collect()
        };
        let theirs = columns(other);
        columns(self).iter().any(|(table, name, uid)| theirs.iter().any(|(t, n, u)| t == table && n == name && u != uid))
    }

    pub fn shuffled(&self, like: &Database) -> Database {
        let mut database = self.clone();
        for table in &mut database.tables {
            let known = like.tables.iter().find(|t| t.name == table.name);
            table.columns.sort_by_key(|c| known.and_then(|k| k.columns.iter().position(|x| x.name == c.name)).unwrap_or(usize::MAX));
        }
        database
    }

    /// The true answer to a question about a rename from this state to the next.
    pub fn renamed(&self, question: &str, next: &Database) -> Option<String> {
        use ysomorph_core::name::{dotted, written};
        for table in &self.tables {
            let now = next.tables.iter().find(|t| t.uid == table.uid);
            if question == format!("rename/{}", written(&table.name)) {
                return now.map(|t| t.name.clone());
            }
            for column in &table.columns {
                if question == format!("rename/{}", dotted(&table.name, &column.name)) {
                    return now.and_then(|t| t.columns.iter().find(|c| c.uid == column.uid)).map(|c| c.name.clone());
                }
            }
        }
        None
    }

    pub fn sql(&self) -> String {
        let quoted = |n: &str| format!("\"{}\"", n.replace('"', "\"\""));
        let mut sql = String::new();
        for table in self.tables.iter().filter(|t| t.view_of.is_none()) {
            let mut lines = vec![if table.keyless { "id INTEGER" } else { "id INTEGER PRIMARY KEY" }.to_owned()];
            for column in &table.columns {
                let mut line = format!("{} {}", quoted(&column.name), column.kind);
                if column.generated {
                    line.push_str(" GENERATED ALWAYS AS (id + 1)");
                }
                if column.required {
                    line.push_str(" NOT NULL");
                }
                if column.default {
                    line.push_str(" DEFAULT 0");
                }
                if column.unique {
                    line.push_str(" UNIQUE");
                }
                if column.values > 0 && column.to.is_none() && !column.generated {
                    let values: Vec<String> = (1..=column.values).map(|n| format!("'v{n}'")).collect();
                    line.push_str(&format!(" CHECK ({} IN ({}))", quoted(&column.name), values.join(", ")));
                }
                if let Some(to) = &column.to {
                    line.push_str(&format!(" REFERENCES {} ({})", quoted(to), quoted(column.to_column.as_deref().unwrap_or("id"))));
                    line.push_str(column.action);
                }
                lines.push(line);
            }
            sql.push_str(&format!("CREATE TABLE {} ({});\n", quoted(&table.name), lines.join(", ")));
        }
        for table in &self.tables {
            if let Some(of) = &table.view_of {
                let columns: Vec<String> = std::iter::once("id".to_owned()).chain(table.columns.iter().map(|c| quoted(&c.name))).collect();
                sql.push_str(&format!("CREATE VIEW {} AS SELECT {} FROM {};\n", quoted(&table.name), columns.join(", "), quoted(of)));
            }
        }
        sql
    }

    /// Made for real.
    pub fn open(&self) -> Connection {
        let connection = Connection::open_in_memory().unwrap();
        connection.execute_batch(&self.sql()).unwrap_or_else(|e| panic!("{e}\n{}", self.sql()));
        ysomorph_sources::sqlite::prepare_connection(&connection).unwrap();
        connection
    }

    pub fn schema(&self) -> Schema {
        ysomorph_sources::sqlite::read_from(&self.open()).unwrap()
    }
}
