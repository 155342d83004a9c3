//! Fragments and scripts of SQL on three engines: read or left alone; every place that is told falls between characters, and names that
//! are renamed in place can still be read.

#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;
use ysomorph_core::name::RenameMap;
use ysomorph_core::schema::{Column, Engine, Schema, Table};
use ysomorph_core::sql::{
    Scope, analyse, is_too_deep, key_of_query, limits, literal_at, mentions_word, outline, parameters, projection, readable, rename_in,
    says_same, statement_at, statements, without_placeholders, written_by,
};

static SCHEMAS: LazyLock<Vec<Schema>> = LazyLock::new(|| {
    let of = |engine| {
        let column = |name: &str| Column { name: name.to_owned(), ..Column::default() };
        let yard = Table { name: "yard".to_owned(), columns: vec![column("id"), column("name"), column("größe")], ..Table::default() };
        let hive = Table { name: "hive".to_owned(), columns: vec![column("id"), column("yard_id"), column("tag")], ..Table::default() };
        Schema::new(engine, vec![yard, hive])
    };
    [Engine::Sqlite, Engine::Postgresql, Engine::Mariadb].into_iter().map(of).collect()
});

static RENAMES: LazyLock<RenameMap> = LazyLock::new(|| {
    let mut renames = RenameMap::default();
    renames.rename_column("hive", "tag", "label text");
    renames.rename_column("yard", "größe", "size");
    renames.rename_table("yard", "apiary");
    renames
});

// A letter for the engine, a text, and another one.
fuzz_target!(|input: &str| {
    let mut letters = input.chars();
    let Some(letter) = letters.next() else { return };
    let (text, other) = letters.as_str().split_once('\u{1}').unwrap_or((letters.as_str(), ""));
    let schema = &SCHEMAS[letter as usize % SCHEMAS.len()];
    let engine = schema.engine;
    let scopes = [
        Scope::Columns { table: "hive", select: None },
        Scope::Columns { table: "hive", select: Some(other) },
        Scope::Statement { table: "hive" },
    ];
    for scope in scopes {
        for named in analyse(text, scope, schema).names {
            assert!(text.get(named.at.clone()).is_some(), "{:?}", named.at);
        }
        let Some(mut places) = rename_in(text, scope, schema, &RENAMES) else { continue };
        places.sort_by_key(|(range, _)| range.start);
        let mut renamed = text.to_owned();
        for (range, name) in places.into_iter().rev() {
            assert!(renamed.get(range.clone()).is_some(), "{range:?}");
            renamed.replace_range(range, &name);
        }
        let _ = analyse(&renamed, scope, schema);
    }
    for (start, name) in parameters(text, engine) {
        assert!(text.get(start..).is_some_and(|rest| rest.contains(&name)));
    }
    let _ = (outline(text, engine), limits(text, engine), projection(text, schema), key_of_query(text, schema));
    let _ = (readable(text, engine), says_same(text, other, engine, |_, _| true), is_too_deep(text, engine));
    let _ = (written_by(text, &[other.to_owned()], engine), mentions_word(text, &[other], engine));
    let found = statements(text, engine);
    assert!(found.iter().all(|range| text.get(range.clone()).is_some()));
    let at = other.len().min(text.len());
    let _ = (statement_at(&found, at), without_placeholders(text));
    if text.is_char_boundary(at) {
        let _ = literal_at(text, at);
    }
});
