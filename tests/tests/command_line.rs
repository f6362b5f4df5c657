//! The command line as pipelines use it: answers, exits, files.

use serde_json::{Value, json};
use std::io::{ErrorKind, Write};
use std::path::Path;
use std::process::{Command, Output, Stdio};
use tenter_tests::{binary, demo_skies};

fn tenter(arguments: &[&str], input: &str) -> Output {
    let mut child = Command::new(binary())
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("cargo build --workspace makes the binary");
    // What refuses its options may have ended before it read anything.
    match child.stdin.take().unwrap().write_all(input.as_bytes()) {
        Err(e) if e.kind() == ErrorKind::BrokenPipe => {}
        written => written.unwrap(),
    }
    child.wait_with_output().unwrap()
}

fn answer(arguments: &[&str], input: &str) -> Value {
    let out = tenter(arguments, input);
    assert!(out.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).expect("answers are JSON and nothing else")
}

fn refusal(arguments: &[&str], input: &str) -> String {
    let out = tenter(arguments, input);
    assert_eq!(out.status.code(), Some(2), "{arguments:?}");
    assert!(out.stdout.is_empty(), "nothing but answers goes to standard output");
    String::from_utf8(out.stderr).unwrap()
}

fn clear_at(elevation: f64) -> String {
    let mut sky = answer(&["starters", "clear-noon"], "");
    sky["land"]["shown"] = json!(false);
    sky["suns"][0]["placement"] = json!({"by": "hand", "azimuth_deg": 200, "elevation_deg": elevation});
    sky.to_string()
}

/// Illuminance of level ground against true sun elevation in a clear sky: ranges of handbook tables (US Navy
/// natural illumination charts and their like; as this project's design has them, no single source).
#[test]
fn clear_sky_illuminance_is_in_the_handbooks_ranges() {
    for (elevation, low, high) in [
        (60.0, 90e3, 119e3),
        (30.0, 40e3, 53e3),
        (10.0, 8.9e3, 13.9e3),
        (0.0, 510.0, 1140.0),
        (-6.0, 2.3, 5.1),
        (-12.0, 0.0045, 0.0145),
        (-18.0, 0.00026, 0.0016),
    ] {
        let light = answer(&["light", "-"], &clear_at(elevation));
        let lx = light["global_horizontal_lx"].as_f64().unwrap();
        assert!((low..=high).contains(&lx), "{elevation} degrees: {lx} lx, not {low} to {high}");
    }
}

/// Reda and Andreas 2004, NREL/TP-560-34302, example in appendix A.5 (values from memory): azimuth 194.34,
/// topocentric elevation without refraction 39.872.
#[test]
fn the_sun_stands_where_the_published_example_has_it() {
    let a =
        answer(&["sun", "--lat", "39.742476", "--lon", "-105.1786", "--at", "2003-10-17T12:30:30-07:00"], "");
    let at = |key: &str| a["sun"][key].as_f64().unwrap();
    assert!((at("azimuth_deg") - 194.34024).abs() < 0.02, "{a}");
    assert!((at("elevation_deg") - 39.872046).abs() < 0.02, "{a}");
    let moon = a["moon"].as_object().unwrap();
    for key in ["azimuth_deg", "elevation_deg", "illuminated_fraction", "phase_deg", "angular_diameter_deg"] {
        assert!(moon[key].is_number(), "{key}");
    }
}

/// CIE S 011 / ISO 15469 overcast sky: L / Lz = (1 + 2 sin e) / 3, here within 10 % from 10 degrees up, under
/// a deck of optical thickness 64 and cover 1, over black ground, with next to no air.
#[test]
fn an_overcast_sky_has_the_standard_gradient() {
    let sky = json!({
        "suns": [{"placement": {"by": "hand", "azimuth_deg": 180, "elevation_deg": 45}}], "night": {"floor_lx": 0},
        "air": {"molecules": 0.0001, "visibility_km": 1000, "ozone_du": 0, "ground_albedo": 0},
        "clouds": [{"kind": "stratus", "cover": 1, "base_m": 500, "depth_m": 400, "lobes": 0, "erosion": 0,
            "droplet_um": 10, "water_content_g_m3": 1.0666667}],
    })
    .to_string();
    let luminance = |elevation: f64| {
        let e = elevation.to_string();
        answer(&["probe", "-", "--azimuth", "90", "--elevation", &e], &sky)["luminance_cd_m2"]
            .as_f64()
            .unwrap()
    };
    let zenith = luminance(90.0);
    for e in [60.0f64, 45.0, 30.0, 20.0, 15.0, 10.0] {
        let (got, standard) = (luminance(e) / zenith, (1.0 + 2.0 * e.to_radians().sin()) / 3.0);
        assert!((got / standard - 1.0).abs() < 0.10, "{e} degrees: {got:.3} against {standard:.3}");
    }
}

