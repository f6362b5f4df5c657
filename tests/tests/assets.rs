//! Layers, light kits, plans and packages, as outside readers see them: OpenEXR's package, OpenUSD's library,
//! an independent KTX2 reader.

use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;
use tenter_render::air::TableQuality;
use tenter_render::measure::readouts;
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::toward;
use tenter_sky::document::{CloudKind, CloudLayer, Placement, Sky};
use tenter_tests::{binary, root, starter};

struct Work {
    folder: tempfile::TempDir,
}

impl Work {
    fn of(sky: &Sky) -> Work {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("sky.json"), serde_json::to_string(sky).unwrap()).unwrap();
        Work { folder }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// Runs a command on the sky; its answer on standard output.
    fn run(&self, command: &str, arguments: &[&str]) -> String {
        let mut process = Command::new(binary());
        process.current_dir(self.folder.path()).arg(command).arg("sky.json").args(arguments);
        let out = process.output().unwrap();
        assert!(out.status.success(), "{command}: {}", String::from_utf8_lossy(&out.stderr));
        String::from_utf8(out.stdout).unwrap()
    }

    fn outside(&self, script: &str, arguments: &[&Path]) -> Value {
        let mut process = Command::new(root().join(".local/readers/bin/python"));
        let out = process.arg(root().join("tests/outside").join(script)).args(arguments).output().unwrap();
        assert!(out.status.success(), "{script}: {}", String::from_utf8_lossy(&out.stderr));
        serde_json::from_slice(&out.stdout).unwrap()
    }
}

fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or_else(|| panic!("{value} is no number"))
}

fn evening() -> Sky {
    starter("four-kinds-at-evening")
}

/// Laid over one another the layers are the map: mean 1e-3, largest 1e-2 relative (asked); here all but the
/// rounding of half values.
#[test]
fn layers_are_the_map_again() {
    let work = Work::of(&evening());
    for (layout, split, count) in [("latlong", "each", 9), ("cube", "together", 6)] {
        let width = if layout == "cube" { "64" } else { "256" };
        let common = ["--layout", layout, "--width", width, "--without", "sun"];
        work.run("map", &[&common[..], &["--out", "flat.exr", "--float"]].concat());
        work.run("map", &[&common[..], &["--out", "layers.exr", "--layers", split]].concat());
        let read = work.outside("read_parts.py", &[&work.path("layers.exr"), &work.path("flat.exr")]);
        assert_eq!(read["parts"].as_object().unwrap().len(), count, "{read}");
        assert!(number(&read["mean"]) < 1e-3 && number(&read["largest"]) < 1e-2, "{read}");
        assert_eq!(read["finite"], true);
        let [low, high] = [0, 1].map(|i| number(&read["alpha"][i]));
        assert!(low >= 0.0 && high <= 1.0, "{read}");
        assert!(number(&read["transmittance"][1]) <= 1.0 && number(&read["distance"][0]) > 0.0, "{read}");
        assert_eq!(
            read["envmap"],
            if layout == "cube" { "Envmap.ENVMAP_CUBE" } else { "Envmap.ENVMAP_LATLONG" }
        );
    }
}

/// The same of what the camera sees; and the picture without its sky is transparent where only sky is.
#[test]
fn pictures_have_layers_and_can_do_without_their_sky() {
    let mut sky = evening();
    sky.eye.pitch_deg = 20.0;
    let work = Work::of(&sky);
    let size = ["--width", "192", "--height", "108"];
    work.run("picture", &[&size[..], &["--out", "flat.exr"]].concat());
    work.run("picture", &[&size[..], &["--out", "layers.exr", "--layers"]].concat());
    let read = work.outside("read_parts.py", &[&work.path("layers.exr"), &work.path("flat.exr")]);
    assert!(number(&read["mean"]) < 1e-3 && number(&read["largest"]) < 1e-2, "{read}");

    work.run("picture", &[&size[..], &["--out", "front.png", "--without", "sky"]].concat());
    let front = image(&work.path("front.png"));
    assert_eq!((front.width, front.channels), (192, 4));
    let alpha: Vec<u8> = front.bytes.iter().skip(3).step_by(4).copied().collect();
    assert!(alpha.contains(&0) && alpha.iter().any(|a| *a > 200), "sky is clear, ground or cloud is not");
    // The last row is ground.
    assert!(alpha[192 * 107..].iter().all(|a| *a == 255));
}

struct Image {
    width: u32,
    channels: usize,
    bytes: Vec<u8>,
}

