//! Environment maps: the whole sphere as a latlong picture, in bands of rows, and the facts that go with it.
//!
//! Map axes are y up, +z north, +x west (see [`crate::camera`]).

use super::{Area, Disc, render_area};
use crate::air::Fineness;
use crate::camera::{Camera, angles_of};
use crate::develop::white_luminance;
use crate::document::Sky;
use crate::live::Effort;
use crate::scene::{CalledOff, PlacedSun, Scene, Workshop};
use crate::spectrum::{Rgb, gamut_to_grey, luminance};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// Rows a band has; the last one may have fewer.
pub const BAND_ROWS: usize = 32;
pub const SMALLEST_WIDTH: usize = 64;
pub const LARGEST_WIDTH: usize = 16_384;

/// What a value of 1 in the file means.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Scale {
    /// Y is cd/m2.
    Nits,
    /// Divided by 1.2 * 2^EV100 of the sky's own exposure: 1 is display white.
    Exposed,
}

/// How a map is made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct MapSettings {
    /// Twice the height, even.
    pub width: usize,
    /// Azimuth in the middle column, degrees.
    pub heading_deg: f64,
    pub scale: Scale,
    /// Whether the sun's disc is in the map.
    pub sun: bool,
    /// Whether clouds are.
    pub clouds: bool,
}

impl Default for MapSettings {
    fn default() -> Self {
        MapSettings { width: 2048, heading_deg: 0.0, scale: Scale::Nits, sun: true, clouds: true }
    }
}

/// Settings that cannot be worked with.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{field}: {value} {problem}")]
pub struct SettingsError {
    pub field: &'static str,
    pub value: String,
    pub problem: String,
}

impl MapSettings {
    pub fn check(&self) -> Result<(), SettingsError> {
        let fail = |field, value: String, problem: String| Err(SettingsError { field, value, problem });
        if !(SMALLEST_WIDTH..=LARGEST_WIDTH).contains(&self.width) || !self.width.is_multiple_of(4) {
            let problem = format!("should be a multiple of 4 from {SMALLEST_WIDTH} to {LARGEST_WIDTH}");
            return fail("width", self.width.to_string(), problem);
        }
        if !self.heading_deg.is_finite() || self.heading_deg.abs() > 360.0 {
            return fail("heading_deg", self.heading_deg.to_string(), "should be from -360 to 360".into());
        }
        Ok(())
    }

    pub fn height(&self) -> usize {
        self.width / 2
    }
    pub fn bands(&self) -> usize {
        self.height().div_ceil(BAND_ROWS)
    }
    /// First row of a band and the row after its last.
    pub fn rows_of(&self, band: usize) -> (usize, usize) {
        (band * BAND_ROWS, ((band + 1) * BAND_ROWS).min(self.height()))
    }
}

/// A map that can be rendered band by band, in any order.
pub struct MapRender {
    pub settings: MapSettings,
    sky: Sky,
    scene: Scene,
    camera: Camera,
    disc: Disc,
}

/// A light in a map, for those who light with it.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct LightFact {
    pub kind: &'static str,
    pub azimuth_deg: f64,
    pub elevation_deg: f64,
    /// Unit vector toward it in map axes: x west, y up, z north.
    pub direction: [f64; 3],
    pub angular_diameter_deg: f64,
    /// On a plane that faces it, clouds taken in.
    pub illuminance_lx: f64,
    pub illuminance_rgb: Rgb,
    /// Whether its disc is in the map's pixels.
    pub in_map: bool,
}

/// What a map's sidecar says.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct MapFacts {
    pub layout: &'static str,
    pub width: usize,
    pub height: usize,
    pub axes: &'static str,
    pub heading_deg: f64,
    pub colour_space: &'static str,
    pub scale: Scale,
    /// cd/m2 that a value of 1 stands for.
    pub white_luminance: f64,
    pub exposure_ev100: f64,
    pub lights: Vec<LightFact>,
    pub irradiance_sh: Irradiance,
    /// Illuminance of level ground by the upper half of the map, lx.
    pub horizontal_illuminance_lx: f64,
    /// Largest channel value in the file and where it is.
    pub largest: Largest,
    pub integrator: &'static str,
    pub instruction_set: &'static str,
    /// Root mean square change against steps half as long, percent.
    pub noise_left_percent: f64,
    /// Share of pixels whose colour had to move into Rec.709.
    pub out_of_gamut_percent: f64,
    pub muted: Vec<String>,
    pub document_hash: String,
    pub document: Sky,
}

#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Largest {
    pub value: f64,
    pub azimuth_deg: f64,
    pub elevation_deg: f64,
}

/// Irradiance over the direction a surface faces.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Irradiance {
    pub convention: &'static str,
    /// Nine coefficients, each in RGB.
    pub coefficients: [[f64; 3]; 9],
}

