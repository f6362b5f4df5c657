//! JSON Schema and TypeScript, made from the document's types.

use super::{CloudKind, Phase, Sky};
use serde_json::{Map, Value, json};
use std::fmt::Write;
use std::sync::LazyLock;

/// The JSON Schema (draft 2020-12) of a sky, with `unit`, `soft`, `default` and `scale` beside the standard
/// keywords, under `usual` the layer that each kind of cloud begins with, and under `ice` the kinds that are
/// of ice.
pub fn json_schema() -> &'static Value {
    static SCHEMA: LazyLock<Value> = LazyLock::new(|| {
        let mut schema = schemars::schema_for!(Sky).to_value();
        join_lines(&mut schema);
        let usual: Map<String, Value> = CloudKind::ALL
            .iter()
            .map(|k| (serde_json::to_value(k).unwrap().as_str().unwrap().into(), json!(k.usual())))
            .collect();
        schema["usual"] = Value::Object(usual);
        let ice = CloudKind::ALL.iter().filter(|k| k.phase() == Phase::Ice);
        schema["ice"] = json!(ice.collect::<Vec<_>>());
        schema
    });
    &SCHEMA
}

/// Makes descriptions, which are wrapped as comments are, single lines.
fn join_lines(node: &mut Value) {
    match node {
        Value::Object(fields) => {
            for (name, field) in fields {
                match field {
                    Value::String(text) if name == "description" => *text = text.replace('\n', " "),
                    field => join_lines(field),
                }
            }
        }
        Value::Array(items) => items.iter_mut().for_each(join_lines),
        _ => {}
    }
}

/// Follows `$ref` inside the schema.
pub(super) fn resolve<'a>(root: &'a Value, node: &'a Value) -> &'a Value {
    match node.get("$ref").and_then(Value::as_str).and_then(|r| r.strip_prefix("#/$defs/")) {
        Some(name) => &root["$defs"][name],
        None => node,
    }
}

/// TypeScript types for the document, generated from [`json_schema`], and the family of each kind of cloud.
pub fn typescript() -> String {
    let schema = json_schema();
    let mut out = String::from("// Generated from the Rust document types: do not edit.\n\n");
    write_types(&mut out, schema, "Sky");
    out.push_str("/** How a kind is formed. */\nexport const familyOf: Record<CloudKind, string> = {\n");
    for kind in CloudKind::ALL {
        let family = format!("{:?}", kind.family()).to_lowercase();
        let _ = writeln!(out, "  {}: \"{family}\",", json!(kind).as_str().unwrap_or_default());
    }
    out.push_str("};\n");
    out
}

/// TypeScript types of a schema's definitions, and of the schema itself under a name.
pub fn write_types(out: &mut String, schema: &Value, name: &str) {
    let own = name.to_string();
    let defs = schema["$defs"].as_object().into_iter().flatten();
    for (name, def) in defs.chain([(&own, schema)]) {
        let _ = writeln!(out, "export type {name} ={};\n", spaced(type_of(def, 0)));
    }
}

/// A type after its equals sign: on a line of its own, or after a space.
fn spaced(of: String) -> String {
    if of.starts_with('\n') { of } else { format!(" {of}") }
}

fn type_of(node: &Value, depth: usize) -> String {
    if let Some(name) = node.get("$ref").and_then(Value::as_str) {
        return name.rsplit('/').next().unwrap_or_default().into();
    }
    if let Some(options) = node.get("oneOf").and_then(Value::as_array) {
        return options.iter().map(|o| type_of(o, depth)).collect::<Vec<_>>().join(" | ");
    }
    if let Some(options) = node.get("enum").and_then(Value::as_array) {
        let options: Vec<String> = options.iter().map(Value::to_string).collect();
        let line = options.join(" | ");
        return if line.len() < 80 { line } else { format!("\n  | {}", options.join("\n  | ")) };
    }
    if let Some(value) = node.get("const") {
        return value.to_string();
    }
    if let Some(types) = node["type"].as_array() {
        let one = |of: &Value| type_of(&json!({"type": of}), depth);
        return types.iter().map(one).collect::<Vec<_>>().join(" | ");
    }
    match node["type"].as_str() {
        Some("null") => "null".into(),
        Some("object") => {
            let pad = "  ".repeat(depth);
            let fields: String = node["properties"]
                .as_object()
                .into_iter()
                .flatten()
                .map(|(k, v)| format!("{pad}  {k}: {};\n", type_of(v, depth + 1)))
                .collect();
            format!("{{\n{fields}{pad}}}")
        }
        Some("array") => format!("{}[]", type_of(&node["items"], depth)),
        Some("integer" | "number") => "number".into(),
        Some("boolean") => "boolean".into(),
        _ => "string".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every value an artist can set says its name, unit, range, default and help.
    #[test]
    fn every_value_is_explained() {
        fn walk(root: &Value, node: &Value, path: &str, found: &mut usize) {
            let node = resolve(root, node);
            for option in node.get("oneOf").and_then(Value::as_array).into_iter().flatten() {
                walk(root, option, path, found);
            }
            if node["type"] == "array" {
                walk(root, &node["items"], path, found);
            }
            for (name, value) in node.get("properties").and_then(Value::as_object).into_iter().flatten() {
                let here = format!("{path}.{name}");
                if value.get("const").is_some() {
                    continue;
                }
                let described = resolve(root, value);
                assert!(value.get("title").is_some(), "{here} has no title");
                assert!(
                    value.get("description").or(described.get("description")).is_some(),
                    "{here} has no help"
                );
                if matches!(value["type"].as_str(), Some("number" | "integer")) && name != "schema" {
                    for key in ["unit", "soft", "minimum", "maximum", "default"] {
                        assert!(value.get(key).is_some(), "{here} has no {key}");
                    }
                    *found += 1;
                }
                walk(root, value, &here, found);
            }
        }
        let mut found = 0;
        walk(json_schema(), json_schema(), "sky", &mut found);
        assert!(found > 30, "only {found} values");
    }
}
