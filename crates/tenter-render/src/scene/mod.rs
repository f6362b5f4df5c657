//! The document resolved into things that can be sampled, and the caches they are kept in.
//!
//! Each stage is a pure function of the part of the document it reads and is kept under that part's content:
//! exposure touches no stage, a moved sun keeps the form and the density of clouds, a turned camera keeps
//! all.

pub(crate) mod ambient;
mod fog;
mod lights;
pub(crate) mod probe;
pub(crate) mod slab_correction;

pub use ambient::{AmbientLight, LayerAmbient, UpwellingAirlight};
pub use fog::Fog;
pub use lights::{
    Face, MAX_LIGHTS, PlacedLight, PlacedMoon, PlacedSun, grade_of, moonlight, placed_lights, time_of,
};
pub use probe::{EnvironmentProbe, GroundIrradiance};
pub use slab_correction::SlabCorrections;

use crate::air::{Air, AirView, SkyRadiance, SunlightTable};
use crate::clouds::cover::column_statistics::ColumnStatistics;
use crate::clouds::form::CloudForm;
use crate::clouds::optics::mie::PhaseFunction;
use crate::clouds::sun_depth::SunDepth;
use crate::land::Land;
use crate::simd::Real;
use std::sync::Arc;
use tenter_sky::document::{CloudLayer, Colour};
use tenter_sky::spectrum::Rgb;

/// Everything a picture of one sky is made from.
#[derive(Clone)]
pub struct Scene {
    pub eye_altitude: f64,
    /// Suns and moon; never none, though some may shed nothing.
    pub lights: Vec<Light>,
    pub air: Arc<Air>,
    /// The sky behind the clouds where air does not make it.
    pub painted: Option<Arc<SkyRadiance>>,
    /// Radiance of airglow and stars, the same all round, cd/m2.
    pub night_glow: f32,
    pub horizon: Horizon,
    /// Brightness of the sky as seen.
    pub seen_strength: f32,
    pub fog: Option<Fog>,
    /// What each light sends onto a plane that faces it inside the fog, in the mean, lx.
    pub fog_lit: [Rgb; MAX_LIGHTS],
    /// From the lowest base up.
    pub clouds: Vec<CloudComponent>,
    /// The altitudes that hold clouds, from the lowest up.
    pub intervals: Vec<AltitudeInterval>,
    pub land: Option<Arc<Land>>,
    pub ambient: AmbientLight,
    pub eye_probe: Option<Arc<EnvironmentProbe>>,
    pub ground_irradiance: Option<GroundIrradiance>,
}

/// A light and the tables made for it.
#[derive(Clone)]
pub struct Light {
    pub placed: PlacedLight,
    /// The same as a multiple of what the tables are made for.
    pub strength: f32,
    pub view: Arc<AirView>,
    /// The sky it makes over the ground, wherever the eye is.
    pub over_ground: Arc<SkyRadiance>,
    pub sunlight: Arc<SunlightTable>,
}

/// How sky and ground meet, radians.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Horizon {
    /// How far the sky reaches down over the ground.
    pub drop: f32,
    /// Angle over which they go over into each other.
    pub softness: f32,
}

/// One form of a scene's clouds: the bodies of a layer, or the anvils over them.
#[derive(Clone)]
pub struct CloudComponent {
    /// The layer's place in the document.
    pub layer: usize,
    /// The form, and columns taken all over it.
    pub form: Arc<(CloudForm, ColumnStatistics)>,
    /// Toward each light.
    pub depths: Vec<Arc<SunDepth>>,
    /// How many times more light is turned than droplets of 10 um would (similarity): crystals have a smaller
    /// asymmetry.
    pub similarity_scale: f32,
    pub phase: Arc<PhaseFunction>,
    /// What light that is scattered more than once is multiplied by in sheets of them.
    pub slab_corrections: Arc<SlabCorrections>,
    pub shading: Shading,
    /// Share of its shadow that falls on the ground.
    pub shadow_on_land: f32,
    /// Whether it shades itself.
    pub own_shadow: bool,
    /// How far its shadow on others is moved east and north, m.
    pub shadow_shift: [f32; 2],
}

/// What an artist makes of a cloud's light.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Shading {
    /// Over all of it.
    pub scatter: Rgb,
    /// Over what has been scattered many times.
    pub absorb: Rgb,
    /// Over what comes from sky and land.
    pub shade: Rgb,
    /// Over what has been scattered many times, strength alone.
    pub high_orders: f32,
}

impl Shading {
    pub const PHYSICAL: Shading =
        Shading { scatter: [1.0; 3], absorb: [1.0; 3], shade: [1.0; 3], high_orders: 1.0 };

