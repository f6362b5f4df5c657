//! Which clouds a volume holds, where, and how finely.

use crate::job::{BakeError, Result};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::time::Instant;
use tenter_render::air::TableQuality;
use tenter_render::clouds::form::CloudForm;
use tenter_render::prepare::SceneCache;
use tenter_render::scene::{CloudComponent, Scene};
use tenter_render::volume::{CloudBody, ESTIMATE_SAMPLES, VOXEL_M, VolumeRegion, VolumeSettings, estimate};
use tenter_sky::document::Sky;
use tenter_sky::spectrum::luminance;

/// Altitudes over and under clouds that a volume holds by itself, voxels.
const MARGIN_VOXELS: f64 = 2.0;
/// Most pieces of one grid: a piece holds one node of 128^3 voxels, or several.
const MOST_PIECES: usize = 512;
const MOST_LEVELS: u32 = 6;
/// Bytes of an active voxel in a file, and of a leaf beside its values, about.
const VOXEL_BYTES: [f64; 2] = [4.7, 2.8];
const LEAF_BYTES: f64 = 140.0;

/// Clouds as a volume.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VolumeBake {
    pub volume: VolumeChoice,
}

/// Which clouds, where, and how.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct VolumeChoice {
    /// Ids of layers; all of them where it is empty.
    pub layers: Vec<String>,
    /// A point on one cloud: metres east and north, and altitude. The volume holds this cloud alone, and its
    /// box follows from it.
    pub cloud_at: Option<[f64; 3]>,
    /// The box, m east and north of the origin.
    pub west_m: f64,
    pub east_m: f64,
    pub south_m: f64,
    pub north_m: f64,
    /// Altitudes; by themselves those of the layers.
    pub low_m: Option<f64>,
    pub high_m: Option<f64>,
    /// Width of a voxel, m; or else it follows from `most_voxels`.
    pub voxel_m: Option<f64>,
    /// Most voxels of the box.
    pub most_voxels: Option<f64>,
    /// Files of this many voxel sizes, each twice as wide as the one before.
    pub levels: u32,
    /// One grid for each layer in place of one for all.
    pub split: bool,
    /// 16-bit values.
    pub half: bool,
    /// z up, y north and x east in place of y up, z north and x west.
    pub z_up: bool,
    /// A further grid: the share of the brightest light that arrives, unscattered.
    pub sunlight: bool,
}

/// What a volume is going to be.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct VolumeGuess {
    pub voxel_m: f64,
    pub voxels: f64,
    pub active_voxels: f64,
    pub bytes: f64,
    /// Of processor time on all cores at hand.
    pub seconds: f64,
}

/// A grid of a file.
pub(super) struct Grid {
    pub name: String,
    /// Components of the scene whose extinction it holds, or at whose voxels it has light.
    pub components: Vec<usize>,
    /// Number of the light whose share it holds, in place of density.
    pub light: Option<usize>,
    /// Extinction at density 1, 1/m.
    pub scale: f64,
    pub droplet_um: f64,
    pub asymmetry: f64,
    pub layers: String,
}

impl Grid {
    pub fn extinction_per_m(&self) -> Option<f64> {
        self.light.is_none().then_some(self.scale)
    }
}