fn image(path: &Path) -> Image {
    let decoder = png::Decoder::new(std::io::BufReader::new(std::fs::File::open(path).unwrap()));
    let mut reader = decoder.read_info().unwrap();
    let mut bytes = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut bytes).unwrap();
    Image { width: info.width, channels: info.color_type.samples(), bytes }
}

/// The kit's lights and its map give level ground the light of the meter, within 1 %; harmonics, irradiance
/// map and reflections agree with one another.
#[test]
fn light_kits_hold_the_meters_light() {
    let sky = starter("ferry-afternoon");
    let work = Work::of(&sky);
    let facts: Value =
        serde_json::from_str(&work.run("light-kit", &["--out", "kit", "--width", "128"])).unwrap();
    let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    let meter = readouts(&sky, &scene);
    let near = |what: &str, a: f64, b: f64, limit: f64| {
        assert!((a / b - 1.0).abs() < limit, "{what}: {a} {b}");
    };
    near("diffuse", number(&facts["level_ground_lx"]), meter.diffuse_horizontal_lx, 0.01);
    let light = &facts["lights"][0];
    near("direct", number(&light["illuminance_lx"]), meter.direct_normal_lx, 0.01);

    // The irradiance map's first row faces up.
    let (width, _, pixels) = tenter_formats::exr_map::read(&work.path("kit/irradiance.exr")).unwrap();
    let luminance = |p: [f32; 3]| 0.2126 * p[0] as f64 + 0.7152 * p[1] as f64 + 0.0722 * p[2] as f64;
    near("map", luminance(pixels[0]), meter.diffuse_horizontal_lx, 0.02);
    // Harmonics (Ramamoorthi and Hanrahan 2001): a mean error of 1 %, of 9 % at most, over all directions; up
    // is +y in the map's axes.
    let sh: Vec<f64> = facts["irradiance_sh"]["coefficients"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| (0..3).map(|k| [0.2126, 0.7152, 0.0722][k] * number(&c[k])).sum())
        .collect();
    let up = 0.282095 * sh[0] + 0.488603 * sh[1] - 0.315392 * sh[6] - 0.546274 * sh[8];
    near("harmonics", up, meter.diffuse_horizontal_lx, 0.05);
    let mean_of_map: f64 = {
        let height = pixels.len() / width;
        let row = |y: usize| {
            let edge = |y: usize| ((0.5 - y as f64 / height as f64) * std::f64::consts::PI).sin();
            (edge(y) - edge(y + 1)) / 2.0 / width as f64
        };
        (0..pixels.len()).map(|i| luminance(pixels[i]) * row(i / width)).sum()
    };
    near("mean over all directions", 0.282095 * sh[0], mean_of_map, 0.01);

    // An independent reader; the roughest level is the cosine lobe's mean: irradiance over pi.
    let bytes = std::fs::read(work.path("kit/reflections.ktx2")).unwrap();
    let reader = ktx2::Reader::new(&bytes[..]).unwrap();
    let head = reader.header();
    assert_eq!((head.pixel_width, head.face_count, head.level_count), (128, 6, 8));
    let last = reader.levels().last().unwrap();
    let half = head.format == Some(ktx2::Format::R16G16B16A16_SFLOAT);
    let value = |i: usize| -> f64 {
        if half {
            half::f16::from_le_bytes([last.data[2 * i], last.data[2 * i + 1]]).to_f64()
        } else {
            f32::from_le_bytes(last.data[4 * i..4 * i + 4].try_into().unwrap()).into()
        }
    };
    // The third face looks up.
    let upward: f64 = (0..3).map(|c| [0.2126, 0.7152, 0.0722][c] * value(4 * 2 + c)).sum();
    near("roughest", upward * std::f64::consts::PI, meter.diffuse_horizontal_lx, 0.02);
}

