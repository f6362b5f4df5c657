//! Scattering by water droplets: Mie theory over a spread of sizes.
//!
//! Efficiencies and angular functions after Bohren and Huffman 1983, chapter 4; droplet sizes follow the
//! gamma distribution of Hansen and Travis 1974; refractive index of water after
//! Hale and Querry 1973 (1.331 to 1.339 in the visible, absorption nil; from memory).

use crate::clouds::optics::doubling::Moments;
use rayon::prelude::*;
use std::f64::consts::PI;

/// Angles of the tables: finer toward both ends, where the forward peak and the glory are.
pub const ANGLES: usize = 512;
/// Wavelengths that stand for red, green and blue, nm, and water's index there.
const COLOURS: [(f64, f64); 3] = [(612.0, 1.3318), (549.0, 1.3338), (465.0, 1.3370)];

/// Effective variance of the sizes of droplets in most clouds (Hansen and Travis 1974).
const USUAL_VARIANCE: f64 = 0.1;

/// Phase function per steradian in RGB.
pub struct PhaseFunction {
    values: Vec<[f32; 3]>,
    /// Mean cosine of the scattering angle.
    pub asymmetry: [f64; 3],
    /// Extinction over twice the droplets' cross-section.
    pub efficiency: [f64; 3],
}

fn angle_of(index: f64) -> f64 {
    // x in -1..1, cubed and straight parts mixed.
    let x = index / (ANGLES - 1) as f64 * 2.0 - 1.0;
    let bent = 1.5 * x - 0.5 * x * x * x;
    PI * 0.5 * (1.0 + bent)
}

impl PhaseFunction {
    /// Wavelengths that stand for red, green and blue.
    pub const WAVELENGTHS_NM: [f64; 3] = [COLOURS[0].0, COLOURS[1].0, COLOURS[2].0];

    /// Effective radius in micrometres, usual spread of sizes.
    pub fn new(effective_um: f64) -> PhaseFunction {
        PhaseFunction::of_droplets(effective_um, USUAL_VARIANCE)
    }

    /// Effective radius in micrometres and effective variance.
    pub fn of_droplets(effective_um: f64, variance: f64) -> PhaseFunction {
        let columns: Vec<Column> =
            COLOURS.par_iter().map(|c| Column::new(effective_um, variance, *c)).collect();
        let values =
            (0..ANGLES).map(|i| std::array::from_fn(|c| columns[c].phase[i] as f32)).collect::<Vec<_>>();
        let pick = |f: fn(&Column) -> f64| std::array::from_fn(|c| f(&columns[c]));
        PhaseFunction { values, asymmetry: pick(|c| c.asymmetry), efficiency: pick(|c| c.efficiency) }
    }

    /// From values at scattering angles (radians), normalised over the sphere.
    pub fn from_values(value: impl Fn(f64) -> [f64; 3]) -> PhaseFunction {
        let angles: Vec<f64> = (0..ANGLES).map(|i| angle_of(i as f64)).collect();
        let raw: Vec<[f64; 3]> = angles.iter().map(|a| value(*a)).collect();
        let (mut total, mut forward) = ([0.0; 3], [0.0; 3]);
        for i in 1..ANGLES {
            let (c0, c1) = (angles[i - 1].cos(), angles[i].cos());
            for c in 0..3 {
                total[c] += (raw[i][c] + raw[i - 1][c]) * (c0 - c1) * PI;
                forward[c] += (raw[i][c] * c1 + raw[i - 1][c] * c0) * (c0 - c1) * PI;
            }
        }
        let values =
            raw.iter().map(|v| std::array::from_fn(|c| (v[c] / total[c]) as f32)).collect::<Vec<_>>();
        let asymmetry = std::array::from_fn(|c| forward[c] / total[c]);
        PhaseFunction { values, asymmetry, efficiency: [1.0; 3] }
    }

