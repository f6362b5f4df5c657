//! Validation: the schema's ranges, then what only makes sense across fields.

use super::schema::{json_schema, resolve};
use super::{Outline, Rings, Sky, SkyKind};
use serde::Serialize;
use serde_json::{Value, json};
use std::fmt;

/// One thing wrong with a document.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Problem {
    /// Where: `clouds[0].base_m`.
    pub path: String,
    /// What is wrong, for a person.
    pub message: String,
    /// What stands there now.
    pub value: Value,
    /// What may stand there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub allowed: Option<Value>,
}

/// Longest path, message or text of a value in a problem, characters; a document can hold far longer ones.
const LONGEST_TEXT: usize = 400;
/// Problems told one by one; of further ones there is only a count.
const MOST_PROBLEMS: usize = 50;
/// Most of its distance that a world reaches toward the eye: 64 degrees to each side.
const MOST_OF_DISTANCE: f64 = 0.9;

impl Problem {
    pub fn new(path: &str, message: String, value: Value, allowed: Option<Value>) -> Self {
        Problem { path: cut(path), message: cut(&message), value: shown(value), allowed }
    }
}

/// The beginning of a long text.
fn cut(text: &str) -> String {
    match text.char_indices().nth(LONGEST_TEXT) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.into(),
    }
}

/// A value as a problem tells it: whole, or the beginning of its text.
fn shown(value: Value) -> Value {
    match &value {
        Value::String(text) => Value::String(cut(text)),
        Value::Array(_) | Value::Object(_) => {
            let text = value.to_string();
            if text.len() > LONGEST_TEXT { Value::String(cut(&text)) } else { value }
        }
        _ => value,
    }
}

/// Problems as they are found.
#[derive(Default)]
struct Found {
    told: Vec<Problem>,
    /// Further ones.
    more: usize,
}

impl Found {
    fn push(&mut self, path: &str, message: String, value: &Value, allowed: Option<Value>) {
        if self.told.len() < MOST_PROBLEMS {
            self.told.push(Problem::new(path, message, value.clone(), allowed));
        } else {
            self.more += 1;
        }
    }

    fn into_result(mut self) -> Result<(), Problems> {
        if self.told.is_empty() {
            return Ok(());
        }
        if self.more > 0 {
            let message = format!("{} more problems", self.more);
            self.told.push(Problem::new("", message, json!(self.more), None));
        }
        Err(Problems(self.told))
    }
}

/// Everything wrong with a document; never empty.
#[derive(Clone, Debug, PartialEq, Serialize, thiserror::Error)]
pub struct Problems(pub Vec<Problem>);

impl fmt::Display for Problems {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, p) in self.0.iter().enumerate() {
            let gap = if i > 0 { "\n" } else { "" };
            let path = if p.path.is_empty() { "document" } else { &p.path };
            write!(f, "{gap}{path}: {}", p.message)?;
        }
        Ok(())
    }
}

/// Checks types, ranges, choices and field names against the schema.
pub fn against_schema(value: &Value) -> Result<(), Problems> {
    let mut found = Found::default();
    walk(json_schema(), json_schema(), value, "", &mut found);
    found.into_result()
}

