//! What is left to people: judged by a merge, and again by whoever asks later.

mod returns;

use crate::files::FileError;
use crate::open::Workspace;
use crate::state::follow_ups::{self, FollowUp};
use crate::translations;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use ysomorph_core::changes::{Change, Comparison};
use ysomorph_core::definition::{FileKey, Tree};
use ysomorph_core::impact::code::sought;
use ysomorph_core::impact::{
    self, Around, Finding, ImpactInput, Rewritten, Severity, before_losses, carried, concerned_part, follow_ups_of_change, renamed_table,
    rewritten,
};
use ysomorph_core::merge::Outcome;
use ysomorph_core::schema::Schema;

/// What is left to people.
#[derive(Debug, Clone, Default)]
pub struct FollowUps {
    /// What was found, where it stands today; what was closed by hand isn't among it.
    pub open: Vec<impact::FollowUp>,
    /// All that is remembered, also what was closed.
    pub all: Vec<FollowUp>,
    /// The files of hand-written code that it is about.
    pub code: BTreeMap<String, Arc<str>>,
}

impl FollowUps {
    /// What nobody closed, as it is remembered.
    pub fn still_open(&self) -> impl Iterator<Item = &FollowUp> {
        self.all.iter().filter(|f| !f.done)
    }
}

/// A change that is being merged.
struct Merged<'a> {
    accepted: &'a Schema,
    comparison: &'a Comparison,
}

impl Workspace {
    /// What a merge leaves to people.
    pub(crate) fn follow_ups_after(
        &self,
        outcome: &Outcome,
        changed: &Schema,
        texts: &BTreeMap<FileKey, String>,
        catalogues: &BTreeMap<String, String>,
    ) -> Result<FollowUps, FileError> {
        let mut found: Vec<impact::FollowUp> =
            outcome.follow_ups(changed).into_iter().map(|f| impact::FollowUp::of(f, &Comparison::default())).collect();
        let around = Around { renamed_fields: outcome.renamed_fields.clone(), ..self.around() };
        let merged = Merged { accepted: &self.state.accepted, comparison: &outcome.comparison };
        let after = |f: &FollowUp| f.after(&outcome.comparison, &outcome.renamed_fields, changed);
        let earlier: Vec<FollowUp> = self.state.follow_ups.iter().filter_map(after).collect();
        let mut code = BTreeMap::new();
        found.extend(self.judged(&outcome.tree, changed, &around, (Some(&merged), &earlier), &mut code)?);
        self.without_returns(&mut found, outcome, texts)?;
        found.extend(outcome.to_decide());
        found.extend(still_to_decide(&self.state.follow_ups, &outcome.tree));
        found.extend(outcome.to_place());
        let unplaced = self.state.follow_ups.iter().filter_map(FollowUp::unplaced);
        let still = unplaced.filter_map(|(entity, field)| impact::to_place(&outcome.tree, entity, field));
        found.extend(still.collect::<Vec<_>>());
        let after = translations::all(catalogues);
        let known: BTreeSet<_> = around.translations.iter().filter(|e| e.fuzzy).map(|e| (&e.language, &e.context)).collect();
        let remembered: BTreeSet<&str> = self.state.follow_ups.iter().map(|f| f.name.as_str()).collect();
        let fuzzy = after.iter().filter(|e| e.fuzzy).map(|e| (impact::to_translate(e), known.contains(&(&e.language, &e.context))));
        found.extend(fuzzy.filter(|(left, before)| !before || remembered.contains(left.name.as_str())).map(|(left, _)| left));
        Ok(FollowUps { code, ..with_earlier(found, &earlier, &outcome.tree, changed) })
    }

    /// What earlier merges left to people and is still so; `breaks` is what fails in the definition as it is.
    pub fn follow_ups_now(&self, breaks: &[Finding]) -> Result<FollowUps, FileError> {
        if self.state.follow_ups.is_empty() {
            return Ok(FollowUps::default());
        }
        let remembered: BTreeSet<&str> = self.state.follow_ups.iter().map(|f| f.name.as_str()).collect();
        let breaks = breaks.iter().filter(|f| f.severity == Severity::Break);
        let mut found: Vec<impact::FollowUp> = breaks.map(|f| impact::FollowUp::of(f.clone(), &Comparison::default())).collect();
        let around = self.around();
        found.extend(around.translations.iter().filter(|e| e.fuzzy).map(impact::to_translate));
        let unplaced = self.state.follow_ups.iter().filter_map(FollowUp::unplaced);
        found.extend(unplaced.filter_map(|(entity, field)| impact::to_place(&self.tree, entity, field)));
        found.extend(still_to_decide(&self.state.follow_ups, &self.tree));
        found.retain(|f| remembered.contains(f.name.as_str()));
        let mut code = BTreeMap::new();
        found.extend(self.judged(&self.tree, &self.state.accepted, &around, (None, &self.state.follow_ups), &mut code)?);
        Ok(FollowUps { code, ..with_earlier(found, &self.state.follow_ups, &self.tree, &self.state.accepted) })
    }

