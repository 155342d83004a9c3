//! The format itself: every key of every file, what it may hold, and what it is for. A new key is a row here.

use super::shape::{Key, OnGone, Role, Shape};

const fn key(name: &'static str, shape: Shape, doc: &'static str) -> Key {
    Key { name, shape, on_gone: OnGone::Remove, doc }
}

const fn gone(name: &'static str, shape: Shape, on_gone: OnGone, doc: &'static str) -> Key {
    Key { name, shape, on_gone, doc }
}

const OWN_SQL: Shape = Shape::Condition { of_target: false };

/// Every kind a field may have.
pub const FIELD_KINDS: &[&str] = &super::kinds::NAMES;

/// Every kind a page may have.
pub const PAGE_KINDS: &[&str] = &super::PageKind::NAMES;

/// What a list page may offer.
pub const ACTIONS: &[&str] = &["add", "edit", "delete", "import", "export"];

/// How a column of a grouped page is summed up.
pub const TOTALS: &[&str] = &["sum", "average", "least", "greatest", "count"];

/// How a value may be drawn.
pub const SHOWN_AS: &[&str] = &["text", "thumbnail", "link", "bar", "badge", "map"];

/// Kinds of files an export may make.
pub const FILE_FORMATS: &[&str] = &["csv", "xlsx", "pdf", "json"];

/// `app/app.toml`
pub static APP: Shape = Shape::Record(&[
    key("title", Shape::Text, "What the application is called."),
    key(
        "role",
        Shape::Named(&Shape::Record(&[
            key("label", Shape::Text, "What people call the role."),
            key("database_role", Shape::Text, "The database's role whose grants and row policies apply."),
        ])),
        "Who uses the application. Without any role everything is allowed; with roles, everything has to be granted.",
    ),
    key(
        "parameter",
        Shape::Named(&Shape::Record(&[
            key("kind", Shape::Word(FIELD_KINDS), "What kind of value it is."),
            key("label", Shape::Text, "What it means."),
        ])),
        "Values that SQL may use as :NAME; :today, :now and :user_name always exist.",
    ),
    key(
        "menu",
        Shape::Records {
            by: &["label"],
            keys: &[
                key("label", Shape::Text, "What the group is called."),
                key("items", Shape::Set(Role::MenuItem), "Entities (their list page), or entity/page."),
            ],
        },
        "The menu, group by group.",
    ),
]);

const LABEL: Shape =
    Shape::Record(&[key("one", Shape::Text, "What one record is called."), key("many", Shape::Text, "What several are called.")]);

const LOOKUP: Shape = Shape::Record(&[
    gone("entity", Shape::Name(Role::Entity), OnGone::DraftLookup, "The entity it points at."),
    gone(
        "value",
        Shape::Names(Role::TargetColumn),
        OnGone::DraftLookup,
        "The target's columns that the field's columns hold, in their order; its key if absent.",
    ),
    gone("show", Shape::Template { of_target: true }, OnGone::Draft, "What is shown; the target's title if absent."),
    key("order", Shape::Set(Role::TargetSortField), "The target's fields that choices are sorted by; - before one for descending."),
    gone("where", Shape::Condition { of_target: true }, OnGone::Deny, "Which records can be chosen: SQL over the target's columns."),
    key("create", Shape::Bool, "Whether a form may make a new record of the target."),
]);

const RELATED: Shape = Shape::Record(&[
    gone("entity", Shape::Name(Role::Entity), OnGone::RemoveField, "The entity whose records are linked."),
    gone("through", Shape::Name(Role::Table), OnGone::RemoveField, "The join table."),
    gone("here", Shape::Names(Role::ThroughColumn), OnGone::RemoveField, "The join table's columns that point at this entity."),
    gone("there", Shape::Names(Role::ThroughColumn), OnGone::RemoveField, "The join table's columns that point at the other entity."),
    gone(
        "here_value",
        Shape::Names(Role::Column),
        OnGone::RemoveField,
        "This entity's columns that `here` holds, in their order; its key if absent.",
    ),
    gone(
        "there_value",
        Shape::Names(Role::TargetColumn),
        OnGone::RemoveField,
        "The other entity's columns that `there` holds, in their order; its key if absent.",
    ),
    gone("show", Shape::Template { of_target: true }, OnGone::Draft, "What is shown; the other entity's title if absent."),
]);

