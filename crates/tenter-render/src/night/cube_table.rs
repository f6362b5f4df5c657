//! Colours over all directions, on the six faces of a cube. Nodes lie on the edges too, so that faces meet
//! without a seam.

use crate::simd::{Int, Real, Scalar};
use rayon::prelude::*;
use tenter_sky::spectrum::Rgb;

/// A colour for every direction (x east, y north, z up), bilinear between nodes.
pub struct CubeTable {
    nodes: usize,
    /// Faces +x -x +y -y +z -z, rows, columns, RGB.
    values: Vec<f32>,
}

/// The two other axes of the face whose axis this is: columns, rows.
const ACROSS: [[usize; 2]; 3] = [[1, 2], [0, 2], [0, 1]];

impl CubeTable {
    pub fn new(nodes: usize, colour: impl Fn([f64; 3]) -> Rgb + Sync) -> CubeTable {
        let values = (0..6 * nodes * nodes)
            .into_par_iter()
            .with_min_len(256)
            .flat_map_iter(|i| colour(direction(i, nodes).0))
            .collect();
        CubeTable { nodes, values }
    }

    /// Colours toward packets of directions, which need not have unit length.
    #[inline(always)]
    pub fn radiance<R: Real>(&self, d: [R; 3]) -> [R; 3] {
        let [x, y, z] = [d[0].abs(), d[1].abs(), d[2].abs()];
        let (on_x, on_z) = (y.le(x) & z.le(x), x.lt(z) & y.lt(z));
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let pick = |of_x: R, of_y: R, of_z: R| R::select(on_x, of_x, R::select(on_z, of_z, of_y));
        let along = pick(d[0], d[1], d[2]);
        let axis = pick(zero, R::splat(2.0), R::splat(4.0));
        let face = axis + R::select(along.lt(zero), one, zero);
        let scale = one / along.abs().max(R::splat(1e-12));
        let last = (self.nodes - 1) as f32;
        let cells = |v: R| ((v * scale + one) * R::splat(0.5 * last)).clamp(0.0, last);
        let (u, v) = (cells(pick(d[1], d[0], d[0])), cells(pick(d[2], d[2], d[1])));
        let (u0, v0) = (u.floor().clamp(0.0, last - 1.0), v.floor().clamp(0.0, last - 1.0));
        let (fu, fv) = (u - u0, v - v0);
        let row = R::splat(self.nodes as f32);
        let first = (face * row + v0).mul_add(row, u0).to_int() * R::Int::splat(3);
        let entry = |step: usize| {
            // SAFETY: faces are below 6 and cells end one node before the last.
            unsafe { R::gather(&self.values, first + R::Int::splat(step as i32)) }
        };
        let mut colour = [zero; 3];
        for c in 0..3 {
            let low = entry(c).lerp(entry(c + 3), fu);
            let high = entry(c + 3 * self.nodes).lerp(entry(c + 3 * self.nodes + 3), fu);
            colour[c] = low.lerp(high, fv);
        }
        colour
    }

    /// Colour in one direction.
    pub fn at(&self, d: [f64; 3]) -> Rgb {
        self.radiance(d.map(|v| Scalar(v as f32))).map(|v| v.0)
    }

    /// Irradiance of a plane that faces a direction.
    pub fn irradiance(&self, normal: [f64; 3]) -> Rgb {
        let (mut sum, mut whole) = ([0.0f64; 3], 0.0);
        for (i, rgb) in self.values.chunks_exact(3).enumerate() {
            let (d, length) = direction(i, self.nodes);
            let (x, y) = (i % self.nodes, i / self.nodes % self.nodes);
            // Nodes on edges and corners stand for half and quarter cells.
            let rim = |v: usize| if v == 0 || v == self.nodes - 1 { 0.5 } else { 1.0 };
            let weight = rim(x) * rim(y) / length.powi(3);
            whole += weight;
            let cosine: f64 = (0..3).map(|k| d[k] * normal[k]).sum();
            for c in 0..3 {
                sum[c] += weight * cosine.max(0.0) * f64::from(rgb[c]);
            }
        }
        sum.map(|v| (v * 4.0 * std::f64::consts::PI / whole) as f32)
    }
}

/// Unit direction of a node, and its distance from the cube's middle.
fn direction(i: usize, nodes: usize) -> ([f64; 3], f64) {
    let (face, at) = (i / (nodes * nodes), i % (nodes * nodes));
    let place = |v: usize| 2.0 * v as f64 / (nodes - 1) as f64 - 1.0;
    let axis = face / 2;
    let mut d = [0.0; 3];
    d[axis] = if face % 2 == 0 { 1.0 } else { -1.0 };
    d[ACROSS[axis][0]] = place(at % nodes);
    d[ACROSS[axis][1]] = place(at / nodes);
    let length = (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]).sqrt();
    (d.map(|v| v / length), length)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::PI;
    use tenter_sky::camera::toward;

    #[test]
    fn a_smooth_sky_comes_back_everywhere() {
        let sky = |d: [f64; 3]| [2.0 + d[0] as f32, 3.0 + (d[1] * d[2]) as f32, 1.0];
        let table = CubeTable::new(65, sky);
        for i in 0..500 {
            let d = toward(i as f64 * 2.399963, (1.0 - 2.0 * (i as f64 + 0.5) / 500.0).asin());
            let (found, wanted) = (table.at(d), sky(d));
            for c in 0..3 {
                assert!((found[c] - wanted[c]).abs() < 1e-3, "{d:?}: {found:?} {wanted:?}");
            }
        }
        for c in table.at([0.0, 0.0, 1.0]).into_iter().zip(sky([0.0, 0.0, 1.0])) {
            assert!((c.0 - c.1).abs() < 1e-5);
        }
    }

    /// A uniform sky of radiance 1 gives pi.
    #[test]
    fn irradiance_of_a_uniform_sky() {
        let table = CubeTable::new(65, |_| [1.0; 3]);
        for d in [[0.0, 0.0, 1.0], toward(1.0, 0.4)] {
            assert!((f64::from(table.irradiance(d)[0]) / PI - 1.0).abs() < 2e-3);
        }
    }
}