#[test]
fn bad_input_is_named_and_ends_with_two() {
    let message = refusal(&["check", "-"], r#"{"air": {"visibility_km": -3, "ozon_du": 1}}"#);
    assert!(message.contains("air.visibility_km: -3 is outside 0.1 to 1000 km"), "{message}");
    assert!(message.contains("air.ozon_du: unknown field"), "{message}");
    assert!(refusal(&["light", "-"], "{").contains("not JSON"));
    assert!(
        refusal(&["sun", "--lat", "91", "--lon", "0", "--at", "2026-01-01T00:00:00Z"], "").contains("--lat")
    );
    assert!(refusal(&["sun", "--lat", "1", "--lon", "0", "--at", "noon"], "").contains("--at"));
    assert!(refusal(&["starters", "nowhere"], "").contains("clear-noon"));
    assert!(refusal(&["map", "-", "--width", "1000000000", "--out", "x.exr"], "{}").contains("width"));
    assert!(refusal(&["map", "-", "--width", "1024", "--out", "x.gif"], "{}").contains("--out"));
    assert!(
        refusal(&["picture", "-", "--width", "0", "--height", "9", "--out", "x.png"], "{}")
            .contains("--width")
    );
    assert!(refusal(&["light", "/nowhere/at/all.json"], "").contains("/nowhere/at/all.json"));
}

/// Developed pictures with 16 bits hold what 8 bits and their dither hold, finer; a table is written with the
/// size that was asked for.
#[test]
fn developed_copies_and_tables_are_written() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    let sky = answer(&["starters", "clear-noon"], "").to_string();
    let picture = ["picture", "-", "--width", "160", "--height", "90", "--out"];
    for (name, more) in [("eight.png", None), ("sixteen.png", Some("--sixteen"))] {
        let out = path(name);
        let arguments: Vec<&str> = picture.into_iter().chain([out.as_str()]).chain(more).collect();
        assert!(tenter(&arguments, &sky).status.success());
    }
    let open = |name: &str| image::open(path(name)).unwrap();
    let (eight, sixteen) = (open("eight.png"), open("sixteen.png"));
    assert_eq!((eight.color(), sixteen.color()), (image::ColorType::Rgb8, image::ColorType::Rgb16));
    let (eight, sixteen) = (eight.into_rgb8().into_raw(), sixteen.into_rgb16().into_raw());
    let mut sum = 0.0;
    for (a, b) in eight.iter().zip(&sixteen) {
        let off = f64::from(*a) - f64::from(*b) / 257.0;
        assert!(off.abs() <= 1.0, "{a} {b}");
        sum += off;
    }
    assert!((sum / eight.len() as f64).abs() < 0.02, "dither keeps the mean");
    let table = path("noon.cube");
    assert!(tenter(&["lut", "-", "--size", "65", "--out", &table], &sky).status.success());
    let text = std::fs::read_to_string(&table).unwrap();
    assert!(text.starts_with("TITLE \"noon\"\n") && text.contains("\nLUT_3D_SIZE 65\n"));
    assert_eq!(text.lines().filter(|l| l.starts_with(|c: char| c.is_ascii_digit())).count(), 65 * 65 * 65);
    assert!(refusal(&["lut", "-", "--size", "7", "--out", &table], &sky).contains("--size: 7"));
    assert!(refusal(&["lut", "-", "--out", "x.txt"], &sky).contains(".cube"));
}

#[test]
fn schema_and_starters_agree() {
    let schema = answer(&["schema"], "");
    assert_eq!(schema["$defs"]["CloudLayer"]["properties"]["base_m"]["unit"], "m");
    let starters = answer(&["starters"], "");
    assert_eq!(starters.as_array().unwrap().len(), demo_skies());
    for starter in starters.as_array().unwrap() {
        let sky = answer(&["starters", starter["name"].as_str().unwrap()], "");
        assert_eq!(answer(&["check", "-"], &sky.to_string())["valid"], true);
    }
}

/// Types the web application is built with are those of the binary.
#[test]
fn generated_files_of_the_web_application_are_fresh() {
    let files =
        [("--typescript", "sky.ts"), ("--measures", "measures.ts"), ("--white-points", "white-points.ts")];
    for (flag, file) in files {
        let now = String::from_utf8(tenter(&["schema", flag], "").stdout).unwrap();
        let path = tenter_tests::root().join("web/src/data").join(file);
        let kept = std::fs::read_to_string(path).unwrap();
        assert!(
            now == kept,
            "web/src/data/{file} is stale: target/debug/tenter schema {flag} > web/src/data/{file}"
        );
    }
}

