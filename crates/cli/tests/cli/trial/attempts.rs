//! Nobody without the key sees anything, and no address, form or header shows a role what it may not see.

use super::{Served, encoded, header};
use crate::support::{Project, assert_same_files, files_below};

/// What nobody but its owner may see: of another keeper, of another yard, and what is sensitive or hidden.
const SECRETS: [&str; 6] = ["Quarry edge", "Vell", "Odo", "tok-secret-0815", "52.123456", "Q-1"];

fn project() -> Project {
    let project = Project::demo(None);
    project.sql("UPDATE keeper SET api_token = 'tok-secret-0815'; UPDATE apiary SET latitude = 52.123456, longitude = 52.123456");
    project
}

#[test]
fn nobody_gets_in_without_the_key_or_by_another_name() {
    let project = project();
    let served = Served::start(&project, &["--role", "everyone"]);
    let (port, key, token) = (served.port, served.key.clone(), served.token());
    let host = format!("Host: 127.0.0.1:{port}\r\n");
    let cookie = format!("Cookie: ysomorph_key={key}\r\n");
    let short = format!("Cookie: ysomorph_key={}\r\n", &key[..key.len() - 1]);
    let own = format!("{host}{cookie}");
    let form = |body: &str, more: &str| {
        format!(
            "POST /answer HTTP/1.1\r\n{host}{cookie}{more}Content-Type: application/x-www-form-urlencoded\r\nContent-Length: {}\r\nConnection: close\r\n\r\n{body}",
            body.len()
        )
    };
    let get = |path: &str, headers: &str| format!("GET {path} HTTP/1.1\r\n{headers}Connection: close\r\n\r\n");
    let with = |method: &str| format!("{method} /now/apiary/list HTTP/1.1\r\n{own}Content-Length: 0\r\nConnection: close\r\n\r\n");
    let answer = format!("token={token}&question=rename%2Fx&choice=y");
    let large = format!("token={token}&question={}", "x".repeat(200_000));
    let attempts: Vec<(&str, String, &[u16])> = vec![
        ("no cookie", get("/now/apiary/list", &host), &[403]),
        ("no cookie, the start", get("/", &host), &[403]),
        ("no cookie, a file", get("/style.css", &host), &[403]),
        ("no cookie, nowhere", get("/x", &host), &[403]),
        ("a wrong cookie", get("/now/apiary/list", &format!("{host}Cookie: ysomorph_key=0\r\n")), &[403]),
        ("an empty cookie", get("/now/apiary/list", &format!("{host}Cookie: ysomorph_key=\r\n")), &[403]),
        ("a part of the key", get("/now/apiary/list", &format!("{host}{short}")), &[403]),
        ("more than the key", get("/now/apiary/list", &format!("{host}Cookie: ysomorph_key={key}0\r\n")), &[403]),
        ("the key under another name", get("/now/apiary/list", &format!("{host}Cookie: key={key}\r\n")), &[403]),
        ("the key as a header", get("/now/apiary/list", &format!("{host}Authorization: Bearer {key}\r\n")), &[403]),
        ("the key of another page's address", get(&format!("/now/apiary/list?key={key}"), &host), &[403]),
        ("a wrong key", get("/?key=0", &host), &[403]),
        ("a wrong key, let in before", get("/?key=0", &own), &[403]),
        ("the key in capitals", get(&format!("/?key={}", key.to_uppercase()), &host), &[403]),
        ("another name", get("/now/apiary/list", &format!("Host: combs.example:{port}\r\n{cookie}")), &[421]),
        ("another name, with the key", get(&format!("/?key={key}"), &format!("Host: combs.example:{port}\r\n")), &[421]),
        ("another port", get("/now/apiary/list", &format!("Host: 127.0.0.1:1\r\n{cookie}")), &[421]),
        ("no port", get("/now/apiary/list", &format!("Host: 127.0.0.1\r\n{cookie}")), &[421]),
        ("a name that begins alike", get("/now/apiary/list", &format!("Host: 127.0.0.1:{port}.combs.example\r\n{cookie}")), &[421]),
        ("no name", get("/now/apiary/list", &cookie), &[400, 421]),
        ("two names", get("/now/apiary/list", &format!("{host}Host: combs.example\r\n{cookie}")), &[400, 421]),
        ("another machine", get("/now/apiary/list", &format!("Host: 192.0.2.1:{port}\r\n{cookie}")), &[421]),
        ("PUT", with("PUT"), &[403, 405]),
        ("DELETE", with("DELETE"), &[403, 405]),
        ("PATCH", with("PATCH"), &[403, 405]),
        ("OPTIONS", with("OPTIONS"), &[403, 405]),
        ("TRACE", with("TRACE"), &[403, 405]),
        ("a made-up method", with("BREW"), &[403, 405]),
        ("POST to a page", with("POST"), &[403, 405]),
        ("a form without a token", form("question=rename%2Fx&choice=y", ""), &[403]),
        ("a form with an empty token", form("token=&question=rename%2Fx&choice=y", ""), &[403]),
        ("a form with the key for a token", form(&format!("token={key}&question=rename%2Fx&choice=y"), ""), &[403]),
        ("a form of another page", form(&answer, "Origin: https://combs.example\r\n"), &[403]),
        ("a form of nowhere", form(&answer, "Origin: null\r\n"), &[403]),
        ("a form of another port", form(&answer, "Origin: http://127.0.0.1:1\r\n"), &[403]),
        ("a form of another site", form(&answer, "Sec-Fetch-Site: cross-site\r\n"), &[403]),
        ("a form of the same site's other name", form(&answer, "Sec-Fetch-Site: same-site\r\n"), &[403]),
        ("a form that is too large", form(&large, ""), &[413]),
        ("an answer that nothing asks", form(&answer, ""), &[409]),
        ("no request at all", "hello\r\n\r\n".to_owned(), &[0, 400]),
    ];
    assert!(attempts.len() >= 40);
    for (what, request, expected) in attempts {
        let got = served.raw(&request);
        assert!(expected.contains(&got.status), "{what}: {} {}", got.status, got.body);
        assert!(!got.body.contains("Willow") && !got.body.contains(&key) && !got.body.contains(&token), "{what}: {}", got.body);
        assert!(got.status == 0 || got.status == 400 || header(&got.head, "content-security-policy").is_some(), "{what}: {}", got.head);
    }
    // With the key, once, and then by the cookie alone.
    let entered = served.raw(&get(&format!("/?key={key}"), &host));
    let kept = header(&entered.head, "set-cookie").unwrap();
    assert!(entered.status == 303 && kept.contains("HttpOnly") && kept.contains("SameSite=Strict"), "{kept}");
    let page = served.get("/now/apiary/list", "");
    assert!(page.status == 200 && page.body.contains("Willow bend"));
    let policy = header(&page.head, "content-security-policy").unwrap();
    assert!(policy.starts_with("default-src 'none'") && !policy.contains("unsafe"), "{policy}");
    assert!(!page.body.contains(&key), "the key is in no page");
}

