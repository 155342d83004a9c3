//! A form that somebody may open and nobody of their role can save.

use crate::definition::{Access, Entity, Field, Page, PageKind};
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule =
    Rule { name: "access/form-unsavable", severity: Severity::Risk, changes: &[], elements: &[ElementKind::Access], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A role may open a form and can't save it: a lookup that needs a value points at an entity the role can't read, or the form has no field that the role may change.",
    matters: "The role opens the form, fills it in and is refused: the lookup offers nothing to choose.",
    before: "[access.helper] with add = true, where hive.apiary is required and [access.helper] of apiary has no read = true",
    after: "nothing: it is so in the definition",
    to_do: "Let the role read what the lookup offers, give the field a default, or take the page from the role.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    if !context.input.is_check() {
        return;
    }
    for entity in context.entities().filter(|entity| !entity.read_only) {
        for access in &entity.access {
            for page in entity.pages.iter().filter(|page| page.kind.saves() && access.allows(page)) {
                if let Some(message) = hindrance(context, entity, access, page) {
                    let finding = Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).role(&access.role);
                    out.push(finding.pages(vec![page.name.clone()]).at(&access.place).because((None, Remedy::None)));
                }
            }
        }
    }
}

/// Why a role can't save a page, where it can't.
fn hindrance(context: &Context<'_>, entity: &Entity, access: &Access, page: &Page) -> Option<String> {
    let own_write = if page.kind == PageKind::Add { &entity.source.insert } else { &entity.source.update };
    if own_write.is_some() {
        return None;
    }
    let may_change = |field: &&Field| {
        let is_kept =
            field.hidden || field.read_only || access.hides(&field.name) || access.read_only.iter().any(|f| f.value == field.name);
        !is_kept && field.formula.is_none()
    };
    let fields: Vec<&Field> = page.shown.iter().filter_map(|name| entity.field(&name.value)).filter(may_change).collect();
    let (role, page_name) = (shown(&access.role), shown(&page.name));
    if fields.is_empty() && !page.shown.is_empty() {
        return Some(format!("role `{role}` may open the page `{page_name}` and change nothing on it"));
    }
    // What a record has already stays as it is.
    let unreadable =
        fields.iter().filter(|field| page.kind == PageKind::Add && field.required && field.default.is_none()).find_map(|field| {
            let target = context.model.entities.get(&field.lookup.as_ref()?.entity.value)?;
            let may_read = target.access_of(&access.role).is_some_and(|access| access.read);
            (!may_read).then_some((field, target))
        });
    unreadable.map(|(field, target)| {
        let (field, target) = (shown(&field.name), shown(&target.name));
        format!("role `{role}` can't save the page `{page_name}`: `{field}` needs a value, and the role can't read `{target}`")
    })
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given visit/access.guest = { read = true, add = true, edit = true }
given keeper/access.guest = { add = true }
finds risk visit/access.guest: role `guest` can't save the page `add`: `keeper` needs a value, and the role can't read `keeper`

# Who may read it can choose.
given visit/access.guest = { read = true, add = true, edit = true }
finds nothing

given keeper/access.guest = { read = true, edit = true, pages = ["edit"], read_only = ["last_name", "born_on", "age", "phone", "region_code", "regions", "weight", "id"] }
finds risk keeper/access.guest: role `guest` may open the page `edit` and change nothing on it

finds nothing
"#;