/// The stage opens, its library finds nothing, and everything in it is what the document says; a grey ball's
/// top has the meter's light within 2 %.
#[test]
fn packages_say_what_the_document_says() {
    let mut sky = starter("ferry-afternoon");
    sky.eye.heading_deg = 215.0;
    let work = Work::of(&sky);
    work.run("package", &["--out", "sky", "--zip", "sky.zip", "--width", "512", "--volumes"]);
    let stage = work.outside("read_usd.py", &[&work.path("sky/sky.usda")]);
    assert_eq!(stage["findings"], json!([]));
    assert_eq!((stage["up"].as_str(), number(&stage["metres"])), (Some("Y"), 1.0));
    assert_eq!(
        (stage["dome"]["format"].as_str(), stage["dome"]["turned"].as_bool()),
        (Some("latlong"), Some(false))
    );

    let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    let meter = readouts(&sky, &scene);
    let light = &stage["lights"][0];
    assert!((number(&light["lux"]) / meter.lights[0].direct_normal_lx - 1.0).abs() < 1e-6);
    let of_light = &meter.lights[0];
    assert_direction(&light["toward"], of_light.azimuth_deg, of_light.elevation_deg);
    assert!((number(&light["angle"]) - sky.suns[0].angular_diameter_deg).abs() < 1e-6);
    let level =
        number(&stage["dome"]["level_ground_lx"]) + number(&light["lux"]) * number(&light["toward"][1]);
    assert!(
        (level / meter.global_horizontal_lx - 1.0).abs() < 0.02,
        "{level} {}",
        meter.global_horizontal_lx
    );

    let camera = &stage["camera"];
    assert_direction(&camera["toward"], sky.eye.heading_deg, sky.eye.pitch_deg);
    let field = sky.eye.horizontal_field_of_view().to_degrees();
    assert!((number(&camera["horizontal_deg"]) - field).abs() < 1e-3, "{camera}");
    assert_eq!(camera["at"], json!([0.0, sky.eye.altitude_m, 0.0]));
    let white = tenter_sky::develop::white_luminance(tenter_render::scene::grade_of(&sky).ev100);
    assert!((number(&camera["exposure"]) * white - 1.0).abs() < 1e-4, "{camera}");

    let volume = &stage["volumes"][0];
    assert!(Path::new(volume["file"].as_str().unwrap()).exists(), "{volume}");
    assert_eq!((volume["field"].as_str(), volume["type"].as_str()), (Some("density"), Some("half")));
    let zip = Command::new("unzip").arg("-tq").arg(work.path("sky.zip")).output();
    if let Ok(out) = zip {
        assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stdout));
    }
}

/// Without volumes there is a .usdz, of which the library finds nothing either; several suns and a moon are
/// lights each.
#[test]
fn packages_of_several_lights_fit_one_file() {
    let mut sky = starter("three-dim-suns");
    sky.moon.risen = true;
    let work = Work::of(&sky);
    work.run("package", &["--out", "sky", "--width", "128"]);
    for name in ["sky/sky.usda", "sky/sky.usdz"] {
        let stage = work.outside("read_usd.py", &[&work.path(name)]);
        assert_eq!(stage["findings"], json!([]), "{name}");
        assert_eq!(stage["lights"].as_array().unwrap().len(), sky.suns.len() + 1);
    }
    assert!(!work.path("sky/package.zip").exists());
}

/// A vector of the stage stands at an azimuth and elevation: x is west, y up, z north.
fn assert_direction(vector: &Value, azimuth_deg: f64, elevation_deg: f64) {
    let [east, north, up] = toward(azimuth_deg.to_radians(), elevation_deg.to_radians());
    let cos = -number(&vector[0]) * east + number(&vector[1]) * up + number(&vector[2]) * north;
    assert!(cos > 1.0 - 1e-6, "{vector} is not at {azimuth_deg}, {elevation_deg}");
}