    pub fn of(layer: &CloudLayer) -> Shading {
        let rgb = |colour: &Colour, strength: f64| colour.0.map(|v| (v * strength) as f32);
        Shading {
            scatter: rgb(&layer.scatter_tint, 1.0),
            absorb: rgb(&layer.absorb_tint, 1.0),
            shade: rgb(&layer.shade_tint, 1.0 + layer.shade_lift),
            high_orders: layer.high_orders as f32,
        }
    }
}

impl CloudComponent {
    /// Optical depth of its shadow from a place beside it (m east, north and above its base) toward a light,
    /// as [`SunDepth::from_outside`] has it.
    #[inline(always)]
    pub fn shadow<R: Real>(&self, light: usize, level: usize, [x, y, z]: [R; 3], toward: [R; 3]) -> R {
        let [east, north] = R::splat_each(self.shadow_shift);
        self.depths[light].from_outside(level, x - east, y - north, z, toward)
    }

    /// Whether its light and shadows are as physics has them.
    pub fn is_physical(&self) -> bool {
        self.shading == Shading::PHYSICAL
            && self.shadow_on_land == 1.0
            && self.own_shadow
            && self.shadow_shift == [0.0; 2]
    }
}

/// Altitudes (m) between which the same clouds are met.
#[derive(Clone, Debug, PartialEq)]
pub struct AltitudeInterval {
    pub from: f32,
    pub to: f32,
    /// Numbers of those clouds; the thickest first, whose drops stand for all.
    pub clouds: Vec<usize>,
}

impl AltitudeInterval {
    /// The bands of clouds, given the altitudes and the mean extinction of each.
    pub fn of(clouds: &[(f32, f32, f32)]) -> Vec<AltitudeInterval> {
        let mut edges: Vec<f32> = clouds.iter().flat_map(|(from, to, _)| [*from, *to]).collect();
        edges.sort_by(f32::total_cmp);
        edges.dedup();
        let within = |pair: &[f32]| {
            let (from, to) = (pair[0], pair[1]);
            let there = |i: &usize| clouds[*i].0 <= from && to <= clouds[*i].1;
            let mut inside: Vec<usize> = (0..clouds.len()).filter(there).collect();
            inside.sort_by(|a, b| clouds[*b].2.total_cmp(&clouds[*a].2));
            AltitudeInterval { from, to, clouds: inside }
        };
        edges.windows(2).map(within).filter(|band| !band.clouds.is_empty()).collect()
    }
}

impl Light {
    #[inline]
    pub fn direction(&self) -> [f64; 3] {
        self.placed.in_sky.direction
    }

    /// Sine of its height over level ground, none below.
    pub fn up(&self) -> f32 {
        self.direction()[2].max(0.0) as f32
    }

    /// Its light on a plane that faces it at an altitude, clouds and fog left out, lx in linear Rec.709.
    pub fn clear(&self, altitude: f64) -> Rgb {
        self.at_height(altitude, self.direction()[2])
    }

    /// The same where it is seen, lifted by refraction, from the eye's own place.
    pub fn seen(&self, altitude: f64) -> Rgb {
        self.at_height(altitude, self.placed.seen[2])
    }

    fn at_height(&self, altitude: f64, sine: f64) -> Rgb {
        self.sunlight.single(altitude, sine).map(|v| v * self.strength)
    }
}

impl Scene {
    pub fn planet(&self) -> f64 {
        self.air.medium.planet
    }

    /// Sine of the elevation of the horizon, negative from above the ground.
    pub fn horizon_sine(&self) -> f32 {
        let (planet, h) = (self.planet(), self.eye_altitude);
        (-(h * (2.0 * planet + h)).sqrt() / (planet + h)) as f32
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn layers_that_cross_share_a_band() {
        let bands =
            AltitudeInterval::of(&[(1000.0, 3000.0, 0.01), (2000.0, 2500.0, 0.05), (8000.0, 9000.0, 0.001)]);
        let expected: [(f32, f32, &[usize]); 4] = [
            (1000.0, 2000.0, &[0]),
            (2000.0, 2500.0, &[1, 0]),
            (2500.0, 3000.0, &[0]),
            (8000.0, 9000.0, &[2]),
        ];
        assert_eq!(bands.len(), expected.len());
        for (band, (from, to, clouds)) in bands.iter().zip(expected) {
            assert_eq!((band.from, band.to, band.clouds.as_slice()), (from, to, clouds));
        }
        assert!(AltitudeInterval::of(&[]).is_empty());
    }
}
