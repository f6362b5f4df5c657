//! Heaps: bodies of rising lumps scattered over the land, each a crowd of domes on one flat base.
//!
//! Cells of a few sizes are laid out on jittered grids. How often a size occurs follows the observed power
//! law of cumulus areas, n(A) ~ A^-1.8 (Cahalan and Joseph 1989; Neggers et al. 2003: -1.7 to -1.9): with one
//! place per cell of a grid whose spacing shrinks with the size, that asks for fewer taken places the smaller
//! the clouds are.

use super::hash::{Draw, layered_noise};
use crate::air::Making;
use crate::simd::Scalar;
use rayon::prelude::*;

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
/// Radius of the largest bodies of a grid, in spacings.
const LARGEST: f64 = 0.42;
/// A dome reaches at most so many spacings from its grid cell.
const REACH: f64 = 2.2;

/// An endless field of heaps.
#[derive(Clone, Copy)]
pub struct Heaps {
    pub seed: u32,
    /// Metres.
    pub cell: f64,
    pub tallest: f64,
}

/// Which domes are wanted.
#[derive(Clone, Copy)]
pub struct Wanted {
    /// Least radius, m.
    pub smallest: f64,
    /// Births up to this are left out.
    pub earliest: f64,
    /// How many times its usual reach a dome may have.
    pub grow: f64,
}

impl Heaps {
    /// What `keep` makes of every wanted dome that reaches into a rectangle; fewer once `making` is called off.
    pub fn domes_in<T: Send>(
        &self,
        [low, high]: [[f64; 2]; 2],
        Wanted { smallest, earliest, grow }: Wanted,
        making: Making,
        keep: impl Fn(Dome) -> Option<T> + Sync,
    ) -> Vec<T> {
        let mut domes = Vec::new();
        for (level, &(spacing, ..)) in GRIDS.iter().enumerate() {
            let s = spacing * self.cell;
            // Bodies too small to show at this footprint cost more than they give.
            if s * LARGEST < smallest {
                continue;
            }
            let margin = REACH * grow * s;
            let range = |axis: usize| {
                ((low[axis] - margin) / s).floor() as i64..((high[axis] + margin) / s).ceil() as i64
            };
            domes.par_extend(range(1).into_par_iter().flat_map_iter(|iy| {
                let mut row = Vec::new();
                if !making.is_off() {
                    for ix in range(0) {
                        self.body(level, ix, iy, earliest, |dome| {
                            if dome.radius >= smallest {
                                row.extend(keep(dome));
                            }
                        });
                    }
                }
                row
            }));
        }
        domes
    }

    /// Visits the domes of one place of a grid, if it is taken and born late enough to show.
    fn body(&self, level: usize, ix: i64, iy: i64, earliest: f64, mut visit: impl FnMut(Dome)) {
        let (spacing, taken, around) = GRIDS[level];
        let s = spacing * self.cell;
        let mut draw = Draw::new(self.seed, level as u32, ix, iy);
        if draw.next() > taken {
            return;
        }
        let (cx, cy) = ((ix as f64 + draw.next()) * s, (iy as f64 + draw.next()) * s);
        // Clouds gather in streets and clusters a few cells wide.
        let (u, v) = (cx / (4.0 * self.cell), cy / (4.0 * self.cell));
        let company = layered_noise(self.seed ^ 77, 2, Scalar(u as f32), Scalar(v as f32)).0 as f64;
        let u = draw.next();
        let radius = s * (0.17 + 0.25 * u * u) * (1.0 + 0.35 * company);
        let size = (radius / (0.38 * self.cell)).min(1.0);
        let height = self.tallest * size.powf(0.85) * draw.range(0.72, 1.0);
        let birth = 0.55 * company + draw.range(-0.35, 0.25);
        let ovalness = draw.range(0.75, 1.0);
        let (sin, cos) = draw.range(0.0, std::f64::consts::TAU).sin_cos();
        // Those around are born before the first.
        if birth <= earliest {
            return;
        }
        visit(Dome { x: cx, y: cy, radius, height, birth });
        for _ in 0..around {
            let (up, along) = draw.range(0.0, std::f64::consts::TAU).sin_cos();
            let away = draw.range(0.25, 1.05);
            let (u, v) = (along * away * radius, up * away * radius * ovalness);
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
