//! The shape of a file, and of a place in it.

use super::format::{APP, ENTITY};
use super::shape::{OnGone, Shape};
use super::{FileKey, Seg};

/// The shape of a file.
pub fn shape_of(file: &FileKey) -> &'static Shape {
    match file {
        FileKey::App => &APP,
        FileKey::Entity(_) => &ENTITY,
    }
}

/// What of the definition goes when a name at a place is gone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Loss {
    /// The member of the array.
    Member,
    /// What the key says.
    Key(OnGone),
}

/// The shape at a place of a file, and for a name there: how many steps lead to the element that goes when the
/// name is gone, and how it goes.
pub fn at_path(file: &FileKey, path: &[Seg]) -> Option<(Shape, usize, Loss)> {
    let mut shape = *shape_of(file);
    let mut loss = (0, Loss::Key(OnGone::RemoveFile));
    for (depth, seg) in path.iter().enumerate() {
        shape = match (shape, seg) {
            (Shape::Record(keys), Seg::Key(name)) => {
                let key = keys.iter().find(|key| key.name == *name)?;
                loss = (depth + 1, Loss::Key(key.on_gone));
                key.shape
            }
            (Shape::Named(inner) | Shape::ByField(inner), Seg::Key(_)) => {
                loss = (depth + 1, Loss::Key(OnGone::Remove));
                *inner
            }
            (Shape::Records { keys, .. }, Seg::Index(_)) => {
                loss = (depth + 1, Loss::Member);
                Shape::Record(keys)
            }
            (Shape::Set(role), Seg::Index(_)) => {
                loss = (depth + 1, Loss::Member);
                Shape::Name(role)
            }
            (Shape::Names(role), Seg::Index(_)) => Shape::Name(role),
            _ => return None,
        };
    }
    Some((shape, loss.0, loss.1))
}
