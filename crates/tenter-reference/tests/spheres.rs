//! The table of spheres against paths followed one by one, and against slabs.

use fastrand::Rng;
use glam::DVec3;
use tenter_reference::phase::{henyey_greenstein_cosine, rotated};
use tenter_reference::spheres::{random_direction, random_point, to_surface};
use tenter_render::air::henyey_greenstein;
use tenter_render::clouds::optics::diffusion::NON_FORWARD_FRACTION;
use tenter_render::clouds::optics::mie::PhaseFunction;
use tenter_render::clouds::optics::slab_table::SlabTable;
use tenter_render::clouds::optics::sphere_table::{HALF, LOBES, SphereTable, diffracted, lobes};
use tenter_render::simd::Scalar;

fn shares(depth: f64, near: f64, radius: f64) -> [f64; LOBES] {
    let at = |v: f64| Scalar(v as f32);
    SphereTable::get().at(at(depth), at(near), at(radius / HALF as f64)).map(|s| s.0 as f64)
}

/// What leaves a ball is what comes in: straight, after one scattering, and after more as the table has
/// it.
#[test]
fn no_light_is_lost_in_balls() {
    const LOOKS: usize = 200_000;
    let phase = PhaseFunction::new(10.0);
    for radius in [2.0f64, 8.0, 30.0, 100.0] {
        let mut rng = Rng::with_seed(5);
        let mut left = 0.0;
        for _ in 0..LOOKS {
            let (place, likely) = random_point(radius, &mut rng);
            let direction = random_direction(&mut rng);
            let depth = to_surface(place, radius, DVec3::NEG_X);
            let sources = shares(depth, radius - place.length(), radius);
            let many: f64 = lobes(direction.x).iter().zip(sources).map(|(l, s)| l * s).sum();
            let away = (-to_surface(place, radius, direction)).exp();
            left += many * away * 4.0 * std::f64::consts::PI / likely / LOOKS as f64;
            // Once scattered light is drawn by its own function: evenly drawn directions would miss its
            // peak.
            let near = (-depth).exp() / likely / LOOKS as f64;
            let (cosine, value) = broad(&mut rng);
            let rotated = rotated(DVec3::X, cosine, &mut rng);
            let away = to_surface(place, radius, rotated);
            left += near * phase.at(cosine)[1] as f64 / value * (-away).exp();
            let x = (depth + away) * (1.0 - NON_FORWARD_FRACTION as f64);
            let more = x.exp_m1() / x - 1.0;
            left += near * diffracted(Scalar(cosine as f32)).0 as f64 * more / value * (-away).exp();
        }
        let through: f64 = (0..1000)
            .map(|i| {
                let beside = radius * ((i as f64 + 0.5) / 1000.0).sqrt();
                (-2.0 * (radius * radius - beside * beside).sqrt()).exp() / 1000.0
            })
            .sum();
        let came = std::f64::consts::PI * radius * radius * (1.0 - through);
        // Of small balls some light is missing that drops turn a little, by refraction, more than once:
        // lobes are too broad for that.
        let least = if radius < 4.0 { 0.8 } else { 0.95 };
        assert!((least..1.02).contains(&(left / came)), "{radius}: {}", left / came);
    }
}

/// A cosine, and how likely its direction is per steradian: half of them within the peak.
fn broad(rng: &mut Rng) -> (f64, f64) {
    const G: [f64; 2] = [0.98, 0.6];
    let cosine = henyey_greenstein_cosine(G[rng.usize(..2)], rng.f64());
    let likely = G.map(|g| henyey_greenstein(g as f32, Scalar(cosine as f32)).0 as f64);
    (cosine, 0.5 * (likely[0] + likely[1]))
}

/// The lit pole of a large ball is as bright as a thick slab, seen and lit straight down; slabs agree
/// with discrete ordinates.
#[test]
fn large_balls_are_as_bright_as_slabs() {
    let radius = 64.0;
    let lobes = lobes(-1.0);
    let steps = 400;
    let radiance: f64 = (0..steps)
        .map(|i| {
            let depth = -(1.0 - (i as f64 + 0.5) / steps as f64).ln();
            let sources = shares(depth, depth, radius);
            lobes.iter().zip(sources).map(|(l, s)| l * s).sum::<f64>() / steps as f64
        })
        .sum();
    // A ball of this radius has the volume to its surface of a slab of two thirds of it. Thickness 32 and
    // 64, an upright light, straight back:
    let slabs = SlabTable::get();
    let [thinner, thicker] = [7, 8].map(|t| slabs.radiance([t, 10, 1, 8, 0]) as f64);
    assert!((0.85 * thinner..1.05 * thicker).contains(&radiance), "{radiance}: {thinner} {thicker}");
}
