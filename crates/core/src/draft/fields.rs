//! Fields from columns: kinds, lookups from foreign keys, related sets from join tables, limits, what is hidden and
//! read-only.

use super::alike::{Alike, Exactly, Plain};
use super::constraints::{Declared, plain_default, scalar};
use super::given::Names;
use super::joins::{Linked, field_name};
use super::keys::entity_key;
use super::kind::{is_yes_or_no, kind};
use super::labels::{prefix_of, without_prefix};
use super::measures::adds_up;
use super::names::{entity_name, lookup_name};
use super::references::Reference;
use super::{Conventions, labels};
use crate::definition::{FieldKind, Node, Value};
use crate::name::{self, Patterns, same};
use crate::schema::{Column, ForeignKey, Index, Kind, Table};
use std::collections::BTreeSet;
use std::sync::Arc;

/// A drafted field with what pages need to know of it.
#[derive(Debug, Clone)]
pub(crate) struct FieldDraft {
    pub name: String,
    pub label: String,
    /// None for a related set.
    pub columns: Vec<String>,
    pub kind: &'static FieldKind,
    pub hidden: bool,
    pub required: bool,
    pub unique: bool,
    /// The database or the application fills it: on no form.
    pub kept: bool,
    /// Numbered by the database, or counting changes: shown nowhere unless there is nothing else.
    pub surrogate: bool,
    /// Counts changes.
    pub is_version: bool,
    /// Its name sounds sensitive: nothing is called, searched, sorted or listed by it.
    pub secret: bool,
    /// Noted by the application for itself, under whatever name.
    pub record_keeping: bool,
    /// The database knows what it is when a record is added.
    pub supplied: bool,
    /// An id or digest that people don't read.
    pub machine_made: bool,
    /// A lookup of which only the column's name tells.
    pub guessed: bool,
    /// The entity and table that a lookup or related set points at.
    pub target: Option<(String, String)>,
    /// The word that its label begins with, where more follows: "Billing street" is of the billing.
    pub begins: Option<String>,
    /// What people would call its first column.
    pub spoken: String,
    /// Part of an address.
    pub is_address: bool,
    /// Whether it is worth adding up.
    pub is_measure: bool,
    /// Whether an index starts with it.
    pub indexed: bool,
    pub node: Node,
}

impl FieldDraft {
    /// Whether people search it as text.
    pub fn is_text(&self) -> bool {
        self.kind.is_text
    }

    /// Too long or too big for a row of a list.
    pub fn is_bulky(&self) -> bool {
        self.kind.is_bulky
    }

    /// Whether it links records by a join table.
    pub fn is_related(&self) -> bool {
        self.kind.name == "related"
    }
}

/// Fields that other tables have as well.
pub(super) type AlikeFields<'a> = Alike<'a, FieldDraft>;