impl MapRender {
    pub fn new(
        sky: &Sky,
        settings: &MapSettings,
        workshop: &Workshop,
        called_off: &(dyn Fn() -> bool + Sync),
    ) -> Result<MapRender, CalledOff> {
        let mut shown = sky.clone();
        if !settings.clouds {
            shown.clouds.clear();
        }
        let scene = workshop.scene(&shown, Fineness::Full, called_off)?;
        let disc = Disc::new(&scene, Effort::default());
        let camera = Camera::latlong(settings.width, settings.heading_deg);
        Ok(MapRender { settings: settings.clone(), sky: sky.clone(), scene, camera, disc })
    }

    fn unit(&self) -> f64 {
        match self.settings.scale {
            Scale::Nits => 1.0,
            Scale::Exposed => white_luminance(self.sky.grade.ev100),
        }
    }

    /// Pixels of one band as they stand in the file: inside Rec.709, none negative. Also how many had to be moved.
    pub fn band(
        &self,
        band: usize,
        called_off: &(dyn Fn() -> bool + Sync),
    ) -> Result<(Vec<Rgb>, usize), CalledOff> {
        let (from, to) = self.settings.rows_of(band);
        let area = Area { x: 0, y: from, width: self.settings.width, height: to - from };
        let mut picture = render_area(&self.scene, &self.camera, area, Effort::default(), called_off)?;
        if self.settings.sun {
            self.disc.add_to(&mut picture, &self.camera, area, &self.scene);
        }
        let scale = (1.0 / self.unit()) as f32;
        let mut moved = 0;
        for pixel in &mut picture.pixels {
            // Rounding leaves a little under zero beside bright values; that is not a colour out of gamut.
            let low = pixel[0].min(pixel[1]).min(pixel[2]);
            if low < -1e-4 * luminance(*pixel).abs() {
                moved += 1;
            }
            *pixel = gamut_to_grey(*pixel).map(|v| v * scale);
        }
        Ok((picture.pixels, moved))
    }

    /// The whole map, for those who have the memory. `progress` gets the share that is done.
    pub fn whole(
        &self,
        called_off: &(dyn Fn() -> bool + Sync),
        mut progress: impl FnMut(f64),
    ) -> Result<(Vec<Rgb>, MapFacts), CalledOff> {
        let mut pixels = Vec::with_capacity(self.settings.width * self.settings.height());
        let mut moved = 0;
        let bands = self.settings.bands();
        for band in 0..bands {
            let (values, n) = self.band(band, called_off)?;
            pixels.extend(values);
            moved += n;
            progress((band + 1) as f64 / bands as f64);
        }
        let facts = self.facts(&pixels, moved);
        Ok((pixels, facts))
    }

    /// What the sidecar says about finished pixels.
    pub fn facts(&self, pixels: &[Rgb], moved: usize) -> MapFacts {
        let unit = self.unit();
        let mut sums = MapSums::default();
        for row in 0..self.settings.height() {
            sums.add_row(&self.camera, row, &pixels[row * self.settings.width..][..self.settings.width]);
        }
        let placed = PlacedSun::of(&self.sky.sun);
        let (azimuth, elevation) = angles_of(sums.largest_at);
        let d = self.disc.direction;
        MapFacts {
            layout: "latlong",
            width: self.settings.width,
            height: self.settings.height(),
            axes: "y up, +z north, +x west; first row looks up, middle column toward the heading, samples at pixel centres",
            heading_deg: self.settings.heading_deg,
            colour_space: "linear Rec.709, D65",
            scale: self.settings.scale,
            white_luminance: unit,
            exposure_ev100: self.sky.grade.ev100,
            lights: vec![LightFact {
                kind: "sun",
                azimuth_deg: placed.azimuth_deg,
                elevation_deg: placed.elevation_deg,
                direction: [-d[0], d[2], d[1]],
                angular_diameter_deg: self.sky.sun.angular_diameter_deg,
                illuminance_lx: luminance(self.disc.illuminance) as f64,
                illuminance_rgb: self.disc.illuminance,
                in_map: self.settings.sun,
            }],
            irradiance_sh: Irradiance { convention: SH_CONVENTION, coefficients: sums.irradiance(unit) },
            horizontal_illuminance_lx: sums.level * unit,
            largest: Largest {
                value: sums.largest,
                azimuth_deg: azimuth.to_degrees(),
                elevation_deg: elevation.to_degrees(),
            },
            integrator: "live",
            instruction_set: crate::simd::best().name(),
            noise_left_percent: self.noise_left() * 100.0,
            out_of_gamut_percent: 100.0 * moved as f64 / pixels.len() as f64,
            muted: self.sky.clouds.iter().filter(|l| l.muted).map(|l| l.id.clone()).collect(),
            document_hash: self.sky.content_hash(),
            document: self.sky.clone(),
        }
    }

