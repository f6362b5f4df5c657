//! Nested squares around the origin, each four times as wide as the one before.

use crate::simd::Real;

/// Nested maps.
pub const LEVELS: usize = 3;

/// Positions in nested maps: the level, and columns and rows in texels.
pub struct Texels<R: Real> {
    pub level: R,
    pub u: R,
    pub v: R,
}