/// The fields of a table, made of its references: its columns in their order, then its related sets.
pub(super) fn fields<'a>(
    names: &Names<'_>,
    table: &'a Table,
    entity: &str,
    references: &[Reference<'_>],
    links: &[Linked<'_>],
    alike: &mut AlikeFields<'a>,
) -> Vec<Arc<FieldDraft>> {
    let mut groups: Vec<(Vec<String>, String)> = Vec::new();
    let mut keys: Vec<Option<&Reference<'_>>> = Vec::new();
    for column in &table.columns {
        if names.in_use.is_left_out(entity, &column.name) {
            continue;
        }
        let key = references.iter().find(|r| name::contains(&r.key.columns, &column.name));
        match key {
            // A composite reference is one field, where its first column stands.
            Some(r) if r.key.columns.first().is_some_and(|first| !same(first, &column.name)) => {}
            Some(reference) => {
                let key = &reference.key;
                let columns: Vec<String> = key.columns.iter().filter_map(|c| table.column(c)).map(|c| c.name.clone()).collect();
                groups.push((columns.clone(), lookup_name(table, &columns, &key.table)));
                keys.push(Some(reference));
            }
            None => {
                groups.push((vec![column.name.clone()], entity_name(&column.name)));
                keys.push(None);
            }
        }
    }
    if table.primary_key.is_empty() && table.reads("rowid") && entity_key(table) == ["rowid"] {
        groups.push((vec!["rowid".to_owned()], "rowid".to_owned()));
        keys.push(None);
    }
    let field_names = names.in_use.fields(entity, &groups);
    let declared = Declared::of_table(names.schema, table);
    let prefix = prefix_of(table);
    let mut drafted: Vec<Arc<FieldDraft>> = groups
        .into_iter()
        .zip(keys)
        .zip(field_names)
        .map(|(((columns, _), reference), name)| {
            let drafting = Drafting { names, table, declared: &declared, name, columns, reference, prefix: prefix.as_deref() };
            match drafting.plain() {
                Some(plain) => alike.of(plain, || drafting.field()),
                None => Arc::new(drafting.field()),
            }
        })
        .collect();
    told_apart(&mut drafted, names.conventions);
    for linked in links {
        let taken: Vec<String> = drafted.iter().map(|f| f.name.clone()).collect();
        if !names.in_use.is_left_out(entity, &linked.identity().concat()) {
            drafted.extend(related(names, entity, linked, &taken).map(Arc::new));
        }
    }
    drafted
}

/// Gives fields that would be called alike their columns' whole names: without a prefix, or by a comment, two may be the same.
fn told_apart(fields: &mut [Arc<FieldDraft>], conventions: &Conventions) {
    let mut taken = BTreeSet::new();
    for field in fields.iter_mut().filter(|f| !f.hidden) {
        if !taken.insert(field.label.clone()) {
            let whole = field.columns.iter().map(|c| labels::label(c, conventions)).next().unwrap_or_default();
            let numbered = (2..).map(|n| format!("{whole} {n}"));
            let field = Arc::make_mut(field);
            let label = std::iter::once(whole.clone()).chain(numbered).find(|label| !taken.contains(label)).unwrap_or_default();
            field.node.set("label", label.as_str().into());
            taken.insert(label.clone());
            field.label = label;
        }
    }
}

/// A field in the making.
struct Drafting<'a, 'd> {
    names: &'d Names<'d>,
    table: &'a Table,
    declared: &'d [(String, Declared)],
    name: String,
    columns: Vec<String>,
    reference: Option<&'d Reference<'d>>,
    /// The word that the columns of the table begin with.
    prefix: Option<&'d str>,
}

/// Of a column of which nothing is declared.
static NOTHING: Declared = Declared { values: Vec::new(), least: None, greatest: None, longest: None };

impl<'a, 'd> Drafting<'a, 'd> {
    /// All that a field of one column without a reference is made of, beside what is the same for a whole draft.
    fn plain(&self) -> Option<Plain<'a>> {
        let ([column], None) = (self.columns.as_slice(), self.reference) else { return None };
        if is_reference(self.table, &self.columns) {
            return None;
        }
        let column = self.table.column(column)?;
        Some(Plain {
            name: self.name.clone(),
            column: Exactly(column),
            prefix: self.prefix.map(str::to_owned),
            declared: self.declared().clone(),
            is_key: self.is_key(),
            is_unique: self.table.is_unique(&self.columns),
            is_indexed: self.is_indexed(),
        })
    }

    fn declared(&self) -> &'d Declared {
        let of_it = |(column, _): &&(String, Declared)| self.columns.first().is_some_and(|first| same(first, column));
        self.declared.iter().find(of_it).map_or(&NOTHING, |(_, declared)| declared)
    }

    fn is_key(&self) -> bool {
        self.columns.iter().all(|c| name::contains(&self.table.primary_key, c))
    }

    fn is_indexed(&self) -> bool {
        let starts = |column: &String| {
            let first = |index: &Index| index.parts.first().and_then(|part| part.column.as_ref()).is_some_and(|first| same(first, column));
            self.table.indexes.iter().any(first)
        };
        self.columns.first().is_some_and(starts)
    }

    fn field(self) -> FieldDraft {
        let (declared, is_key, indexed) = (self.declared(), self.is_key(), self.is_indexed());
        let Drafting { names, table, name, columns, reference, prefix, .. } = self;
        let key = reference.map(|r| &*r.key);
        let conventions = names.conventions;
        let own: Vec<&Column> = columns.iter().filter_map(|c| table.column(c)).collect();
        let first = own.first().copied();
        let target = key.and_then(|k| Some((names.in_use.entity(&k.table)?.to_owned(), names.schema.table(&k.table)?.name.clone())));
        let values = if target.is_none() { declared.values.as_slice() } else { &[] };
        let kind = match (&target, first) {
            (Some(_), _) => FieldKind::named("lookup"),
            (None, Some(column)) if is_yes_or_no(column, values, names.schema.engine) => FieldKind::named("boolean"),
            // Several of its members at once.
            (None, Some(column)) if column.column_type.kind == Kind::Set => FieldKind::named("list"),
            (None, _) if !values.is_empty() => FieldKind::named("choice"),
            (None, Some(column)) => kind(column, conventions),
            (None, None) => FieldKind::named("number"),
        };
        let is_set = first.is_some_and(|column| column.column_type.kind == Kind::Set) && target.is_none();
        let values = if kind.name == "choice" || is_set { values } else { &[] };
        // A number that the database makes up is no other record's.
        let is_reference = is_reference(table, &columns);
        let is_numbered = |c: &Column| c.is_numbered() && !is_reference;
        let database_fills = first.is_none_or(|c| is_numbered(c) || c.written_by_database());
        let spoken = columns.first().map(|c| labels::spoken(c, prefix)).unwrap_or_default();
        let is = |patterns: &Patterns| patterns.fit(&spoken) || columns.iter().any(|c| patterns.fit_words(c));
        let is_version = is(&conventions.version_columns);
        let is_record = is(&conventions.record_keeping);
        let kept = database_fills || (is_version || is_record) && own.iter().all(|c| !c.must_be_given());
        // A form that couldn't save without the column must show it.
        let is_pointer = |c: &Column| is_reference && c.is_numbered() && !c.nullable && !c.written_by_database();
        let must_be_given = own.iter().any(|c| c.must_be_given() || is_pointer(c));
        // A set without any member is a value.
        let required = must_be_given && !kept && !is_set && own.iter().all(|c| c.needs_value() || is_pointer(c));
        let is_sensitive = is(&conventions.sensitive);
        let hidden = is_sensitive && !must_be_given && !is_key;
        let columns_named: Vec<String> = columns.iter().map(|c| without_prefix(c, prefix)).collect();
        // A short comment is what the column's author calls it.
        let comment = first.and_then(|c| c.comment.as_deref()).map(str::trim).filter(|c| !c.is_empty() && columns.len() == 1);
        let own_label = comment.filter(|c| labels::is_label(c));
        let (label, unit) = match (&target, columns_named.as_slice()) {
            (_, [_]) if own_label.is_some() => (own_label.unwrap_or_default().to_owned(), None),
            (Some(_), [column]) => (labels::of_reference(column, conventions), None),
            (Some(_), _) => (labels::label(&name, conventions), None),
            (None, [column, ..]) if kind.name == "number" || kind.name == "decimal" => labels::measured(column, conventions),
            (None, [column, ..]) if kind.name == "percent" => (labels::measured(column, conventions).0, None),
            (None, [column, ..]) => (labels::label(column, conventions), None),
            (None, []) => (String::new(), None),
        };
        let is_measure = columns.first().is_some_and(|c| adds_up(c, kind, unit.as_deref(), conventions));
        let is_measure = is_measure && !is_key && !kept && !hidden;
        let unique = target.is_none() && !is_key && table.is_unique(&columns);
        let default = first.filter(|_| !kept && target.is_none() && !hidden).and_then(plain_default);
        let default = match default {
            // What isn't said is no.
            Some(value) if kind.name == "boolean" => (value == Node::from(true) || value == Node::from(1)).then(|| Node::from(true)),
            other => other,
        };
        let mut node = Node::table();
        match columns.as_slice() {
            [column] => node.set("column", name::written(column).as_str().into()),
            several => node.set("columns", Node::texts(&several.iter().map(|c| name::written(c)).collect::<Vec<_>>())),
        }
        node.set("kind", kind.name.into());
        if label != labels::field_label(&name) {
            node.set("label", label.as_str().into());
        }
        let flag = |on: bool| on.then(|| Node::from(true));
        let value_kind = first.map_or(Kind::Text, |c| c.column_type.kind);
        let bound = |text: &Option<String>| text.as_ref().filter(|_| values.is_empty()).map(|t| scalar(t, value_kind));
        let longest = declared.longest.filter(|_| target.is_none() && values.is_empty());
        let decimals = first.and_then(|c| c.column_type.scale).filter(|s| *s > 0 && ["decimal", "money", "percent"].contains(&kind.name));
        let node = node
            .with_some("lookup", key.zip(target.as_ref()).map(|(key, (entity, _))| lookup(names, key, entity)))
            .with_some("choices", (!values.is_empty()).then(|| choices(values, value_kind)))
            .with_some("help", comment.filter(|_| own_label.is_none()).map(Node::text))
            .with_some("required", flag(required))
            .with_some("unique", flag(unique))
            .with_some("min", bound(&declared.least))
            .with_some("max", bound(&declared.greatest))
            .with_some("max_length", longest.map(Node::from))
            .with_some("default", default)
            .with_some("decimals", decimals.map(|d| Node::from(i64::from(d))))
            .with_some("unit", unit.as_deref().map(Node::from))
            .with_some("total", is_measure.then(|| "sum".into()))
            .with_some("show_as", (kind.name == "image").then(|| "thumbnail".into()))
            .with_some("sensitive", flag(is_sensitive && !hidden))
            .with_some("hidden", flag(hidden))
            .with_some("read_only", flag(kept));
        FieldDraft {
            is_address: columns.len() == 1 && labels::is_address(&spoken, conventions) && !hidden,
            spoken,
            begins: labels::first_word(&label),
            indexed,
            unique: table.is_unique(&columns),
            surrogate: is_key && database_fills || is_version && kept,
            is_version,
            secret: is_sensitive,
            record_keeping: is_record,
            supplied: target.is_none() && first.is_some_and(Column::is_supplied),
            machine_made: first.is_some_and(labels::is_machine_made),
            guessed: reference.is_some_and(|r| r.is_guess),
            name,
            label,
            columns,
            kind,
            hidden,
            required,
            kept,
            target,
            is_measure,
            node,
        }
    }
}

