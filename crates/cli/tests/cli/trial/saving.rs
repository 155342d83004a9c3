//! Forms: without `--write` they say what they would send, with it they save in one transaction, by the rights of whoever looks.

use super::{Served, between, everywhere, header, unescaped};
use crate::servers::Place;
use crate::support::Project;
use ysomorph_sources::{Source, sample};

/// What a form sends.
pub type Fields = Vec<(String, String)>;

/// One value of the database as it is now.
pub fn now(project: &Project, place: Option<&Place>, sql: &str) -> String {
    let url = place.map_or_else(|| format!("sqlite:{}", project.database().display()), Place::url);
    let source = Source::parse(&url, project.dir.path(), |_| None).unwrap();
    let cast = if place.is_some_and(|p| p.server == crate::servers::Server::Mariadb) { "CHAR" } else { "TEXT" };
    let (what, rest) = sql.split_once(" FROM ").unwrap();
    let rows = sample(&source, &format!("SELECT CAST({what} AS {cast}) FROM {rest}")).unwrap();
    rows.into_iter().next().and_then(|row| row.into_iter().next().flatten()).unwrap_or_else(|| "NULL".to_owned())
}

/// What a page's form would send if nothing were typed, with some of it typed.
pub fn form(body: &str, typed: &[(&str, &str)]) -> Fields {
    let start = body.find("<form class=\"form\"").unwrap_or_else(|| panic!("no form: {body}"));
    let form = &body[start..start + body[start..].find("</form>").unwrap()];
    let mut fields = Fields::new();
    for tag in form.split('<').skip(1) {
        let name = between(tag, "name=\"", "\"").map(str::to_owned);
        let value = between(tag, "value=\"", "\"").unwrap_or_default();
        if tag.starts_with("input") && !tag.contains("type=\"search\"") && (!tag.contains("checkbox") || tag.contains(" checked")) {
            fields.push((name.unwrap(), unescaped(value)));
        } else if tag.starts_with("select") || tag.starts_with("textarea") {
            let text = if tag.starts_with("textarea") { tag.split_once('>').map_or("", |(_, text)| text) } else { "" };
            fields.push((name.unwrap(), unescaped(text)));
        } else if tag.starts_with("option") && tag.contains(" selected") {
            fields.last_mut().unwrap().1 = unescaped(value);
        }
    }
    for (name, value) in typed {
        match fields.iter_mut().find(|(own, _)| own == name) {
            Some((_, own)) => (*value).clone_into(own),
            None => fields.push(((*name).to_owned(), (*value).to_owned())),
        }
    }
    fields
}

pub fn send(served: &Served, path: &str, form: &[(String, String)], view: &str) -> super::Got {
    let form: Vec<(&str, &str)> = form.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect();
    served.post_as(path, &form, view)
}

const KEEPER: &str = "role=keeper&with.user_keeper=1";

#[test]
fn without_being_asked_to_nothing_is_saved_and_it_says_what_would_be() {
    for (project, place) in everywhere() {
        let served = Served::start(&project, &["--role", "everyone"]);
        let page = served.get("/now/apiary/edit?key=1", "").body;
        let sent = send(&served, "/now/apiary/edit", &form(&page, &[("field.name", "Willow end")]), "");
        for told in ["Nothing was saved", "UPDATE", "<dd>Willow end</dd>", "--write"] {
            assert!(sent.body.contains(told), "{told}: {}", sent.body);
        }
        // Only what was changed is sent, and what was typed is kept.
        assert!(!sent.body.contains("opened_on&quot; =") && sent.body.contains("value=\"Willow end\""), "{}", sent.body);
        let gone =
            send(&served, "/now/apiary/list/delete", &[("token".to_owned(), served.token()), ("key".to_owned(), "1".to_owned())], "");
        assert!(gone.body.contains("Nothing was saved") && gone.body.contains("DELETE FROM"), "{}", gone.body);
        assert_eq!(now(&project, place.as_ref(), "name FROM apiary WHERE id = 1"), "Willow bend");
    }
}

