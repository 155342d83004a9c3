//! What is served is what the page statements give, for every list, role and engine; broken pages say why, and a question is answered
//! where it stands.

use super::{Served, between, encoded, everywhere, unescaped};
use crate::servers::{Place, Server};
use crate::support::Project;
use std::collections::BTreeMap;
use ysomorph_core::definition::{Model, PageKind};
use ysomorph_core::name;
use ysomorph_core::statements::{self, Purpose, as_text, with_values};
use ysomorph_sources::{Source, sample};
use ysomorph_workspace::Workspace;

fn source(project: &Project, place: Option<&Place>) -> Source {
    let url = place.map_or_else(|| format!("sqlite:{}", project.path("threecombs.db").display()), Place::url);
    Source::parse(&url, project.dir.path(), |_| None).unwrap()
}

/// The keys of the records on a page, in their order.
fn keys_of(body: &str) -> Vec<String> {
    let links = body.split("<td class=\"open\"><a href=\"").skip(1);
    links.filter_map(|rest| between(rest, "key=", "\"")).map(|key| unescaped(key).replace("&key=", ",")).collect()
}

/// The cells of a page under a label.
fn cells_of(body: &str, label: &str) -> Vec<String> {
    let opened = format!("data-label=\"{label}\">");
    let cells = body.split(opened.as_str()).skip(1);
    cells.map(|rest| unescaped(rest.split("</td>").next().unwrap_or_default())).collect()
}

/// What a cell says, without what it stands in.
fn said(cell: &str) -> String {
    let mut out = String::new();
    let mut inside = false;
    for c in cell.chars() {
        match c {
            '<' => inside = true,
            '>' => inside = false,
            c if !inside => out.push(c),
            _ => {}
        }
    }
    out
}

/// The first column of what a page statement gives, as texts.
fn first_of(source: &Source, engine: ysomorph_core::schema::Engine, sql: &str, values: &BTreeMap<String, String>) -> Vec<String> {
    // The first alone: all columns would be named twice in part.
    let (columns, rest) = sql.strip_prefix("SELECT ").unwrap().split_once(" FROM ").unwrap();
    let sql = format!("SELECT {} FROM {rest}", as_text(columns.split(", ").next().unwrap(), engine));
    let sql = sql.replace(":limit", "500").replace(":offset", "0");
    let rows = sample(source, &with_values(&sql, engine, values)).unwrap_or_else(|e| panic!("{sql}: {e}"));
    rows.into_iter().map(|row| row[0].clone().unwrap_or_default()).collect()
}

#[test]
fn every_record_child_list_and_group_shows_each_role_what_its_statements_give() {
    for (project, place) in everywhere() {
        let served = Served::start(&project, &[]);
        let workspace = Workspace::open(project.dir.path()).unwrap();
        let model = Model::of(&workspace.tree);
        let source = source(&project, place.as_ref());
        let known = source.read(&[]).unwrap();
        let (mut records, mut unseen, mut children, mut groups) = (0, 0, 0, 0);
        for entity in model.entities.values().filter(|entity| entity.key.len() == 1) {
            let key = name::quoted_for(&entity.key[0].value, known.engine);
            let all = format!("SELECT {key} FROM {}", name::quoted_for(&entity.table.value, known.engine));
            let keys = first_of(&source, known.engine, &all, &BTreeMap::new());
            for page in &entity.pages {
                let statements = statements::of_page(&model, entity, page, &known);
                let address = format!("/now/{}/{}", entity.name, page.name);
                for statement in &statements {
                    let Some(role) = &statement.role else { continue };
                    let view = format!("role={role}&with.user_keeper=1");
                    let rows = |sql: &str, key: &str| {
                        let values = [("user_keeper", "1"), ("key_1", key)].map(|(n, v)| (n.to_owned(), v.to_owned())).into();
                        first_of(&source, known.engine, sql, &values)
                    };
                    let rows_in = |part: &str| part.matches("<tr><td").count();
                    match (&statement.purpose, page.kind) {
                        (Purpose::Record, PageKind::Detail) => {
                            let of_role = |s: &&statements::Statement| s.role.as_ref() == Some(role);
                            let lists = statements.iter().filter(of_role).filter(|s| matches!(s.purpose, Purpose::Children(..)));
                            let lists: Vec<_> = lists.collect();
                            for key in &keys {
                                let got = served.get(&format!("{address}?key={}", encoded(key)), &view);
                                let is_there = !rows(&statement.sql, key).is_empty();
                                let says_none = got.body.contains("There is no such record");
                                assert_eq!(is_there, !says_none, "{role} {address} {key}: {}", got.body);
                                *(if is_there { &mut records } else { &mut unseen }) += 1;
                                let mut shown: Vec<usize> = got.body.split("<section class=\"children\">").skip(1).map(rows_in).collect();
                                let mut expected: Vec<usize> =
                                    if is_there { lists.iter().map(|list| rows(&list.sql, key).len()).collect() } else { Vec::new() };
                                shown.sort_unstable();
                                expected.sort_unstable();
                                assert_eq!(shown, expected, "{role} {address} {key}");
                                children += expected.iter().sum::<usize>();
                            }
                        }
                        (Purpose::Groups, _) => {
                            let got = served.get(&address, &view);
                            let expected = rows(&statement.sql, "");
                            assert_eq!(rows_in(&got.body), expected.len(), "{role} {address}: {}", got.body);
                            groups += expected.len();
                        }
                        _ => {}
                    }
                }
            }
        }
        let seen = (records, unseen, children, groups);
        assert!(records >= 20 && unseen >= 3 && children >= 20 && groups >= 3, "{seen:?}");
    }
}

