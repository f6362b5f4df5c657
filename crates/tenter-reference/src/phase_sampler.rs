//! Sampling of phase functions of droplets and crystals.
//!
//! Half of their scattering is diffraction within a degree or two, narrower for shorter wavelengths. Paths
//! of a hundred scatterings then have two problems. A path sampled for one colour would weigh hundreds of
//! times more or less for another: each is weighted by how often any of three colours would have sampled it
//! (balance heuristic over wavelengths, Wilkie, Nawaz, Droske, Weidlich and Hanika 2014). And few paths
//! enter the peak around a light, with a thousand times the contribution of others: scatterings are split
//! into the forward peak and the rest ([`PhaseSampler::onward`]), and forward-peak scatterings on the last
//! segment to a light count as none ([`CloudField`](super::clouds::CloudField)).

use super::phase::rotated;
use fastrand::Rng;
use glam::DVec3;
use std::f64::consts::PI;
use tenter_render::clouds::optics::mie::PhaseFunction;
use tenter_sky::spectrum::{BANDS, Spectrum, band_centre_nm};

/// Steps of the cumulative distribution.
const STEPS: usize = 4096;
/// Angle of the forward peak, radians: past the first dark ring of droplets of 10 um (1.9 degrees in green;
/// Airy 1835).
const ONWARD: f64 = 0.07;

/// The phase function of a cloud and its cumulative distribution.
pub struct PhaseSampler {
    /// From straight on to straight back; the first is the direction itself.
    steps: Vec<Step>,
    /// Shares of the three colours' functions for each band.
    mix: [[f32; 3]; BANDS],
    /// Share of the forward peak.
    pub onward: Spectrum,
}

/// A step of the angle.
#[derive(Clone, Copy)]
pub(super) struct Step {
    /// Cosine where it ends.
    cosine: f64,
    /// Cumulative probability for red, green and blue.
    no_farther: [f64; 3],
    /// Mean of the function, per steradian.
    values: [f32; 3],
    onward: f32,
}

/// Phase function at an angle.
pub struct ScatteredWeight {
    /// Per steradian, band by band.
    pub phase: Spectrum,
    /// Forward-peak share of it: the excess over the value beside the peak.
    pub onward: f32,
}

/// A path's weights, and the sampling density of each colour over their mean.
#[derive(Clone, Copy)]
pub struct Weight {
    pub bands: Spectrum,
    drawn: [f32; 3],
    /// The sampling colour.
    colour: usize,
}

impl Weight {
    pub fn new(rng: &mut Rng) -> Weight {
        Weight { bands: Spectrum::splat(1.0), drawn: [1.0; 3], colour: rng.usize(..3) }
    }
}

/// The direction in which a path continues.
pub struct ScatterEvent {
    pub direction: DVec3,
    pub onward: bool,
}

impl PhaseSampler {
    pub fn new(phase: &PhaseFunction) -> PhaseSampler {
        // Finer toward straight on, where most of the light goes.
        let cosine = |i: usize| (PI * (i as f64 / STEPS as f64).powi(3)).cos();
        let beside = phase.at(ONWARD.cos())[1];
        let first = Step { cosine: 1.0, no_farther: [0.0; 3], values: [0.0; 3], onward: 0.0 };
        let mut steps = vec![first];
        for i in 1..=STEPS {
            let (c0, c1) = (cosine(i - 1), cosine(i));
            let (p0, p1) = (phase.at(c0), phase.at(c1));
            let values: [f32; 3] = std::array::from_fn(|k| 0.5 * (p0[k] + p1[k]));
            let before = steps[i - 1].no_farther;
            let no_farther = std::array::from_fn(|k| before[k] + 2.0 * PI * values[k] as f64 * (c0 - c1));
            let onward = if c0 > ONWARD.cos() { (1.0 - beside / values[1]).max(0.0) } else { 0.0 };
            steps.push(Step { cosine: c1, no_farther, values, onward });
        }
        let all = steps[STEPS].no_farther;
        let mut onward = [0.0; 3];
        let mut before = [0.0; 3];
        for step in &mut steps {
            for k in 0..3 {
                step.no_farther[k] /= all[k];
                step.values[k] /= all[k] as f32;
                onward[k] += (step.no_farther[k] - before[k]) as f32 * step.onward;
            }
            before = step.no_farther;
        }
        let mix = std::array::from_fn(|b| shares(band_centre_nm(b)));
        PhaseSampler { steps, mix, onward: mixed(&mix, onward) }
    }

    /// What is scattered by an angle, told by its cosine.
    pub fn at(&self, cosine: f64) -> ScatteredWeight {
        let angle = cosine.clamp(-1.0, 1.0).acos();
        let i = ((angle / PI).cbrt() * STEPS as f64) as usize + 1;
        let step = &self.steps[i.min(STEPS)];
        ScatteredWeight { phase: mixed(&self.mix, step.values), onward: step.onward }
    }