#[test]
fn no_address_and_no_form_shows_a_role_what_it_may_not_see() {
    let project = project();
    let served = Served::start(&project, &["--role", "keeper", "--with", "user_keeper=1"]);
    let before = files_below(project.dir.path());
    let keeper = "role=keeper&with.user_keeper=1";
    let injected = encoded("1' OR '1'='1");
    let union = encoded("1 UNION SELECT id, api_token FROM keeper");
    let attempts: Vec<(&str, String, &str)> = vec![
        ("another yard", "/now/apiary/detail?key=2".to_owned(), keeper),
        ("another yard, to edit", "/now/apiary/edit?key=2".to_owned(), keeper),
        ("another yard, after the merge", "/after/apiary/detail?key=2".to_owned(), keeper),
        ("another yard, in both", "/both/apiary/detail?key=2".to_owned(), keeper),
        ("another keeper", "/now/keeper/detail?key=2".to_owned(), keeper),
        ("another keeper's page of a form", "/now/keeper/edit?key=1".to_owned(), keeper),
        ("more keys than there are", "/now/apiary/detail?key=1&key=2".to_owned(), keeper),
        ("no key", "/now/apiary/detail".to_owned(), keeper),
        ("a key with SQL", format!("/now/apiary/detail?key={injected}"), keeper),
        ("a key with another statement", format!("/now/apiary/detail?key={}", encoded("1; DELETE FROM hive")), keeper),
        ("a key with a UNION", format!("/now/apiary/detail?key={union}"), keeper),
        ("a search with SQL", format!("/now/apiary/list?search={injected}"), keeper),
        ("a search for another's name", "/now/apiary/list?search=Quarry".to_owned(), keeper),
        ("a search for everything", "/now/apiary/list?search=%25".to_owned(), keeper),
        ("a filter with SQL", format!("/now/apiary/list?filter.region={injected}"), keeper),
        ("a filter by another keeper", "/now/apiary/list?filter.keeper=2".to_owned(), keeper),
        ("a filter by what is hidden", "/now/apiary/list?filter.latitude.from=52&filter.latitude.to=53".to_owned(), keeper),
        ("a filter by a column", "/now/apiary/list?filter.keeper_id=2".to_owned(), keeper),
        ("a sort by what is hidden", "/now/apiary/list?sort=latitude".to_owned(), keeper),
        ("a sort by SQL", format!("/now/apiary/list?sort={}", encoded("(SELECT api_token FROM keeper)")), keeper),
        ("a sort by a secret", "/now/keeper/list?sort=-api_token".to_owned(), keeper),
        ("a search in a secret", "/now/keeper/list?search=tok-secret".to_owned(), keeper),
        ("a filter by a secret", "/now/keeper/list?filter.api_token=tok-secret-0815".to_owned(), keeper),
        ("a page far behind", "/now/apiary/list?page=4294967295".to_owned(), keeper),
        ("a page with SQL", format!("/now/apiary/list?page={}", encoded("1 OFFSET 0 --")), keeper),
        ("a group where there is none", "/now/apiary/list?group==2".to_owned(), keeper),
        ("a group of another's", "/now/harvest/by-region?group==2".to_owned(), keeper),
        ("a page that isn't there", "/now/apiary/secret".to_owned(), keeper),
        ("an entity that isn't there", format!("/now/{}/list", encoded("keeper\" JOIN apiary")), keeper),
        ("a version that isn't there", "/later/apiary/list".to_owned(), keeper),
        ("a way out", format!("/now/{}/list", encoded("../../etc/passwd")), keeper),
        ("a way out of the files", "/style.css/../../../ysomorph.toml".to_owned(), keeper),
        ("a file of the workspace", "/app/keeper.toml".to_owned(), keeper),
        ("a null byte", "/now/apiary/detail?key=%00".to_owned(), keeper),
        ("broken characters", "/now/apiary/list?search=%ff%fe".to_owned(), keeper),
        ("a very long search", format!("/now/apiary/list?search={}", "x".repeat(6_000)), keeper),
        ("a keeper with SQL", "/now/apiary/list".to_owned(), "role=keeper&with.user_keeper=1+OR+1=1"),
        ("a keeper with a wildcard", "/now/apiary/list".to_owned(), "role=keeper&with.user_keeper=%25"),
        ("a parameter of the page's own", "/now/apiary/detail?key=2".to_owned(), "role=keeper&with.user_keeper=1&with.key_1=1"),
        ("somebody who is nobody", "/now/apiary/list".to_owned(), "role=keeper&with.user_keeper="),
        ("markup for a search", format!("/now/apiary/list?search={}", encoded("\"><script>boom()</script>")), keeper),
        ("markup for a sort", format!("/now/apiary/list?sort={}", encoded("\"><script>boom()</script>")), keeper),
        ("markup for a group", format!("/now/harvest/by-region?group={}", encoded("=\"><script>boom()</script>")), keeper),
    ];
    assert!(attempts.len() >= 40);
    for (what, path, view) in &attempts {
        let got = served.get(path, view);
        assert!([200, 404, 400].contains(&got.status), "{what}: {} {}", got.status, got.body);
        for secret in SECRETS {
            // What was asked for is said again in the page's own fields.
            let said_again = path.contains(secret.split(' ').next().unwrap());
            assert!(said_again || !got.body.contains(secret), "{what}: {secret}: {}", got.body);
        }
        assert!(!got.body.contains("<script>boom"), "{what}: {}", got.body);
    }
    // Where it leads back to stays here, whatever a form says.
    let token = served.token();
    for here in ["https://combs.example/", "//combs.example/", "/\\combs.example", "/now/\r\nSet-Cookie: a=b", "javascript:boom()"] {
        let got = served.post("/viewer", &[("token", &token), ("here", here), ("role", "keeper")]);
        let to = header(&got.head, "location").unwrap_or("/");
        assert!(
            to.starts_with('/') && !to.starts_with("//") && !to.contains('\\') && !got.head.contains("\r\nSet-Cookie: a"),
            "{here}: {}",
            got.head
        );
    }
    // Made up at random, out of the same pieces.
    let mut state = 7_u32;
    let mut pick = |of: &[&str]| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        of[usize::try_from(state >> 16).unwrap() % of.len()].to_owned()
    };
    for _ in 0..300 {
        let entity = pick(&["apiary", "hive", "keeper", "colony", "inspection", "harvest"]);
        let page = pick(&["list", "detail", "edit", "bulk", "by-region", "add"]);
        let version = pick(&["now", "after", "both"]);
        let name =
            pick(&["key", "search", "sort", "page", "group", "filter.region", "filter.keeper", "filter.latitude.from", "filter.api_token"]);
        let value = pick(&["2", "-1", "' OR 1=1 --", "latitude", "-api_token", "=2", "%", "_", "1\u{1f}2", "NULL", "\u{0}", ""]);
        let path = format!("/{version}/{entity}/{page}?{name}={}&key={}", encoded(&value), pick(&["1", "2"]));
        let got = served.get(&path, keeper);
        assert!([200, 404].contains(&got.status), "{path}: {}", got.status);
        for secret in ["tok-secret-0815", "52.123456"] {
            assert!(!got.body.contains(secret), "{path}: {secret}");
        }
        if ["apiary", "keeper"].contains(&entity.as_str()) && page != "edit" {
            assert!(!got.body.contains("Quarry edge") && !got.body.contains("Vell"), "{path}: {}", got.body);
        }
    }
    assert_same_files(&before, &files_below(project.dir.path()), "something was written");
}