pub(super) fn scene(
    sky: &Sky,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Scene> {
    Ok(scene_cache.scene(sky, TableQuality::Full, cancelled)?)
}

/// Nodes in each piece of a grid, and how many pieces there are.
pub(super) fn pieces_of(settings: &VolumeSettings) -> (usize, usize) {
    let nodes = settings.nodes().len();
    let each = nodes.div_ceil(MOST_PIECES).max(1);
    (each, nodes.div_ceil(each))
}

fn fail<T>(field: &str, message: impl Into<String>) -> Result<T> {
    Err(BakeError::input(format!("settings.volume.{field}"), message))
}

impl VolumeBake {
    pub fn check(&self) -> Result<()> {
        self.volume.check()
    }

    pub fn pieces(&self) -> usize {
        self.volume.pieces()
    }

    /// Fills in box and voxel width.
    pub fn resolve(
        &self,
        sky: &Sky,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<VolumeBake> {
        Ok(VolumeBake { volume: self.volume.resolve(sky, scene_cache, cancelled)? })
    }
}

impl VolumeChoice {
    pub(crate) fn check(&self) -> Result<()> {
        let c = self;
        if !(1..=MOST_LEVELS).contains(&c.levels) {
            return fail("levels", format!("{} should be from 1 to {MOST_LEVELS}", c.levels));
        }
        match (c.voxel_m, c.most_voxels) {
            (None, None) => return fail("voxel_m", "is missing; or give most_voxels"),
            (Some(_), Some(_)) => return fail("most_voxels", "can't be given beside voxel_m"),
            (None, Some(most)) if !(1e3..=4e9).contains(&most) => {
                return fail("most_voxels", format!("{most} should be from 1e3 to 4e9"));
            }
            (Some(v), None) if !VOXEL_M.contains(&v) => {
                let message = format!("{v} should be from {} to {}", VOXEL_M.start(), VOXEL_M.end());
                return fail("voxel_m", message);
            }
            _ => {}
        }
        if c.is_resolved() {
            c.levels()?;
        }
        Ok(())
    }

    pub(crate) fn resolve(
        &self,
        sky: &Sky,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<VolumeChoice> {
        let scene = scene(sky, scene_cache, cancelled)?;
        let mut c = self.clone();
        let chosen = c.components(sky, &scene)?;
        if let Some(body) = c.body(&scene, &chosen)? {
            let r = body.region();
            (c.west_m, c.east_m, c.south_m, c.north_m) = (r.west_m, r.east_m, r.south_m, r.north_m);
            (c.low_m, c.high_m) = (Some(r.low_m), Some(r.high_m));
        }
        let is_chosen = |n: &usize| chosen.iter().any(|i| scene.clouds[*i].layer == *n);
        c.layers = (0..sky.clouds.len()).filter(is_chosen).map(|n| sky.clouds[n].id.clone()).collect();
        let forms = || chosen.iter().map(|i| &scene.clouds[*i].form.0);
        let base = forms().map(|f| f64::from(f.base)).fold(f64::MAX, f64::min);
        let top = forms().map(|f| f64::from(f.base + f.depth)).fold(0.0, f64::max);
        let margin = MARGIN_VOXELS * c.voxel_m.unwrap_or(10.0);
        c.low_m.get_or_insert((base - margin).max(0.0));
        c.high_m.get_or_insert(top + margin);
        if let (None, Some(most)) = (c.voxel_m, c.most_voxels.take()) {
            c.voxel_m = Some(c.region().voxel_for(most).max(*VOXEL_M.start()));
        }
        c.check()?;
        Ok(c)
    }

    /// What each file of resolved settings is going to be, from samples of this sky.
    pub fn guess(
        &self,
        sky: &Sky,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<VolumeGuess>> {
        let scene = scene(sky, scene_cache, cancelled)?;
        let c = self;
        let chosen = c.components(sky, &scene)?;
        let forms: Vec<&CloudForm> = chosen.iter().map(|i| &scene.clouds[*i].form.0).collect();
        let mut guesses = Vec::new();
        for settings in c.levels()? {
            let begun = Instant::now();
            let e = estimate(&forms, &settings);
            let sampled = e.leaves.min(ESTIMATE_SAMPLES as f64);
            // Sampling, and as much again for encoding what has cloud.
            let seconds = begun.elapsed().as_secs_f64() * e.leaves / sampled.max(1.0) * 1.6;
            let grids = if c.sunlight { 2.0 } else { 1.0 };
            let light = if c.sunlight { 3.0 } else { 0.0 };
            guesses.push(VolumeGuess {
                voxel_m: settings.voxel_m,
                voxels: e.voxels,
                active_voxels: e.active.round(),
                bytes: (grids
                    * (e.active * VOXEL_BYTES[usize::from(c.half)] + e.leaves_with_cloud * LEAF_BYTES))
                    .round(),
                seconds: seconds * (1.0 + light),
            });
        }
        Ok(guesses)
    }
}

impl VolumeChoice {
    fn is_resolved(&self) -> bool {
        self.voxel_m.is_some() && self.low_m.is_some() && self.high_m.is_some()
    }

    fn region(&self) -> VolumeRegion {
        VolumeRegion {
            west_m: self.west_m,
            east_m: self.east_m,
            south_m: self.south_m,
            north_m: self.north_m,
            low_m: self.low_m.unwrap_or(0.0),
            high_m: self.high_m.unwrap_or(0.0),
        }
    }

    /// Settings of each file.
    pub(super) fn levels(&self) -> Result<Vec<VolumeSettings>> {
        let of_level = |level: u32| {
            let voxel_m = self.voxel_m.unwrap_or(0.0) * f64::from(1 << level);
            let settings = VolumeSettings { region: self.region(), voxel_m };
            match settings.check() {
                Ok(()) => Ok(settings),
                Err(e) => fail(e.field, format!("{} {}", e.value, e.problem)),
            }
        };
        (0..self.levels).map(of_level).collect()
    }

    pub(crate) fn pieces(&self) -> usize {
        let grids = if self.split { self.layers.len().max(1) } else { 1 } + usize::from(self.sunlight);
        self.levels().unwrap_or_default().iter().map(|s| pieces_of(s).1 * grids).sum()
    }

    /// Places of the components that are asked for.
    pub(super) fn components(&self, sky: &Sky, scene: &Scene) -> Result<Vec<usize>> {
        for (i, id) in self.layers.iter().enumerate() {
            if !sky.clouds.iter().any(|layer| layer.id == *id) {
                let known: Vec<&str> = sky.clouds.iter().map(|layer| layer.id.as_str()).collect();
                return fail(&format!("layers[{i}]"), format!("{id} is none of {}", known.join(", ")));
            }
        }
        let is_asked =
            |c: &CloudComponent| self.layers.is_empty() || self.layers.contains(&sky.clouds[c.layer].id);
        let chosen: Vec<usize> = (0..scene.clouds.len()).filter(|i| is_asked(&scene.clouds[*i])).collect();
        if chosen.is_empty() {
            return fail("layers", "there are no clouds to write, or they are muted");
        }
        Ok(chosen)
    }

    /// The one cloud, if one was chosen.
    pub(super) fn body(&self, scene: &Scene, chosen: &[usize]) -> Result<Option<CloudBody>> {
        let Some(at) = self.cloud_at else { return Ok(None) };
        // The component that is nearest in altitude.
        let above = |i: &usize| {
            let form = &scene.clouds[*i].form.0;
            let (low, high) = (f64::from(form.base), f64::from(form.base + form.depth));
            (low - at[2]).max(at[2] - high).max(0.0)
        };
        let nearest = chosen.iter().min_by(|a, b| above(a).total_cmp(&above(b))).expect("some were chosen");
        match CloudBody::around(&scene.clouds[*nearest].form.0, at) {
            Ok(body) => Ok(Some(body)),
            Err(e) => fail("cloud_at", e.to_string()),
        }
    }

    pub(super) fn grids(&self, sky: &Sky, scene: &Scene, chosen: &[usize]) -> Vec<Grid> {
        let grid = |name: String, components: Vec<usize>, light: Option<usize>| {
            let of = |i: &usize| &scene.clouds[*i];
            let highest = components.iter().map(|i| f64::from(of(i).form.0.extinction)).fold(0.0, f64::max);
            let thickest = components
                .iter()
                .max_by(|a, b| of(a).form.0.extinction.total_cmp(&of(b).form.0.extinction))
                .expect("a grid has components");
            let mut ids: Vec<&str> = components.iter().map(|i| sky.clouds[of(i).layer].id.as_str()).collect();
            ids.dedup();
            Grid {
                name,
                light,
                scale: if highest > 0.0 { highest } else { 1.0 },
                droplet_um: sky.clouds[of(thickest).layer].droplet_um,
                asymmetry: of(thickest).phase.asymmetry[1],
                layers: ids.join(" "),
                components,
            }
        };
        let mut grids = Vec::new();
        if self.split {
            let mut layers: Vec<usize> = chosen.iter().map(|i| scene.clouds[*i].layer).collect();
            layers.sort_unstable();
            layers.dedup();
            for layer in layers {
                let mine = chosen.iter().copied().filter(|i| scene.clouds[*i].layer == layer).collect();
                grids.push(grid(format!("density_{}", sky.clouds[layer].id), mine, None));
            }
        } else {
            grids.push(grid("density".into(), chosen.to_vec(), None));
        }
        if self.sunlight {
            let bright = |i: &usize| luminance(scene.lights[*i].clear(0.0));
            let brightest = (0..scene.lights.len()).max_by(|a, b| bright(a).total_cmp(&bright(b)));
            grids.push(grid("sunlight".into(), chosen.to_vec(), brightest));
        }
        grids
    }
}
