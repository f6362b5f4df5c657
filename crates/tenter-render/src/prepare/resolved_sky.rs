//! A document with what follows from it alone, worked out once for a request.

use crate::scene::{PlacedLight, PlacedSun, placed_lights};
use tenter_sky::document::{Sky, SkyKind};
use tenter_sky::spectrum::solar_illuminance;

/// Share of the light below which that of others is neglected.
const TRACE: f64 = 1e-4;
/// Sine of the elevation below which other lights count, however weak.
const MIN_SINE: f64 = 0.02;
/// Share of a light's illuminance on a plane that faces it that reaches level ground at the least, from the
/// lowest elevation on (a clear sky with the sun at 1 degree has 2 klx; from memory).
const MIN_TRANSMITTANCE: f64 = 0.01;
/// Strengths below this leave thresholds of other parts of a scene.
const MIN_STRENGTH: f64 = 0.01;

/// A sky, where its lights stand and the exposure that holds for them.
#[derive(Clone, Debug)]
pub struct ResolvedSky {
    sky: Sky,
    lights: Vec<PlacedLight>,
    sun_elevation_deg: f64,
}

impl ResolvedSky {
    pub fn new(sky: Sky) -> ResolvedSky {
        let lights = placed_lights(&sky);
        let sun_elevation_deg = PlacedSun::of(&sky, &sky.suns[0]).elevation_deg;
        ResolvedSky { sky, lights, sun_elevation_deg }
    }

    pub fn sky(&self) -> &Sky {
        &self.sky
    }

    /// The suns in their order, the moon last.
    pub fn lights(&self) -> &[PlacedLight] {
        &self.lights
    }

    /// True elevation of the first sun, which exposures follow.
    pub fn sun_elevation_deg(&self) -> f64 {
        self.sun_elevation_deg
    }

    /// Exposure value at ISO 100 for that elevation.
    pub fn ev100(&self) -> f64 {
        self.sky.grade.ev100_at(self.sun_elevation_deg)
    }

    /// The sky with its one sun at strength 1, and that sun's strength: light is linear in it, so that one
    /// picture serves for all strengths. Nothing where other lights, airglow or a painted sky would be seen
    /// beside it.
    ///
    /// ```
    /// use tenter_render::prepare::ResolvedSky;
    /// use tenter_sky::document::{Placement, Sky};
    /// let mut sky = Sky::default();
    /// sky.suns[0].placement = Placement::Hand { azimuth_deg: 180.0, elevation_deg: 30.0 };
    /// sky.suns[0].strength = 2.5;
    /// let (unit, strength) = ResolvedSky::new(sky).normalised_single_light().unwrap();
    /// assert_eq!((unit.sky().suns[0].strength, strength), (1.0, 2.5));
    /// ```
    pub fn normalised_single_light(&self) -> Option<(ResolvedSky, f64)> {
        let (sky, lights) = (&self.sky, &self.lights);
        if sky.source.made_of != (SkyKind::Air {}) {
            return None;
        }
        let strength = |i: usize| lights[i].in_sky.strength;
        let main = (0..sky.suns.len()).max_by(|a, b| strength(*a).total_cmp(&strength(*b)))?;
        let light = &lights[main].in_sky;
        let others: f64 = (0..lights.len()).filter(|i| *i != main).map(strength).sum();
        let glow = sky.night.floor_lx / (MIN_TRANSMITTANCE * solar_illuminance() * light.strength);
        let alone = sky.suns[main].strength >= MIN_STRENGTH
            && light.direction[2] >= MIN_SINE
            && others <= TRACE * light.strength
            && lights[main].covered == 0.0
            && sky.worlds.is_empty()
            && glow <= TRACE;
        alone.then(|| {
            let mut unit = self.clone();
            unit.sky.suns[main].strength = 1.0;
            unit.lights[main].in_sky.strength = PlacedSun::of(&unit.sky, &unit.sky.suns[main]).strength;
            (unit, sky.suns[main].strength)
        })
    }
}
