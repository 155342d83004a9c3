//! The report in a real browser: its policy lets its own script run and no other, filters narrow it down, addresses lead to what they
//! name. Without a browser these tests say so and pass; with `YSOMORPH_REQUIRE_BROWSER=1` they fail instead.

use crate::formats::{HOSTILE, LOST};
use crate::support::Project;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

fn browser() -> Option<PathBuf> {
    let paths = std::env::var_os("PATH").unwrap_or_default();
    let names = ["chromium", "chromium-browser", "google-chrome"];
    let found = std::env::split_paths(&paths).flat_map(|folder| names.map(|name| folder.join(name))).find(|file| file.is_file());
    if found.is_none() {
        assert!(std::env::var("YSOMORPH_REQUIRE_BROWSER").is_err(), "no browser was found");
        eprintln!("skipped: no browser to open a report in");
    }
    found
}

/// The page as it stands after its scripts ran.
fn opened(browser: &Path, page: &Path, address: &str) -> String {
    let home = tempfile::tempdir().unwrap();
    let ran = Command::new(browser)
        .args([
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--no-first-run",
            "--disable-background-networking",
            "--virtual-time-budget=5000",
        ])
        .args(["--dump-dom", &format!("--user-data-dir={}", home.path().display()), &format!("file://{}{address}", page.display())])
        .stderr(Stdio::null())
        .output()
        .unwrap();
    String::from_utf8(ran.stdout).unwrap()
}

fn report(project: &Project, command: &str) -> (PathBuf, String) {
    let page = project.path(&format!("{command}.html"));
    project.run(&[command, "--format", "html", "--output", page.to_str().unwrap()]);
    let text = std::fs::read_to_string(&page).unwrap();
    (page, text)
}

/// Runs a script in the page and gives what it leaves in the title. The page's policy is taken out for that, in a copy.
fn asked(browser: &Path, project: &Project, text: &str, script: &str) -> String {
    let start = text.find("<meta http-equiv=\"Content-Security-Policy\"").unwrap();
    let end = start + text[start..].find('>').unwrap() + 1;
    let open = format!("{}{}", &text[..start], &text[end..]);
    let script = format!(
        "<script>try {{ document.title = String((() => {{ {script} }})()); }} catch (e) {{ document.title = String(e); }}</script></body>"
    );
    let page = project.path("asked.html");
    std::fs::write(&page, open.replace("</body>", &script)).unwrap();
    let shown = opened(browser, &page, "");
    let from = shown.find("<title>").unwrap() + 7;
    shown[from..from + shown[from..].find("</title>").unwrap()].to_owned()
}

/// The tags of a page without what stands between them and in their values: what a name could have become.
fn markup(text: &str) -> String {
    let mut out = String::new();
    for tag in text.split('<').skip(1) {
        let head = tag.split('>').next().unwrap_or_default();
        out.push('<');
        head.split('"').step_by(2).for_each(|part| out.push_str(part));
        out.push('>');
    }
    out
}

#[test]
fn nothing_of_a_report_leaves_the_file_and_no_name_becomes_markup() {
    let project = Project::new(HOSTILE);
    project.sql(LOST);
    for command in ["impact", "merge", "changes", "check", "rehearse"] {
        let (_, text) = report(&project, command);
        assert!(text.contains("default-src 'none'; style-src 'sha256-"), "{command}");
        let markup = markup(&text);
        assert!(
            !markup.contains(" src=") && !markup.contains(" style=") && !markup.contains("<img") && !markup.contains(" onerror"),
            "{command}"
        );
        assert!(!text.contains("url(") && !text.contains("@import") && !text.contains("href=\"http"), "{command}");
        assert_eq!(markup.matches("<script").count(), 1, "{command}");
    }
    let Some(browser) = browser() else { return };
    let (_, text) = report(&project, "impact");
    let script = "return [typeof window.boom, document.images.length, document.scripts.length].join()";
    assert_eq!(asked(&browser, &project, &text, script), "undefined,0,2");
}

