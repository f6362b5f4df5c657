//! Statistics of vertical columns of a layer.

/// Bins per octave of optical depth.
const PARTS: f64 = 16.0;
/// Range of optical depths, as powers of two; thinner ones count as zero.
const OCTAVES: [f64; 2] = [-10.0, 12.0];

/// Optical depths of columns over a layer.
pub struct ColumnStatistics {
    /// Rows of a square around the eye.
    depths: Vec<f32>,
    width_m: f64,
    counts_from: f64,
    evenly: Columns,
}

/// A histogram of columns by optical depth.
pub struct Columns {
    /// Mean depth and share of each bin.
    alike: Vec<(f64, f64)>,
}

impl Columns {
    /// From depths and weights.
    fn sorted(columns: impl Iterator<Item = (f64, f64)>) -> Columns {
        let [least, most] = OCTAVES;
        let mut alike = vec![(0.0, 0.0); ((most - least) * PARTS) as usize + 1];
        let last = alike.len() - 1;
        let mut all = 0.0;
        for (depth, weight) in columns {
            let place = ((depth.log2() - least) * PARTS + 1.0).clamp(0.0, last as f64);
            let (sum, weights) = &mut alike[place as usize];
            *sum += weight * depth;
            *weights += weight;
            all += weight;
        }
        alike.retain(|(_, weights)| *weights > 0.0);
        for (sum, weights) in &mut alike {
            (*sum, *weights) = (*sum / *weights, *weights / all);
        }
        Columns { alike }
    }

    /// The mean of a smooth function of optical depth.
    pub fn mean(&self, f: impl Fn(f64) -> f64) -> f64 {
        self.alike.iter().map(|(depth, share)| f(*depth) * share).sum()
    }
}

impl ColumnStatistics {
    /// `depths`: rows of a square `width_m` wide; columns count as cloud from `counts_from` on.
    pub fn new(depths: Vec<f32>, width_m: f64, counts_from: f64) -> ColumnStatistics {
        let evenly = Columns::sorted(depths.iter().map(|t| (f64::from(*t), 1.0)));
        ColumnStatistics { depths, width_m, counts_from, evenly }
    }

    /// Share of columns that count as cloud.
    pub fn cover(&self) -> f64 {
        let counted = self.depths.iter().filter(|t| f64::from(**t) > self.counts_from).count();
        counted as f64 / self.depths.len() as f64
    }

    /// All columns with equal weights.
    pub fn evenly(&self) -> &Columns {
        &self.evenly
    }

    /// Columns weighted by their solid angle from a point at this height over the layer.
    pub fn from_above(&self, height_m: f64) -> Columns {
        let side = self.depths.len().isqrt();
        let off = |k: usize| ((k as f64 + 0.5) / side as f64 - 0.5) * self.width_m;
        Columns::sorted(self.depths.iter().enumerate().map(|(i, t)| {
            let square = off(i % side).powi(2) + off(i / side).powi(2) + height_m * height_m;
            (f64::from(*t), 1.0 / (square * square.sqrt()))
        }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Means over columns that are taken together are those over each of them.
    #[test]
    fn means_over_columns_taken_together_are_those_over_each() {
        let depths: Vec<f32> = (0..128 * 128).map(|i| ((i % 997) as f32 * 0.01 - 2.0).exp2() - 0.3).collect();
        let depths: Vec<f32> = depths.into_iter().map(|t| t.max(0.0)).collect();
        let survey = ColumnStatistics::new(depths.clone(), 100_000.0, 0.3);
        for f in [|t: f64| t, |t: f64| (-t).exp(), |t: f64| (-t / 0.05).exp(), |t: f64| t / (t + 8.0)] {
            let each = depths.iter().map(|t| f(f64::from(*t))).sum::<f64>() / depths.len() as f64;
            let got = survey.evenly().mean(f);
            assert!((got - each).abs() < 5e-4 * each.max(0.1), "{got} for {each}");
        }
    }

    /// A survey that is the same everywhere has one mean; what lies below an eye near the layer counts for
    /// more than what lies far off.
    #[test]
    fn from_above_near_columns_count_for_more() {
        const SIDE: usize = 64;
        let survey = |depth: fn(f64) -> f32| {
            let off = |k: usize| (k as f64 + 0.5) / SIDE as f64 * 20_000.0 - 10_000.0;
            let depths = (0..SIDE * SIDE).map(|i| depth(off(i % SIDE).hypot(off(i / SIDE)))).collect();
            ColumnStatistics::new(depths, 20_000.0, 0.1)
        };
        let even = survey(|_| 3.0);
        assert!((even.from_above(2000.0).mean(|t| t) - 3.0).abs() < 1e-6);
        let disc = survey(|off| if off < 4000.0 { 1.0 } else { 0.0 });
        let seen = |height: f64| disc.from_above(height).mean(|t| t);
        // Of a plane, what lies within r of the foot of an eye at h is 1 - h / sqrt(h^2 + r^2) of all; a
        // square of 20 km holds nearly all of that.
        let of_plane = |r: f64, h: f64| 1.0 - h / h.hypot(r);
        let expected = of_plane(4000.0, 2000.0) / of_plane(11_000.0, 2000.0);
        assert!((seen(2000.0) - expected).abs() < 0.02, "{} for {expected}", seen(2000.0));
        assert!(seen(500.0) > seen(2000.0) && seen(2000.0) > seen(20_000.0));
        assert!((seen(1e6) - disc.evenly().mean(|t| t)).abs() < 1e-3, "from far above it is the mean");
    }
}
