//! Rename matching measured on histories of the kinds people make: precision and recall are printed, nothing wrong is
//! ever "almost certain", and the true name is among the offered ones at least 19 times of 20.

use rusqlite::Connection;
use std::collections::BTreeSet;
use ysomorph_core::rename::{Evidence, Known, find_renames};
use ysomorph_core::schema::Schema;
use ysomorph_sources::sqlite::{prepare_connection, read_from};

/// A database before and after, and the true renames: `table.column > new` or `table > new`.
type History = (&'static str, &'static str, &'static str);

const HISTORIES: &[History] = &[
    // Prefixes and suffixes come and go.
    (
        "keeper(id int primary key, keeper_name text not null, keeper_phone varchar(40), notes text)",
        "keeper(id int primary key, name text not null, phone varchar(40), notes text)",
        "keeper.keeper_name > name, keeper.keeper_phone > phone",
    ),
    (
        "hive(id int primary key, tag varchar(12) unique, colour varchar(20), built date)",
        "hive(id int primary key, hive_tag varchar(12) unique, hive_colour varchar(20), hive_built date)",
        "hive.tag > hive_tag, hive.colour > hive_colour, hive.built > hive_built",
    ),
    (
        "tbl_region(id int primary key, name varchar(60)); keeper(id int primary key, region int references tbl_region(id))",
        "region(id int primary key, name varchar(60)); keeper(id int primary key, region int references region(id))",
        "tbl_region > region",
    ),
    (
        "visit(id int primary key, visit_date date not null, visitor text)",
        "visit(id int primary key, visited_on date not null, visitor text)",
        "visit.visit_date > visited_on",
    ),
    (
        "keeper(id int primary key, region int, mentor int)",
        "keeper(id int primary key, region_id int, mentor_id int)",
        "keeper.region > region_id, keeper.mentor > mentor_id",
    ),
    (
        "apiary(id int primary key, is_open boolean not null default 1, code varchar(8))",
        "apiary(id int primary key, open boolean not null default 1, code varchar(8))",
        "apiary.is_open > open",
    ),
    // Abbreviations, written out and the other way.
    (
        "keeper(id int primary key, member_no varchar(12) unique, dob date, qty int)",
        "keeper(id int primary key, member_number varchar(12) unique, date_of_birth date, quantity int)",
        "keeper.member_no > member_number, keeper.dob > date_of_birth, keeper.qty > quantity",
    ),
    (
        "invoice(id int primary key, amount decimal(10,2), description text, address varchar(80))",
        "invoice(id int primary key, amt decimal(10,2), descr text, addr varchar(80))",
        "invoice.amount > amt, invoice.description > descr, invoice.address > addr",
    ),
    (
        "harvest(id int primary key, moisture_pct decimal(4,1), temp_max int, vol_l decimal(6,2))",
        "harvest(id int primary key, moisture_percent decimal(4,1), temperature_maximum int, volume_l decimal(6,2))",
        "harvest.moisture_pct > moisture_percent, harvest.temp_max > temperature_maximum, harvest.vol_l > volume_l",
    ),
    (
        "keeper(id int primary key, fname varchar(60), lname varchar(60), tel varchar(40))",
        "keeper(id int primary key, first_name varchar(60), last_name varchar(60), telephone varchar(40))",
        "keeper.fname > first_name, keeper.lname > last_name, keeper.tel > telephone",
    ),
    // Spellings.
    (
        "keeper(id int primary key, firstName text, lastName text, joinedOn date)",
        "keeper(id int primary key, first_name text, last_name text, joined_on date)",
        "keeper.firstName > first_name, keeper.lastName > last_name, keeper.joinedOn > joined_on",
    ),
    (
        "hive(id int primary key, color varchar(20), organisation text, catalogue_no int)",
        "hive(id int primary key, colour varchar(20), organization text, catalog_no int)",
        "hive.color > colour, hive.organisation > organization, hive.catalogue_no > catalog_no",
    ),
    (
        "keeper(id int primary key, adress varchar(80), recieved date, e_mail varchar(120))",
        "keeper(id int primary key, address varchar(80), received date, email varchar(120))",
        "keeper.adress > address, keeper.recieved > received, keeper.e_mail > email",
    ),
    ("queens(id int primary key, name text)", "queen(id int primary key, name text)", "queens > queen"),
    // Other words.
    (
        "keeper(id int primary key, postcode varchar(10), place varchar(60), surname varchar(60))",
        "keeper(id int primary key, postal_code varchar(10), town varchar(60), surname varchar(60))",
        "keeper.postcode > postal_code, keeper.place > town",
    ),
    (
        "keeper(id int primary key, surname varchar(60) not null, phone varchar(40), remarks text)",
        "keeper(id int primary key, family_name varchar(60) not null, phone varchar(40), comments text)",
        "keeper.surname > family_name, keeper.remarks > comments",
    ),
    (
        "hive(id int primary key, tag varchar(12) not null unique, kind varchar(12))",
        "hive(id int primary key, hive_no varchar(12) not null unique, kind varchar(12))",
        "hive.tag > hive_no",
    ),
    (
        "remedy(id int primary key, name varchar(60) unique, substance varchar(60)); treatment(id int primary key, remedy_id int references remedy(id))",
        "medicine(id int primary key, name varchar(60) unique, substance varchar(60)); treatment(id int primary key, remedy_id int references medicine(id))",
        "remedy > medicine",
    ),
    (
        "apiary(id int primary key, begun date, ended date, weight real)",
        "apiary(id int primary key, opened_on date, closed_on date, weight real)",
        "apiary.begun > opened_on, apiary.ended > closed_on",
    ),
    (
        "colony(id int primary key, strength int, temper varchar(10))",
        "colony(id int primary key, strength int, mood varchar(10))",
        "colony.temper > mood",
    ),
    // Translations.
    (
        "keeper(id int primary key, nachname varchar(60) not null, geburtstag date, strasse varchar(80))",
        "keeper(id int primary key, last_name varchar(60) not null, birthday date, street varchar(80))",
        "keeper.nachname > last_name, keeper.geburtstag > birthday, keeper.strasse > street",
    ),
    (
        "imker(id int primary key, name varchar(60), ort varchar(40)); volk(id int primary key, imker_id int references imker(id))",
        "keeper(id int primary key, name varchar(60), ort varchar(40)); volk(id int primary key, imker_id int references keeper(id))",
        "imker > keeper",
    ),
    (
        "ruche(id int primary key, couleur varchar(20), numero int not null unique)",
        "ruche(id int primary key, colour varchar(20), number int not null unique)",
        "ruche.couleur > colour, ruche.numero > number",
    ),
    (
        "visite(id int primary key, observation text, pris_le date not null)",
        "visite(id int primary key, findings text, taken_on date not null)",
        "visite.observation > findings, visite.pris_le > taken_on",
    ),
    // Units.
    (
        "harvest(id int primary key, honey_kg decimal(8,2) not null, jar varchar(20))",
        "harvest(id int primary key, honey_g int not null, jar varchar(20))",
        "harvest.honey_kg > honey_g",
    ),
    (
        "hive(id int primary key, height_in real, depth_in real)",
        "hive(id int primary key, height_cm real, depth_cm real)",
        "hive.height_in > height_cm, hive.depth_in > depth_cm",
    ),
    (
        "job(id int primary key, timeout_s int, price_eur decimal(8,2))",
        "job(id int primary key, timeout_ms int, price_cents int)",
        "job.timeout_s > timeout_ms, job.price_eur > price_cents",
    ),
    (
        "reading(id int primary key, temp_f real, taken date)",
        "reading(id int primary key, temp_c real, taken date)",
        "reading.temp_f > temp_c",
    ),
    // Table and column together.
    (
        "remedy(id int primary key, remedy_name varchar(60), withdrawal_days int)",
        "medicine(id int primary key, medicine_name varchar(60), withdrawal_days int)",
        "remedy > medicine, remedy.remedy_name > medicine_name",
    ),
    (
        "client(id int primary key, client_no varchar(12) unique, name text); bill(id int primary key, client_id int references client(id))",
        "customer(id int primary key, customer_no varchar(12) unique, name text); bill(id int primary key, customer_id int references customer(id))",
        "client > customer, client.client_no > customer_no, bill.client_id > customer_id",
    ),
    (
        "apiary(id int primary key, apiary_code varchar(8) unique, name text, opened date); hive(id int primary key, apiary_id int references apiary(id))",
        "yard(id int primary key, yard_code varchar(8) unique, name text, opened date); hive(id int primary key, yard_id int references yard(id))",
        "apiary > yard, apiary.apiary_code > yard_code, hive.apiary_id > yard_id",
    ),
    (
        "helper(apiary_id int not null, keeper_id int not null, primary key (apiary_id, keeper_id))",
        "apiary_helper(apiary_id int not null, person_id int not null, primary key (apiary_id, person_id))",
        "helper > apiary_helper, helper.keeper_id > person_id",
    ),
    // References.
    (
        "region(id int primary key); keeper(id int primary key, region_id int references region(id), mentor int references keeper(id))",
        "region(id int primary key); keeper(id int primary key, area_id int references region(id), teacher int references keeper(id))",
        "keeper.region_id > area_id, keeper.mentor > teacher",
    ),
    (
        "keeper(id int primary key); inspection(id int primary key, inspector_id int references keeper(id), colony int)",
        "keeper(id int primary key); inspection(id int primary key, seen_by int references keeper(id), colony int)",
        "inspection.inspector_id > seen_by",
    ),
    // A rename beside things that come and go.
    (
        "keeper(id int primary key, postcode varchar(10), phone varchar(40))",
        "keeper(id int primary key, postal_code varchar(10), phone varchar(40), iban varchar(34), confirmed boolean not null default 0)",
        "keeper.postcode > postal_code",
    ),
    (
        "hive(id int primary key, tag varchar(12), colour varchar(20), photo blob, weight real)",
        "hive(id int primary key, plate varchar(12), photo blob, weight_kg real, built date)",
        "hive.tag > plate, hive.weight > weight_kg",
    ),
    (
        "region(id int primary key, name text); old_log(line text, at date)",
        "area(id int primary key, name text); swarm(id int primary key, place text, seen date)",
        "region > area",
    ),
    (
        "keeper(id int primary key, name varchar(60), fax varchar(40), city varchar(60))",
        "keeper(id int primary key, full_name varchar(60), city_name varchar(60), website varchar(200))",
        "keeper.name > full_name, keeper.city > city_name",
    ),
    (
        "visit(id int primary key, notes text, visitor varchar(40), came date)",
        "visit(id int primary key, came_on date, notes text, guest varchar(40))",
        "visit.visitor > guest, visit.came > came_on",
    ),
    (
        "apiary(id int primary key, lat decimal(9,6), lon decimal(9,6), alt int)",
        "apiary(id int primary key, latitude decimal(9,6), longitude decimal(9,6), altitude int)",
        "apiary.lat > latitude, apiary.lon > longitude, apiary.alt > altitude",
    ),
    (
        "member(id int primary key, no varchar(12) unique, first text, last text, street text, zip varchar(10), city text, phone text, mail text, since date, until date)",
        "member(id int primary key, member_no varchar(12) unique, first_name text, last_name text, street text, zip_code varchar(10), town text, telephone text, email text, member_since date, until date)",
        "member.no > member_no, member.first > first_name, member.last > last_name, member.zip > zip_code, member.city > town, member.phone > telephone, member.mail > email, member.since > member_since",
    ),
    // One lost and one new, and not a rename.
    (
        "keeper(id int primary key, fax varchar(40), name varchar(60))",
        "keeper(id int primary key, name varchar(60), confirmed boolean not null default 0)",
        "",
    ),
    ("hive(id int primary key, photo blob, tag text)", "hive(id int primary key, tag text, row_version int not null default 1)", ""),
    ("keeper(id int primary key, notes text, name text)", "keeper(id int primary key, name text, joined date not null)", ""),
    (
        "keeper(id int primary key, legacy_flag boolean default 0, name text)",
        "keeper(id int primary key, name text, api_token varchar(64) unique)",
        "",
    ),
    (
        "harvest(id int primary key, jar_label varchar(60), kg real)",
        "harvest(id int primary key, kg real, batch_no int not null unique)",
        "",
    ),
    ("old_log(line text, at date, level int)", "swarm(id int primary key, place varchar(60) not null, keeper_id int)", ""),
    (
        "apiary(id int primary key, region_id int references region(id), name text); region(id int primary key)",
        "apiary(id int primary key, name text, altitude real); region(id int primary key)",
        "",
    ),
];

fn schema(text: &str) -> Schema {
    let connection = Connection::open_in_memory().unwrap();
    for table in text.split("; ") {
        connection.execute_batch(&format!("CREATE TABLE {table}")).unwrap_or_else(|e| panic!("{e}: {table}"));
    }
    prepare_connection(&connection).unwrap();
    read_from(&connection).unwrap()
}

#[test]
fn renames_people_make_are_recognised() {
    let (mut all, mut offered, mut presumed, mut right, mut wrong) = (0, 0, 0, 0, 0);
    let mut log = Vec::new();
    for (before, after, truth) in HISTORIES {
        let truth: BTreeSet<(String, String)> =
            truth.split(", ").filter_map(|t| t.split_once(" > ")).map(|(a, b)| (a.to_owned(), b.to_owned())).collect();
        let found = find_renames(&schema(before), &schema(after), &Known::default());
        all += truth.len();
        for (subject, name) in &truth {
            let rename = found.iter().find(|r| subject_of(r) == *subject);
            let among = rename.is_some_and(|r| r.candidates.contains(name));
            offered += usize::from(among);
            if !among {
                log.push(format!("not offered: {subject} > {name} ({rename:?})"));
            }
        }
        for rename in &found {
            let Some(to) = &rename.to else { continue };
            let is_true = truth.contains(&(subject_of(rename), to.clone()));
            presumed += 1;
            right += usize::from(is_true);
            if is_true {
                continue;
            }
            wrong += 1;
            let line = format!("wrong, {}: {} > {to} {:?}", rename.evidence.words(), subject_of(rename), rename.evidence);
            assert!(rename.evidence.words() != "almost certainly", "{line}");
            assert!(matches!(rename.evidence, Evidence::Likely { .. }), "{line}");
            log.push(line);
        }
    }
    println!("{}", log.join("\n"));
    println!("{all} renames: {offered} offered; {presumed} presumed, of them {right} right and {wrong} wrong");
    println!("precision {:.2}, recall {:.2}", right as f64 / presumed as f64, right as f64 / all as f64);
    assert!(all >= 80, "{all}");
    assert!(offered * 20 >= all * 19, "{offered} of {all} offered");
    assert!(right * 10 >= presumed * 9, "{right} of {presumed} presumed are right");
}

/// A view that read the lost column and reads the new one speaks for the pair.
#[test]
fn a_view_that_reads_both_is_evidence() {
    let file = |column: &str| {
        let project = crate::support::Project::empty(&format!(
            "CREATE TABLE hive (id INTEGER PRIMARY KEY, {column} TEXT, other_{column} TEXT); CREATE VIEW seen AS SELECT id, {column} FROM hive"
        ));
        ysomorph_sources::sqlite::read(&project.path("my.db")).unwrap()
    };
    let found = find_renames(&file("abc"), &file("xyz"), &Known::default());
    let rename = found.iter().find(|r| subject_of(r) == "hive.abc").unwrap();
    assert_eq!(rename.candidates.first().map(String::as_str), Some("xyz"), "{found:?}");
    assert!(rename.evidence.reasons().iter().any(|r| r == "the same view reads it"), "{rename:?}");
}

fn subject_of(rename: &ysomorph_core::rename::Rename) -> String {
    rename.column.as_ref().map_or_else(|| rename.table.clone(), |c| format!("{}.{c}", rename.table))
}
