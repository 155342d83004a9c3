//! Looking through SQL texts by their tokens.

use super::dialect::dialect;
use crate::name;
use crate::schema::Engine;
use sqlparser::tokenizer::{Token, Tokenizer};

/// Whether one of the names stands in the text as an identifier: all that can be said of SQL that can't be analysed.
pub fn mentions_word(text: &str, names: &[&str], engine: Engine) -> bool {
    tokens(text, engine)
        .is_none_or(|tokens| tokens.iter().any(|token| matches!(token, Token::Word(word) if name::contains(names, &word.value))))
}

fn tokens(text: &str, engine: Engine) -> Option<Vec<Token>> {
    let mut tokens = Tokenizer::new(dialect(engine), text).tokenize().ok()?;
    tokens.retain(|token| !matches!(token, Token::Whitespace(_)));
    Some(tokens)
}

/// The `:parameters` of a text with the byte each starts at.
pub fn parameters(text: &str, engine: Engine) -> Vec<(usize, String)> {
    let Ok(tokens) = Tokenizer::new(dialect(engine), text).tokenize_with_location() else { return Vec::new() };
    let mut found = Vec::new();
    for pair in tokens.windows(2) {
        if let [colon, word] = pair
            && colon.token == Token::Colon
            && let Token::Word(name) = &word.token
        {
            let line_start: usize =
                text.split_inclusive('\n').take(usize::try_from(colon.span.start.line).unwrap_or(1).saturating_sub(1)).map(str::len).sum();
            let column = usize::try_from(colon.span.start.column).unwrap_or(1).saturating_sub(1);
            let offset = text[line_start..].char_indices().nth(column).map_or(text.len(), |(at, _)| line_start + at);
            found.push((offset, name.value.clone()));
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
