//! Heaps: bodies of rising lumps scattered over the land, each a crowd of domes on one flat base.
//!
//! Cells of a few sizes are laid out on jittered grids. How often a size occurs follows the observed power
//! law of cumulus areas, n(A) ~ A^-1.8 (Cahalan and Joseph 1989; Neggers et al. 2003: -1.7 to -1.9): with one
//! place per cell of a grid whose spacing shrinks with the size, that asks for fewer taken places the smaller
//! the clouds are.

use super::hash::{Draw, layered_noise};
use crate::simd::Scalar;

/// A rising dome: an ellipsoid whose middle stands on the base.
#[derive(Clone, Copy, Debug)]
pub struct Dome {
    /// Metres from the origin.
    pub x: f64,
    pub y: f64,
    pub radius: f64,
    pub height: f64,
    /// How early it appears as cover grows; 0 is usual.
    pub birth: f64,
}

/// Grids of cells: spacing in cell sizes, share of places taken, domes around the first.
const GRIDS: [(f64, f64, usize); 4] = [(1.0, 0.9, 8), (0.58, 0.62, 6), (0.33, 0.5, 3), (0.19, 0.4, 1)];
/// A dome reaches at most so many spacings from its grid cell.
const REACH: f64 = 2.2;

/// Visits every dome of the field whose reach, grown by `grow`, touches a rectangle.
pub fn domes_in(
    seed: u32,
    cell: f64,
    tallest: f64,
    low: [f64; 2],
    high: [f64; 2],
    smallest: f64,
    grow: f64,
    mut visit: impl FnMut(Dome),
) {
    for (level, &(spacing, taken, around)) in GRIDS.iter().enumerate() {
        let s = spacing * cell;
        // Bodies too small to show at this footprint cost more than they give.
        if s * 0.42 < smallest {
            continue;
        }
        let margin = REACH * grow * s;
        let range = |axis: usize| {
            (((low[axis] - margin) / s).floor() as i64, ((high[axis] + margin) / s).ceil() as i64)
        };
        let ((x0, x1), (y0, y1)) = (range(0), range(1));
        for iy in y0..y1 {
            for ix in x0..x1 {
                let mut draw = Draw::new(seed, level as u32, ix, iy);
                if draw.next() > taken {
                    continue;
                }
                let (cx, cy) = ((ix as f64 + draw.next()) * s, (iy as f64 + draw.next()) * s);
                // Clouds gather in streets and clusters a few cells wide.
                let gather = |k: u32, scale: f64| {
                    let (u, v) = (cx / (cell * scale), cy / (cell * scale));
                    layered_noise(seed ^ k, 2, Scalar(u as f32), Scalar(v as f32)).0 as f64
                };
                let company = gather(77, 4.0);
                let u = draw.next();
                let radius = s * (0.17 + 0.25 * u * u) * (1.0 + 0.35 * company);
                let size = (radius / (0.38 * cell)).min(1.0);
                let height = tallest * size.powf(0.85) * draw.range(0.72, 1.0);
                let birth = 0.55 * company + draw.range(-0.35, 0.25);
                let ovalness = draw.range(0.75, 1.0);
                let heading = draw.range(0.0, std::f64::consts::TAU);
                visit(Dome { x: cx, y: cy, radius, height, birth });
                for _ in 0..around {
                    let angle = draw.range(0.0, std::f64::consts::TAU);
                    let away = draw.range(0.25, 1.05);
                    let (u, v) = (angle.cos() * away * radius, angle.sin() * away * radius * ovalness);
                    let (sin, cos) = heading.sin_cos();
                    let share = draw.range(0.28, 0.62) * (1.25 - 0.5 * away);
                    visit(Dome {
                        x: cx + u * cos - v * sin,
                        y: cy + u * sin + v * cos,
                        radius: radius * share,
                        height: height * (draw.range(0.55, 1.08) * (1.15 - 0.55 * away)).min(1.0),
                        birth: birth - 0.25 * away,
                    });
                }
            }
        }
    }
}
