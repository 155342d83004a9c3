//! "Impact reports a break on this page" equals "the real SQLite refuses one of its statements, or no save can succeed".

use crate::by_hand::Hand;
use crate::model::{Database, Random};
use crate::properties::{edit_by_hand, random_begin};
use rusqlite::Connection;
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::changes::compare;
use ysomorph_core::definition::{Model, Tree};
use ysomorph_core::impact::{self, Around, Finding, ImpactInput, Remedy, Severity};
use ysomorph_core::merge::{merge, safe_merge};
use ysomorph_core::rename::Known;
use ysomorph_core::schema::Schema;
use ysomorph_core::statements::{self, Need, Purpose, Statement};
use ysomorph_workspace::{Workspace, start};

const CASES: u64 = 200;

/// Pages on which the database refuses something: entity and page.
pub fn refused(tree: &Tree, accepted: &Schema, database: &Connection) -> BTreeSet<(String, String)> {
    let model = Model::of(tree);
    let mut pages = BTreeSet::new();
    for entity in model.entities.values() {
        let exchange = statements::of_exchange(&model, entity, accepted);
        let pages_and_none = entity.pages.iter().map(|p| (p.name.as_str(), statements::of_page(&model, entity, p, accepted)));
        for (page, all) in pages_and_none.chain([("", exchange)]) {
            let fails = |statement: &Statement| {
                database
                    .prepare(&statement.sql)
                    .inspect_err(|e| {
                        if std::env::var_os("YSOMORPH_TRACE").is_some() {
                            eprintln!("{}/{page}: {e}\n{}", entity.name, statement.sql);
                        }
                    })
                    .is_err()
                    || (matches!(statement.purpose, Purpose::Insert | Purpose::Link(_) | Purpose::Create(..))
                        && cannot_save(statement, database))
            };
            if all.iter().any(fails) {
                pages.insert((entity.name.clone(), page.to_owned()));
            }
        }
    }
    pages
}

/// Runs an INSERT for real and takes it back: a NOT NULL column that the statement doesn't give fails whatever is entered.
fn cannot_save(statement: &Statement, database: &Connection) -> bool {
    let given: Vec<&String> = statement
        .uses
        .iter()
        .flat_map(|u| match &u.need {
            Need::Write { columns, .. } => columns.iter().collect(),
            _ => Vec::new(),
        })
        .collect();
    database.execute_batch("SAVEPOINT try").unwrap();
    let mut prepared = database.prepare(&statement.sql).unwrap();
    for at in 1..=prepared.parameter_count() {
        prepared.raw_bind_parameter(at, at as i64 * 7919).unwrap();
    }
    let outcome = prepared.raw_execute();
    database.execute_batch("ROLLBACK TO try; RELEASE try").unwrap();
    match outcome {
        Err(rusqlite::Error::SqliteFailure(_, Some(message))) => {
            message.strip_prefix("NOT NULL constraint failed: ").is_some_and(|c| !given.iter().any(|g| c.ends_with(&format!(".{g}"))))
        }
        _ => false,
    }
}

/// Pages on which the rules report a break.
///
/// Beside them the entities with a broken row filter: that is told once, by the pages, and concerns imports and exports too.
fn reported(tree: &Tree, accepted: &Database, changed: &Database) -> (BTreeSet<(String, String)>, BTreeSet<String>) {
    let (accepted, changed) = (accepted.schema(), changed.schema());
    let comparison = compare(&accepted, &changed, &Known::default());
    let findings =
        impact::impact(ImpactInput { tree, accepted: &accepted, changed: &changed, comparison: &comparison, around: &Around::default() });
    let counts = |rule: &str| {
        ["page/", "lookup/", "access/", "value/", "exchange/"].iter().any(|g| rule.starts_with(g)) || rule == "label/title-broken"
    };
    let breaks = findings.into_iter().filter(|f| f.severity == Severity::Break && counts(f.rule));
    let (mut pages, mut whole) = (BTreeSet::new(), BTreeSet::new());
    for finding in breaks {
        let entity = finding.entity.clone().unwrap();
        if finding.rule == "access/row-filter-broken" {
            whole.insert(entity.clone());
        }
        // Imports and exports are on no page.
        if finding.rule.starts_with("exchange/") {
            pages.insert((entity.clone(), String::new()));
        }
        pages.extend(finding.pages.into_iter().map(|p| (entity.clone(), p)));
    }
    (pages, whole)
}

