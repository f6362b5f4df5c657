//! Nested squares around the origin, each four times as wide as the one before.

use crate::simd::Real;

/// Nested maps.
pub const LEVELS: usize = 3;

/// Places in nested maps: which, and the columns and rows of their texels.
pub struct Texels<R: Real> {
    pub level: R,
    pub u: R,
    pub v: R,
}
