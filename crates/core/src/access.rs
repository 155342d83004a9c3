//! Who may see and do what, by role and entity, and whether a change of the definition gave anybody more.

use crate::definition::{Entity, Model};
use crate::engine::Engine;
use crate::name::quoted_for;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// The filter that nobody's records fulfil: what a merge writes where the columns of one are gone.
pub const NOBODY: &str = "1 = 0";

/// The query that gives no record of a table: what a merge writes where a query of a person's own was set aside.
pub fn nobodys(table: &str, engine: Engine) -> String {
    format!("SELECT * FROM {} WHERE {NOBODY}", quoted_for(table, engine))
}

/// Whether a condition or query gives nobody anything, as a merge writes it.
pub fn is_nobodys(text: &str) -> bool {
    text == NOBODY || text.starts_with("SELECT * FROM ") && text.ends_with(&format!(" WHERE {NOBODY}"))
}

/// Which records of an entity a role sees.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Records {
    /// None.
    None,
    /// Those that a condition is true of.
    Where(String),
    /// All.
    All,
}

impl Records {
    /// In words.
    pub fn words(&self) -> String {
        match self {
            Records::None => "none".to_owned(),
            Records::Where(condition) => format!("where {}", condition.split_whitespace().collect::<Vec<_>>().join(" ")),
            Records::All => "all".to_owned(),
        }
    }
}

/// What a role may see and do with an entity.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Rights {
    /// The records it sees.
    pub records: Records,
    /// add, edit, delete
    pub actions: Vec<&'static str>,
    /// The pages it may use.
    pub pages: Vec<String>,
    /// Fields hidden from this role.
    pub hidden: Vec<String>,
    /// Fields this role only sees.
    pub read_only: Vec<String>,
    /// Whether it is restricted by field.
    pub restricted: bool,
    /// The fields it sees.
    #[serde(skip)]
    sees: BTreeSet<String>,
    /// The fields it may change.
    #[serde(skip)]
    changes: BTreeSet<String>,
}

/// The rights of a role to an entity, before and after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Access {
    /// The role.
    pub role: String,
    /// The entity.
    pub entity: String,
    /// Before; absent where the entity wasn't there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub before: Option<Rights>,
    /// After; absent where the entity isn't there any more, or nothing is merged.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub after: Option<Rights>,
    /// What the role may see or do now that it mightn't before, in words.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub wider: Vec<String>,
    /// What it may no longer see or do.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub narrower: Vec<String>,
}

/// The rights of every role to every entity.
pub fn access(model: &Model) -> Vec<Access> {
    let of = |entity: &Entity, role: &String| Access {
        role: role.clone(),
        entity: entity.name.clone(),
        before: Some(rights(entity, role)),
        after: None,
        wider: Vec::new(),
        narrower: Vec::new(),
    };
    model.entities.values().flat_map(|entity| model.app.roles.keys().map(move |role| of(entity, role))).collect()
}

/// The rights before and after a change of the definition. What was before has to speak by the names of after: `renamed` tells the
/// fields that got another name, by entity and old name; entities and columns in conditions are to be renamed already.
pub fn compared(before: &Model, after: &Model, renamed: &BTreeMap<(String, String), String>) -> Vec<Access> {
    let entities: BTreeSet<&String> = before.entities.keys().chain(after.entities.keys()).collect();
    let roles: BTreeSet<&String> = before.app.roles.keys().chain(after.app.roles.keys()).collect();
    let mut all = Vec::new();
    for entity in entities {
        let (old, new) = (before.entities.get(entity), after.entities.get(entity));
        let called_now = |name: &String| renamed.get(&(entity.clone(), name.clone())).unwrap_or(name).clone();
        // A field or page that wasn't there is no right that somebody got, but where fields are hidden from a role; and nobody is denied
        // what isn't there any more.
        let known = There::of(old, &called_now);
        let still = There::of(new, &String::clone);
        for role in &roles {
            let (old, new) = (old.map(|e| rights(e, role)), new.map(|e| rights(e, role)));
            let old = old.map(|r| r.renamed(&called_now));
            let (mut wider, mut narrower) = (Vec::new(), Vec::new());
            if let (Some(old), Some(new)) = (&old, &new) {
                wider = new.beyond(old, &known, false);
                narrower = old.beyond(new, &still, true);
            }
            all.push(Access { role: (*role).clone(), entity: entity.clone(), before: old, after: new, wider, narrower });
        }
    }
    all
}

