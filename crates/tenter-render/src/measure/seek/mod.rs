//! Search: how to slide a layer so that a target is met; or which seed, or what thickness.
//!
//! Targets are evaluated by the transmittance of all layers: quickly to find candidates, then accurately,
//! as the light meter does.

mod ray_depths;
mod rays;
mod slides;

use crate::air::TableQuality;
use crate::prepare::Cancelled;
use crate::scene::Scene;
use ray_depths::depths;
use rays::{RayDensity, Rays};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tenter_sky::document::{CloudLayer, Sky};

/// A search target.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "of", rename_all = "snake_case", deny_unknown_fields)]
pub enum Target {
    /// How the first light over the horizon is seen from the eye.
    Sun { seen: Visibility },
    /// Share of that light's direct light that reaches the eye.
    SunShare { share: f64 },
    /// A part of the frame, from its left and upper edge, as shares of its width and height: free of clouds,
    /// or filled.
    Frame { left: f64, top: f64, right: f64, bottom: f64, filled: bool },
    /// A spot of the land, metres east and north of the eye: in the light or in the shadow of a cloud.
    Spot { east_m: f64, north_m: f64, lit: bool },
}

/// Visibility of a light.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Visibility {
    Clear,
    Veiled,
    Hidden,
    /// At the edge of a gap: half of what lies within a degree is free, half is not.
    Rim,
}

/// The property of a layer that may change.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum SearchVariable {
    #[default]
    Slide,
    Seed,
    Thickness,
}

/// A candidate; one of its first four is changed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Candidate {
    pub slide_east_m: f64,
    pub slide_north_m: f64,
    pub seed: u32,
    pub optical_thickness: f64,
    /// Evaluated figure: the transmitted share of light, or the clear share of the frame's part; 0 to 1.
    pub figure: f64,
    /// Difference from the target; 0 meets it.
    #[serde(rename = "off")]
    pub error: f64,
}

/// Candidates, best first.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct SearchResult {
    pub found: Vec<Candidate>,
    /// The figure without the layer. If that misses a target for more light, no change of the layer can
    /// meet it.
    pub without: f64,
}

/// Why a search is impossible.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SearchError {
    #[error("no layer {0:?} with clouds in it")]
    Layer(String),
    #[error("{0}")]
    Target(&'static str),
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

/// Seeds tried, from the one after the present on; each needs clouds of its own.
const SEEDS: u32 = 18;
/// Thicknesses tried: steps of a tenth, from a 25th of the present one to 25 times as much.
const THICKER: f64 = 1.1;
const EACH_WAY: i32 = 34;
/// Weight of the sky around a light beside the light itself.
const AROUND: f64 = 0.1;

/// The best `most` candidates, best first. `make`: the scene of a sky, unless cancelled.
pub fn seek(
    sky: &Sky,
    make: impl Fn(&Sky, TableQuality) -> Result<Scene, Cancelled>,
    layer_id: &str,
    target: &Target,
    by: SearchVariable,
    most: usize,
) -> Result<SearchResult, SearchError> {
    let number = sky.clouds.iter().position(|l| l.id == layer_id);
    let number = number.ok_or_else(|| SearchError::Layer(layer_id.into()))?;
    let scene = make(sky, TableQuality::Full)?;
    if scene.clouds.iter().all(|c| c.layer != number) {
        return Err(SearchError::Layer(layer_id.into()));
    }
    let close = Rays::of(sky, &scene, target, RayDensity::Close)?;
    let task = Task { sky, scene: &scene, number, target, close: &close };
    let has_regions = sky.clouds[number].regions.iter().any(|r| !r.muted);
    let mut found = match by {
        SearchVariable::Slide if has_regions => {
            remade(&task, &make, slides::around(&sky.clouds[number]), most)?
        }
        SearchVariable::Slide => slides::slides(&task, &make, most)?,
        SearchVariable::Seed => remade(&task, &make, seeds(&sky.clouds[number]), most)?,
        SearchVariable::Thickness => thicknesses(&task),
    };
    by_off(&mut found);
    found.truncate(most);
    let without = depths(&scene, number, &close);
    let without = target.judge(&close, |ray| (-without[ray].others).exp()).0;
    Ok(SearchResult { found, without })
}

/// The search.
#[derive(Clone, Copy)]
struct Task<'a> {
    sky: &'a Sky,
    scene: &'a Scene,
    /// Of the layer that may change.
    number: usize,
    target: &'a Target,
    close: &'a Rays,
}

impl Task<'_> {
    fn layer(&self) -> &CloudLayer {
        &self.sky.clouds[self.number]
    }

    /// A layer with its evaluation.
    fn found(&self, layer: &CloudLayer, (figure, error): (f64, f64)) -> Candidate {
        Candidate {
            slide_east_m: layer.slide_east_m,
            slide_north_m: layer.slide_north_m,
            seed: layer.seed,
            optical_thickness: layer.optical_thickness(),
            figure,
            error,
        }
    }
}

