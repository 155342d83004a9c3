//! A page as people see it: its fields in their sections with readable labels, what a role may do with each, and what
//! is broken.

use crate::definition::{Access, Child, Entity, Field, Model, Page};
use crate::definition::{Drawn, PageKind};
use crate::draft::{choice_label, field_label};
use crate::impact::{Finding, Severity};
use crate::statements::{self, Statement};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// A page to draw.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Drawing {
    /// The entity.
    pub entity: String,
    /// The page.
    pub page: String,
    /// What people call the page.
    pub label: String,
    /// The role it is drawn for; everybody's without one.
    pub role: Option<String>,
    /// How it is laid out: `rows`, `record`, `form` or `groups`.
    pub layout: &'static str,
    /// Sections with the fields in each; one without a title where there are plain fields.
    pub sections: Vec<(String, Vec<DrawnField>)>,
    /// What is searched, filtered by, sorted by, grouped by and offered, in labels.
    pub tools: Vec<(&'static str, Vec<String>)>,
    /// Lists of the records that belong to the one shown.
    pub children: Vec<DrawnChild>,
    /// Records as people see them: a text for each field that isn't a related set, in order.
    pub records: Vec<Vec<Option<String>>>,
    /// What is broken about the page as a whole, and why there are no records.
    pub broken: Vec<String>,
}

/// A field of a drawn page.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct DrawnField {
    /// Its name.
    pub name: String,
    /// What people read.
    pub label: String,
    /// Its kind.
    pub kind: String,
    /// What else is to be said of it: required, read-only, its unit, its choices.
    pub remarks: Vec<String>,
    /// What people read for the values it may have.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub choices: Vec<(String, String)>,
    /// What is broken.
    pub broken: Option<String>,
}

/// A child list of a drawn page.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct DrawnChild {
    /// Whose records it lists.
    pub entity: String,
    /// By which lookup of theirs.
    pub by: String,
    /// What people read.
    pub label: String,
    /// Labels of its fields.
    pub fields: Vec<String>,
    /// What is broken.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub broken: Option<String>,
}

/// Labels in another language, by the element's path.
pub type Translations = BTreeMap<String, String>;

/// What drawing looks at.
#[derive(Clone, Copy)]
pub struct DrawingInput<'a> {
    /// The definition.
    pub model: &'a Model,
    /// What breaks.
    pub findings: &'a [Finding],
    /// The role whose view it is.
    pub role: Option<&'a str>,
    /// Labels in another language.
    pub translations: &'a Translations,
}

impl<'a> DrawingInput<'a> {
    fn access(&self, entity: &'a Entity) -> Option<&'a Access> {
        self.role.and_then(|role| entity.access_of(role))
    }

    /// Whether the role may use a page.
    pub fn may_use(&self, entity: &'a Entity, page: &Page) -> bool {
        self.role.is_none() || self.access(entity).is_some_and(|access| access.allows(page))
    }

    fn translated(&self, path: &str, text: String) -> String {
        self.translations.get(path).cloned().unwrap_or(text)
    }

    /// What people call a field.
    pub fn label(&self, entity: &Entity, field: &Field) -> String {
        let own = field.label.as_ref().map_or_else(|| field_label(&field.name), |l| l.value.clone());
        self.translated(&format!("{}/field/{}/label", entity.name, field.name), own)
    }

    /// What people call the records of an entity.
    pub fn many(&self, entity: &Entity) -> String {
        let own = entity.label.as_ref().map_or_else(|| field_label(&entity.name), |(_, many)| many.clone());
        self.translated(&format!("{}/label/many", entity.name), own)
    }

    fn breaks(&self, entity: &'a Entity, page: &'a Page) -> impl Iterator<Item = &'a Finding> + use<'a> {
        let findings = self.findings;
        findings
            .iter()
            .filter(move |f| f.severity == Severity::Break && f.entity.as_deref() == Some(&entity.name) && f.pages.contains(&page.name))
    }

    /// The fields of the page that the role sees.
    fn seen(&self, entity: &'a Entity, page: &'a Page) -> Vec<Option<&'a Field>> {
        let hides = |name: &str| self.access(entity).is_some_and(|access| access.hides(name));
        page.shown.iter().map(|name| entity.field(&name.value).filter(|f| !f.hidden && !hides(&f.name))).collect()
    }

    fn field(&self, entity: &'a Entity, page: &'a Page, field: &Field) -> DrawnField {
        let mut remarks = Vec::new();
        let access = self.access(entity);
        let for_role = access.is_some_and(|a| a.read_only.iter().any(|f| f.value == field.name));
        if page.kind.saves() && (field.read_only || field.formula.is_some() || for_role) {
            remarks.push("only shown".to_owned());
        } else if page.kind.saves() && field.required {
            remarks.push("required".to_owned());
        }
        if let Some(unit) = &field.unit {
            remarks.push(format!("in {}", unit.value));
        }
        let label = |c: &crate::definition::Choice| c.label.clone().unwrap_or_else(|| choice_label(&c.value.value));
        let choices: Vec<(String, String)> = field.choices.iter().map(|c| (c.value.value.clone(), label(c))).collect();
        if page.kind.saves() && !choices.is_empty() {
            remarks.push(format!("one of {}", choices.iter().map(|(_, l)| l.as_str()).collect::<Vec<_>>().join(", ")));
        }
        if let (true, Some(lookup)) = (page.kind.saves(), &field.lookup) {
            let target = self.model.entities.get(&lookup.entity.value).map_or_else(|| lookup.entity.value.clone(), |e| self.many(e));
            remarks.push(format!("chosen from {target}"));
        }
        let broken = self.breaks(entity, page).find(|f| f.field.as_deref() == Some(&field.name)).map(|f| f.message.clone());
        DrawnField { name: field.name.clone(), label: self.label(entity, field), kind: field.kind.clone(), remarks, choices, broken }
    }

