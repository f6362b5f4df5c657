//! The discs of suns and moon: apart from the picture, as no pixel resolves them.

use super::{Area, Picture};
use crate::integrator::{MarchQuality, radiance_along};
use crate::scene::{Face, Light, Occluder, Scene};
use tenter_sky::astronomy::moon_albedo;
use tenter_sky::camera::{Camera, Facing, LowerHalf, Projection, angles_of, cube};
use tenter_sky::spectrum::Rgb;

/// Samples along each side of the mask.
pub const MASK_SIDE: usize = 24;
/// The same for discs with features, where they are drawn from the mask.
pub const FINE_MASK_SIDE: usize = 96;
/// Finest parts of a pixel along each side when the disc is put into a picture.
const PARTS: usize = 24;

/// A disc as the eye sees it.
#[derive(Clone, Debug)]
pub struct Disc {
    /// Unit vector to its middle, as it is seen.
    pub direction: [f64; 3],
    /// Half its angle, radians.
    pub radius: f64,
    /// Radiance in its middle where nothing hides it, cd/m2.
    pub radiance: Rgb,
    /// Share of that radiance in a square around the disc, rows from the top: limb darkening, clouds,
    /// horizon.
    pub mask: Vec<f32>,
    /// Illuminance of a plane that faces it, lx.
    pub illuminance: Rgb,
    /// Visible share of the disc behind clouds, fog and horizon.
    pub visible: f64,
    /// Whether it is shown; if not, its light stays.
    pub seen: bool,
    /// Glare, as a multiple of the eye's.
    pub glare: f64,
    face: Surface,
    camera: Camera,
    /// What clouds and fog let through, as `mask`; sine of the horizon's elevation.
    through: Vec<f32>,
    horizon: f64,
}

/// A disc's own brightness from place to place, in the frame of the picture around it.
#[derive(Clone, Copy, Debug)]
enum Surface {
    /// The linear law of limb darkening (common practice, no source; 0.6 for the sun), and a disc before it:
    /// its middle to the right and up and its radius, in radii of the sun.
    Sun { limb_darkening: f64, behind: Option<[f64; 3]> },
    /// A dark sphere lit from a direction (x right, y up, z toward the eye), by the law of Lommel and
    /// Seeliger (Hapke 1981, eq. 8, without opposition surge), and by the earth; seas and rays by where its
    /// north is, to the right and up. Libration is left out.
    Moon { light: [f64; 3], earthshine: f64, north: [f64; 2] },
}

impl Surface {
    fn new(face: &Face, direction: [f64; 3], radius: f64) -> Surface {
        let (azimuth, elevation) = angles_of(direction);
        let ((sa, ca), (se, ce)) = (azimuth.sin_cos(), elevation.sin_cos());
        // Parts of a vector to the right and up in the sky around the disc.
        let in_view = |v: [f64; 3]| {
            let dot = |axis: [f64; 3]| (0..3).map(|i| v[i] * axis[i]).sum::<f64>();
            [dot([ca, -sa, 0.0]), dot([-sa * se, -ca * se, ce])]
        };
        match *face {
            Face::World { .. } => Surface::Sun { limb_darkening: 0.0, behind: None },
            Face::Sun { limb_darkening, behind } => {
                let behind = behind.map(|Occluder { direction, radius: by }| {
                    let [right, up] = in_view(direction);
                    [right / radius.sin(), up / radius.sin(), by / radius]
                });
                Surface::Sun { limb_darkening, behind }
            }
            Face::Moon { phase_cos, bright_limb, earthshine, north } => {
                let [right, up] = in_view(bright_limb);
                let length = right.hypot(up).max(1e-9);
                let north = in_view(north);
                let north_length = north[0].hypot(north[1]).max(1e-9);
                let sine = (1.0 - phase_cos * phase_cos).max(0.0).sqrt();
                let light = [sine * right / length, sine * up / length, phase_cos];
                Surface::Moon { light, earthshine, north: north.map(|v| v / north_length) }
            }
        }
    }

