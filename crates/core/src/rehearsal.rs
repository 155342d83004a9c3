//! A rehearsal: every statement the pages need, and what the real database says of each, led back to the element of
//! the definition it stands for.

use crate::definition::{Entity, Model, Page};
use crate::impact::{Finding, Location, Remedy, Severity};
use crate::name::{same, shown};
use crate::refusal::Refusal;
use crate::schema::Schema;
use crate::statements::{self, Need, Purpose, Statement, Use, Why};

/// The name under which refusals are reported; it is no rule of `impact`.
pub const REFUSED: &str = "rehearse/refused";

/// A statement of a page.
#[derive(Debug)]
pub struct Asked<'a> {
    /// The entity.
    pub entity: &'a Entity,
    /// The page; absent for imports and exports.
    pub page: Option<&'a Page>,
    /// What is asked.
    pub statement: Statement,
}

/// Every statement of every page, for every role; or only what one role may do.
pub fn script<'a>(model: &'a Model, known: &Schema, role: Option<&str>) -> Vec<Asked<'a>> {
    let mut all = Vec::new();
    for entity in model.entities.values() {
        let wanted = |page: Option<&Page>, statement: &Statement| match (role, &statement.role) {
            (None, _) => true,
            (Some(role), Some(own)) => role == own,
            (Some(role), None) => may_write(model, entity, page, role, &statement.purpose),
        };
        for page in &entity.pages {
            let statements = statements::of_page(model, entity, page, known).into_iter().filter(|s| wanted(Some(page), s));
            all.extend(statements.map(|statement| Asked { entity, page: Some(page), statement }));
        }
        let exchange = statements::of_exchange(model, entity, known).into_iter().filter(|s| wanted(None, s));
        all.extend(exchange.map(|statement| Asked { entity, page: None, statement }));
    }
    all
}

/// Whether a role may do a write: everybody may where there are no roles.
fn may_write(model: &Model, entity: &Entity, page: Option<&Page>, role: &str, purpose: &Purpose) -> bool {
    if model.app.roles.is_empty() {
        return true;
    }
    let Some(access) = entity.access_of(role).filter(|a| page.is_none_or(|page| a.allows(page))) else { return false };
    match purpose {
        Purpose::Insert | Purpose::Create(..) => access.add,
        Purpose::Update => access.edit,
        Purpose::Delete => access.delete,
        _ => true,
    }
}

/// What is wrong with a routine that a statement calls: not every engine looks at calls before they are run.
pub fn refused_call(statement: &Statement, live: &Schema) -> Option<Refusal> {
    statement.uses.iter().find_map(|used| match &used.need {
        Need::Routine { name, arguments } => {
            let wrong = live.takes_call(name, arguments).err()?;
            Some(Refusal::of_statement(format!("the routine `{name}` {wrong}"), None, None))
        }
        _ => None,
    })
}

/// Whether a statement calls a routine.
pub fn calls(statement: &Statement) -> bool {
    statement.uses.iter().any(|used| matches!(used.need, Need::Routine { .. }))
}

