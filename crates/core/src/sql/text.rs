//! Looking through SQL texts by their tokens.

use super::parser;
use super::places::Places;
use crate::name;
use crate::schema::Engine;
use sqlparser::tokenizer::Token;

/// Whether one of the names stands in the text as an identifier: all that can be said of SQL that can't be analysed.
pub fn mentions_word(text: &str, names: &[&str], engine: Engine) -> bool {
    parser::words(text, engine)
        .is_none_or(|tokens| tokens.iter().any(|token| matches!(token, Token::Word(word) if name::contains(names, &word.value))))
}

/// The `:parameters` of a text with the byte each starts at.
pub fn parameters(text: &str, engine: Engine) -> Vec<(usize, String)> {
    let Some(tokens) = parser::tokens(text, engine) else { return Vec::new() };
    let (places, mut found) = (Places::of(text), Vec::new());
    for pair in tokens.windows(2) {
        if let [colon, word] = pair
            && colon.token == Token::Colon
            && let Token::Word(name) = &word.token
            && name.quote_style.is_none()
        {
            found.push((places.byte(colon.span.start), name.value.clone()));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    #[test]
    fn parameters_are_found_but_not_inside_strings() {
        let text = "a = :user_keeper AND ü = ':x' AND b > :today";
        let found: Vec<_> = super::parameters(text, crate::schema::Engine::Sqlite)
            .into_iter()
            .map(|(at, name)| (text[at..].starts_with(&format!(":{name}")), name))
            .collect();
        assert_eq!(found, [(true, "user_keeper".to_owned()), (true, "today".to_owned())]);
    }
}