    /// Relative brightness at a place on the disc, in radii to the right and up.
    fn at(&self, right: f64, up: f64) -> f64 {
        let front = (1.0 - right * right - up * up).max(0.0).sqrt();
        match *self {
            Surface::Sun { limb_darkening, behind } => match behind {
                Some([x, y, radius]) if (right - x).hypot(up - y) < radius => 0.0,
                _ => 1.0 - limb_darkening * (1.0 - front),
            },
            Surface::Moon { light, earthshine, north } => {
                let lit = right * light[0] + up * light[1] + front * light[2];
                let own = if lit > 0.0 { 2.0 * lit / (lit + front).max(1e-6) } else { 0.0 };
                let latitude = (right * north[0] + up * north[1]).clamp(-1.0, 1.0).asin();
                let longitude = (right * north[1] - up * north[0]).atan2(front);
                (own + earthshine) * moon_albedo(longitude, latitude)
            }
        }
    }
}

/// The discs of all lights, in the scene's order.
pub fn discs(scene: &Scene, quality: MarchQuality) -> Vec<Disc> {
    (0..scene.lights.len()).map(|i| Disc::new(scene, i, quality)).collect()
}

/// A place on a disc.
#[derive(Clone, Copy, Debug)]
pub struct DiscPlace {
    /// Unit vector to it.
    pub direction: [f64; 3],
    /// Of the disc itself there, relative.
    pub brightness: f64,
    /// To the next place, radians.
    pub angle: f64,
}

/// Sample points on a light's disc that determine its visible share.
pub fn disc_places(light: &Light) -> Vec<DiscPlace> {
    let (face, camera) = shown(light);
    let angle = spacing(light);
    cells()
        .map(|(x, y)| (x, y, off_middle(x, y)))
        .filter(|(_, _, [right, up])| right.hypot(*up) <= 1.0)
        .map(|(x, y, [right, up])| DiscPlace {
            direction: facing(&camera, x, y),
            brightness: face.at(right, up),
            angle,
        })
        .collect()
}

/// The disc of a light, and the square around it.
fn shown(light: &Light) -> (Surface, Camera) {
    let direction = light.placed.seen;
    let (azimuth, elevation) = angles_of(direction);
    let radius = light.placed.in_sky.disc_radius;
    let flattening = light.placed.flattening;
    let projection = Projection::Around { facing: Facing::new(azimuth, elevation), radius, flattening };
    let camera = Camera { projection, width: MASK_SIDE, height: MASK_SIDE, lower: LowerHalf::AsSeen };
    (Surface::new(&light.placed.face, direction, radius), camera)
}

/// Middles of the mask's cells.
fn cells() -> impl Iterator<Item = (f64, f64)> {
    (0..MASK_SIDE * MASK_SIDE).map(|i| ((i % MASK_SIDE) as f64 + 0.5, (i / MASK_SIDE) as f64 + 0.5))
}

/// A place of the mask in radii of the disc, to the right and up.
fn off_middle(x: f64, y: f64) -> [f64; 2] {
    let half = MASK_SIDE as f64 / 2.0;
    [(x - half) / half, (half - y) / half]
}

fn facing(camera: &Camera, x: f64, y: f64) -> [f64; 3] {
    camera.direction(x, y).expect("squares show every direction")
}

/// Between the mask's cells, radians.
fn spacing(light: &Light) -> f64 {
    2.0 * light.placed.in_sky.disc_radius / MASK_SIDE as f64
}

