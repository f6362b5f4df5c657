//! Every document that is accepted is drawn within bounds of processor time and memory, for 64 pixels
//! across.
//!
//! Extremes of every field come alone, each for a third of the kinds of cloud, and in pairs by chance: these
//! have 5 s and 1 GiB. Then come documents of which anything may be anything, several layers and suns at
//! once: these have 30 s. `TENTER_FUZZ=50000 cargo test --test extremes` draws so many of each by chance,
//! from number `TENTER_FUZZ_FROM` on; `TENTER_FUZZ_LOUD=1` tells what each takes.

use serde_json::{Map, Value, json};
use std::fmt::Write;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::render;
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::schema::json_schema;
use tenter_sky::document::{CloudKind, CloudLayer, Sky};

const CPU_SECONDS: f64 = 5.0;
/// Of documents that are extreme all over.
const WILD_CPU_SECONDS: f64 = 30.0;
const BYTES: usize = 1 << 30;
const WIDTH: usize = 64;
const HEIGHT: usize = 36;

/// What a picture took.
struct Cost {
    cpu: f64,
    bytes: usize,
}

/// Processor time of this process, s.
fn cpu_seconds() -> f64 {
    let mut time = libc::timespec { tv_sec: 0, tv_nsec: 0 };
    // SAFETY: the clock is one of Linux's, and the place to write to is ours.
    unsafe { libc::clock_gettime(libc::CLOCK_PROCESS_CPUTIME_ID, &mut time) };
    time.tv_sec as f64 + time.tv_nsec as f64 * 1e-9
}

/// A line of what Linux tells of this process, in bytes.
fn status_bytes(line: &str) -> usize {
    let status = std::fs::read_to_string("/proc/self/status").unwrap();
    let value = status.lines().find_map(|l| l.strip_prefix(line)).unwrap();
    value.trim_matches(|c: char| !c.is_ascii_digit()).parse::<usize>().unwrap() << 10
}

/// Draws a document as a small picture is drawn for the web.
fn draw(scene_cache: &SceneCache, sky: &Sky) -> Cost {
    // The allocator gives back what was left over, and Linux forgets the highest mark.
    // SAFETY: a call of the allocator's own, safe at any time.
    unsafe { libc::malloc_trim(0) };
    std::fs::write("/proc/self/clear_refs", "5").unwrap();
    let held = status_bytes("VmRSS:");
    let begun = cpu_seconds();
    {
        let off = AtomicBool::new(false);
        let since = Instant::now();
        // What takes far too long ends some time.
        let cancelled = || off.load(Ordering::Relaxed) || since.elapsed() > Duration::from_secs(60);
        if let Ok(scene) = scene_cache.scene(sky, TableQuality::Draft, &cancelled) {
            let camera = Camera::lens(&sky.eye, WIDTH, HEIGHT);
            if let Ok(picture) = render(&scene, &camera, MarchQuality::COARSE, &cancelled) {
                let wrong = picture.pixels.iter().flatten().find(|v| !v.is_finite());
                assert_eq!(wrong, None, "{}", serde_json::to_string(sky).unwrap());
            }
        }
    }
    Cost { cpu: cpu_seconds() - begun, bytes: status_bytes("VmHWM:").saturating_sub(held) }
}

/// A node of the schema, its reference followed.
fn resolve(root: &Value, node: &Value) -> Value {
    let Some(reference) = node["$ref"].as_str() else { return node.clone() };
    let mut found =
        root.pointer(reference.trim_start_matches('#')).expect("references lead somewhere").clone();
    for (name, value) in node.as_object().expect("nodes are objects") {
        found[name] = value.clone();
    }
    found
}

/// Numbers drawn in turn (splitmix64, Steele et al. 2014).
struct Chance(u64);

impl Chance {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }
    fn below(&mut self, n: usize) -> usize {
        (self.next() % n as u64) as usize
    }
    fn share(&mut self) -> f64 {
        (self.next() >> 11) as f64 / (1u64 << 53) as f64
    }
}

/// A number that a field allows: an end of its range half of the time, else anything between.
fn number(node: &Value, chance: &mut Chance) -> Value {
    let low = node["minimum"].as_f64().unwrap_or(0.0);
    let high = node["maximum"].as_f64().unwrap_or(low + 2.0);
    let value = match chance.below(4) {
        0 => low,
        1 => high,
        _ if node["scale"] == "log" && low > 0.0 => low * (high / low).powf(chance.share()),
        _ => low + (high - low) * chance.share(),
    };
    if node["type"] == "integer" { json!(value.round() as i64) } else { json!(value) }
}

