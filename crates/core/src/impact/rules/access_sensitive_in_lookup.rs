//! A lookup shows what a role may not see.

use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::sql::parse_template;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/sensitive-in-lookup",
    severity: Severity::Risk,
    changes: &[],
    elements: &[ElementKind::Access, ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "What a lookup shows names a field that the other entity hides from a role that uses the lookup.",
    matters: "What is hidden on its own page is read on others.",
    before: "show = \"{last_name} ({phone})\", where keeper hides phone from vets",
    after: "nothing: it is so in the definition",
    to_do: "Show other fields in the lookup.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for entity in context.entities() {
        for field in entity.fields.iter().filter(|f| !f.hidden) {
            let Some(lookup) = &field.lookup else { continue };
            let Some(target) = context.model.entities.get(&lookup.entity.value) else { continue };
            let Some(show) = lookup.show.as_ref().or(target.title.as_ref()) else { continue };
            for (named, _, _) in parse_template(&show.value).fields() {
                if target.field(named).is_none_or(|f| f.hidden) {
                    continue;
                }
                for access in entity.access.iter().filter(|a| a.read && !a.hides(&field.name)) {
                    if target.access_of(&access.role).is_some_and(|a| a.hides(named)) {
                        let message = format!(
                            "lookup `{}` shows `{}` of `{}`, which role `{}` may not see",
                            shown(&field.name),
                            shown(named),
                            shown(&target.name),
                            shown(&access.role)
                        );
                        let pages = context.pages_with(entity, &field.name, |p| access.allows(p));
                        let finding = Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).field(&field.name);
                        out.push(finding.role(&access.role).pages(pages).at(&field.place));
                    }
                }
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# What a keeper is called says the phone number that the role doesn't see.
given keeper/title = "{last_name} {phone}"
given visit/access.guest = { read = true }
finds risk visit/field.keeper: lookup `keeper` shows `phone` of `keeper`, which role `guest` may not see

given visit/access.guest = { read = true }
finds nothing
"#;
