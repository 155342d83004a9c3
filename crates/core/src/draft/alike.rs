//! Fields that are alike are drafted once: `id`, `name` and `created_at` stand in table after table.

use super::constraints::Declared;
use crate::schema::Column;
use std::collections::HashMap;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// A column to the letter: types that say the same may still be spelled otherwise.
pub(super) struct Exactly<'a>(pub &'a Column);

impl PartialEq for Exactly<'_> {
    fn eq(&self, other: &Self) -> bool {
        let (own, others) = (&self.0.column_type, &other.0.column_type);
        self.0 == other.0 && own.original == others.original && own.enforced == others.enforced
    }
}

impl Eq for Exactly<'_> {}

impl Hash for Exactly<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        (&self.0.name, &self.0.column_type.original, &self.0.default, &self.0.comment, self.0.nullable).hash(state);
    }
}

/// What a field of one column without a reference is made of, beside what is the same for a whole draft.
#[derive(PartialEq, Eq, Hash)]
pub(super) struct Plain<'a> {
    pub name: String,
    pub column: Exactly<'a>,
    /// The word that the columns of its table begin with.
    pub prefix: Option<String>,
    pub declared: Declared,
    pub is_key: bool,
    pub is_unique: bool,
    pub is_indexed: bool,
}

/// What was drafted so far, by what it was made of.
pub(super) struct Alike<'a, T>(HashMap<Plain<'a>, Arc<T>>);

impl<T> Default for Alike<'_, T> {
    fn default() -> Self {
        Alike(HashMap::new())
    }
}

impl<'a, T> Alike<'a, T> {
    /// What is made of this: what was drafted before, or a new one.
    pub fn of(&mut self, plain: Plain<'a>, draft: impl FnOnce() -> T) -> Arc<T> {
        Arc::clone(self.0.entry(plain).or_insert_with(|| Arc::new(draft())))
    }
}

#[cfg(test)]
mod tests {
    use crate::definition::Tree;
    use crate::testkit::{drafted, schema};

    /// A column of one name in tables where each is otherwise in one respect.
    const TABLES: &[&str] = &[
        "score integer",
        "score integer required",
        "score integer default 1",
        "score integer comment 'Points of a judge'",
        "score integer comment 'What the judge of a show thinks it is worth.'",
        "score integer unique",
        "score integer; index score",
        "score integer; check score >= 1",
        "score integer; check score IN (1, 2)",
        "score integer generated 1",
        "score decimal(8,2)",
        "score decimal(8,3)",
        "score text",
        "score text(20)",
        "score text(30)",
        "score date",
        "score moment default now()",
        "score_id integer; score_name text; score_made date; score integer",
        "score integer",
        "score integer key",
    ];

    fn fields(tree: &Tree, entity: &str) -> String {
        format!("{:?}", tree.entity(entity).and_then(|node| node.get("field")))
    }

    #[test]
    fn what_is_drafted_among_others_is_what_is_drafted_alone() {
        let table = |(at, columns): (usize, &&str)| {
            let key = if columns.contains(" key") { "" } else { "id integer key; " };
            format!("kind{at}: {key}{columns}\n")
        };
        let lines: Vec<String> = TABLES.iter().enumerate().map(table).collect();
        let together = drafted(&schema(&lines.concat()));
        for (at, line) in lines.iter().enumerate() {
            let entity = format!("kind{at}");
            assert_eq!(fields(&together, &entity), fields(&drafted(&schema(line)), &entity), "{line}");
        }
    }
}
