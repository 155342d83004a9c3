//! Data that comes from and goes through SQL and routines of a person's own, on real servers.

use super::{BOTH, Place, Server};
use crate::support::Project;

const TABLES: &str = "CREATE TABLE region (id integer PRIMARY KEY, name varchar(40) NOT NULL);
CREATE TABLE apiary (id integer PRIMARY KEY, name varchar(80) NOT NULL, region_id integer REFERENCES region (id), closed_on date);";

fn routine(server: Server, arguments: &str) -> String {
    match server {
        Server::Postgresql => format!(
            "DROP PROCEDURE IF EXISTS close_apiary; CREATE PROCEDURE close_apiary({arguments}) LANGUAGE sql AS 'UPDATE apiary SET closed_on = on_day WHERE id = which'"
        ),
        Server::Mariadb => {
            format!("CREATE OR REPLACE PROCEDURE close_apiary({arguments}) UPDATE apiary SET closed_on = on_day WHERE id = which")
        }
    }
}

#[test]
fn routines_and_queries_are_rehearsed_and_what_broke_them_is_told() {
    for server in BOTH {
        let Some(place) = Place::with(server, TABLES) else { continue };
        place.sql(&routine(server, "which integer, on_day date"));
        let project = Project::empty("");
        project.expect(0, &["start", "--from", &place.url()]);
        project.append(
            "app/apiary.toml",
            "\n[source]\nselect = \"SELECT a.*, r.name AS region_name FROM apiary a LEFT JOIN region r ON r.id = a.region_id\"\ndelete = { routine = \"close_apiary\", arguments = { on_day = \"closed_on\", which = \"id\" } }\n\n[field.region_name]\ncolumn = \"region_name\"\n",
        );
        project.edit("app/apiary.toml", "[page.list]\nfields = [", "[page.list]\nfields = [\"region_name\", ");
        let checked = project.expect(0, &["check"]);
        assert!(checked.starts_with("Sound"), "{checked}");
        project.expect(0, &["rehearse"]);
        project.expect(0, &["show", "apiary"]);
        place.sql(&routine(server, "which integer, on_day date, who text"));
        for command in ["impact", "rehearse"] {
            let told = project.expect(1, &[command]);
            assert!(told.contains("close_apiary"), "{server:?}: {told}");
        }
        let told = project.expect(1, &["impact", "--rule", "page/source-broken"]);
        let words: Vec<&str> = told.split_whitespace().collect();
        assert!(words.join(" ").contains("takes other arguments now"), "{told}");
        place.sql(&routine(server, "which integer, on_day date"));
        place.sql("ALTER TABLE region RENAME COLUMN name TO title");
        // Kept to be fixed by hand, it is left to a person, and hinders no further merge.
        if server == Server::Mariadb {
            project.merge(&[]);
            assert!(project.expect(0, &["decide", "--list"]).contains("page/source-broken"), "{server:?}");
            project.edit("app/apiary.toml", "r.name AS region_name", "r.title AS region_name");
        } else {
            project.merge(&[]);
        }
        assert!(project.read("app/apiary.toml").contains("SELECT a.*, r.title AS region_name"), "{server:?}");
        project.expect(0, &["rehearse"]);
    }
}