/// Anything that a node of the schema allows; objects have each of their fields with a chance of `often`.
fn any(node: &Value, often: f64, chance: &mut Chance) -> Value {
    let node = &resolve(json_schema(), node);
    if let Some(options) = node.get("oneOf").and_then(Value::as_array) {
        let option = options[chance.below(options.len())].clone();
        return any(&option, 1.0, chance);
    }
    if let Some(value) = node.get("const") {
        return value.clone();
    }
    if let Some(choices) = node.get("enum").and_then(Value::as_array) {
        return choices[chance.below(choices.len())].clone();
    }
    match node["type"].as_str() {
        Some("object") => {
            let mut object = Map::new();
            let required: Vec<&str> =
                node["required"].as_array().into_iter().flatten().filter_map(Value::as_str).collect();
            for (name, field) in node["properties"].as_object().unwrap() {
                let fixed = resolve(json_schema(), field).get("const").is_some();
                if fixed || required.contains(&name.as_str()) || chance.share() < often {
                    object.insert(name.clone(), any(field, often, chance));
                }
            }
            Value::Object(object)
        }
        Some("array") => {
            let [fewest, most] = ["minItems", "maxItems"].map(|n| node[n].as_u64().unwrap_or(0) as usize);
            let count = fewest + chance.below((most.min(4) - fewest.min(4)) + 1);
            (0..count).map(|_| any(&node["items"], often, chance)).collect()
        }
        Some("number" | "integer") => number(node, chance),
        Some("boolean") => json!(chance.below(2) == 0),
        _ => node.get("default").cloned().unwrap_or(json!("")),
    }
}

/// The fields of a document's part that are numbers, with their nodes.
fn numbers(part: &str) -> Vec<(String, Value)> {
    let root = json_schema();
    let node = match part {
        "clouds" => resolve(root, &resolve(root, &root["properties"]["clouds"])["items"]),
        _ => resolve(root, &root["properties"][part]),
    };
    let fields = node["properties"].as_object().unwrap().iter();
    let fields = fields.map(|(name, field)| (name.clone(), resolve(root, field)));
    fields.filter(|(_, node)| node["type"] == "number" || node["type"] == "integer").collect()
}

/// One in so many kinds of cloud is drawn with the extremes of a field; neighbours in the list take turns.
const KINDS_SHARE: usize = 3;

/// Documents with one field of one part at one end of its range.
fn extremes() -> Vec<(String, Value)> {
    let mut all = Vec::new();
    for (k, kind) in CloudKind::ALL.into_iter().enumerate() {
        for (f, (name, node)) in numbers("clouds").into_iter().enumerate() {
            if (f + k) % KINDS_SHARE != 0 {
                continue;
            }
            for end in ["minimum", "maximum"] {
                let mut layer = serde_json::to_value(kind.usual()).unwrap();
                layer[&name] = node[end].clone();
                all.push((format!("{kind:?} {name} {}", node[end]), json!({"clouds": [layer]})));
            }
        }
    }
    let usual = serde_json::to_value(CloudKind::CumulusCongestus.usual()).unwrap();
    for part in ["air", "fog", "drift", "land", "eye", "source", "night"] {
        for (name, node) in numbers(part) {
            for end in ["minimum", "maximum"] {
                let document = json!({"clouds": [usual], part: {name.clone(): node[end]}});
                all.push((format!("{part}.{name} {}", node[end]), document));
            }
        }
    }
    all
}

/// A layer of some kind with two numbers of the document, its own or others, at an end of their ranges.
fn pair(number: u64) -> Value {
    let mut chance = Chance(number ^ 0xfa17);
    let kind = CloudKind::ALL[chance.below(CloudKind::ALL.len())];
    let mut document = json!({"clouds": [kind.usual()]});
    for _ in 0..2 {
        // Clouds have the most fields, and cost the most.
        let part =
            ["clouds", "clouds", "clouds", "air", "fog", "drift", "land", "eye", "source"][chance.below(9)];
        let fields = numbers(part);
        let (name, node) = &fields[chance.below(fields.len())];
        let end = node[["minimum", "maximum"][chance.below(2)]].clone();
        if part == "clouds" {
            document["clouds"][0][name] = end;
        } else {
            document[part][name] = end;
        }
    }
    document
}

