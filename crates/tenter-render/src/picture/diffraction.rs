//! Light that the stop of a lens spreads by diffraction: rays around bright discs.
//!
//! Far from the source, a straight edge of the stop sends light along its normal, both ways, and a round stop
//! evenly around (Fraunhofer diffraction; Born and Wolf, "Principles of Optics", 8.5). Of a polygon's
//! transform only the edge that faces a direction is left there: over the width of a ray it sends the share
//! `L w / (4 pi^2 A t^2)` of the light to each unit of the angle `t`, `w` the wavelength, `L` the edge's
//! length, `A` the stop's area. All edges of a regular polygon of half width `h` together send
//! `w / (pi^2 h t^2)`, as much as a round stop of radius `h` (there: eq. 8.5.20, `2 / (pi v)` outside
//! `v = 2 pi h t / w`). Angles are those of the lens's axis (paraxial): places on a plane at distance 1,
//! where rays are straight.

use super::{Area, Disc};
use std::f64::consts::{PI, TAU};
use tenter_sky::camera::Camera;
use tenter_sky::document::{Eye, LensGlare};
use tenter_sky::spectrum::Rgb;

/// Dominant wavelengths of the primaries of Rec. ITU-R BT.709, m (from memory).
const WAVELENGTHS_M: [f64; 3] = [611e-9, 549e-9, 464e-9];
/// Rays to each side of the nearest one that are added: nearer to a disc than they reach, rays are its glow.
const NEIGHBOURS: i32 = 2;

/// The stop of a lens.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stop {
    /// Half of its width across flats, m.
    half_width_m: f64,
    rays: f64,
    /// Angle of the first ray, clockwise from up, radians.
    turn: f64,
    roundness: f64,
    strength: f64,
}

impl Stop {
    /// The stop of a document's lens; nothing where it spreads no light.
    pub fn new(eye: &Eye, glare: &LensGlare) -> Option<Stop> {
        (glare.strength > 0.0).then(|| Stop {
            half_width_m: 0.5e-3 * eye.lens_mm / glare.f_number,
            // Edges across from each other share their rays.
            rays: f64::from(if glare.blades.is_multiple_of(2) { glare.blades } else { 2 * glare.blades }),
            turn: glare.turn_deg.to_radians(),
            roundness: glare.roundness,
            strength: glare.strength,
        })
    }

    /// Luminance for each lx of a source, in linear Rec.709. `offset`: of a place from the source's, to the
    /// right and up on the plane; `radius`: of the source, radians.
    pub fn veil(&self, offset: [f64; 2], radius: f64) -> Rgb {
        let spread = self.spread(offset, radius);
        WAVELENGTHS_M.map(|wavelength| (spread * wavelength) as f32)
    }

    /// The same for each metre of wavelength.
    fn spread(&self, offset: [f64; 2], radius: f64) -> f64 {
        let angle = offset[0].hypot(offset[1]);
        let at = angle.max(radius);
        let even = 1.0 / (2.0 * PI.powi(3) * self.half_width_m * at.powi(3));
        let between = TAU / self.rays;
        let turned = offset[0].atan2(offset[1]) - self.turn;
        let nearest = (turned / between).round();
        let mut rays = 0.0;
        for k in -NEIGHBOURS..=NEIGHBOURS {
            let off = turned - (nearest + f64::from(k)) * between;
            let (along, across) = (angle * off.cos(), angle * off.sin());
            let width = radius * radius - across * across;
            if along > 0.0 && width > 0.0 {
                // As wide as the source, and as bright across as its disc is high there.
                let share = 2.0 * width.sqrt() / (PI * radius * radius);
                rays += share / (PI * PI * self.half_width_m * along.max(radius).powi(2) * self.rays);
            }
        }
        self.strength * (self.roundness * even + (1.0 - self.roundness) * rays)
    }

    /// Adds what the stop spreads of all discs to a part of a picture; pictures without a lens are left.
    pub fn add_to(&self, pixels: &mut [Rgb], camera: &Camera, area: Area, discs: &[Disc]) {
        let half_pixel = 0.5 * camera.pixel_angle();
        for disc in discs.iter().filter(|d| d.seen) {
            let Some(source) = camera.on_plane(disc.direction) else { continue };
            let radius = disc.radius.max(half_pixel);
            for (i, pixel) in pixels.iter_mut().enumerate() {
                let (x, y) = ((area.x + i % area.width) as f64 + 0.5, (area.y + i / area.width) as f64 + 0.5);
                let Some(seen) = camera.direction(x, y).and_then(|d| camera.on_plane(d)) else { continue };
                let veil = self.veil([seen[0] - source[0], seen[1] - source[1]], radius);
                for c in 0..3 {
                    pixel[c] += disc.illuminance[c] * veil[c];
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stop(blades: u32, roundness: f64) -> Stop {
        let glare = LensGlare { strength: 1.0, f_number: 16.0, blades, roundness, ..LensGlare::default() };
        Stop::new(&Eye { lens_mm: 32.0, ..Eye::default() }, &glare).unwrap()
    }

    /// Light on a ring between two angles, as a share of the source's.
    fn on_ring(stop: &Stop, from: f64, to: f64, radius: f64) -> f64 {
        let (rings, turns) = (60, 7200);
        let mut sum = 0.0;
        for i in 0..rings {
            let (a, b) = (from + (to - from) * i as f64 / rings as f64, (to - from) / rings as f64);
            let angle = a + 0.5 * b;
            let mean = (0..turns)
                .map(|k| {
                    let (s, c) = (TAU * (k as f64 + 0.5) / turns as f64).sin_cos();
                    stop.spread([angle * s, angle * c], radius)
                })
                .sum::<f64>()
                / turns as f64;
            sum += mean * TAU * angle * b * WAVELENGTHS_M[1];
        }
        sum
    }

    /// Born and Wolf, "Principles of Optics", eq. 8.5.20: a round stop leaves `2 / (pi v)` outside `v`; a
    /// polygon as wide across flats sends as much along its rays.
    #[test]
    fn as_much_is_spread_as_fraunhofer_diffraction_does() {
        let h = 1e-3;
        let outside = |t: f64| 2.0 / (PI * TAU * h * t / WAVELENGTHS_M[1]);
        let (from, to) = (0.03, 0.09);
        let wanted = outside(from) - outside(to);
        for (blades, roundness) in [(6, 1.0), (6, 0.0), (7, 0.0), (9, 0.4)] {
            let found = on_ring(&stop(blades, roundness), from, to, 2e-3);
            assert!((found / wanted - 1.0).abs() < 0.02, "{blades} {roundness}: {found} {wanted}");
        }
    }

    /// Stops with an even number of blades make as many rays, others twice as many (common practice, no
    /// source; it follows from edges across from each other).
    #[test]
    fn rays_are_counted_by_blades() {
        for (blades, rays) in [(5, 10), (6, 6), (7, 14), (8, 8)] {
            let stop = stop(blades, 0.0);
            let at = |i: usize| {
                let (s, c) = (TAU * i as f64 / 3600.0).sin_cos();
                stop.spread([0.1 * s, 0.1 * c], 1e-3) > 0.0
            };
            let begun = (0..3600).filter(|i| at(*i) && !at((i + 3599) % 3600)).count();
            assert_eq!(begun, rays, "{blades}");
        }
    }

    #[test]
    fn nothing_is_spread_unless_it_is_asked_for() {
        assert!(Stop::new(&Eye::default(), &LensGlare::default()).is_none());
    }
}