#[test]
fn a_record_is_added_changed_and_deleted_on_every_engine() {
    for (project, place) in everywhere() {
        let place = place.as_ref();
        let served = Served::start(&project, &["--role", "everyone", "--write"]);
        // Mistakes first: nothing typed is lost, each is told at its field.
        let page = served.get("/now/hive/add", "").body;
        let typed = [("field.tag", "a number far too long"), ("field.hive_type", "skep"), ("field.built_on", "31.5.2026")];
        let wrong = send(&served, "/now/hive/add", &form(&page, &typed), "");
        for told in
            ["It wasn&#39;t saved", "At most 8 characters", "A value is needed", "A day, such as", "value=\"a number far too long\""]
        {
            assert!(wrong.body.contains(told) || wrong.body.replace('\'', "&#39;").contains(told), "{told}: {}", wrong.body);
        }
        // What the database refuses is led back to its field.
        let typed = [("field.tag", "W-1"), ("field.hive_type", "skep"), ("field.apiary", "1"), ("field.built_on", "2026-05-31")];
        let taken = send(&served, "/now/hive/add", &form(&page, &typed), "");
        assert!(taken.body.contains("Another record has this already") && taken.body.contains("#now-field-tag"), "{}", taken.body);
        let typed = [("field.tag", "N-7"), ("field.hive_type", "skep"), ("field.apiary", "1"), ("field.built_on", "2026-05-31")];
        let added = send(&served, "/now/hive/add", &form(&page, &typed), "");
        assert_eq!(added.status, 303, "{}", added.body);
        let to = header(&added.head, "location").unwrap();
        let detail = served.get(to, "").body;
        assert!(detail.contains("N-7") && detail.contains("Straw skep") && detail.contains("2026-05-31"), "{to}: {detail}");
        // Changed by one, and by another who read it before that.
        let key = to.split("key=").nth(1).unwrap();
        let edit = served.get(&format!("/now/hive/edit?key={key}"), "").body;
        let first = send(&served, "/now/hive/edit", &form(&edit, &[("field.colour", "green")]), "");
        assert_eq!(first.status, 303, "{}", first.body);
        let late = send(&served, "/now/hive/edit", &form(&edit, &[("field.colour", "blue")]), "");
        assert!(late.body.contains("Somebody else saved this record meanwhile") && late.body.contains("value=\"blue\""), "{}", late.body);
        assert!(late.body.contains("Now in the database: <b>green</b>"), "{}", late.body);
        let colour = format!("colour FROM hive WHERE id = {key}");
        assert_eq!(now(&project, place, &colour), "green");
        // Knowing that, it is put in its place.
        let again = send(&served, "/now/hive/edit", &form(&late.body, &[]), "");
        assert_eq!((again.status, now(&project, place, &colour)), (303, "blue".to_owned()), "{}", again.body);
        let same = served.get(&format!("/now/hive/edit?key={key}"), "").body;
        assert!(send(&served, "/now/hive/edit", &form(&same, &[]), "").body.contains("Nothing was changed"));
        // A rule over several fields is asked before the end, and the transaction given up.
        let yard = served.get("/now/apiary/edit?key=1", "").body;
        let closed = send(&served, "/now/apiary/edit", &form(&yard, &[("field.closed_on", "2001-01-01")]), "");
        assert!(unescaped(&closed.body).replace("&#39;", "'").contains("A yard can't close before it opened"), "{}", closed.body);
        assert_eq!(now(&project, place, "closed_on FROM apiary WHERE id = 1"), "NULL");
        // Links of a related set.
        let mut helped = form(&yard, &[]);
        helped.push(("related.helpers".to_owned(), "2".to_owned()));
        assert_eq!(send(&served, "/now/apiary/edit", &helped, "").status, 303);
        assert_eq!(now(&project, place, "count(*) FROM apiary_helper WHERE apiary_id = 1 AND keeper_id = 2"), "1");
        let yard = served.get("/now/apiary/edit?key=1", "").body;
        let unhelped: Fields = form(&yard, &[]).into_iter().filter(|(name, _)| name != "related.helpers").collect();
        assert_eq!(send(&served, "/now/apiary/edit", &unhelped, "").status, 303);
        assert_eq!(now(&project, place, "count(*) FROM apiary_helper WHERE apiary_id = 1"), "0");
        // Deletion asks, says what hinders, and then does it.
        let asked = served.get("/now/apiary/list/delete?key=1", "").body;
        assert!(asked.contains("Delete Willow bend?") && asked.contains("2 of <b>Hives</b> hinder it"), "{asked}");
        let gone = [("token".to_owned(), served.token()), ("key".to_owned(), "1".to_owned())];
        let refused = send(&served, "/now/apiary/list/delete", &gone, "");
        assert!(refused.status == 200 && refused.body.contains("role=\"alert\""), "{}", refused.body);
        let gone = [("token".to_owned(), served.token()), ("key".to_owned(), key.to_owned())];
        assert_eq!(send(&served, "/now/hive/list/delete", &gone, "").status, 303);
        assert_eq!(now(&project, place, &format!("count(*) FROM hive WHERE id = {key}")), "0");
    }
}

