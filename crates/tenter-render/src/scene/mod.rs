//! What a picture is computed from: lights, air, clouds, land and the tables of their light, as data.
//!
//! Scenes are built by [`crate::prepare`].

pub(crate) mod ambient;
mod eclipse;
mod fog;
mod lights;
pub(crate) mod probe;
pub(crate) mod slab_correction;

pub use ambient::{AmbientLight, LayerAmbient, UpwellingAirlight};
pub use eclipse::{FROM_OUTSIDE, Occluder, TOTALITY_LEFT, corona, covered_share};
pub use fog::Fog;
pub use lights::{
    Face, Lining, MAX_LIGHTS, PlacedLight, PlacedMoon, PlacedSun, grade_of, placed_lights, suns_on_worlds,
    time_of,
};
pub use probe::{EnvironmentProbe, GroundIrradiance};
pub use slab_correction::SlabCorrections;

use crate::air::{Air, AirView, SkyRadiance, SunlightTable, tangent_sine};
use crate::clouds::cover::column_statistics::ColumnStatistics;
use crate::clouds::form::CloudForm;
use crate::clouds::optics::mie::PhaseFunction;
use crate::clouds::sun_depth::SunDepth;
use crate::land::Land;
use crate::night::NightSky;
use crate::simd::Real;
use crate::worlds::{Shown, Worlds};
use std::sync::Arc;
use tenter_sky::document::{CloudLayer, Colour};
use tenter_sky::spectrum::Rgb;

/// Everything a picture of one sky is computed from.
#[derive(Clone)]
pub struct Scene {
    pub eye_altitude: f64,
    /// Suns and moon; never empty, though some may have no light.
    pub lights: Vec<Light>,
    pub air: Arc<Air>,
    /// The sky behind the clouds where it is not scattered by air.
    pub painted: Option<Arc<SkyRadiance>>,
    /// Mean radiance of airglow and stars, cd/m2: what they light things with.
    pub night_glow: f32,
    /// Stars and the light between them, where the sun is down.
    pub night: Option<Arc<NightSky>>,
    /// Neighbour worlds that are seen, and what the air lets through of them.
    pub worlds: Option<Arc<WorldsInSky>>,
    pub horizon: Horizon,
    /// Factor on the visible sky's radiance.
    pub seen_strength: f32,
    pub fog: Option<Fog>,
    /// Mean illuminance by each light inside the fog, on a plane that faces it, lx.
    pub fog_lit: [Rgb; MAX_LIGHTS],
    /// From the lowest base up.
    pub clouds: Vec<CloudComponent>,
    /// Altitude intervals with clouds, from the lowest up.
    pub intervals: Vec<AltitudeInterval>,
    pub land: Option<Arc<Land>>,
    pub ambient: AmbientLight,
    pub eye_probe: Option<Arc<EnvironmentProbe>>,
    pub ground_irradiance: Option<GroundIrradiance>,
}

/// Worlds behind the air.
pub struct WorldsInSky {
    pub worlds: Worlds,
    /// Light of a white star of the sun's illuminance through the air.
    pub through_air: Arc<SunlightTable>,
    /// That light outside the air.
    pub outside: Rgb,
}

impl WorldsInSky {
    /// What is seen of them behind clear air.
    pub fn toward(&self, altitude: f64, d: [f64; 3], pixel: f64) -> Option<Shown> {
        let shown = self.worlds.toward(d, pixel)?;
        let here = self.through_air.single(altitude, d[2]);
        let light = std::array::from_fn(|c| shown.light[c] * (here[c] / self.outside[c]).clamp(0.0, 1.0));
        Some(Shown { light, ..shown })
    }
}

/// A light and the tables made for it.
#[derive(Clone)]
pub struct Light {
    pub placed: PlacedLight,
    /// Strength as a multiple of the tables' light.
    pub strength: f32,
    pub view: Arc<AirView>,
    /// Radiance of its sky as seen from the ground.
    pub over_ground: Arc<SkyRadiance>,
    pub sunlight: Arc<SunlightTable>,
}

