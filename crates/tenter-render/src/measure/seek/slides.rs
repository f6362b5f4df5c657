//! Slides of a layer. Sliding the clouds equals moving the eye: nothing is formed anew, only the
//! transmittance is computed from many positions beside the eye (or beside a spot of the land).

use super::ray_depths::depth;
use super::rays::{RayDensity, Rays};
use super::{Candidate, SearchError, Task, apart, by_off};
use crate::air::TableQuality;
use crate::prepare::Cancelled;
use crate::scene::{CloudComponent, Scene};
use rayon::prelude::*;
use std::f64::consts::PI;
use tenter_sky::document::{CloudLayer, Sky};

/// Positions of the quick search, their distance in cells, and positions around each promising one.
const TRIED: usize = 4096;
const CELLS_AWAY: f64 = 12.0;
const NEARBY: usize = 16;
/// Their spacing as shares of the first spacing: the sun's disc is tens of metres wide at the clouds.
const FINER: [f64; 3] = [0.5, 0.12, 0.03];
/// Positions evaluated accurately per result.
const JUDGED: usize = 4;
/// Positions tried where each needs clouds of its own.
const REMADE: usize = 18;

/// Slides of a layer that may meet a target, the nearest first and no two of the same gap: found quickly,
/// evaluated accurately, and the best once more with clouds built for them, as maps are finest around the
/// eye.
pub(super) fn slides(
    task: &Task,
    make: &impl Fn(&Sky, TableQuality) -> Result<Scene, Cancelled>,
    most: usize,
) -> Result<Vec<Candidate>, SearchError> {
    let quick = Rays::of(task.sky, task.scene, task.target, RayDensity::Quick)?;
    let (layer, reach) = (task.layer(), reach(task.layer()));
    let mut all: Vec<Candidate> = judged(task, &quick, &spiral(TRIED, reach));
    by_off(&mut all);
    // Between two places of the spiral, in the mean.
    let between = reach * (PI / TRIED as f64).sqrt();
    let mut best: Vec<Candidate> = apart(all, JUDGED * most, |a, b| way(a, b) > 0.8 * layer.cell_size_m)
        .iter()
        .map(|f| best_nearby(task, f, between))
        .collect();
    by_off(&mut best);
    best.truncate(most);
    let present = task.found(layer, (0.0, 0.0));
    best.sort_by(|a, b| way(a, &present).total_cmp(&way(b, &present)));
    let mut sky = task.sky.clone();
    let mut again = |found: &Candidate| {
        let slid = &mut sky.clouds[task.number];
        (slid.slide_east_m, slid.slide_north_m) = (found.slide_east_m, found.slide_north_m);
        let scene = make(&sky, TableQuality::Full)?;
        let task = Task { sky: &sky, scene: &scene, ..*task };
        let radii = FINER.map(|share| share * between);
        Ok(radii.into_iter().fold(*found, |found, radius| best_nearby(&task, &found, radius)))
    };
    best.iter().map(&mut again).collect()
}

/// A layer slid to positions all around, for layers that are not uniform elsewhere.
pub(super) fn around(layer: &CloudLayer) -> Vec<CloudLayer> {
    spiral(REMADE, reach(layer))
        .into_iter()
        .map(|[east, north]| CloudLayer {
            slide_east_m: (layer.slide_east_m + east as f64).round(),
            slide_north_m: (layer.slide_north_m + north as f64).round(),
            ..layer.clone()
        })
        .collect()
}

fn reach(layer: &CloudLayer) -> f64 {
    CELLS_AWAY * layer.cell_size_m.clamp(200.0, 8000.0)
}

/// Metres between two slides.
fn way(a: &Candidate, b: &Candidate) -> f64 {
    (a.slide_east_m - b.slide_east_m).hypot(a.slide_north_m - b.slide_north_m)
}

fn best_nearby(task: &Task, found: &Candidate, between: f64) -> Candidate {
    let from =
        [found.slide_east_m - task.layer().slide_east_m, found.slide_north_m - task.layer().slide_north_m];
    let places: Vec<[f32; 2]> = spiral(NEARBY, between)
        .into_iter()
        .map(|[east, north]| [from[0] as f32 + east, from[1] as f32 + north])
        .collect();
    let near = judged(task, task.close, &places);
    near.into_iter().min_by(|a, b| a.error.total_cmp(&b.error)).expect("some are nearby")
}

/// A golden-angle spiral: evenly spread, and no two in a line. The first is no slide at all.
fn spiral(count: usize, reach: f64) -> Vec<[f32; 2]> {
    (0..count)
        .map(|i| {
            let (r, a) = ((i as f64 / count as f64).sqrt() * reach, i as f64 * PI * (3.0 - 5f64.sqrt()));
            [(r * a.sin()) as f32, (r * a.cos()) as f32]
        })
        .collect()
}

/// Evaluates slides, m east and north of the present one.
fn judged(task: &Task, rays: &Rays, slides: &[[f32; 2]]) -> Vec<Candidate> {
    let (moved, fixed): (Vec<&CloudComponent>, Vec<&CloudComponent>) =
        task.scene.clouds.iter().partition(|c| c.layer == task.number);
    let planet = task.scene.planet();
    // What comes through along each ray, for each slide.
    let through: Vec<Vec<f32>> = rays
        .all
        .par_iter()
        .map(|ray| {
            let still = depth(&fixed, planet, ray, rays.steps, &[[0.0; 2]])[0];
            depth(&moved, planet, ray, rays.steps, slides).into_iter().map(|d| (-d - still).exp()).collect()
        })
        .collect();
    let layer = task.layer();
    (0..slides.len())
        .map(|i| {
            let [east, north] = slides[i].map(f64::from);
            Candidate {
                slide_east_m: (layer.slide_east_m + east).round(),
                slide_north_m: (layer.slide_north_m + north).round(),
                ..task.found(layer, task.target.judge(rays, |ray| through[ray][i]))
            }
        })
        .collect()
}