fn walk(root: &Value, node: &Value, value: &Value, path: &str, found: &mut Found) {
    let node = resolve(root, node);
    let mut wrong = |message: String, allowed: Option<Value>| found.push(path, message, value, allowed);
    if let Some(options) = node.get("oneOf").and_then(Value::as_array) {
        return walk_variants(root, options, value, path, found);
    }
    if let Some(choices) = node.get("enum").and_then(Value::as_array) {
        if !choices.contains(value) {
            wrong(format!("{value} is not one of {}", list(choices)), Some(json!(choices)));
        }
        return;
    }
    if let Some(expected) = node.get("const") {
        if expected != value {
            wrong(format!("{value} should be {expected}"), Some(expected.clone()));
        }
        return;
    }
    match node["type"].as_str() {
        Some("object") => walk_object(root, node, value, path, found),
        Some("array") => {
            let Some(items) = value.as_array() else {
                return wrong(format!("{} where a list is expected", kind_of(value)), None);
            };
            let most = node["maxItems"].as_u64().unwrap_or(u64::MAX);
            if items.len() as u64 > most {
                let message = format!("{} entries; at most {most} are allowed", items.len());
                return found.push(path, message, &json!(items.len()), Some(json!({"maximum": most})));
            }
            let fewest = node["minItems"].as_u64().unwrap_or(0);
            if (items.len() as u64) < fewest {
                let message = format!("{} entries; at least {fewest} are needed", items.len());
                found.push(path, message, value, Some(json!({"minimum": fewest})));
            }
            for (i, item) in items.iter().enumerate() {
                walk(root, &node["items"], item, &format!("{path}[{i}]"), found);
            }
        }
        Some(kind @ ("number" | "integer")) => {
            let allowed =
                json!({"minimum": node["minimum"], "maximum": node["maximum"], "unit": node["unit"]});
            let Some(x) = value.as_f64().filter(|x| x.is_finite()) else {
                return wrong(format!("{} where a number is expected", kind_of(value)), Some(allowed));
            };
            let (lo, hi) = (node["minimum"].as_f64(), node["maximum"].as_f64());
            if lo.is_some_and(|lo| x < lo) || hi.is_some_and(|hi| x > hi) {
                let unit = node["unit"].as_str().unwrap_or("");
                let range = format!("{} to {} {unit}", node["minimum"], node["maximum"]);
                wrong(format!("{x} is outside {}", range.trim_end()), Some(allowed));
            } else if kind == "integer" && !(value.is_u64() || value.is_i64()) {
                wrong(format!("{x} should be a whole number"), Some(allowed));
            }
        }
        Some("boolean") if !value.is_boolean() => {
            wrong(format!("{} where true or false is expected", kind_of(value)), None)
        }
        Some("string") => {
            let Some(text) = value.as_str() else {
                return wrong(format!("{} where text is expected", kind_of(value)), None);
            };
            let (lo, hi) = (node["minLength"].as_u64().unwrap_or(0), node["maxLength"].as_u64());
            let length = text.chars().count() as u64;
            if length < lo || hi.is_some_and(|hi| length > hi) {
                let allowed = json!({"minLength": lo, "maxLength": hi});
                wrong(
                    format!("text of {length} characters; {lo} to {} are allowed", hi.unwrap_or(0)),
                    Some(allowed),
                );
            } else if node.get("pattern").is_some()
                && !text.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '-')
            {
                wrong(
                    format!("{value} may only hold letters, digits, - and _"),
                    Some(node["pattern"].clone()),
                );
            } else if text.contains('\0') {
                wrong("text with the character U+0000, which can't be kept".into(), None);
            }
        }
        _ => {}
    }
}

fn walk_object(root: &Value, node: &Value, value: &Value, path: &str, found: &mut Found) {
    let Some(fields) = value.as_object() else {
        let message = format!("{} where an object is expected", kind_of(value));
        return found.push(path, message, value, None);
    };
    let known = node["properties"].as_object().expect("objects in the schema have properties");
    for (name, field) in fields {
        let here = if path.is_empty() { name.clone() } else { format!("{path}.{name}") };
        match known.get(name) {
            Some(sub) => walk(root, sub, field, &here, found),
            None => {
                // A wrong unit shows as a right stem with a wrong ending: `base_km` for `base_m`.
                let stem = name.rsplit_once('_').map_or(name.as_str(), |(stem, _)| stem);
                let near = known.keys().find(|k| k.starts_with(stem) && !stem.is_empty());
                let hint = near.map(|k| format!("; here it is called {k}")).unwrap_or_default();
                let message = format!("unknown field{hint}");
                let allowed = json!(known.keys().collect::<Vec<_>>());
                found.push(&here, message, field, Some(allowed));
            }
        }
    }
    for name in node.get("required").and_then(Value::as_array).into_iter().flatten() {
        let name = name.as_str().unwrap_or_default();
        if !fields.contains_key(name) {
            let here = if path.is_empty() { name.into() } else { format!("{path}.{name}") };
            found.push(&here, "missing".into(), &Value::Null, None);
        }
    }
}

