//! What a person's value is told as, and what an absent one stands for.

use super::Element;
use crate::definition::{Node, Shape, Value};
use crate::draft::field_label;

/// A customisation that stays.
#[derive(Debug, Clone, PartialEq)]
pub struct Kept {
    /// The element.
    pub element: Element,
    /// What stands there.
    pub yours: Option<Node>,
    /// What the draft would say.
    pub draft: Option<Node>,
    /// Whether the draft for the changed schema says something else than before.
    pub concerned: bool,
}

/// The value an absent key stands for.
pub(super) fn default_of(element: &Element, shape: Shape) -> Option<Node> {
    match shape {
        Shape::Bool => Some(Node::from(false)),
        Shape::Set(_) | Shape::Records { .. } => Some(Node::new(Value::List(Vec::new()))),
        Shape::Text if element.key_at(0) == Some("field") && element.last() == "label" => {
            element.key_at(1).map(|f| Node::text(field_label(f)))
        }
        Shape::Word(_) if element.key_at(0) == Some("page") => element.key_at(1).map(Node::text),
        _ => None,
    }
}
