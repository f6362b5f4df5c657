//! Skies lit by one light alone: all of their light goes with its strength, so that a picture of one serves
//! for all strengths.

use crate::scene::placed_lights;
use tenter_sky::document::{Sky, SkyKind};
use tenter_sky::spectrum::solar_illuminance;

/// Share of the light below which that of others is not told apart.
const TRACE: f64 = 1e-4;
/// Sine of the elevation below which other lights count, however weak.
const LOWEST: f64 = 0.02;
/// Share of a light's illuminance on a plane that faces it that reaches level ground at the least, from the
/// lowest elevation on (a clear sky with the sun at 1 degree has 2 klx; from memory).
const ARRIVES: f64 = 0.01;
/// Strengths below this leave thresholds of other parts of a scene.
const WEAKEST: f64 = 0.01;

/// The sky as it would be with its one sun at strength 1, and that sun's strength; nothing where other
/// lights, airglow or a painted sky would be seen beside it.
///
/// ```
/// use tenter_sky::document::{Placement, Sky};
/// let mut sky = Sky::default();
/// sky.suns[0].placement = Placement::Hand { azimuth_deg: 180.0, elevation_deg: 30.0 };
/// sky.suns[0].strength = 2.5;
/// let (unit, strength) = tenter_render::prepare::lit_alone(&sky).unwrap();
/// assert_eq!((unit.suns[0].strength, strength), (1.0, 2.5));
/// ```
pub fn normalised_single_light(sky: &Sky) -> Option<(Sky, f64)> {
    if sky.source.made_of != (SkyKind::Air {}) {
        return None;
    }
    let lights = placed_lights(sky);
    let strength = |i: usize| lights[i].in_sky.strength;
    let main = (0..sky.suns.len()).max_by(|a, b| strength(*a).total_cmp(&strength(*b)))?;
    let light = &lights[main].in_sky;
    let others: f64 = (0..lights.len()).filter(|i| *i != main).map(strength).sum();
    let glow = sky.night.floor_lx / (ARRIVES * solar_illuminance() * light.strength);
    let alone = sky.suns[main].strength >= WEAKEST
        && light.direction[2] >= LOWEST
        && others <= TRACE * light.strength
        && glow <= TRACE;
    alone.then(|| {
        let mut unit = sky.clone();
        unit.suns[main].strength = 1.0;
        (unit, sky.suns[main].strength)
    })
}