#[test]
fn no_form_gets_a_role_further_than_its_rights() {
    for (project, place) in everywhere() {
        let place = place.as_ref();
        let served = Served::start(&project, &["--role", "keeper", "--with", "user_keeper=1", "--write"]);
        let token = served.token();
        let page = served.get("/now/apiary/edit?key=1", KEEPER).body;
        let own = form(&page, &[]);
        let with = |changes: &[(&str, &str)]| form(&page, changes);
        let before = |sql: &str| now(&project, place, sql);
        let yards = "count(*) FROM apiary WHERE name IN ('Willow bend', 'Quarry edge') AND latitude IS NULL";
        assert_eq!(before(yards), "2");
        let plain = |pairs: &[(&str, &str)]| -> Fields {
            std::iter::once(("token", token.as_str())).chain(pairs.iter().copied()).map(|(n, v)| (n.to_owned(), v.to_owned())).collect()
        };
        let attempts: Vec<(&str, &str, Fields)> = vec![
            ("another's yard", "/now/apiary/edit", with(&[("key", "2"), ("field.name", "Mine")])),
            ("a yard that isn't there", "/now/apiary/edit", with(&[("key", "99"), ("field.name", "Mine")])),
            ("a key with SQL", "/now/apiary/edit", with(&[("key", "1 OR 1=1"), ("field.name", "Mine")])),
            ("two keys", "/now/apiary/edit", [with(&[("field.name", "Mine")]), plain(&[("key", "2")])].concat()),
            ("no key", "/now/apiary/edit", plain(&[("field.name", "Mine"), ("was.name", "Willow bend")])),
            ("what the role never sees", "/now/apiary/edit", with(&[("field.latitude", "1.5"), ("was.latitude", "")])),
            ("a column", "/now/apiary/edit", with(&[("field.keeper_id", "2"), ("was.keeper_id", "1")])),
            ("a field that isn't there", "/now/apiary/edit", with(&[("field.x\" = 1 --", "2"), ("was.x\" = 1 --", "1")])),
            ("given away", "/now/apiary/edit", with(&[("field.keeper", "2")])),
            ("a keeper that isn't offered", "/now/apiary/edit", with(&[("field.keeper", "99")])),
            ("after the merge too", "/after/apiary/edit", with(&[("key", "2"), ("field.name", "Mine")])),
            ("in both", "/both/apiary/edit", with(&[("field.name", "Mine")])),
            ("a page to read", "/now/apiary/detail", with(&[("field.name", "Mine")])),
            ("a list", "/now/apiary/list", with(&[("field.name", "Mine")])),
            ("a new yard", "/now/apiary/add", with(&[("field.name", "Mine")])),
            ("a new hive", "/now/hive/add", with(&[("field.tag", "X")])),
            ("a hive", "/now/hive/edit", with(&[("field.tag", "X")])),
            ("a deletion", "/now/apiary/list/delete", plain(&[("key", "1")])),
            ("another's deletion", "/now/apiary/list/delete", plain(&[("key", "2")])),
            ("a deletion of another page", "/now/apiary/edit/delete", plain(&[("key", "1")])),
            ("no token", "/now/apiary/edit", with(&[("token", ""), ("field.name", "Mine")])),
            ("another token", "/now/apiary/edit", with(&[("token", "0000"), ("field.name", "Mine")])),
            (
                "a keeper's own record, that is read alone",
                "/now/keeper/edit",
                plain(&[("key", "1"), ("field.place", "X"), ("was.place", "Reedham")]),
            ),
        ];
        for (what, path, sent) in attempts {
            let got = send(&served, path, &sent, KEEPER);
            assert_ne!(got.status, 303, "{what} was saved");
            assert_eq!(before(yards), "2", "{what}");
            assert_eq!(before("count(*) FROM apiary WHERE keeper_id = 1"), "1", "{what}");
            assert_eq!(before("count(*) FROM hive WHERE tag IN ('W-1', 'Q-1')"), "2", "{what}");
            assert!(!got.body.contains("Quarry edge"), "{what}: {}", got.body);
        }
        // What is allowed is.
        let mine = with(&[("field.name", "Willow end")]);
        assert_ne!(mine, own);
        assert_eq!(send(&served, "/now/apiary/edit", &mine, KEEPER).status, 303);
        assert_eq!(before("name FROM apiary WHERE id = 1"), "Willow end");
    }
}

