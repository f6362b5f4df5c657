//! Ambient light: diffuse illuminance of level ground, and the radiance around cloud layers from above,
//! beside and below.

use super::sky_light::{Scattering, SkyIrradiance, SkyLight, SkyPart, filter_of, sent_back_by_air};
use super::two_stream::{ClearFluxes, FluxLevels, SlabFluxes, at_least_nothing};
use crate::air::Air;
use crate::clouds::cover::column_statistics::ColumnStatistics;
use crate::clouds::optics::slab_table::SlabTable;
use crate::scene::ambient::add;
use crate::scene::{AmbientLight, Fog, LayerAmbient, Light, MAX_LIGHTS, UpwellingAirlight};
use std::f64::consts::PI;
use tenter_sky::spectrum::{Rgb, luminance};

/// Least relative change of the upwelling light from one layer to the next that makes a level of its own.
const MIN_CHANGE: f32 = 0.1;

/// Mean distance of air from the clouds that light it, m: the scale height of molecules (standard
/// atmosphere).
const AIR_LIT: f64 = 8000.0;

/// Radiance under an overcast, (1 + 2 sin e) / 3 of the zenith's (Moon and Spencer 1942), over flux / pi:
/// its mean over the upper hemisphere, and over all directions weighted by the second Legendre polynomial.
const MEAN_OF_LID: f32 = 6.0 / 7.0;
const SECOND_OF_LID: f32 = 3.0 / 56.0;

/// Ambient light of all sources together, and of each light alone with its index.
pub struct AmbientLights {
    pub whole: AmbientLight,
    pub alone: Vec<(usize, AmbientLight)>,
}

/// What light passes, whatever its source.
struct Passed<'a> {
    air: &'a Air,
    /// Mean properties of fog and layers from the lowest up, and the same as seen from [`AIR_LIT`] above
    /// the eye.
    slabs: Vec<SlabFluxes>,
    near: Vec<SlabFluxes>,
    /// Altitudes of the levels from the ground up, m; and of the layers' middles and tops.
    levels: Vec<f64>,
    heights: &'a [(f64, f64)],
    eye: f64,
}

impl AmbientLights {
    /// `clouds`: column statistics and slab tables of the layers from the lowest up; `heights`: altitudes
    /// of their middles and tops, m.
    pub fn new(
        air: &Air,
        sky: &SkyLight,
        clouds: &[(&ColumnStatistics, &SlabTable)],
        heights: &[(f64, f64)],
        eye: f64,
        fog: Option<&Fog>,
    ) -> AmbientLights {
        let passed = Passed::new(air, sky.lights, clouds, heights, eye, fog);
        let parts = sky.parts();
        let mut alone: Vec<(usize, AmbientLight)> = Vec::with_capacity(parts.len());
        let mut lifted: Vec<UpwellingAirlight> = Vec::new();
        for part in &parts {
            let (ambience, up) = passed.ambience(part);
            for (sum, more) in lifted.iter_mut().zip(&up) {
                add(&mut sum.radiance, more.radiance);
            }
            if lifted.is_empty() {
                lifted = up;
            }
            alone.push((part.light.unwrap_or(0), ambience));
        }
        let mut whole = alone[0].1.clone();
        for (_, more) in &alone[1..] {
            whole.add(more);
        }
        whole.lifted = distinct_levels(&lifted, eye);
        AmbientLights { whole, alone }
    }
}

/// Below the eye only the highest layer counts: its air begins below everything.
fn distinct_levels(all: &[UpwellingAirlight], eye: f64) -> Vec<UpwellingAirlight> {
    let mut lifted: Vec<UpwellingAirlight> = Vec::new();
    for UpwellingAirlight { above, radiance } in all {
        if f64::from(*above) <= eye {
            lifted = vec![UpwellingAirlight { above: f32::MIN, radiance: *radiance }];
            continue;
        }
        let before = lifted.last().map_or(0.0, |l| luminance(l.radiance));
        let change = (luminance(*radiance) - before).abs();
        if change > MIN_CHANGE * before.max(luminance(*radiance)) {
            lifted.push(UpwellingAirlight { above: *above, radiance: *radiance });
        }
    }
    lifted
}

