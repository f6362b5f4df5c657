//! The sun's disc: kept apart from the picture, for no pixel is fine enough for it.

use super::{Area, Picture};
use crate::camera::{Camera, Projection, angles_of};
use crate::live::{Effort, look_at};
use crate::scene::Scene;
use crate::spectrum::Rgb;

/// Samples along each side of the mask.
pub const MASK_SIDE: usize = 24;
/// Finest parts of a pixel along each side when the disc is put into a picture.
const PARTS: usize = 24;

/// A disc as the eye sees it.
#[derive(Clone, Debug)]
pub struct Disc {
    /// Unit vector to its middle.
    pub direction: [f64; 3],
    /// Half its angle, radians.
    pub radius: f64,
    /// Radiance in its middle where nothing hides it, cd/m2.
    pub radiance: Rgb,
    /// Share of that radiance in a square around the disc, rows from the top: limb darkening, clouds, horizon.
    pub mask: Vec<f32>,
    /// What it sheds on a plane that faces it, lx.
    pub illuminance: Rgb,
    /// Share of the disc's light that clouds and horizon let through.
    pub visible: f64,
    camera: Camera,
}

/// Brightness of the sun's disc over the distance from its middle (linear law, u = 0.6; common practice, no source).
fn limb(r: f64) -> f64 {
    0.4 + 0.6 * (1.0 - r * r).max(0.0).sqrt()
}

impl Disc {
    pub fn new(scene: &Scene, effort: Effort) -> Disc {
        let (direction, radius) = (scene.sun.direction, scene.sun.disc_radius);
        let (azimuth, elevation) = angles_of(direction);
        let projection = Projection::Around { azimuth, elevation, radius };
        let camera = Camera { projection, width: MASK_SIDE, height: MASK_SIDE };
        let places: Vec<(f64, f64)> = (0..MASK_SIDE * MASK_SIDE)
            .map(|i| ((i % MASK_SIDE) as f64 + 0.5, (i / MASK_SIDE) as f64 + 0.5))
            .collect();
        let directions: Vec<[f64; 3]> = places
            .iter()
            .map(|(x, y)| camera.direction(*x, *y).expect("squares show every direction"))
            .collect();
        let seen = look_at(scene, &directions, 2.0 * radius / MASK_SIDE as f64, effort);
        let horizon = horizon_sine(scene.planet(), scene.eye_altitude);
        let half = MASK_SIDE as f64 / 2.0;
        let mut mask = vec![0.0; directions.len()];
        // Whole disc, what stands above the horizon, and what clouds leave of that.
        let (mut whole, mut above, mut left) = (0.0, 0.0, 0.0);
        for (i, (x, y)) in places.iter().enumerate() {
            let r = ((x - half).hypot(y - half)) / half;
            if r > 1.0 {
                continue;
            }
            let light = limb(r);
            whole += light;
            mask[i] = (light * seen[i].1 as f64) as f32;
            if directions[i][2] > horizon {
                above += light;
                left += light * seen[i].1 as f64;
            }
        }
        let clear = scene.clear_sunlight();
        // Mean of the limb law over the disc is 0.8; the part above the horizon shares what comes past it.
        let solid_angle = 2.0 * std::f64::consts::PI * (1.0 - radius.cos());
        let share = if above > 0.0 { above / whole } else { 1.0 };
        let shown = if above > 0.0 { left / above } else { 0.0 };
        Disc {
            direction,
            radius,
            radiance: clear.map(|v| (v as f64 / (solid_angle * 0.8 * share)) as f32),
            mask,
            illuminance: clear.map(|v| (v as f64 * shown) as f32),
            visible: left / whole,
            camera,
        }
    }