/// A document by chance, that is accepted; regions by images have no texels, so there are none.
fn by_chance(number: u64) -> Value {
    let mut chance = Chance(number);
    let root = json_schema();
    let often = [0.08, 0.3, 1.0][chance.below(3)];
    let mut document = any(root, often, &mut chance);
    document["schema"] = root["properties"]["schema"]["minimum"].clone();
    let layers = [1, 1, 2, 4][chance.below(4)];
    let layer_node = resolve(root, &resolve(root, &root["properties"]["clouds"])["items"]);
    let layers: Vec<Value> = (0..layers)
        .map(|i| {
            let kind = CloudKind::ALL[chance.below(CloudKind::ALL.len())];
            let mut layer = serde_json::to_value(kind.usual()).unwrap();
            let changed = any(&layer_node, often, &mut chance);
            for (name, value) in changed.as_object().unwrap() {
                layer[name] = value.clone();
            }
            let regions = layer["regions"].as_array_mut().unwrap();
            regions.retain(|r| r["outline"]["shape"] != "image");
            layer["id"] = json!(format!("layer-{i}"));
            layer
        })
        .collect();
    document["clouds"] = json!(layers);
    document["place"] = json!({"latitude_deg": chance.share() * 180.0 - 90.0});
    document
}

/// Draws documents; gives how many were accepted, and tells those that took too much.
fn too_much(seconds: f64, all: impl Iterator<Item = (String, Value)>) -> (usize, String) {
    let (mut drawn, mut sampled) = (0, String::new());
    let loud = std::env::var("TENTER_FUZZ_LOUD").is_ok();
    // One for all, as in a server: what a document needs anew counts.
    let scene_cache = SceneCache::default();
    for (name, document) in all {
        let Ok(sky) = Sky::from_value(document.clone()) else { continue };
        if loud {
            // What never ends can be looked at.
            std::fs::write(std::env::temp_dir().join("tenter-fuzz.json"), document.to_string()).unwrap();
        }
        let cost = draw(&scene_cache, &sky);
        drawn += 1;
        if loud {
            eprintln!("{:7.2} s {:5} MB {name}", cost.cpu, cost.bytes >> 20);
        }
        if cost.cpu > seconds || cost.bytes > BYTES {
            writeln!(sampled, "{name}: {:.1} s, {} MB: {document}", cost.cpu, cost.bytes >> 20).unwrap();
        }
    }
    (drawn, sampled)
}

/// Documents of `./test`: with extremes alone as many as this.
const DRAWN: u64 = 900;
/// Of those by chance one in three is wild.
const WILD: u64 = 3;

fn wished(name: &str) -> Option<u64> {
    std::env::var(name).ok().and_then(|n| n.parse().ok())
}

/// Numbers of documents by chance, one share of all.
fn numbers_by_chance(share: impl Fn(u64) -> u64) -> std::ops::Range<u64> {
    let from = wished("TENTER_FUZZ_FROM").unwrap_or(0);
    let few = || share(DRAWN.saturating_sub(extremes().len() as u64));
    from..from + wished("TENTER_FUZZ").unwrap_or_else(few)
}

/// One after the other: each measures the whole process.
static TURN: Mutex<()> = Mutex::new(());

#[test]
fn extremes_alone_and_in_pairs_are_drawn_within_bounds() {
    let _turn = TURN.lock().unwrap_or_else(PoisonError::into_inner);
    // A wish for others leaves out those that are always drawn.
    let alone = if wished("TENTER_FUZZ_FROM").is_some() { Vec::new() } else { extremes() };
    let pairs = numbers_by_chance(|rest| rest - rest / WILD).map(|i| (format!("pair {i}"), pair(i)));
    let (drawn, sampled) = too_much(CPU_SECONDS, alone.into_iter().chain(pairs));
    assert!(sampled.is_empty(), "{sampled}");
    assert!(drawn > 0 && (wished("TENTER_FUZZ").is_some() || drawn > 500), "{drawn} were accepted");
}

#[test]
fn whatever_is_accepted_is_drawn_within_bounds() {
    let _turn = TURN.lock().unwrap_or_else(PoisonError::into_inner);
    let wild = numbers_by_chance(|rest| rest / WILD).map(|i| (format!("number {i}"), by_chance(i)));
    let (drawn, sampled) = too_much(WILD_CPU_SECONDS, wild);
    assert!(sampled.is_empty(), "{sampled}");
    assert!(drawn > 0);
}

#[test]
fn layers_know_their_fields() {
    // What is set by name here is there.
    assert!(numbers("clouds").iter().any(|(name, _)| name == "cell_size_m"));
    assert!(serde_json::to_value(CloudLayer::default()).unwrap()["cell_size_m"].is_number());
}