    /// Samples the next direction and its weight.
    pub fn turn(&self, direction: DVec3, weight: &mut Weight, rng: &mut Rng) -> ScatterEvent {
        let (cosine, step) = self.draw(weight.colour, rng);
        let drawn: [f32; 3] = std::array::from_fn(|k| weight.drawn[k] * step.values[k]);
        let per_mean = 3.0 / (drawn[0] + drawn[1] + drawn[2]);
        weight.bands = weight.bands * mixed(&self.mix, step.values) * per_mean;
        weight.drawn = drawn.map(|d| d * per_mean);
        let onward = step.onward > 0.0 && rng.f32() < step.onward;
        ScatterEvent { direction: rotated(direction, cosine, rng), onward }
    }

    /// Draws the cosine of an angle.
    pub(super) fn draw(&self, colour: usize, rng: &mut Rng) -> (f64, &Step) {
        let u = rng.f64();
        let i = self.steps.partition_point(|s| s.no_farther[colour] < u).clamp(1, STEPS);
        let [before, step] = [&self.steps[i - 1], &self.steps[i]];
        let (u0, u1) = (before.no_farther[colour], step.no_farther[colour]);
        let f = if u1 > u0 { (u - u0) / (u1 - u0) } else { 0.5 };
        (before.cosine + (step.cosine - before.cosine) * f, step)
    }
}

fn mixed(mix: &[[f32; 3]; BANDS], rgb: [f32; 3]) -> Spectrum {
    Spectrum(mix.map(|mix| mix[0] * rgb[0] + mix[1] * rgb[1] + mix[2] * rgb[2]))
}

/// Shares of the functions for red, green and blue at a wavelength: straight between the colours' own.
fn shares(nm: f64) -> [f32; 3] {
    let [red, green, blue] = PhaseFunction::WAVELENGTHS_NM;
    if nm >= green {
        let f = ((nm - green) / (red - green)).min(1.0) as f32;
        [f, 1.0 - f, 0.0]
    } else {
        let f = ((green - nm) / (green - blue)).min(1.0) as f32;
        [0.0, 1.0 - f, f]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn turns_have_the_asymmetry_of_their_function() {
        let phase = PhaseFunction::new(10.0);
        let turns = PhaseSampler::new(&phase);
        let mut rng = Rng::with_seed(2);
        const N: usize = 200_000;
        for colour in 0..3 {
            let (mut mean, mut gain) = (0.0, 0.0);
            for _ in 0..N {
                let (cosine, step) = turns.draw(colour, &mut rng);
                mean += cosine / N as f64;
                gain += phase.at(cosine)[colour] as f64 / step.values[colour] as f64 / N as f64;
            }
            assert!((mean - phase.asymmetry[colour]).abs() < 0.003, "{mean} {:?}", phase.asymmetry);
            assert!((gain - 1.0).abs() < 0.02, "{gain}");
        }
    }

    /// After many turns every band still weighs one on average, none more than three times as much, and each
    /// keeps its own asymmetry: after k turns the mean cosine to the first direction is g^k.
    #[test]
    fn weights_hold_for_all_colours_after_many_turns() {
        let phase = PhaseFunction::new(10.0);
        let turns = PhaseSampler::new(&phase);
        let mut rng = Rng::with_seed(7);
        const N: usize = 40_000;
        const TURNS: i32 = 12;
        let (mut mean, mut cosines) = (Spectrum::ZERO, Spectrum::ZERO);
        for _ in 0..N {
            let mut weight = Weight::new(&mut rng);
            let mut direction = DVec3::Z;
            for _ in 0..TURNS {
                direction = turns.turn(direction, &mut weight, &mut rng).direction;
            }
            assert!(weight.bands.max() < 3.2, "{:?}", weight.bands);
            mean += weight.bands * (1.0 / N as f32);
            cosines += weight.bands * (direction.z / N as f64) as f32;
        }
        for b in 0..BANDS {
            assert!((mean.0[b] - 1.0).abs() < 0.03, "{b}: {}", mean.0[b]);
        }
        let nearest = |nm: f64| (0..BANDS).min_by_key(|b| (band_centre_nm(*b) - nm).abs() as i64).unwrap();
        for (nm, g) in PhaseFunction::WAVELENGTHS_NM.into_iter().zip(phase.asymmetry) {
            let b = nearest(nm);
            assert!(
                (cosines.0[b] as f64 - g.powi(TURNS)).abs() < 0.02,
                "{nm}: {} {}",
                cosines.0[b],
                g.powi(TURNS)
            );
        }
    }

    /// About half of what droplets scatter is diffraction (van de Hulst 1957, section 8.1), and what is not
    /// is nowhere a peak.
    #[test]
    fn onward_turns_are_diffraction() {
        for radius_um in [6.0, 10.0, 20.0] {
            let phase = PhaseFunction::new(radius_um);
            let turns = PhaseSampler::new(&phase);
            let green = turns.onward.0[6];
            assert!((0.3..0.52).contains(&green), "{radius_um}: {green}");
            for i in 0..2000 {
                let cosine = (PI * (i as f64 / 2000.0).powi(2)).cos();
                let ScatteredWeight { phase, onward } = turns.at(cosine);
                let rest = phase.max() * (1.0 - onward);
                assert!(rest < 40.0, "{radius_um} {}: {rest}", cosine.acos());
            }
        }
    }
}
