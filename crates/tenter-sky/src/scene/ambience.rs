//! Light that comes from all around: on level ground, and on clouds from above, beside and below.

use super::Fog;
use super::levels::{Clear, Levels, Slab};
use super::sky_light::{Scattering, SkyLight, filter_of, sent_back_by_air};
use crate::air::Air;
use crate::clouds::survey::Survey;
use crate::spectrum::{Rgb, luminance};
use std::f64::consts::PI;

/// Means over the whole sky. Illuminances in lx, radiances in cd/m2, linear Rec.709.
#[derive(Clone, Debug)]
pub struct Ambience {
    /// Illuminance of level ground by everything but the direct lights, where no cloud stands in particular.
    pub ground_diffuse: Rgb,
    /// Radiance of the ground, seen from above.
    pub ground: Rgb,
    /// What surrounds each cloud layer, from the lowest up.
    pub layers: Vec<Surroundings>,
    /// Mean radiance that fog sends on of what it gets from all sides.
    pub fog: Rgb,
    /// What clouds send up into the air over them, from the lowest air up.
    pub lifted: Vec<Lifted>,
}

/// Mean radiance all around that clouds below add in the air over an altitude (m) to what it gets from the ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Lifted {
    pub above: f32,
    pub radiance: Rgb,
}

/// Share by which what goes up has to change from one layer to the next to be told apart.
const TOLD_APART: f32 = 0.1;

/// How far air is in the mean from clouds that light it, m: molecules thin out so fast (scale height of the standard atmosphere).
const AIR_LIT: f64 = 8000.0;

/// `lowest`: the level under the lowest clouds; `heights`: of the layers' middles and tops. Of layers under the eye only the highest is
/// seen over: its air begins below everything.
fn lifted(levels: &Levels, lowest: usize, heights: &[(f64, f64)], eye: f64) -> Vec<Lifted> {
    let mut lifted: Vec<Lifted> = Vec::new();
    let mut highest = 0.0f64;
    for (k, (_, top)) in heights.iter().enumerate() {
        highest = highest.max(*top);
        let level = lowest + k + 1;
        // Half of what surrounds the air is the ground's side.
        let more = |c: usize| 0.5 * (levels.up[level][c] - levels.bare[level][c]).max(0.0) / PI as f32;
        let radiance = [0, 1, 2].map(more);
        if highest <= eye {
            lifted = vec![Lifted { above: f32::MIN, radiance }];
            continue;
        }
        let before = lifted.last().map_or(0.0, |l| luminance(l.radiance));
        let change = (luminance(radiance) - before).abs();
        if change > TOLD_APART * before.max(luminance(radiance)) {
            lifted.push(Lifted { above: highest as f32, radiance });
        }
    }
    lifted
}

/// Mean radiance around a cloud layer, and what it takes from below.
#[derive(Clone, Copy, Debug)]
pub struct Surroundings {
    pub overhead: Rgb,
    /// From the sides, under a clear sky: above the horizon; and beneath it.
    pub around: Rgb,
    pub beneath: Rgb,
    pub below: Rgb,
    /// What the sky around the first light adds to it, on a plane that faces it, lx; `overhead` is without.
    pub sunward: Rgb,
    /// Share of the air's light under this layer that it takes, and all layers above it have left.
    pub taken: f32,
    /// How much scattered light there is under this layer, from above and below, as a share of what there is over it; more than one
    /// where it scatters more of what comes straight than it keeps.
    pub scattered: f32,
}

