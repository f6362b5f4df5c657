//! A table over the directions from one altitude: rows are dense at the horizon, columns run from the sun's
//! azimuth to the opposite one. The halves above and below the horizon are separate, for light is
//! discontinuous there. Above the atmosphere the upper half ends where rays miss it.

use super::TOP_M;
use crate::air::tangent_sine;
use crate::simd::{Int, Real};

/// Layout of the directions.
#[derive(Clone, Debug)]
pub struct DirectionGrid {
    pub around: usize,
    pub rows: usize,
    /// Cosine to the vertical of the horizon, and of the highest row.
    horizon: f64,
    highest: f64,
    /// Unit vector in the plane, toward the sun.
    toward_sun: [f32; 2],
    /// Sine and cosine of the sun's height above the level.
    sun: [f64; 2],
    /// Whether rows near the zenith are uniform in angle.
    even_overhead: bool,
}

/// Four neighbouring entries and their weights, for a packet of directions.
#[derive(Clone, Copy)]
pub struct Corners<R: Real> {
    pub index: [R::Int; 4],
    pub weight: [R; 4],
}

impl DirectionGrid {
    pub fn new(planet: f64, altitude: f64, sun: [f64; 3], around: usize, rows: usize) -> DirectionGrid {
        let flat = sun[0].hypot(sun[1]);
        let toward_sun =
            if flat > 1e-9 { [(sun[0] / flat) as f32, (sun[1] / flat) as f32] } else { [0.0, 1.0] };
        // Of a ray tangent to a shell, by the difference form.
        let touching = |shell: f64| tangent_sine(planet, altitude, shell);
        DirectionGrid {
            around,
            rows,
            horizon: touching(0.0),
            highest: if altitude > TOP_M { touching(TOP_M) } else { 1.0 },
            toward_sun,
            sun: [sun[2], flat],
            even_overhead: false,
        }
    }

    /// The same with rows dense at the horizon and uniform in angle near the zenith.
    pub fn even_overhead(self) -> DirectionGrid {
        DirectionGrid { even_overhead: true, ..self }
    }

    pub fn horizon(&self) -> f64 {
        self.horizon
    }

    pub fn len(&self) -> usize {
        2 * self.around * self.rows
    }

    /// Cosines of an entry's direction to the vertical and to the sun, and whether it looks at the ground.
    pub fn direction(&self, index: usize) -> (f64, f64, bool) {
        let (x, y) = (index % self.around, index / self.around);
        let below = y >= self.rows;
        let v = (y % self.rows) as f64 / (self.rows - 1) as f64;
        // A small distance from the horizon keeps each half on its own side.
        let v2 = if self.even_overhead { 1.0 - (1.0 - v * v).powi(2) } else { v * v };
        let v2 = v2.max(1e-9);
        let cos = if below {
            self.horizon - v2 * (1.0 + self.horizon)
        } else {
            self.horizon + v2 * (self.highest - self.horizon)
        };
        let u = x as f64 / (self.around - 1) as f64;
        let cos_azimuth = 1.0 - 2.0 * u * u;
        let sin = (1.0 - cos * cos).max(0.0).sqrt();
        (cos, (cos * self.sun[0] + sin * self.sun[1] * cos_azimuth).clamp(-1.0, 1.0), below)
    }

    /// One over what the upper half spans.
    #[inline]
    fn per_height(&self) -> f32 {
        1.0 / (self.highest - self.horizon) as f32
    }

    /// The four entries of which one is the first.
    #[inline(always)]
    pub fn corner_entries(&self, first: usize) -> [usize; 4] {
        [first, first + 1, first + self.around, first + self.around + 1]
    }

    /// Entries around a packet of unit directions (x east, y north, z up).
    #[inline(always)]
    pub fn corners<R: Real>(&self, d: [R; 3]) -> Corners<R> {
        let horizon = self.horizon as f32;
        let s = d[2] - R::splat(horizon);
        let above = R::splat(0.0).le(s);
        let span = R::select(above, R::splat(self.per_height()), R::splat(1.0 / (1.0 + horizon).max(1e-6)));
        let mut v2 = (s.abs() * span).min(R::splat(1.0));
        if self.even_overhead {
            v2 = R::splat(1.0) - (R::splat(1.0) - v2).sqrt();
        }
        let v = v2.sqrt() * R::splat((self.rows - 1) as f32);
        let flat = (d[0] * d[0] + d[1] * d[1]).sqrt().max(R::splat(1e-6));
        let cos = (d[0] * R::splat(self.toward_sun[0]) + d[1] * R::splat(self.toward_sun[1])) / flat;
        let u = ((R::splat(1.0) - cos) * R::splat(0.5)).clamp(0.0, 1.0).sqrt()
            * R::splat((self.around - 1) as f32);
        let x0 = u.floor().clamp(0.0, (self.around - 2) as f32);
        let y0 = v.floor().clamp(0.0, (self.rows - 2) as f32);
        let (fx, fy) = (u - x0, v - y0);
        let row = y0 + R::select(above, R::splat(0.0), R::splat(self.rows as f32));
        let first = row.mul_add(R::splat(self.around as f32), x0).to_int();
        let one = R::splat(1.0);
        let entries = self.corner_entries(0);
        let mut index = [first; 4];
        for k in 0..4 {
            index[k] = first + R::Int::splat(entries[k] as i32);
        }
        Corners { index, weight: [(one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy] }
    }
}

impl<R: Real> Corners<R> {
    /// Interpolates channel `channel` of a table whose entries are `stride` values apart.
    #[inline(always)]
    pub fn gather(&self, table: &[f32], stride: usize, offset: R::Int) -> R {
        let mut sum = R::splat(0.0);
        for k in 0..4 {
            let i = self.index[k] * R::Int::splat(stride as i32) + offset;
            // SAFETY: `corners` keeps entries inside the grid; offsets are below the stride.
            let value = unsafe { R::gather(table, i) };
            sum = value.mul_add(self.weight[k], sum);
        }
        sum
    }
}
