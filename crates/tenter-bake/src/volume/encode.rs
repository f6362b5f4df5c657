//! Leaves of a grid, sampled and encoded.

use super::choice::{Grid, VolumeChoice};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use tenter_formats::vdb::{GridSettings, GridTransform, Leaf, LeafHead, MetaValue};
use tenter_render::clouds::form::CloudForm;
use tenter_render::scene::Scene;
use tenter_render::volume::{CloudBody, VolumeSettings, sample_leaf, sunlight_of_leaf};

/// Least share of light at an active voxel: a share of 0 would make it inactive.
const LEAST_LIGHT: f32 = 1e-4;

/// Least density.
const LEAST_DENSITY: f32 = 1e-7;

/// What a piece holds: heads of leaves, then their values.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct PieceFacts {
    pub leaves: usize,
    /// Bytes of all values.
    pub values: usize,
}

impl PieceFacts {
    /// Whether a content is as long as this.
    pub fn check(&self, content: &[u8]) -> Result<(), &'static str> {
        let whole = self.leaves * LeafHead::BYTES + self.values == content.len();
        if whole { Ok(()) } else { Err("its length is another") }
    }
}

/// The leaves of a node that have cloud, in the order of the tree.
pub(super) fn sample(
    scene: &Scene,
    grid: &Grid,
    body: Option<&CloudBody>,
    settings: &VolumeSettings,
    half: bool,
    node: [i32; 3],
) -> Vec<Leaf> {
    let forms: Vec<&CloudForm> = grid.components.iter().map(|i| &scene.clouds[*i].form.0).collect();
    let leaf = |origin: [i32; 3]| {
        let mut values = sample_leaf(&forms, settings, origin)?;
        if let Some(body) = body {
            body.keep_only(&mut values, origin, settings.voxel_m);
        }
        for value in &mut values {
            *value /= grid.scale as f32;
            // What half values round to 0 is no cloud in any grid.
            if *value < LEAST_DENSITY {
                *value = 0.0;
            }
        }
        match grid.light {
            None => {}
            Some(light) => {
                if values.iter().all(|v| *v == 0.0) {
                    return None;
                }
                let arriving = sunlight_of_leaf(scene, light, settings, origin);
                for (value, light) in values.iter_mut().zip(arriving).filter(|(v, _)| **v != 0.0) {
                    *value = light.max(LEAST_LIGHT);
                }
            }
        }
        Leaf::encode(origin, &values, half)
    };
    settings.leaves_of(node).into_par_iter().filter_map(leaf).collect()
}

pub(super) fn grid_settings(of: &Grid, settings: &VolumeSettings, choice: &VolumeChoice) -> GridSettings {
    let half_voxel = 0.5 * settings.voxel_m;
    // Index axes are west, up, north.
    let axes =
        if choice.z_up { [[-1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, 1.0, 0.0]] } else { GridTransform::Y_UP };
    let translation = [0, 1, 2].map(|k| half_voxel * (axes[0][k] + axes[1][k] + axes[2][k]));
    let mut metadata = vec![("layers".to_string(), MetaValue::Text(of.layers.clone()))];
    match of.light {
        None => metadata.extend([
            ("extinction_per_m".to_string(), MetaValue::Double(of.scale)),
            ("droplet_um".into(), MetaValue::Double(of.droplet_um)),
            ("phase_asymmetry".into(), MetaValue::Double(of.asymmetry)),
            ("single_scattering_albedo".into(), MetaValue::Double(1.0)),
        ]),
        Some(light) => metadata.push(("light".into(), MetaValue::Int64(light as i64))),
    }
    GridSettings {
        name: of.name.clone(),
        half: choice.half,
        transform: GridTransform { voxel: settings.voxel_m, translation, axes },
        metadata,
    }
}
