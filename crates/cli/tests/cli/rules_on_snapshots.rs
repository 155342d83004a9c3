//! Rules about changes, each firing and silent on its nearest neighbour: on snapshots, since no engine makes every change.

use crate::rules::{Expected, SQL, judge, prepared};

/// Pieces of text and what stands in their place.
type Edits = &'static [(&'static str, &'static str)];

/// Rule; edits of the definition (`FILE|` before a piece of another file than keeper.toml); edits of both schemas; edits of
/// the changed one; whether it fires.
pub type Case = (&'static str, Edits, Edits, Edits, Expected);

const PHONE: &str = r#""name": "phone", "type": { "kind": "text", "size": 20, "original": "VARCHAR(20)" }"#;
const NUMBERS: (&str, &str) = (
    "  \"tables\": [",
    r#"  "catalogue": { "database": "one", "tables": [{ "table": "keeper", "number": 1, "columns": { "id": 1, "last_name": 2, "phone": 3, "region_code": 4, "born_on": 5, "age": 6 } }] },
  "tables": ["#,
);
const SWAPPED: (&str, &str) = (r#""last_name": 2, "phone": 3"#, r#""last_name": 3, "phone": 2"#);
const PHONE_JSON: &str = r#""name": "phone", "type": { "kind": "json", "original": "json" }"#;
const PHONE_JSONB: &str = r#""name": "phone", "type": { "kind": "json", "original": "jsonb" }"#;
const LINK: &str = r#""type": { "kind": "integer", "original": "INTEGER" }, "nullable": false },
        { "name": "day""#;
const LINK_JSON: &str = r#""type": { "kind": "json", "original": "json" }, "nullable": false },
        { "name": "day""#;
const AGE: &str = r#""name": "age", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true }
      ],
      "primary_key""#;
const KEEPER_KEY: &str = r#""primary_key": ["id"],
      "foreign_keys": [
        { "columns": ["region_code"]"#;
const UNIQUE_NAME: (&str, &str) = (
    KEEPER_KEY,
    r#""primary_key": ["id"],
      "uniques": [{ "columns": ["last_name"] }],
      "foreign_keys": [
        { "columns": ["region_code"]"#,
);
const NO_UNIQUE: (&str, &str) = (r#""uniques": [{ "columns": ["last_name"] }],"#, "");
const NO_UNIQUE_CODE: (&str, &str) = (
    r#",
      "uniques": [
        { "columns": ["code"] }
      ]"#,
    "",
);
const NO_KEY: (&str, &str) = (
    r#""primary_key": ["id"],
      "foreign_keys": [
        { "columns": ["region_code"], "table": "region", "to": ["code"] }
      ]"#,
    r#""primary_key": ["id"]"#,
);
const CASCADES: (&str, &str) = (r#""to": ["code"]"#, r#""to": ["code"], "on_delete": "CASCADE""#);
const OTHER_TARGET: (&str, &str) = (r#""table": "region", "to": ["code"]"#, r#""table": "visit", "to": ["id"]"#);
const POSTGRESQL: (&str, &str) = (r#""engine": "sqlite""#, r#""engine": "postgresql""#);
const ROUTINE: (&str, &str) = (
    "  \"tables\": [",
    r#"  "routines": [{ "name": "calls", "kind": "function", "language": "sql", "body": "SELECT phone FROM keeper" }],
  "tables": ["#,
);
const EVENT: (&str, &str) = (
    "  \"tables\": [",
    r#"  "events": [{ "name": "tidy", "schedule": "every 1 day", "body": "DELETE FROM keeper WHERE phone IS NULL" }],
  "tables": ["#,
);
/// A harmless neighbour of most changes.
const LONGER_NOTE: (&str, &str) = (
    r#""size": 40, "original": "VARCHAR(40)" }, "nullable": true }
      ],
      "primary_key": ["id"],
      "foreign_keys": [
        { "columns": ["keeper_id"]"#,
    r#""size": 60, "original": "VARCHAR(60)" }, "nullable": true }
      ],
      "primary_key": ["id"],
      "foreign_keys": [
        { "columns": ["keeper_id"]"#,
);
const NEW_COLUMN: (&str, &str) = (
    AGE,
    r#""name": "age", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true },
        { "name": "shoe", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true }
      ],
      "primary_key""#,
);
const NEW_CALL: (&str, &str) = (
    AGE,
    r#""name": "age", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true },
        { "name": "call", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true }
      ],
      "primary_key""#,
);
const NEW_IBAN: (&str, &str) = (
    AGE,
    r#""name": "age", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true },
        { "name": "iban", "type": { "kind": "text", "original": "TEXT" }, "nullable": true }
      ],
      "primary_key""#,
);
const PO: &str = "po|msgid \"\"\nmsgstr \"Content-Type: text/plain; charset=UTF-8\\n\"\n\n";

/// A column of the table keeper with other text behind its name.
macro_rules! keeper {
    ($more:literal) => {
        (
            KEEPER_KEY,
            concat!("\"primary_key\": [\"id\"],\n      ", $more, "\n      \"foreign_keys\": [\n        { \"columns\": [\"region_code\"]"),
        )
    };
}
const CHECK_AGE: (&str, &str) = keeper!(r#""checks": [{ "expression": "age >= 1" }],"#);
const CHOICES: Edits = &[("kind = \"phone\"", "kind = \"choice\"\nchoices = [{ value = \"a\" }, { value = \"b\" }]")];
const CHECK_CHOICES: (&str, &str) = keeper!(r#""checks": [{ "expression": "phone IN ('a', 'b')" }],"#);
const INDEX: (&str, &str) = keeper!(r#""indexes": [{ "name": "i", "parts": [{ "column": "born_on" }] }],"#);
const OUTWARD: Edits = &[("[page.list]", "[outward]\nname = \"members\"\n\n[page.list]")];
const IMPORT: Edits = &[("[page.list]", "[import.sheet]\nkey = [\"last_name\"]\ncolumns = { \"Name\" = \"last_name\" }\n\n[page.list]")];

#[rustfmt::skip]
pub const CASES: &[Case] = &[
    ("page/key-changed", &[("key = [\"id\"]", "key = [\"last_name\"]")], &[UNIQUE_NAME], &[NO_UNIQUE], Some("risk")),
    ("page/key-changed", &[], &[UNIQUE_NAME], &[NO_UNIQUE], None),
    ("page/column-replaced", &[], &[NUMBERS], &[SWAPPED], Some("risk")),
    ("page/column-replaced", &[], &[NUMBERS], &[LONGER_NOTE], None),
    ("page/key-changed", &[("key = [\"id\"]", "key = [\"phone\"]")], &[POSTGRESQL], &[(PHONE, PHONE_JSON)], Some("break")),
    ("page/key-changed", &[("key = [\"id\"]", "key = [\"phone\"]")], &[POSTGRESQL], &[(PHONE, PHONE_JSONB)], None),
    ("page/child-link-missing", &[], &[POSTGRESQL], &[(LINK, LINK_JSON)], Some("break")),
    ("page/child-link-missing", &[], &[], &[(LINK, LINK_JSON)], None),
    ("page/search-type", &[], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "binary", "original": "BLOB" }"#)], Some("risk")),
    ("page/search-type", &[], &[], &[(r#""kind": "date", "original": "DATE" }, "nullable": true"#, r#""kind": "binary", "original": "BLOB" }, "nullable": true"#)], None),
    ("page/empty", &[("[page.bulk]\nfields = [\"region_code\"]", "[page.bulk]\nfields = [\"age\"]")], &[], &[(r#"        { "name": "age", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true }
      ],
      "primary_key""#, r#"        { "name": "shoe", "type": { "kind": "text", "original": "TEXT" }, "nullable": false }
      ],
      "primary_key""#)], Some("risk")),
    ("page/empty", &[], &[], &[(r#"        { "name": "age", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": true }
      ],
      "primary_key""#, r#"        { "name": "shoe", "type": { "kind": "text", "original": "TEXT" }, "nullable": false }
      ],
      "primary_key""#)], None),
    ("page/field-unplaced", &[], &[], &[NEW_COLUMN], Some("note")),
    ("page/field-unplaced", &[], &[], &[LONGER_NOTE], None),
    ("page/index-lost", &[], &[INDEX], &[(r#""indexes": [{ "name": "i", "parts": [{ "column": "born_on" }] }],"#, "")], Some("risk")),
    ("page/index-lost", &[("filter = [\"region_code\", \"born_on\"]", "filter = [\"region_code\"]"), ("filter = [\"region_code\", \"born_on\"]", "filter = [\"region_code\"]")], &[INDEX], &[(r#""indexes": [{ "name": "i", "parts": [{ "column": "born_on" }] }],"#, "")], None),
    ("page/name-case", &[], &[], &[(r#""name": "phone""#, r#""name": "phone no""#)], Some("risk")),
    ("page/name-case", &[], &[], &[(r#""name": "phone""#, r#""name": "phone_no""#)], None),
    ("page/view-changed", &[], &[], &[("age FROM keeper", "age FROM keeper WHERE age > 17")], Some("risk")),
    ("page/view-changed", &[], &[], &[("age FROM keeper", "age + 0 AS age FROM keeper")], None),
    ("lookup/no-longer-enforced", &[], &[], &[NO_KEY], Some("risk")),
    ("lookup/no-longer-enforced", &[], &[], &[CASCADES], None),
    ("lookup/target-changed", &[], &[], &[OTHER_TARGET], Some("risk")),
    ("lookup/target-changed", &[], &[], &[CASCADES], None),
    ("lookup/not-unique", &[], &[], &[NO_UNIQUE_CODE], Some("risk")),
    ("lookup/not-unique", &[], &[], &[NO_KEY], None),
    ("lookup/available", &[], &[], &[(r#"{ "columns": ["region_code"]"#, r#"{ "columns": ["age"], "table": "region", "to": ["id"] }, { "columns": ["region_code"]"#)], Some("note")),
    ("lookup/available", &[], &[], &[OTHER_TARGET], None),
    ("lookup/delete-rule-changed", &[], &[], &[CASCADES], Some("risk")),
    ("lookup/delete-rule-changed", &[], &[], &[(r#""to": ["code"]"#, r#""to": ["code"], "on_delete": "SET NULL""#)], Some("note")),
    ("lookup/delete-rule-changed", &[], &[], &[OTHER_TARGET], None),
    ("lookup/type-mismatch", &[], &[], &[(r#""name": "code", "type": { "kind": "text", "size": 8, "original": "VARCHAR(8)" }"#, r#""name": "code", "type": { "kind": "integer", "original": "INTEGER" }"#)], Some("risk")),
    ("lookup/type-mismatch", &[], &[POSTGRESQL], &[(r#""name": "code", "type": { "kind": "text", "size": 8, "original": "VARCHAR(8)" }"#, r#""name": "code", "type": { "kind": "integer", "original": "INTEGER" }"#)], Some("break")),
    ("lookup/type-mismatch", &[], &[POSTGRESQL], &[(r#""name": "code", "type": { "kind": "text", "size": 8, "original": "VARCHAR(8)" }"#, r#""name": "code", "type": { "kind": "text", "size": 9, "original": "VARCHAR(9)" }"#)], None),
    // The column has the same name at both ends.
    ("lookup/type-mismatch", &[("value = [\"code\"]", "value = [\"region_code\"]"), ("region.toml|column = \"code\"", "column = \"region_code\"")],
        &[POSTGRESQL, ("\"name\": \"code\"", "\"name\": \"region_code\""), ("[\"code\"] }\n      ]\n    },\n    {\n      \"name\": \"region\"", "[\"region_code\"] }\n      ]\n    },\n    {\n      \"name\": \"region\""), ("{ \"columns\": [\"code\"] }", "{ \"columns\": [\"region_code\"] }")],
        &[(r#""name": "region_code", "type": { "kind": "text", "size": 8, "original": "VARCHAR(8)" }, "nullable": false"#, r#""name": "region_code", "type": { "kind": "integer", "original": "INTEGER" }, "nullable": false"#)], Some("break")),
    ("lookup/choice-gone", CHOICES, &[CHECK_CHOICES], &[("IN ('a', 'b')", "IN ('a', 'c')")], Some("risk")),
    ("lookup/choice-gone", &[("kind = \"phone\"", "kind = \"choice\"\nrequired = true\nchoices = [{ value = \"a\" }, { value = \"b\" }]")], &[CHECK_CHOICES], &[("IN ('a', 'b')", "IN ('c')")], Some("break")),
    ("lookup/choice-gone", CHOICES, &[CHECK_CHOICES], &[("IN ('a', 'b')", "IN ('a', 'b', 'c')")], None),
    ("lookup/choice-new", CHOICES, &[CHECK_CHOICES], &[("IN ('a', 'b')", "IN ('a', 'b', 'c')")], Some("note")),
    ("lookup/choice-new", CHOICES, &[CHECK_CHOICES], &[("IN ('a', 'b')", "IN ('a')")], None),
    ("lookup/cycle", &[("title = \"{last_name}\"", "title = \"{age}\""), ("kind = \"number\"\n\n[field.regions]", "kind = \"lookup\"\nlookup = { entity = \"visit\" }\n\n[field.regions]")], &[], &[], Some("risk")),
    ("lookup/cycle", &[("kind = \"number\"\n\n[field.regions]", "kind = \"lookup\"\nlookup = { entity = \"visit\" }\n\n[field.regions]")], &[], &[], None),
    ("label/stale", &[("kind = \"phone\"", "kind = \"phone\"\nlabel = \"Phone line\"")], &[], &[(r#""name": "phone""#, r#""name": "mobile""#)], Some("risk")),
    ("label/stale", &[("kind = \"phone\"", "kind = \"phone\"\nlabel = \"Call me\"")], &[], &[(r#""name": "phone""#, r#""name": "mobile""#)], None),
    ("label/duplicate", &[("kind = \"phone\"", "kind = \"phone\"\nlabel = \"Call\"")], &[], &[NEW_CALL], Some("risk")),
    ("label/duplicate", &[("kind = \"phone\"", "kind = \"phone\"\nlabel = \"Age\"")], &[], &[], Some("risk")),
    ("label/duplicate", &[("kind = \"phone\"", "kind = \"phone\"\nlabel = \"Call\"")], &[], &[NEW_COLUMN], None),
    ("label/untranslated", &[(PO, "msgctxt \"keeper/field/phone/label\"\nmsgid \"Phone\"\nmsgstr \"\"\n")], &[], &[], Some("note")),
    ("label/untranslated", &[(PO, "msgctxt \"keeper/field/phone/label\"\nmsgid \"Phone\"\nmsgstr \"Telefon\"\n")], &[], &[NEW_COLUMN], Some("note")),
    ("label/untranslated", &[(PO, "msgctxt \"keeper/field/phone/label\"\nmsgid \"Phone\"\nmsgstr \"Telefon\"\n")], &[], &[], None),
    ("label/translation-fuzzy", &[(PO, "#, fuzzy\nmsgctxt \"keeper/field/phone/label\"\nmsgid \"Phone\"\nmsgstr \"Fax\"\n")], &[], &[], Some("note")),
    ("label/translation-fuzzy", &[(PO, "#~ msgctxt \"keeper/field/phone/label\"\n#~ msgid \"Phone\"\n#~ msgstr \"Fax\"\n")], &[], &[], None),
    ("label/comment-changed", &[("kind = \"phone\"", "kind = \"phone\"\nhelp = \"Call here\"")], &[], &[(PHONE, r#""name": "phone", "comment": "At night", "type": { "kind": "text", "size": 20, "original": "VARCHAR(20)" }"#)], Some("note")),
    ("label/comment-changed", &[], &[], &[(PHONE, r#""name": "phone", "comment": "At night", "type": { "kind": "text", "size": 20, "original": "VARCHAR(20)" }"#)], None),
    ("access/row-filter-type", &[], &[], &[(AGE, r#""name": "age", "type": { "kind": "date", "original": "DATE" }, "nullable": true }
      ],
      "primary_key""#)], Some("risk")),
    ("access/row-filter-type", &[], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "date", "original": "DATE" }"#)], None),
    ("access/row-filter-broken", &[], &[POSTGRESQL], &[(AGE, r#""name": "age", "type": { "kind": "date", "original": "DATE" }, "nullable": true }
      ],
      "primary_key""#)], Some("break")),
    ("access/sensitive-exposed", &[], &[], &[NEW_IBAN], Some("risk")),
    ("access/sensitive-exposed", &[], &[], &[NEW_COLUMN], None),
    ("access/sensitive-in-lookup", &[("title = \"{last_name}\"", "title = \"{last_name} {phone}\""), ("visit.toml|[access.everyone]", "[access.guest]\nread = true\n\n[access.everyone]")], &[], &[], Some("risk")),
    ("access/sensitive-in-lookup", &[("visit.toml|[access.everyone]", "[access.guest]\nread = true\n\n[access.everyone]")], &[], &[], None),
    ("access/page-gone", &[], &[], &[(r#""name": "visit""#, r#""name": "call_log""#)], None),
    ("access/role-unused", &[("app.toml|[role.everyone]", "[role.nobody]\n\n[role.everyone]")], &[], &[], Some("note")),
    ("access/role-unused", &[], &[], &[], None),
    ("access/grant-missing", &[("app.toml|[role.guest]", "[role.guest]\ndatabase_role = \"app_guest\"")], &[keeper!(r#""grants": [{ "to": "app_guest", "privileges": ["SELECT"] }],"#)], &[(r#""grants": [{ "to": "app_guest", "privileges": ["SELECT"] }],"#, "")], Some("break")),
    ("access/grant-missing", &[("app.toml|[role.guest]", "[role.guest]\ndatabase_role = \"app_guest\"")], &[keeper!(r#""grants": [{ "to": "app_other", "privileges": ["SELECT"] }],"#)], &[(r#""grants": [{ "to": "app_other", "privileges": ["SELECT"] }],"#, "")], None),
    ("access/row-policy-changed", &[], &[], &[keeper!(r#""policies": [{ "name": "own", "command": "select", "sees": "(age > 1)" }],"#)], Some("risk")),
    ("access/row-policy-changed", &[], &[], &[LONGER_NOTE], None),
    ("access/widened-by-view", &[], &[], &[("SELECT id, last_name, age FROM", "SELECT id, last_name, age, phone FROM")], Some("risk")),
    ("access/widened-by-view", &[], &[], &[("SELECT id, last_name, age FROM", "SELECT id, last_name, age, born_on FROM")], None),
    ("code/routine-broken", &[], &[ROUTINE], &[(r#""name": "phone""#, r#""name": "mobile""#)], Some("break")),
    ("code/routine-broken", &[], &[ROUTINE, ("\"language\": \"sql\"", "\"language\": \"plpgsql\"")], &[(r#""name": "phone""#, r#""name": "mobile""#)], Some("risk")),
    ("code/routine-broken", &[], &[ROUTINE], &[(r#""kind": "date", "original": "DATE" }, "nullable": true"#, r#""kind": "text", "original": "TEXT" }, "nullable": true"#)], None),
    ("code/event-broken", &[], &[EVENT], &[(r#""name": "phone""#, r#""name": "mobile""#)], Some("risk")),
    ("code/event-broken", &[], &[EVENT, ("\"body\": \"DELETE", "\"off\": true, \"body\": \"DELETE")], &[(r#""name": "phone""#, r#""name": "mobile""#)], None),
    ("value/required-now", &[], &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": false"#)], Some("risk")),
    ("value/required-now", &[("kind = \"phone\"", "kind = \"phone\"\nrequired = true")], &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": false"#)], None),
    ("value/optional-now", &[], &[], &[(r#""VARCHAR(60)" }, "nullable": false"#, r#""VARCHAR(60)" }, "nullable": true"#)], Some("note")),
    ("value/optional-now", &[("required = true", "")], &[], &[(r#""VARCHAR(60)" }, "nullable": false"#, r#""VARCHAR(60)" }, "nullable": true"#)], None),
    ("value/too-long", &[], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 10, "enforced": true, "original": "VARCHAR(10)" }"#)], Some("risk")),
    ("value/too-long", &[], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 10, "original": "VARCHAR(10)" }"#)], Some("note")),
    ("value/too-long", &[("max_length = 20", "max_length = 9")], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 10, "enforced": true, "original": "VARCHAR(10)" }"#)], None),
    ("value/room-gained", &[], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 30, "original": "VARCHAR(30)" }"#)], Some("note")),
    ("value/room-gained", &[("max_length = 20", "max_length = 9")], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 30, "original": "VARCHAR(30)" }"#)], None),
    ("value/type-changed", &[], &[], &[(r#""kind": "date", "original": "DATE" }, "nullable": true"#, r#""kind": "integer", "original": "INTEGER" }, "nullable": true"#)], Some("risk")),
    ("value/type-changed", &[("kind = \"date\"", "kind = \"date\"\nrequired = true")], &[], &[(r#""kind": "date", "original": "DATE" }, "nullable": true"#, r#""kind": "integer", "enforced": true, "original": "INTEGER" }, "nullable": true"#)], Some("break")),
    ("value/type-changed", &[], &[], &[(AGE, r#""name": "age", "type": { "kind": "text", "original": "TEXT" }, "nullable": true }
      ],
      "primary_key""#)], Some("note")),
    ("value/type-changed", &[], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 30, "original": "VARCHAR(30)" }"#)], None),
    ("value/precision-lost", &[], &[(AGE, r#""name": "age", "type": { "kind": "decimal", "size": 8, "scale": 2, "original": "DECIMAL(8, 2)" }, "nullable": true }
      ],
      "primary_key""#)], &[(r#""scale": 2, "original": "DECIMAL(8, 2)""#, r#""scale": 1, "original": "DECIMAL(8, 1)""#)], Some("risk")),
    ("value/precision-lost", &[], &[(AGE, r#""name": "age", "type": { "kind": "decimal", "size": 8, "scale": 2, "original": "DECIMAL(8, 2)" }, "nullable": true }
      ],
      "primary_key""#)], &[(r#""size": 8, "scale": 2, "original": "DECIMAL(8, 2)""#, r#""size": 9, "scale": 2, "original": "DECIMAL(9, 2)""#)], None),
    ("value/range-changed", &[], &[CHECK_AGE], &[("age >= 1\"", "age >= 18\"")], Some("risk")),
    ("value/range-changed", &[("kind = \"number\"\n\n[field.regions]", "kind = \"number\"\nmin = 18\n\n[field.regions]")], &[CHECK_AGE], &[("age >= 1\"", "age >= 18\"")], Some("note")),
    ("value/range-changed", &[], &[CHECK_AGE], &[LONGER_NOTE], None),
    ("value/check-changed", &[], &[], &[keeper!(r#""checks": [{ "expression": "age > 17 OR phone IS NOT NULL" }],"#)], Some("risk")),
    ("value/check-changed", &[], &[], &[CHECK_AGE], None),
    ("value/unique-now", &[], &[], &[UNIQUE_NAME], Some("risk")),
    ("value/unique-now", &[("kind = \"text\"\nrequired = true", "kind = \"text\"\nunique = true\nrequired = true")], &[], &[UNIQUE_NAME], None),
    ("value/default-changed", &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": true, "default": "'1'""#)], &[(r#""default": "'1'""#, r#""default": "'2'""#)], Some("note")),
    ("value/default-changed", &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": true, "default": "'1'""#)], &[(r#", "default": "'1'""#, "")], None),
    ("value/default-gone", &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": true, "default": "'1'""#)], &[(r#", "default": "'1'""#, "")], Some("note")),
    ("value/default-gone", &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": true, "default": "'1'""#)], &[(r#""default": "'1'""#, r#""default": "'2'""#)], None),
    ("value/collation", &[], &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": true, "collation": "NOCASE""#)], Some("note")),
    ("value/collation", &[("search = [\"last_name\", \"phone\"]", "search = [\"last_name\"]")], &[], &[(r#""VARCHAR(20)" }, "nullable": true"#, r#""VARCHAR(20)" }, "nullable": true, "collation": "NOCASE""#)], None),
    ("value/unit-suspected", &[("column = \"phone\"", "column = \"phone_kg\"")], &[(r#""name": "phone""#, r#""name": "phone_kg""#)], &[(r#""name": "phone_kg""#, r#""name": "phone_g""#)], Some("risk")),
    ("value/unit-suspected", &[("column = \"phone\"", "column = \"phone_kg\"")], &[(r#""name": "phone""#, r#""name": "phone_kg""#)], &[(r#""name": "phone_kg""#, r#""name": "telephone_kg""#)], None),
    ("value/time-zone", &[], &[(r#""kind": "date", "original": "DATE" }, "nullable": true"#, r#""kind": "date-time", "original": "timestamp" }, "nullable": true"#)], &[(r#""kind": "date-time", "original""#, r#""kind": "date-time", "zone": true, "original""#)], Some("risk")),
    ("value/time-zone", &[], &[(r#""kind": "date", "original": "DATE" }, "nullable": true"#, r#""kind": "date-time", "size": 3, "original": "timestamp" }, "nullable": true"#)], &[(r#""size": 3, "original": "timestamp""#, r#""size": 6, "original": "timestamp""#)], None),
    ("exchange/import-key-not-unique", IMPORT, &[UNIQUE_NAME], &[NO_UNIQUE], Some("risk")),
    ("exchange/import-key-not-unique", IMPORT, &[UNIQUE_NAME], &[LONGER_NOTE], None),
    ("exchange/outward-changed", OUTWARD, &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 30, "original": "VARCHAR(30)" }"#)], Some("risk")),
    ("exchange/outward-changed", &[("[page.list]", "[outward]\nname = \"members\"\nhide = [\"phone\"]\n\n[page.list]")], &[], &[(PHONE, r#""name": "phone", "type": { "kind": "text", "size": 30, "original": "VARCHAR(30)" }"#)], None),
    ("exchange/outward-exposed", OUTWARD, &[], &[NEW_COLUMN], Some("risk")),
    ("exchange/outward-exposed", &[], &[], &[NEW_COLUMN], None),
    ("definition/page-unreachable", &[("add = true\nedit = true", "add = true")], &[], &[], Some("note")),
    ("definition/page-unreachable", &[], &[], &[], None),
];

#[test]
fn rules_about_changes_fire_and_are_silent_where_they_should() {
    let mut wrong = Vec::new();
    for (rule, edits, both, change, expected) in CASES {
        let project = prepared(SQL, edits);
        let edited = |text: String, edits: Edits| {
            edits.iter().fold(text, |text, (from, to)| {
                assert!(text.contains(from), "{rule}: the snapshot has no {from:?}:\n{text}");
                text.replacen(from, to, 1)
            })
        };
        let before = edited(project.read(".ysomorph/accepted.json"), both);
        project.write(".ysomorph/accepted.json", &before);
        project.write("changed.json", &edited(before, change));
        let changed = format!("snapshot:{}", project.path("changed.json").display());
        let arguments = ["impact", "--format", "json", "--changed", &changed];
        let ran = project.run(if change.is_empty() { &["check", "--format", "json"] } else { &arguments });
        wrong.extend(judge(rule, &ran, change.is_empty(), *expected).err().map(|e| format!("{rule} after {change:?}: {e}")));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}
