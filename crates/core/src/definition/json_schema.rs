//! JSON Schemas of the definition's files, from the one table of the format: editors complete and check by them.

use super::{Role, Shape};
use serde_json::{Map, Value, json};

/// The JSON Schema of a kind of file.
pub fn json_schema(title: &str, shape: &Shape) -> Value {
    let mut schema = of(shape);
    if let Value::Object(fields) = &mut schema {
        fields.insert("$schema".into(), json!("https://json-schema.org/draft/2020-12/schema"));
        fields.insert("title".into(), json!(title));
    }
    schema
}

fn of(shape: &Shape) -> Value {
    let texts = |item: Value| json!({ "type": "array", "items": item });
    match shape {
        Shape::Bool => json!({ "type": "boolean" }),
        Shape::Int => json!({ "type": "integer" }),
        Shape::Scalar => json!({ "type": ["string", "number", "boolean"] }),
        Shape::Text | Shape::Template { .. } | Shape::Condition { .. } | Shape::Statement => json!({ "type": "string" }),
        Shape::Word(words) => json!({ "enum": words }),
        Shape::Name(role) => name(*role),
        Shape::Names(role) | Shape::Set(role) => texts(name(*role)),
        Shape::Record(keys) => record(keys),
        Shape::Named(inner) | Shape::ByField(inner) => json!({ "type": "object", "additionalProperties": of(inner) }),
        Shape::Records { keys, .. } => texts(record(keys)),
    }
}

fn name(role: Role) -> Value {
    match role {
        Role::Word(words) if !words.is_empty() => json!({ "enum": words }),
        _ => json!({ "type": "string" }),
    }
}

fn record(keys: &[super::Key]) -> Value {
    let mut properties = Map::new();
    for key in keys {
        let mut schema = of(&key.shape);
        if let Value::Object(fields) = &mut schema {
            fields.insert("description".into(), json!(key.doc));
        }
        properties.insert(key.name.to_owned(), schema);
    }
    json!({ "type": "object", "properties": properties, "additionalProperties": false })
}