#[test]
fn every_list_shows_each_role_what_its_statements_give() {
    for (project, place) in everywhere() {
        let served = Served::start(&project, &["--with", "user_keeper=1"]);
        let workspace = Workspace::open(project.dir.path()).unwrap();
        let model = Model::of(&workspace.tree);
        let source = source(&project, place.as_ref());
        let known = source.read(&[]).unwrap();
        let values: BTreeMap<String, String> =
            [("user_keeper", "1"), ("limit", "500"), ("offset", "0")].map(|(n, v)| (n.to_owned(), v.to_owned())).into();
        let (mut lists, mut compared) = (0, 0);
        for entity in model.entities.values() {
            for page in entity.pages.iter().filter(|page| page.kind == PageKind::List) {
                for statement in statements::of_page(&model, entity, page, &known).iter().filter(|s| s.purpose == Purpose::Rows) {
                    let role = statement.role.clone().unwrap();
                    // The key alone: all columns would be named twice in part.
                    let (columns, rest) = statement.sql.strip_prefix("SELECT ").unwrap().split_once(" FROM ").unwrap();
                    let key = columns.split(", ").next().unwrap();
                    let sql = format!("SELECT {} FROM {rest}", as_text(key, known.engine));
                    let numbers = |sql: &str| sql.replace(":limit", "500").replace(":offset", "0");
                    let rows = sample(&source, &with_values(&numbers(&sql), known.engine, &values)).unwrap();
                    let mut expected: Vec<String> = rows.into_iter().map(|row| row[0].clone().unwrap()).collect();
                    let view = format!("role={role}&with.user_keeper=1");
                    let got = served.get(&format!("/now/{}/{}", entity.name, page.name), &view);
                    assert_eq!(got.status, 200, "{role} {}: {}", entity.name, got.body);
                    assert!(!got.body.contains("role=\"alert\""), "{role} {}: {}", entity.name, got.body);
                    lists += 1;
                    let has_detail = entity.pages.iter().any(|p| p.kind == PageKind::Detail && entity.access_of(&role).unwrap().allows(p));
                    if entity.key.len() == 1 && has_detail {
                        let mut shown = keys_of(&got.body);
                        shown.sort();
                        expected.sort();
                        assert_eq!(shown, expected, "{role} {}", entity.name);
                        compared += expected.len();
                    }
                    // What the role never sees is in no heading and no cell.
                    for hidden in entity.access_of(&role).unwrap().hide.iter() {
                        let label = hidden.value.replace('_', " ");
                        assert!(!got.body.to_lowercase().contains(&format!("data-label=\"{label}\"")), "{role} {} {label}", entity.name);
                    }
                }
            }
        }
        assert!(lists >= 20 && compared >= 20, "{lists} {compared}");
        // A page nobody was given isn't there.
        assert_eq!(served.get("/now/harvest/list", "role=vet").status, 404);
    }
}

