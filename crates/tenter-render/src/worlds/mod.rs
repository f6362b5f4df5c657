//! Neighbour worlds: what they show in a direction, outside the air, and the light they shed.

mod body;
mod rings;
mod surface;

pub use body::{Body, lambert_phase};

use crate::simd::{Mask, Real};
use tenter_sky::document::{Sky, World};
use tenter_sky::spectrum::Rgb;

/// The worlds of a sky, the nearest first.
pub struct Worlds {
    bodies: Vec<Body>,
}

/// A sun as it lights worlds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SunOnWorlds {
    /// Unit vector toward it.
    pub direction: [f64; 3],
    /// On a plane that faces it, outside the air and uneclipsed, lx in linear Rec.709.
    pub illuminance: [f64; 3],
}

/// What worlds show in a direction.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Shown {
    /// cd/m2, linear Rec.709.
    pub light: Rgb,
    /// Share of what is behind that they hide.
    pub hidden: f32,
}

impl Worlds {
    /// None where nothing is seen.
    pub fn new(sky: &Sky, suns: &[SunOnWorlds]) -> Option<Worlds> {
        let mut seen: Vec<&World> = sky.worlds.iter().filter(|w| !w.muted && w.seen).collect();
        if seen.is_empty() {
            return None;
        }
        seen.sort_by(|a, b| a.distance_km.total_cmp(&b.distance_km));
        Some(Worlds { bodies: seen.into_iter().map(|world| Body::new(world, suns)).collect() })
    }

    /// Whether some ray of a packet may meet a world.
    #[inline(always)]
    pub fn may_meet<R: Real>(&self, d: [R; 3]) -> bool {
        for body in &self.bodies {
            let [x, y, z] = body.direction;
            let cosine = d[0] * R::splat(x as f32) + d[1] * R::splat(y as f32) + d[2] * R::splat(z as f32);
            if R::splat(body.nearest_cosine as f32 - 1e-6).lt(cosine).any() {
                return true;
            }
        }
        false
    }

    /// What is seen in a direction (unit vector); `pixel`: angular footprint, radians.
    pub fn toward(&self, d: [f64; 3], pixel: f64) -> Option<Shown> {
        let mut whole = Shown { light: [0.0; 3], hidden: 0.0 };
        for shown in self.bodies.iter().filter_map(|body| body.toward(d, pixel)) {
            let left = 1.0 - whole.hidden;
            for c in 0..3 {
                whole.light[c] += left * shown.light[c];
            }
            whole.hidden += left * shown.hidden;
        }
        (whole.hidden > 0.0 || whole.light != [0.0; 3]).then_some(whole)
    }
}
