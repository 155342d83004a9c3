//! The one door to the SQL parser. What comes in is anybody's text, so its length and depth are bounded before it is
//! read: the parser's trees, and every walk over them, go as deep as the text does.

use super::dialect::dialect;
use crate::schema::Engine;
use sqlparser::ast::{Expr, Statement};
use sqlparser::keywords::Keyword;
use sqlparser::parser::Parser;
use sqlparser::tokenizer::{Token, TokenWithSpan, Tokenizer};

/// Longer texts aren't read, in bytes.
const LONGEST: usize = 512 << 10;

/// Texts that may be looked through by their tokens alone are read up to here.
const LONGEST_SCRIPT: usize = 16 << 20;

/// Texts of more words and signs aren't read: names are looked for in everything that stands beside them.
const MOST_TOKENS: usize = 40_000;

/// Deeper trees aren't built: parentheses, chains of operators and of UNIONs count alike. Nothing that people write
/// comes near; walking deeper ones would need more stack than threads have.
const DEEPEST: usize = 240;

/// What is said of a text beyond the bounds.
pub const TOO_DEEP: &str = "it is too long or too deeply nested to be analysed";

/// Reads statements.
pub(crate) fn statements(text: &str, engine: Engine) -> Result<Vec<Statement>, String> {
    parsed(text, engine, |parser| parser.parse_statements())
}

/// Reads one expression, and nothing after it.
pub(super) fn expression(text: &str, engine: Engine) -> Result<Expr, String> {
    parsed(text, engine, |parser| {
        let expression = parser.parse_expr()?;
        parser.expect_token(&Token::EOF)?;
        Ok(expression)
    })
}