    /// Interpolated at the cosine of the scattering angle; 1 is straight on.
    #[inline]
    pub fn at(&self, cos: f64) -> [f32; 3] {
        let angle = cos.clamp(-1.0, 1.0).acos();
        // Invert 1.5 x - 0.5 x^3 = b exactly: x = 2 sin(asin(b) / 3).
        let b = angle / (PI * 0.5) - 1.0;
        let x = 2.0 * (b.clamp(-1.0, 1.0).asin() / 3.0).sin();
        let place = ((x + 1.0) * 0.5 * (ANGLES - 1) as f64).clamp(0.0, (ANGLES - 1) as f64 - 1e-6);
        let (i, f) = (place as usize, (place - place.floor()) as f32);
        std::array::from_fn(|c| self.values[i][c] + (self.values[i + 1][c] - self.values[i][c]) * f)
    }
}

/// Samples of a spread, and the angle in multiples of its radius beyond which it has no effect.
const SPREAD: usize = 16;
const SHOWS: f64 = 10.0;

impl PhaseFunction {
    /// Mean over a disc of directions with a radius in radians: forward peaks are narrower than wide
    /// pixels.
    ///
    /// ```
    /// use tenter_render::clouds::optics::ice;
    /// // The peak of ice is a third of a degree wide: over half a degree it is lower, and ten degrees off it
    /// // is the same.
    /// let phase = ice::phase(0.0);
    /// let half = 0.5f64.to_radians();
    /// assert!(phase.around(1.0, half)[1] < 0.5 * phase.at(1.0)[1]);
    /// let off = 10f64.to_radians().cos();
    /// assert_eq!(phase.around(off, half), phase.at(off));
    /// ```
    pub fn around(&self, cos: f64, radius: f64) -> [f32; 3] {
        let angle = cos.clamp(-1.0, 1.0).acos();
        if angle > SHOWS * radius {
            return self.at(cos);
        }
        let mut sum = [0.0f32; 3];
        for i in 0..SPREAD {
            // A golden-angle spiral fills the disc evenly; it is small enough to be flat.
            let r = radius * ((i as f64 + 0.5) / SPREAD as f64).sqrt();
            let turn = (i as f64 * PI * (3.0 - 5f64.sqrt())).cos();
            let there = (angle * angle + r * r + 2.0 * angle * r * turn).max(0.0).sqrt();
            for (sum, value) in sum.iter_mut().zip(self.at(there.cos())) {
                *sum += value / SPREAD as f32;
            }
        }
        sum
    }
}

/// Index of green.
const GREEN: usize = 1;

impl PhaseFunction {
    /// Legendre moments, in green.
    pub fn moments(&self) -> Moments {
        let values = self.values.iter().enumerate();
        Moments::of_values(values.map(|(i, value)| (angle_of(i as f64), value[GREEN] as f64)))
    }

    /// Value at which to cut off the forward peak so that this share of scattering is removed, in green,
    /// per steradian.
    ///
    /// ```
    /// use tenter_render::clouds::optics::ice;
    /// // Nothing is gone from what is never so bright; half of ice's light is in a peak of thousands per
    /// // steradian.
    /// let phase = ice::phase(0.0);
    /// assert!(phase.cut_off(0.0) >= 0.99 * phase.at(1.0)[1]);
    /// assert!(phase.cut_off(0.4) < 10.0);
    /// ```
    pub fn cut_off(&self, share: f64) -> f32 {
        let most = self.values.iter().map(|value| value[GREEN] as f64).fold(0.0, f64::max);
        let gone = |cut: f64| {
            let over = |i: usize| (self.values[i][GREEN] as f64 - cut).max(0.0);
            let ring = |i: usize| PI * (angle_of(i as f64 - 1.0).cos() - angle_of(i as f64).cos());
            (1..ANGLES).map(|i| (over(i - 1) + over(i)) * ring(i)).sum::<f64>()
        };
        let (mut low, mut high) = (0.0, most);
        for _ in 0..40 {
            let middle = 0.5 * (low + high);
            if gone(middle) > share { low = middle } else { high = middle }
        }
        high as f32
    }
}

struct Column {
    phase: Vec<f64>,
    asymmetry: f64,
    efficiency: f64,
}