/// Whether a foreign key holds one of the columns, whatever it points at.
fn is_reference(table: &Table, columns: &[String]) -> bool {
    table.foreign_keys.iter().any(|key| columns.iter().any(|c| name::contains(&key.columns, c)))
}

fn related(names: &Names<'_>, entity: &str, linked: &Linked<'_>, taken: &[String]) -> Option<FieldDraft> {
    let target = names.in_use.entity(&linked.there.table)?.to_owned();
    let table = names.schema.table(&linked.there.table)?.name.clone();
    let name = field_name(names.in_use, entity, linked, taken, names.conventions);
    let written = |columns: &[String]| Node::texts(&columns.iter().map(|c| name::written(c)).collect::<Vec<_>>());
    let related = Node::table()
        .with("entity", target.as_str().into())
        .with("through", name::written(&linked.table.name).as_str().into())
        .with("here", written(&linked.here.columns))
        .with("there", written(&linked.there.columns))
        .with_some("here_value", pointed_at(names, linked.here))
        .with_some("there_value", pointed_at(names, linked.there));
    let label = labels::field_label(&name);
    let node = Node::table().with("kind", "related".into()).with("related", related);
    Some(FieldDraft {
        name,
        label,
        columns: Vec::new(),
        kind: FieldKind::named("related"),
        hidden: false,
        required: false,
        unique: false,
        kept: false,
        surrogate: false,
        is_version: false,
        secret: false,
        record_keeping: false,
        supplied: false,
        machine_made: false,
        guessed: false,
        target: Some((target, table)),
        is_address: false,
        spoken: String::new(),
        begins: None,
        is_measure: false,
        indexed: false,
        node,
    })
}

