//! What every document keeps to, found by trying many: ranges come from the schema, faults name their path,
//! nothing that can be read is lost, nothing makes the reader fall over.

use proptest::prelude::*;
use serde_json::{Value, json};
use tenter_sky::document::schema::json_schema;
use tenter_sky::document::{CloudKind, Phase, Sky};

/// A number of the schema: where it stands in a document and what it may be.
#[derive(Clone, Debug)]
struct Number {
    path: Vec<String>,
    range: (f64, f64),
    whole: bool,
}

impl Number {
    fn name(&self) -> String {
        self.path.join(".").replace(".0", "[0]")
    }
    fn put(&self, document: &mut Value, value: Value) {
        let pointer = format!("/{}", self.path.join("/"));
        *document.pointer_mut(&pointer).unwrap_or_else(|| panic!("{pointer} is missing")) = value;
    }
}

/// Every number with a range that a full document has.
fn numbers() -> Vec<Number> {
    let mut found = Vec::new();
    collect(json_schema(), json_schema(), &full(), &mut Vec::new(), &mut found);
    assert!(found.len() > 25, "the schema has numbers with ranges: {}", found.len());
    found
}

fn collect(root: &Value, node: &Value, value: &Value, path: &mut Vec<String>, found: &mut Vec<Number>) {
    if let Some(reference) = node["$ref"].as_str() {
        return collect(root, root.pointer(&reference[1..]).unwrap(), value, path, found);
    }
    match value {
        Value::Object(fields) => {
            for (name, value) in fields {
                path.push(name.clone());
                collect(root, &node["properties"][name], value, path, found);
                path.pop();
            }
        }
        Value::Array(items) if !items.is_empty() => {
            path.push("0".into());
            collect(root, &node["items"], &items[0], path, found);
            path.pop();
        }
        Value::Number(_) => {
            if let (Some(low), Some(high)) = (node["minimum"].as_f64(), node["maximum"].as_f64()) {
                let whole = node["type"] == "integer";
                found.push(Number { path: path.clone(), range: (low, high), whole });
            }
        }
        _ => {}
    }
}

/// A document with a cloud layer in it.
fn full() -> Value {
    Sky { clouds: vec![CloudKind::CumulusMediocris.usual()], ..Sky::default() }.to_value()
}

#[test]
fn every_number_is_held_to_its_range() {
    for number in numbers() {
        let (low, high) = number.range;
        for inside in [low, high] {
            let mut document = full();
            number.put(&mut document, if number.whole { json!(inside as u64) } else { json!(inside) });
            if let Err(problems) = Sky::from_value(document) {
                // Fields may hang on each other, but then not for this one's range.
                let ranged = problems.0.iter().any(|p| p.path == number.name() && p.allowed.is_some());
                assert!(!ranged, "{} = {inside}: {problems}", number.name());
            }
        }
        let over = (high - low).abs().max(1.0);
        for outside in [low - over, high + over, -1e300, 1e300] {
            let mut document = full();
            number.put(&mut document, json!(outside));
            let problems = Sky::from_value(document).expect_err(&number.name());
            assert_eq!(problems.0.len(), 1, "{problems}");
            assert_eq!(problems.0[0].path, number.name());
        }
        for wrong in [json!("many"), json!(null), json!([1]), json!({"m": 1}), json!(true)] {
            let mut document = full();
            number.put(&mut document, wrong.clone());
            let problems = Sky::from_value(document).expect_err(&number.name());
            assert_eq!(problems.0[0].path, number.name(), "{wrong}");
        }
    }
}

/// Any JSON at all.
fn anything() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![
        Just(Value::Null),
        any::<bool>().prop_map(|v| json!(v)),
        any::<f64>().prop_map(|v| json!(v)),
        any::<i64>().prop_map(|v| json!(v)),
        "\\PC{0,12}".prop_map(|v| json!(v)),
    ];
    let name = prop_oneof![
        "[a-z_]{1,9}",
        proptest::sample::select(vec![
            "suns",
            "sun",
            "moon",
            "source",
            "made_of",
            "stops",
            "air",
            "clouds",
            "eye",
            "grade",
            "placement",
            "by",
            "kind",
            "schema"
        ])
        .prop_map(String::from),
    ];
    leaf.prop_recursive(4, 40, 6, move |inner| {
        prop_oneof![
            proptest::collection::vec(inner.clone(), 0..5).prop_map(Value::Array),
            proptest::collection::vec((name.clone(), inner), 0..6)
                .prop_map(|fields| Value::Object(fields.into_iter().collect())),
        ]
    })
}