impl<'a> Passed<'a> {
    fn new(
        air: &'a Air,
        lights: &[Light],
        clouds: &[(&ColumnStatistics, &SlabTable)],
        heights: &'a [(f64, f64)],
        eye: f64,
        fog: Option<&Fog>,
    ) -> Passed<'a> {
        // Fog attenuates the direct lights only: its effect on diffuse light is small.
        let of_fog = fog.map(|fog| SlabFluxes {
            of_sky: 1.0,
            open: 1.0,
            ..SlabFluxes::new(lights, SlabTable::get(), |f| f(fog.column()))
        });
        let slabs_of = |from_above: Option<f64>| -> Vec<SlabFluxes> {
            let of_clouds = clouds.iter().map(|(survey, table)| match from_above {
                Some(height) => {
                    let columns = survey.from_above(height);
                    SlabFluxes::new(lights, table, |f| columns.mean(f))
                }
                None => SlabFluxes::new(lights, table, |f| survey.evenly().mean(f)),
            });
            of_fog.clone().into_iter().chain(of_clouds).collect()
        };
        // Overlapping layers are taken one above the other.
        let middles = heights.iter().scan(0.0f64, |over, (middle, _)| {
            *over = over.max(*middle);
            Some(*over)
        });
        let levels = [0.0].into_iter().chain(fog.map(|fog| fog.to as f64)).chain(middles).collect();
        let (slabs, near) = (slabs_of(None), slabs_of(Some(AIR_LIT)));
        Passed { air, slabs, near, levels, heights, eye }
    }

    /// Ambient light of one source, and the upwelling light over each layer.
    fn ambience(&self, part: &SkyPart) -> (AmbientLight, Vec<UpwellingAirlight>) {
        let medium = &self.air.medium;
        let albedo = medium.ground_rgb;
        let falling = part.falling();
        let over = Scattering::new(medium, part.light());
        let clear: Vec<ClearFluxes> =
            self.levels.iter().map(|altitude| falling.at(part, &over, *altitude)).collect();
        let highest = self.heights.iter().map(|(_, top)| *top).fold(0.0, f64::max);
        let sent_back = filter_of(&sent_back_by_air(medium, highest), part.to_rgb());
        let under = |slabs: &[SlabFluxes]| -> Vec<SlabFluxes> {
            slabs.iter().map(|slab| slab.under(part.light)).collect()
        };
        let slabs = under(&self.slabs);
        let levels = FluxLevels::between(&slabs, &clear, albedo, sent_back);
        // The change of airlight by clouds is evaluated overhead.
        let near = FluxLevels::between(&under(&self.near), &clear, albedo, sent_back);
        let lowest = slabs.len() - self.heights.len();
        let lifted = match part.sky.painted {
            Some(_) => Vec::new(),
            None => self.lifted(&near, lowest),
        };
        let layers = self.layers(part, &falling, &clear, [&levels, &near], lowest);
        let straight_left: f32 =
            slabs[lowest..].iter().filter_map(|slab| slab.of_lights.first()).map(|of| of.1).product();
        // Circumsolar light counts as the sky's on the ground.
        let with_light = falling.with_light(part);
        let ground_diffuse =
            [0, 1, 2].map(|c| levels.down[0][c] + with_light[c] * clear[0].brighter[c] * straight_left);
        let ground = levels.up[0].map(|v| v / PI as f32);
        let ambience = AmbientLight {
            ground_diffuse,
            ground,
            layers,
            // Half of a droplet's surroundings is sky, half is ground.
            fog: [0, 1, 2].map(|c| 0.5 * (ground_diffuse[c] / PI as f32 + ground[c])),
            lifted: distinct_levels(&lifted, self.eye),
        };
        (ambience, lifted)
    }

    /// `lowest`: the level under the lowest clouds.
    fn lifted(&self, near: &FluxLevels, lowest: usize) -> Vec<UpwellingAirlight> {
        let mut highest = 0.0f64;
        let tops = self.heights.iter().enumerate();
        tops.map(|(k, (_, top))| {
            highest = highest.max(*top);
            let (up, bare) = (near.up[lowest + k + 1], near.bare[lowest + k + 1]);
            // Half of the air's surroundings is the ground's side.
            let radiance = [0, 1, 2].map(|c| 0.5 * at_least_nothing(up[c] - bare[c], bare[c]) / PI as f32);
            UpwellingAirlight { above: highest as f32, radiance }
        })
        .collect()
    }

    /// Ambient light of each layer from the lowest up; `near`: fluxes with the clouds that the air near the
    /// eye sees.
    fn layers(
        &self,
        part: &SkyPart,
        falling: &SkyIrradiance,
        clear: &[ClearFluxes],
        [levels, near]: [&FluxLevels; 2],
        lowest: usize,
    ) -> Vec<LayerAmbient> {
        let radiance = |flux: Rgb| flux.map(|v| v / PI as f32);
        let number = part.light.unwrap_or(0);
        let mut layers = Vec::with_capacity(self.heights.len());
        // For airlight, for direct light, and for the sky's light that comes between clouds.
        let (mut left, mut straight_left, mut open) = (1.0, 1.0, 1.0);
        for i in (lowest..self.slabs.len()).rev() {
            let brighter = clear[i + 1].brighter;
            let mut sunward = [[0.0; 3]; MAX_LIGHTS];
            sunward[number] = [0, 1, 2].map(|c| falling.sunward[c] * brighter[c] * straight_left);
            let upright = part.on_upright_planes(self.air, self.heights[i - lowest].0);
            // Slant paths pass more air in front of the ground than the vertical.
            let upward = [0, 1, 2].map(|c| (levels.bare[i + 1][c] - levels.bare[0][c]) / PI as f32);
            let aslant = [0, 1, 2].map(|c| at_least_nothing(upright[1][c] - upward[c], upright[1][c]) * left);
            let below = radiance(levels.below[i]);
            let mut around_of = [[0.0; 3]; MAX_LIGHTS];
            around_of[number] = upright[0];
            // Ratios to the light without clouds.
            let [above, beneath] =
                [i + 1, i].map(|level| levels.total_down(level) / clear[level].down().max(1e-9));
            let share = if above > 0.0 { (beneath / above).min(1.0) } else { self.slabs[i].of_sky };
            open *= self.near[i].open;
            // Fluxes without the light that comes between clouds: down, and up from below.
            let down = [0, 1, 2].map(|c| {
                let all = near.down[i][c] - near.hardly[i][c];
                at_least_nothing(all - open * clear[i].sky[c], all) / PI as f32
            });
            let up = [0, 1, 2].map(|c| {
                let all = near.below[i][c];
                at_least_nothing(all - open * near.bare[i + 1][c], all) / PI as f32
            });
            let sent_down = [0, 1, 2].map(|c| 0.5 * (MEAN_OF_LID * down[c] + up[c]));
            let leaning = [0.25 * (luminance(down) - luminance(up)), SECOND_OF_LID * luminance(down)];
            straight_left *= self.slabs[i].of_lights.get(number).map_or(1.0, |of| of.1);
            layers.push(LayerAmbient {
                overhead: radiance(levels.down[i + 1]),
                around: upright[0],
                around_of,
                below,
                beneath: [0, 1, 2].map(|c| below[c] + aslant[c]),
                sunward,
                open: self.near[i].open,
                sent_down,
                leaning,
            });
            left *= share;
        }
        layers.reverse();
        layers
    }
}
