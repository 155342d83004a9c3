//! How drafts are made: the `[conventions]` of the workspace.

use crate::name::Patterns;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::OnceLock;

/// Units that names of columns end with, as people write them.
pub(super) const UNITS: &[(&str, &str)] = &[
    ("kg", "kg"),
    ("g", "g"),
    ("mg", "mg"),
    ("ml", "ml"),
    ("cl", "cl"),
    ("l", "l"),
    ("mm", "mm"),
    ("cm", "cm"),
    ("m", "m"),
    ("km", "km"),
    ("m2", "m²"),
    ("m3", "m³"),
    ("ha", "ha"),
    ("kwh", "kWh"),
    ("w", "W"),
    ("kw", "kW"),
    ("pct", "%"),
    ("percent", "%"),
];

/// How labels are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum LabelCase {
    /// Member number
    #[default]
    Sentence,
    /// Member Number
    Title,
    /// member number
    Lower,
}

/// Which entities the menu offers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum MenuEntities {
    /// Those whose records stand for themselves.
    #[default]
    Top,
    /// All of them.
    All,
}

/// How drafts are made; every part has a default.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Conventions {
    /// How labels are written.
    pub label_case: LabelCase,
    /// Words of names written out in labels.
    pub abbreviations: BTreeMap<String, String>,
    /// Languages, the definition's own first.
    pub languages: Vec<String>,
    /// Most fields on a drafted list page.
    pub list_fields: usize,
    /// Column type → field kind.
    pub kinds: BTreeMap<String, String>,
    /// Pattern of column names → field kind, where names say more than types.
    pub name_kinds: BTreeMap<String, String>,
    /// Columns that a record is called by, by pattern, the best first; several together with commas. A pattern with `*`
    /// counts for required columns alone.
    pub titles: TitlePatterns,
    /// Columns that people search, by pattern, beside what is unique or has an index.
    pub searches: Patterns,
    /// Columns of an address, by pattern: they stay together.
    pub address: Patterns,
    /// Units that column names end with, as people write them.
    pub units: BTreeMap<String, String>,
    /// Columns that are added up, by pattern, beside money and what has a unit.
    pub totals: Patterns,
    /// Tables that may become related sets, by pattern.
    pub join_tables: Patterns,
    /// Whether a column that is called like another table and its key is a lookup, where the database declares no foreign key.
    pub references_by_name: bool,
    /// Tables that the application keeps for itself, by pattern: last in the menu.
    pub technical: Patterns,
    /// Kinds of pages that are drafted.
    pub pages: Vec<String>,
    /// Which entities the menu offers.
    pub menu: MenuEntities,
    /// Columns hidden from the start, by pattern.
    pub sensitive: Patterns,
    /// Columns kept by the database or the application, by pattern: read-only, never on the add page.
    pub record_keeping: Patterns,
    /// Columns that count changes.
    pub version_columns: Patterns,
}

/// What records are called by: patterns of one column, or of several with commas between.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(from = "Vec<String>")]
pub struct TitlePatterns {
    texts: Vec<String>,
    compiled: OnceLock<Vec<Vec<Patterns>>>,
}

impl TitlePatterns {
    /// Each text with the patterns of its columns.
    pub fn all(&self) -> impl Iterator<Item = (&str, &[Patterns])> {
        let of = |text: &String| text.split(',').map(|part| Patterns::from(part.trim())).collect();
        let compiled = self.compiled.get_or_init(|| self.texts.iter().map(of).collect());
        self.texts.iter().map(String::as_str).zip(compiled.iter().map(Vec::as_slice))
    }
}

impl From<Vec<String>> for TitlePatterns {
    fn from(texts: Vec<String>) -> TitlePatterns {
        TitlePatterns { texts, compiled: OnceLock::new() }
    }
}

impl PartialEq for TitlePatterns {
    fn eq(&self, other: &TitlePatterns) -> bool {
        self.texts == other.texts
    }
}

impl Eq for TitlePatterns {}

impl Conventions {
    /// Whether a column looks sensitive.
    pub fn is_sensitive(&self, column: &str) -> bool {
        self.sensitive.fit_words(column)
    }

    /// Whether a column is kept by the database or the application.
    pub fn is_record_keeping(&self, column: &str) -> bool {
        self.record_keeping.fit_words(column)
    }
}

impl Default for Conventions {
    fn default() -> Self {
        let texts = |list: &[&str]| -> Vec<String> { list.iter().map(|t| (*t).to_owned()).collect() };
        let patterns = |list: &[&str]| Patterns::from(texts(list));
        let pairs =
            [("no", "number"), ("nr", "number"), ("qty", "quantity"), ("dob", "date of birth"), ("pct", "percent"), ("addr", "address")];
        Conventions {
            label_case: LabelCase::Sentence,
            abbreviations: pairs.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect(),
            languages: texts(&["en"]),
            list_fields: 8,
            kinds: BTreeMap::new(),
            name_kinds: BTreeMap::new(),
            titles: TitlePatterns::from(texts(&[
                "last_name, first_name",
                "surname, first_name",
                "nachname, vorname",
                "name",
                "title",
                "label",
                "full_name",
                "display_name",
                "bezeichnung",
                "*_name",
                "*_title",
            ])),
            searches: patterns(&["{,*_}{name,title,code,number,no,nr,key,reference,ref,subject,label}{,_*}"]),
            address: patterns(&[
                "{,*_}{street,postcode,zip,postal,city,town,village,country,county,house,address,addr}{,_*}",
                "{,*_}{latitude,longitude,lat,lon,lng}{,_*}",
                "{place,state,province}",
            ]),
            units: UNITS.iter().map(|(word, unit)| ((*word).to_owned(), (*unit).to_owned())).collect(),
            totals: patterns(&["{,*_}{amount,quantity,qty,total,hours,minutes,pieces}{,_*}"]),
            join_tables: patterns(&["*"]),
            references_by_name: true,
            technical: patterns(&[
                "{,*_}{cache,session,migration,queue,log,setting,config,configuration,backup,tmp,temp,bak}{,s}",
                "{,*_}{caches,audit,audits,schema_version,version_info}",
            ]),
            pages: crate::definition::PageKind::NAMES.iter().map(|kind| (*kind).to_owned()).collect(),
            menu: MenuEntities::Top,
            // By words: `passwd_min_length` is a setting, and nothing secret.
            sensitive: patterns(&[
                "{,*_}{password,passwd,passwort,kennwort,pwd,passphrase,secret,token,iban,pin}{,s}{,_hash,_salt,_value,_encrypted,_number,_no,_1,_2}",
                "{,*_}{password,passwd,pwd,secret,token}{_hint,_answer,_question,_reset,_code,_key,_text,_data,_plain,_old,_new,_raw}{,_*}",
                "*{password,passwd,secret,token}{hash,salt,key,value,hint}",
                "*{user,login,admin,access,refresh,reset,auth}{password,passwd,token,secret}",
                "*iban",
                "{,*_}{access,api,secret,private}_{code,key}{,s,_*}",
            ]),
            record_keeping: patterns(&[
                "{created,updated,modified,changed,inserted}{_at,_on,_by,_when,_date,_time,_user}",
                "{created,modified,updated}",
                "{t,date,last}_{created,modified,updated,changed}{,_at,_on,_by}",
                "{lastupdated,lastmodified,lastchanged,last_updated,last_modified,last_changed}{,_at,_on,_by}",
                "{chg,upd,cre,ins}{,_}{date,time,user}",
                "{ctime,mtime}",
            ]),
            version_columns: patterns(&["row_version", "lock_version", "t_version", "record_version"]),
        }
    }
}