impl Column {
    fn new(effective_um: f64, variance: f64, (nm, index): (f64, f64)) -> Column {
        const SIZES: usize = 96;
        let cosines: Vec<f64> = (0..ANGLES).map(|i| angle_of(i as f64).cos()).collect();
        // n(r) ~ r^((1 - 3b)/b) e^(-r/(ab))
        let weight = |r: f64| {
            let x = r / effective_um;
            ((1.0 - 3.0 * variance) / variance * x.ln() - (x - 1.0) / variance).exp()
        };
        // Five deviations to both sides.
        let wide = (variance / USUAL_VARIANCE).sqrt();
        let low = (1.0 - 2.0 * variance - 1.5 * wide).max(0.15) * effective_um;
        let high = (1.0 + 1.6 * wide) * effective_um;
        let sizes: Vec<Droplet> = (0..SIZES)
            .into_par_iter()
            .map(|k| {
                // A fixed irrational share inside each step keeps resonances from falling on a grid.
                let r = low + (high - low) * (k as f64 + (k as f64 * 0.618_034).fract()) / SIZES as f64;
                Droplet::new(2.0 * PI * r * 1000.0 / nm, index, &cosines, weight(r), r)
            })
            .collect();
        let sum = |f: &dyn Fn(&Droplet) -> f64| sizes.iter().map(f).sum::<f64>();
        let extinction = sum(&|d| d.weight * d.extinction * d.area);
        let area = sum(&|d| d.weight * d.area);
        let mut phase: Vec<f64> = (0..ANGLES).map(|i| sum(&|d| d.weight * d.intensity[i])).collect();
        // Integral over the sphere by the trapezoid rule in the cosine, then scaled to one.
        let (mut total, mut forward) = (0.0, 0.0);
        for i in 1..ANGLES {
            let width = (cosines[i - 1] - cosines[i]) * PI;
            total += (phase[i] + phase[i - 1]) * width;
            forward += (phase[i] * cosines[i] + phase[i - 1] * cosines[i - 1]) * width;
        }
        phase.iter_mut().for_each(|p| *p /= total);
        Column { phase, asymmetry: forward / total, efficiency: extinction / (2.0 * area) }
    }
}

/// One size of droplet.
struct Droplet {
    weight: f64,
    area: f64,
    extinction: f64,
    /// |S1|^2 + |S2|^2 at each angle.
    intensity: Vec<f64>,
}

