//! Conditions that a merge replaced by one that nobody fulfils, and rules that it set aside: what they kept out is a person's to decide.
//!
//! Without the condition, a list of unpaid invoices would show all of them and a lookup would offer what nobody was to choose. So `1 = 0`
//! stands in its place until a person writes another one, or takes it out.

use super::follow_up::name_of_place;
use super::named::{CONDITION_BROKEN, LOOKUP_CONDITION_BROKEN, ROW_FILTER_BROKEN, RULE_BROKEN, SOURCE_BROKEN};
use super::{Finding, FollowUp, Location, Severity};
use crate::access::{NOBODY, is_nobodys};
use crate::definition::{FileKey, Node, Tree};
use crate::name::shown;

/// Every condition of the definition that nobody fulfils, as a follow-up of whoever replaced it.
pub fn replaced_conditions(tree: &Tree) -> Vec<FollowUp> {
    let mut all = Vec::new();
    for (entity, root) in tree.entities() {
        let file = FileKey::Entity(entity.to_owned());
        let entries = |key: &str| root.get(key).map(Node::entries).unwrap_or_default();
        let mut add = |rule: &'static str, node: Option<&Node>, message: String, with: &dyn Fn(Finding) -> Finding| {
            let Some(node) = node.filter(|node| is_replaced(node)) else { return };
            let mut finding = with(Finding::new(rule, Severity::Risk, message).entity(entity));
            finding.at = Some(Location::at(&file, node.at));
            let what = if rule == SOURCE_BROKEN { "query" } else { "condition" };
            let finding = finding.help(format!("write the {what} anew over the columns there are, or take it out"));
            all.push(FollowUp { name: name_of_place(&finding), finding, cause: None });
        };
        for page in entries("page") {
            let message = format!("the page `{}` shows no record (`{NOBODY}`): its condition named what is gone", shown(&page.key));
            add(CONDITION_BROKEN, page.node.get("where"), message, &|finding| finding.pages(vec![page.key.clone()]));
        }
        for field in entries("field") {
            let message = format!("the lookup `{}` offers nothing (`{NOBODY}`): its condition named what is gone", shown(&field.key));
            let node = field.node.get("lookup").and_then(|lookup| lookup.get("where"));
            add(LOOKUP_CONDITION_BROKEN, node, message, &|finding| finding.field(&field.key));
        }
        let select = root.get("source").and_then(|source| source.get("select"));
        let message = format!("its pages show no record (`{NOBODY}`): its own query is set aside, since it named what is gone");
        add(SOURCE_BROKEN, select, message, &|finding| finding);
        for access in entries("access") {
            let message = format!("role `{}` sees no record (`{NOBODY}`): its row filter named what is gone", shown(&access.key));
            add(ROW_FILTER_BROKEN, access.node.get("rows"), message, &|finding| finding.role(&access.key));
        }
    }
    all
}

/// A rule that isn't in the definition any more, since it named what is gone; nothing where it is there.
pub fn rule_set_aside(tree: &Tree, entity: &str, check: &str) -> Option<FollowUp> {
    let root = tree.files.get(&FileKey::Entity(entity.to_owned()))?;
    if root.get("check").is_some_and(|checks| checks.get(check).is_some()) {
        return None;
    }
    let message = format!("the rule `{}` is set aside, since it named what is gone: nothing it refused is refused now", shown(check));
    let finding = Finding::new(RULE_BROKEN, Severity::Risk, message).entity(entity);
    let finding = finding.help("write the rule anew over the columns there are");
    Some(FollowUp { name: format!("{RULE_BROKEN}/{entity}/{check}"), finding, cause: None })
}

/// Whether nobody is given anything.
fn is_replaced(node: &Node) -> bool {
    node.as_text().is_some_and(is_nobodys)
}
