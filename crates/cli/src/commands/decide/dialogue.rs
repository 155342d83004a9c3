//! The dialogue on a terminal: one question at a time, each answer kept at once, so that it can be left and taken up anywhere.

use super::answers::answer;
use super::merged::merged;
use crate::error::CliError;
use crate::interrupt::writing;
use crate::output::Output;
use crossterm::cursor::{Hide, MoveTo, Show};
use crossterm::event::{self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use crossterm::style::Print;
use crossterm::terminal::{self, Clear, ClearType, EnterAlternateScreen, LeaveAlternateScreen};
use crossterm::{execute, queue};
use std::io::{self, Write};
use ysomorph_core::changes::Comparison;
use ysomorph_core::merge::{Effect, Effects, Question, effects};
use ysomorph_core::name::shown;
use ysomorph_core::rename::Evidence;
use ysomorph_core::schema::Schema;
use ysomorph_report::text::{hint, plural, question_marked};
use ysomorph_workspace::Workspace;

/// What a key asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Wish {
    /// Mark the choice before, or behind.
    Up,
    Down,
    /// Mark the choice of a number, from 0.
    Mark(usize),
    /// Take the marked choice.
    Take,
    /// Take the safe one.
    Safe,
    /// Take the marked choice for every question like this one.
    All,
    /// Look at another question.
    Next,
    Previous,
    /// Leave.
    Leave,
}

const KEYS: &str = "up/down move  enter take  s safe  a all like it  n/p next, previous  q leave";

/// Asks until nothing is open or whoever answers leaves.
pub fn run(workspace: &mut Workspace, changed: &Schema, output: &mut Output) -> Result<u8, CliError> {
    let mut taken: Vec<(String, String)> = Vec::new();
    let asked = converse(workspace, changed, &mut taken);
    for (question, choice) in &taken {
        output.push(&format!("Taken: {} is answered {}.\n", shown(question), shown(choice)));
    }
    let open = asked?;
    let next = if open == 0 {
        hint("ysomorph merge")
    } else {
        format!("{} open. {}", plural(open, "question is", "questions are"), hint("ysomorph decide"))
    };
    output.push(&format!("{}{next}\n", if taken.is_empty() { "" } else { "\n" }));
    Ok(u8::from(open > 0))
}

/// The dialogue; how many questions are open at its end.
fn converse(workspace: &mut Workspace, changed: &Schema, taken: &mut Vec<(String, String)>) -> Result<usize, CliError> {
    let failed = |e: io::Error| {
        CliError::new(format!("the terminal can't be used: {e}"))
            .hint("ysomorph decide --list, and answer with ysomorph decide QUESTION CHOICE")
    };
    let _screen = Screen::take().map_err(failed)?;
    let mut at = 0;
    loop {
        let known = workspace.answer_map();
        let outcome = merged(workspace, changed, &known)?;
        let open = likeliest_first(outcome.open_questions().collect(), &outcome.comparison);
        at = at.min(open.len().saturating_sub(1));
        let Some(question) = open.get(at) else { return Ok(0) };
        let Effects { each: effects, unsteady } = effects(&workspace.merge_input(changed, &known), question);
        if !unsteady.is_empty() {
            // What it would do can't be told of less than everything.
            *workspace = Workspace::open(&workspace.root)?;
            continue;
        }
        let mut marked = 0;
        let answers: Vec<_> = loop {
            draw(question, marked, effects.get(marked), (at + 1, open.len())).map_err(failed)?;
            let choice = || question.choices.get(marked).cloned().unwrap_or_default();
            match wish().map_err(failed)? {
                Wish::Up => marked = marked.saturating_sub(1),
                Wish::Down => marked = (marked + 1).min(question.choices.len().saturating_sub(1)),
                Wish::Mark(number) if number < question.choices.len() => marked = number,
                Wish::Mark(_) => {}
                Wish::Take => break vec![(question.name.clone(), choice())],
                Wish::Safe => break vec![(question.name.clone(), question.safe.clone())],
                Wish::All => break like(&open, question, &choice()),
                Wish::Next => {
                    at = (at + 1) % open.len();
                    break Vec::new();
                }
                Wish::Previous => {
                    at = (at + open.len() - 1) % open.len();
                    break Vec::new();
                }
                Wish::Leave => return Ok(open.len()),
            }
        };
        if !answers.is_empty() {
            let written: Vec<_> = answers.iter().map(|(question, choice)| answer(workspace, question, choice, None)).collect();
            writing(|| workspace.decide(&written))?;
            taken.extend(answers);
            workspace.reread_answers().map_err(|e| CliError::files(&[e]))?;
        }
    }
}

/// The questions with the likeliest rename first; the others as they are asked.
fn likeliest_first<'q>(mut open: Vec<&'q Question>, comparison: &Comparison) -> Vec<&'q Question> {
    let score = |question: &Question| {
        let rename = comparison.renames.iter().find(|r| r.question() == question.name);
        rename.map_or(0.0, |r| match &r.evidence {
            Evidence::Certain { .. } => 1.0,
            Evidence::Likely { score, .. } => *score,
        })
    };
    open.sort_by(|a, b| score(b).total_cmp(&score(a)));
    open
}

