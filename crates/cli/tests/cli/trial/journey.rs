//! What a maintainer does after a change: opens the application, uses it, finds a page broken, answers, and sees it work.

use super::Served;
use super::driver::Driver;
use crate::support::Project;

#[test]
fn what_changes_elsewhere_is_seen_in_every_open_page_and_what_was_typed_stays() {
    let Some(driver) = Driver::start() else { return };
    let project = Project::demo(None);
    let served = Served::start(&project, &["--role", "everyone", "--write"]);
    let (list, form) = (driver.window(), driver.window());
    let base = format!("http://127.0.0.1:{}", served.port);
    list.open(&format!("{base}/?key={}&here=/now/hive/list", served.key));
    form.open(&format!("{base}/?key={}&here=/now/hive/edit%3Fkey=1", served.key));
    list.fill("input[name=search]", "half a wo");
    // With a mistake first, then saved: the other window shows it, and keeps what is being typed.
    form.fill("[name='field.tag']", "far too long a number");
    form.script("document.querySelector('[name=\"field.tag\"]').removeAttribute('maxlength'); document.querySelector('[name=\"field.tag\"]').value = 'far too long a number'; return ''");
    form.click(".form .main");
    form.wait("return document.body.innerText.includes('At most 8 characters')");
    form.fill("[name='field.tag']", "NEW-1");
    form.click(".form .main");
    form.wait("return location.pathname === '/now/hive/detail' && document.body.innerText.includes('NEW-1')");
    list.wait("return document.querySelector('main').innerText.includes('NEW-1')");
    assert_eq!(list.script("return document.querySelector('input[name=search]').value"), "half a wo");
    // A form that is being filled in isn't read anew under the hands of whoever does: saving it tells what others saved.
    form.open(&format!("{base}/now/hive/edit?key=1"));
    form.fill("[name='field.colour']", "red");
    project.sql("UPDATE hive SET colour = 'green', row_version = row_version + 1 WHERE id = 1");
    form.wait("return Number(document.documentElement.dataset.redrawn || 0) > 0");
    form.click(".form .main");
    form.wait("return document.body.innerText.includes('Somebody else saved this record meanwhile')");
    // A file that is edited.
    project.edit("app/hive.toml", "label = \"Hive number\"", "label = \"Burnt number\"");
    list.wait("return document.querySelector('main').innerText.includes('Burnt number')");
    let whole = project.read("app/hive.toml");
    project.write("app/hive.toml", "no toml = = 1");
    list.wait("return document.body.innerText.includes('This is as it was')");
    project.write("app/hive.toml", &whole);
    list.wait("return !document.body.innerText.includes('This is as it was')");
    // The schema itself.
    project.sql("ALTER TABLE hive DROP COLUMN colour");
    list.wait("return document.body.innerText.includes('A part of this page can\u{2019}t work') || document.body.innerText.includes(\"can't work\")");
    // Deleted in one, gone in the other.
    form.open(&format!("{base}/now/region/list/delete?key=2"));
    assert!(form.text().contains("hinders it"), "{}", form.text());
}

#[test]
fn a_browser_goes_through_the_application_before_and_after_the_merge() {
    let Some(driver) = Driver::start() else { return };
    let project = Project::demo(None);
    let served = Served::start(&project, &["--with", "user_keeper=1"]);
    let window = driver.window();
    window.open(&format!("http://127.0.0.1:{}/?key={}", served.port, served.key));
    // Menu, list, search, heading, record, what belongs to it.
    assert!(window.address().ends_with("/now/apiary/list"), "{}", window.address());
    window.fill("input[name=search]", "quarry");
    window.click(".narrow button");
    assert!(window.text().contains("1–1 of 1") && !window.text().contains("Willow bend"), "{}", window.text());
    window.follow("Show all");
    window.follow("Code");
    assert!(window.text().find("Willow bend") < window.text().find("Quarry edge"), "{}", window.text());
    window.follow("Code ↑");
    assert!(window.text().find("Quarry edge") < window.text().find("Willow bend"), "{}", window.text());
    window.click("td.open a[aria-label='Open A1']");
    assert!(window.text().contains("Willow bend") && window.text().contains("W-1"), "{}", window.text());
    // As a keeper: own yards alone.
    window.script("document.querySelector('#role').value = 'keeper'; return ''");
    window.click(".viewer button");
    window.wait("return document.querySelector('#role option[value=keeper]').defaultSelected");
    window.follow("Yards");
    assert!(window.text().contains("Willow bend") && !window.text().contains("Quarry edge"), "{}", window.text());
    window.script("document.querySelector('#role').value = 'everyone'; return ''");
    window.click(".viewer button");
    window.wait("return document.querySelector('#role option[value=everyone]').defaultSelected");
    assert!(window.text().contains("Quarry edge"), "{}", window.text());
    // By keyboard alone: the first key leads past the menu.
    window.press("\u{e004}");
    assert_eq!(window.script("return document.activeElement.textContent"), "Skip to the content");
    window.press("\u{e007}");
    assert!(window.address().ends_with("#content"), "{}", window.address());
    // No control without a name, no id twice, nothing from elsewhere.
    for script in [
        "return [...document.querySelectorAll('select, input:not([type=hidden])')].filter(e => !e.labels.length).length",
        "const ids = [...document.querySelectorAll('[id]')].map(e => e.id); return ids.length - new Set(ids).size",
        "return performance.getEntriesByType('resource').filter(e => !e.name.startsWith(location.origin)).length",
    ] {
        assert_eq!(window.script(script), "0", "{script}");
    }
    drop(served);
    // The database changed: a page is broken, its story tells why, an answer mends it.
    project.change_demo(None);
    let served = Served::start(&project, &["--role", "everyone"]);
    window.open(&format!("http://127.0.0.1:{}/?key={}", served.port, served.key));
    window.follow("Remedies");
    assert!(window.text().contains("This page can't work") && window.text().contains("The database says"), "{}", window.text());
    let choice = "const form = [...document.querySelectorAll('form.question')].find(f => f.elements.question.value === 'rename/remedy');
        form.querySelector('details').open = true; form.querySelector('input[value=medicine]').click(); form.querySelector('button').click(); return ''";
    window.script(choice);
    window.wait("return document.body.innerText.includes('1 answer')");
    window.follow("See it after the merge");
    assert!(window.text().contains("Thyme strips") && !window.text().contains("can't work"), "{}", window.text());
    window.follow("Both");
    assert!(window.text().contains("This page can't work") && window.text().contains("Thyme strips"), "{}", window.text());
}