impl Droplet {
    /// `x`: size parameter; real index `m`.
    fn new(x: f64, m: f64, cosines: &[f64], weight: f64, radius: f64) -> Droplet {
        let terms = (x + 4.05 * x.cbrt() + 2.0) as usize;
        let mx = m * x;
        // Logarithmic derivative of the inner function by downward recurrence (eq. 4.89).
        let start = terms.max(mx as usize) + 16;
        let mut derivative = vec![0.0; start + 1];
        for n in (1..=start).rev() {
            let k = n as f64 / mx;
            derivative[n - 1] = k - 1.0 / (derivative[n] + k);
        }
        let (mut psi0, mut psi1) = (x.cos(), x.sin());
        let (mut chi0, mut chi1) = (-x.sin(), x.cos());
        let mut coefficients = Vec::with_capacity(terms);
        let mut extinction = 0.0;
        for n in 1..=terms {
            let k = n as f64;
            let psi = (2.0 * k - 1.0) / x * psi1 - psi0;
            let chi = (2.0 * k - 1.0) / x * chi1 - chi0;
            // a_n and b_n (eq. 4.88) for a real index: numerator p, denominator p - i q.
            let ratio = |d: f64| {
                let (p, q) = (d * psi - psi1, d * chi - chi1);
                let norm = p * p + q * q;
                (p * p / norm, p * q / norm)
            };
            let a = ratio(derivative[n] / m + k / x);
            let b = ratio(m * derivative[n] + k / x);
            extinction += (2.0 * k + 1.0) * (a.0 + b.0);
            let f = (2.0 * k + 1.0) / (k * (k + 1.0));
            coefficients.push([f * a.0, f * a.1, f * b.0, f * b.1]);
            (psi0, psi1, chi0, chi1) = (psi1, psi, chi1, chi);
        }
        let intensity = cosines
            .iter()
            .map(|&mu| {
                let (mut pi0, mut pi1) = (0.0, 1.0);
                let mut s = [0.0; 4];
                for (i, [ar, ai, br, bi]) in coefficients.iter().enumerate() {
                    let n = (i + 1) as f64;
                    let tau = n * mu * pi1 - (n + 1.0) * pi0;
                    s[0] += ar * pi1 + br * tau;
                    s[1] += ai * pi1 + bi * tau;
                    s[2] += ar * tau + br * pi1;
                    s[3] += ai * tau + bi * pi1;
                    (pi0, pi1) = (pi1, ((2.0 * n + 1.0) * mu * pi1 - (n + 1.0) * pi0) / n);
                }
                s.iter().map(|v| v * v).sum()
            })
            .collect();
        Droplet { weight, area: PI * radius * radius, extinction: 2.0 / (x * x) * extinction, intensity }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Bohren and Huffman 1983, appendix A (from memory): m = 1.55, x = 5.21282 (0.525 um at 0.6328 um): Q =
    /// 3.10543. And the sum rule of large spheres: Q tends to 2.
    #[test]
    fn a_single_sphere() {
        let d = Droplet::new(5.21282, 1.55, &[1.0], 1.0, 1.0);
        assert!((d.extinction - 3.10543).abs() < 1e-4, "{}", d.extinction);
        assert!((Droplet::new(1500.0, 1.333, &[1.0], 1.0, 1.0).extinction - 2.0).abs() < 0.05);
    }

    /// The first dark ring of a corona stands at `sin a = 1.22 l / d` (Airy 1835; Minnaert 1954, section
    /// 161), outside a bright middle and inside a bright ring, and red ones are wider than blue ones.
    #[test]
    fn coronas_follow_the_size_of_droplets() {
        for radius_um in [5.0, 10.0, 20.0] {
            let phase = PhaseFunction::of_droplets(radius_um, 0.005);
            let mut rings = [0.0; 3];
            for (c, ring) in rings.iter_mut().enumerate() {
                let airy = (1.22 * PhaseFunction::WAVELENGTHS_NM[c] / (2000.0 * radius_um)).asin();
                let at = |share: f64| f64::from(phase.at((share * airy).cos())[c]);
                let darkest =
                    (70..130).map(|i| f64::from(i) / 100.0).min_by(|a, b| at(*a).total_cmp(&at(*b)));
                *ring = darkest.unwrap() * airy;
                assert!((darkest.unwrap() - 1.0).abs() < 0.1, "{radius_um} um: {darkest:?}");
                assert!(at(0.3) > 20.0 * at(1.0) && at(1.34) > 1.3 * at(1.0), "{radius_um} um");
            }
            assert!(rings[0] > rings[1] && rings[1] > rings[2], "{radius_um} um: {rings:?}");
        }
    }

    /// Fogbow of 10 um droplets at 142 degrees, at least 8 times the minimum near 100; asymmetry 0.86.
    #[test]
    fn droplets_of_ten_micrometres() {
        let phase = PhaseFunction::new(10.0);
        let at = |deg: f64| phase.at(deg.to_radians().cos())[1] as f64;
        let bow = (1300..1500).max_by(|a, b| at(*a as f64 * 0.1).total_cmp(&at(*b as f64 * 0.1))).unwrap()
            as f64
            * 0.1;
        assert!((bow - 142.0).abs() < 2.0, "bow at {bow}");
        let low = (850..1200).map(|a| at(a as f64 * 0.1)).fold(f64::MAX, f64::min);
        assert!(at(bow) > 8.0 * low, "{} over {low}", at(bow));
        assert!((phase.asymmetry[1] - 0.86).abs() < 0.01, "{:?}", phase.asymmetry);
        assert!((phase.efficiency[1] - 1.0).abs() < 0.1, "{:?}", phase.efficiency);
        assert!(at(180.0) > 1.5 * at(175.0) && at(0.0) > 100.0);
    }
}