/// The blend of sky and ground at the horizon, radians.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Horizon {
    /// How far the sky reaches below the horizon.
    pub drop: f32,
    /// Angle of the transition.
    pub softness: f32,
}

/// One cloud form of a scene: the bodies of a layer, or the anvils over them.
#[derive(Clone)]
pub struct CloudComponent {
    /// The layer's place in the document.
    pub layer: usize,
    /// The form and the statistics of its columns.
    pub form: Arc<(CloudForm, ColumnStatistics)>,
    /// Optical depth toward each light.
    pub depths: Vec<Arc<SunDepth>>,
    /// (1 - g) of the particles over that of 10 um droplets (similarity): crystals have a smaller
    /// asymmetry.
    pub similarity_scale: f32,
    pub phase: Arc<PhaseFunction>,
    /// Corrections of light scattered more than once, for stratiform and cirriform clouds.
    pub slab_corrections: Arc<SlabCorrections>,
    pub shading: Shading,
    /// Factor on the optical depth of its shadow on the ground.
    pub shadow_on_land: f32,
    /// Whether it shades itself.
    pub own_shadow: bool,
    /// Offset of its shadow on others, east and north, m.
    pub shadow_shift: [f32; 2],
}

/// Artistic factors on a cloud's light; all 1 is physical.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Shading {
    /// On all scattered light.
    pub scatter: Rgb,
    /// On light of high scattering orders.
    pub absorb: Rgb,
    /// On light from sky and ground.
    pub shade: Rgb,
    /// On high orders, without colour.
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
    /// Optical depth of its shadow at a point beside it (m east, north and above its base) toward a light
    /// ([`SunDepth::from_outside`]).
    #[inline(always)]
    pub fn shadow<R: Real>(&self, light: usize, level: usize, [x, y, z]: [R; 3], toward: [R; 3]) -> R {
        let [east, north] = R::splat_each(self.shadow_shift);
        self.depths[light].from_outside(level, x - east, y - north, z, toward)
    }

    /// Whether light and shadows are physical.
    pub fn is_physical(&self) -> bool {
        self.shading == Shading::PHYSICAL
            && self.shadow_on_land == 1.0
            && self.own_shadow
            && self.shadow_shift == [0.0; 2]
    }
}

/// An altitude interval (m) with the same clouds throughout.
#[derive(Clone, Debug, PartialEq)]
pub struct AltitudeInterval {
    pub from: f32,
    pub to: f32,
    /// Indices of those clouds, the thickest first, whose particles stand for all.
    pub clouds: Vec<usize>,
}

impl AltitudeInterval {
    /// The intervals of clouds, given the altitudes and the mean extinction of each.
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

    /// Sine of its elevation, 0 below the horizon.
    pub fn up(&self) -> f32 {
        self.direction()[2].max(0.0) as f32
    }

    /// Illuminance on a plane that faces it at an altitude, without clouds and fog, lx in linear Rec.709.
    pub fn clear(&self, altitude: f64) -> Rgb {
        self.at_height(altitude, self.direction()[2])
    }

    /// The same at its apparent elevation, lifted by refraction, for discs.
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

    /// Radiance of the night sky and of worlds behind clouds in a direction, cd/m2, without stars.
    pub fn night_radiance(&self, direction: [f64; 3]) -> Rgb {
        let night = self.night.as_ref().map_or([self.night_glow; 3], |night| night.diffuse.at(direction));
        match self.worlds.as_ref().and_then(|w| w.toward(self.eye_altitude, direction, 1e-4)) {
            Some(world) => std::array::from_fn(|c| night[c] * (1.0 - world.hidden) + world.light[c]),
            None => night,
        }
    }

    /// Sine of the elevation of the horizon, negative from above the ground.
    pub fn horizon_sine(&self) -> f32 {
        tangent_sine(self.planet(), self.eye_altitude, 0.0) as f32
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
