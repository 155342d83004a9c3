//! Whether two SQL texts say the same: compared by their tokens, in the form every spelling of one thing has.
//!
//! An engine writes the same expression in more than one way: PostgreSQL moves casts and parentheses about when a
//! dump is restored (`(a)::text = ANY ((ARRAY['x'::character varying])::text[])` and `ANY (ARRAY[('x'::character
//! varying)::text])`), MariaDB calls one moment `current_timestamp()` and `now()`. So casts, parentheses around
//! single things and doubled parentheses are left out before two texts are compared.

use super::parser;
use crate::name;
use crate::schema::Engine;
use sqlparser::tokenizer::Token;

/// Whether two texts say the same but for white space, comments, case, quoting, casts, and names for which
/// `turns(old, new)` holds. Texts that can't be read are compared as they are.
pub fn says_same(before: &str, after: &str, engine: Engine, turns: impl Fn(&str, &str) -> bool) -> bool {
    if before == after {
        return true;
    }
    let (Some(before), Some(after)) = (canonical(before, engine), canonical(after, engine)) else { return false };
    let alike = |a: &Token, b: &Token| match (a, b) {
        (Token::Word(a), Token::Word(b)) => name::same(&a.value, &b.value) || turns(&a.value, &b.value),
        (a, b) => a == b,
    };
    let (mut old, mut new) = (before.as_slice(), after.as_slice());
    let mut last: Option<(&Token, &Token)> = None;
    loop {
        match (old, new) {
            ([], []) => return true,
            ([a, ..], [b, ..]) if alike(a, b) => {
                last = Some((a, b));
                (old, new) = (&old[1..], &new[1..]);
            }
            // PostgreSQL keeps the name of a view's column when what it reads is renamed: `t.new AS old`.
            (_, [as_word, name, ..]) if is_word(as_word, "as") && last.is_some_and(|(a, _)| same_word(a, name)) => new = &new[2..],
            ([as_word, name, ..], _) if is_word(as_word, "as") && last.is_some_and(|(_, b)| same_word(b, name)) => old = &old[2..],
            _ => return false,
        }
    }
}

fn is_word(token: &Token, word: &str) -> bool {
    matches!(token, Token::Word(w) if w.value.eq_ignore_ascii_case(word))
}

fn same_word(a: &Token, b: &Token) -> bool {
    matches!((a, b), (Token::Word(a), Token::Word(b)) if name::same(&a.value, &b.value))
}

fn canonical(text: &str, engine: Engine) -> Option<Vec<Token>> {
    let mut tokens = parser::bounded_words(text, engine)?;
    while matches!(tokens.last(), Some(Token::SemiColon)) {
        tokens.pop();
    }
    if engine == Engine::Postgresql {
        tokens = without_casts(tokens);
    }
    Some(without_idle_parentheses(tokens))
}

/// A text as people like to read it: without casts, idle parentheses and line breaks. Only for showing.
pub fn readable(text: &str, engine: Engine) -> String {
    let plain = || text.split_whitespace().collect::<Vec<_>>().join(" ");
    if engine != Engine::Postgresql {
        return plain();
    }
    let Some(tokens) = canonical(text, engine) else { return plain() };
    let mut out = String::new();
    let mut before: Option<&Token> = None;
    for token in &tokens {
        let glued = match (before, token) {
            (None, _) | (_, Token::Comma | Token::RParen | Token::RBracket | Token::Period | Token::LBracket) => true,
            (Some(Token::LParen | Token::LBracket | Token::Period), _) => true,
            (Some(Token::Word(w)), Token::LParen) => {
                !is_operator(&w.value) && !["in", "any", "all", "as", "from"].iter().any(|k| w.value.eq_ignore_ascii_case(k))
            }
            _ => false,
        };
        if !glued {
            out.push(' ');
        }
        out.push_str(&token.to_string());
        before = Some(token);
    }
    out
}

