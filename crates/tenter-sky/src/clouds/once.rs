//! Light that an even sheet scatters once, and that leaves it then.

use super::mie::DropletPhase;
use std::f64::consts::{PI, TAU};

/// Rings of scattering angles, closer together around the light, and places along each.
const RINGS: usize = 160;
const AROUND: usize = 24;
/// Of the three colours of a phase function.
const GREEN: usize = 1;

/// Shares of the flux on a sheet of optical thickness `thickness`, lit at a cosine `light` to straight down, that leave it
/// after one scattering: through it, and back (Chandrasekhar 1960, section 9, the first order).
///
/// ```
/// use tenter_sky::clouds::{mie::DropletPhase, once::once};
/// // So thin a sheet scatters its depth, droplets nearly all of it forward.
/// let [through, back] = once(&DropletPhase::new(10.0), 0.01, 1.0);
/// assert!((through + back - 0.01).abs() < 3e-4 && back < 0.1 * through);
/// ```
pub fn once(phase: &DropletPhase, thickness: f32, light: f32) -> [f32; 2] {
    let (thickness, light) = (thickness as f64, light as f64);
    let flat = (1.0 - light * light).max(0.0).sqrt();
    let (mut shares, mut whole) = ([0.0; 2], 0.0);
    for ring in 0..RINGS {
        let edge = |k: usize| PI * (k as f64 / RINGS as f64).powi(3);
        let (from, to) = (edge(ring), edge(ring + 1));
        let angle = 0.5 * (from + to);
        let (sine, cosine) = angle.sin_cos();
        let weight = phase.at(cosine)[GREEN] as f64 * (from.cos() - to.cos()) * TAU / AROUND as f64;
        for k in 0..AROUND {
            let turn = TAU * (k as f64 + 0.5) / AROUND as f64;
            let out = light * cosine + flat * sine * turn.cos();
            whole += weight;
            shares[usize::from(out < 0.0)] += weight * leaves(thickness, light, out);
        }
    }
    shares.map(|share| (share / whole) as f32)
}

/// Share of light that meets something on its way down through a sheet and leaves it unhindered at a cosine `out` to
/// straight down.
fn leaves(thickness: f64, light: f64, out: f64) -> f64 {
    let along = out.abs().max(1e-6);
    if out < 0.0 {
        let both = 1.0 / light + 1.0 / along;
        return (1.0 - (-thickness * both).exp()) / (both * light);
    }
    let apart = (1.0 / light - 1.0 / along) * thickness;
    let per_light = thickness / light;
    let [in_light, in_along] = [light, along].map(|cosine| (-thickness / cosine).exp());
    if apart.abs() < 1e-4 { in_light * per_light } else { (in_along - in_light) / apart * per_light }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Photons that go on as they came: met once at depth t, t e^-t of them.
    #[test]
    fn what_goes_straight_on_has_met_one_thing() {
        for (thickness, light) in [(0.3, 1.0), (2.0, 0.5)] {
            let t: f64 = thickness / light;
            assert!((leaves(thickness, light, light) - t * (-t).exp()).abs() < 1e-9);
            let near = leaves(thickness, light, light * 1.001);
            assert!((near / leaves(thickness, light, light) - 1.0).abs() < 0.01);
        }
    }
}
