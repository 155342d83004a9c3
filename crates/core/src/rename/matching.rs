//! Which lost name is compared with which new ones, and which pairs are likeliest together.
//!
//! The assignment is the maximum-weight bipartite matching (Kuhn–Munkres), so that one good pair can't steal the partner of a better
//! one.

use super::score::{Odds, WORTH_ASKING};
use super::tables::Trait;
use pathfinding::kuhn_munkres::kuhn_munkres;
use pathfinding::matrix::Matrix;
use std::collections::{BTreeMap, BTreeSet};

/// What one has in common with what may be the same.
pub(super) type TraitsOf<'a, T> = &'a dyn Fn(&T) -> Vec<Trait>;

/// Up to so many pairs each is compared with each.
const EACH_WITH_EACH: usize = 40_000;
/// A trait that more have says nothing of which one is which.
const RARE: usize = 16;

/// Of each lost one, the new ones that it is compared with, by their places: all of them; where that would be too many, those that it
/// shares something rare with. ("Blocking", as record linkage calls it.)
pub(super) fn comparable<T>(lost: &[&T], new: &[&T], traits: Option<TraitsOf<'_, T>>) -> Vec<Vec<usize>> {
    let Some(traits) = traits.filter(|_| lost.len().saturating_mul(new.len()) > EACH_WITH_EACH) else {
        return lost.iter().map(|_| (0..new.len()).collect()).collect();
    };
    let having = |all: &[&T]| {
        let mut having: BTreeMap<Trait, Vec<usize>> = BTreeMap::new();
        for (at, one) in all.iter().enumerate() {
            traits(one).into_iter().for_each(|own| having.entry(own).or_default().push(at));
        }
        having
    };
    let (mut near, new_having) = (vec![BTreeSet::new(); lost.len()], having(new));
    for (own, lost) in having(lost) {
        let Some(new) = new_having.get(&own).filter(|new| new.len() <= RARE && lost.len() <= RARE) else { continue };
        for at in lost {
            near[at].extend(new);
        }
    }
    near.into_iter().map(|near| near.into_iter().collect()).collect()
}

/// For each lost one, the place of its partner: the pairs that are likeliest together. What shares no pair worth asking about is
/// solved apart.
pub(super) fn best_assignment(odds: &Odds) -> Vec<Option<usize>> {
    let mut partners = vec![None; odds.len()];
    let worth = |row: usize| odds[row].iter().filter(|(_, odds)| *odds >= WORTH_ASKING);
    let mut of_new: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for row in 0..odds.len() {
        worth(row).for_each(|(new, _)| of_new.entry(*new).or_default().push(row));
    }
    let mut seen = vec![false; odds.len()];
    for first in 0..odds.len() {
        let (mut rows, mut columns, mut waiting) = (Vec::new(), BTreeSet::new(), vec![first]);
        while let Some(row) = waiting.pop() {
            if std::mem::replace(&mut seen[row], true) {
                continue;
            }
            rows.push(row);
            for (new, _) in worth(row) {
                if columns.insert(*new) {
                    waiting.extend(of_new.get(new).into_iter().flatten());
                }
            }
        }
        rows.sort_unstable();
        let columns: Vec<usize> = columns.into_iter().collect();
        for (row, new) in rows.iter().zip(solved(odds, &rows, &columns)) {
            partners[*row] = new;
        }
    }
    partners
}

/// The best assignment of some rows to some columns.
fn solved(odds: &Odds, rows: &[usize], columns: &[usize]) -> Vec<Option<usize>> {
    if columns.is_empty() || rows.is_empty() {
        return vec![None; rows.len()];
    }
    // Kuhn–Munkres wants at least as many columns as rows; columns beyond the new ones stand for "no partner".
    let width = columns.len() + rows.len();
    let gain = |odds: f64| if odds >= WORTH_ASKING { ((odds - WORTH_ASKING) * 10_000.0) as i64 + 1 } else { 0 };
    let weights = rows.iter().map(|row| {
        let mut weights = vec![0; width];
        for (new, odds) in &odds[*row] {
            if let Ok(at) = columns.binary_search(new) {
                weights[at] = gain(*odds);
            }
        }
        weights
    });
    let Ok(weights) = Matrix::from_rows(weights) else { return vec![None; rows.len()] };
    let (_, partners) = kuhn_munkres(&weights);
    let partner = |(row, at): (usize, &usize)| columns.get(*at).copied().filter(|_| weights[(row, *at)] > 0);
    partners.iter().enumerate().map(partner).collect()
}

#[cfg(test)]
mod tests {
    use super::{best_assignment, comparable};
    use crate::rename::tables::Trait;

    #[test]
    fn a_better_pair_is_not_given_up_for_a_good_one() {
        // Both want the first; the second lost one has nothing else.
        let odds = vec![vec![(0, 3.0), (1, 2.0)], vec![(0, 2.5)], vec![(7, -9.0)], vec![]];
        assert_eq!(best_assignment(&odds), [Some(1), Some(0), None, None]);
        // Alone they take what is best.
        assert_eq!(best_assignment(&vec![vec![(0, 3.0), (1, 2.0)], vec![(5, 1.0)]]), [Some(0), Some(5)]);
    }

    #[test]
    fn of_many_those_are_compared_that_share_something_rare() {
        let names = |prefix: &str| (0..300).map(|n| format!("{prefix}table {n}")).collect::<Vec<_>>();
        let (lost, new) = (names(""), names("app "));
        let traits = |name: &String| name.split(' ').map(|word| Trait::Word(word.to_owned())).collect::<Vec<_>>();
        let (lost, new): (Vec<&String>, Vec<&String>) = (lost.iter().collect(), new.iter().collect());
        let near = comparable(&lost, &new, Some(&traits));
        assert!(near.iter().enumerate().all(|(at, near)| *near == [at]), "{near:?}");
        // Few are compared each with each, and so are those that say nothing of themselves.
        assert_eq!(comparable(&lost[..2], &new[..3], Some(&traits)), [[0, 1, 2], [0, 1, 2]]);
        assert_eq!(comparable(&lost[..1], &new, None)[0].len(), 300);
    }
}
