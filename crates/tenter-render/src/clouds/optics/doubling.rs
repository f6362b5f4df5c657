//! Plane slabs by adding and doubling.
//!
//! A layer thin enough for single scattering is doubled until it is thick enough (van de Hulst 1963; Hansen
//! and Travis 1974, section 3). Directions are Gauss nodes of a hemisphere, and further cosines of zero
//! weight where radiance is wanted (de Haan, Bosma and Hovenier 1987, section 4); azimuths are Fourier
//! modes. The forward peak counts as unscattered (delta scaling; Wiscombe 1977, equations 5 to 12).
//! Scattering is conservative.

use rayon::prelude::*;
use std::f64::consts::PI;

/// Gauss nodes of a hemisphere.
pub const STREAMS: usize = 16;
/// Legendre moments that these nodes integrate exactly, and Fourier modes.
const ORDERS: usize = 2 * STREAMS;
/// Optical thickness of a layer that scatters once.
const ONCE: f64 = 1e-8;

/// Legendre moments of a phase function; the first is 1 and the second the asymmetry.
#[derive(Clone)]
pub struct Moments(pub [f64; ORDERS + 1]);

impl Moments {
    /// Of Henyey and Greenstein's function (1941): `g^l`.
    pub fn henyey_greenstein(g: f64) -> Moments {
        Moments(std::array::from_fn(|l| g.powi(l as i32)))
    }

    /// Of values at ascending angles from 0 to pi, by the trapezoid rule in the cosine.
    pub fn of_values(values: impl Iterator<Item = (f64, f64)>) -> Moments {
        let mut sums = [0.0; ORDERS + 1];
        let mut last: Option<(f64, [f64; ORDERS + 1])> = None;
        for (angle, value) in values {
            let cosine = angle.cos();
            let terms = legendre(cosine).map(|p| p * value);
            if let Some((before, others)) = last {
                for (sum, (a, b)) in sums.iter_mut().zip(terms.iter().zip(&others)) {
                    *sum += 0.5 * (a + b) * (before - cosine);
                }
            }
            last = Some((cosine, terms));
        }
        Moments(sums.map(|sum| sum / sums[0]))
    }

    /// Share of the forward peak, which counts as unscattered.
    pub fn peak(&self) -> f64 {
        self.0[ORDERS]
    }

    /// Asymmetry of the peak alone; `of_all`: the share of diffraction by large particles.
    pub fn peak_asymmetry(&self, of_all: f64) -> f64 {
        (self.peak() / of_all).max(0.0).powf(1.0 / ORDERS as f64)
    }

    /// The peak's share, and the moments of the rest.
    fn without_peak(&self) -> (f64, [f64; ORDERS]) {
        let peak = self.peak();
        (peak, std::array::from_fn(|l| (self.0[l] - peak) / (1.0 - peak)))
    }
}

fn legendre(x: f64) -> [f64; ORDERS + 1] {
    let mut p = [1.0; ORDERS + 1];
    p[1] = x;
    for l in 2..=ORDERS {
        let k = l as f64;
        p[l] = ((2.0 * k - 1.0) * x * p[l - 1] - (k - 1.0) * p[l - 2]) / k;
    }
    p
}

/// Cosines to straight down or up, and weights of a rule over 0 to 1.
pub struct Directions {
    pub cosines: Vec<f64>,
    weights: Vec<f64>,
}

impl Directions {
    /// Gauss nodes from the lowest up, and `more` behind them.
    pub fn with(more: &[f64]) -> Directions {
        let mut nodes: Vec<(f64, f64)> = (0..STREAMS).map(gauss).collect();
        nodes.sort_by(|a, b| a.0.total_cmp(&b.0));
        nodes.extend(more.iter().map(|cosine| (*cosine, 0.0)));
        let (cosines, weights) = nodes.into_iter().unzip();
        Directions { cosines, weights }
    }

    /// Flux weight of a node.
    fn share(&self, node: usize) -> f64 {
        2.0 * self.cosines[node] * self.weights[node]
    }

    /// Flux along the nodes for the light of a column.
    fn flux(&self, matrix: &Matrix, column: usize) -> f64 {
        let n = self.cosines.len();
        (0..STREAMS).map(|k| self.share(k) * matrix[k * n + column]).sum()
    }

    /// `A B`, summed over nodes.
    fn product(&self, a: &Matrix, b: &Matrix) -> Matrix {
        let n = self.cosines.len();
        let mut product = vec![0.0; n * n];
        for (row, a) in product.chunks_exact_mut(n).zip(a.chunks_exact(n)) {
            for k in 0..STREAMS {
                let weight = self.share(k) * a[k];
                let b = &b[k * n..][..n];
                for j in 0..n {
                    row[j] += weight * b[j];
                }
            }
        }
        product
    }

