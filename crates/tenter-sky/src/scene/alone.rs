//! Skies lit by one light alone: all of their light goes with its strength, so that a picture of one serves
//! for all strengths.

use super::placed_lights;
use crate::document::{Sky, SkyKind};
use crate::spectrum::solar_illuminance;

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
/// let (unit, strength) = tenter_sky::scene::lit_alone(&sky).unwrap();
/// assert_eq!((unit.suns[0].strength, strength), (1.0, 2.5));
/// ```
pub fn lit_alone(sky: &Sky) -> Option<(Sky, f64)> {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::Fineness;
    use crate::camera::Camera;
    use crate::document::{CloudKind, Placement, Sun};
    use crate::live::Effort;
    use crate::picture::{Picture, render};
    use crate::scene::Workshop;

    fn sky(elevation_deg: f64) -> Sky {
        let mut sky = Sky { clouds: vec![CloudKind::CumulusMediocris.usual()], ..Sky::default() };
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg };
        sky
    }

    fn picture(sky: &Sky) -> Picture {
        let scene = Workshop::default().scene(sky, Fineness::Draft, &|| false).unwrap();
        render(&scene, &Camera::lens(&sky.eye, 96, 54), Effort::default(), &|| false).unwrap()
    }

    /// A picture at one strength, times the strength, is the picture at that strength.
    #[test]
    fn pictures_go_with_the_strength_of_their_only_light() {
        for elevation_deg in [35.0, 3.0] {
            let mut sky = sky(elevation_deg);
            sky.suns[0].strength = 3.0;
            let (unit, strength) = lit_alone(&sky).expect("one sun");
            for (one, drawn) in picture(&unit).pixels.iter().zip(&picture(&sky).pixels) {
                for c in 0..3 {
                    let told = one[c] * strength as f32;
                    assert!((told - drawn[c]).abs() <= 1e-3 * drawn[c].abs() + 1e-3, "{told} {}", drawn[c]);
                }
            }
        }
    }

    #[test]
    fn other_lights_beside_it_are_told_apart() {
        assert!(lit_alone(&sky(-3.0)).is_none(), "airglow and moon count at dusk");
        let mut two = sky(30.0);
        two.suns.push(Sun { strength: 0.2, ..two.suns[0].clone() });
        assert!(lit_alone(&two).is_none());
        two.suns[1].muted = true;
        assert!(lit_alone(&two).is_some());
        let mut glowing = sky(30.0);
        glowing.night.floor_lx = 100.0;
        assert!(lit_alone(&glowing).is_none());
        let mut dark = sky(30.0);
        dark.suns[0].strength = 0.0;
        assert!(lit_alone(&dark).is_none());
        // By day the moon is not.
        let mut moonlit = sky(30.0);
        moonlit.moon.risen = true;
        assert!(lit_alone(&moonlit).is_some());
    }
}