#[test]
fn what_a_field_offers_is_found_while_it_is_typed_and_what_was_chosen_stays() {
    let Some(driver) = Driver::start() else { return };
    let project = Project::demo(None);
    project.sql(
        "WITH RECURSIVE n (i) AS (SELECT 1000 UNION ALL SELECT i + 1 FROM n WHERE i < 1400)
         INSERT INTO keeper (id, member_no, first_name, last_name, joined_on) SELECT i, 'X-' || i, 'Ada', 'Number ' || i, '2026-01-01' FROM n",
    );
    let served = Served::start(&project, &["--role", "everyone", "--write"]);
    let window = driver.window();
    window.open(&format!("http://127.0.0.1:{}/?key={}&here=/now/apiary/edit%3Fkey=1", served.port, served.key));
    let before = window.script("return document.querySelector('[name=\"field.keeper\"]').selectedOptions[0].text");
    window.fill("[name='find.keeper']", "number 1377");
    window.wait("return [...document.querySelectorAll('[name=\"field.keeper\"] option')].some(o => o.text.includes('Number 1377'))");
    assert_eq!(
        window.script("return document.querySelector('[name=\"field.keeper\"]').selectedOptions[0].text"),
        before,
        "nothing was chosen"
    );
    assert_eq!(window.script("return document.activeElement.name"), "find.keeper", "whoever types goes on typing");
    window.script("const f = document.querySelector('[name=\"field.keeper\"]'); f.value = '1377'; return ''");
    // A related set: what is ticked stays while something else is looked for.
    window.fill("[name='find.helpers']", "number 1399");
    window.wait("return [...document.querySelectorAll('.ticks label')].some(l => l.textContent.includes('Number 1399'))");
    window.script("[...document.querySelectorAll('.ticks label')].find(l => l.textContent.includes('Number 1399')).click(); return ''");
    window.fill("[name='find.helpers']", "number 1388");
    window.wait("return [...document.querySelectorAll('.ticks label')].some(l => l.textContent.includes('Number 1388'))");
    let is_ticked = |name: &str| {
        let label = format!("[...document.querySelectorAll('.ticks label')].find(l => l.textContent.includes('{name}'))");
        window.script(&format!("return document.getElementById({label}.htmlFor).checked"))
    };
    assert_eq!((is_ticked("Number 1399"), is_ticked("Number 1388")), ("true".to_owned(), "false".to_owned()));
    window.click(".form .main");
    window.wait("return location.pathname === '/now/apiary/detail'");
    assert!(window.text().contains("Number 1377") && window.text().contains("Number 1399"), "{}", window.text());
    assert!(!window.text().contains("Number 1388"), "{}", window.text());
}

#[test]
fn by_keyboard_alone_a_record_is_found_changed_and_saved() {
    let Some(driver) = Driver::start() else { return };
    let project = Project::demo(None);
    let served = Served::start(&project, &["--role", "everyone", "--write"]);
    let window = driver.window();
    window.open(&format!("http://127.0.0.1:{}/?key={}", served.port, served.key));
    const ENTER: &str = "\u{e007}";
    let reach = |what: &str| {
        for _ in 0..80 {
            window.press("\u{e004}");
            if window.script(&format!("const e = document.activeElement; return Boolean({what})")) == "true" {
                // What has the focus is seen to have it.
                let seen = "const s = getComputedStyle(document.activeElement); return s.outlineStyle !== 'none' || s.boxShadow !== 'none'";
                assert_eq!(window.script(seen), "true", "nothing shows that {what} has the focus");
                return;
            }
        }
        panic!("no way by keyboard to {what}");
    };
    reach("e.tagName === 'A' && e.textContent === 'Hives'");
    window.press(ENTER);
    window.wait("return location.pathname === '/now/hive/list'");
    reach("e.name === 'search'");
    window.press("W-1");
    window.press(ENTER);
    window.wait("return location.search.includes('search=W-1')");
    reach("(e.getAttribute('aria-label') || '').startsWith('Open W-1')");
    window.press(ENTER);
    window.wait("return location.pathname === '/now/hive/detail'");
    reach("e.tagName === 'A' && e.textContent.startsWith('Edit')");
    window.press(ENTER);
    window.wait("return location.pathname === '/now/hive/edit'");
    reach("e.name === 'field.colour'");
    window.press("mossy");
    reach("e.classList.contains('main')");
    window.press(ENTER);
    window.wait("return location.pathname === '/now/hive/detail' && document.body.innerText.includes('mossy')");
}