#[test]
fn what_a_role_adds_is_its_own_and_what_goes_with_a_record_is_counted_as_far_as_it_is_seen() {
    for (project, place) in everywhere() {
        let place = place.as_ref();
        project.edit("app/apiary.toml", "[access.keeper]\nread = true\n", "[access.keeper]\nread = true\nadd = true\ndelete = true\n");
        project.edit("app/apiary.toml", "rows = \"keeper_id = :user_keeper\"", "rows = \"keeper_id = :user_keeper AND code <> 'LENT'\"");
        let served = Served::start(&project, &["--role", "keeper", "--with", "user_keeper=1", "--write"]);
        let page = served.get("/now/apiary/add", KEEPER).body;
        let yards = || now(&project, place, "count(*) FROM apiary WHERE name = 'Alder'");
        let typed = |code: &str| {
            let fields = [("field.code", code), ("field.name", "Alder"), ("field.keeper", "1"), ("field.opened_on", "2026-05-31")];
            form(&page, &fields)
        };
        let lent = send(&served, "/now/apiary/add", &typed("LENT"), KEEPER);
        assert!(lent.status == 200 && lent.body.contains("isn't yours to see"), "{}", lent.body);
        assert_eq!(yards(), "0");
        let added = send(&served, "/now/apiary/add", &typed("A-1"), KEEPER);
        assert_eq!((added.status, yards()), (303, "1".to_owned()), "{}", added.body);
        // Of the hives none is said to anybody who may not read them but that there are some.
        let asked = served.get("/now/apiary/list/delete?key=1", KEEPER).body;
        assert!(asked.contains("1 of <b>Hives</b> hinders it") && !asked.contains("aren't yours"), "{asked}");
        project.edit("app/hive.toml", "[access.keeper]\nread = true\n", "[access.keeper]\nread = false\n");
        let served = Served::start(&project, &["--role", "keeper", "--with", "user_keeper=1", "--write"]);
        let asked = served.get("/now/apiary/list/delete?key=1", KEEPER).body;
        assert!(asked.contains("Some that aren't yours to see hinder it") && !asked.contains("Hives</b>"), "{asked}");
    }
}

#[test]
fn many_records_are_given_the_same_wholly_or_not_at_all() {
    for (project, place) in everywhere() {
        let place = place.as_ref();
        // What is saved may take a record off the page.
        project.edit("app/hive.toml", "[page.bulk]\n", "[page.bulk]\nwhere = \"hive_type <> 'log'\"\n");
        let served = Served::start(&project, &["--role", "everyone", "--write"]);
        let page = served.get("/now/hive/bulk", "").body;
        let given = |kind: &str, records: &[&str]| {
            let mut sent = form(&page, &[("field.hive_type", kind), ("set", "hive_type")]);
            sent.retain(|(name, value)| name != "set" || value == "hive_type");
            sent.extend(records.iter().map(|record| ("record".to_owned(), (*record).to_owned())));
            send(&served, "/now/hive/bulk?search=1", &sent, "")
        };
        let kinds = |kind: &str| now(&project, place, &format!("count(*) FROM hive WHERE hive_type = '{kind}'"));
        let done = given("log", &["1", "2"]);
        assert!(done.status == 303 && header(&done.head, "location").unwrap().ends_with("?search=1"), "{} {}", done.head, done.body);
        assert_eq!(kinds("log"), "2");
        // One that isn't there, one that isn't offered, and none at all.
        assert!(given("frame", &["1", "99"]).body.contains("There is no such record"));
        assert!(given("barrel", &["1"]).body.contains("Choose one of those that are offered"));
        assert!(given("frame", &[]).body.contains("Choose records"));
        assert_eq!(kinds("log"), "2");
        let token = served.token();
        let keeper = [("token", token.as_str()), ("set", "hive_type"), ("field.hive_type", "frame"), ("record", "1")];
        assert_eq!(served.post_as("/now/hive/bulk", &keeper, KEEPER).status, 404);
        assert_eq!(kinds("log"), "2");
    }
}

#[test]
fn nothing_is_saved_by_a_definition_that_is_not_sound() {
    let project = Project::demo(None);
    project.edit("app/hive.toml", "column = \"colour\"", "column = \"hue\"");
    let refused = project.run(&["try", "--write"]);
    assert!(refused.code == 2 && refused.err.contains("isn't sound"), "{}", refused.err);
}

