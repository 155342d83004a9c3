//! The names of rules that more than their own file speaks of.

/// How the names of rules about code begin.
pub const ABOUT_CODE: &str = "code/";

/// A field that is on no page.
pub const FIELD_UNPLACED: &str = "page/field-unplaced";
/// The condition of a page.
pub const CONDITION_BROKEN: &str = "page/condition-broken";
/// A formula.
pub const FORMULA_BROKEN: &str = "page/formula-broken";
/// Custom SQL.
pub const SOURCE_BROKEN: &str = "page/source-broken";
/// The condition of a lookup.
pub const LOOKUP_CONDITION_BROKEN: &str = "lookup/condition-broken";
/// A translation of another text.
pub const TRANSLATION_FUZZY: &str = "label/translation-fuzzy";
/// A row filter.
pub const ROW_FILTER_BROKEN: &str = "access/row-filter-broken";
/// A rule of the definition's own.
pub const RULE_BROKEN: &str = "value/rule-broken";
/// Hand-written code.
pub const OLD_NAME: &str = "code/old-name";
/// Records that break a rule of the definition's own.
pub const CHECK_VIOLATED: &str = "data/check-violated";
/// Values that are no choice.
pub const CHOICE_UNKNOWN: &str = "data/choice-unknown";
/// Values that aren't of their field's kind.
pub const DOES_NOT_CONVERT: &str = "data/does-not-convert";
/// Keys that several records share.
pub const DUPLICATE_KEY: &str = "data/duplicate-key";
/// Empty values where a form needs one.
pub const NULL_IN_REQUIRED: &str = "data/null-in-required";
/// Values that point at nothing.
pub const ORPHAN_ROWS: &str = "data/orphan-rows";
/// Texts that are longer than their field allows.
pub const TOO_LONG: &str = "data/too-long";