/// Leaves out `::type`, with its size, array brackets and words of several (`timestamp without time zone`).
fn without_casts(tokens: Vec<Token>) -> Vec<Token> {
    let mut out = Vec::with_capacity(tokens.len());
    let mut rest = tokens.into_iter().peekable();
    while let Some(token) = rest.next() {
        if token != Token::DoubleColon {
            out.push(token);
            continue;
        }
        rest.next();
        while rest.next_if_eq(&Token::Period).is_some() {
            rest.next();
        }
        let follows = |t: &Token| matches!(t, Token::Word(w) if ["varying", "precision", "without", "with", "time", "zone"].iter().any(|k| w.value.eq_ignore_ascii_case(k)));
        loop {
            if rest.next_if(follows).is_some() {
                continue;
            }
            // A size or array brackets.
            match rest.peek() {
                Some(Token::LParen) => while rest.next().is_some_and(|t| t != Token::RParen) {},
                Some(Token::LBracket) => while rest.next().is_some_and(|t| t != Token::RBracket) {},
                _ => break,
            }
        }
    }
    out
}

/// Leaves out parentheses around one thing and doubled ones, but for those of a call or a list.
fn without_idle_parentheses(mut tokens: Vec<Token>) -> Vec<Token> {
    loop {
        let mut open = Vec::new();
        // Pairs side by side go at once; what is around one is looked at again.
        let mut idle: Vec<(usize, usize)> = Vec::new();
        let mut pairs: std::collections::BTreeMap<usize, usize> = std::collections::BTreeMap::new();
        for (at, token) in tokens.iter().enumerate() {
            match token {
                Token::LParen => open.push(at),
                Token::RParen => {
                    let Some(start) = open.pop() else { return tokens };
                    pairs.insert(start, at);
                    let alone = at - start == 2 && !matches!(tokens[start + 1], Token::LParen | Token::RParen);
                    let doubled = pairs.get(&(start + 1)).is_some_and(|end| end + 1 == at);
                    // `ANY ((…))` and `f((…))` keep one pair.
                    let called = start > 0 && matches!(&tokens[start - 1], Token::Word(w) if !is_operator(&w.value));
                    let whole = start == 0 && at + 1 == tokens.len();
                    let beside = idle.last().is_none_or(|(_, end)| *end < start);
                    if beside && (doubled || ((alone || whole) && !called)) {
                        idle.push((start, at));
                    }
                }
                _ => {}
            }
        }
        if idle.is_empty() {
            return tokens;
        }
        let gone: std::collections::BTreeSet<usize> = idle.into_iter().flat_map(|(start, end)| [start, end]).collect();
        let mut at = 0;
        tokens.retain(|_| {
            at += 1;
            !gone.contains(&(at - 1))
        });
    }
}

/// Words after which a parenthesis isn't a call or a list.
fn is_operator(word: &str) -> bool {
    const WORDS: [&str; 17] = [
        "and", "or", "not", "is", "like", "between", "when", "then", "else", "case", "on", "where", "select", "by", "return", "having",
        "set",
    ];
    WORDS.iter().any(|w| w.eq_ignore_ascii_case(word))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_shown_reads_like_what_was_written() {
        for (text, shown) in [
            (
                "((hive_type)::text = ANY ((ARRAY['log'::character varying, 'skep'::character varying])::text[]))",
                "hive_type = ANY (ARRAY['log', 'skep'])",
            ),
            ("((fee >= (0)::numeric) AND (fee < (1000)::numeric))", "(fee >= 0) AND (fee < 1000)"),
            ("lower((name)::text)", "lower(name)"),
            ("'a::text'::text", "'a::text'"),
            ("( SELECT k.id\n   FROM keeper k)", "SELECT k.id FROM keeper k"),
        ] {
            assert_eq!(readable(text, Engine::Postgresql), shown);
        }
    }

    #[test]
    fn one_thing_in_several_spellings_says_the_same() {
        let pg = Engine::Postgresql;
        for (a, b, same) in [
            (
                "(((hive_type)::text = ANY ((ARRAY['log'::character varying, 'skep'::character varying])::text[])))",
                "((hive_type)::text = ANY (ARRAY[('log'::character varying)::text, ('skep'::character varying)::text]))",
                true,
            ),
            ("'now'::text", "'now'", true),
            ("(a + b) * c", "a + b * c", false),
            ("'2020-01-01'::timestamp without time zone", "('2020-01-01')", true),
            ("lower(name)", "lower((name)::text)", true),
            ("a > 1", "a > 2", false),
            ("x::numeric(10,2) > 0", "x > 0", true),
            ("f(a)", "f a", false),
        ] {
            assert_eq!(says_same(a, b, pg, |_, _| false), same, "{a} and {b}");
        }
        assert!(says_same("SELECT  `a` FROM t", "select a from u", Engine::Mariadb, |old, new| (old, new) == ("t", "u")));
    }
}