#[test]
fn the_findings_of_many_databases_are_narrowed_down_by_database() {
    let Some(browser) = browser() else { return };
    let schema = "CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT NOT NULL, colour TEXT);";
    let project = Project::new(schema);
    let mut arguments: Vec<String> = ["impact", "--format", "html"].map(str::to_owned).to_vec();
    for (name, change) in [("north", "DROP COLUMN tag"), ("south", "DROP COLUMN colour")] {
        let file = project.path(&format!("{name}.db"));
        rusqlite::Connection::open(&file).unwrap().execute_batch(&format!("{schema} ALTER TABLE hive {change}")).unwrap();
        arguments.extend(["--changed".to_owned(), format!("sqlite:{}", file.display())]);
    }
    let text = project.run(&arguments.iter().map(String::as_str).collect::<Vec<_>>()).out;
    let script =
        "const by = document.getElementById('by-database'); by.value = [...by.options].map(o => o.value).find(v => v.includes('north'));
        by.dispatchEvent(new Event('input', {bubbles: true}));
        return [...document.querySelectorAll('[data-story]:not([hidden]) h3')].map(h => h.firstChild.textContent).join()";
    assert_eq!(asked(&browser, &project, &text, script), "hive.tag: column dropped");
}

#[test]
fn filters_search_and_addresses_work_in_a_browser() {
    let Some(browser) = browser() else { return };
    let project = Project::demo(None);
    project.change_demo(None);
    let (page, text) = report(&project, "impact");
    // The policy allows the page's own script: it showed the filters, which stand hidden in the file.
    let shown = opened(&browser, &page, "#story-column-renamed-keeper.2epostcode");
    assert!(text.contains("aria-label=\"Filter the findings\" hidden") && !shown.contains("aria-label=\"Filter the findings\" hidden"));
    assert!(shown.contains("96 findings</output>"), "{}", &shown[shown.find("<output").unwrap()..][..120]);
    let input = "const put = (id, value) => { const e = document.getElementById(id); e.value = value; e.dispatchEvent(new Event('input', {bubbles: true})); };
        const seen = () => document.querySelectorAll('[data-entry]:not([hidden])').length;
        const told = () => document.getElementById('shown').textContent;";
    for (steps, expected) in [
        ("document.querySelector('input[value=break]').click(); return told()", "27 of 96 findings"),
        (
            "put('by-entity', 'hive'); return [...document.querySelectorAll('[data-entry]:not([hidden])')].every(e => e.dataset.entity.split('\\n').includes('hive')) && seen() > 0",
            "true",
        ),
        ("put('search', 'jar_labels'); return seen() > 0 && seen() < 10", "true"),
        (
            "put('search', 'nothing says this'); return [seen(), document.getElementById('nothing').hidden, document.querySelectorAll('[data-story]:not([hidden])').length].join()",
            "0,false,0",
        ),
        (
            "put('by-rule', 'page/column-missing'); return new Set([...document.querySelectorAll('[data-entry]:not([hidden])')].map(e => e.dataset.rule)).size",
            "1",
        ),
        // An address leads to its story, whatever the filters hide.
        (
            "put('search', 'nothing says this'); location.hash = '#story-column-dropped-colony.2equeen_mark'; dispatchEvent(new Event('hashchange')); return document.getElementById('story-column-dropped-colony.2equeen_mark').hidden",
            "false",
        ),
        // Every link leads somewhere, every control has a name, and ids are there once.
        (
            "return [...document.querySelectorAll('a[href^=\"#\"]')].filter(a => !document.getElementById(decodeURIComponent(a.getAttribute('href').slice(1)))).map(a => a.outerHTML).join()",
            "",
        ),
        (
            "return [...document.querySelectorAll('select, input[type=search]')].filter(e => !document.querySelector('label[for=' + e.id + ']')).length",
            "0",
        ),
        ("const ids = [...document.querySelectorAll('[id]')].map(e => e.id); return ids.length - new Set(ids).size", "0"),
    ] {
        assert_eq!(asked(&browser, &project, &text, &format!("{input} {steps}")), expected, "{steps}");
    }
}
