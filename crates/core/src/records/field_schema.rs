//! Schemas of records and their fields.

use serde_json::{Map, Value, json};

/// A field of a record, as the schema says it.
pub struct FieldSchema {
    /// The key.
    pub name: &'static str,
    /// The documentation.
    pub about: &'static str,
    /// True if it may be left out.
    pub is_optional: bool,
    /// The schema of its value.
    pub value: Value,
}

/// The schema of a record, or of a value made of fields, with nothing beside them.
pub fn of_record(about: &str, name: Option<&str>, fields: &[FieldSchema]) -> Value {
    let (mut properties, mut required) = (Map::new(), Vec::new());
    if let Some(name) = name {
        properties.insert("record".into(), json!({"const": name}));
        required.push("record");
    }
    for field in fields {
        let mut value = field.value.clone();
        if let Some(value) = value.as_object_mut() {
            let about = first_line(field.about);
            value.shift_insert(0, "description".into(), about.into());
        }
        properties.insert(field.name.into(), value);
        if !field.is_optional {
            required.push(field.name);
        }
    }
    json!({
        "description": first_line(about),
        "type": "object",
        "properties": properties,
        "required": required,
        "additionalProperties": false,
    })
}

/// A schema for lines of which each is one of these records.
pub fn of_lines(title: &str, about: &str, records: &[Value]) -> Value {
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": title,
        "description": about,
        "type": "object",
        "required": ["record"],
        // A path with the character that stands for undecodable bytes does not say all.
        "if": {"required": ["path"], "properties": {"path": {"type": "string", "pattern": "\u{FFFD}"}}},
        "then": {"required": ["path_b64"]},
        "oneOf": records,
    })
}

fn first_line(about: &str) -> &str {
    about.lines().next().unwrap_or_default().trim()
}
