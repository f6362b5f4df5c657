//! Plane slabs by adding and doubling, against discrete ordinates and against photons followed one by one.

use fastrand::Rng;
use glam::DVec3;
use tenter_reference::phase::{henyey_greenstein_cosine, rotated};
use tenter_reference::slabs::REFLECTANCE;
use tenter_render::air::henyey_greenstein;
use tenter_render::clouds::optics::doubling::{Directions, Moments, STREAMS, slabs};
use tenter_render::clouds::optics::slab_table::{G, SlabTable};
use tenter_render::simd::Scalar;

/// The table's own flux, against discrete ordinates.
#[test]
fn the_table_sends_back_what_discrete_ordinates_give() {
    for (thickness, expected) in REFLECTANCE {
        for (cosine, expected) in [1.0f32, 0.87, 0.5, 0.2].into_iter().zip(expected) {
            let got = SlabTable::get().under(cosine).reflectance(thickness as f32) as f64;
            assert!((got - expected).abs() < 0.003, "{thickness} {cosine}: {got} for {expected}");
        }
    }
}

/// One slab under a light at a cosine to straight down, for Henyey and Greenstein's phase function with g
/// = 0.85: radiance of light that is scattered twice and more, for an irradiance of 1 on a plane that
/// faces the light, in directions (cosine to straight down, and azimuth from the light's own heading,
/// degrees). Every meeting past the first sends what it would send into each direction (local estimates;
/// for example Marchuk et al. 1980, section 4.2).
fn follow(thickness: f32, light: f32, directions: &[(f32, f32)], photons: usize) -> Vec<f32> {
    let photons = (photons as f32 / (1.0 + thickness / 6.0)) as usize;
    let mut rng = Rng::with_seed(thickness.to_bits() as u64 ^ (light.to_bits() as u64) << 20);
    let flat = |m: f32| (1.0 - m * m).max(0.0).sqrt();
    // Down is positive.
    let leaving: Vec<[f32; 3]> = directions
        .iter()
        .map(|(down, turn)| {
            let (s, c) = turn.to_radians().sin_cos();
            [flat(*down) * c, flat(*down) * s, *down]
        })
        .collect();
    let mut radiance = vec![0.0f64; directions.len()];
    for _ in 0..photons {
        let mut w = [flat(light), 0.0, light];
        let mut depth = 0.0f32;
        for order in 1.. {
            depth -= w[2] * (1.0 - rng.f32()).ln();
            if !(0.0..thickness).contains(&depth) {
                break;
            }
            if order > 1 {
                for (sum, d) in radiance.iter_mut().zip(&leaving) {
                    let cosine = w[0] * d[0] + w[1] * d[1] + w[2] * d[2];
                    let way = if d[2] > 0.0 { (thickness - depth) / d[2] } else { depth / -d[2] };
                    *sum += (henyey_greenstein(G, Scalar(cosine)).0 * (-way).exp() / d[2].abs()) as f64;
                }
            }
            let cosine = henyey_greenstein_cosine(G as f64, rng.f64());
            w = rotated(DVec3::from_array(w.map(f64::from)).normalize(), cosine, &mut rng)
                .to_array()
                .map(|v| v as f32);
        }
    }
    let weight = light as f64 / photons as f64;
    radiance.into_iter().map(|v| (v * weight) as f32).collect()
}

/// Published reflectances and discrete ordinates' ones, which have 48 streams.
#[test]
fn slabs_send_back_what_discrete_ordinates_give() {
    let directions = Directions::with(&[1.0, 0.87, 0.5, 0.2]);
    let slabs = slabs(&Moments::henyey_greenstein(0.85), &directions, 0.5, 8);
    for (thickness, expected) in REFLECTANCE {
        let slab = &slabs[(thickness / 0.5).log2().round() as usize];
        for (got, expected) in slab.reflectance[STREAMS..].iter().zip(expected) {
            assert!((got - expected).abs() < 1e-3, "{thickness}: {got} for {expected}");
        }
    }
}

/// What photons find that are followed one by one.
#[test]
fn slabs_send_what_photons_do() {
    let (light, out) = (0.6, [0.2, 0.5, 0.85]);
    let directions = Directions::with(&[light, out[0], out[1], out[2]]);
    let slabs = slabs(&Moments::henyey_greenstein(0.85), &directions, 0.5, 6);
    for (i, thickness) in [(0, 0.5), (3, 4.0), (5, 16.0)] {
        let turns = [10.0, 80.0, 180.0];
        let ways: Vec<[f64; 3]> = (0..2)
            .flat_map(|side| out.into_iter().map(move |out| (side, out)))
            .flat_map(|(side, out)| turns.map(|turn| [if side == 0 { out } else { -out }, out, turn]))
            .collect();
        let looks: Vec<(f32, f32)> =
            ways.iter().map(|[down, _, turn]| (*down as f32, *turn as f32)).collect();
        let found = follow(thickness, light as f32, &looks, 400_000);
        for ([down, out_cosine, turn], found) in ways.iter().zip(found) {
            let o = out.iter().position(|o| o == out_cosine).unwrap();
            let both = slabs[i].radiance(&directions, STREAMS + 1 + o, STREAMS, turn.to_radians());
            let got = if *down > 0.0 { both[1] } else { both[0] };
            let found = found as f64;
            assert!((got / found - 1.0).abs() < 0.06, "{thickness} {down} {turn}: {got} for {found}");
        }
    }
}