/// Every open question of the same kind that has this choice, with it.
fn like(open: &[&Question], question: &Question, choice: &str) -> Vec<(String, String)> {
    let kind = |name: &str| name.split('/').next().unwrap_or_default().to_owned();
    let alike = |q: &&&Question| kind(&q.name) == kind(&question.name) && q.choices.iter().any(|c| c == choice);
    open.iter().filter(alike).map(|q| (q.name.clone(), choice.to_owned())).collect()
}

fn draw(question: &Question, marked: usize, effect: Option<&Effect>, (at, of): (usize, usize)) -> io::Result<()> {
    // A terminal that was never told its size has none.
    let (width, height) = terminal::size().ok().filter(|(width, height)| *width > 0 && *height > 0).unwrap_or((80, 24));
    let text = format!("Question {at} of {of}\n\n{}", question_marked(question, marked, effect));
    let mut lines: Vec<&str> = text.lines().collect();
    // The keys stand on the last line, whatever there is to tell.
    lines.truncate(usize::from(height).saturating_sub(2));
    let mut out = anstream::AutoStream::auto(io::stdout());
    queue!(out, MoveTo(0, 0), Clear(ClearType::All))?;
    for line in lines {
        queue!(out, Print(line), Print("\r\n"))?;
    }
    let keys: String = KEYS.chars().take(usize::from(width)).collect();
    queue!(out, MoveTo(0, height.saturating_sub(1)), Print(keys))?;
    out.flush()
}

/// Waits for a key that asks for something.
fn wish() -> io::Result<Wish> {
    loop {
        if let Event::Key(key) = event::read()?
            && key.kind != KeyEventKind::Release
            && let Some(wish) = wish_of(key)
        {
            return Ok(wish);
        }
    }
}

fn wish_of(key: KeyEvent) -> Option<Wish> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return matches!(key.code, KeyCode::Char('c' | 'd')).then_some(Wish::Leave);
    }
    match key.code {
        KeyCode::Up | KeyCode::Char('k') => Some(Wish::Up),
        KeyCode::Down | KeyCode::Char('j') => Some(Wish::Down),
        KeyCode::Char(digit @ '1'..='9') => digit.to_digit(10).map(|n| Wish::Mark(n as usize - 1)),
        KeyCode::Enter => Some(Wish::Take),
        KeyCode::Char('s') => Some(Wish::Safe),
        KeyCode::Char('a') => Some(Wish::All),
        KeyCode::Char('n') | KeyCode::Right | KeyCode::Tab => Some(Wish::Next),
        KeyCode::Char('p') | KeyCode::Left | KeyCode::BackTab => Some(Wish::Previous),
        KeyCode::Char('q') | KeyCode::Esc => Some(Wish::Leave),
        _ => None,
    }
}

/// The whole terminal, given back whatever happens.
struct Screen;

impl Screen {
    fn take() -> io::Result<Screen> {
        terminal::enable_raw_mode()?;
        let screen = Screen;
        execute!(io::stdout(), EnterAlternateScreen, Hide)?;
        Ok(screen)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        let _ = execute!(io::stdout(), Show, LeaveAlternateScreen);
        let _ = terminal::disable_raw_mode();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn question(name: &str, choices: &[&str]) -> Question {
        let choices: Vec<String> = choices.iter().map(|c| (*c).to_owned()).collect();
        Question { name: name.into(), text: String::new(), effects: choices.clone(), safe: choices[0].clone(), choices, answer: None }
    }

    #[test]
    fn the_same_for_all_like_it_means_the_kind_and_the_choice() {
        let all = [
            question("rename/a.b", &["c", "separate"]),
            question("rename/a.d", &["e", "separate"]),
            question("table/t", &["in", "out", "later"]),
            question("table/u", &["in", "later"]),
        ];
        let open: Vec<&Question> = all.iter().collect();
        let names = |at: usize, choice: &str| -> Vec<String> { like(&open, &all[at], choice).into_iter().map(|(q, _)| q).collect() };
        assert_eq!(names(0, "separate"), ["rename/a.b", "rename/a.d"]);
        assert_eq!(names(0, "c"), ["rename/a.b"]);
        assert_eq!(names(2, "out"), ["table/t"]);
    }

    #[test]
    fn keys_ask_for_what_the_last_line_says() {
        let key = |code| wish_of(KeyEvent::new(code, KeyModifiers::NONE));
        assert_eq!(key(KeyCode::Char('3')), Some(Wish::Mark(2)));
        assert_eq!(key(KeyCode::Char('x')), None);
        assert_eq!(wish_of(KeyEvent::new(KeyCode::Char('c'), KeyModifiers::CONTROL)), Some(Wish::Leave));
        for (code, wish) in [(KeyCode::Enter, Wish::Take), (KeyCode::Char('s'), Wish::Safe), (KeyCode::Char('a'), Wish::All)] {
            assert_eq!(key(code), Some(wish));
        }
    }
}
