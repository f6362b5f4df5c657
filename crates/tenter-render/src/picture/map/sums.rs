//! Sums over a map's pixels: what its irradiance, its illuminance and its largest value follow from. They
//! are taken band by band and added, so that a map never has to be in memory whole.

use serde::{Deserialize, Serialize};
use std::f64::consts::PI;
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::{Rgb, luminance};

/// Sums over some rows of a map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MapSums {
    /// Radiance times each spherical harmonic and solid angle, in RGB of the file.
    radiance: [[f64; 3]; 9],
    /// Luminance of the upper half times the cosine of its zenith angle and solid angle.
    pub level: f64,
    /// Largest channel value, and the direction in which it stands.
    pub largest: f64,
    pub largest_at: [f64; 3],
    pub pixels: usize,
    /// Pixels whose colour had to move into Rec.709.
    pub moved: usize,
}

impl Default for MapSums {
    fn default() -> Self {
        MapSums {
            radiance: [[0.0; 3]; 9],
            level: 0.0,
            largest: 0.0,
            largest_at: [0.0, 0.0, 1.0],
            pixels: 0,
            moved: 0,
        }
    }
}

impl MapSums {
    pub(super) fn add_row(&mut self, camera: &Camera, row: usize, pixels: &[Rgb]) {
        self.add_part_of_row(camera, row, 0, pixels);
    }

    /// Adds pixels of a row from a column on.
    pub fn add_part_of_row(&mut self, camera: &Camera, row: usize, from: usize, pixels: &[Rgb]) {
        self.pixels += pixels.len();
        for (x, pixel) in (from..).zip(pixels) {
            let Some(d) = camera.direction(x as f64 + 0.5, row as f64 + 0.5) else { continue };
            let solid_angle = camera.solid_angle(x, row);
            let y = harmonics([-d[0], d[2], d[1]]);
            for (sum, y) in self.radiance.iter_mut().zip(y) {
                for c in 0..3 {
                    sum[c] += pixel[c] as f64 * y * solid_angle;
                }
            }
            if d[2] > 0.0 {
                self.level += luminance(*pixel) as f64 * d[2] * solid_angle;
            }
            let top = pixel[0].max(pixel[1]).max(pixel[2]) as f64;
            if top > self.largest {
                (self.largest, self.largest_at) = (top, d);
            }
        }
    }

    /// Adds the sums over further rows.
    pub fn add(&mut self, other: &MapSums) {
        for (sum, more) in self.radiance.iter_mut().flatten().zip(other.radiance.iter().flatten()) {
            *sum += more;
        }
        self.level += other.level;
        if other.largest > self.largest {
            (self.largest, self.largest_at) = (other.largest, other.largest_at);
        }
        self.pixels += other.pixels;
        self.moved += other.moved;
    }

    /// Coefficients of irradiance (Ramamoorthi and Hanrahan 2001, eq. 8); `unit`: cd/m2 of a value of 1.
    pub fn irradiance(&self, unit: f64) -> [[f64; 3]; 9] {
        // Clamped cosine: pi, 2 pi / 3, pi / 4.
        std::array::from_fn(|i| {
            let a = match i {
                0 => PI,
                1..=3 => 2.0 * PI / 3.0,
                _ => PI / 4.0,
            };
            self.radiance[i].map(|v| v * a * unit)
        })
    }
}

/// Real spherical harmonics up to the second order (Ramamoorthi and Hanrahan 2001, eq. 3).
pub(super) fn harmonics([x, y, z]: [f64; 3]) -> [f64; 9] {
    [
        0.282095,
        0.488603 * y,
        0.488603 * z,
        0.488603 * x,
        1.092548 * x * y,
        1.092548 * y * z,
        0.315392 * (3.0 * z * z - 1.0),
        1.092548 * x * z,
        0.546274 * (x * x - y * y),
    ]
}