    /// `S` of `S = Q + Q S`: light exchanged between two layers any number of times.
    fn to_and_fro(&self, q: &Matrix) -> Matrix {
        let n = self.cosines.len();
        let mut left: Matrix = vec![0.0; n * n];
        for i in 0..n {
            for k in 0..n {
                left[i * n + k] = f64::from(u8::from(i == k)) - q[i * n + k] * self.share(k);
            }
        }
        let mut right = q.clone();
        // The matrix is diagonally dominant but for unboundedly thick layers: no pivoting.
        for k in 0..STREAMS {
            let pivot = 1.0 / left[k * n + k];
            let (left_row, right_row) = (left[k * n..][..n].to_vec(), right[k * n..][..n].to_vec());
            for i in (0..n).filter(|i| *i != k) {
                let share = left[i * n + k] * pivot;
                for j in k..STREAMS {
                    left[i * n + j] -= share * left_row[j];
                }
                for j in 0..n {
                    right[i * n + j] -= share * right_row[j];
                }
            }
        }
        for k in 0..STREAMS {
            let pivot = 1.0 / left[k * n + k];
            right[k * n..][..n].iter_mut().for_each(|v| *v *= pivot);
        }
        right
    }
}

/// One of [`STREAMS`] nodes between 0 and 1 and its weight (Newton's method; Press et al. 1992, section
/// 4.5).
fn gauss(i: usize) -> (f64, f64) {
    let n = STREAMS as f64;
    let mut x = (PI * (i as f64 + 0.75) / (n + 0.5)).cos();
    let mut slope = 1.0;
    for _ in 0..20 {
        let p = legendre(x);
        slope = n * (x * p[STREAMS] - p[STREAMS - 1]) / (x * x - 1.0);
        x -= p[STREAMS] / slope;
    }
    (0.5 * (1.0 + x), 1.0 / ((1.0 - x * x) * slope * slope))
}

/// Rows: outgoing directions; columns: incoming ones. Times the incoming cosine over pi it is the radiance
/// for an irradiance of 1 on a plane that faces the light.
type Matrix = Vec<f64>;

/// A Fourier mode of a layer's reflection and transmission.
#[derive(Clone)]
struct Mode {
    back: Matrix,
    through: Matrix,
}

/// A Fourier mode of single scattering.
fn once(directions: &Directions, phase: &[Matrix; 2], thickness: f64) -> Mode {
    let n = directions.cosines.len();
    let mut mode = Mode { back: vec![0.0; n * n], through: vec![0.0; n * n] };
    for (i, out) in directions.cosines.iter().enumerate() {
        for (j, light) in directions.cosines.iter().enumerate() {
            let at = i * n + j;
            let both = 1.0 / out + 1.0 / light;
            mode.back[at] = phase[1][at] * -(-thickness * both).exp_m1() / (4.0 * (out + light));
            let apart = 1.0 / light - 1.0 / out;
            let along = (-thickness / out).exp() * thickness / (4.0 * out * light);
            let x = apart * thickness;
            let share = if x.abs() < 1e-6 { 1.0 } else { -(-x).exp_m1() / x };
            mode.through[at] = phase[0][at] * along * share;
        }
    }
    mode
}

/// Fourier mode `m` of a phase function between directions on the same side, and on both (Hovenier and van
/// der Mee 1983, section 3).
fn between(directions: &Directions, moments: &[f64; ORDERS], m: usize) -> [Matrix; 2] {
    let n = directions.cosines.len();
    let functions: Vec<[f64; ORDERS]> = directions.cosines.iter().map(|x| associated(*x, m)).collect();
    let mut phase = [vec![0.0; n * n], vec![0.0; n * n]];
    for i in 0..n {
        for j in 0..n {
            for l in m..ORDERS {
                let term = (2 * l + 1) as f64 * moments[l] * functions[i][l] * functions[j][l];
                phase[0][i * n + j] += term;
                phase[1][i * n + j] += if (l + m).is_multiple_of(2) { term } else { -term };
            }
        }
    }
    phase
}

/// Legendre functions of order `m`, times the root of `(l - m)! / (l + m)!`.
fn associated(x: f64, m: usize) -> [f64; ORDERS] {
    let mut p = [0.0; ORDERS];
    let flat = (1.0 - x * x).max(0.0).sqrt();
    p[m] = (1..=m).fold(1.0, |p, k| p * flat * ((2 * k - 1) as f64 / (2 * k) as f64).sqrt());
    if m + 1 < ORDERS {
        p[m + 1] = x * ((2 * m + 1) as f64).sqrt() * p[m];
    }
    for l in m + 2..ORDERS {
        let root = |k: usize| ((k * k - m * m) as f64).sqrt();
        p[l] = ((2 * l - 1) as f64 * x * p[l - 1] - root(l - 1) * p[l - 2]) / root(l);
    }
    p
}