impl Disc {
    pub fn new(scene: &Scene, light: usize, quality: MarchQuality) -> Disc {
        let light = &scene.lights[light];
        let (direction, radius) = (light.placed.seen, light.placed.in_sky.disc_radius);
        let (face, camera) = shown(light);
        let places: Vec<(f64, f64)> = cells().collect();
        let directions: Vec<[f64; 3]> = places.iter().map(|(x, y)| facing(&camera, *x, *y)).collect();
        let seen = radiance_along(scene, &directions, spacing(light), quality);
        let horizon = scene.horizon_sine() as f64;
        let (mut mask, mut through) = (vec![0.0; directions.len()], vec![0.0; directions.len()]);
        // The whole disc, the part above the horizon, and what clouds transmit of that.
        let (mut whole, mut above, mut left) = (0.0, 0.0, 0.0);
        let (mut parts, mut brightest) = (0.0, 0.0f64);
        for (i, (x, y)) in places.iter().enumerate() {
            let [right, up] = off_middle(*x, *y);
            if right.hypot(up) > 1.0 {
                continue;
            }
            let light = face.at(right, up);
            parts += 1.0;
            whole += light;
            brightest = brightest.max(light);
            mask[i] = (light * seen[i].1 as f64) as f32;
            through[i] = seen[i].1;
            if directions[i][2] > horizon {
                above += light;
                left += light * seen[i].1 as f64;
            }
        }
        let clear = light.seen(scene.eye_altitude);
        // Refraction preserves radiance: a flattened disc has less light. The part above the horizon shares
        // the transmitted light.
        let solid_angle = 2.0 * std::f64::consts::PI * (1.0 - radius.cos());
        let share = if above > 0.0 { above / whole } else { 1.0 };
        let shown = if above > 0.0 { left / above } else { 0.0 };
        let mean = (whole / parts).max(1e-12);
        Disc {
            direction,
            radius,
            radiance: clear
                .map(|v| if whole > 0.0 { (v as f64 / (solid_angle * mean * share)) as f32 } else { 0.0 }),
            mask,
            illuminance: clear.map(|v| (v as f64 * shown * light.placed.flattening) as f32),
            visible: if whole > 0.0 { left / whole } else { 0.0 },
            seen: light.placed.disc_seen,
            glare: light.placed.glare,
            face,
            camera,
            through,
            horizon,
        }
    }

    /// Whether its face has features that a mask of [`MASK_SIDE`] is too coarse for.
    pub fn is_detailed(&self) -> bool {
        match self.face {
            Surface::Sun { behind, .. } => behind.is_some(),
            Surface::Moon { .. } => true,
        }
    }

    /// The mask with so many samples along each side.
    pub fn mask_of(&self, side: usize) -> Vec<f32> {
        if side == MASK_SIDE {
            return self.mask.clone();
        }
        let fine = Camera { width: side, height: side, ..self.camera };
        (0..side * side)
            .map(|i| {
                let at = fine.direction((i % side) as f64 + 0.5, (i / side) as f64 + 0.5);
                at.map_or(0.0, |d| self.share(d) as f32)
            })
            .collect()
    }

    /// Share of [`Disc::radiance`] in a direction.
    fn share(&self, d: [f64; 3]) -> f64 {
        if d[2] <= self.horizon {
            return 0.0;
        }
        let Some([x, y]) = self.camera.place(d) else { return 0.0 };
        let half = MASK_SIDE as f64 / 2.0;
        let r = (x - half).hypot(y - half) / half;
        if r > 1.0 {
            return 0.0;
        }
        let (i, j) = ((x as usize).min(MASK_SIDE - 1), (y as usize).min(MASK_SIDE - 1));
        // Rim cells whose centre lies outside take a neighbour's transmittance.
        let (ci, cj) = (i as f64 + 0.5 - half, j as f64 + 0.5 - half);
        let distance = ci.hypot(cj);
        let pull = if distance > half { (half - 1.0) / distance } else { 1.0 };
        let (i, j) = ((ci * pull + half) as usize, (cj * pull + half) as usize);
        let through = f64::from(self.through[j * MASK_SIDE + i]);
        self.face.at((x - half) / half, (half - y) / half) * through
    }

    /// Adds the disc to a part of a picture by how much of each pixel it covers.
    pub fn add_to(&self, picture: &mut Picture, camera: &Camera, area: Area) {
        add_light(picture, area, &self.pixels(camera));
    }