/// Best first; of those that are as good, the one that came first.
fn by_off(found: &mut [Candidate]) {
    found.sort_by(|a, b| (a.error * 50.0).round().total_cmp(&(b.error * 50.0).round()));
}

/// Layers whose clouds must be rebuilt for evaluation: all with draft maps, the best again with full ones.
fn remade(
    task: &Task,
    make: &impl Fn(&Sky, TableQuality) -> Result<Scene, Cancelled>,
    layers: Vec<CloudLayer>,
    most: usize,
) -> Result<Vec<Candidate>, Cancelled> {
    let mut sky = task.sky.clone();
    let mut judge = |layer: &CloudLayer, quality| {
        sky.clouds[task.number] = layer.clone();
        let depths = depths(&make(&sky, quality)?, task.number, task.close);
        let through = |ray: usize| (-depths[ray].own - depths[ray].others).exp();
        Ok(task.found(layer, task.target.judge(task.close, through)))
    };
    let mut quick = Vec::new();
    for layer in layers {
        let found = judge(&layer, TableQuality::Draft)?;
        quick.push((layer, found));
    }
    quick.sort_by(|(_, a), (_, b)| a.error.total_cmp(&b.error));
    quick.iter().take(most).map(|(layer, _)| judge(layer, TableQuality::Full)).collect()
}

fn seeds(layer: &CloudLayer) -> Vec<CloudLayer> {
    (1..=SEEDS).map(|i| CloudLayer { seed: layer.seed.wrapping_add(i), ..layer.clone() }).collect()
}

fn thicknesses(task: &Task) -> Vec<Candidate> {
    let depths = depths(task.scene, task.number, task.close);
    let present = task.layer().optical_thickness();
    // The nearest first, so that of those that are as good it is the one.
    let steps = (0..=EACH_WAY).flat_map(|i| if i == 0 { vec![0] } else { vec![-i, i] });
    let mut all: Vec<Candidate> = steps
        .filter_map(|step| {
            let share = THICKER.powi(step);
            let mut layer = task.layer().clone();
            layer.set_optical_thickness(present * share);
            let through = |ray: usize| (-depths[ray].own * share as f32 - depths[ray].others).exp();
            let fits = layer.water_content_g_m3 <= 10.0;
            fits.then(|| task.found(&layer, task.target.judge(task.close, through)))
        })
        .collect();
    by_off(&mut all);
    // Two that differ by less look the same.
    apart(all, usize::MAX, |a, b| (a.optical_thickness / b.optical_thickness).ln().abs() > 0.25)
}

/// The first ones that are all apart from one another.
fn apart(
    found: Vec<Candidate>,
    most: usize,
    are_apart: impl Fn(&Candidate, &Candidate) -> bool,
) -> Vec<Candidate> {
    let mut kept: Vec<Candidate> = Vec::new();
    for f in found {
        if kept.len() < most && kept.iter().all(|k| are_apart(k, &f)) {
            kept.push(f);
        }
    }
    kept
}

impl Target {
    /// The figure and its error. `through`: transmittance along each ray.
    fn judge(&self, rays: &Rays, through: impl Fn(usize) -> f32) -> (f64, f64) {
        let all = || (0..rays.all.len()).map(|i| through(i) as f64);
        let disc = || rays.all.iter().zip(all()).map(|(ray, t)| ray.share * t).sum::<f64>();
        match *self {
            Target::SunShare { share } => (disc(), (disc() - share).abs()),
            Target::Sun { seen } => {
                let disc = disc();
                let around =
                    || rays.all.iter().zip(all()).filter(|(ray, _)| ray.share == 0.0).map(|(_, t)| t);
                let free = around().filter(|t| *t > 0.5).count() as f64 / around().count() as f64;
                // The disc first; of places that are as good, those where it is the same all around.
                let both = |disc: f64, worst: f64| (1.0 - AROUND) * disc + AROUND * worst;
                let error = match seen {
                    Visibility::Clear => both(1.0 - disc, 1.0 - around().fold(1.0, f64::min)),
                    Visibility::Hidden => both(disc, around().fold(0.0, f64::max)),
                    // Through cloud all over, and even.
                    Visibility::Veiled => {
                        let veiled = |t: f64| (t - 0.35).abs();
                        both(veiled(disc), around().map(veiled).fold(0.0, f64::max))
                    }
                    Visibility::Rim => (free - 0.5).abs() + 0.5 * (disc - 0.5).abs(),
                };
                (disc, error)
            }
            Target::Frame { filled, .. } => {
                let free = all().sum::<f64>() / rays.all.len() as f64;
                (free, if filled { free } else { 1.0 - free })
            }
            Target::Spot { lit, .. } => (disc(), if lit { 1.0 - disc() } else { disc() }),
        }
    }
}