/// The refusals as findings: what the database says the same of on one page is told once.
pub fn findings(refused: &[(&Asked<'_>, Refusal)]) -> Vec<Finding> {
    let mut found: Vec<Finding> = Vec::new();
    for (asked, refusal) in refused {
        let finding = finding(asked, refusal);
        let known = found
            .iter_mut()
            .find(|f| f.entity == finding.entity && f.pages == finding.pages && f.message == finding.message && f.at == finding.at);
        match known {
            Some(known) => {
                known.places.extend(finding.places.into_iter().filter(|p| !known.places.contains(p)).collect::<Vec<_>>());
                if known.role != finding.role {
                    known.role = None;
                }
            }
            None => found.push(finding),
        }
    }
    found
}

fn finding(asked: &Asked<'_>, refusal: &Refusal) -> Finding {
    let code = refusal.code.as_ref().map_or_else(String::new, |code| format!(" ({})", shown(code)));
    let mut finding = Finding::new(
        REFUSED,
        Severity::Break,
        format!("the database refuses it: {}{code}", shown(without_aliases(refusal.message.trim()).trim())),
    );
    finding.entity = Some(asked.entity.name.clone());
    finding.pages = asked.page.iter().map(|page| page.name.clone()).collect();
    finding.places = vec![asked.statement.purpose.words()];
    finding.remedy = Remedy::None;
    let culprit = culprit(&asked.statement, refusal);
    // Only a role's own rows and grants are that role's alone: other roles ask the same.
    let by_rows = culprit.is_some_and(|(used, _)| matches!(used.why, Why::Rows { .. }));
    let by_grant = refusal.code.as_deref().is_some_and(|code| code == "42501" || code.starts_with("1142/") || code.starts_with("1143/"));
    if by_rows || by_grant {
        finding.role.clone_from(&asked.statement.role);
    }
    finding.field = culprit.and_then(|(used, _)| used.why.field().map(str::to_owned));
    finding.at = Some(match culprit {
        Some((used, Some(offset))) => inside(used, offset),
        Some((used, None)) => Location::from(&used.place),
        None => Location::from(asked.page.map_or(&asked.entity.place, |page| &page.place)),
    });
    finding
}

/// The place of a byte inside a condition: on its line, after the opening quote, where the text is one plain line.
fn inside(used: &Use, offset: usize) -> Location {
    let mut place = Location::from(&used.place);
    if let Need::Condition { text, .. } | Need::Statement { text, .. } = &used.need
        && !text.contains(['\n', '"', '\\'])
    {
        let before = text.get(..offset).unwrap_or_default().chars().count();
        place.column += 1 + u32::try_from(before).unwrap_or_default();
    }
    place
}

/// The need that a refusal is about: the one whose name the database points at or speaks of. For a condition also
/// the byte inside it.
fn culprit<'s>(statement: &'s Statement, refusal: &Refusal) -> Option<(&'s Use, Option<usize>)> {
    let pointed = refusal.at.and_then(|at| word_at(&statement.sql, at));
    let mut words: Vec<String> = pointed.into_iter().collect();
    words.extend(words_of(&refusal.message));
    // A column first, whatever tables are named beside it; then a name inside a condition; then a table.
    let column = |word: &String| statement.uses.iter().find(|u| matches!(&u.need, Need::Column { column, .. } if same(column, word)));
    if let Some(used) = words.iter().find_map(column) {
        return Some((used, None));
    }
    let inside = |word: &String| {
        statement.uses.iter().find_map(|used| match &used.need {
            Need::Condition { text, .. } | Need::Statement { text, .. } => whole_word(text, word).map(|at| (used, Some(at))),
            Need::Routine { name, arguments } if same(name, word) || arguments.iter().any(|a| same(a, word)) => Some((used, None)),
            _ => None,
        })
    };
    if let Some(found) = words.iter().find_map(inside) {
        return Some(found);
    }
    let table = |word: &String| {
        let is = |u: &&Use| matches!(&u.need, Need::Table(table) if same(crate::name::split_qualified(table).1, word));
        statement.uses.iter().find(is)
    };
    words.iter().find_map(table).map(|used| (used, None))
}

/// A message without the names that only the statement gives to its tables (`r`, `l1`…): they are nobody's.
fn without_aliases(message: &str) -> String {
    let mut out = String::new();
    let mut rest = message;
    while let Some(dot) = rest.find('.') {
        let (before, after) = rest.split_at(dot);
        let start = before.char_indices().rfind(|(_, c)| !c.is_ascii_alphanumeric()).map_or(0, |(at, c)| at + c.len_utf8());
        let word = &before[start..];
        let is_alias = word == "r" || word.strip_prefix('l').is_some_and(|n| !n.is_empty() && n.chars().all(|c| c.is_ascii_digit()));
        let followed = after[1..].starts_with(is_name);
        if is_alias && followed {
            out.push_str(&before[..start]);
        } else {
            out.push_str(before);
            out.push('.');
        }
        rest = &after[1..];
    }
    out.push_str(rest);
    out
}

/// What is made of a database's message, whatever is in it.
#[cfg(test)]
pub(crate) fn plainly(refusal: &Refusal, statement: &str) -> (String, Vec<String>, Option<String>, Option<usize>) {
    let word = refusal.at.and_then(|at| word_at(statement, at));
    let whole = word.as_ref().and_then(|word| whole_word(statement, word));
    (without_aliases(&refusal.message), words_of(&refusal.message), word, whole)
}

fn is_name(c: char) -> bool {
    c.is_alphanumeric() || c == '_' || c == '$'
}

/// The name that stands at a byte, quotes and a qualifier aside: the last part is what is missing.
fn word_at(text: &str, at: usize) -> Option<String> {
    let rest = text.get(at..)?;
    let end = rest.find(|c: char| !(is_name(c) || "\"`.".contains(c))).unwrap_or(rest.len());
    rest[..end].rsplit('.').next().map(|last| last.trim_matches(['"', '`']).to_owned()).filter(|w| !w.is_empty())
}

/// Names in a message, the last parts of qualified ones first.
fn words_of(message: &str) -> Vec<String> {
    let pieces = message.split(|c: char| !(is_name(c) || "\"`.".contains(c)));
    pieces
        .filter_map(|piece| piece.trim_matches('.').rsplit('.').next().map(|w| w.trim_matches(['"', '`']).to_owned()))
        .filter(|w| w.len() > 1)
        .collect()
}

fn whole_word(text: &str, word: &str) -> Option<usize> {
    let lower = text.to_ascii_lowercase();
    let word = word.to_ascii_lowercase();
    lower.match_indices(&word).map(|(at, _)| at).find(|at| {
        let before = lower[..*at].chars().next_back();
        let after = lower[at + word.len()..].chars().next();
        !before.is_some_and(is_name) && !after.is_some_and(is_name)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_message_speaks_of_columns_not_of_aliases() {
        for (message, shown) in [
            ("no such column: l12.postcode", "no such column: postcode"),
            ("column r.tag does not exist", "column tag does not exist"),
            ("Unknown column 'l1.tag' in 'SELECT'. Sorry.", "Unknown column 'tag' in 'SELECT'. Sorry."),
            ("Spalte »r.größe« existiert nicht – l2.ö fehlt…r.x. Ende", "Spalte »größe« existiert nicht – ö fehlt…x. Ende"),
            ("relation \"sales.order\" does not exist", "relation \"sales.order\" does not exist"),
        ] {
            assert_eq!(without_aliases(message), shown);
        }
        assert_eq!(word_at("SELECT \"r\".\"gone\" FROM", 7).as_deref(), Some("gone"));
        assert_eq!((whole_word("a = 1 AND ab = b", "b"), whole_word("ab", "b")), (Some(15), None));
    }
}
