//! Files for spreadsheets, read back by something that didn't write them.

use super::{Got, Served, everywhere, header, unescaped};
use crate::support::Project;
use calamine::{Data, Reader, Xlsx};

fn csv_of(text: &str) -> Vec<Vec<String>> {
    let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    reader.deserialize().map(Result::unwrap).collect()
}

#[test]
fn what_a_list_finds_is_kept_as_a_file_by_the_rights_of_whoever_looks() {
    for (project, place) in everywhere() {
        let sql = "UPDATE keeper SET place = '=1+1', api_token = 'tok-secret-0815' WHERE id = 1";
        match &place {
            Some(place) => place.sql(sql),
            None => project.sql(sql),
        }
        let served = Served::start(&project, &["--role", "everyone", "--with", "user_keeper=1"]);
        let kept = served.get("/now/keeper/list/export?as=csv&sort=member_no", "");
        assert!(header(&kept.head, "content-disposition").is_some_and(|name| name.contains("keeper.csv")), "{}", kept.head);
        let rows = csv_of(&kept.body);
        assert_eq!(rows[0][..4], ["Member number", "Last name", "First name", "Post code"], "{rows:?}");
        assert!(rows[1][0] == "K-001" && rows[1].contains(&"'=1+1".to_owned()), "{rows:?}");
        assert_eq!((rows.len(), rows[2][0].as_str()), (3, "K-002"), "{rows:?}");
        assert!(!kept.body.contains("tok-secret"));
        // Narrowed as the list is, and by the role.
        assert_eq!(csv_of(&served.get("/now/keeper/list/export?as=csv&search=vell", "").body).len(), 2);
        let own = served.get("/now/apiary/list/export?as=csv", "role=keeper&with.user_keeper=1");
        assert!(
            own.body.contains("Willow bend") && !own.body.contains("Quarry edge") && !own.body.to_lowercase().contains("latitude"),
            "{}",
            own.body
        );
        // An export of the definition, as a workbook: numbers are numbers.
        let book = served.get("/now/harvest/list/export?as=xlsx&export=season", "");
        let mut book: Xlsx<_> = Xlsx::new(std::io::Cursor::new(book.bytes)).unwrap();
        let sheet = book.worksheet_range_at(0).unwrap().unwrap();
        let rows: Vec<&[Data]> = sheet.rows().collect();
        assert_eq!(rows.len(), 2, "{rows:?}");
        assert!(rows[0].iter().any(|cell| cell.to_string().contains("Honey")), "{rows:?}");
        assert!(rows[1].contains(&Data::Float(12.5)) && rows[1].contains(&Data::String("2026-07-20".to_owned())), "{rows:?}");
        // What isn't offered isn't there.
        for path in [
            "/now/harvest/list/export?as=exe",
            "/now/harvest/list/export?as=csv&export=other",
            "/now/harvest/by-region/export?as=csv",
            "/both/harvest/list/export?as=csv",
        ] {
            assert_eq!(served.get(path, "").status, 404, "{path}");
        }
        assert_eq!(served.get("/now/harvest/list/export?as=csv", "role=vet").status, 404);
    }
}

/// A file of members as somebody keeps it: another encoding and delimiter, two ways of writing a day, and mistakes.
const MEMBERS: &str = "Member;First name;Last name;Post code;Region;Since;Remark
K-001;Isa;Thorn-Weiß;4120;Marsh;2019-03-01;married
K-003;Jörg;Birk;4133;Fen;1.4.2024;
K-003;Jörg;Birk;4133;Fen;1.4.2024;twice
K-004;Cora;;4140;Heath;2024-05-01;no last name
K-005;Dan;Elm;4150;Heath;31.2.2024;no such day
K-006;Edda;Fern;4160;Heath;2024-06-01;
";

/// The same as spreadsheets of the West write it.
fn western(text: &str) -> Vec<u8> {
    text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect()
}

fn sent(served: &Served, file: &[u8], view: &str) -> Got {
    served.upload("/now/keeper/list/import", &[("token", &served.token()), ("import", "members-sheet")], file, view)
}

fn take(served: &Served, to: &str, more: &[(&str, &str)]) -> Got {
    let token = served.token();
    let path = to.split('?').next().unwrap();
    let form = [("token", token.as_str()), ("import", "members-sheet"), ("sent", "1"), ("heading", "1"), ("run", "1")];
    served.post(path, &[&form[..], more].concat())
}

