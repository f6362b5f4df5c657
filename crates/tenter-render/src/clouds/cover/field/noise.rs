//! Squares of layered noise: streaks, and the undulations of layers.

use crate::clouds::shape::hash::layered_noise;
use crate::simd::{Kernel, Real};

/// A square of streaks; lengths in cells.
pub(super) struct Streaks {
    pub(super) seed: u32,
    pub(super) start: [f64; 2],
    pub(super) step: f64,
    pub(super) side: usize,
    pub(super) stretch: f32,
    /// How often they have been replaced.
    pub(super) turns: f64,
    /// Share of broad patches.
    pub(super) veil: f32,
}

/// Noise that is blended into another one and back.
#[derive(Clone, Copy)]
struct Aged {
    /// Weights of both: on a circle, so that the amplitude is constant.
    weights: [f32; 2],
}

impl Aged {
    fn new(turns: f64) -> Aged {
        let (sin, cos) = ((turns % 1.0) * std::f64::consts::TAU).sin_cos();
        Aged { weights: if turns == 0.0 { [1.0, 0.0] } else { [cos as f32, sin as f32] } }
    }

    #[inline(always)]
    fn noise<R: Real>(&self, seed: u32, octaves: u32, x: R, y: R) -> R {
        let mut sum = R::splat(0.0);
        for (k, weight) in self.weights.into_iter().enumerate() {
            if weight != 0.0 {
                let noise = layered_noise(seed.wrapping_add(0x1234_5677 * k as u32), octaves, x, y);
                sum = noise.mul_add(R::splat(weight), sum);
            }
        }
        sum
    }
}

impl Kernel for Streaks {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let mut out = vec![0.0; self.side * self.side];
        let index: Vec<f32> = (0..self.side).map(|i| i as f32).collect();
        let along = R::splat(1.0 / self.stretch);
        let aged = Aged::new(self.turns);
        for (row, values) in out.chunks_exact_mut(self.side).enumerate() {
            let v = R::splat((self.start[1] + self.step * row as f64) as f32);
            for start in (0..self.side).step_by(R::LANES) {
                let u = R::load(&index[start..])
                    .mul_add(R::splat(self.step as f32), R::splat(self.start[0] as f32));
                let patch =
                    aged.noise(self.seed ^ 31, 3, u * R::splat(0.22) * along.sqrt(), v * R::splat(0.22));
                let meander = layered_noise(self.seed ^ 57, 2, u * along * R::splat(1.6), v * R::splat(0.3));
                let curl = layered_noise(self.seed ^ 91, 2, u * along * R::splat(5.0), v * R::splat(1.3));
                let across = curl.mul_add(R::splat(0.12), meander.mul_add(R::splat(0.55), v));
                let broad = aged.noise(self.seed, 4, u * along, across);
                // Threads: ridges along the zero lines of a finer noise.
                let thread = aged.noise(self.seed ^ 13, 3, u * along * R::splat(1.4), across * R::splat(2.6));
                let thread = R::splat(0.55) - thread.abs() * R::splat(2.0);
                let streak = broad.mul_add(R::splat(0.7), thread * R::splat(0.5));
                patch.lerp(streak, R::splat(1.0 - self.veil)).store(&mut values[start..]);
            }
        }
        out
    }
}

/// A square of layered noise.
pub(super) struct Swells {
    pub(super) seed: u32,
    pub(super) start: [f64; 2],
    pub(super) step: [f64; 2],
    pub(super) side: usize,
    pub(super) turns: f64,
}

impl Kernel for Swells {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let mut out = vec![0.0; self.side * self.side];
        let index: Vec<f32> = (0..self.side).map(|i| i as f32).collect();
        let aged = Aged::new(self.turns);
        for (row, values) in out.chunks_exact_mut(self.side).enumerate() {
            let y = R::splat((self.start[1] + self.step[1] * row as f64) as f32);
            for start in (0..self.side).step_by(R::LANES) {
                let x = R::load(&index[start..])
                    .mul_add(R::splat(self.step[0] as f32), R::splat(self.start[0] as f32));
                aged.noise(self.seed, 4, x, y).store(&mut values[start..]);
            }
        }
        out
    }
}