    /// Pixels the disc touches and its light in each, cd/m2. In maps its energy comes out exact at every
    /// size.
    pub fn pixels(&self, camera: &Camera) -> Vec<DiscPixel> {
        if !self.seen {
            return Vec::new();
        }
        let mut found = Vec::new();
        for (x, y) in self.candidates(camera) {
            let mut sum = 0.0;
            for part in 0..PARTS * PARTS {
                let at = |k: usize, base: usize| base as f64 + (k as f64 + 0.5) / PARTS as f64;
                if let Some(d) = camera.direction(at(part % PARTS, x), at(part / PARTS, y)) {
                    sum += self.share(d);
                }
            }
            if sum > 0.0 {
                found.push((x, y, sum / (PARTS * PARTS) as f64));
            }
        }
        let covered: f64 = found.iter().map(|(x, y, share)| share * camera.solid_angle(*x, *y)).sum();
        let bright = if covered > 0.0 {
            self.illuminance.map(|v| v as f64 / covered)
        } else {
            self.radiance.map(|v| v as f64)
        };
        found
            .into_iter()
            .map(|(x, y, share)| DiscPixel { x, y, light: bright.map(|v| (v * share) as f32) })
            .collect()
    }

    /// Pixels that the disc may touch.
    fn candidates(&self, camera: &Camera) -> Vec<(usize, usize)> {
        let reach = self.radius / camera.pixel_angle() * 1.5 + 1.5;
        let (w, h) = (camera.width as f64, camera.height as f64);
        match camera.projection {
            Projection::Latlong { .. } => {
                let Some(centre) = camera.place(self.direction) else { return Vec::new() };
                // Toward the poles the disc spreads over more columns.
                let flat = self.direction[0].hypot(self.direction[1]).max(1e-6);
                let across = if flat < 3.0 * self.radius { w } else { (reach / flat).min(w) };
                block(centre, [across, reach], [f64::NEG_INFINITY, 0.0], [f64::INFINITY, h], camera.width)
            }
            Projection::Cube { heading } => (0..6)
                .filter_map(|face| Some((face, cube::place(face, self.direction, heading)?)))
                .filter(|(face, [a, b])| {
                    // Planes of the faces beyond an edge meet the direction far away.
                    let edge = cube::direction(*face, [a.clamp(-1.0, 1.0), b.clamp(-1.0, 1.0)], heading);
                    let cosine: f64 = (0..3).map(|i| edge[i] * self.direction[i]).sum();
                    cosine > (2.0 * reach * camera.pixel_angle()).min(std::f64::consts::PI).cos()
                })
                .flat_map(|(face, [a, b])| {
                    let top = face as f64 * w;
                    let centre = [(a + 1.0) * 0.5 * w, (b + 1.0) * 0.5 * w + top];
                    // Off the middle of a face the disc spreads by the square of the distance.
                    let spread = reach * (1.0 + a * a + b * b);
                    block(centre, [spread; 2], [0.0, top], [w, top + w], camera.width)
                })
                .collect(),
            // Toward the edges of a wide lens the disc spreads over more pixels.
            _ => match camera.place(self.direction) {
                Some(centre) => block(centre, [reach * 6.0; 2], [0.0; 2], [w, h], camera.width),
                None => Vec::new(),
            },
        }
    }
}

/// The disc's light in one pixel.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DiscPixel {
    pub x: usize,
    pub y: usize,
    /// cd/m2.
    pub light: Rgb,
}

/// Adds a disc's light to the pixels of a part of a picture.
pub fn add_light(picture: &mut Picture, area: Area, disc: &[DiscPixel]) {
    for p in disc {
        if (area.x..area.x + area.width).contains(&p.x) && (area.y..area.y + area.height).contains(&p.y) {
            let pixel = &mut picture.pixels[(p.y - area.y) * area.width + p.x - area.x];
            for c in 0..3 {
                pixel[c] += p.light[c];
            }
        }
    }
}

/// Pixels within `reach` of a centre and between `low` and `high`; columns wrap at `width`, each once.
fn block(
    centre: [f64; 2],
    reach: [f64; 2],
    low: [f64; 2],
    high: [f64; 2],
    width: usize,
) -> Vec<(usize, usize)> {
    let range = |k: usize| {
        let from = (centre[k] - reach[k]).floor().max(low[k]) as i64;
        let to = (centre[k] + reach[k]).ceil().min(high[k] - 1.0) as i64;
        (from, to)
    };
    let ((x0, x1), (y0, y1)) = (range(0), range(1));
    let x1 = x1.min(x0 + width as i64 - 1);
    (y0..=y1)
        .flat_map(|y| (x0..=x1).map(move |x| (x.rem_euclid(width as i64) as usize, y as usize)))
        .collect()
}