/// A choice between objects told apart by a constant field, or between constants.
fn walk_variants(root: &Value, options: &[Value], value: &Value, path: &str, found: &mut Found) {
    let tag_of = |option: &Value| -> Option<(String, Value)> {
        option["properties"].as_object()?.iter().find_map(|(k, v)| Some((k.clone(), v.get("const")?.clone())))
    };
    let tags: Vec<Value> =
        options.iter().filter_map(|o| tag_of(o).map(|t| t.1).or(o.get("const").cloned())).collect();
    for option in options {
        match tag_of(option) {
            Some((key, tag)) if value.get(&key) == Some(&tag) => {
                return walk(root, option, value, path, found);
            }
            None if option.get("const") == Some(value) => return,
            _ => {}
        }
    }
    let (here, shown) = match options.first().and_then(tag_of) {
        Some((key, _)) => (format!("{path}.{key}"), value.get(&key).cloned().unwrap_or(Value::Null)),
        None => (path.to_string(), value.clone()),
    };
    let message = format!("{shown} is not one of {}", list(&tags));
    found.push(&here, message, &shown, Some(json!(tags)));
}

fn list(values: &[Value]) -> String {
    values.iter().map(Value::to_string).collect::<Vec<_>>().join(", ")
}

fn kind_of(value: &Value) -> &'static str {
    match value {
        Value::Null => "nothing",
        Value::Bool(_) => "true or false",
        Value::Number(_) => "a number",
        Value::String(_) => "text",
        Value::Array(_) => "a list",
        Value::Object(_) => "an object",
    }
}

