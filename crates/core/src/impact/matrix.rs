//! Every kind of change against every kind of element: which rules look at it, or why none has to.

use super::{ElementKind, RULES};
use crate::changes::ChangeKind;

/// What is known of one kind of change and one kind of element.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Cell {
    /// The rules that look at it.
    Rules(Vec<&'static str>),
    /// Why there is nothing to look at.
    Nothing(&'static str),
    /// Nobody has thought of it: a test refuses that.
    Unconsidered,
}

/// The cell of a kind of change and a kind of element.
pub fn cell(change: ChangeKind, element: ElementKind) -> Cell {
    let rules: Vec<&str> = RULES.iter().filter(|r| r.changes.contains(&change) && r.elements.contains(&element)).map(|r| r.name).collect();
    if !rules.is_empty() {
        return Cell::Rules(rules);
    }
    let fits = |(changes, elements, _): &&Reason| changes.contains(&change) && (elements.is_empty() || elements.contains(&element));
    NOTHING.iter().find(fits).map_or(Cell::Unconsidered, |(.., why)| Cell::Nothing(why))
}

/// Kinds of changes, kinds of elements (none for all), and why nothing has to be looked at.
type Reason = (&'static [ChangeKind], &'static [ElementKind], &'static str);

use ChangeKind as C;
use ElementKind as E;

/// The first that fits counts.
const NOTHING: &[Reason] = &[
    (&[C::TableAdded], &[], "no element knows it yet: the merge asks whether the application shows it"),
    (
        &[C::EnumAdded, C::DomainAdded, C::CompositeAdded, C::RangeAdded, C::SequenceAdded, C::RoutineAdded, C::EventAdded],
        &[],
        "new, and nothing uses it yet; what comes to use it changes itself",
    ),
    (&[C::IndexAdded, C::IndexDropped], &[], "an index changes how fast a result comes, not the result"),
    (&[C::CommentChanged], &[], "a comment is for people; only help texts are drafted from it"),
    (&[C::PartitioningChanged, C::PartitionAdded], &[], "where records are kept changes no statement and no result"),
    (&[C::PartitionDropped], &[], "its records are gone, but no element depends on them; `changes` reports it"),
    (&[C::InheritanceChanged], &[], "the columns that come and go with it are changes of their own"),
    (&[C::OwnerChanged], &[E::Access], "what a new owner's roles may do is asked of the database: `rehearse --as ROLE`"),
    (&[C::OwnerChanged], &[], "who owns a table changes no statement"),
    (&[C::OptionsChanged], &[E::Form], "a table that became strict refuses what `impact --data` counts as data/does-not-convert"),
    (&[C::OptionsChanged], &[], "how records are kept changes no statement and no result"),
    (&[C::OnUpdateChanged], &[], "it counts only where a statement gives no value; forms give theirs"),
    (&[C::SequenceDropped, C::SequenceChanged], &[], "a column's default uses it; a change of the default is reported by itself"),
    (&[C::EventDropped, C::EventChanged], &[], "nothing that the application shows depends on it"),
    (
        &[C::EnumDropped, C::DomainDropped, C::CompositeDropped, C::RangeDropped],
        &[],
        "the columns of the type have another type now, which is reported for each",
    ),
    (&[C::EnumChanged, C::DomainChanged], &[], "the rules on lookups and forms report what it means for the values of its columns"),
    (&[C::CompositeChanged, C::RangeChanged], &[], "fields hold its values as a whole, as text"),
    (&[C::DefaultGrantsChanged], &[], "it is about what is made later"),
    (&[C::GrantAdded], &[], "the database allows more; the application allows what its definition says"),
    (&[C::GrantDropped, C::GrantChanged], &[], "the rules on access report it for the roles and pages that need it"),
    (
        &[C::PolicyAdded, C::PolicyDropped, C::PolicyChanged, C::RowSecurityChanged],
        &[],
        "the rules on access report it for the whole entity",
    ),
    (&[C::RoutineDropped, C::RoutineChanged], &[], "only `[source]`, other routines and code call routines"),
    (&[C::TriggerAdded, C::TriggerDropped, C::TriggerChanged], &[], "a trigger runs when something is saved: the rules on forms report it"),
    (
        &[C::CheckAdded, C::CheckDropped, C::ExclusionAdded, C::ExclusionDropped],
        &[],
        "it refuses values when they are saved: the rules on forms and on records report it",
    ),
    (&[C::UniqueAdded], &[], "it refuses values when they are saved: the rules on forms report it"),
    (&[C::UniqueDropped, C::PrimaryKeyChanged], &[], "records may share values now: the rules on what relies on unique values report it"),
    (&[C::ForeignKeyAdded, C::ForeignKeyDropped], &[], "the rules on lookups over its columns report it"),
    (&[C::CollationChanged], &[], "it changes the order and what counts as equal: the rules on searching and sorting report it"),
    (&[C::BecameRequired, C::BecameOptional, C::DefaultChanged], &[], "it matters when values are saved: the rules on forms report it"),
    (&[C::GeneratedChanged], &[], "reading works as before: the rules on saving report it"),
    (&[C::TypeChanged], &[E::Label, E::Menu], "statements write titles as text, whatever the type"),
    (&[C::TypeChanged], &[E::Exchange], "files hold texts; a value that doesn't convert is reported for its field"),
    (&[C::TypeChanged], &[E::Code], "names stay; nobody can see in the text of code what it does with a value"),
    (&[C::ColumnAdded], &[], "nothing names it yet: it is reported where it could be shown, and where it shows up by itself"),
    (&[C::ColumnDropped, C::ColumnRenamed], &[E::Menu], "the menu opens entities, whatever columns they have"),
    (&[C::TableDropped, C::TableRenamed], &[E::Form], "the whole page is reported"),
    (&[C::TableRenamed], &[E::Access, E::Outward], "grants and outward names belong to the entity, whose name stays"),
    (&[C::ViewBroken], &[], "the whole entity is reported: none of its pages works"),
    (
        &[C::ViewChanged],
        &[],
        "columns that came and went are changes of their own; that the view shows other records is reported for its pages",
    ),
    (&[C::TableKindChanged], &[], "reading works as before: the rules on saving report it"),
];