#[test]
fn pictures_come_developed_or_linear() {
    let dir = tempfile::tempdir().unwrap();
    let (png, exr) = (dir.path().join("p.png"), dir.path().join("p.exr"));
    let sky = clear_at(20.0);
    for path in [&png, &exr] {
        let out = ["picture", "-", "--width", "64", "--height", "36", "--out", path.to_str().unwrap()];
        assert!(tenter(&out, &sky).status.success());
    }
    assert_eq!(&std::fs::read(&png).unwrap()[1..4], b"PNG");
    let (w, h, pixels) = tenter_formats::exr_map::read(&exr).unwrap();
    assert_eq!((w, h), (64, 36));
    assert!(pixels.iter().flatten().all(|v| v.is_finite() && *v >= 0.0));
}

fn make_map(sky: &str, width: usize, out: &Path, more: &[&str]) -> Output {
    let width = width.to_string();
    let mut arguments = vec!["map", "-", "--width", &width, "--out", out.to_str().unwrap()];
    arguments.extend(more);
    tenter(&arguments, sky)
}

#[test]
fn half_is_refused_for_the_disc_and_given_without_it() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("m.exr");
    let sky = clear_at(40.0);
    let refused = make_map(&sky, 256, &out, &["--half"]);
    assert_eq!(refused.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&refused.stderr).contains("elevation"), "the direction is named");
    assert!(!out.exists());
    assert!(
        make_map(&sky, 256, &out, &["--half", "--without", "sun", "--scale", "exposed"]).status.success()
    );
    let sidecar: Value =
        serde_json::from_slice(&std::fs::read(dir.path().join("m.exr.json")).unwrap()).unwrap();
    assert_eq!(sidecar["values"], "half");
    assert_eq!(sidecar["lights"][0]["in_map"], false);
}

/// The list of stars stands beside the map; by day it is empty.
#[test]
fn stars_are_listed_beside_a_map() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("m.exr");
    for (elevation, expected) in [(-30.0, 1000..50_000), (30.0, 0..1)] {
        let more = ["--with", "star-list", "--without", "stars", "--without", "moon"];
        assert!(make_map(&clear_at(elevation), 64, &out, &more).status.success());
        let text = std::fs::read(dir.path().join("m.exr.stars.json")).unwrap();
        let list: Value = serde_json::from_slice(&text).unwrap();
        assert!(expected.contains(&list["count"].as_u64().unwrap()), "{}", list["count"]);
        assert_eq!(list["stars"].as_array().unwrap().len() as u64, list["count"]);
    }
}

/// The OpenEXR library's own tool (Debian: openexr) opens a map and sees its attributes.
#[test]
fn the_openexr_library_reads_a_map() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("m.exr");
    assert!(make_map(&clear_at(40.0), 256, &out, &[]).status.success());
    let header = Command::new("exrheader").arg(&out).output().expect("Debian's openexr is installed");
    let text = String::from_utf8_lossy(&header.stdout);
    assert!(header.status.success(), "{text}");
    for wanted in [
        "envmap",
        "latitude-longitude",
        "chromaticities",
        "whiteLuminance",
        "tenter:light0:illuminance",
        "zip",
    ] {
        assert!(text.contains(wanted), "{wanted} is missing in\n{text}");
    }
}