const CHOICE: &[Key] = &[
    key("value", Shape::Scalar, "The value as the database holds it."),
    key("label", Shape::Text, "What people read for it; the value's words if absent."),
];

static FIELD: Shape = Shape::Record(&[
    gone("column", Shape::Name(Role::Column), OnGone::RemoveParent, "Its column."),
    gone("columns", Shape::Names(Role::Column), OnGone::RemoveParent, "The columns of a composite reference."),
    key("kind", Shape::Word(FIELD_KINDS), "What kind of value it is."),
    key("label", Shape::Text, "What people call it; its name's words if absent."),
    key("help", Shape::Text, "A sentence below it on forms."),
    gone("formula", OWN_SQL, OnGone::RemoveParent, "SQL over this table's columns that gives its value."),
    key("lookup", LOOKUP, "The record of another entity it points at."),
    key("related", RELATED, "Records of another entity linked by a join table."),
    key("choices", Shape::Records { by: &["value"], keys: CHOICE }, "The values it may have."),
    key("required", Shape::Bool, "Whether a form must give a value."),
    key("unique", Shape::Bool, "Whether no two records may have the same value."),
    key("min", Shape::Scalar, "The least value."),
    key("max", Shape::Scalar, "The greatest value."),
    key("max_length", Shape::Int, "The most characters."),
    key("pattern", Shape::Text, "A regular expression its text must match."),
    key("default", Shape::Scalar, "What a form starts with."),
    key("decimals", Shape::Int, "Digits after the point."),
    key("unit", Shape::Text, "The unit people read after it."),
    key("total", Shape::Word(TOTALS), "How a grouped page sums it up."),
    key("show_as", Shape::Word(SHOWN_AS), "How its value is drawn."),
    key("accept", Shape::Set(Role::Word(&[])), "File types it takes, as in image/png."),
    key("sensitive", Shape::Bool, "Whether its value is nobody's business: masked, and never exported."),
    key("hidden", Shape::Bool, "Whether it is in no statement and on no page."),
    key("read_only", Shape::Bool, "Whether forms only show it."),
]);

const CHILD: &[Key] = &[
    gone("entity", Shape::Name(Role::Entity), OnGone::RemoveParent, "The entity whose records belong to this one."),
    gone("by", Shape::Name(Role::TargetField), OnGone::RemoveParent, "Its lookup that points here."),
    key("fields", Shape::Set(Role::TargetField), "Its fields to show."),
    key("sort", Shape::Set(Role::TargetSortField), "Its fields to sort by; - before one for descending."),
];

static PAGE: Shape = Shape::Record(&[
    key("kind", Shape::Word(PAGE_KINDS), "What kind of page it is; its name where that is a kind."),
    key("label", Shape::Text, "What people call it."),
    key("group", Shape::Set(Role::Field), "Fields a grouped page groups by."),
    key("fields", Shape::Set(Role::Field), "The fields on it, in their order."),
    key(
        "sections",
        Shape::Records {
            by: &["title"],
            keys: &[
                key("title", Shape::Text, "What the section is called."),
                key("fields", Shape::Set(Role::Field), "The fields in it, in their order."),
            ],
        },
        "The fields on it, section by section.",
    ),
    key("search", Shape::Set(Role::Field), "Fields that a search looks through."),
    key("filter", Shape::Set(Role::Field), "Fields it can be filtered by."),
    key("sort", Shape::Set(Role::SortField), "Fields it is sorted by; - before one for descending."),
    key("page_size", Shape::Int, "Records on a page; 25 if absent."),
    key("actions", Shape::Set(Role::Word(ACTIONS)), "What it offers; add, edit, delete and export if absent."),
    gone("where", OWN_SQL, OnGone::Deny, "A condition its records must meet: SQL over this table's columns."),
    key("children", Shape::Records { by: &["entity", "by"], keys: CHILD }, "Lists of the records that belong to this one."),
]);

