//! How long it takes to draft an application of 1,000 entities, and to learn what ten changes break in it: `cargo bench -p ysomorph-core`.

use divan::Bencher;
use ysomorph_core::changes::compare;
use ysomorph_core::draft::{Conventions, DraftInput, NamesInUse, draft};
use ysomorph_core::impact::{Around, ImpactInput, check, impact};
use ysomorph_core::rename::Known;
use ysomorph_core::schema::{Column, ColumnType, Engine, ForeignKey, Schema, Table, Unique};

/// The program's own allocator.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() {
    divan::main();
}

const ENTITIES: usize = 1_000;

/// Tables of twelve columns, two of three with a foreign key to the one before.
fn schema(changed: bool) -> Schema {
    let column = |name: &str, declared: &str| Column {
        name: name.to_owned(),
        column_type: ColumnType::from_declaration(declared, false),
        nullable: true,
        ..Column::default()
    };
    let table = |n: usize| {
        let place = if changed && n.is_multiple_of(ENTITIES / 10) { "town" } else { "place" };
        let mut columns = vec![Column { auto: true, nullable: false, ..column("id", "integer") }];
        columns.extend([
            column("code", "varchar(20)"),
            column("name", "text"),
            column(place, "varchar(60)"),
            column("born", "date"),
            column("joined", "timestamp"),
            column("fee", "decimal(10,2)"),
            column("weight", "real"),
            column("active", "boolean"),
            column("notes", "text"),
            column("parent_id", "integer"),
            column("amount", "integer"),
        ]);
        let key = (!n.is_multiple_of(3)).then(|| ForeignKey {
            columns: vec!["parent_id".to_owned()],
            table: format!("t{}", n - 1),
            to: vec!["id".to_owned()],
            ..ForeignKey::default()
        });
        Table {
            name: format!("t{n}"),
            columns,
            primary_key: vec!["id".to_owned()],
            foreign_keys: key.into_iter().collect(),
            uniques: vec![Unique { columns: vec!["code".to_owned()], ..Unique::default() }],
            ..Table::default()
        }
    };
    Schema::new(Engine::Sqlite, (0..ENTITIES).map(table).collect())
}

#[divan::bench(sample_count = 20)]
fn impact_of_ten_changes(bencher: Bencher<'_, '_>) {
    let (accepted, changed) = (schema(false), schema(true));
    let (conventions, names) = (Conventions::default(), NamesInUse::default());
    let plan = DraftInput { conventions: &conventions, names: &names, open_to: Some("everyone"), title: "Many", earlier: None };
    let tree = draft(&accepted, &plan).tree;
    let comparison = compare(&accepted, &changed, &Known::default());
    assert_eq!(comparison.changes.len(), 10, "ten renames");
    let around = Around::default();
    let input = ImpactInput { tree: &tree, accepted: &accepted, changed: &changed, comparison: &comparison, around: &around };
    assert!(impact(input).iter().any(|f| f.rule == "page/column-missing"), "they break pages");
    bencher.bench(|| impact(input).len());
}

#[divan::bench(sample_count = 10)]
fn check_of_everything(bencher: Bencher<'_, '_>) {
    let accepted = schema(false);
    let (conventions, names) = (Conventions::default(), NamesInUse::default());
    let plan = DraftInput { conventions: &conventions, names: &names, open_to: Some("everyone"), title: "Many", earlier: None };
    let tree = draft(&accepted, &plan).tree;
    bencher.bench(|| check(&tree, &accepted).len());
}

#[divan::bench(sample_count = 10)]
fn draft_of_everything(bencher: Bencher<'_, '_>) {
    let schema = schema(false);
    let (conventions, names) = (Conventions::default(), NamesInUse::default());
    let plan = DraftInput { conventions: &conventions, names: &names, open_to: Some("everyone"), title: "Many", earlier: None };
    bencher.bench(|| draft(&schema, &plan).tree.files.keys().len());
}