    /// The files of hand-written code in which old names are rewritten with certainty: those that `comparison` takes away, and
    /// those that earlier merges left.
    pub fn patched(&self, comparison: &Comparison, changed: &Schema) -> Result<BTreeMap<String, Rewritten>, FileError> {
        let mut rounds: Vec<(Schema, Comparison)> = vec![(self.state.accepted.clone(), comparison.clone())];
        rounds.extend(before_losses(changed, &self.lost_names(comparison, changed)));
        let mut files: BTreeMap<String, Rewritten> = BTreeMap::new();
        for (accepted, comparison) in &rounds {
            let around = self.with_code(&Around::default(), comparison)?;
            let input = ImpactInput { tree: &self.tree, accepted, changed, comparison, around: &around };
            // A file that several changes of long ago met is rewritten for the latest; the next patch has the others.
            for (file, text) in rewritten(input, &around.code) {
                files.entry(file).or_insert(text);
            }
        }
        Ok(files)
    }

    /// What the rules find of a change that is being merged, and of the names that earlier ones took away.
    fn judged(
        &self,
        tree: &Tree,
        now: &Schema,
        around: &Around,
        (merged, earlier): (Option<&Merged<'_>>, &[FollowUp]),
        texts: &mut BTreeMap<String, Arc<str>>,
    ) -> Result<Vec<impact::FollowUp>, FileError> {
        let mut judge = |accepted: &Schema, comparison: &Comparison| {
            let around = self.with_code(around, comparison)?;
            texts.extend(around.code.iter().map(|hit| (hit.file.clone(), Arc::clone(&hit.text))));
            Ok::<_, FileError>(follow_ups_of_change(concerned_part(tree, comparison), accepted, now, comparison, &around))
        };
        let mut found = Vec::new();
        let nothing = Comparison::default();
        let change = merged.map_or(&nothing, |merged| merged.comparison);
        if let Some(Merged { accepted, comparison }) = merged {
            found = judge(accepted, comparison)?;
        }
        // Code that says a lost name may be written at any time; in the definition, only what was told then is anybody's.
        let is_left = |f: &impact::FollowUp| f.finding.is_about_code() || earlier.iter().any(|e| e.name == f.name);
        for (accepted, comparison) in before_losses(now, &self.lost_names(change, now)) {
            found.extend(judge(&accepted, &comparison)?.into_iter().filter(is_left));
        }
        Ok(found)
    }

    /// The lost names that open follow-ups are about, as they are remembered after this change; with its renamed tables, without
    /// which what stands in SQL on a column can't be told.
    fn lost_names(&self, change: &Comparison, now: &Schema) -> Vec<Change> {
        let taken = change.taken();
        let mut lost: Vec<Change> = Vec::new();
        for change in self.state.follow_ups.iter().filter(|f| !f.done).filter_map(FollowUp::lost) {
            lost.extend(carried(change, &taken, now).filter(|c| !lost.contains(c)));
        }
        if !lost.is_empty() {
            lost.extend(taken.table_renames().map(|(from, to)| renamed_table(from, to)).filter(|c| !lost.contains(c)).collect::<Vec<_>>());
        }
        lost
    }

    /// With the hand-written code that speaks of what a change took away. What can't be searched is `impact`'s to tell.
    fn with_code(&self, around: &Around, comparison: &Comparison) -> Result<Around, FileError> {
        let (code, _) = self.find_in_code(sought(comparison).keys().map(String::as_str))?;
        Ok(Around { code, ..around.clone() })
    }
}

/// Conditions that earlier merges replaced and rules that they set aside, as far as nobody has decided since.
fn still_to_decide(earlier: &[FollowUp], tree: &Tree) -> Vec<impact::FollowUp> {
    if !earlier.iter().any(FollowUp::is_to_decide) {
        return Vec::new();
    }
    let is_known = |found: &impact::FollowUp| earlier.iter().any(|f| f.name == found.name && f.is_to_decide());
    let mut all: Vec<impact::FollowUp> = impact::replaced_conditions(tree).into_iter().filter(is_known).collect();
    all.extend(earlier.iter().filter_map(FollowUp::rule_set_aside).filter_map(|(entity, rule)| impact::rule_set_aside(tree, entity, rule)));
    all
}

/// What was found, with the earlier ones that are still so.
fn with_earlier(mut found: Vec<impact::FollowUp>, earlier: &[FollowUp], tree: &Tree, now: &Schema) -> FollowUps {
    let place = |f: &impact::FollowUp| {
        (f.finding.severity, f.name.clone(), f.finding.at.clone(), f.finding.message.clone(), f.finding.pages.clone())
    };
    found.sort_by_cached_key(place);
    found.dedup_by_key(|f| place(f));
    let all = follow_ups::of(&found, earlier, tree, now);
    let done: BTreeSet<&str> = all.iter().filter(|f| f.done).map(|f| f.name.as_str()).collect();
    found.retain(|f| !done.contains(f.name.as_str()));
    FollowUps { open: found, all, code: BTreeMap::new() }
}