/// Whether what impact says of the merge is what the merge does, as the database judges its outcome: a break that is
/// said to be a person's is still there, and none is there that was said to be taken care of.
fn misjudged(workspace: &Workspace, accepted: &Database, changed: &Database) -> Option<String> {
    let (old, new) = (accepted.schema(), changed.schema());
    let (answers, _) = safe_merge(&workspace.merge_input(&new, &BTreeMap::new()));
    let outcome = merge(&workspace.merge_input(&new, &answers));
    let mut around = workspace.around();
    around.renamed_fields.clone_from(&outcome.renamed_fields);
    let input = ImpactInput { tree: &workspace.tree, accepted: &old, changed: &new, comparison: &outcome.comparison, around: &around };
    let mut findings = impact::impact(input);
    let after = outcome.breaks_left(&new);
    ysomorph_core::merge::settle(&mut findings, &outcome, &new);
    let pages_of = |f: &Finding| f.pages.iter().map(|p| (f.entity.clone().unwrap_or_default(), p.clone())).collect::<Vec<_>>();
    let breaks: Vec<&Finding> = findings.iter().filter(|f| f.severity == Severity::Break && !f.pages.is_empty()).collect();
    let left = refused(&outcome.tree, &outcome.accepted, &changed.open());
    // What is left to a person is still refused somewhere, or is a condition that the merge replaced and a rule that it set aside: the
    // database takes those, and shows or refuses something else than before.
    let to_decide = outcome.to_decide();
    let is_replaced = |f: &Finding| to_decide.iter().any(|left| f.help == format!("after the merge, {}", left.finding.message));
    let is_left = |f: &Finding| is_replaced(f) || pages_of(f).iter().any(|at| left.contains(at));
    let done: Vec<_> = breaks.iter().filter(|f| f.remedy == Remedy::Hand && !is_left(f)).collect();
    // What is still refused, the rules say of the definition as the merge leaves it, and impact says so unless the merge's
    // own edits are what is refused now.
    let known: BTreeSet<(String, String)> = after.iter().flat_map(pages_of).collect();
    let missed: Vec<_> = left.iter().filter(|at| !at.1.is_empty() && !known.contains(*at)).collect();
    (!missed.is_empty() || !done.is_empty())
        .then(|| format!("refused after the merge, and not told: {missed:?}; said to be left, and done: {done:?}"))
}

fn run(seed: u64, tally: &mut (usize, usize)) -> Option<String> {
    let mut random = Random::new(seed ^ 0xA5A5);
    let accepted = Database::wild(&mut random);
    let dir = tempfile::tempdir().unwrap();
    start(dir.path(), &random_begin(), &accepted.schema()).unwrap();
    edit_by_hand(dir.path(), &accepted, &mut random, Hand::AsPeople);
    let workspace = Workspace::open(dir.path()).unwrap();
    let tree = workspace.tree.clone();
    for _ in 0..5 {
        let mut changed = accepted.clone();
        for _ in 0..1 + random.below(4) {
            changed.mutate(&mut random);
        }
        let (by_rules, whole) = reported(&tree, &accepted, &changed);
        let mut by_database = refused(&tree, &accepted.schema(), &changed.open());
        by_database.retain(|at| !at.1.is_empty() || by_rules.contains(at) || !whole.contains(&at.0));
        if let Some(wrong) = misjudged(&workspace, &accepted, &changed) {
            return Some(format!("seed {seed}: {wrong}\n{}", changed.sql()));
        }
        tally.0 += 1;
        tally.1 += by_database.len();
        if by_rules != by_database {
            let only = |a: &BTreeSet<(String, String)>, b: &BTreeSet<(String, String)>| a.difference(b).cloned().collect::<Vec<_>>();
            return Some(format!(
                "seed {seed}: only the rules {:?}, only the database {:?}\n{}",
                only(&by_rules, &by_database),
                only(&by_database, &by_rules),
                changed.sql()
            ));
        }
    }
    None
}

#[test]
fn impact_and_the_real_database_agree_on_every_page() {
    let cases = std::env::var("YSOMORPH_CASES").ok().and_then(|s| s.parse().ok()).unwrap_or(CASES);
    let seeds: Vec<u64> =
        std::env::var("YSOMORPH_SEED").ok().and_then(|s| s.parse().ok()).map_or_else(|| (1..=cases).collect(), |seed| vec![seed]);
    let mut tally = (0, 0);
    let wrong: Vec<String> = seeds.into_iter().filter_map(|seed| run(seed, &mut tally)).collect();
    assert!(wrong.is_empty(), "{} of {} cases disagree; the first:\n{}", wrong.len(), tally.0, wrong[..wrong.len().min(5)].join("\n\n"));
    assert!(tally.1 > tally.0, "the mutations must break pages: {tally:?}");
    println!("{} mutated schemas, {} broken pages, all agreed", tally.0, tally.1);
}