#[test]
fn lists_are_searched_filtered_sorted_and_turned_on_every_engine() {
    for (project, place) in everywhere() {
        let rows: Vec<String> = (3..63)
            .map(|n| format!("({n}, 'K-{n:03}', 'Ada{}', 'Ash', '41{n:02}', 'Reedham', {}, '20{:02}-03-01')", n % 7, 1 + n % 2, n % 20 + 1))
            .collect();
        let sql = format!(
            "INSERT INTO keeper (id, member_no, first_name, last_name, postcode, place, region_id, joined_on) VALUES {}",
            rows.join(", ")
        );
        match &place {
            Some(place) => place.sql(&sql),
            None => project.sql(&sql),
        }
        let served = Served::start(&project, &["--role", "everyone"]);
        let engine = place.as_ref().map_or("SQLite".to_owned(), |place| format!("{:?}", place.server));
        let ask = |query: &str| {
            let got = served.get(&format!("/now/keeper/list{query}"), "");
            assert!(got.status == 200 && !got.body.contains("role=\"alert\""), "{engine} {query}: {}", got.body);
            got.body
        };
        let first = ask("");
        assert!(first.contains("<span>1–25 of 62</span>"), "{engine}: {first}");
        let second = ask("?page=2");
        let third = ask("?page=3");
        let mut all: Vec<String> = [&first, &second, &third].into_iter().flat_map(|body| keys_of(body)).collect();
        assert_eq!((keys_of(&third).len(), all.len()), (12, 62), "{engine}");
        all.sort();
        all.dedup();
        assert_eq!(all.len(), 62, "{engine}: a record stands on two pages, or on none");
        // Letters of any case, in any field that is searched.
        assert!(ask("?search=THORN").contains("<span>1–1 of 1</span>"), "{engine}");
        assert!(ask(&format!("?search={}", encoded("' OR '1'='1"))).contains("No records."), "{engine}");
        // Signs of patterns are what they are.
        for sign in ["%", "_", "!", "K%1"] {
            assert!(ask(&format!("?search={}", encoded(sign))).contains("No records."), "{engine}: {sign}");
        }
        // By what a lookup points at, from a day to a day, and both.
        assert!(ask("?filter.region=2").contains("of 31</span>"), "{engine}: {}", ask("?filter.region=2"));
        let between = ask("?filter.joined_on.from=2019-01-01&filter.joined_on.to=2019-12-31");
        assert!(between.contains("of 4</span>"), "{engine}: {between}");
        assert!(ask("?filter.region=1&filter.joined_on.from=2019-03-01&filter.joined_on.to=2019-03-01").contains("</span>"), "{engine}");
        // By heading, up and down.
        let (up, down) = (ask("?sort=member_no"), ask("?sort=-member_no"));
        assert!(up.contains("aria-sort=\"ascending\"") && down.contains("aria-sort=\"descending\""), "{engine}");
        assert_eq!(
            (said(&cells_of(&up, "Member number")[0]), said(&cells_of(&down, "Member number")[0])),
            ("K-001".to_owned(), "K-062".to_owned())
        );
        // One record, what it points at and what points at it.
        let yard = served.get("/now/apiary/detail?key=1", "").body;
        assert!(yard.contains("<h1>Willow bend</h1>") && yard.contains("Thorn, Isa"), "{engine}: {yard}");
        assert!(yard.contains("href=\"/now/keeper/detail?key=1\"") && yard.contains("href=\"/now/hive/detail?key=1\""), "{engine}: {yard}");
        // Groups lead to their records.
        let groups = served.get("/now/harvest/by-region", "").body;
        let to = unescaped(between_link(&groups).unwrap_or_else(|| panic!("{engine}: {groups}")));
        let one = served.get(&to, "").body;
        assert!(one.contains("All groups") && cells_of(&one, "Jar label").len() + keys_of(&one).len() > 0, "{engine} {to}: {one}");
        assert!(served.get("/now/keeper/detail?key=999", "").body.contains("There is no such record"), "{engine}");
    }
}

fn between_link(body: &str) -> Option<&str> {
    let at = body.find("group=")?;
    let start = body[..at].rfind("href=\"")? + 6;
    Some(&body[start..start + body[start..].find('"')?])
}