/// Two layers of optical thickness `thickness` as one (Hansen and Travis 1974, equations 3.9 to 3.14).
fn doubled(directions: &Directions, mode: &Mode, thickness: f64) -> Mode {
    let n = directions.cosines.len();
    let Mode { back: r, through: t } = mode;
    let straight: Vec<f64> = directions.cosines.iter().map(|cosine| (-thickness / cosine).exp()).collect();
    let s = directions.to_and_fro(&directions.product(r, r));
    let mut down = directions.product(&s, t);
    for (i, down) in down.iter_mut().enumerate() {
        *down += t[i] + s[i] * straight[i % n];
    }
    let mut up = directions.product(r, &down);
    for (i, up) in up.iter_mut().enumerate() {
        *up += r[i] * straight[i % n];
    }
    let (mut back, mut through) = (directions.product(t, &up), directions.product(t, &down));
    for i in 0..n * n {
        back[i] += r[i] + straight[i / n] * up[i];
        through[i] += straight[i / n] * down[i] + t[i] * straight[i % n];
    }
    Mode { back, through }
}

/// An even slab over black ground.
pub struct Slab {
    /// Both directions of light.
    directions: usize,
    /// Second and higher orders, without the phase function's peak.
    modes: Vec<Mode>,
    /// Flux reflectance by direction of the light.
    pub reflectance: Vec<f64>,
}

impl Slab {
    /// Reflected and transmitted radiance for an irradiance of 1 on a plane that faces the light, between
    /// two of the directions, at an azimuth from the light's heading (radians).
    pub fn radiance(&self, directions: &Directions, out: usize, light: usize, azimuth: f64) -> [f64; 2] {
        let at = out * self.directions + light;
        let mut sums = [0.0; 2];
        for (m, mode) in self.modes.iter().enumerate() {
            let weight = if m == 0 { 1.0 } else { 2.0 * (m as f64 * azimuth).cos() };
            sums[0] += weight * mode.back[at];
            sums[1] += weight * mode.through[at];
        }
        sums.map(|sum| sum * directions.cosines[light] / PI)
    }
}

/// Slabs from an optical thickness of `thinnest`, each twice as thick as the one before.
pub fn slabs(moments: &Moments, directions: &Directions, thinnest: f64, count: usize) -> Vec<Slab> {
    let (peak, rest) = moments.without_peak();
    let before = (thinnest * (1.0 - peak) / ONCE).log2().ceil().max(0.0) as i32;
    let modes: Vec<(Vec<Mode>, Vec<Vec<f64>>)> = (0..ORDERS)
        .into_par_iter()
        .map(|m| {
            let phase = between(directions, &rest, m);
            let mut thickness = thinnest * (1.0 - peak) / 2f64.powi(before);
            let mut mode = once(directions, &phase, thickness);
            let (mut kept, mut sent_back) = (Vec::with_capacity(count), Vec::new());
            for doubling in 0..before + count as i32 {
                if doubling >= before {
                    let mut more = mode.clone();
                    let single = once(directions, &phase, thickness);
                    more.back.iter_mut().zip(single.back).for_each(|(more, single)| *more -= single);
                    more.through.iter_mut().zip(single.through).for_each(|(more, single)| *more -= single);
                    kept.push(more);
                    if m == 0 {
                        let n = directions.cosines.len();
                        sent_back.push((0..n).map(|light| directions.flux(&mode.back, light)).collect());
                    }
                }
                mode = doubled(directions, &mode, thickness);
                thickness *= 2.0;
            }
            (kept, sent_back)
        })
        .collect();
    (0..count)
        .map(|i| Slab {
            directions: directions.cosines.len(),
            modes: modes.iter().map(|(modes, _)| modes[i].clone()).collect(),
            reflectance: modes[0].1[i].clone(),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Gauss's rule has the powers exactly; a phase function's zeroth mode sums to one over both sides.
    #[test]
    fn nodes_integrate_what_they_should() {
        let directions = Directions::with(&[0.3]);
        let sum = |f: &dyn Fn(f64) -> f64| -> f64 {
            directions.cosines.iter().zip(&directions.weights).map(|(x, w)| f(*x) * w).sum()
        };
        assert!((sum(&|_| 1.0) - 1.0).abs() < 1e-12 && (sum(&|x| x.powi(7)) - 0.125).abs() < 1e-12);
        let (_, moments) = Moments::henyey_greenstein(0.85).without_peak();
        let phase = between(&directions, &moments, 0);
        let n = directions.cosines.len();
        let whole: f64 = (0..STREAMS)
            .map(|k| 0.5 * directions.weights[k] * (phase[0][k * n + STREAMS] + phase[1][k * n + STREAMS]))
            .sum();
        assert!((whole - 1.0).abs() < 1e-10, "{whole}");
    }
}