static ACCESS: Shape = Shape::Record(&[
    key("read", Shape::Bool, "Whether the role sees records."),
    key("add", Shape::Bool, "Whether it adds them."),
    key("edit", Shape::Bool, "Whether it changes them."),
    key("delete", Shape::Bool, "Whether it deletes them."),
    gone("rows", OWN_SQL, OnGone::Deny, "Which records: SQL over this table's columns."),
    key("hide", Shape::Set(Role::Field), "Fields the role never sees."),
    key("read_only", Shape::Set(Role::Field), "Fields the role never changes."),
    key("pages", Shape::Set(Role::Page), "The only pages the role has; all if absent."),
]);

const WRITE: Shape = Shape::Record(&[
    key("routine", Shape::Name(Role::Routine), "A routine of the database that does it."),
    key("arguments", Shape::Named(&Shape::Name(Role::Field)), "The routine's arguments: name to field."),
    gone("sql", Shape::Statement, OnGone::Ask, "SQL that does it: :FIELD is a field's value, :key_COLUMN a key's."),
]);

/// `app/NAME.toml`
pub static ENTITY: Shape = Shape::Record(&[
    gone("table", Shape::Name(Role::Table), OnGone::RemoveFile, "Its table or view."),
    gone("key", Shape::Names(Role::Column), OnGone::Draft, "The columns that tell its records apart."),
    key("version", Shape::Name(Role::Column), "The column that tells whether a record was changed meanwhile."),
    gone("title", Shape::Template { of_target: false }, OnGone::Draft, "How a record is called: {field} or {lookup.field}."),
    key("label", LABEL, "What one record and what several are called."),
    key("read_only", Shape::Bool, "Whether nothing can be saved."),
    key("left_out", Shape::Set(Role::Column), "Columns deliberately not used: never offered again."),
    key("field", Shape::Named(&FIELD), "Its fields."),
    key(
        "check",
        Shape::Named(&Shape::Record(&[
            gone("rule", OWN_SQL, OnGone::RemoveParent, "What must hold: SQL over this table's columns."),
            key("message", Shape::Text, "What is said where it doesn't."),
        ])),
        "Validations over several fields.",
    ),
    key("page", Shape::Named(&PAGE), "Its pages."),
    key(
        "source",
        Shape::Record(&[
            gone("select", Shape::Statement, OnGone::Ask, "A SELECT whose result stands in for the table."),
            key("insert", WRITE, "How a record is added."),
            key("update", WRITE, "How a record is changed."),
            key("delete", WRITE, "How a record is deleted."),
        ]),
        "Where the data comes from and goes to, if not straight from and to the table.",
    ),
    key(
        "import",
        Shape::Named(&Shape::Record(&[
            gone("key", Shape::Names(Role::Column), OnGone::RemoveParent, "The columns existing records are found by."),
            key("columns", Shape::Named(&Shape::Name(Role::Field)), "The file's headings: heading to field."),
            key("create_missing", Shape::Set(Role::Field), "Lookups whose unknown values become new records."),
        ])),
        "Files it takes records from.",
    ),
    key(
        "export",
        Shape::Named(&Shape::Record(&[
            key("fields", Shape::Set(Role::Field), "The fields written, in their order."),
            key("formats", Shape::Set(Role::Word(FILE_FORMATS)), "Kinds of files."),
        ])),
        "Files it writes.",
    ),
    key(
        "outward",
        Shape::Record(&[
            key("name", Shape::Text, "What remote clients call it."),
            key("fields", Shape::ByField(&Shape::Text), "What they call its fields: field to name; others keep theirs."),
            key("hide", Shape::Set(Role::Field), "Fields they never see."),
        ]),
        "What remote clients see.",
    ),
    key("access", Shape::Named(&ACCESS), "What each role may do; a role without a table here may do nothing."),
]);