fn lookup(names: &Names<'_>, key: &ForeignKey, entity: &str) -> Node {
    Node::table().with("entity", entity.into()).with_some("value", pointed_at(names, key))
}

/// The columns that a foreign key points at, where they aren't the key of the entity there.
fn pointed_at(names: &Names<'_>, key: &ForeignKey) -> Option<Node> {
    let target = names.schema.table(&key.table)?;
    let value = key.target_columns(target);
    let fold = |columns: &[String]| -> Vec<String> { columns.iter().map(|c| name::fold(c)).collect() };
    let is_key = fold(value) == fold(&entity_key(target));
    (!is_key).then(|| Node::texts(&value.iter().map(|c| name::written(c)).collect::<Vec<_>>()))
}

fn choices(values: &[String], kind: Kind) -> Node {
    let choice = |value: &String| Node::table().with("value", scalar(value, kind)).with("label", labels::of_value(value).as_str().into());
    Node::new(Value::List(values.iter().map(choice).collect()))
}

#[cfg(test)]
mod tests {
    #[test]
    fn fields_are_drafted_from_types_names_keys_and_constraints() {
        crate::testkit::draft_as_said(
            r#"
# The type, and how long it may be.
then keeper/field.last_name.kind = "text"
then keeper/field.last_name.max_length = 60
then keeper/field.last_name.required = true
then keeper/field.born_on.kind = "date"
then keeper/field.age.kind = "number"
then keeper/field.phone.required gone

# The name, where it says more than the type.
before keeper + email text; photo bytes; website text; notes text
then keeper/field.phone.kind = "phone"
then keeper/field.email.kind = "email"
then keeper/field.website.kind = "url"
then keeper/field.photo.kind = "image"

# What the database checks, the form checks.
before keeper + check age >= 16; check age <= 99
then keeper/field.age.min = 16
then keeper/field.age.max = 99

before keeper + check phone IN ('home', 'work')
then keeper/field.phone.kind = "choice"
then keeper/field.phone.choices[1].value = "work"

# A reference is a lookup, by the entity's key or by what it says.
then visit/field.keeper.kind = "lookup"
then visit/field.keeper.lookup = { entity = "keeper" }
then keeper/field.region_code.lookup = { entity = "region", value = ["code"] }

# A key that refers to a record is no number of the database's own: SQLite would make up another record's.
before room: id integer key numbered; name text required
before lamp: room_id integer key numbered -> room; watts integer
then lamp/field.room.kind = "lookup"
then lamp/field.room.required = true
then lamp/field.room.read_only gone
then lamp/page.add.sections[0].fields[0] = "room"
then lamp/page.list.fields[0] = "room"

# A join table over what else tells records apart links them by that.
before tag: id integer key numbered; code text(8) required unique
before keeper_tag: keeper_id integer key -> keeper; tag_code text(8) key -> tag.code
then keeper/field.tags.related = { entity = "tag", through = "keeper_tag", here = ["keeper_id"], there = ["tag_code"], there_value = ["code"] }
then tag/field.keepers.related.here_value = ["code"]

# What the database writes itself is only shown.
before keeper + full_name text generated last_name
then keeper/field.full_name.read_only = true

# What looks sensitive is hidden from the start: by words, so that a setting isn't.
before keeper + iban text; resetToken text; passwd_min_length integer; tokenizer text; secret_answer text; passwordhash text; api_keys text
then keeper/field.secret_answer.hidden = true
then keeper/field.passwordhash.hidden = true
then keeper/field.api_keys.hidden = true
then keeper/field.iban.hidden = true
then keeper/field.resettoken.hidden = true
then keeper/field.passwd_min_length.hidden gone
then keeper/field.tokenizer.hidden gone

# A name says what the value is by the word it ends with, but for which one it is.
before keeper + email_subject text; mail_host text; work_email text; phone_home text; logo_url text; thumbnail_type text; fax_no text
then keeper/field.email_subject.kind = "text"
then keeper/field.mail_host.kind = "text"
then keeper/field.work_email.kind = "email"
then keeper/field.phone_home.kind = "phone"
then keeper/field.logo_url.kind = "image"
then keeper/field.thumbnail_type.kind = "text"
then keeper/field.fax_no.kind = "phone"

# What applications note for themselves, under many names: on no form.
before keeper + modified_when moment; modified_by text; lastUpdated moment; created moment; date_modified moment; changed text
then keeper/field.modified_when.read_only = true
then keeper/field.modified_by.read_only = true
then keeper/field.lastupdated.read_only = true
then keeper/field.created.read_only = true
then keeper/field.date_modified.read_only = true
then keeper/field.changed.read_only gone

# A prefix that every column has says nothing; words that run together are taken apart.
before club: cl_id integer key numbered; cl_name text(40) required; cl_firstname text(40); cl_duedate date
then club/field.cl_name.label = "Name"
then club/field.cl_firstname.label = "First name"
then club/field.cl_duedate.label = "Due date"

before keeper + unique phone
then keeper/field.phone.unique = true

# The members of a set can be chosen together, or none of them.
on mariadb
before keeper + moods set('calm','hot') required
then keeper/field.moods.kind = "list"
then keeper/field.moods.choices[1].value = "hot"
then keeper/field.moods.required gone
"#,
        );
    }
}
