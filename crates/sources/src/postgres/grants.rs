//! Privileges as the catalogue lists them.

use super::rows::Acl;
use std::collections::BTreeMap;
use ysomorph_core::schema::Grant;

/// Privileges of one role, sorted; one that may be passed on is marked.
pub(super) fn grants_of(acl: Vec<Acl>) -> Vec<Grant> {
    let mut by_role: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for (to, privilege, grantable) in acl {
        by_role.entry(to).or_default().push(format!("{privilege}{}", if grantable { "*" } else { "" }));
    }
    by_role
        .into_iter()
        .map(|(to, mut privileges)| {
            privileges.sort();
            Grant { to, columns: Vec::new(), privileges }
        })
        .collect()
}
