//! What rules share: the model, the statements of every page, and what of their needs the changed schema can't give.

use super::{Fate, ImpactInput, MetLimits, Remedy};
use crate::changes::{Change, ChangeKind};
use crate::definition::{Entity, Field, Model, Problem, validate};
use crate::name;
use crate::rename::{Evidence, RenameMap};
use crate::schema::{Operation, Refusal, Schema, Writes};
use crate::sql;
use crate::statements::Use;
use std::collections::BTreeMap;

/// What a statement needs and the changed schema can't give.
#[derive(Debug, Clone, PartialEq)]
pub enum What {
    /// The table or view is gone.
    Table {
        /// Its name.
        table: String,
        /// What the database says of a view that is still there.
        broken: Option<String>,
    },
    /// The column is gone.
    Column {
        /// Its table.
        table: String,
        /// Its name.
        column: String,
    },
    /// A condition, formula, rule or statement names something gone.
    Condition {
        /// The name.
        name: String,
        /// Its table, where it can be told.
        table: Option<String>,
        /// Whether it is a table itself.
        is_table: bool,
        /// Where in the condition.
        offset: usize,
    },
    /// A condition or statement names a column that two of its tables have now.
    Ambiguous {
        /// The name.
        name: String,
        /// Where in the text.
        offset: usize,
    },
    /// A condition, formula, rule or statement calls a function that is gone, or takes other arguments.
    Function {
        /// Its name.
        name: String,
        /// What is wrong, in words.
        wrong: String,
        /// Where in the text.
        offset: usize,
    },
    /// The engine refuses to compare, sort or calculate with values of this type.
    WrongType {
        /// The table.
        table: String,
        /// The column.
        column: String,
        /// The column it is compared with, if any.
        with: Option<(String, String)>,
        /// Where in a condition, if it stands in one.
        offset: usize,
        /// What is refused, in words.
        operation: String,
    },
    /// A condition can't be analysed with certainty, and something it mentions was lost or renamed.
    DoubtfulCondition {
        /// The name.
        name: String,
    },
    /// A routine is gone, or takes other arguments.
    Routine {
        /// Its name.
        name: String,
        /// What is wrong, in words.
        wrong: String,
    },
    /// The write gives a value to what the database writes itself.
    WrittenByDatabase {
        /// The table.
        table: String,
        /// The column.
        column: String,
    },
    /// The write leaves out what the database insists on.
    RequiredAbsent {
        /// The table.
        table: String,
        /// The column.
        column: String,
    },
    /// The database refuses the write as a whole.
    Refused {
        /// The table.
        table: String,
        /// Insert, update or delete.
        operation: Operation,
        /// Why.
        refusal: Refusal,
    },
}

/// Something lost, on the pages of one entity where it is missed.
#[derive(Debug, Clone)]
pub struct Lost<'a> {
    /// The entity whose pages are concerned.
    pub entity: &'a Entity,
    /// The pages.
    pub pages: Vec<String>,
    /// The use that fails: the first of those that fail alike.
    pub used: Use,
    /// Every use that fails alike, such as shown and searched.
    pub uses: Vec<Use>,
    /// What is lost.
    pub what: What,
}

/// What rules look at.
pub struct Context<'a> {
    /// What they were given.
    pub input: ImpactInput<'a>,
    /// The definition as typed values.
    pub model: &'a Model,
    lost: Vec<Lost<'a>>,
    problems: Vec<Problem>,
    /// The fields whose declared values, bounds or lengths differ now.
    pub(super) limits: Vec<MetLimits<'a>>,
    /// The lookups that point at each entity.
    pub(super) lookups_to: BTreeMap<&'a str, Vec<(&'a Entity, &'a Field)>>,
    /// The renames that are presumed.
    pub(super) names: RenameMap,
    /// What the changed schema takes of writes.
    pub(super) writes: Writes<'a>,
    /// The entities over each table, by its folded name.
    pub(super) by_table: BTreeMap<String, Vec<&'a Entity>>,
    /// By query that stands in for a table: its result columns, where the changed schema takes it and they can be told.
    pub(super) results: BTreeMap<&'a str, Option<Vec<sql::ResultColumn>>>,
}

