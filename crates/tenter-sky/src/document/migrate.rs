//! Documents of older versions, brought to the newest one. Nothing is lost on the way: what an old version
//! could not have held stays where it is, for the check to name.

use super::{CloudKind, SCHEMA_VERSION};
use serde_json::{Map, Value, json};

/// The same sky in the newest layout.
pub fn to_newest(mut value: Value) -> Value {
    if value.get("schema") == Some(&json!(1)) {
        one_to_two(&mut value);
    }
    usual_clouds(&mut value);
    value
}

/// What a cloud layer leaves out is what is usual for its kind.
fn usual_clouds(value: &mut Value) {
    let Some(layers) = value.get_mut("clouds").and_then(Value::as_array_mut) else { return };
    for layer in layers.iter_mut().filter_map(Value::as_object_mut) {
        let Some(kind) = layer.get("kind") else { continue };
        let Ok(kind) = serde_json::from_value::<CloudKind>(kind.clone()) else { continue };
        let Ok(Value::Object(usual)) = serde_json::to_value(kind.usual()) else { continue };
        for (name, value) in usual {
            layer.entry(name).or_insert(value);
        }
    }
}

/// Version 1 had one sun, with its own place, time and night.
fn one_to_two(value: &mut Value) {
    let Some(sky) = value.as_object_mut() else { return };
    sky.insert("schema".into(), json!(SCHEMA_VERSION));
    let Some(Value::Object(mut sun)) = sky.remove("sun") else { return };
    if let Some(floor) = sun.remove("night_floor_lx") {
        sky.insert("night".into(), json!({"floor_lx": floor}));
    }
    if let Some(Value::Object(placement)) = sun.get_mut("placement")
        && placement.get("by") == Some(&json!("place"))
    {
        let mut place = Map::new();
        for name in ["latitude_deg", "longitude_deg", "at"] {
            if let Some(value) = placement.remove(name) {
                place.insert(name.into(), value);
            }
        }
        // Its time told the offset; the zone was not known, nor the name.
        place.insert("zone".into(), json!(""));
        place.insert("name".into(), json!(""));
        sky.insert("place".into(), Value::Object(place));
    }
    sky.insert("suns".into(), json!([sun]));
}

#[cfg(test)]
mod tests {
    use super::super::{Placement, Sky};
    use super::*;

    #[test]
    fn a_sky_of_version_1_keeps_its_sun() {
        let sky = Sky::from_value(json!({"schema": 1, "sun": {
            "placement": {"by": "place", "latitude_deg": 10, "longitude_deg": 20, "at": "2026-03-01T10:00:00+02:00"},
            "strength": 2, "night_floor_lx": 0.5}}))
        .unwrap();
        assert_eq!((sky.schema, sky.suns.len(), sky.suns[0].strength), (2, 1, 2.0));
        assert_eq!(sky.suns[0].placement, Placement::Place {});
        assert_eq!((sky.place.latitude_deg, sky.place.at.as_str()), (10.0, "2026-03-01T10:00:00+02:00"));
        assert_eq!(sky.night.floor_lx, 0.5);
        let by_hand =
            json!({"schema": 1, "sun": {"placement": {"by": "hand", "azimuth_deg": 7, "elevation_deg": 8}}});
        let sky = Sky::from_value(by_hand).unwrap();
        assert_eq!(sky.suns[0].placement, Placement::Hand { azimuth_deg: 7.0, elevation_deg: 8.0 });
    }

    #[test]
    fn what_a_layer_leaves_out_is_usual_for_its_kind() {
        let sky = Sky::from_value(json!({"clouds": [{"kind": "altocumulus", "cover": 0.2}]})).unwrap();
        let usual = CloudKind::Altocumulus.usual();
        assert_eq!((sky.clouds[0].cover, sky.clouds[0].base_m), (0.2, usual.base_m));
        assert_eq!(sky.clouds[0].stretch, usual.stretch);
    }

    #[test]
    fn what_version_1_did_not_know_is_still_named() {
        let problems = Sky::from_value(json!({"schema": 1, "sun": {"size": 3}, "sea": {}})).unwrap_err().0;
        let paths: Vec<_> = problems.iter().map(|p| p.path.as_str()).collect();
        assert!(paths.contains(&"suns[0].size") && paths.contains(&"sea"), "{paths:?}");
        assert!(Sky::from_value(json!({"schema": 3})).is_err());
    }
}
