//! What is worth adding up.

use super::conventions::Conventions;
use crate::definition::FieldKind;
use crate::name;

/// Units of what there can be more of in all: a sum of heights, rates or percentages says nothing.
const ADDED_UP: &[&str] = &["kg", "g", "mg", "ml", "cl", "l", "km", "m3", "ha", "kwh"];

/// Words of what isn't more in two records than in one: limits, rates, and what is true of a thing as it is.
const NOT_ADDED_UP: &[&str] = &[
    "age",
    "average",
    "avg",
    "balance",
    "capacity",
    "factor",
    "height",
    "length",
    "level",
    "limit",
    "load",
    "max",
    "maximum",
    "mean",
    "median",
    "min",
    "minimum",
    "multiplier",
    "percent",
    "percentage",
    "per",
    "price",
    "rank",
    "rate",
    "ratio",
    "score",
    "size",
    "tare",
    "target",
    "threshold",
    "unit",
    "version",
    "volume",
    "weight",
    "width",
    "year",
];

/// Whether a column of this kind, with this unit, is worth adding up: amounts, quantities, durations, weights of goods (`honey_kg`);
/// never what a thing weighs by itself.
pub(super) fn adds_up(column: &str, kind: &FieldKind, unit: Option<&str>, conventions: &Conventions) -> bool {
    let words = name::words(column);
    if words.iter().any(|word| NOT_ADDED_UP.contains(&word.as_str())) {
        return false;
    }
    let by_unit = || unit.is_some() && words.last().is_some_and(|last| ADDED_UP.contains(&last.as_str()));
    match kind.name {
        "money" => true,
        "number" | "decimal" => conventions.totals.fit_words(column) || by_unit(),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_there_can_be_more_of_is_added_up() {
        let conventions = Conventions::default();
        let adds = |column: &str, kind: &str, unit: Option<&str>| adds_up(column, FieldKind::named(kind), unit, &conventions);
        for (column, kind, unit, expected) in [
            ("amount", "money", None, true),
            ("unit_price", "money", None, false),
            ("honey_kg", "decimal", Some("kg"), true),
            ("max_load_kg", "decimal", Some("kg"), false),
            ("height_cm", "number", Some("cm"), false),
            ("moisture_pct", "decimal", Some("%"), false),
            ("quantity", "number", None, true),
            ("hours", "decimal", None, true),
            ("load_weight", "number", None, false),
            ("empty_weight_kg", "number", Some("kg"), false),
            ("tax_rate", "decimal", None, false),
            ("year", "number", None, false),
            ("total", "boolean", None, false),
        ] {
            assert_eq!(adds(column, kind, unit), expected, "{column}");
        }
    }
}