/// The OpenEXR library's own tool makes a cube of a latlong map: ours shows the same light at the same
/// places.
#[test]
fn a_cube_is_what_the_openexr_library_makes_of_a_latlong_map() {
    const FACE: usize = 64;
    let dir = tempfile::tempdir().unwrap();
    let [latlong, ours, theirs] = ["l.exr", "c.exr", "t.exr"].map(|name| dir.path().join(name));
    let sky = clear_at(40.0);
    assert!(make_map(&sky, 1024, &latlong, &["--without", "sun"]).status.success());
    assert!(make_map(&sky, FACE, &ours, &["--without", "sun", "--layout", "cube"]).status.success());
    let made = Command::new("exrenvmap")
        .args(["-c", "-z", "none", "-w", &FACE.to_string()])
        .args([&latlong, &theirs])
        .output()
        .expect("Debian's openexr is installed");
    assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    let script = tenter_tests::root().join("tests/outside/read_tiled_exr.py");
    let out = Command::new("python3").arg(script).arg(&theirs).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let read: Value = serde_json::from_slice(&out.stdout).unwrap();
    let (w, h, pixels) = tenter_formats::exr_map::read(&ours).unwrap();
    assert_eq!((w, h), (FACE, 6 * FACE));
    assert_eq!((read["width"].as_u64(), read["height"].as_u64()), (Some(64), Some(384)));
    let mut apart: Vec<f64> = (0..w * h)
        .filter_map(|i| {
            let (a, b) = (pixels[i][1] as f64, read["green"][i].as_f64());
            // The tool writes halves, which the aureole overflows.
            assert!(b.is_some() || a > 3e4, "pixel {i}: {a} is missing in theirs");
            b.map(|b| (a - b).abs() / a)
        })
        .collect();
    apart.sort_by(f64::total_cmp);
    // A pixel of theirs lies up to half a pixel beside ours; only at the horizon and the aureole does that
    // show.
    let (half, most) = (apart[apart.len() / 2], apart[apart.len() * 95 / 100]);
    assert!(half < 0.01 && most < 0.08, "median {half}, 95th percentile {most}");
}

/// The reference integrator tells how sure it is, and refuses what it can't follow yet.
#[test]
fn the_reference_answers_with_its_error() {
    let look = ["probe", "-", "--azimuth", "20", "--elevation", "30"];
    let live = answer(&look, &clear_at(40.0));
    let reference = answer(&[&look[..], &["--reference", "--noise", "2"]].concat(), &clear_at(40.0));
    let (l, r) = (live["luminance_cd_m2"].as_f64().unwrap(), reference["luminance_cd_m2"].as_f64().unwrap());
    assert!((l / r - 1.0).abs() < 0.15, "{live} {reference}");
    assert!(reference["standard_error"].as_f64().unwrap() <= 0.02 * r);
    let mut cloudy = answer(&["starters", "ferry-afternoon"], "");
    let few = ["--reference", "--noise", "30"];
    let through = answer(&[&look[..], &few].concat(), &cloudy.to_string());
    assert!(through["luminance_cd_m2"].as_f64().unwrap() > 100.0, "{through}");
    cloudy["clouds"][0]["scatter_tint"] = serde_json::json!([1, 0.5, 0.5]);
    let refused = tenter(&[&look[..], &["--reference"]].concat(), &cloudy.to_string());
    assert_eq!(refused.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&refused.stderr).contains("clouds"));
}

#[test]
fn layouts_and_noise_are_checked_and_told() {
    let dir = tempfile::tempdir().unwrap();
    let sky = answer(&["starters", "ferry-afternoon"], "").to_string();
    let sidecar = |name: &str| -> Value {
        serde_json::from_slice(&std::fs::read(dir.path().join(format!("{name}.json"))).unwrap()).unwrap()
    };
    let make = |name: &str, more: &[&str]| make_map(&sky, 64, &dir.path().join(name), more);
    assert!(make("f.exr", &["--layout", "fisheye", "--without", "sun", "--noise", "20"]).status.success());
    let facts = sidecar("f.exr");
    assert_eq!((facts["layout"].as_str(), facts["height"].as_u64()), (Some("fisheye"), Some(64)));
    assert!(facts["noise_left_percent"].as_f64().unwrap() <= 20.0);
    let (_, _, pixels) = tenter_formats::exr_map::read(&dir.path().join("f.exr")).unwrap();
    assert_eq!(pixels[0], [0.0; 3], "nothing beside the circle");
    assert!(make("c.ktx2", &["--layout", "cube", "--mips", "--without", "sun"]).status.success());
    assert_eq!(sidecar("c.ktx2")["layout"], "cube");
    assert_eq!(&std::fs::read(dir.path().join("c.ktx2")).unwrap()[1..7], b"KTX 20");
    for (name, more, word) in [
        ("m.ktx2", vec![], "cube"),
        ("m.exr", vec!["--mips"], "mips"),
        ("m.exr", vec!["--noise", "0"], "noise"),
    ] {
        let out = make(name, &more);
        assert_eq!(out.status.code(), Some(2), "{name} {more:?}");
        assert!(String::from_utf8_lossy(&out.stderr).contains(word), "{name} {more:?} names {word}");
        assert!(!dir.path().join(name).exists());
    }
}