impl<'a> Context<'a> {
    /// Gathers what every page needs and can't get.
    pub(super) fn new(input: ImpactInput<'a>, model: &'a Model) -> Context<'a> {
        let selects = model.entities.values().filter_map(|e| e.source.select.as_ref());
        let results = selects.map(|select| (select.value.as_str(), result_of(&select.value, input.changed))).collect();
        let mut lookups_to: BTreeMap<&str, Vec<(&Entity, &Field)>> = BTreeMap::new();
        let mut by_table: BTreeMap<String, Vec<&Entity>> = BTreeMap::new();
        for entity in model.entities.values() {
            by_table.entry(name::fold(&entity.table.value)).or_default().push(entity);
            for (field, lookup) in entity.fields.iter().filter_map(|f| Some((f, f.lookup.as_ref()?))) {
                lookups_to.entry(&lookup.entity.value).or_default().push((entity, field));
            }
        }
        let problems = Vec::new();
        let names = input.comparison.presumed();
        let writes = Writes::of(input.changed);
        let mut context =
            Context { input, model, lost: Vec::new(), problems, names, limits: Vec::new(), lookups_to, writes, by_table, results };
        context.limits = context.gather_limits();
        context.lost = context.gather();
        context
    }

    /// The changed schema.
    pub fn changed(&self) -> &'a Schema {
        self.input.changed
    }

    /// Everything lost, one entry for each entity, element and loss.
    pub fn lost(&self) -> &[Lost<'a>] {
        &self.lost
    }

    /// With the definition's own problems, for rules that tell these.
    pub(super) fn with_problems(mut self) -> Context<'a> {
        self.problems = validate(self.input.tree, self.input.accepted);
        self
    }

    /// The definition's own problems, seen against the accepted schema.
    pub fn problems(&self) -> &[Problem] {
        &self.problems
    }

    /// All entities.
    pub fn entities(&self) -> impl Iterator<Item = &'a Entity> {
        self.model.entities.values()
    }

    /// The change that took a table or column away, and what the merge does about it.
    pub fn cause_of_loss(&self, table: &str, column: Option<&str>) -> (Option<usize>, Remedy) {
        let of_column = column.and_then(|c| {
            self.find(|change| {
                matches!(change.kind, ChangeKind::ColumnDropped | ChangeKind::ColumnRenamed)
                    && name::same(&change.table, table)
                    && change.column.as_deref().is_some_and(|known| name::same(known, c))
            })
        });
        let of_table = || {
            self.find(|change| {
                matches!(
                    change.kind,
                    ChangeKind::TableDropped | ChangeKind::TableRenamed | ChangeKind::ViewBroken | ChangeKind::TableKindChanged
                ) && name::same(&change.table, table)
                    && change.column.is_none()
            })
        };
        match of_column.or_else(of_table) {
            Some((at, _)) => (Some(at), self.remedy(table, column)),
            None => (None, Remedy::Hand),
        }
    }

    /// What the merge does about a lost name: asks while a rename is likely, else carries it or sets it aside.
    fn remedy(&self, table: &str, column: Option<&str>) -> Remedy {
        let open = self.input.comparison.renames.iter().any(|r| {
            !r.taken
                && name::same(&r.table, table)
                && match (&r.column, column) {
                    (Some(known), Some(column)) => name::same(known, column),
                    (None, _) => true,
                    (Some(_), None) => false,
                }
        });
        if self.input.changed.table(table).is_some_and(|t| t.broken.is_some()) {
            Remedy::Hand
        } else if open {
            Remedy::Ask
        } else {
            Remedy::Merge
        }
    }

    /// The first change of one of these kinds to a column (or to the whole table).
    pub fn cause(&self, table: &str, column: Option<&str>, kinds: &[ChangeKind]) -> Option<usize> {
        let names = &self.names;
        self.find(|change| {
            let same_table = name::same(&change.table, table) || name::same(names.table(&change.table), table);
            let same_column = match (&change.column, column) {
                (Some(known), Some(column)) => name::same(known, column) || change.to.as_deref().is_some_and(|to| name::same(to, column)),
                (None, None) => true,
                _ => false,
            };
            kinds.contains(&change.kind) && same_table && same_column
        })
        .map(|(at, _)| at)
    }

    /// The change to a routine of this name.
    pub fn find_object(&self, routine: &str) -> Option<usize> {
        let kinds = [ChangeKind::RoutineDropped, ChangeKind::RoutineChanged];
        let is_it = |change: &Change| change.object.as_deref().is_some_and(|object| name::same(object, routine));
        self.find(|change| kinds.contains(&change.kind) && is_it(change)).map(|(at, _)| at)
    }

    fn find(&self, wanted: impl Fn(&Change) -> bool) -> Option<(usize, &Change)> {
        self.input.comparison.changes.iter().enumerate().find(|(_, change)| wanted(change))
    }

    /// What became of a lost name.
    pub fn fate(&self, table: &str, column: Option<&str>) -> Fate {
        let subject =
            column.map_or_else(|| format!("`{}`", name::shown(table)), |c| format!("`{}.{}`", name::shown(table), name::shown(c)));
        let (cause, _) = self.cause_of_loss(table, column);
        let Some(change) = cause.and_then(|at| self.input.comparison.changes.get(at)) else {
            return Fate::other(format!("{subject} isn't in the database"));
        };
        let renamed = matches!(change.kind, ChangeKind::ColumnRenamed | ChangeKind::TableRenamed);
        // A column goes with its table, whose change says nothing of it.
        let says_all = change.column.is_some() == column.is_some();
        if renamed && (change.column.is_some() || column.is_none()) {
            let to = name::shown(change.to.as_deref().unwrap_or_default());
            let text = match &change.evidence {
                Some(evidence @ Evidence::Likely { .. }) => format!("{subject} is gone ({} renamed to `{to}`)", evidence.words()),
                _ => format!("{subject} is `{to}` now"),
            };
            return Fate { text, is_as_its_cause: says_all };
        }
        let text = match change.kind {
            ChangeKind::ViewBroken => format!("{subject} can't be read: {}", name::shown(change.after.as_deref().unwrap_or_default())),
            _ => format!("{subject} is gone"),
        };
        Fate { text, is_as_its_cause: says_all }
    }
}

/// The result columns of a query that a schema takes, where they can be told.
fn result_of(select: &str, schema: &Schema) -> Option<Vec<sql::ResultColumn>> {
    let sound = sql::analyse(select, sql::Scope::Statement { table: "" }, schema).missing().next().is_none();
    sql::projection(select, schema).filter(|_| sound)
}
