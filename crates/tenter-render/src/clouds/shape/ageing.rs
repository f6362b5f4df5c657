//! Change of a cloud field with age, periodic in a loop.

use crate::simd::{Real, Scalar};
use tenter_sky::document::CloudLayer;

/// The age of a layer, and how long its loop is; min.
#[derive(Clone, Copy, Debug)]
pub struct Ageing {
    age: f64,
    /// 0 is none.
    round: f64,
}

impl Ageing {
    pub fn of(layer: &CloudLayer) -> Ageing {
        Ageing { age: layer.age_min, round: layer.loop_min }
    }

    /// Replacements of something that lives `life` minutes: in a loop a whole number of times, identical at
    /// both ends.
    pub fn turns(&self, life: f64) -> f64 {
        if self.round > 0.0 {
            // Derived from the loop alone, so that its end equals its beginning bit for bit.
            (self.age.rem_euclid(self.round) / self.round) * (self.round / life).round().max(1.0)
        } else {
            self.age / life
        }
    }

    /// Displacement of a periodic block in its sides along its own axes: `per_minute` of each, in a loop
    /// rounded to whole sides.
    pub fn moved(&self, per_minute: [f64; 3]) -> [f64; 3] {
        if self.round > 0.0 {
            let share = self.age.rem_euclid(self.round) / self.round;
            per_minute.map(|v| ((v * self.round).round() * share).rem_euclid(1.0))
        } else {
            per_minute.map(|v| (v * self.age).rem_euclid(1.0))
        }
    }
}

/// Periodic between -1 and 1 with period one: two parabolas, close to a sine.
#[inline(always)]
pub fn wave<R: Real>(turns: R) -> R {
    let g = (turns - turns.floor()).mul_add(R::splat(2.0), R::splat(-1.0));
    g * (R::splat(1.0) - g.abs()) * R::splat(4.0)
}

/// Change since age 0 of a wave of any `phase` (in periods).
#[inline(always)]
pub fn swing<R: Real>(turns: R, phase: R) -> R {
    wave(turns + phase) - wave(phase)
}

/// [`swing`] of one number.
pub fn swing_of(turns: f64, phase: f64) -> f64 {
    if turns == 0.0 { 0.0 } else { swing(Scalar((turns % 1.0) as f32), Scalar(phase as f32)).0 as f64 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_loop_ends_where_it_began() {
        let at = |age_min: f64| Ageing { age: age_min, round: 40.0 };
        assert_eq!(at(40.0).turns(17.0), at(0.0).turns(17.0));
        assert_eq!(at(40.0).moved([0.3, -0.2, 0.01]), at(0.0).moved([0.3, -0.2, 0.01]));
        // Just before the end it is nearly closed: two whole turns, and whole sides of blocks.
        assert!((at(39.9999).turns(17.0) - 2.0).abs() < 1e-4);
        for v in at(39.9999).moved([0.3, -0.2, 0.01]) {
            assert!((v - v.round()).abs() < 1e-3, "{v}");
        }
        let free = Ageing { age: 34.0, round: 0.0 };
        assert_eq!(free.turns(17.0), 2.0);
    }

    #[test]
    fn nothing_has_changed_at_age_0() {
        for i in 0..50 {
            let phase = i as f64 / 50.0;
            assert_eq!(swing_of(0.0, phase), 0.0);
            let later = swing_of(0.37, phase);
            assert!(later.abs() <= 2.0 && (i % 10 != 3 || later != 0.0));
        }
        assert!((wave(Scalar(0.75f32)).0 - 1.0).abs() < 1e-6 && (wave(Scalar(0.25f32)).0 + 1.0).abs() < 1e-6);
    }
}