/// What there is of an entity.
#[derive(Default)]
struct There {
    fields: BTreeSet<String>,
    pages: BTreeSet<String>,
}

impl There {
    fn of(entity: Option<&Entity>, called_now: &dyn Fn(&String) -> String) -> There {
        entity.map_or_else(There::default, |entity| There {
            fields: entity.fields.iter().map(|f| called_now(&f.name)).collect(),
            pages: entity.pages.iter().map(|p| p.name.clone()).collect(),
        })
    }
}

fn rights(entity: &Entity, role: &str) -> Rights {
    let shown = entity.fields.iter().filter(|f| !f.hidden).map(|f| f.name.clone());
    let Some(own) = entity.access_of(role) else {
        return Rights {
            records: Records::None,
            actions: Vec::new(),
            pages: Vec::new(),
            hidden: Vec::new(),
            read_only: Vec::new(),
            restricted: false,
            sees: BTreeSet::new(),
            changes: BTreeSet::new(),
        };
    };
    let records = match (&own.rows, own.read) {
        (_, false) => Records::None,
        (Some(condition), true) if condition.value.split_whitespace().eq(NOBODY.split_whitespace()) => Records::None,
        (Some(condition), true) => Records::Where(condition.value.clone()),
        (None, true) => Records::All,
    };
    let granted = [("add", own.add), ("edit", own.edit), ("delete", own.delete)];
    let actions = granted.into_iter().filter(|(_, may)| *may && !entity.read_only).map(|(action, _)| action).collect();
    let names = |list: &[crate::definition::Spanned<String>]| list.iter().map(|f| f.value.clone()).collect::<Vec<_>>();
    let (hidden, read_only) = (names(&own.hide), names(&own.read_only));
    let sees: BTreeSet<String> = if own.read { shown.filter(|f| !hidden.contains(f)).collect() } else { BTreeSet::new() };
    let writes = (own.add || own.edit) && !entity.read_only;
    let fixed = |f: &String| entity.field(f).is_some_and(|f| f.read_only);
    let changes = sees.iter().filter(|f| writes && !read_only.contains(f) && !fixed(f)).cloned().collect();
    let pages = entity.pages.iter().filter(|p| own.allows(p)).map(|p| p.name.clone()).collect();
    Rights { records, actions, pages, hidden, read_only, restricted: own.restricted, sees, changes }
}

impl Rights {
    /// Under the names that fields have now.
    fn renamed(self, now: &impl Fn(&String) -> String) -> Rights {
        let list = |names: Vec<String>| names.iter().map(now).collect();
        let set = |names: BTreeSet<String>| names.iter().map(now).collect();
        let (hidden, read_only) = (list(self.hidden), list(self.read_only));
        Rights { hidden, read_only, sees: set(self.sees), changes: set(self.changes), ..self }
    }

    /// What these rights allow that others don't, in words, of what is there both times. Other fields count where the role is restricted
    /// by field.
    fn beyond(&self, other: &Rights, known: &There, is_loss: bool) -> Vec<String> {
        let mut more = Vec::new();
        match (&self.records, &other.records) {
            (Records::None, _) | (_, Records::All) => {}
            (mine, theirs) if mine == theirs => {}
            (mine, _) => more.push(format!("sees records: {}", mine.words())),
        }
        more.extend(self.actions.iter().filter(|a| !other.actions.contains(a)).map(|action| format!("may {action}")));
        let pages: Vec<&str> =
            self.pages.iter().filter(|p| known.pages.contains(*p) && !other.pages.contains(p)).map(String::as_str).collect();
        if !pages.is_empty() {
            more.push(format!("may use {}", pages.join(", ")));
        }
        let counts = |field: &&String| known.fields.contains(*field) || self.restricted && !is_loss;
        let fields = |mine: &BTreeSet<String>, theirs: &BTreeSet<String>| -> Vec<String> {
            mine.difference(theirs).filter(counts).cloned().collect()
        };
        // What somebody sees newly and may change is said once.
        let sees = fields(&self.sees, &other.sees);
        let changes: Vec<String> = fields(&self.changes, &other.changes).into_iter().filter(|f| !sees.contains(f)).collect();
        for (verb, fields) in [("sees", sees), ("may change", changes)] {
            if !fields.is_empty() {
                more.push(format!("{verb} {}", fields.join(", ")));
            }
        }
        more
    }
}

