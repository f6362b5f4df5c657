//! Pictures of the reference integrator, kept with the hash of what they show.
//!
//! `cargo run --bin references` remakes those whose sky has changed, and prints how far live pictures are
//! off.

use anyhow::{Context, Result};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use tenter_app::starters::Starter;
use tenter_formats::exr_map::{Depth, write_picture};
use tenter_reference::{Reference, SamplingBudget, Traced};
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::render;
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::{Land, Sky};
use tenter_sky::spectrum::luminance;

/// Width of the latlong pictures.
pub const WIDTH: usize = 64;
/// Noise they are made with, percent, unless that takes more paths than this for each pixel: each pixel's own
/// standard error is stored beside it.
pub const NOISE: f64 = 3.0;
pub const MOST_PATHS: u64 = 32768;
/// The same with clouds.
pub const NOISE_IN_CLOUDS: f64 = 8.0;
pub const MOST_PATHS_IN_CLOUDS: u64 = 8192;
/// Of clouds the live picture is made so many times as wide, and brought together.
const FINER: usize = 32;

/// What is known about one stored picture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// Hash of the sky without its grade and without where its eye looks.
    pub scene: String,
    pub noise_percent: f64,
}

pub type Index = BTreeMap<String, Entry>;

fn folder() -> PathBuf {
    crate::root().join("tests/references")
}

/// The picture, and the standard error of its luminance.
fn files_of(slug: &str) -> [PathBuf; 2] {
    ["", "-error"].map(|what| folder().join(format!("{slug}{what}.exr")))
}

pub fn index() -> Result<Index> {
    let path = folder().join("index.json");
    if !path.exists() {
        return Ok(Index::new());
    }
    Ok(serde_json::from_str(&std::fs::read_to_string(path)?)?)
}

fn keep(index: &Index) -> Result<()> {
    let text = serde_json::to_string_pretty(index)? + "\n";
    Ok(std::fs::write(folder().join("index.json"), text)?)
}

/// Starters without a stored reference: of the night's own light the reference has no more than the live
/// integrator's table, and an eclipse's dusk is not traced.
const NOT_TRACED: [&str; 7] = [
    "moonlit-anchorage",
    "milky-way-over-the-stacks",
    "thin-moon-at-dusk",
    "corona-in-a-mackerel-sky",
    "eclipse-over-the-bar",
    "ringed-neighbour",
    "two-worlds-and-two-suns",
];

/// Starters that the reference integrator can follow: no fog, skies of air; with clouds, or without.
pub fn starters(cloudy: bool) -> Vec<&'static Starter> {
    tenter_app::starters::all()
        .iter()
        .filter(|s| s.sky.clouds.is_empty() != cloudy && s.sky.fog.amount == 0.0)
        .filter(|s| !NOT_TRACED.contains(&s.slug))
        .collect()
}

/// The sky as far as its light goes.
fn bare(sky: &Sky) -> Sky {
    Sky { land: Land::default(), ..sky.around_eye() }
}

/// Of what a sky says beside what is usual: another control, as it is usual, leaves stored pictures as they
/// are.
pub fn hash_of(sky: &Sky) -> String {
    let mut value = bare(sky).to_value();
    leave_out_usual(&mut value, &Sky::default().to_value());
    for (layer, own) in sky.clouds.iter().zip(value["clouds"].as_array_mut().into_iter().flatten()) {
        let mut usual = serde_json::to_value(layer.kind.usual()).expect("a layer is plain data");
        usual["kind"] = Value::Null;
        leave_out_usual(own, &usual);
    }
    tenter_sky::document::hash_of(&value)
}

fn leave_out_usual(value: &mut Value, usual: &Value) {
    let (Some(fields), Some(usual)) = (value.as_object_mut(), usual.as_object()) else { return };
    fields.retain(|name, value| usual.get(name) != Some(value));
    for (name, value) in fields {
        if let Some(usual) = usual.get(name) {
            leave_out_usual(value, usual);
        }
    }
}

/// A stored picture and the standard errors of its luminance, if it is of this scene.
pub fn stored(name: &str, scene: &str) -> Result<Option<Stored>> {
    let Some(entry) = index()?.remove(name).filter(|entry| entry.scene == scene) else { return Ok(None) };
    let [truth, unsure] = files_of(name);
    let unsure = read(&unsure)?.into_iter().map(|v| v[0]).collect();
    Ok(Some(Stored { truth: read(&truth)?, unsure, noise_percent: entry.noise_percent }))
}

/// A picture of the reference integrator.
pub struct Stored {
    pub truth: Vec<[f32; 3]>,
    /// Standard errors of the luminance.
    pub unsure: Vec<f32>,
    pub noise_percent: f64,
}

/// Stores a picture, so many pixels wide.
pub fn store(name: &str, scene: String, traced: &Traced, width: usize) -> Result<()> {
    let errors: Vec<_> = traced.standard_errors.iter().map(|e| [*e; 3]).collect();
    let [picture, unsure] = files_of(name);
    let height = errors.len() / width;
    write_picture(&picture, &traced.picture.pixels, width, height, Depth::Float)?;
    write_picture(&unsure, &errors, width, height, Depth::Float)?;
    let mut index = index()?;
    index.insert(name.into(), Entry { scene, noise_percent: traced.noise_percent });
    keep(&index)
}

