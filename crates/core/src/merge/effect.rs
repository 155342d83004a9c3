//! What each choice of a question would do: found by merging with each of them.

use super::outcome::{MergeInput, Outcome};
use super::{Question, merge};
use std::collections::BTreeSet;

/// What one choice does that not every other does too. Elements are paths, as people read them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Effect {
    /// The choice.
    pub choice: String,
    /// What is edited or comes in.
    pub edits: Vec<String>,
    /// What is set aside.
    pub set_aside: Vec<String>,
    /// What is put back.
    pub restored: Vec<String>,
    /// The pages concerned, as `entity/page`.
    pub pages: Vec<String>,
    /// The questions it leads to.
    pub opens: Vec<String>,
}

/// What the choices of a question would do.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Effects {
    /// In the order of the choices.
    pub each: Vec<Effect>,
    /// Entities that aren't open and would be drafted otherwise by one of the choices: without them this isn't all.
    pub unsteady: BTreeSet<String>,
}

/// The effects of a question's choices: one merge for each.
pub fn effects(input: &MergeInput<'_>, question: &Question) -> Effects {
    let outcomes: Vec<Told> = question
        .choices
        .iter()
        .map(|choice| {
            let mut answers = input.answers.clone();
            answers.insert(question.name.clone(), choice.clone());
            Told::of(&merge(&MergeInput { answers: &answers, ..*input }))
        })
        .collect();
    let own = |of: &dyn Fn(&Told) -> &BTreeSet<String>, told: &Told| -> Vec<String> {
        let everywhere = |one: &&String| outcomes.len() > 1 && outcomes.iter().all(|other| of(other).contains(*one));
        of(told).iter().filter(|one| !everywhere(one)).cloned().collect()
    };
    let effect = |(choice, told): (&String, &Told)| Effect {
        choice: choice.clone(),
        edits: own(&|t| &t.edits, told),
        set_aside: own(&|t| &t.set_aside, told),
        restored: own(&|t| &t.restored, told),
        pages: own(&|t| &t.pages, told),
        opens: own(&|t| &t.opens, told).into_iter().filter(|q| *q != question.name).collect(),
    };
    let each = question.choices.iter().zip(&outcomes).map(effect).collect();
    Effects { each, unsteady: outcomes.into_iter().flat_map(|told| told.unsteady).collect() }
}

/// What an outcome tells, to be compared with others.
struct Told {
    edits: BTreeSet<String>,
    set_aside: BTreeSet<String>,
    restored: BTreeSet<String>,
    pages: BTreeSet<String>,
    opens: BTreeSet<String>,
    unsteady: BTreeSet<String>,
}

impl Told {
    fn of(outcome: &Outcome) -> Told {
        let aside: BTreeSet<String> = outcome.set_aside.iter().map(|a| a.element.shown()).collect();
        let restored: BTreeSet<String> = outcome.restored.iter().map(|a| a.element.shown()).collect();
        let page = |path: String| {
            let mut parts = path.split('/');
            match (parts.next(), parts.next(), parts.next()) {
                (Some(entity), Some("page"), Some(page)) => Some(format!("{entity}/{page}")),
                _ => None,
            }
        };
        let edited: BTreeSet<String> = outcome.edits.iter().map(|e| e.element.shown()).collect();
        Told {
            pages: edited.iter().cloned().filter_map(page).collect(),
            edits: edited.into_iter().filter(|path| !aside.contains(path) && !restored.contains(path)).collect(),
            set_aside: aside,
            restored,
            opens: outcome.open_questions().map(|q| q.name.clone()).collect(),
            unsteady: outcome.unsteady.clone(),
        }
    }
}
