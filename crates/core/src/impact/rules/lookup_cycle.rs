//! Titles chase each other.

use crate::definition::Entity;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::sql::parse_template;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/cycle",
    severity: Severity::Risk,
    changes: &[],
    elements: &[ElementKind::Lookup, ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The title of an entity shows a lookup, whose title shows a lookup, and so on until the first one again.",
    matters: "A title that contains itself has no end: it is cut short somewhere, and records get names nobody recognises.",
    before: "hive is called {apiary}, apiary is called {first_hive}",
    after: "nothing: it is so in the definition",
    to_do: "Let one of the titles name plain fields, as in {apiary.name}.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for entity in context.entities() {
        let mut path = vec![entity.name.as_str()];
        let Some(at) = walk(context, entity, &mut path) else { continue };
        // Told once, for the first of the circle.
        let Some(circle) = path.get(at..).filter(|circle| at == 0 && circle.iter().min() == circle.first()) else { continue };
        let names: Vec<String> = circle.iter().map(|n| format!("`{}`", shown(n))).collect();
        let message = format!("each title shows the next one, in a circle: {} → `{}`", names.join(" → "), shown(&entity.name));
        let place = entity.title.as_ref().map_or(&entity.place, |t| &t.place);
        out.push(Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).at(place));
    }
}

/// Follows the lookups that titles show; the place in the path that is reached again.
fn walk<'a>(context: &'a Context<'_>, entity: &'a Entity, path: &mut Vec<&'a str>) -> Option<usize> {
    // Nobody follows a title further; and where many lead to many, the walk has to end.
    let title = entity.title.as_ref().filter(|_| path.len() < 8)?;
    for (field, _, of) in parse_template(&title.value).fields() {
        let lookup = entity.field(field).and_then(|f| f.lookup.as_ref()).filter(|l| of.is_none() && l.show.is_none());
        let Some(next) = lookup.and_then(|l| context.model.entities.get(&l.entity.value)) else { continue };
        if let Some(at) = path.iter().position(|known| *known == next.name) {
            return Some(at);
        }
        path.push(&next.name);
        if let Some(at) = walk(context, next, path) {
            return Some(at);
        }
        path.pop();
    }
    None
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# A keeper is called by a visit, and a visit by its keeper.
given keeper/title = "{age}"
given keeper/field.age.kind = "lookup"
given keeper/field.age.lookup = { entity = "visit" }
finds risk keeper/title: each title shows the next one, in a circle: `keeper` → `visit` → `keeper`

# The field isn't part of what a keeper is called.
given keeper/field.age.kind = "lookup"
given keeper/field.age.lookup = { entity = "visit" }
finds nothing
"#;
