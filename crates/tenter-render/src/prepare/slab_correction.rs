//! Builds the corrections of stratiform clouds: exact light of plane slabs over the integrator's
//! approximation of it.

use crate::clouds::optics::diffusion::{ASYMMETRY, NON_FORWARD_FRACTION};
use crate::clouds::optics::mie::PhaseFunction;
use crate::clouds::optics::slab_table::{
    AS_DROPLETS, DIRECTIONS, LIGHT, OUT, SIDES, SlabTable, THICKNESS, TURN,
};
use crate::integrator::multiple_scattering::{
    NON_FORWARD, SlabPoint, forward_scattered_fraction, low_order_phase,
};
use crate::scene::SlabCorrections;
use crate::simd::Scalar;
use std::f32::consts::PI;
use std::sync::LazyLock;

/// Limits of the corrections: beyond them neither side is accurate.
const MOST: f32 = 6.0;

/// All thicknesses, lights and directions of the table, as [`SlabTable::radiance`] takes them.
fn cases() -> impl Iterator<Item = [usize; 5]> {
    let directions = |[t, l]: [usize; 2]| {
        (0..DIRECTIONS).map(move |d| {
            let (way, turn) = (d / TURN.len(), d % TURN.len());
            [t, l, way / OUT.len(), way % OUT.len(), turn]
        })
    };
    (0..THICKNESS.len()).flat_map(|t| (0..LIGHT.len()).map(move |l| [t, l])).flat_map(directions)
}

/// The integrator's light of even slabs, which depends on thickness alone; in the order of
/// [`SlabCorrections`].
struct Uncorrected {
    light: Vec<f32>,
    surroundings: Vec<[f32; 2]>,
}

impl Uncorrected {
    fn get() -> &'static Uncorrected {
        static TABLE: LazyLock<Uncorrected> = LazyLock::new(Uncorrected::new);
        &TABLE
    }

    fn new() -> Uncorrected {
        let light = cases()
            .map(|[t, l, side, out, turn]| {
                of_light(THICKNESS[t] / AS_DROPLETS, LIGHT[l], side, OUT[out], TURN[turn])
            })
            .collect();
        let ways = (0..SIDES).flat_map(|side| OUT.map(|out| (side, out)));
        let surroundings = ways
            .flat_map(|(side, out)| THICKNESS.map(|t| of_surroundings(t / AS_DROPLETS, side, out)))
            .collect();
        Uncorrected { light, surroundings }
    }
}

impl SlabCorrections {
    /// `turned`: the particles' similarity scale.
    pub fn new(phase: &PhaseFunction, turned: f32) -> SlabCorrections {
        let believed = |exact: f32, own: f32| (exact / own.max(1e-9)).clamp(1.0 / MOST, MOST);
        let (slabs, own) = (SlabTable::of(phase, turned), Uncorrected::get());
        let light = cases().zip(&own.light).map(|(case, own)| believed(slabs.radiance(case), *own)).collect();
        let (mut above, mut below) = (Vec::new(), Vec::new());
        let mut uncorrected = own.surroundings.iter();
        for side in 0..SIDES {
            for out in OUT {
                let under = slabs.under(out);
                for (thickness, own) in THICKNESS.into_iter().zip(&mut uncorrected) {
                    // Light out along a path under uniform light is what a beam along it would deposit
                    // there (reciprocity; van de Hulst 1980, section 3.3); forward-scattered light is taken
                    // from behind.
                    let thickness = thickness / AS_DROPLETS;
                    let sent_back = under.reflectance(thickness / turned);
                    let passed = 1.0 - sent_back - (-NON_FORWARD * thickness / out).exp();
                    let (over, beneath) = if side == 0 { (passed, sent_back) } else { (sent_back, passed) };
                    above.push(believed(over, own[0]));
                    below.push(believed(beneath, own[1]));
                }
            }
        }
        let moments = phase.moments();
        let peak = moments.peak().max(0.0) as f32;
        let twice =
            moments.peak_asymmetry(1.0 - NON_FORWARD_FRACTION as f64).powi(2).clamp(0.8, 0.999) as f32;
        SlabCorrections { slabs, peak, cut_off: phase.cut_off(peak as f64), twice, light, above, below }
    }
}