/// `ysomorph.toml`
pub static WORKSPACE: Shape = Shape::Record(&[
    key("format", Shape::Int, "The version of this format: 1."),
    key(
        "database",
        Shape::Record(&[
            key("url", Shape::Text, "sqlite:FILE, postgres://…, mysql://… or snapshot:FILE; ${NAME} is taken from the environment."),
            key("schemas", Shape::Set(Role::Word(&[])), "The schemas read; the first is home and carries no name."),
            key(
                "tables",
                Shape::Record(&[
                    key("include", Shape::Set(Role::Word(&[])), "Patterns of the tables that are shown."),
                    key("exclude", Shape::Set(Role::Word(&[])), "Patterns of those that aren't."),
                ]),
                "Which tables the application shows.",
            ),
        ]),
        "The database.",
    ),
    key(
        "conventions",
        Shape::Record(&[
            key("label_case", Shape::Word(&["sentence", "title", "lower"]), "How labels are written."),
            key("abbreviations", Shape::Named(&Shape::Text), "Words of names written out in labels."),
            key("languages", Shape::Set(Role::Word(&[])), "Languages, the definition's own first."),
            key("list_fields", Shape::Int, "The most fields on a drafted list page."),
            key("kinds", Shape::Named(&Shape::Word(FIELD_KINDS)), "Column type to field kind."),
            key("name_kinds", Shape::Named(&Shape::Word(FIELD_KINDS)), "Pattern of column names to field kind, before what types say."),
            key(
                "titles",
                Shape::Set(Role::Word(&[])),
                "Columns that a record is called by, by pattern, the best first; several together with commas (`last_name, first_name`).",
            ),
            key("searches", Shape::Set(Role::Word(&[])), "Columns that people search, by pattern, beside what is unique or has an index."),
            key("address", Shape::Set(Role::Word(&[])), "Columns of an address, by pattern: they stay together."),
            key("units", Shape::Named(&Shape::Text), "Units that column names end with, as people write them."),
            key(
                "totals",
                Shape::Set(Role::Word(&[])),
                "Columns that are added up, by pattern, beside money and weights, volumes or distances by their unit.",
            ),
            key("join_tables", Shape::Set(Role::Word(&[])), "Tables that may become related sets, by pattern; none with []."),
            key(
                "references_by_name",
                Shape::Bool,
                "Whether a column called like another table and its key is a lookup where no foreign key is declared.",
            ),
            key("technical", Shape::Set(Role::Word(&[])), "Tables that the application keeps for itself, by pattern: last in the menu."),
            key("pages", Shape::Set(Role::Word(PAGE_KINDS)), "Kinds of pages that are drafted."),
            key("menu", Shape::Word(&["top", "all"]), "Which entities the menu offers: those whose records stand for themselves, or all."),
            key("version_columns", Shape::Set(Role::Word(&[])), "Columns that count changes, by pattern."),
            key("sensitive", Shape::Set(Role::Word(&[])), "Columns hidden from the start, by pattern."),
            key("record_keeping", Shape::Set(Role::Word(&[])), "Columns kept by the database or the application, by pattern."),
        ]),
        "How drafts are made.",
    ),
    key(
        "merge",
        Shape::Record(&[
            key("renames", Shape::Word(&["certain", "ask", "likely"]), "Which renames are taken without asking."),
            key("new_fields", Shape::Word(&["ask", "append", "leave-out"]), "What new fields do on pages laid out by hand."),
            key("field_names", Shape::Word(&["keep", "follow"]), "Whether a field's name follows its column's."),
        ]),
        "How merges are made.",
    ),
    key(
        "code",
        Shape::Record(&[key("roots", Shape::Set(Role::Word(&[])), "Folders of hand-written code.")]),
        "Hand-written code that is searched for old names.",
    ),
]);
