//! CREATE statements as tokens: a small scanner over words, parentheses and quotes.

/// A token of a CREATE statement.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Token<'a> {
    pub text: &'a str,
    /// Where it stands, in bytes.
    pub start: usize,
    /// How many parentheses it stands in; those that open and close one stand outside of it.
    pub depth: usize,
}

impl Token<'_> {
    pub fn is(&self, word: &str) -> bool {
        self.text.eq_ignore_ascii_case(word)
    }

    pub fn end(&self) -> usize {
        self.start + self.text.len()
    }

    /// The name it stands for, quotes removed.
    pub fn name(&self) -> String {
        let bare = |text: &str, quote: &str| text.trim_matches(|c| quote.contains(c)).replace(&quote.repeat(2), quote);
        match self.text.chars().next() {
            Some('"') => bare(self.text, "\""),
            Some('`') => bare(self.text, "`"),
            Some('\'') => bare(self.text, "'"),
            Some('[') => self.text.trim_matches(|c| c == '[' || c == ']').to_owned(),
            _ => self.text.to_owned(),
        }
    }
}

/// Words, quoted names and strings, and single punctuation marks; comments and white space left out.
pub(super) fn tokens(sql: &str) -> Vec<Token<'_>> {
    let bytes = sql.as_bytes();
    let (mut out, mut at, mut depth) = (Vec::new(), 0, 0usize);
    while at < bytes.len() {
        let rest = &sql[at..];
        let first = bytes[at];
        let length = if rest.starts_with("--") {
            at += rest.find('\n').unwrap_or(rest.len());
            continue;
        } else if rest.starts_with("/*") {
            at += rest.find("*/").map_or(rest.len(), |end| end + 2);
            continue;
        } else if first.is_ascii_whitespace() {
            at += 1;
            continue;
        } else if matches!(first, b'"' | b'\'' | b'`') {
            quoted_length(rest, char::from(first))
        } else if first == b'[' {
            rest.find(']').map_or(rest.len(), |end| end + 1)
        } else if first.is_ascii_alphanumeric() || first == b'_' || first >= 0x80 {
            rest.find(|c: char| !(c.is_alphanumeric() || c == '_' || c == '$' || !c.is_ascii())).unwrap_or(rest.len())
        } else {
            1
        };
        if first == b')' {
            depth = depth.saturating_sub(1);
        }
        out.push(Token { text: &rest[..length], start: at, depth });
        if first == b'(' {
            depth += 1;
        }
        at += length;
    }
    out
}

fn quoted_length(text: &str, quote: char) -> usize {
    let mut at = 1;
    while let Some(next) = text[at..].find(quote) {
        at += next + 1;
        if text[at..].starts_with(quote) {
            at += 1;
        } else {
            return at;
        }
    }
    text.len()
}

/// The text inside the parentheses that open at `open`.
pub(super) fn inside<'a>(sql: &'a str, tokens: &[Token<'_>], open: usize) -> Option<&'a str> {
    let opening = tokens.get(open).filter(|t| t.text == "(")?;
    let closing = tokens[open + 1..].iter().find(|t| t.text == ")" && t.depth == opening.depth)?;
    Some(sql[opening.end()..closing.start].trim())
}

/// The columns and constraints of a CREATE TABLE: what stands between the outermost commas.
pub(super) fn items<'a, 'b>(tokens: &'b [Token<'a>]) -> Vec<&'b [Token<'a>]> {
    let Some(open) = tokens.iter().position(|t| t.depth == 0 && t.text == "(") else { return Vec::new() };
    let close = tokens[open + 1..].iter().position(|t| t.depth == 0 && t.text == ")").map_or(tokens.len(), |at| open + 1 + at);
    tokens[open + 1..close].split(|t| t.depth == 1 && t.text == ",").collect()
}