#[test]
fn a_picture_is_sent_replaced_kept_and_taken_away_on_every_engine() {
    const PNG: &[u8] = b"\x89PNG\r\n\x1a\n a picture, and bytes of all kinds \x00\xff\xfe";
    const GIF: &[u8] = b"GIF89a another one";
    for (project, place) in everywhere() {
        let served = Served::start(&project, &["--role", "everyone", "--write"]);
        let sent = |file: &[u8], typed: &[(&str, &str)]| {
            let page = served.get("/now/hive/edit?key=1", "").body;
            assert!(page.contains("enctype=\"multipart/form-data\"") && page.contains("type=\"file\""), "{page}");
            let mut fields = form(&page, typed);
            fields.retain(|(name, _)| name != "field.photo");
            let fields: Vec<(&str, &str)> = fields.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect();
            served.upload_as("field.photo", "/now/hive/edit", &fields, file, "")
        };
        let there = || {
            let got = served.get("/now/hive/detail/bytes?field=photo&key=1", "");
            (got.status == 200).then_some(got.bytes)
        };
        let at = place.as_ref().map(Place::url);
        let refused = sent(b"<svg onload=alert(1)>", &[]);
        assert!(refused.body.contains("A picture: PNG, JPEG, GIF or WebP."), "{at:?}: {}", refused.body);
        assert_eq!(sent(PNG, &[]).status, 303, "{at:?}");
        assert_eq!(there().as_deref(), Some(PNG), "{at:?}");
        assert_eq!(sent(GIF, &[("field.colour", "grey")]).status, 303, "{at:?}");
        assert_eq!(there().as_deref(), Some(GIF), "{at:?}");
        // Where none is chosen, the one that is there stays.
        assert_eq!(sent(b"", &[("field.colour", "green")]).status, 303, "{at:?}");
        assert_eq!(
            (there().as_deref(), now(&project, place.as_ref(), "colour FROM hive WHERE id = 1").as_str()),
            (Some(GIF), "green"),
            "{at:?}"
        );
        assert_eq!(sent(b"", &[("clear.photo", "1")]).status, 303, "{at:?}");
        assert_eq!(there(), None, "{at:?}");
        assert_eq!(now(&project, place.as_ref(), "count(photo) FROM hive WHERE id = 1"), "0", "{at:?}");
        // With a new record.
        let page = served.get("/now/hive/add", "").body;
        let mut fields = form(&page, &[("field.apiary", "1"), ("field.tag", "P-1"), ("field.hive_type", "log")]);
        fields.retain(|(name, _)| name != "field.photo");
        let fields: Vec<(&str, &str)> = fields.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect();
        let added = served.upload_as("field.photo", "/now/hive/add", &fields, PNG, "");
        assert_eq!(added.status, 303, "{at:?}: {}", added.body);
        assert_eq!(now(&project, place.as_ref(), "count(photo) FROM hive WHERE tag = 'P-1'"), "1", "{at:?}");
        // What was chosen is kept through a mistake, and what was wrong isn't.
        let wrong = sent(GIF, &[("field.tag", "a number far too long")]);
        assert!(wrong.body.contains("The chosen file is kept"), "{at:?}: {}", wrong.body);
        let mut again = form(&wrong.body, &[("field.tag", "W-1")]);
        again.retain(|(name, _)| name != "field.photo");
        let again: Vec<(&str, &str)> = again.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect();
        assert_eq!(served.upload_as("field.photo", "/now/hive/edit", &again, b"", "").status, 303, "{at:?}");
        assert_eq!(there().as_deref(), Some(GIF), "{at:?}");
        // One that isn't kept any more is told, never taken for none.
        let lost: Vec<(&str, &str)> = again.iter().map(|(name, value)| (*name, if *name == "kept.photo" { "0" } else { value })).collect();
        let told = served.upload_as("field.photo", "/now/hive/edit", &lost, b"", "");
        assert!(told.status == 200 && told.body.contains("isn't kept any more"), "{at:?}: {}", told.body);
        assert_eq!(there().as_deref(), Some(GIF), "{at:?}");
        assert!(!sent(b"<svg>", &[("field.tag", "a number far too long")]).body.contains("The chosen file is kept"), "{at:?}");
        // Without a token, or too large.
        let without: Vec<(&str, &str)> = fields.iter().copied().filter(|(name, _)| *name != "token").collect();
        assert_eq!(served.upload_as("field.photo", "/now/hive/add", &without, PNG, "").status, 403, "{at:?}");
        let large = [PNG, &vec![0; 21 * 1024 * 1024]].concat();
        assert_ne!(served.upload_as("field.photo", "/now/hive/add", &fields, &large, "").status, 303, "{at:?}");
    }
}
