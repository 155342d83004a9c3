//! What is only in one of two lists, and what is in both but not the same.

/// Calls `report` with what is only in `before` (true) and only in `after` (false).
pub(super) fn difference<T>(before: &[T], after: &[T], same: impl Fn(&T, &T) -> bool, mut report: impl FnMut(&T, bool)) {
    for item in before.iter().filter(|a| !after.iter().any(|b| same(a, b))) {
        report(item, true);
    }
    for item in after.iter().filter(|b| !before.iter().any(|a| same(a, b))) {
        report(item, false);
    }
}

/// One thing that came, went or changed.
pub(super) enum Met<'a, T> {
    Gone(&'a T),
    New(&'a T),
    Both(&'a T, &'a T),
}

/// Pairs the items of two lists: those alike in full say nothing, the others are paired by key; reports those that are
/// only in one list or not alike.
pub(super) fn paired<'a, T, K: PartialEq>(
    before: &'a [T],
    after: &'a [T],
    key: impl Fn(&T) -> K,
    alike: impl Fn(&T, &T) -> bool,
    mut report: impl FnMut(Met<'a, T>),
) {
    if before.len() == after.len() && before.iter().zip(after).all(|(a, b)| alike(a, b)) {
        return;
    }
    let mut new: Vec<&T> = after.iter().filter(|b| !before.iter().any(|a| alike(a, b))).collect();
    let mut gone = Vec::new();
    for old in before.iter().filter(|a| !after.iter().any(|b| alike(a, b))) {
        match new.iter().position(|n| key(n) == key(old)) {
            Some(at) => report(Met::Both(old, new.remove(at))),
            None => gone.push(old),
        }
    }
    gone.into_iter().for_each(|item| report(Met::Gone(item)));
    new.into_iter().for_each(|item| report(Met::New(item)));
}