    fn child(&self, of: &'a Entity, page: &'a Page, child: &Child) -> Option<DrawnChild> {
        let entity = self.model.entities.get(&child.entity.value)?;
        if self.role.is_some() && !self.access(entity).is_some_and(|a| a.read) {
            return None;
        }
        let fields = child.fields.iter().filter_map(|name| entity.field(&name.value)).filter(|f| !f.hidden);
        let is_own = |f: &&Finding| f.child.as_ref().is_some_and(|(entity, by)| child.is_of(entity, by));
        let broken = self.breaks(of, page).find(is_own).map(|f| f.message.clone());
        Some(DrawnChild {
            entity: child.entity.value.clone(),
            by: child.by.value.clone(),
            label: self.child_label(entity, page, child),
            fields: fields.map(|f| self.label(entity, f)).collect(),
            broken,
        })
    }

    /// What people call a child list: the records, and by what they belong here where the page lists them twice.
    fn child_label(&self, entity: &Entity, page: &Page, child: &Child) -> String {
        let many = self.many(entity);
        let is_alone = page.children.iter().filter(|other| other.entity.value == child.entity.value).count() == 1;
        match entity.field(&child.by.value).filter(|_| !is_alone) {
            Some(by) => format!("{many}: {}", self.label(entity, by)),
            None => many,
        }
    }

    /// What people call a page.
    pub fn page_label(&self, entity: &Entity, page: &Page) -> String {
        let own = page.label.clone().unwrap_or_else(|| format!("{}: {}", self.many(entity), field_label(&page.name).to_lowercase()));
        self.translated(&format!("{}/page/{}/label", entity.name, page.name), own)
    }

    /// The page without records.
    pub fn draw(&self, entity: &'a Entity, page: &'a Page) -> Drawing {
        let seen = self.seen(entity, page);
        let mut sections = Vec::new();
        let mut at = 0;
        let plain = vec![(String::new(), seen.len())];
        for (title, count) in if page.sections.is_empty() { &plain } else { &page.sections } {
            let fields = seen.iter().skip(at).take(*count).flatten().map(|f| self.field(entity, page, f)).collect::<Vec<_>>();
            at += count;
            if !fields.is_empty() {
                sections.push((title.clone(), fields));
            }
        }
        let labels = |names: &'a [crate::definition::Spanned<String>]| -> Vec<String> {
            let of = |name: &'a crate::definition::Spanned<String>| {
                let plain = name.value.strip_prefix('-').unwrap_or(&name.value);
                let label = self.label(entity, entity.field(plain)?);
                Some(if plain == name.value { label } else { format!("{label} (descending)") })
            };
            names.iter().filter_map(of).collect()
        };
        let offered: Vec<String> = ["add", "edit", "delete", "import", "export"]
            .into_iter()
            .filter(|action| page.kind == PageKind::List && page.offers(action) && !(entity.read_only && *action != "export"))
            .filter(|action| {
                self.access(entity).is_none_or(|a| match *action {
                    "add" | "import" => a.add,
                    "edit" => a.edit,
                    "delete" => a.delete,
                    _ => a.read,
                })
            })
            .map(str::to_owned)
            .collect();
        let tools = [
            ("grouped by", labels(&page.group)),
            ("search", labels(&page.search)),
            ("filter", labels(&page.filter)),
            ("sorted by", labels(&page.sort)),
            ("offers", offered),
        ];
        let children: Vec<DrawnChild> = page.children.iter().filter_map(|c| self.child(entity, page, c)).collect();
        // What is told at a list isn't told of the page as a whole.
        let at_child = |finding: &Finding| finding.child.is_some() && children.iter().any(|c| c.broken.as_ref() == Some(&finding.message));
        let broken: Vec<String> = self
            .breaks(entity, page)
            .filter(|f| !at_child(f))
            .filter(|f| f.field.is_none() || !seen.iter().flatten().any(|s| Some(s.name.as_str()) == f.field.as_deref()))
            .map(|f| f.message.clone())
            .collect();
        Drawing {
            entity: entity.name.clone(),
            page: page.name.clone(),
            label: self.page_label(entity, page),
            role: self.role.map(str::to_owned),
            layout: match page.kind.drawn() {
                Drawn::Rows => "rows",
                Drawn::Record => "record",
                Drawn::Form => "form",
                Drawn::Groups => "groups",
            },
            sections,
            tools: tools.into_iter().filter(|(_, labels)| !labels.is_empty()).collect(),
            children,
            records: Vec::new(),
            broken,
        }
    }

    /// The statement that reads a few records as the page shows them, a text for each field that isn't a related set.
    pub fn sample(&self, entity: &'a Entity, page: &'a Page, known: &'a crate::schema::Schema, records: u32) -> Statement {
        statements::sample(self.model, entity, page, self.access(entity), known, records)
    }
}