/// Makes the reference picture of a sky.
pub fn make(sky: &Sky) -> Result<Traced> {
    let scene = SceneCache::default().scene(&bare(sky), TableQuality::Full, &|| false)?;
    // Clouds have detail within a pixel: paths go all over it. They share what they find.
    let cloudy = !sky.clouds.is_empty();
    let noise_percent = if cloudy { NOISE_IN_CLOUDS } else { NOISE };
    let most_paths = if cloudy { MOST_PATHS_IN_CLOUDS } else { MOST_PATHS };
    let wish = SamplingBudget { noise_percent, most_paths, spread: cloudy, shared: cloudy };
    Ok(Reference::new(&scene)?.picture(&Camera::latlong(WIDTH, 0.0), wish, &|| false, |_| ())?)
}

/// How far live pictures are off.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Off {
    /// Of |L - R| / max(R, 0.05 mean R) in luminance, the reference's noise taken off; percent.
    pub mean: f64,
    pub ninety_fifth: f64,
    /// Mean of L over mean of R, less one; percent.
    pub light: f64,
    /// Mean difference of u'v'.
    pub colour: f64,
}

/// Holds the live picture of a sky against its stored reference.
pub fn compare(starter: &Starter) -> Result<Off> {
    let Pair { live, truth, unsure } = pair(starter, 1)?;
    Ok(Off::of(&live, &truth, &unsure))
}

/// A live picture and its reference, of both the means over blocks of pixels, and the standard errors of the
/// reference's luminance.
pub struct Pair {
    pub live: Vec<[f32; 3]>,
    pub truth: Vec<[f32; 3]>,
    pub unsure: Vec<f32>,
}

/// The live picture of a sky beside its stored reference.
pub fn pair(starter: &Starter, block: usize) -> Result<Pair> {
    let sky = &starter.sky;
    let Stored { truth, unsure, .. } = stored(starter.slug, &hash_of(sky))?.with_context(|| {
        format!("{}: the stored reference is of another sky; run `cargo run --bin references`", starter.slug)
    })?;
    let scene = SceneCache::default().scene(&bare(sky), TableQuality::Full, &|| false)?;
    let finer = if sky.clouds.is_empty() { 1 } else { FINER };
    let live =
        render(&scene, &Camera::latlong(WIDTH * finer, 0.0), MarchQuality::default(), &|| false)?.pixels;
    // Of a mean, the error is the smaller the more it is of.
    let unsure = together(&unsure.iter().map(|e| [*e; 3]).collect::<Vec<_>>(), WIDTH, block);
    Ok(Pair {
        live: together(&live, WIDTH * finer, finer * block),
        truth: together(&truth, WIDTH, block),
        unsure: unsure.into_iter().map(|v| v[0] / block as f32).collect(),
    })
}

impl Off {
    /// How far pixels are off others, of whose luminance the standard errors are known.
    pub fn of(live: &[[f32; 3]], truth: &[[f32; 3]], unsure: &[f32]) -> Off {
        let bright =
            |pixels: &[[f32; 3]]| -> Vec<f64> { pixels.iter().map(|v| luminance(*v) as f64).collect() };
        let (l, r) = (bright(live), bright(truth));
        let mean = r.iter().sum::<f64>() / r.len() as f64;
        let mut errors: Vec<f64> = l
            .iter()
            .zip(r.iter().zip(unsure))
            .map(|(l, (r, unsure))| {
                let error = (l - r).abs() / r.max(0.05 * mean);
                let noise = *unsure as f64 / r.max(0.05 * mean);
                (error * error - noise * noise).max(0.0).sqrt()
            })
            .collect();
        errors.sort_by(f64::total_cmp);
        let colours: Vec<f64> = live.iter().zip(truth).filter_map(|(l, r)| colour_apart(*l, *r)).collect();
        Off {
            mean: 100.0 * errors.iter().sum::<f64>() / errors.len() as f64,
            ninety_fifth: 100.0 * errors[errors.len() * 95 / 100],
            light: 100.0 * (l.iter().sum::<f64>() / r.iter().sum::<f64>() - 1.0),
            colour: colours.iter().sum::<f64>() / colours.len().max(1) as f64,
        }
    }
}

/// Means over blocks of so many pixels a side.
pub fn together(pixels: &[[f32; 3]], width: usize, block: usize) -> Vec<[f32; 3]> {
    let (across, down) = (width / block, pixels.len() / width / block);
    let share = 1.0 / (block * block) as f32;
    let mean = |i: usize| {
        let (x, y) = (i % across * block, i / across * block);
        let mut sum = [0.0; 3];
        for row in 0..block {
            for pixel in &pixels[(y + row) * width + x..][..block] {
                for c in 0..3 {
                    sum[c] += pixel[c] * share;
                }
            }
        }
        sum
    };
    (0..across * down).map(mean).collect()
}

/// Distance in CIE 1976 u'v'.
fn colour_apart(a: [f32; 3], b: [f32; 3]) -> Option<f64> {
    let uv = |rgb: [f32; 3]| {
        let [x, y, z] = tenter_sky::spectrum::rgb_to_xyz(rgb.map(|v| v as f64)).0;
        let sum = x + 15.0 * y + 3.0 * z;
        (sum > 0.0).then(|| [4.0 * x / sum, 9.0 * y / sum])
    };
    let (a, b) = (uv(a)?, uv(b)?);
    Some((a[0] - b[0]).hypot(a[1] - b[1]))
}

fn read(path: &Path) -> Result<Vec<[f32; 3]>> {
    let (_, _, pixels) =
        tenter_formats::exr_map::read(path).with_context(|| format!("{} can't be read", path.display()))?;
    Ok(pixels)
}
