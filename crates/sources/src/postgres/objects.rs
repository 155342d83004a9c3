//! What PostgreSQL has besides tables, in the neutral model.

use super::grants::grants_of;
use super::rows::{Acl, Namespace, Oid, RoutineRow};
use super::types::Types;
use ysomorph_core::name;
use ysomorph_core::schema::{CompositeType, DefaultGrant, Domain, EnumType, Objects, RangeType, Routine, Sequence};

/// The rows of one catalogue.
#[allow(clippy::type_complexity, reason = "rows")]
pub(super) struct ObjectRows {
    pub enums: Vec<(Namespace, String, Option<Vec<String>>)>,
    pub domains: Vec<(Namespace, String, Oid, i32, bool, Option<String>, Vec<String>)>,
    pub composites: Vec<(Namespace, String, Option<Vec<String>>)>,
    pub ranges: Vec<(Namespace, String, String)>,
    pub sequences: Vec<(Namespace, String, String, i64, i64, i64, i64, bool, Vec<Acl>)>,
    pub routines: Vec<RoutineRow>,
    pub default_grants: Vec<DefaultGrant>,
}

pub(super) fn objects(types: &Types, rows: ObjectRows) -> Objects {
    let mut found = Objects {
        enums: rows
            .enums
            .into_iter()
            .map(|(ns, n, values)| EnumType { name: shown(&ns, &n), values: values.unwrap_or_default() })
            .collect(),
        domains: rows
            .domains
            .into_iter()
            .map(|(ns, n, base, modifier, required, default, checks)| Domain {
                name: shown(&ns, &n),
                base: types.get(base, modifier),
                required,
                default,
                checks,
            })
            .collect(),
        composites: rows
            .composites
            .into_iter()
            .map(|(ns, n, parts)| CompositeType { name: shown(&ns, &n), parts: parts.unwrap_or_default() })
            .collect(),
        ranges: rows.ranges.into_iter().map(|(ns, n, over)| RangeType { name: shown(&ns, &n), over }).collect(),
        sequences: rows
            .sequences
            .into_iter()
            .map(|(ns, n, of, start, step, least, greatest, cycles, acl)| Sequence {
                name: shown(&ns, &n),
                of: Some(of),
                start,
                step,
                least,
                greatest,
                cycles,
                grants: grants_of(acl),
            })
            .collect(),
        routines: rows.routines.into_iter().map(routine).collect(),
        events: Vec::new(),
        default_grants: rows.default_grants,
    };
    found.enums.sort();
    found.domains.sort_by(|a, b| a.name.cmp(&b.name));
    found.composites.sort();
    found.ranges.sort();
    found.sequences.sort();
    found.routines.sort();
    found
}

fn shown(schema: &Namespace, own: &str) -> String {
    schema.as_ref().map_or_else(|| name::written(own), |schema| format!("{}.{}", name::written(schema), name::written(own)))
}

fn routine(row: RoutineRow) -> Routine {
    let RoutineRow(schema, own, kind, arguments, returns, language, body, flags, settings, owner, acl) = row;
    let (definer, strict, volatility, parallel, leakproof) = flags;
    let mut options = Vec::new();
    let mut option = |on: bool, word: &str| options.extend(on.then(|| word.to_owned()));
    option(definer, "security definer");
    option(strict, "strict");
    option(volatility == 'i', "immutable");
    option(volatility == 's', "stable");
    option(parallel == 's', "parallel safe");
    option(parallel == 'r', "parallel restricted");
    option(leakproof, "leakproof");
    options.extend(settings.into_iter().map(|s| format!("set {s}")));
    let result = returns.as_deref().and_then(|r| r.strip_prefix("TABLE(")?.strip_suffix(')')).map(split).unwrap_or_default();
    let kind = match kind {
        'p' => "procedure",
        'a' => "aggregate",
        'w' => "window",
        _ => "function",
    };
    Routine {
        name: shown(&schema, &own),
        kind: kind.to_owned(),
        arguments: split(&arguments),
        returns,
        result,
        language,
        body: body.unwrap_or_default().trim().to_owned(),
        options,
        owner: Some(owner),
        // Everybody may run a routine unless that was taken away; that is the usual state.
        grants: grants_of(acl),
    }
}

/// Splits at commas outside parentheses and quotes.
fn split(list: &str) -> Vec<String> {
    let (mut parts, mut depth, mut quote, mut start) = (Vec::new(), 0u32, None, 0);
    for (at, c) in list.char_indices() {
        match (quote, c) {
            (Some(q), c) if c == q => quote = None,
            (Some(_), _) => {}
            (None, '\'' | '"') => quote = Some(c),
            (None, '(' | '[') => depth += 1,
            (None, ')' | ']') => depth = depth.saturating_sub(1),
            (None, ',') if depth == 0 => {
                parts.push(list[start..at].trim().to_owned());
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push(list[start..].trim().to_owned());
    parts.retain(|p| !p.is_empty());
    parts
}
