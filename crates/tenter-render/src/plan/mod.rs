//! Plans: what clouds do to a square of level ground, seen from above. North is up, east to the right;
//! samples lie at pixel centres.

mod cover;
mod shadow;

pub use cover::{CoverRow, cover_row};
pub use shadow::shadow_row;

use crate::volume::VolumeError;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Largest distance of a plan's edges from the origin, m.
pub const MAX_EXTENT_M: f64 = 60_000.0;
pub const PLAN_WIDTHS: std::ops::RangeInclusive<usize> = 64..=16_384;

/// A square of ground.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PlanSettings {
    /// Its middle, m east and north of the origin.
    #[serde(default)]
    pub east_m: f64,
    #[serde(default)]
    pub north_m: f64,
    /// Length of its sides, m.
    pub extent_m: f64,
    /// Pixels along each side.
    pub width: usize,
}

impl PlanSettings {
    pub fn check(&self) -> Result<(), VolumeError> {
        let fail = |field, value: String, problem| Err(VolumeError { field, value, problem });
        if !PLAN_WIDTHS.contains(&self.width) || !self.width.is_multiple_of(4) {
            let problem =
                format!("should be a multiple of 4 from {} to {}", PLAN_WIDTHS.start(), PLAN_WIDTHS.end());
            return fail("width", self.width.to_string(), problem);
        }
        if !(10.0..=2.0 * MAX_EXTENT_M).contains(&self.extent_m) {
            let problem = format!("should be from 10 to {}", 2.0 * MAX_EXTENT_M);
            return fail("extent_m", self.extent_m.to_string(), problem);
        }
        for (field, middle) in [("east_m", self.east_m), ("north_m", self.north_m)] {
            let far = middle.abs() + 0.5 * self.extent_m;
            if !far.is_finite() || far > MAX_EXTENT_M {
                let problem = format!("reaches to {far} m from the origin, over {MAX_EXTENT_M}");
                return fail(field, middle.to_string(), problem);
            }
        }
        Ok(())
    }

    /// Width of a pixel, m.
    pub fn pixel_m(&self) -> f64 {
        self.extent_m / self.width as f64
    }

    /// Metres east of the middle of a column, and north of that of a row.
    pub fn east(&self, column: usize) -> f64 {
        self.east_m + ((column as f64 + 0.5) / self.width as f64 - 0.5) * self.extent_m
    }
    pub fn north(&self, row: usize) -> f64 {
        self.north_m + (0.5 - (row as f64 + 0.5) / self.width as f64) * self.extent_m
    }
}