    /// For the live integrator: change against doubled steps, root mean square over pixels of the difference
    /// over max(pixel, 10 % of the mean), on a small map.
    fn noise_left(&self) -> f64 {
        let camera = Camera::latlong(128, self.settings.heading_deg);
        let area = Area { x: 0, y: 0, width: 128, height: 64 };
        let at = |step: f32| {
            render_area(&self.scene, &camera, area, Effort { step }, &|| false)
                .expect("nobody calls this off")
                .pixels
        };
        let (usual, fine) = (at(1.0), at(0.5));
        let mean = fine.iter().map(|p| luminance(*p) as f64).sum::<f64>() / fine.len() as f64;
        let square = |(a, b): (&Rgb, &Rgb)| {
            let (a, b) = (luminance(*a) as f64, luminance(*b) as f64);
            ((a - b) / b.max(0.1 * mean).max(1e-12)).powi(2)
        };
        (usual.iter().zip(&fine).map(square).sum::<f64>() / fine.len() as f64).sqrt()
    }
}

const SH_CONVENTION: &str = "irradiance (lx, linear Rec.709) of a surface facing n in map axes is the sum of \
coefficient[i] * Y[i](n), with real orthonormal Y in the order 1, y, z, x, xy, yz, 3z^2-1, xz, x^2-y^2 \
(Ramamoorthi and Hanrahan 2001, eq. 3 and 8; z is north here)";

/// Sums over a map's pixels.
struct MapSums {
    radiance: [[f64; 3]; 9],
    level: f64,
    largest: f64,
    largest_at: [f64; 3],
}

impl Default for MapSums {
    fn default() -> Self {
        MapSums { radiance: [[0.0; 3]; 9], level: 0.0, largest: 0.0, largest_at: [0.0, 0.0, 1.0] }
    }
}

impl MapSums {
    fn add_row(&mut self, camera: &Camera, row: usize, pixels: &[Rgb]) {
        let solid_angle = camera.latlong_solid_angle(row);
        for (x, pixel) in pixels.iter().enumerate() {
            let d = camera.direction(x as f64 + 0.5, row as f64 + 0.5).expect("maps show every direction");
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

    fn irradiance(&self, unit: f64) -> [[f64; 3]; 9] {
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
fn harmonics([x, y, z]: [f64; 3]) -> [f64; 9] {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{Air, Placement, Sun};

    /// A uniform sky of radiance 1 gives pi on level ground, within 0.1 %, and pi for every direction from the
    /// harmonics of a uniform sphere.
    #[test]
    fn a_uniform_sky_integrates_to_pi() {
        for width in [512, 1024] {
            let camera = Camera::latlong(width, 0.0);
            let mut sums = MapSums::default();
            for row in 0..width / 2 {
                sums.add_row(&camera, row, &vec![[1.0; 3]; width]);
            }
            assert!((sums.level / PI - 1.0).abs() < 1e-3, "{}", sums.level / PI);
            let e = sums.irradiance(1.0);
            let y = harmonics([0.36, 0.48, 0.8]);
            let shed: f64 = (0..9).map(|i| e[i][1] * y[i]).sum();
            assert!((shed / PI - 1.0).abs() < 1e-3, "{shed}");
        }
    }

    /// The disc's energy is exact at every size, near the zenith, at the seam, and cut by the horizon.
    #[test]
    fn the_discs_energy_does_not_depend_on_size() {
        let workshop = Workshop::default();
        for (azimuth_deg, elevation_deg) in [(180.0, 40.0), (0.1, 88.9), (179.9, 3.0), (95.0, 0.05)] {
            let placement = Placement::Hand { azimuth_deg, elevation_deg };
            let sky = Sky {
                sun: Sun { placement, ..Sun::default() },
                air: Air { visibility_km: 340.0, ..Air::default() },
                ..Sky::default()
            };
            for width in [256, 1024] {
                let settings = MapSettings { width, ..MapSettings::default() };
                let with = MapRender::new(&sky, &settings, &workshop, &|| false).unwrap();
                let without = MapRender { settings: MapSettings { sun: false, ..settings }, ..with };
                let camera = without.camera;
                let lx: f64 = {
                    let mut sum = 0.0;
                    for band in 0..without.settings.bands() {
                        let (dark, _) = without.band(band, &|| false).unwrap();
                        let mut lit = super::super::Picture {
                            width,
                            height: dark.len() / width,
                            pixels: vec![[0.0; 3]; dark.len()],
                        };
                        let (from, to) = without.settings.rows_of(band);
                        let area = Area { x: 0, y: from, width, height: to - from };
                        without.disc.add_to(&mut lit, &camera, area, &without.scene);
                        for (i, p) in lit.pixels.iter().enumerate() {
                            sum += luminance(*p) as f64 * camera.latlong_solid_angle(from + i / width);
                        }
                    }
                    sum
                };
                let expected = luminance(without.disc.illuminance) as f64;
                assert!(
                    expected > 0.0 && (lx / expected - 1.0).abs() < 1e-3,
                    "{azimuth_deg} {elevation_deg} {width}: {lx} {expected}"
                );
            }
        }
    }
}
