//! Whatever text comes in from outside, nothing panics: every slice falls between characters.

use super::{
    Scope, analyse, is_too_deep, key_of_query, limits, literal_at, outline, parameters, parse_template, projection, readable, rename_in,
    says_same, statement_at, statements, without_placeholders, written_by,
};
use crate::name::RenameMap;
use crate::refusal::Refusal;
use crate::rehearsal;
use crate::schema::{Column, Engine, Schema, Table};
use crate::statements::{positional, with_values};
use proptest::prelude::*;

/// Pieces of SQL, programs and messages, between letters of every width.
fn text() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        prop::sample::select(vec![
            "SELECT ",
            "FROM ",
            "WHERE ",
            "tag",
            "größe",
            "\"ü\"",
            "`é`",
            "[日]",
            "'ö'",
            ":key_tag",
            ":ß",
            "?",
            "$1",
            "%s",
            "{",
            "}",
            "{tag}",
            "{tag.ö}",
            "#{x}",
            "--",
            "/*",
            "*/",
            "\n",
            "\r\n",
            "\t",
            "(",
            ")",
            ",",
            ".",
            ";",
            "::",
            "=",
            " IN (",
            " OR ",
            "''",
            "\\",
            "\"\"\"",
            "r.ö",
            "l1.é",
            "l12.x",
            "🐝",
            "e\u{301}",
            "\u{feff}",
            "\u{2028}",
            "…",
            "’",
            "WITH x AS (",
            "USING (",
            "NATURAL JOIN ",
            "CASE ",
        ])
        .prop_map(str::to_owned),
        any::<char>().prop_map(String::from),
        "[a-zäöü0-9_]{1,6}",
    ];
    prop::collection::vec(piece, 0..24).prop_map(|pieces| pieces.concat())
}

fn schema(engine: Engine) -> Schema {
    let column = |name: &str| Column { name: name.to_owned(), ..Column::default() };
    let table = Table { name: "größe".to_owned(), columns: vec![column("tag"), column("ü")], ..Table::default() };
    Schema::new(engine, vec![table])
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(600) })]
    #[test]
    fn no_text_from_outside_ends_the_program(text in text(), other in text(), at in 0usize..200) {
        let mut map = RenameMap::default();
        map.rename_column("größe", "tag", "märke");
        map.rename_table("größe", "maß");
        for engine in [Engine::Sqlite, Engine::Postgresql, Engine::Mariadb] {
            let schema = schema(engine);
            for scope in [Scope::Columns { table: "größe", select: None }, Scope::Columns { table: "größe", select: Some(&other) }, Scope::Statement { table: "größe" }] {
                for named in analyse(&text, scope, &schema).names {
                    prop_assert!(text.get(named.at).is_some());
                }
                for (range, _) in rename_in(&text, scope, &schema, &map).unwrap_or_default() {
                    prop_assert!(text.get(range).is_some());
                }
            }
            for (start, name) in parameters(&text, engine) {
                prop_assert!(text.get(start..).is_some_and(|rest| rest.contains(&name)));
            }
            let _ = (outline(&text, engine), limits(&text, engine), projection(&text, &schema), key_of_query(&text, &schema));
            let _ = (readable(&text, engine), says_same(&text, &other, engine, |_, _| true), is_too_deep(&text, engine));
            let _ = (written_by(&text, std::slice::from_ref(&other), engine), positional(&text, engine), with_values(&text, engine, &Default::default()));
            let found = statements(&text, engine);
            prop_assert!(found.iter().all(|range| text.get(range.clone()).is_some()));
            let _ = statement_at(&found, at);
        }
        let _ = (literal_at(&text, at.min(text.len())), without_placeholders(&text), parse_template(&text));
        let _ = rehearsal::findings(&[]);
        rehearsal::plainly(&Refusal::of_statement(text.clone(), Some(other), Some(at)), &text);
    }
}
