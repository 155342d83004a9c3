//! Why a database refuses a statement, as far as it can be told without its own words.
//!
//! Engines quote values in what they say: "Failing row contains (…)", "Duplicate entry 'x' for key 'y'". Whoever looks at a running
//! application may not be allowed to see them, so what is said to people is made of the kind of refusal, the constraint and the columns.

use crate::name::shown;

/// Why a database refuses a statement.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Refusal {
    /// What it says, in its own words: for whoever maintains the application.
    pub message: String,
    /// Its own code for it.
    pub code: Option<String>,
    /// The byte of the statement it points at.
    pub at: Option<usize>,
    /// What kind of refusal it is.
    pub kind: RefusalKind,
    /// The constraint that doesn't hold, where it is named.
    pub constraint: Option<String>,
    /// The columns it is about, where they are named.
    pub columns: Vec<String>,
}

/// What kind of refusal it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum RefusalKind {
    /// Another record has the value already.
    Taken,
    /// It refers to a record that isn't there.
    NothingThere,
    /// Other records refer to it.
    ReferredTo,
    /// One of the two: the engine doesn't say which.
    Reference,
    /// There has to be a value.
    Empty,
    /// A check doesn't hold.
    Check,
    /// A text is too long.
    TooLong,
    /// A number or moment is too large or too small.
    OutOfRange,
    /// A value isn't of the column's type.
    WrongValue,
    /// The author of a trigger or routine says so, in their own words.
    Own,
    /// Another transaction holds what is needed.
    Locked,
    /// Something about the statement itself: no value is quoted.
    #[default]
    Statement,
}

impl Refusal {
    /// A refusal of which nothing but the words is known.
    pub fn of_statement(message: impl Into<String>, code: Option<String>, at: Option<usize>) -> Refusal {
        Refusal { message: message.into(), code, at, ..Refusal::default() }
    }

    /// What people are told. The engine's own words stand in it only where they can't quote a value; those of the author of a trigger
    /// only where `sees_all`: whoever looks may see whatever they could quote.
    pub fn in_words(&self, sees_all: bool) -> String {
        let says = |message: &str| format!("The database says: {}", shown(message));
        let plain = match self.kind {
            RefusalKind::Statement => return says(&self.message),
            RefusalKind::Own if sees_all => return says(&self.message),
            RefusalKind::Own => "A rule of the database refuses it",
            RefusalKind::Taken => "Another record has this already",
            RefusalKind::NothingThere => "It refers to a record that isn't there",
            RefusalKind::ReferredTo => "Other records refer to it",
            RefusalKind::Reference => "It refers to a record that isn't there, or other records refer to it",
            RefusalKind::Empty => "A value is needed",
            RefusalKind::Check => "It goes against a rule of the database",
            RefusalKind::TooLong => "It is too long for the database",
            RefusalKind::OutOfRange => "It is too large or too small for the database",
            RefusalKind::WrongValue => "The database can't read this value",
            RefusalKind::Locked => "Somebody else is saving at this moment: try again",
        };
        // Which part of the database says so, for whoever is asked about it.
        let beside: Vec<String> = self.constraint.iter().chain(&self.code).map(|name| shown(name)).collect();
        if beside.is_empty() { format!("{plain}.") } else { format!("{plain} ({}).", beside.join(", ")) }
    }

    /// What can be searched for the names of columns: nothing of it is a value.
    pub fn names(&self) -> String {
        let quotes_nothing = matches!(self.kind, RefusalKind::Statement);
        let parts = self.columns.iter().chain(&self.constraint).cloned();
        parts.chain(quotes_nothing.then(|| self.message.clone())).collect::<Vec<_>>().join(" ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn people_are_told_what_quotes_no_value() {
        let secret = |kind| Refusal {
            message: "Failing row contains (7, a secret)".to_owned(),
            code: Some("23514".to_owned()),
            kind,
            constraint: Some("hive_weight_check".to_owned()),
            ..Refusal::default()
        };
        use RefusalKind::*;
        for kind in [Taken, NothingThere, ReferredTo, Reference, Empty, Check, TooLong, OutOfRange, WrongValue, Locked, Own] {
            let told = secret(kind).in_words(false);
            assert!(!told.contains("secret") && told.contains("23514") && told.contains("hive_weight_check"), "{kind:?}: {told}");
            assert!(!secret(kind).names().contains("secret"), "{kind:?}");
        }
        // What a trigger's author says is for whoever may see everything; what is wrong with a statement for everybody.
        assert!(secret(Own).in_words(true).contains("secret"));
        assert!(Refusal::of_statement("no such column: x", None, None).in_words(false).contains("no such column: x"));
    }
}
