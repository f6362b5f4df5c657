//! What a grade does to display values: ranges of tone, lift, gamma and gain, drawn curves.

use crate::document::{CurvePoint, Grade, ToneRanges};
use crate::smoothstep;
use crate::spectrum::Rgb;

/// Intervals of a drawn curve's table.
pub const CURVE_STEPS: usize = 1024;

/// Steps on display values `v` from 0 to 1, each channel by itself:
///
/// 1. ranges: `v + v (1 - v) (s S + m M + l L)`, where `S = 1 - smoothstep(0, shadows_end, v)`,
///    `L = smoothstep(lights_begin, 1, v)` and `M = (1 - S) (1 - L)`;
/// 2. lift: `v + a (1 - v) / 2`; gain: `2^g v`; gamma: `v^(2^-b)`;
/// 3. drawn curves: each channel's own, then the one for all.
#[derive(Clone, Debug, PartialEq)]
pub struct DisplayGrade {
    ranges: Option<Ranges>,
    /// Lift, gain and exponent of each channel.
    wheels: Option<[[f32; 3]; 3]>,
    curves: Option<[Vec<f32>; 3]>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
struct Ranges {
    strengths: [f64; 3],
    shadows_end: f64,
    lights_begin: f64,
}

impl DisplayGrade {
    pub fn new(grade: &Grade) -> DisplayGrade {
        let ToneRanges { shadows, midtones, lights, shadows_end, lights_begin } = grade.ranges;
        let strengths = [shadows, midtones, lights];
        let [lift, gamma, gain] = [&grade.lift, &grade.gamma, &grade.gain].map(|w| w.channels());
        let wheels =
            [0, 1, 2].map(|c| [(0.5 * lift[c]) as f32, gain[c].exp2() as f32, (-gamma[c]).exp2() as f32]);
        let own = [&grade.curves.red, &grade.curves.green, &grade.curves.blue];
        let together = drawn_curve(&grade.curves.together);
        let drawn = own.iter().any(|points| !points.is_empty()) || !grade.curves.together.is_empty();
        DisplayGrade {
            ranges: (strengths != [0.0; 3]).then_some(Ranges { strengths, shadows_end, lights_begin }),
            wheels: (wheels != [[0.0, 1.0, 1.0]; 3]).then_some(wheels),
            curves: drawn
                .then(|| own.map(|points| drawn_curve(points).iter().map(|v| read(&together, *v)).collect())),
        }
    }