/// What each field allows by itself but not together.
pub fn across_fields(sky: &Sky) -> Result<(), Problems> {
    let mut found = Vec::new();
    let at = &sky.place.at;
    match chrono::DateTime::parse_from_rfc3339(at) {
        // A leap second, 23:59:60, is a time of the standard that calendars here have no place for.
        Ok(t) if chrono::Timelike::nanosecond(&t) >= 1_000_000_000 => {
            let message = format!("{at} is a leap second; the second before or after it can be taken");
            found.push(Problem::new("place.at", message, json!(at), None));
        }
        Ok(t) if (1950..=2050).contains(&chrono::Datelike::year(&t)) => {}
        Ok(_) => found.push(Problem::new(
            "place.at",
            format!("{at} is outside the years 1950 to 2050"),
            json!(at),
            Some(json!({"minimum": "1950-01-01", "maximum": "2050-12-31"})),
        )),
        Err(e) => found.push(Problem::new(
            "place.at",
            format!("{at:?} is not a date and time like 2026-06-21T15:00:00+01:00: {e}"),
            json!(at),
            None,
        )),
    }
    let zone = &sky.place.zone;
    if !zone.is_empty() && zone.parse::<chrono_tz::Tz>().is_err() {
        let message = format!("{zone:?} is not in the tz database; write one like Europe/London, or nothing");
        found.push(Problem::new("place.zone", message, json!(zone), None));
    }
    let fog = &sky.fog;
    for (name, low, high) in
        [("to_height_m", fog.from_height_m, fog.to_height_m), ("ends_m", fog.begins_m, fog.ends_m)]
    {
        if high <= low {
            let message = format!("{high} is not above where the fog begins, {low}");
            let allowed = Some(json!({"exclusiveMinimum": low, "unit": "m"}));
            found.push(Problem::new(&format!("fog.{name}"), message, json!(high), allowed));
        }
    }
    if let SkyKind::Gradient { stops, .. } = &sky.source.made_of {
        for (i, stop) in stops.iter().enumerate() {
            if stops[..i].iter().any(|s| s.position_deg == stop.position_deg) {
                let message = format!("two stops at {} degrees", stop.position_deg);
                let path = format!("source.made_of.stops[{i}].position_deg");
                found.push(Problem::new(&path, message, json!(stop.position_deg), None));
            }
        }
    }
    let table = &sky.grade.table;
    let (wanted, got) = (12 * (table.size as usize).pow(3), table.values.len());
    if table.size == 1 {
        let message = "a table has at least 2 values a side, or none".into();
        found.push(Problem::new("grade.table.size", message, json!(1), None));
    } else if got != wanted || !table.values.bytes().all(|b| b.is_ascii_hexdigit()) {
        let message = format!("{got} hexadecimal digits where {} values a side take {wanted}", table.size);
        found.push(Problem::new("grade.table.values", message, json!(got), Some(json!({"length": wanted}))));
    }
    for (i, world) in sky.worlds.iter().enumerate() {
        let path = |name: &str| format!("worlds[{i}].{name}");
        if world.reach_km() > MOST_OF_DISTANCE * world.distance_km {
            let most = MOST_OF_DISTANCE * world.distance_km * world.radius_km / world.reach_km();
            let message = format!(
                "the eye would be inside the world or its rings: at this distance its radius is at most \
                 {most:.0} km"
            );
            let allowed = Some(json!({"maximum": most, "unit": "km"}));
            found.push(Problem::new(&path("radius_km"), message, json!(world.radius_km), allowed));
        }
        if world.ringed && world.rings.outer <= world.rings.inner {
            let Rings { inner, outer, .. } = world.rings;
            let message = format!("{outer} is not outside the inner edge, {inner}");
            let allowed = Some(json!({"exclusiveMinimum": inner}));
            found.push(Problem::new(&path("rings.outer"), message, json!(outer), allowed));
        }
    }
    let mut ids = std::collections::HashSet::new();
    for (i, layer) in sky.clouds.iter().enumerate() {
        if !ids.insert(&layer.id) {
            let message = format!("{:?} names two layers", layer.id);
            found.push(Problem::new(&format!("clouds[{i}].id"), message, json!(layer.id), None));
        }
        for (k, region) in layer.regions.iter().enumerate() {
            let Outline::Image { texels, values, .. } = &region.outline else { continue };
            let (wanted, got) = (2 * (*texels as usize).pow(2), values.len());
            if got != wanted || !values.bytes().all(|b| b.is_ascii_hexdigit()) {
                let message =
                    format!("{got} hexadecimal digits where {texels} x {texels} texels take {wanted}");
                let path = format!("clouds[{i}].regions[{k}].outline.values");
                found.push(Problem::new(&path, message, json!(got), Some(json!({"length": wanted}))));
            }
        }
    }
    if found.is_empty() { Ok(()) } else { Err(Problems(found)) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn problems(text: &str) -> Vec<Problem> {
        Sky::from_json(text).unwrap_err().0
    }

    #[test]
    fn defaults_are_a_valid_document() {
        assert_eq!(Sky::from_value(Sky::default().to_value()).unwrap(), Sky::default());
        let layer = json!({"clouds": [super::super::CloudLayer::default()]});
        Sky::from_value(layer).unwrap();
    }

    #[test]
    fn each_fault_names_its_path_and_what_is_allowed() {
        let p = problems(
            r#"{"air": {"visibility_km": -3, "ozone": 2}, "clouds": [{"cover": "half", "base_km": 1}]}"#,
        );
        let paths: Vec<_> = p.iter().map(|p| p.path.as_str()).collect();
        assert_eq!(paths, ["air.visibility_km", "air.ozone", "clouds[0].cover", "clouds[0].base_km"]);
        assert!(p[0].message.contains("-3 is outside 0.1 to 1000 km"), "{}", p[0].message);
        assert_eq!(p[0].allowed.as_ref().unwrap()["minimum"], 0.1);
        assert!(p[3].message.contains("base_m"), "{}", p[3].message);
    }

    #[test]
    fn a_sun_cannot_be_placed_both_ways() {
        let p =
            problems(r#"{"suns": [{"placement": {"by": "place", "azimuth_deg": 1, "elevation_deg": 2}}]}"#);
        assert_eq!(p[0].path, "suns[0].placement.azimuth_deg");
        assert_eq!(problems(r#"{"suns": [{"placement": {"by": "guess"}}]}"#)[0].path, "suns[0].placement.by");
        assert_eq!(problems(r#"{"suns": [{"placement": {"by": "hand"}}]}"#).len(), 2);
        assert_eq!(problems(r#"{"suns": []}"#)[0].path, "suns");
    }

    #[test]
    fn what_is_not_a_number_is_refused() {
        assert!(Sky::from_json(r#"{"air": {"ozone_du": NaN}}"#).is_err());
        assert!(Sky::from_json(r#"{"air": {"ozone_du": 1e999}}"#).is_err());
        assert_eq!(problems(r#"{"air": {"ozone_du": null}}"#)[0].path, "air.ozone_du");
        assert_eq!(problems(r#"{"clouds": [{"seed": 1.5}]}"#)[0].path, "clouds[0].seed");
        assert_eq!(problems("[]")[0].message, "a list where an object is expected");
    }

    #[test]
    fn impossible_times_are_refused() {
        let leap = "2016-12-31T23:59:60Z";
        for at in ["yesterday", "2026-02-30T00:00:00Z", "1850-01-01T00:00:00Z", leap] {
            let p = problems(&json!({"place": {"at": at}}).to_string());
            assert_eq!(p[0].path, "place.at");
        }
    }

    #[test]
    fn zones_gradients_fogs_and_colours_are_checked() {
        assert_eq!(problems(r#"{"place": {"zone": "Nowhere/Else"}}"#)[0].path, "place.zone");
        let gradient = |stops: Value| {
            json!({"source": {"made_of": {"kind": "gradient", "along": "elevation", "white_cd_m2": 1, "stops": stops}}})
                .to_string()
        };
        assert_eq!(problems(&gradient(json!([])))[0].path, "source.made_of.stops");
        let twice = problems(&gradient(json!([{"position_deg": 5}, {"position_deg": 5}])));
        assert_eq!(twice[0].path, "source.made_of.stops[1].position_deg");
        assert_eq!(problems(r#"{"fog": {"begins_m": 900, "ends_m": 800}}"#)[0].path, "fog.ends_m");
        assert_eq!(problems(r#"{"air": {"ground_tint": [1, 2]}}"#)[0].path, "air.ground_tint");
        assert_eq!(problems(r#"{"air": {"ground_tint": [1, 2, -1]}}"#)[0].path, "air.ground_tint[2]");
        for (path, value) in [("air", json!({"planet_radius_km": 20})), ("moon", json!({"strength": -1}))] {
            assert!(problems(&json!({path: value}).to_string())[0].path.starts_with(path));
        }
        let hot = r#"{"suns": [{"colour": {"by": "temperature", "kelvin": 50}}]}"#;
        assert_eq!(problems(hot)[0].path, "suns[0].colour.kelvin");
    }

    #[test]
    fn too_many_entries_are_refused_before_they_are_read() {
        let many = json!({"clouds": vec![json!({"nonsense": 1}); 100]});
        let p = Sky::from_value(many).unwrap_err().0;
        assert_eq!((p.len(), p[0].path.as_str()), (1, "clouds"));
    }
    /// A megabyte of faults is answered with the first of them and a count, each short.
    #[test]
    fn the_answer_to_many_faults_is_short() {
        let mut many = serde_json::Map::new();
        for i in 0..60_000 {
            many.insert(format!("nonsense{i}"), json!(i));
        }
        many.insert("x".repeat(100_000), json!("y".repeat(100_000)));
        let p = Sky::from_value(json!({"air": many})).unwrap_err();
        assert_eq!(p.0.len(), MOST_PROBLEMS + 1);
        assert_eq!(p.0[MOST_PROBLEMS].message, format!("{} more problems", 60_001 - MOST_PROBLEMS));
        let long = Sky::from_value(json!({"place": {"name": "y".repeat(100_000)}, "z".repeat(100_000): 1}));
        for answer in [p, long.unwrap_err()] {
            assert!(serde_json::to_string(&answer).unwrap().len() < 60_000);
        }
    }

    #[test]
    fn text_that_a_database_cannot_keep_is_refused() {
        let p = problems(r#"{"place": {"name": "a\u0000b"}}"#);
        assert_eq!(p[0].path, "place.name");
    }
}