#[test]
fn a_file_comes_in_after_it_was_looked_at_and_what_can_not_is_skipped_with_its_reason() {
    for (project, place) in everywhere() {
        let export = |served: &Served| csv_of(&served.get("/now/keeper/list/export?as=csv&sort=member_no", "").body);
        let served = Served::start(&project, &["--role", "everyone"]);
        let before = export(&served);
        let kept = sent(&served, &western(MEMBERS), "");
        assert_eq!(kept.status, 303, "{}", kept.body);
        let to = header(&kept.head, "location").unwrap().to_owned();
        let looked = unescaped(&served.get(&to, "").body);
        for told in [
            "2 new records, 1 changed, 3 skipped",
            "Thorn-Weiß",
            "it is the same record as line 3",
            "Last name: A value is needed.",
            "A day, such as",
            "not taken",
        ] {
            assert!(looked.contains(told), "{told}: {looked}");
        }
        // Without --write it is only looked at.
        assert!(take(&served, &to, &[]).body.contains("Nothing was saved"));
        assert_eq!(export(&served), before);
        drop(served);
        let served = Served::start(&project, &["--role", "everyone", "--write"]);
        let to = header(&sent(&served, &western(MEMBERS), "").head, "location").unwrap().to_owned();
        let done = unescaped(&take(&served, &to, &[]).body);
        assert!(done.contains("2 new records, 1 changed, 3 skipped") && done.contains("Line 4: K-003"), "{done}");
        let after = export(&served);
        assert_eq!(after.len(), before.len() + 2, "{after:?}");
        assert!(after.iter().any(|row| row[0] == "K-001" && row[1] == "Thorn-Weiß"), "{after:?}");
        assert!(after.iter().any(|row| row[0] == "K-003" && row[2] == "Jörg" && row[3] == "4133"), "{after:?}");
        // Its region wasn't there and was made.
        assert!(served.get("/now/region/list?search=Fen", "").body.contains("Fen"), "{:?}", place.map(|p| p.server));
        // Once more: everything is there already.
        let to = header(&sent(&served, &western(MEMBERS), "").head, "location").unwrap().to_owned();
        assert!(take(&served, &to, &[]).body.contains("0 new records, 3 changed, 3 skipped"));
        // A workbook that the program wrote is read, and a column can be left out.
        let book = served.get("/now/keeper/list/export?as=xlsx", "").bytes;
        let to =
            header(&served.upload("/now/keeper/list/import", &[("token", &served.token()), ("import", "")], &book, "").head, "location")
                .unwrap()
                .to_owned();
        let looked = served.get(&to, "").body;
        assert!(looked.contains("0 new records, 0 changed") && looked.contains("the file has no column for it"), "{looked}");
    }
}

#[test]
fn nobody_imports_who_may_not_and_nothing_of_a_file_is_trusted() {
    let project = Project::demo(None);
    let served = Served::start(&project, &["--role", "keeper", "--with", "user_keeper=1", "--write"]);
    let keeper = "role=keeper&with.user_keeper=1";
    let everyone = "role=everyone";
    assert_eq!(sent(&served, MEMBERS.as_bytes(), keeper).status, 404);
    assert_eq!(served.get("/now/keeper/list/import", keeper).status, 404);
    assert_eq!(served.get("/now/hive/list/import", everyone).status, 404, "it isn't offered there");
    let wrong = served.upload("/now/keeper/list/import", &[("token", "0")], MEMBERS.as_bytes(), everyone);
    assert_eq!(wrong.status, 403);
    let kept = sent(&served, MEMBERS.as_bytes(), everyone);
    let to = header(&kept.head, "location").unwrap().to_owned();
    // By its address alone nobody else gets at it.
    assert_eq!(served.get(&to, keeper).status, 404);
    let path = to.split('?').next().unwrap();
    let token = served.token();
    assert_eq!(served.post_as(path, &[("token", &token), ("run", "1"), ("import", "members-sheet")], keeper).status, 404);
    assert!(served.get("/now/keeper/list/import/0000", everyone).body.contains("send it again"));
    for (what, file) in [("nothing", &b""[..]), ("a program", b"\x7fELF\x00\x00"), ("half a workbook", b"PK\x03\x04\x00\x00")] {
        let got = sent(&served, file, everyone);
        assert!(got.status == 200 && unescaped(&got.body).contains("can't be read"), "{what}: {} {}", got.status, got.body);
    }
    let markup = "Member;First name;Last name;Post code;Region;Since\n<script>boom()</script>;\"><img src=x>;Elm;1;Heath;2024-01-01\n";
    let to = header(&sent(&served, markup.as_bytes(), everyone).head, "location").unwrap().to_owned();
    let looked = served.get(&to, everyone).body;
    assert!(!looked.contains("<script>boom") && !looked.contains("<img"), "{looked}");
    let large = vec![b'x'; 21 * 1024 * 1024];
    assert!([0, 413].contains(&sent(&served, &large, everyone).status));
    assert_eq!(std::fs::read_dir(project.dir.path()).unwrap().count(), Project::demo(None).dir.path().read_dir().unwrap().count());
}