#[test]
fn a_broken_page_says_why_and_an_answer_mends_it_after_the_merge() {
    for (project, place) in everywhere() {
        project.change_demo(place.as_ref());
        let served = Served::start(&project, &["--role", "everyone", "--with", "user_keeper=1"]);
        let page = served.get("/now/hive/list", "").body;
        for told in [
            "A part of this page can't work",
            "app/hive.toml:",
            "The database says:",
            "hive.tag → hive_no",
            "What still works is shown without it",
        ] {
            assert!(page.contains(told), "{told}: {page}");
        }
        // As much of it as still works.
        assert_eq!(keys_of(&page).len(), 2, "{page}");
        assert!(!page.contains("W-1"), "{page}");
        // After the merge everything that can be is there again, by any of the answers.
        let after = served.get("/after/hive/list", "").body;
        assert!(!after.contains("role=\"alert\"") && keys_of(&after).len() == 2, "{after}");
        let both = served.get("/both/hive/list", "").body;
        assert!(both.contains("aria-label=\"Now\"") && both.contains("aria-label=\"After the merge\""), "{both}");
        // Where the catalogue is certain of a rename, nothing is asked.
        if place.as_ref().is_some_and(|place| place.server == Server::Postgresql) {
            assert!(served.get("/after/remedy/list", "").body.contains("Thyme strips"));
            continue;
        }
        assert_eq!(served.get("/after/remedy/list", "").status, 404, "without an answer it is set aside with its table");
        // Answered where it stands, kept as decide keeps it, and seen at once.
        let token = served.token();
        let answer = [("token", token.as_str()), ("here", "/after/remedy/list"), ("question", "rename/remedy"), ("choice", "medicine")];
        let answered = served.post("/answer", &answer);
        assert_eq!(answered.status, 303, "{}", answered.body);
        assert!(project.read("decisions.toml").contains("choice = \"medicine\""));
        let remedy = served.get("/after/remedy/list", "");
        assert!(remedy.status == 200 && remedy.body.contains("Thyme strips"), "{}", remedy.body);
        assert_eq!(served.post("/answer", &[("token", &token), ("question", "rename/nothing"), ("choice", "x")]).status, 409);
        // What it serves is nobody's to change: only the answer was written.
        project.expect(1, &["impact"]);
        assert_eq!(project.read("app/hive.toml"), Project::demo(None).read("app/hive.toml"));
    }
}

/// The smallest picture there is.
const PICTURE: &str = "89504e470d0a1a0a0000000d4948445200000001000000010806000000";

#[test]
fn a_picture_is_shown_to_whoever_may_see_it_and_what_is_none_is_only_kept() {
    for (project, place) in everywhere() {
        let bytes = |hex: &str| {
            if place.as_ref().is_some_and(|p| p.server == Server::Postgresql) { format!("'\\x{hex}'") } else { format!("x'{hex}'") }
        };
        let sql = format!(
            "UPDATE hive SET photo = {} WHERE id = 1; UPDATE hive SET photo = {} WHERE id = 2",
            bytes(PICTURE),
            bytes("3c7363726970743e")
        );
        match &place {
            Some(place) => place.sql(&sql),
            None => project.sql(&sql),
        }
        let served = Served::start(&project, &["--role", "everyone", "--with", "user_keeper=1"]);
        let page = served.get("/now/hive/detail?key=1", "").body;
        let to = unescaped(between(&page, "<img class=\"thumbnail\" src=\"", "\"").unwrap_or_else(|| panic!("{page}")));
        let got = served.get(&to, "");
        assert!(got.status == 200 && got.head.contains("image/png") && got.bytes.starts_with(b"\x89PNG"), "{}", got.head);
        // Bytes that are something else are never run or shown.
        let other = served.get("/now/hive/detail/bytes?field=photo&key=2", "");
        assert!(
            other.head.contains("application/octet-stream") && other.head.contains("attachment") && other.head.contains("nosniff"),
            "{}",
            other.head
        );
        // A yard of somebody else's, another field, a page that doesn't show it, and too many keys.
        let keeper = "role=keeper&with.user_keeper=1";
        assert_eq!(served.get("/now/hive/detail/bytes?field=photo&key=1", keeper).status, 200);
        for path in [
            "/now/hive/detail/bytes?field=photo&key=2",
            "/now/hive/detail/bytes?field=tag&key=1",
            "/now/hive/list/bytes?field=photo&key=1",
            "/now/hive/detail/bytes?field=photo&key=1&key=2",
            "/now/hive/detail/bytes?field=photo",
            "/both/hive/detail/bytes?field=photo&key=1",
            "/now/keeper/detail/bytes?field=api_token&key=1",
        ] {
            assert_eq!(served.get(path, keeper).status, 404, "{path}");
        }
    }
}

#[test]
fn a_snapshot_and_a_port_that_is_taken_are_refused() {
    let project = Project::demo(None);
    project.expect(0, &["capture", "-o", project.path("kept.json").to_str().unwrap()]);
    let refused = project.run(&["try", "--changed", &format!("snapshot:{}", project.path("kept.json").display())]);
    assert!(refused.code == 2 && refused.err.contains("it has no records to show"), "{}", refused.err);
    let served = Served::start(&project, &[]);
    let refused = project.run(&["try", "--port", &served.port.to_string()]);
    assert!(refused.code == 2 && refused.err.contains("can't be used"), "{}", refused.err);
    let refused = project.run(&["try", "--role", "kepper"]);
    assert!(refused.code == 2 && refused.err.contains("did you mean `keeper`?"), "{}", refused.err);
}