impl Ambience {
    /// `clouds`: the layers' columns, from the lowest up, and how much more light they turn than droplets do; `heights`: the altitudes of their middles and tops, m.
    pub fn new(
        air: &Air,
        sky: &SkyLight,
        clouds: &[(&Survey, f32)],
        heights: &[(f64, f64)],
        eye: f64,
        fog: Option<&Fog>,
    ) -> Ambience {
        let medium = &air.medium;
        let albedo = medium.ground_rgb;
        let falling = sky.falling();
        let over = Scattering::new(medium, sky);
        let clear_at = |altitude: f64| falling.at(sky, &over, eye, altitude);
        // Fog takes from the lights only: it is thin beside what the sky's light comes through.
        let fog_top = fog.map(|fog| fog.to as f64);
        let of_fog = fog.map(|fog| Slab { of_sky: 1.0, ..Slab::new(sky.lights, 1.0, |f| f(fog.column())) });
        // Of clouds in the mean all over, or as they look from so many metres over the eye.
        let slabs_of = |from_above: Option<f64>| -> Vec<Slab> {
            let of_clouds = clouds.iter().map(|(survey, turned)| match from_above {
                Some(height) => {
                    let columns = survey.from_above(height);
                    Slab::new(sky.lights, *turned, |f| columns.mean(f))
                }
                None => Slab::new(sky.lights, *turned, |f| survey.evenly().mean(f)),
            });
            of_fog.clone().into_iter().chain(of_clouds).collect()
        };
        let slabs = slabs_of(None);
        let highest = heights.iter().map(|(_, top)| *top).fold(0.0, f64::max);
        let sent_back = filter_of(&sent_back_by_air(medium, highest), &sky.lights[0].placed.in_sky.to_rgb);
        // Layers that cross are taken as one over the other.
        let middles = heights.iter().scan(0.0f64, |over, (middle, _)| {
            *over = over.max(*middle);
            Some(*over)
        });
        let clear: Vec<Clear> = [0.0].into_iter().chain(fog_top).chain(middles).map(clear_at).collect();
        let levels = Levels::between(&slabs, &clear, albedo, sent_back);
        let radiance = |flux: Rgb| flux.map(|v| v / PI as f32);
        let lowest = slabs.len() - clouds.len();
        // What clouds change in the air is seen best overhead.
        let near = Levels::between(&slabs_of(Some(AIR_LIT)), &clear, albedo, sent_back);
        let lifted = match sky.painted {
            Some(_) => Vec::new(),
            None => lifted(&near, lowest, heights, eye),
        };
        let mut layers = Vec::with_capacity(clouds.len());
        let mut left = 1.0;
        // Of the first light.
        let mut straight_left = 1.0;
        for i in (lowest..slabs.len()).rev() {
            let overhead = radiance(levels.down[i + 1]);
            let brighter = clear[i + 1].brighter;
            let sunward = [0, 1, 2].map(|c| falling.sunward[c] * brighter[c] * straight_left);
            let upright = sky.on_upright_planes(air, heights[i - lowest].0);
            // Aslant there is more air before the ground than straight down.
            let upward = [0, 1, 2].map(|c| (levels.bare[i + 1][c] - levels.bare[0][c]) / PI as f32);
            let aslant = [0, 1, 2].map(|c| (upright[1][c] - upward[c]).max(0.0) * left);
            let below = radiance(levels.below[i]);
            // Shares of what there is without clouds.
            let [above, under] =
                [i + 1, i].map(|level| levels.total_down(level) / clear[level].down().max(1e-9));
            let share = if above > 0.0 { (under / above).min(1.0) } else { slabs[i].of_sky };
            let [over, beneath] = [i + 1, i].map(|level| {
                // Over the highest, the air's tables know of no clouds.
                let bare = near.bare[level];
                let up = if level == slabs.len() { bare } else { near.up[level] };
                let all = luminance(near.down[level]) + luminance(up) - luminance(near.hardly[level]);
                all / (luminance(clear[level].sky) + luminance(bare)).max(1e-9)
            });
            straight_left *= slabs[i].of_lights[0].1;
            layers.push(Surroundings {
                overhead,
                around: upright[0],
                below,
                beneath: [0, 1, 2].map(|c| below[c] + aslant[c]),
                sunward,
                taken: left * (1.0 - share),
                scattered: if over > 0.0 { beneath / over } else { slabs[i].of_sky },
            });
            left *= share;
        }
        layers.reverse();
        // What goes with the first light is the sky's still, where the ground is lit.
        let with_first = falling.with_first(sky);
        let ground_diffuse =
            [0, 1, 2].map(|c| levels.down[0][c] + with_first[c] * clear[0].brighter[c] * straight_left);
        let ground = radiance(levels.up[0]);
        Ambience {
            ground_diffuse,
            ground,
            layers,
            // Half of what surrounds a droplet is sky, half is ground.
            fog: [0, 1, 2].map(|c| 0.5 * (ground_diffuse[c] / PI as f32 + ground[c])),
            lifted,
        }
    }
}