/// The mean shadow of scattered heaps is what their columns let through when the sun is overhead; shadows lie
/// away from the sun; a cover map has the form's own columns.
#[test]
fn plans_are_the_clouds_columns() {
    let layer = CloudLayer { cover: 0.5, ..CloudKind::CumulusMediocris.usual() };
    let mut sky = Sky { clouds: vec![layer], ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 90.0, elevation_deg: 90.0 };
    let work = Work::of(&sky);
    let plan = ["--extent", "12", "--width", "256"];
    let shadow: Value =
        serde_json::from_str(&work.run("shadow", &[&plan[..], &["--out", "s.exr"]].concat())).unwrap();
    let cover: Value =
        serde_json::from_str(&work.run("cover", &[&plan[..], &["--out", "c.exr"]].concat())).unwrap();
    let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    let form = &scene.clouds[0].form.0;
    let [shade, columns, tops] = [("s.exr", "Y"), ("c.exr", "thickness"), ("c.exr", "top")]
        .map(|(file, channel)| plane(&work.path(file), channel));
    let (mut open, mut sums) = (0.0, [0.0; 2]);
    for (i, (thickness, top)) in columns.iter().zip(&tops).enumerate() {
        let (x, y) = ((i % 256) as f32, (i / 256) as f32);
        let column = form.columns(&[(x - 127.5) * 46.875], &[(127.5 - y) * 46.875], 46.875, 64)[0];
        sums = [sums[0] + f64::from(*thickness), sums[1] + f64::from(column)];
        open += f64::from((-thickness).exp()) / columns.len() as f64;
        let inside = *top == 0.0 || (form.base..=form.base + form.depth).contains(top);
        assert!(inside && (*thickness < 0.1) == (*top == 0.0), "{thickness} {top}");
    }
    assert!((sums[0] / sums[1] - 1.0).abs() < 0.02, "{sums:?}");
    let mean = number(&shadow["mean"]);
    assert!((mean - open).abs() < 0.02, "{mean} {open}");
    assert!(shade.iter().all(|v| (0.0..=1.0).contains(v)));
    assert!(number(&cover["mean"]) > 1.0);
    // 45 degrees in the west: each shadow lies as far to the east as its cloud is high.
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 270.0, elevation_deg: 45.0 };
    let work = Work::of(&sky);
    work.run("shadow", &[&plan[..], &["--out", "s.exr"]].concat());
    let moved = plane(&work.path("s.exr"), "Y");
    let best = (0..80)
        .max_by(|a, b| {
            let likeness = |shift: usize| -> f32 {
                let pairs = (0..256 * 256).filter(|i| i % 256 + shift < 256);
                let count = pairs.clone().count() as f32;
                pairs.map(|i| (1.0 - shade[i]) * (1.0 - moved[i + shift])).sum::<f32>() / count
            };
            likeness(*a).total_cmp(&likeness(*b))
        })
        .unwrap();
    let high = best as f32 * 46.875;
    assert!((form.base..form.base + 0.5 * form.depth).contains(&high), "{high} {} {}", form.base, form.depth);
}

fn plane(path: &Path, channel: &str) -> Vec<f32> {
    use exr::prelude::*;
    let image = read_first_flat_layer_from_file(path).unwrap();
    let found = image.layer_data.channel_data.list.iter().find(|c| c.name.eq(channel)).unwrap();
    found.sample_data.values_as_f32().collect()
}

/// Level ground gets the light meter's illuminance from a map and its lights, whatever its layout, size and
/// heading; `tenter inspect` finds nothing wrong with any of them.
#[test]
fn every_layout_size_and_heading_holds_the_meters_light() {
    let work = Work::of(&starter("ferry-afternoon"));
    for (layout, width, heading, file, more) in [
        ("latlong", "256", "0", "a.exr", vec![]),
        ("latlong", "512", "37", "b.exr", vec!["--without", "sun"]),
        ("latlong", "1024", "-120", "c.hdr", vec![]),
        ("latlong", "256", "0", "d.exr", vec!["--scale", "exposed", "--lower", "mirror"]),
        ("cube", "64", "0", "e.ktx2", vec!["--mips"]),
        ("cube", "128", "75", "f.exr", vec!["--lower", "10,20,30"]),
        ("fisheye", "512", "200", "g.exr", vec!["--lower", "black"]),
        ("latlong", "256", "10", "h.exr", vec!["--without", "clouds"]),
    ] {
        let common = ["--layout", layout, "--width", width, "--heading", heading, "--out", file];
        work.run("map", &[&common[..], &more].concat());
        let out = Command::new(binary()).arg("inspect").arg(work.path(file)).output().unwrap();
        let found: Value = serde_json::from_slice(&out.stdout).unwrap();
        assert!(out.status.success(), "{file}: {}", String::from_utf8_lossy(&out.stderr));
        let names: Vec<&str> =
            found["checks"].as_array().unwrap().iter().filter_map(|c| c["name"].as_str()).collect();
        assert!(names.contains(&"illuminance of the light meter"), "{file}: {names:?}");
        assert_eq!(found["panorama"], layout, "{file}");
    }
    // What is not what it should be is said: half a file, and a map whose values were changed.
    let bytes = std::fs::read(work.path("a.exr")).unwrap();
    std::fs::write(work.path("half.exr"), &bytes[..bytes.len() / 2]).unwrap();
    let out = Command::new(binary()).arg("inspect").arg(work.path("half.exr")).output().unwrap();
    assert_eq!(out.status.code(), Some(2), "{}", String::from_utf8_lossy(&out.stderr));
    std::fs::copy(work.path("b.exr"), work.path("other.exr")).unwrap();
    std::fs::copy(work.path("d.exr.json"), work.path("other.exr.json")).unwrap();
    let out = Command::new(binary()).arg("inspect").arg(work.path("other.exr")).output().unwrap();
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(out.status.code() == Some(1) && said.contains("illuminance"), "{said}");
}