    /// Share of [`Disc::radiance`] in a direction.
    fn share(&self, d: [f64; 3], horizon: f64) -> f64 {
        if d[2] <= horizon {
            return 0.0;
        }
        let Some([x, y]) = self.camera.place(d) else { return 0.0 };
        let half = MASK_SIDE as f64 / 2.0;
        let r = (x - half).hypot(y - half) / half;
        if r > 1.0 {
            return 0.0;
        }
        let (i, j) = ((x as usize).min(MASK_SIDE - 1), (y as usize).min(MASK_SIDE - 1));
        // Cells at the rim whose middle lies outside keep no transmittance of their own: take a neighbour's.
        let (ci, cj) = (i as f64 + 0.5 - half, j as f64 + 0.5 - half);
        let distance = ci.hypot(cj);
        let pull = if distance > half { (half - 1.0) / distance } else { 1.0 };
        let (i, j) = ((ci * pull + half) as usize, (cj * pull + half) as usize);
        let cell = ((i as f64 + 0.5 - half).hypot(j as f64 + 0.5 - half) / half).min(1.0);
        limb(r) * (self.mask[j * MASK_SIDE + i] as f64 / limb(cell))
    }

    /// Adds the disc to a part of a picture by how much of each pixel it covers. In a map of the whole sphere its
    /// energy comes out exact at every size.
    pub fn add_to(&self, picture: &mut Picture, camera: &Camera, area: Area, scene: &Scene) {
        let Some(pixels) = self.pixels(camera, scene) else { return };
        let raw: f64 = pixels.iter().map(|(_, y, share)| share * solid_angle(camera, *y)).sum();
        for &(x, y, share) in &pixels {
            let inside =
                (area.x..area.x + area.width).contains(&x) && (area.y..area.y + area.height).contains(&y);
            if !inside {
                continue;
            }
            let pixel = &mut picture.pixels[(y - area.y) * area.width + x - area.x];
            for c in 0..3 {
                pixel[c] += match camera.projection {
                    Projection::Latlong { .. } => (self.illuminance[c] as f64 * share / raw) as f32,
                    _ => self.radiance[c] * share as f32,
                };
            }
        }
    }

    /// Pixels the disc touches, with its mean share of brightness in each.
    fn pixels(&self, camera: &Camera, scene: &Scene) -> Option<Vec<(usize, usize, f64)>> {
        let horizon = horizon_sine(scene.planet(), scene.eye_altitude);
        let [cx, cy] = camera.place(self.direction)?;
        let (w, h) = (camera.width as i64, camera.height as i64);
        let reach = self.radius / camera.pixel_angle() * 1.5 + 1.5;
        // Toward the poles of a map, and the edges of a wide lens, the disc spreads over more pixels.
        let (spread_x, spread_y) = match camera.projection {
            Projection::Latlong { .. } => {
                let flat = self.direction[0].hypot(self.direction[1]).max(1e-6);
                if flat < 3.0 * self.radius { (w as f64, reach) } else { (reach / flat, reach) }
            }
            _ => (reach * 6.0, reach * 6.0),
        };
        let wraps = matches!(camera.projection, Projection::Latlong { .. });
        let columns: Vec<i64> = if 2.0 * spread_x >= w as f64 {
            (0..w).collect()
        } else {
            ((cx - spread_x).floor() as i64..=(cx + spread_x).ceil() as i64)
                .filter_map(|x| if wraps { Some(x.rem_euclid(w)) } else { (0..w).contains(&x).then_some(x) })
                .collect()
        };
        let rows = ((cy - spread_y).floor().max(0.0) as i64)..=((cy + spread_y).ceil() as i64).min(h - 1);
        let mut found = Vec::new();
        for y in rows {
            for &x in &columns {
                let mut sum = 0.0;
                for part in 0..PARTS * PARTS {
                    let at = |k: usize, base: i64| base as f64 + (k as f64 + 0.5) / PARTS as f64;
                    if let Some(d) = camera.direction(at(part % PARTS, x), at(part / PARTS, y)) {
                        sum += self.share(d, horizon);
                    }
                }
                if sum > 0.0 {
                    found.push((x as usize, y as usize, sum / (PARTS * PARTS) as f64));
                }
            }
        }
        (!found.is_empty()).then_some(found)
    }
}

fn solid_angle(camera: &Camera, row: usize) -> f64 {
    match camera.projection {
        Projection::Latlong { .. } => camera.latlong_solid_angle(row),
        _ => 1.0,
    }
}

/// Sine of the elevation of the horizon, negative from above the ground.
fn horizon_sine(planet: f64, altitude: f64) -> f64 {
    -(altitude * (2.0 * planet + altitude)).sqrt() / (planet + altitude)
}
