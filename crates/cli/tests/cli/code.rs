//! Old names in hand-written code: what is searched, what counts, how sure it is.

use crate::support::Project;

const SQL: &str = "CREATE TABLE bee_hive (id INTEGER PRIMARY KEY, hive_tag VARCHAR(12) NOT NULL, colour TEXT, weight_kg REAL);
CREATE TABLE yard (id INTEGER PRIMARY KEY, colour TEXT);";

/// `file:line severity words` of each finding about code, after both columns were dropped.
fn found(files: &[(&str, &[u8])]) -> Vec<String> {
    let project = Project::new(SQL);
    project.append("ysomorph.toml", "\n[code]\nroots = [\"src\", \"reports\"]\n");
    std::fs::create_dir_all(project.path("reports")).unwrap();
    for (file, text) in files {
        let path = project.path(file);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    }
    std::fs::create_dir_all(project.path("src")).unwrap();
    project.sql("ALTER TABLE bee_hive DROP COLUMN hive_tag; ALTER TABLE bee_hive DROP COLUMN colour");
    let ran = project.run(&["impact", "--rule", "code/old-name", "--format", "json"]);
    assert!(ran.code != 2 && ran.err.is_empty(), "{}", ran.err);
    let report: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let one = |f: &serde_json::Value| {
        let message = f["message"].as_str().unwrap();
        let at = &f["at"];
        let place = format!("{}:{}:{}", at["file"].as_str().unwrap(), at["line"], at["column"]);
        format!("{place} {} {}", f["severity"].as_str().unwrap(), message.split(':').next().unwrap())
    };
    report["findings"].as_array().unwrap().iter().map(one).collect()
}

#[test]
fn every_way_of_writing_a_name_is_found_where_it_means_the_lost_one() {
    for (file, text, expected) in [
        // SQL, with what surrounds it in programs.
        ("reports/all.sql", "SELECT h.hive_tag\n  FROM bee_hive h;\n", &["reports/all.sql:1:10 break SQL names `hive_tag`"][..]),
        (
            "reports/all.sql",
            "SELECT 1;\n\nSELECT colour FROM yard;\nSELECT colour FROM bee_hive;",
            &["reports/all.sql:4:8 break SQL names `colour`"],
        ),
        ("reports/all.sql", "SELECT y.colour FROM yard y JOIN bee_hive h ON h.id = y.id -- not hive_tag", &[]),
        ("reports/all.sql", "SELECT 'hive_tag' AS colour FROM bee_hive", &[]),
        ("src/a.py", "q = '''\n  select hive_tag\n  from bee_hive where id = %s'''", &["src/a.py:2:10 break SQL names `hive_tag`"]),
        ("src/a.js", "db.all(`SELECT \"hive_tag\" FROM bee_hive WHERE id = ${id}`)", &["src/a.js:1:17 break SQL names `hive_tag`"]),
        ("src/a.rs", "let q = \"UPDATE bee_hive SET colour = ?1\";", &["src/a.rs:1:30 break SQL names `colour`"]),
        (
            "src/a.sql",
            "SELECT hive_tag FROM json_each(:hives), bee_hive",
            &["src/a.sql:1:8 risk SQL that can't be analysed probably names `hive_tag`"],
        ),
        // Programs: the spellings, whole words only, and what one plain word may be.
        ("src/a.ts", "row.hiveTag + row.hiveTags", &["src/a.ts:1:5 risk the code perhaps names `hiveTag`"]),
        ("src/a.ts", "const beeHive = row.hiveTag;", &["src/a.ts:1:21 risk the code probably names `hiveTag`"]),
        ("src/a.css", ".hive-tag { color: red }", &["src/a.css:1:2 risk the code perhaps names `hive-tag`"]),
        (
            "src/a.c",
            "#define HIVE_TAG 1\nstruct HiveTag;",
            &["src/a.c:1:9 risk the code perhaps names `HIVE_TAG`", "src/a.c:2:8 risk the code perhaps names `HiveTag`"],
        ),
        ("src/a.py", "paint = colour(3)", &[]),
        ("src/a.py", "bee_hive = get()\npaint = bee_hive.colour", &["src/a.py:2:18 risk the code probably names `colour`"]),
        // Other alphabets don't move places.
        ("src/a.py", "s = 'äöü'; x = ß.hive_tag", &["src/a.py:1:18 risk the code perhaps names `hive_tag`"]),
    ] {
        assert_eq!(found(&[(file, text.as_bytes())]), expected, "{text}");
    }
}

#[test]
fn only_what_people_wrote_is_searched() {
    let hit: &[u8] = b"row.hive_tag";
    let files: &[(&str, &[u8])] = &[
        ("src/deep/er/a.py", hit),
        ("src/built/b.py", hit),
        ("src/.gitignore", b"built/\n"),
        ("src/picture.bin", b"\0\0 row.hive_tag"),
        ("src/latin.py", b"# \xe4\nrow.hive_tag"),
        ("elsewhere/c.py", hit),
        ("reports/.hidden/d.py", hit),
        ("reports/e.py", hit),
    ];
    let places: Vec<String> = found(files).iter().map(|f| f.split(' ').next().unwrap().to_owned()).collect();
    assert_eq!(places, ["reports/e.py:1:5", "src/deep/er/a.py:1:5", "src/latin.py:2:5"]);
}

#[test]
fn many_lines_of_one_rule_are_cut_short_unless_all_are_wanted() {
    let project = Project::new(SQL);
    project.append("ysomorph.toml", "\n[code]\nroots = [\"src\"]\n");
    std::fs::create_dir(project.path("src")).unwrap();
    project.write("src/a.sql", &"SELECT hive_tag FROM bee_hive;\n".repeat(70));
    project.sql("ALTER TABLE bee_hive DROP COLUMN hive_tag");
    let told = |arguments: &[&str]| project.run(&[&["impact", "--rule", "code/*"], arguments].concat()).out.matches("src/a.sql:").count();
    assert_eq!((told(&[]), told(&["--verbose"])), (50, 70));
    assert!(project.run(&["impact"]).out.contains("20 more of code/old-name: --verbose shows them"));
}
