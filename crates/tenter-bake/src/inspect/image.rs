//! Pixels of an image: sums over all of them in one pass, and copies small enough to look at.

use super::{Largest, Result};
use std::path::Path;
use tenter_formats::inspect::{self, InspectError, Panorama};
use tenter_render::picture::MapSums;
use tenter_sky::camera::{Camera, angles_of};
use tenter_sky::spectrum::{Rgb, luminance};

/// Sums over the pixels of one part.
pub(super) struct Sums {
    camera: Option<Camera>,
    map: MapSums,
    width: usize,
    height: usize,
    pub pixels: u64,
    pub not_finite: u64,
    pub negative: u64,
    largest: (f32, usize, usize),
    /// First, second, last but one and last column, luminance by row.
    columns: Vec<[f32; 4]>,
    /// Luminance of the first row and of the last: sum, square, count.
    poles: [[f64; 3]; 2],
}

impl Sums {
    pub fn new(panorama: Option<Panorama>, width: usize, height: usize, heading: f64) -> Sums {
        let camera = match panorama {
            Some(Panorama::Latlong) if width == 2 * height => Some(Camera::latlong(width, heading)),
            Some(Panorama::Cube) if height == 6 * width => Some(Camera::cube(width, heading)),
            Some(Panorama::Fisheye) if height == width => Some(Camera::fisheye(width, heading)),
            _ => None,
        };
        Sums {
            camera,
            map: MapSums::default(),
            width,
            height,
            pixels: 0,
            not_finite: 0,
            negative: 0,
            largest: (f32::MIN, 0, 0),
            columns: vec![[0.0; 4]; height],
            poles: [[0.0; 3]; 2],
        }
    }

    pub fn add(&mut self, y: usize, x0: usize, pixels: &[[f32; 4]]) {
        let mut row: Vec<Rgb> = Vec::with_capacity(pixels.len());
        for (i, pixel) in pixels.iter().enumerate() {
            self.pixels += 1;
            let rgb = [pixel[0], pixel[1], pixel[2]];
            if rgb.iter().any(|v| !v.is_finite()) {
                self.not_finite += 1;
                row.push([0.0; 3]);
                continue;
            }
            if rgb.iter().any(|v| *v < 0.0) {
                self.negative += 1;
            }
            let top = rgb[0].max(rgb[1]).max(rgb[2]);
            if top > self.largest.0 {
                self.largest = (top, x0 + i, y);
            }
            row.push(rgb);
        }
        let columns = [0, 1, self.width.saturating_sub(2), self.width - 1];
        for (slot, column) in columns.into_iter().enumerate() {
            if let Some(rgb) = column.checked_sub(x0).and_then(|i| row.get(i)) {
                self.columns[y.min(self.height - 1)][slot] = luminance(*rgb);
            }
        }
        for (pole, last) in [(0, 0), (1, self.height - 1)] {
            if y == last {
                for rgb in &row {
                    let l = f64::from(luminance(*rgb));
                    let sums = &mut self.poles[pole];
                    *sums = [sums[0] + l, sums[1] + l * l, sums[2] + 1.0];
                }
            }
        }
        if let Some(camera) = &self.camera {
            self.map.add_part_of_row(camera, y, x0, &row);
        }
    }

    pub fn camera(&self) -> Option<&Camera> {
        self.camera.as_ref()
    }

    /// Illuminance of level ground in values of the file.
    pub fn level(&self) -> f64 {
        self.map.level
    }

    pub fn irradiance(&self, unit: f64) -> [[f64; 3]; 9] {
        self.map.irradiance(unit)
    }

    pub fn largest(&self) -> Option<Largest> {
        let (value, x, y) = self.largest;
        let d = self.camera.as_ref()?.direction(x as f64 + 0.5, y as f64 + 0.5)?;
        let (azimuth, elevation) = angles_of(d);
        Some(Largest {
            value: value.into(),
            azimuth_deg: azimuth.to_degrees(),
            elevation_deg: elevation.to_degrees(),
        })
    }

    /// How much more the first column differs from the last than from its neighbour, and the last from its
    /// own: the median over rows, as a share of their luminance.
    pub fn seam(&self) -> f64 {
        let mut excess: Vec<f64> = self
            .columns
            .iter()
            .map(|[first, second, before, last]| {
                let across = (first - last).abs();
                let beside = (first - second).abs().max((before - last).abs());
                f64::from((across - 2.0 * beside).max(0.0) / first.max(*last).max(1e-12))
            })
            .collect();
        excess.sort_by(f64::total_cmp);
        excess[excess.len() / 2]
    }

    /// Spread of luminance along the first and the last row, as a share of its mean.
    pub fn poles(&self) -> [f64; 2] {
        self.poles.map(|[sum, square, count]| {
            let mean = sum / count.max(1.0);
            let variance = (square / count.max(1.0) - mean * mean).max(0.0);
            if mean > 0.0 { variance.sqrt() / mean } else { 0.0 }
        })
    }
}

/// A small copy of a part: RGBA, rows from the top.
#[derive(Clone, Debug, PartialEq)]
pub struct ImageView {
    pub width: usize,
    pub height: usize,
    pub pixels: Vec<[f32; 4]>,
}

/// A part at most so wide: means of squares of pixels.
pub fn view(
    path: &Path,
    part: usize,
    most: usize,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<ImageView> {
    let info = inspect::info(path)?;
    let of = info
        .parts
        .get(part)
        .ok_or_else(|| InspectError::Damaged(format!("has {} parts, no part {part}", info.parts.len())))?;
    let step = of.width.div_ceil(most.max(1)).max(1);
    let (width, height) = (of.width.div_ceil(step), of.height.div_ceil(step));
    let mut sums = vec![[0.0f32; 5]; width * height];
    inspect::pixels(path, part, &mut |y, x0, pixels| {
        if cancelled() {
            return Err(InspectError::Cancelled);
        }
        for (i, pixel) in pixels.iter().enumerate() {
            let at = (y / step).min(height - 1) * width + ((x0 + i) / step).min(width - 1);
            if pixel.iter().all(|v| v.is_finite()) {
                for c in 0..4 {
                    sums[at][c] += pixel[c];
                }
                sums[at][4] += 1.0;
            }
        }
        Ok(())
    })?;
    let pixels = sums.iter().map(|s| [0, 1, 2, 3].map(|c| if s[4] > 0.0 { s[c] / s[4] } else { 0.0 }));
    Ok(ImageView { width, height, pixels: pixels.collect() })
}