fn parsed<T>(
    text: &str,
    engine: Engine,
    read: impl FnOnce(&mut Parser<'_>) -> Result<T, sqlparser::parser::ParserError>,
) -> Result<T, String> {
    if text.len() > LONGEST {
        return Err(TOO_DEEP.to_owned());
    }
    let plain = |message: String| message.replace("sql parser error: ", "");
    let tokens = Tokenizer::new(dialect(engine), text).tokenize_with_location().map_err(|e| plain(e.to_string()))?;
    if !is_within_bounds(text, &tokens) {
        return Err(TOO_DEEP.to_owned());
    }
    let mut parser = Parser::new(dialect(engine)).with_recursion_limit(60).with_tokens_with_locations(tokens);
    read(&mut parser).map_err(|e| plain(e.to_string()))
}

/// Whether a text is beyond the bounds.
pub fn is_too_deep(text: &str, engine: Engine) -> bool {
    text.len() > LONGEST || tokens(text, engine).is_some_and(|tokens| !is_within_bounds(text, &tokens))
}

fn is_within_bounds(text: &str, tokens: &[TokenWithSpan]) -> bool {
    text.len() <= LONGEST && tokens.len() <= MOST_TOKENS && depth(tokens) <= DEEPEST
}

/// The tokens of a text with their places; none where it isn't even that.
pub(super) fn tokens(text: &str, engine: Engine) -> Option<Vec<TokenWithSpan>> {
    if text.len() > LONGEST_SCRIPT {
        return None;
    }
    Tokenizer::new(dialect(engine), text).tokenize_with_location().ok()
}

/// The tokens of a text that say something.
pub(super) fn words(text: &str, engine: Engine) -> Option<Vec<Token>> {
    Some(without_spaces(tokens(text, engine)?))
}

/// The same, unless the text is beyond the bounds.
pub(super) fn bounded_words(text: &str, engine: Engine) -> Option<Vec<Token>> {
    tokens(text, engine).filter(|tokens| is_within_bounds(text, tokens)).map(without_spaces)
}

fn without_spaces(tokens: Vec<TokenWithSpan>) -> Vec<Token> {
    tokens.into_iter().map(|t| t.token).filter(|token| !matches!(token, Token::Whitespace(_))).collect()
}

/// What is known of a bracket's inside while it is read.
#[derive(Default)]
struct Level {
    /// UNIONs and their like.
    sets: usize,
    /// The deepest of what lay side by side so far.
    deepest: usize,
    /// ANDs and ORs since the last comma or clause.
    logic: usize,
    /// The deepest operand of those.
    operand: usize,
    /// Other operators of the operand that is read.
    links: usize,
    /// Its deepest bracket.
    inner: usize,
}

impl Level {
    fn operand_ends(&mut self) {
        self.operand = self.operand.max(self.links + self.inner);
        (self.links, self.inner) = (0, 0);
    }

    /// A comma or a clause: what comes lies beside what came.
    fn part_ends(&mut self) {
        self.operand_ends();
        self.deepest = self.deepest.max(self.logic + self.operand);
        (self.logic, self.operand) = (0, 0);
    }

    fn depth(mut self) -> usize {
        self.part_ends();
        self.sets + self.deepest
    }
}

/// How deep the tree of a text may become, at most: each open bracket and each operator of a chain is a level.
fn depth(tokens: &[TokenWithSpan]) -> usize {
    let (mut open, mut level) = (Vec::new(), Level::default());
    let close = |level: &mut Level, outer: Level| {
        let inner = std::mem::replace(level, outer).depth() + 1;
        level.inner = level.inner.max(inner);
        level.links += 1;
    };
    for token in tokens {
        match &token.token {
            Token::LParen | Token::LBracket | Token::LBrace => open.push(std::mem::take(&mut level)),
            Token::RParen | Token::RBracket | Token::RBrace => close(&mut level, open.pop().unwrap_or_default()),
            Token::Comma | Token::SemiColon => level.part_ends(),
            Token::Word(word) => match word.keyword {
                Keyword::UNION | Keyword::EXCEPT | Keyword::INTERSECT | Keyword::MINUS => {
                    level.part_ends();
                    level.sets += 1;
                }
                Keyword::SELECT
                | Keyword::FROM
                | Keyword::WHERE
                | Keyword::GROUP
                | Keyword::HAVING
                | Keyword::ORDER
                | Keyword::LIMIT
                | Keyword::JOIN
                | Keyword::ON
                | Keyword::VALUES
                | Keyword::SET => level.part_ends(),
                Keyword::AND | Keyword::OR | Keyword::XOR => {
                    level.operand_ends();
                    level.logic += 1;
                }
                Keyword::NoKeyword => {}
                _ => level.links += 1,
            },
            Token::Whitespace(_) | Token::Number(..) | Token::SingleQuotedString(_) | Token::Period | Token::Placeholder(_) => {}
            _ => level.links += 1,
        }
    }
    // What nobody closed.
    while let Some(outer) = open.pop() {
        close(&mut level, outer);
    }
    level.depth()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::Schema;
    use crate::sql::{Scope, analyse, limits, mistyped, outline, projection, says_same, written_by};

    /// Every way to write deep or long, by how often.
    fn shapes(n: usize) -> Vec<String> {
        let chain = |link: &str| format!("1{}", link.repeat(n));
        let mut all: Vec<String> = [
            " OR a = 1",
            " AND a",
            " + 1",
            " || 'x'",
            "::int",
            " IS NULL",
            " COLLATE x",
            "[1]",
            " -> 'a'",
            " ->> 'a'",
            " = 1",
            " - 1",
            " NOT IN (1)",
            " BETWEEN 1 AND 2",
            " LIKE 'x'",
            " AT TIME ZONE 'x'",
            " UNION ALL SELECT 1",
            " << 1",
            " XOR 1",
            " DIV 2",
            ".a",
        ]
        .map(chain)
        .to_vec();
        for (open, middle, close) in [
            ("(", "1", ")"),
            ("NOT ", "1", ""),
            ("- ", "1", ""),
            ("f(", "1", ")"),
            ("CASE WHEN 1 THEN ", "2", " END"),
            ("(SELECT ", "1", ")"),
            ("EXISTS (SELECT 1 WHERE ", "1", ")"),
            ("CAST(", "1", " AS int)"),
            ("1 + (", "1", ")"),
            ("[", "1", "]"),
            ("ARRAY[", "1", "]"),
            ("a IN (", "1", ")"),
            ("INTERVAL ", "'1'", ""),
            ("/* ", "1", " */"),
            ("{", "1", "}"),
            ("(", "1", " OR 1 OR 1 OR 1 OR 1)"),
            ("(1 + ", "1", " + 1 + 1 + 1 + 1)"),
            ("(SELECT 1 UNION SELECT ", "1", " UNION SELECT 1 UNION SELECT 1)"),
        ] {
            all.push(format!("{}{middle}{}", open.repeat(n), close.repeat(n)));
            // Nobody closes what an attacker opens.
            all.push(open.repeat(n));
        }
        let selects = all.iter().map(|text| format!("SELECT {text} FROM t WHERE {text}")).collect::<Vec<_>>();
        all.push(format!("SELECT 1{}", " UNION ALL SELECT 1".repeat(n)));
        all.push(format!("SELECT 1 FROM t{}", " JOIN t ON 1 = 1".repeat(n)));
        all.push(format!("SELECT 1 FROM {}t{}", "(".repeat(n), ")".repeat(n)));
        all.push(format!("{}SELECT 1{}", "WITH x AS (".repeat(n), ") SELECT 1".repeat(n)));
        all.extend(selects);
        all
    }

    /// On the stack that worker threads have.
    #[test]
    fn nothing_overflows_or_hangs_however_deep_and_long_the_text_is() {
        let walk = || {
            let schema = Schema::new(Engine::Postgresql, Vec::new());
            for n in [DEEPEST - 10, 5_000] {
                for (at, text) in shapes(n).into_iter().enumerate() {
                    let engines = [Engine::Sqlite, Engine::Postgresql, Engine::Mariadb];
                    // Only what is within the bounds is read in different ways.
                    let engines = if n > DEEPEST { engines.get(at % 3..=at % 3).unwrap_or_default() } else { &engines };
                    for engine in engines.iter().copied() {
                        let schema = Schema { engine, ..schema.clone() };
                        for scope in [Scope::Columns { table: "t", select: None }, Scope::Statement { table: "t" }] {
                            let analysis = analyse(&text, scope, &schema);
                            let all_names_known = analysis.certain && analysis.error.is_none();
                            assert!(n < DEEPEST || !all_names_known || depth(&tokens(&text, engine).unwrap_or_default()) <= DEEPEST);
                        }
                        if n > DEEPEST {
                            continue;
                        }
                        let _ = (outline(&text, engine), limits(&text, engine), projection(&text, &schema));
                        let _ = (says_same(&text, &format!("{text} "), engine, |_, _| false), written_by(&text, &[], engine));
                        let _ = mistyped(
                            &text,
                            Scope::Statement { table: "t" },
                            &schema,
                            &analyse(&text, Scope::Statement { table: "t" }, &schema),
                        );
                    }
                }
            }
        };
        std::thread::Builder::new().stack_size(2 << 20).spawn(walk).unwrap().join().unwrap();
    }

    #[test]
    fn what_people_write_is_well_within_the_bounds() {
        let ors = vec!["status = 'open'"; 200].join(" OR ");
        let list = (0..5_000).map(|n| n.to_string()).collect::<Vec<_>>().join(", ");
        let columns = (0..300).map(|n| format!("coalesce(a{n}, 0) * 2 + b{n} AS c{n}")).collect::<Vec<_>>().join(", ");
        for text in [ors, format!("id IN ({list})"), "NOT (a AND (b OR (c AND NOT d)))".to_owned()] {
            assert!(expression(&text, Engine::Sqlite).is_ok(), "{text}");
        }
        let unions = vec!["SELECT a FROM t WHERE b = 1 AND c = 2"; 60].join(" UNION ALL ");
        for text in [format!("SELECT {columns} FROM t"), unions] {
            assert!(statements(&text, Engine::Sqlite).is_ok(), "{text}");
        }
    }
}