proptest! {
    #[test]
    fn nothing_makes_the_reader_fall_over(value in anything()) {
        match Sky::from_value(value) {
            // What is taken is taken whole and comes back as it is.
            Ok(sky) => prop_assert_eq!(Sky::from_value(sky.to_value()).unwrap(), sky),
            Err(problems) => {
                prop_assert!(!problems.0.is_empty());
                prop_assert!(problems.0.iter().all(|p| !p.message.is_empty()));
            }
        }
    }

    #[test]
    fn text_that_is_no_document_is_refused(text in "\\PC{0,60}") {
        if let Ok(sky) = Sky::from_json(&text) {
            prop_assert_eq!(Sky::from_value(sky.to_value()).unwrap(), sky);
        }
    }

    #[test]
    fn a_document_comes_back_to_the_bit_and_its_hash_tells_it_apart(
        picks in proptest::collection::vec((any::<prop::sample::Index>(), 0.0f64..1.0), 1..12)
    ) {
        let numbers = numbers();
        let mut document = full();
        for (index, part) in picks {
            let number = index.get(&numbers);
            let (low, high) = number.range;
            let value = low + (high - low) * part;
            number.put(&mut document, if number.whole { json!(value as u64) } else { json!(value) });
        }
        if let Ok(sky) = Sky::from_value(document) {
            let text = sky.to_value().to_string();
            let again = Sky::from_json(&text).unwrap();
            prop_assert_eq!(&again, &sky);
            prop_assert_eq!(again.content_hash(), sky.content_hash());
            let mut other = sky.clone();
            other.eye.heading_deg = (other.eye.heading_deg + 1.0) % 360.0;
            prop_assert_ne!(other.content_hash(), sky.content_hash());
        }
    }
}

/// Thickness follows from water, droplets and depth, 3 LWC / (2 rho r): 0.3 g/m3 at 10 um is 0.045 per metre
/// (Stephens 1978, from memory); setting the thickness sets the water.
#[test]
fn thickness_and_water_are_linked() {
    for kind in CloudKind::ALL {
        let mut layer = kind.usual();
        (layer.water_content_g_m3, layer.droplet_um, layer.depth_m) = (0.3, 10.0, 1000.0);
        // Ice is lighter than water.
        let density = if kind.phase() == Phase::Ice { 0.917 } else { 1.0 };
        assert!((layer.extinction_per_m() - 0.045 / density).abs() < 1e-9, "{kind:?}");
        assert!((layer.optical_thickness() - 45.0 / density).abs() < 1e-6);
        layer.set_optical_thickness(12.0);
        assert!((layer.optical_thickness() - 12.0).abs() < 1e-9);
        assert!((layer.water_content_g_m3 - 0.08 * density).abs() < 1e-9);
    }
}

/// Altitudes by family (WMO, International Cloud Atlas, temperate regions, from memory): low clouds from the
/// ground to 2 km, middle ones from 2 to 7 km, high ones from 5 to 13 km; heaps stand on low bases.
#[test]
fn kinds_begin_where_they_are_usual() {
    for kind in CloudKind::ALL {
        let layer = kind.usual();
        assert_eq!(layer.kind, kind);
        let range = match kind {
            CloudKind::Altocumulus | CloudKind::Altostratus => 2000.0..7000.0,
            _ if kind.phase() == Phase::Ice => 5000.0..13_000.0,
            _ => 0.0..2000.1,
        };
        assert!(range.contains(&layer.base_m), "{kind:?}: {} m", layer.base_m);
        let document = json!({"clouds": [layer]});
        Sky::from_value(document).unwrap_or_else(|p| panic!("{kind:?}: {p}"));
    }
}