#[cfg(test)]
mod tests {
    use super::{Access, Records, access, compared};
    use crate::definition::{Model, Tree};
    use crate::testkit::{drafted, edit, schema};
    use std::collections::BTreeMap;

    const SCHEMA: &str = "keeper: id integer key; last_name text; phone text";

    fn keepers(edits: &[&str]) -> Tree {
        let mut tree = drafted(&schema(SCHEMA));
        for line in ["app/role.guest.label = \"Guest\"", "keeper/access.guest.read = true"].iter().chain(edits) {
            edit(&mut tree, line);
        }
        tree
    }

    fn guest(all: &[Access]) -> &Access {
        all.iter().find(|a| a.role == "guest").unwrap()
    }

    #[test]
    fn what_a_role_gets_and_loses_is_told() {
        let filter = "keeper/access.guest.rows = \"id > 3\"";
        let hides = "keeper/access.guest.hide = [\"phone\"]";
        // before, after, wider, narrower
        let table: &[(&[&str], &[&str], &str, &str)] = &[
            (&[], &[], "", ""),
            (&[filter], &[], "sees records: all", ""),
            (&[], &[filter], "", "sees records: all"),
            (&[filter], &["keeper/access.guest.rows = \"1 = 0\""], "", "sees records: where id > 3"),
            (&[filter], &["keeper/access.guest.rows = \"id > 2\""], "sees records: where id > 2", "sees records: where id > 3"),
            (&[hides], &[], "sees phone", ""),
            (&[], &[hides], "", "sees phone"),
            (&[], &["keeper/access.guest.add = true"], "may add; may use add; may change id, last_name, phone", ""),
            (&["keeper/access.guest.pages = [\"list\"]"], &[], "may use detail", ""),
            (&["keeper/page.detail gone"], &[], "", ""),
            (&[], &["keeper/access.guest gone"], "", "sees records: all; may use list, detail; sees id, last_name, phone"),
        ];
        for (before, after, wider, narrower) in table {
            let all = compared(&Model::of(&keepers(before)), &Model::of(&keepers(after)), &BTreeMap::new());
            let one = guest(&all);
            assert_eq!(one.wider.join("; "), *wider, "{before:?} → {after:?}");
            assert_eq!(one.narrower.join("; "), *narrower, "{before:?} → {after:?}");
        }
    }

    #[test]
    fn a_new_field_is_more_only_where_fields_are_hidden() {
        let wide = |edits: &[&str]| {
            let new = "keeper/field.shoe.column = \"shoe\"";
            let after = keepers(&[edits, &[new]].concat());
            guest(&compared(&Model::of(&keepers(edits)), &Model::of(&after), &BTreeMap::new())).wider.join("; ")
        };
        assert_eq!(wide(&[]), "");
        assert_eq!(wide(&["keeper/access.guest.hide = [\"phone\"]"]), "sees shoe");
    }

    #[test]
    fn a_renamed_field_is_the_same_field() {
        let before = keepers(&["keeper/access.guest.hide = [\"phone\"]"]);
        let mut after = keepers(&["keeper/field.mobile from field.phone", "keeper/access.guest.hide = [\"mobile\"]"]);
        let names = |to: &str| BTreeMap::from([(("keeper".to_owned(), "phone".to_owned()), to.to_owned())]);
        let all = compared(&Model::of(&before), &Model::of(&after), &names("mobile"));
        assert_eq!((guest(&all).wider.len(), guest(&all).narrower.len()), (0, 0), "{:?}", guest(&all));
        edit(&mut after, "keeper/access.guest.hide = [\"last_name\"]");
        let all = compared(&Model::of(&before), &Model::of(&after), &names("mobile"));
        assert_eq!(guest(&all).wider, ["sees mobile"]);
    }

    #[test]
    fn who_is_granted_nothing_sees_nothing() {
        let tree = keepers(&["app/role.nobody.label = \"Nobody\""]);
        let all = access(&Model::of(&tree));
        let nobody = all.iter().find(|a| a.role == "nobody").and_then(|a| a.before.as_ref()).unwrap();
        assert_eq!((&nobody.records, nobody.actions.len(), nobody.pages.len()), (&Records::None, 0, 0));
    }
}
