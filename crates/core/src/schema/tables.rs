//! The tables of a schema, shared: a schema under other names, or with what is lost in it, has most of its tables in common with the one
//! that it was made from.

use super::Table;
use rayon::prelude::*;
use std::sync::Arc;

/// Tables in the order of their names. Copies share every table until one of them changes it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Tables(Vec<Arc<Table>>);

impl Tables {
    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// All of them.
    pub fn iter(&self) -> Iter<'_> {
        self.into_iter()
    }

    /// All of them, on several processors.
    pub fn par_iter(&self) -> impl IndexedParallelIterator<Item = &Table> {
        self.0.par_iter().map(Arc::as_ref)
    }

    /// All of them, to be shared.
    pub fn shared(&self) -> impl Iterator<Item = &Arc<Table>> {
        self.0.iter()
    }

    /// Holds those that are the same in others only once.
    pub fn share(&mut self, others: &Tables) {
        self.0.par_iter_mut().for_each(|table| {
            let other = others.place_of(&table.name).ok().and_then(|at| others.0.get(at)).filter(|other| *other == table);
            other.into_iter().for_each(|other| *table = Arc::clone(other));
        });
    }

    /// The one at a place.
    pub fn get(&self, at: usize) -> Option<&Table> {
        self.0.get(at).map(Arc::as_ref)
    }

    /// Where the one of exactly this name is, or would be.
    pub fn place_of(&self, name: &str) -> Result<usize, usize> {
        self.0.binary_search_by(|known| known.name.as_str().cmp(name))
    }

    /// The one of exactly this name, to be changed.
    pub fn named_mut(&mut self, name: &str) -> Option<&mut Table> {
        let at = self.place_of(name).ok()?;
        self.0.get_mut(at).map(Arc::make_mut)
    }

    /// The first that is wanted, to be changed.
    pub fn find_mut(&mut self, wanted: impl Fn(&Table) -> bool) -> Option<&mut Table> {
        self.0.iter_mut().find(|table| wanted(table)).map(Arc::make_mut)
    }

    /// Changes those that are wanted.
    pub fn change(&mut self, wanted: impl Fn(&Table) -> bool, mut change: impl FnMut(&mut Table)) {
        self.0.iter_mut().filter(|table| wanted(table)).for_each(|table| change(Arc::make_mut(table)));
    }

    /// Adds one, at the end.
    pub fn push(&mut self, table: impl Into<Arc<Table>>) {
        self.0.push(table.into());
    }

    /// Adds one at a place.
    pub fn insert(&mut self, at: usize, table: impl Into<Arc<Table>>) {
        self.0.insert(at, table.into());
    }

    /// Takes one out.
    pub fn remove(&mut self, at: usize) -> Table {
        Arc::unwrap_or_clone(self.0.remove(at))
    }

    /// Leaves only those that are wanted.
    pub fn retain(&mut self, mut wanted: impl FnMut(&Table) -> bool) {
        self.0.retain(|table| wanted(table));
    }

    /// Puts them into their order.
    pub fn sort(&mut self) {
        self.0.sort_by(|a, b| a.name.cmp(&b.name));
    }
}

/// Walks over tables.
#[derive(Debug, Clone)]
pub struct Iter<'a>(std::slice::Iter<'a, Arc<Table>>);

impl<'a> Iterator for Iter<'a> {
    type Item = &'a Table;

    fn next(&mut self) -> Option<&'a Table> {
        self.0.next().map(Arc::as_ref)
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.0.size_hint()
    }
}

impl DoubleEndedIterator for Iter<'_> {
    fn next_back(&mut self) -> Option<Self::Item> {
        self.0.next_back().map(Arc::as_ref)
    }
}

impl ExactSizeIterator for Iter<'_> {}

impl<'a> IntoIterator for &'a Tables {
    type Item = &'a Table;
    type IntoIter = Iter<'a>;

    fn into_iter(self) -> Iter<'a> {
        Iter(self.0.iter())
    }
}

impl IntoIterator for Tables {
    type Item = Arc<Table>;
    type IntoIter = std::vec::IntoIter<Arc<Table>>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

impl<T: Into<Arc<Table>>> FromIterator<T> for Tables {
    fn from_iter<I: IntoIterator<Item = T>>(tables: I) -> Tables {
        Tables(tables.into_iter().map(Into::into).collect())
    }
}

impl<T: Into<Arc<Table>>> Extend<T> for Tables {
    fn extend<I: IntoIterator<Item = T>>(&mut self, tables: I) {
        self.0.extend(tables.into_iter().map(Into::into));
    }
}

impl From<Vec<Table>> for Tables {
    fn from(tables: Vec<Table>) -> Tables {
        tables.into_iter().collect()
    }
}

impl std::ops::Index<usize> for Tables {
    type Output = Table;

    fn index(&self, at: usize) -> &Table {
        &self.0[at]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_the_same_in_two_schemas_is_held_once() {
        let table = |name: &str, comment: &str| Table { name: name.to_owned(), comment: Some(comment.to_owned()), ..Table::default() };
        let others: Tables = [table("hive", "as it was"), table("keeper", "")].into_iter().collect();
        let mut tables: Tables = [table("apiary", ""), table("hive", "other now"), table("keeper", "")].into_iter().collect();
        let before = tables.clone();
        tables.share(&others);
        assert!(tables == before);
        let is_shared = |name: &str| others.shared().any(|other| tables.shared().any(|own| own.name == name && Arc::ptr_eq(own, other)));
        assert_eq!(["apiary", "hive", "keeper"].map(is_shared), [false, false, true]);
    }
}