    /// Display values after all steps, 0 to 1.
    #[inline]
    pub fn apply(&self, mut c: Rgb) -> Rgb {
        if let Some(ranges) = &self.ranges {
            c = c.map(|v| ranges.apply(v));
        }
        if let Some(wheels) = &self.wheels {
            for (v, [lift, gain, exponent]) in c.iter_mut().zip(wheels) {
                *v = (gain * (*v + lift * (1.0 - *v))).clamp(0.0, 1.0).powf(*exponent);
            }
        }
        if let Some(curves) = &self.curves {
            for (v, curve) in c.iter_mut().zip(curves) {
                *v = read(curve, *v);
            }
        }
        c
    }
}

impl Ranges {
    #[inline]
    fn apply(&self, v: f32) -> f32 {
        let v = f64::from(v);
        let shadow = 1.0 - smoothstep(v / self.shadows_end);
        let light = smoothstep((v - self.lights_begin) / (1.0 - self.lights_begin));
        let [s, m, l] = self.strengths;
        let more = s * shadow + m * (1.0 - shadow) * (1.0 - light) + l * light;
        (v + v * (1.0 - v) * more) as f32
    }
}

/// A curve's table at a value from 0 to 1, by straight lines.
#[inline]
fn read(table: &[f32], v: f32) -> f32 {
    let x = v.clamp(0.0, 1.0) * CURVE_STEPS as f32;
    let i = (x as usize).min(CURVE_STEPS - 1);
    table[i] + (table[i + 1] - table[i]) * (x - i as f32)
}

/// A curve through points as a table of `CURVE_STEPS + 1` values: monotone cubics, which overshoot no point
/// (Fritsch and Carlson 1980; slopes by the weighted harmonic mean of Fritsch and Butland 1984). Black and
/// white are points of it where no other stands there; of points with one `from` the last counts.
pub fn drawn_curve(points: &[CurvePoint]) -> Vec<f32> {
    let mut knots: Vec<[f64; 2]> = vec![[0.0, 0.0], [1.0, 1.0]];
    for p in points {
        knots.retain(|k| (k[0] - p.from).abs() > 1e-6);
        knots.push([p.from, p.to]);
    }
    knots.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let steps: Vec<[f64; 2]> = knots.windows(2).map(|k| [k[1][0] - k[0][0], k[1][1] - k[0][1]]).collect();
    let secants: Vec<f64> = steps.iter().map(|[dx, dy]| dy / dx).collect();
    let slope = |i: usize| -> f64 {
        let (Some(before), Some(after)) = (i.checked_sub(1).map(|k| secants[k]), secants.get(i)) else {
            return secants[i.min(secants.len() - 1)];
        };
        if before * after <= 0.0 {
            return 0.0;
        }
        let (a, b) = (steps[i - 1][0], steps[i][0]);
        let (first, second) = (2.0 * b + a, b + 2.0 * a);
        (first + second) / (first / before + second / after)
    };
    let slopes: Vec<f64> = (0..knots.len()).map(slope).collect();
    (0..=CURVE_STEPS)
        .map(|i| {
            let x = i as f64 / CURVE_STEPS as f64;
            let k = knots.partition_point(|knot| knot[0] <= x).clamp(1, knots.len() - 1) - 1;
            let h = steps[k][0];
            let t = ((x - knots[k][0]) / h).clamp(0.0, 1.0);
            let (t2, t3) = (t * t, t * t * t);
            let y = (2.0 * t3 - 3.0 * t2 + 1.0) * knots[k][1]
                + (t3 - 2.0 * t2 + t) * h * slopes[k]
                + (3.0 * t2 - 2.0 * t3) * knots[k + 1][1]
                + (t3 - t2) * h * slopes[k + 1];
            y.clamp(0.0, 1.0) as f32
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{DrawnCurves, Wheel};

    fn with(change: impl FnOnce(&mut Grade)) -> DisplayGrade {
        let mut grade = Grade::default();
        change(&mut grade);
        DisplayGrade::new(&grade)
    }

    fn point(from: f64, to: f64) -> CurvePoint {
        CurvePoint { from, to }
    }

    #[test]
    fn nothing_set_is_nothing_done() {
        let usual = with(|_| ());
        for v in [0.0, 0.001, 0.37, 1.0] {
            assert_eq!(usual.apply([v; 3]), [v; 3]);
        }
    }

    /// Whatever the ranges do, black and white stay, and brighter stays brighter.
    #[test]
    fn ranges_keep_order() {
        for s in [-0.4, 0.0, 0.4] {
            for m in [-0.4, 0.0, 0.4] {
                for l in [-0.4, 0.0, 0.4] {
                    for (end, begin) in [(0.05, 0.1), (0.4, 0.6), (0.9, 0.2), (0.95, 0.95)] {
                        let ranges = ToneRanges {
                            shadows: s,
                            midtones: m,
                            lights: l,
                            shadows_end: end,
                            lights_begin: begin,
                        };
                        let grade = with(|g| g.ranges = ranges);
                        let values: Vec<f32> =
                            (0..=500).map(|i| grade.apply([i as f32 / 500.0; 3])[0]).collect();
                        assert_eq!((values[0], values[500]), (0.0, 1.0));
                        assert!(values.is_sorted(), "{s} {m} {l} {end} {begin}");
                    }
                }
            }
        }
    }

    /// Lift leaves white, gain leaves black, gamma leaves both; the formulas by hand.
    #[test]
    fn wheels_hold_their_ends() {
        let wheel = |all: f64, red: f64| Wheel { all, red, ..Wheel::default() };
        let lift = with(|g| g.lift = wheel(0.2, 0.1));
        assert_eq!(lift.apply([1.0; 3]), [1.0; 3]);
        assert!(
            (lift.apply([0.0; 3])[1] - 0.1).abs() < 1e-6 && (lift.apply([0.0; 3])[0] - 0.15).abs() < 1e-6
        );
        let gain = with(|g| g.gain = wheel(-1.0, 0.0));
        assert_eq!((gain.apply([0.0; 3])[0], gain.apply([0.6; 3])[2]), (0.0, 0.3));
        let gamma = with(|g| g.gamma = wheel(1.0, 0.0));
        assert!((gamma.apply([0.25; 3])[0] - 0.5).abs() < 1e-6);
        assert_eq!((gamma.apply([0.0; 3])[0], gamma.apply([1.0; 3])[0]), (0.0, 1.0));
    }

    /// Flat, steep and flat again: what makes other cubics overshoot (Fritsch and Carlson 1980, fig. 1).
    #[test]
    fn curves_pass_their_points_and_overshoot_none() {
        let points = [(0.1, 0.02), (0.3, 0.03), (0.42, 0.4), (0.5, 0.9), (0.8, 0.93)];
        let table = drawn_curve(&points.map(|(from, to)| point(from, to)));
        assert!(table.is_sorted());
        for (from, to) in points {
            assert!((read(&table, from as f32) - to as f32).abs() < 2e-3, "{from}");
        }
        let straight = drawn_curve(&[]);
        assert!(straight.iter().enumerate().all(|(i, v)| (v - i as f32 / 1024.0).abs() < 1e-6));
        let folded = drawn_curve(&[point(0.5, 1.0), point(1.0, 0.0)]);
        assert!(folded.iter().all(|v| (0.0..=1.0).contains(v)) && folded[512] == 1.0 && folded[1024] == 0.0);
    }

    #[test]
    fn curves_of_channels_come_before_the_common_one() {
        let curves = DrawnCurves {
            red: vec![point(0.5, 0.25)],
            together: vec![point(0.25, 0.8)],
            ..DrawnCurves::default()
        };
        let grade = with(|g| g.curves = curves);
        let shown = grade.apply([0.5; 3]);
        assert!((shown[0] - 0.8).abs() < 2e-3, "{shown:?}");
        assert_eq!(shown[1], shown[2]);
    }
}