/// The reference integrator's maps say what made them and how sure they are; its limit of paths holds; what
/// it can't follow is bad input.
#[test]
fn maps_by_the_reference_integrator() {
    let dir = tempfile::tempdir().unwrap();
    let sky = clear_at(40.0);
    let out = dir.path().join("r.exr");
    let made = make_map(&sky, 64, &out, &["--reference", "--paths", "32", "--without", "sun"]);
    assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    assert!(String::from_utf8_lossy(&made.stderr).contains("noise"), "progress is told");
    let facts: Value =
        serde_json::from_slice(&std::fs::read(dir.path().join("r.exr.json")).unwrap()).unwrap();
    assert_eq!(facts["integrator"], "reference");
    let noise = facts["noise_left_percent"].as_f64().unwrap();
    assert!((1.0..40.0).contains(&noise), "{noise}");
    let live = dir.path().join("l.exr");
    assert!(make_map(&sky, 64, &live, &["--without", "sun"]).status.success());
    let sum = |file: &std::path::Path| -> f64 {
        tenter_formats::exr_map::read(file).unwrap().2.iter().map(|p| p[1] as f64).sum()
    };
    assert!((sum(&out) / sum(&live) - 1.0).abs() < 0.06, "{} {}", sum(&out), sum(&live));
    let cloudy = answer(&["starters", "ferry-afternoon"], "").to_string();
    let few = ["--reference", "--paths", "4", "--without", "sun"];
    assert!(make_map(&cloudy, 64, &out, &few).status.success(), "clouds are followed");
    assert!(make_map(&cloudy, 64, &out, &[&few[..], &["--shared"]].concat()).status.success());
    let facts: Value =
        serde_json::from_slice(&std::fs::read(dir.path().join("r.exr.json")).unwrap()).unwrap();
    assert_eq!(facts["integrator"], "reference, paths shared");
    assert_eq!(make_map(&sky, 64, &out, &["--shared"]).status.code(), Some(2));
    assert_eq!(make_map(&sky, 64, &out, &["--reference", "--paths", "0"]).status.code(), Some(2));
    let foggy = answer(&["starters", "fog-on-the-causeway"], "").to_string();
    assert_eq!(make_map(&foggy, 64, &out, &["--reference"]).status.code(), Some(2));
    assert_eq!(make_map(&sky, 64, &out, &["--paths", "8"]).status.code(), Some(2));
}

/// Trial land is in a map only when asked for, whatever the document shows.
#[test]
fn land_is_in_a_map_only_when_asked_for() {
    let dir = tempfile::tempdir().unwrap();
    let mut sky = answer(&["starters", "clear-noon"], "");
    let map = |sky: &Value, name: &str, more: &[&str]| {
        let file = dir.path().join(name);
        assert!(make_map(&sky.to_string(), 256, &file, more).status.success());
        tenter_formats::exr_map::read(&file).unwrap().2
    };
    sky["land"]["shown"] = json!(true);
    let (plain, with) = (map(&sky, "a.exr", &[]), map(&sky, "b.exr", &["--with", "land"]));
    sky["land"]["shown"] = json!(false);
    assert_eq!(plain, map(&sky, "c.exr", &[]));
    let changed = (0..plain.len()).filter(|i| (plain[*i][1] / with[*i][1] - 1.0).abs() > 0.02).count();
    assert!(changed > 50, "{changed} pixels");
    // The zenith does not change.
    assert_eq!(plain[128], with[128]);
}

/// An independent reader of Radiance HDR: Ward 1991 ("Real pixels") in plain Python.
#[test]
fn an_independent_reader_agrees_on_radiance_hdr() {
    let dir = tempfile::tempdir().unwrap();
    let (hdr, exr) = (dir.path().join("m.hdr"), dir.path().join("m.exr"));
    let sky = clear_at(40.0);
    assert!(make_map(&sky, 256, &hdr, &[]).status.success());
    assert!(make_map(&sky, 256, &exr, &["--float"]).status.success());
    let script = tenter_tests::root().join("tests/outside/read_hdr.py");
    let out = Command::new("python3").arg(script).arg(&hdr).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let read: Value = serde_json::from_slice(&out.stdout).unwrap();
    let (_, _, pixels) = tenter_formats::exr_map::read(&exr).unwrap();
    assert_eq!((read["width"].as_u64(), read["height"].as_u64()), (Some(256), Some(128)));
    for (row, column) in [(3, 17), (40, 200), (100, 128)] {
        let ours = pixels[row * 256 + column];
        let top = ours.iter().fold(0.0f32, |a, b| a.max(*b)) as f64;
        for c in 0..3 {
            let theirs = read["samples"][format!("{row},{column}")][c].as_f64().unwrap();
            assert!((theirs - ours[c] as f64).abs() < 0.01 * top, "{row} {column}: {theirs} {ours:?}");
        }
    }
}