/// Points of equal opacity along a path through an even slab: their depths to both surfaces, and the
/// opacity of each.
fn places(thickness: f32, side: usize, out: f32) -> ([[f32; 2]; STEPS], f32) {
    let seen = 1.0 - (-thickness / out).exp();
    let place = |i: usize| {
        let way = -(1.0 - (i as f32 + 0.5) / STEPS as f32 * seen).ln() * out;
        if side == 0 { [thickness - way, way] } else { [way, thickness - way] }
    };
    (std::array::from_fn(place), seen / STEPS as f32)
}

/// Points along the path.
const STEPS: usize = 24;

/// The point's inputs: sines of elevation of the light and of the view ray.
fn even([above, below]: [f32; 2], light: f32, down: f32) -> SlabPoint<Scalar> {
    SlabPoint {
        above: Scalar(above),
        below: Scalar(below),
        beside: Scalar(1e6),
        depth: Scalar(above / light),
        up: Scalar(light),
        down: Scalar(down),
        spread: Scalar(1.0) - forward_scattered_fraction(Scalar(above + below), Scalar(down)),
    }
}

/// Sine of elevation of the view ray from below or above.
fn looking(side: usize, out: f32) -> f32 {
    if side == 0 { out } else { -out }
}

/// Uncorrected radiance of low and high orders out of an even slab; angles as in [`SlabTable`].
fn of_light(thickness: f32, light: f32, side: usize, out: f32, turn_deg: f32) -> f32 {
    let flat = |m: f32| (1.0 - m * m).max(0.0).sqrt();
    let down = looking(side, out);
    let cosine = flat(light) * flat(out) * turn_deg.to_radians().cos() + light * down;
    let (places, opacity) = places(thickness, side, out);
    let sent = places.map(|place| {
        let (_, [few, many]) = even(place, light, down).in_sheet();
        few.0 * low_order_phase(Scalar(cosine)).0 + many.0 * 0.25 / PI
    });
    sent.iter().sum::<f32>() * opacity
}

/// Uncorrected radiance out of an even slab under a radiance of 1 from above, and from below.
fn of_surroundings(thickness: f32, side: usize, out: f32) -> [f32; 2] {
    let down = looking(side, out);
    let (places, opacity) = places(thickness, side, out);
    let mut sums = [0.0; 2];
    for place in places {
        let here = even(place, 0.5, down);
        let (r, _) = here.in_sheet();
        let lean = r.lean.0 * down * ASYMMETRY;
        sums[0] += (r.above.0 + lean) * here.spread.0 * opacity;
        sums[1] += (r.below.0 - lean) * here.spread.0 * opacity;
    }
    sums
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::scene::slab_correction::at_thickness;

    /// At the table's directions rays get its values.
    #[test]
    fn rays_get_the_correction_of_their_direction() {
        let table = SlabCorrections::new(&PhaseFunction::new(10.0), 1.0);
        let (light, out, turn) = (4, 3, 2);
        let flat = |m: f32| (1.0 - m * m).sqrt();
        let (s, c) = TURN[turn].to_radians().sin_cos();
        for (side, z) in [(0, OUT[out]), (1, -OUT[out])] {
            let way = [flat(OUT[out]) * c, flat(OUT[out]) * s, z];
            let toward = [flat(LIGHT[light]) as f64, 0.0, LIGHT[light] as f64];
            let mut found = [[0.0; 16]; THICKNESS.len()];
            table.of_light(way, toward, 0, &mut found);
            let found = found.map(|f| Scalar(f[0]));
            for (t, thickness) in THICKNESS.into_iter().enumerate() {
                let expected = table.light
                    [(t * LIGHT.len() + light) * DIRECTIONS + (side * OUT.len() + out) * TURN.len() + turn];
                assert!((found[t].0 / expected - 1.0).abs() < 1e-3);
                let at = at_thickness(&found, Scalar((thickness / AS_DROPLETS).ln()));
                assert!((at.0 / expected - 1.0).abs() < 1e-3, "{side} {thickness}");
            }
        }
    }

    #[test]
    fn corrections_are_moderate_where_the_sun_is_high() {
        let table = SlabCorrections::new(&PhaseFunction::new(10.0), 1.0);
        let values: Vec<f32> = (0..THICKNESS.len())
            .flat_map(|t| {
                (0..SIDES * OUT.len()).map(move |d| (t * LIGHT.len() + 7) * DIRECTIONS + d * TURN.len() + 4)
            })
            .map(|i| table.light[i])
            .collect();
        let usual = values.iter().filter(|v| (0.4..2.5).contains(*v)).count();
        assert!(usual * 10 > values.len() * 8, "{values:?}");
    }
}
