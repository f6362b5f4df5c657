//! From pixels to directions (x east, y north, z up).
//!
//! Samples are at pixel centres. A latlong map follows OpenEXR's ENVMAP_LATLONG in its own axes (y up, +z in
//! the middle column, +x in the left quarter); with north as +z and up as +y, west is +x, so that east lies
//! to the right of the middle. A cube map follows its ENVMAP_CUBE ([`cube`]).

pub mod cube;

use crate::document::Eye;
use std::f64::consts::{PI, TAU};

/// A projection and its size in pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Camera {
    pub projection: Projection,
    pub width: usize,
    pub height: usize,
    pub lower: LowerHalf,
}

/// What pixels below the level show.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LowerHalf {
    /// What lies there.
    #[default]
    AsSeen,
    /// The upper half, mirrored about the level.
    Mirrored,
    /// Nothing.
    Hidden,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Projection {
    /// A rectilinear lens; `shift` moves the frame to the right and up, on a plane at distance 1.
    Lens { facing: Facing, half_width: f64, shift: [f64; 2] },
    /// The whole sphere; `heading` is the azimuth in the middle column, radians.
    Latlong { heading: f64 },
    /// The whole sphere on six square faces, one below the other; `heading` is the azimuth in the middle of
    /// the fifth (+z) face, radians.
    Cube { heading: f64 },
    /// The upper hemisphere as a camera that looks up sees it, equidistant: zenith in the middle, `heading`
    /// (radians) at the top, the azimuth 90 degrees clockwise of it at the left.
    Fisheye { heading: f64 },
    /// The upper hemisphere in a square, each pixel as large as any other in what it adds to the illuminance
    /// of level ground (orthographic: the square holds the unit disc).
    Level,
    /// Directions around one, `radius` radians from the middle to the left and right edges and `flattening`
    /// times as many to the upper and lower ones.
    Around { facing: Facing, radius: f64, flattening: f64 },
}

/// Which way a flat picture faces: sine and cosine of its heading, pitch and roll.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Facing {
    heading: [f64; 2],
    pitch: [f64; 2],
    roll: [f64; 2],
}

impl Facing {
    /// Azimuth and elevation, radians.
    pub fn new(heading: f64, pitch: f64) -> Facing {
        Facing { heading: heading.sin_cos().into(), pitch: pitch.sin_cos().into(), roll: [0.0, 1.0] }
    }

    /// The same, turned about its line of sight: clockwise from behind, radians.
    pub fn rolled(self, roll: f64) -> Facing {
        Facing { roll: roll.sin_cos().into(), ..self }
    }

    /// The unit vector toward a place on a plane at distance 1.
    fn turned(self, right: f64, up: f64) -> [f64; 3] {
        let ([sh, ch], [sp, cp], [sr, cr]) = (self.heading, self.pitch, self.roll);
        let (right, up) = (right * cr + up * sr, up * cr - right * sr);
        let flat = cp - up * sp;
        let d = [flat * sh + right * ch, flat * ch - right * sh, sp + up * cp];
        let length = (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]).sqrt();
        d.map(|v| v / length)
    }

    /// A direction's parts to the right, up and forward.
    fn in_view(self, d: [f64; 3]) -> [f64; 3] {
        let ([sh, ch], [sp, cp], [sr, cr]) = (self.heading, self.pitch, self.roll);
        let along = d[0] * sh + d[1] * ch;
        let (right, up) = (d[0] * ch - d[1] * sh, d[2] * cp - along * sp);
        [right * cr - up * sr, right * sr + up * cr, along * cp + d[2] * sp]
    }
}

impl Camera {
    /// What the document's eye sees, `width` pixels wide.
    pub fn lens(eye: &Eye, width: usize, height: usize) -> Camera {
        let projection = Projection::Lens {
            facing: Facing::new(eye.heading_deg.to_radians(), eye.pitch_deg.to_radians())
                .rolled(eye.roll_deg.to_radians()),
            half_width: (eye.horizontal_field_of_view() * 0.5).tan(),
            shift: [eye.shift_right_mm, eye.shift_up_mm].map(|mm| mm / eye.lens_mm),
        };
        Camera { projection, width, height, lower: LowerHalf::AsSeen }
    }

    pub fn latlong(width: usize, heading_deg: f64) -> Camera {
        let projection = Projection::Latlong { heading: heading_deg.to_radians() };
        Camera { projection, width, height: width / 2, lower: LowerHalf::AsSeen }
    }

    /// `width` pixels along each face.
    pub fn cube(width: usize, heading_deg: f64) -> Camera {
        let projection = Projection::Cube { heading: heading_deg.to_radians() };
        Camera { projection, width, height: 6 * width, lower: LowerHalf::AsSeen }
    }

    pub fn fisheye(width: usize, heading_deg: f64) -> Camera {
        let projection = Projection::Fisheye { heading: heading_deg.to_radians() };
        Camera { projection, width, height: width, lower: LowerHalf::AsSeen }
    }

    /// The upper hemisphere by what it adds to the illuminance of level ground.
    pub fn level(side: usize) -> Camera {
        Camera { projection: Projection::Level, width: side, height: side, lower: LowerHalf::AsSeen }
    }

    /// The same with another lower half.
    pub fn with_lower(self, lower: LowerHalf) -> Camera {
        Camera { lower, ..self }
    }

    /// Unit direction at a place in pixels (0.5, 0.5 is the centre of the first one, at the upper left).
    /// `None` where the picture shows nothing.
    pub fn direction(&self, x: f64, y: f64) -> Option<[f64; 3]> {
        let d = self.projected(x, y)?;
        match self.lower {
            LowerHalf::AsSeen => Some(d),
            LowerHalf::Mirrored => Some([d[0], d[1], d[2].abs()]),
            LowerHalf::Hidden => (d[2] >= 0.0).then_some(d),
        }
    }

    /// The direction that the projection has at a place, whatever the lower half shows.
    fn projected(&self, x: f64, y: f64) -> Option<[f64; 3]> {
        let (w, h) = (self.width as f64, self.height as f64);
        match self.projection {
            Projection::Lens { facing, half_width, shift } => {
                let right = (2.0 * x / w - 1.0) * half_width + shift[0];
                let up = (1.0 - 2.0 * y / h) * half_width * h / w + shift[1];
                Some(facing.turned(right, up))
            }
            Projection::Latlong { heading } => {
                let azimuth = heading + (x / w - 0.5) * TAU;
                let elevation = (0.5 - y / h) * PI;
                Some(toward(azimuth, elevation))
            }
            Projection::Cube { heading } => {
                let face = ((y / w) as usize).min(5);
                Some(cube::direction(face, [2.0 * x / w - 1.0, 2.0 * (y / w - face as f64) - 1.0], heading))
            }
            Projection::Fisheye { heading } => {
                let (left, up) = (1.0 - 2.0 * x / w, 1.0 - 2.0 * y / h);
                let r = left.hypot(up);
                (r <= 1.0).then(|| toward(heading + left.atan2(up), (1.0 - r) * 0.5 * PI))
            }
            Projection::Level => {
                let (east, north) = (2.0 * x / w - 1.0, 1.0 - 2.0 * y / h);
                let rest = 1.0 - east * east - north * north;
                (rest > 0.0).then(|| [east, north, rest.sqrt()])
            }
            Projection::Around { facing, radius, flattening } => {
                let reach = radius.tan();
                Some(facing.turned((2.0 * x / w - 1.0) * reach, (1.0 - 2.0 * y / h) * reach * flattening))
            }
        }
    }

    /// Where a direction meets the plane at distance 1 of a lens, to the right and up of its axis; `None`
    /// behind it, and for other projections.
    pub fn on_plane(&self, d: [f64; 3]) -> Option<[f64; 2]> {
        let Projection::Lens { facing, .. } = self.projection else { return None };
        let [right, up, forward] = facing.in_view(d);
        (forward > 0.0).then(|| [right / forward, up / forward])
    }

    /// Place in pixels of a direction; `None` if the picture cannot show it.
    pub fn place(&self, d: [f64; 3]) -> Option<[f64; 2]> {
        let (w, h) = (self.width as f64, self.height as f64);
        match self.projection {
            Projection::Lens { facing, half_width, shift } => {
                let [right, up, forward] = facing.in_view(d);
                (forward > 1e-6).then(|| {
                    let (right, up) = (right / forward - shift[0], up / forward - shift[1]);
                    let (x, y) = (right / half_width, up / half_width * w / h);
                    [(x + 1.0) * 0.5 * w, (1.0 - y) * 0.5 * h]
                })
            }
            Projection::Latlong { heading } => {
                let x = ((d[0].atan2(d[1]) - heading) / TAU + 0.5).rem_euclid(1.0);
                Some([x * w, (0.5 - d[2].clamp(-1.0, 1.0).asin() / PI) * h])
            }
            Projection::Cube { heading } => {
                let face = cube::face_of(d, heading);
                let [a, b] = cube::place(face, d, heading).expect("a face sees what lies on it");
                Some([(a + 1.0) * 0.5 * w, ((b + 1.0) * 0.5 + face as f64) * w])
            }
            Projection::Fisheye { heading } => (d[2] >= 0.0).then(|| {
                let r = 1.0 - d[2].min(1.0).asin() / (0.5 * PI);
                let turn = d[0].atan2(d[1]) - heading;
                [(1.0 - r * turn.sin()) * 0.5 * w, (1.0 - r * turn.cos()) * 0.5 * h]
            }),
            Projection::Level => (d[2] > 0.0).then(|| [(d[0] + 1.0) * 0.5 * w, (1.0 - d[1]) * 0.5 * h]),
            Projection::Around { facing, radius, flattening } => {
                let [right, up, forward] = facing.in_view(d);
                let across = radius.tan() * forward;
                (forward > 1e-6)
                    .then(|| [(right / across + 1.0) * 0.5 * w, (1.0 - up / (across * flattening)) * 0.5 * h])
            }
        }
    }

    /// Cosine of the angle between a place of a lens's picture and the lens's axis; 1 in maps.
    pub fn axis_cosine(&self, x: f64, y: f64) -> f64 {
        let Projection::Lens { half_width, shift, .. } = self.projection else { return 1.0 };
        let (w, h) = (self.width as f64, self.height as f64);
        let right = (2.0 * x / w - 1.0) * half_width + shift[0];
        let up = (1.0 - 2.0 * y / h) * half_width * h / w + shift[1];
        1.0 / (1.0 + right * right + up * up).sqrt()
    }

    /// Angle between neighbouring pixels where they are widest, radians.
    pub fn pixel_angle(&self) -> f64 {
        match self.projection {
            Projection::Lens { half_width, .. } => 2.0 * half_width / self.width as f64,
            Projection::Latlong { .. } => TAU / self.width as f64,
            Projection::Cube { .. } | Projection::Level => 2.0 / self.width as f64,
            Projection::Fisheye { .. } => PI / self.width as f64,
            Projection::Around { radius, .. } => 2.0 * radius.tan() / self.width as f64,
        }
    }

    /// Solid angle of a pixel of a map, steradians: exact for latlong and cube; in a fisheye from its middle,
    /// and none for those that reach past the rim with their middles. Zero for projections that are not maps.
    pub fn solid_angle(&self, x: usize, y: usize) -> f64 {
        let w = self.width as f64;
        match self.projection {
            Projection::Latlong { .. } => {
                let edge = |y: usize| ((0.5 - y as f64 / self.height as f64) * PI).sin();
                TAU / w * (edge(y) - edge(y + 1))
            }
            Projection::Cube { .. } => cube::solid_angle(x, y % self.width, self.width),
            Projection::Fisheye { .. } => {
                let place = |i: usize| 2.0 * (i as f64 + 0.5) / w - 1.0;
                let r = place(x).hypot(place(y));
                let angle = r * 0.5 * PI;
                if r > 1.0 { 0.0 } else { angle.sin() / angle.max(1e-12) * (PI / w).powi(2) }
            }
            _ => 0.0,
        }
    }
}

impl Camera {
    /// Solid angle of a pixel, steradians: of maps as [`Camera::solid_angle`], of a lens from its middle.
    pub fn pixel_solid_angle(&self, x: usize, y: usize) -> f64 {
        match self.projection {
            Projection::Lens { half_width, .. } => {
                let side = 2.0 * half_width / self.width as f64;
                side * side * self.axis_cosine(x as f64 + 0.5, y as f64 + 0.5).powi(3)
            }
            _ => self.solid_angle(x, y),
        }
    }
}

/// Unit vector at an azimuth and elevation, radians.
pub fn toward(azimuth: f64, elevation: f64) -> [f64; 3] {
    let ((sa, ca), (se, ce)) = (azimuth.sin_cos(), elevation.sin_cos());
    [ce * sa, ce * ca, se]
}

/// Azimuth (0 to 2 pi) and elevation of a unit vector, radians.
pub fn angles_of(d: [f64; 3]) -> (f64, f64) {
    (d[0].atan2(d[1]).rem_euclid(TAU), d[2].clamp(-1.0, 1.0).asin())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// OpenEXR, "Environment Maps" (ENVMAP_LATLONG): first row up, middle column +z, left quarter +x; here +z
    /// is north and +x is west.
    #[test]
    fn latlong_orientation() {
        let c = Camera::latlong(400, 0.0);
        let near = |a: [f64; 3], b: [f64; 3]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-9);
        assert!(near(c.direction(200.0, 100.0).unwrap(), [0.0, 1.0, 0.0]), "middle is north");
        assert!(near(c.direction(100.0, 100.0).unwrap(), [-1.0, 0.0, 0.0]), "left quarter is west");
        assert!(near(c.direction(300.0, 100.0).unwrap(), [1.0, 0.0, 0.0]), "right quarter is east");
        assert!(near(c.direction(7.0, 0.0).unwrap(), [0.0, 0.0, 1.0]), "first row is up");
    }

    /// Common practice, no source: a camera that looks up sees north at the top and east at its left.
    #[test]
    fn fisheye_orientation() {
        let c = Camera::fisheye(400, 0.0);
        let near = |x: f64, y: f64, b: [f64; 3]| {
            c.direction(x, y).unwrap().iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-9)
        };
        assert!(near(200.0, 200.0, [0.0, 0.0, 1.0]), "zenith in the middle");
        assert!(near(200.0, 0.0, [0.0, 1.0, 0.0]), "north at the top");
        assert!(near(0.0, 200.0, [1.0, 0.0, 0.0]), "east at the left");
        assert!(near(200.0, 100.0, [0.0, 0.5f64.sqrt(), 0.5f64.sqrt()]), "45 degrees half way");
        assert!(c.direction(3.0, 3.0).is_none(), "nothing in the corners");
    }

    #[test]
    fn solid_angles_of_maps_add_up() {
        let sum = |c: Camera| -> f64 {
            (0..c.height).map(|y| (0..c.width).map(|x| c.solid_angle(x, y)).sum::<f64>()).sum()
        };
        assert!((sum(Camera::latlong(400, 0.0)) / (4.0 * PI) - 1.0).abs() < 1e-9);
        assert!((sum(Camera::cube(64, 20.0)) / (4.0 * PI) - 1.0).abs() < 1e-9);
        assert!((sum(Camera::fisheye(512, 0.0)) / (2.0 * PI) - 1.0).abs() < 1e-3);
    }

    #[test]
    fn places_and_directions_agree() {
        let eye = Eye { heading_deg: 215.0, pitch_deg: 20.0, ..Eye::default() };
        let around = Projection::Around { facing: Facing::new(1.0, 0.5), radius: 0.2, flattening: 0.8 };
        for c in [
            Camera::lens(&eye, 960, 540),
            Camera::latlong(1024, 70.0),
            Camera::cube(64, 33.0),
            Camera::fisheye(64, 12.0),
            Camera { projection: around, width: 64, height: 64, lower: LowerHalf::AsSeen },
            Camera::level(64),
        ] {
            for (x, y) in [(10.0, 20.0), (31.5, 31.5), (40.0, 30.25), (50.5, 330.5)] {
                let Some(d) = c.direction(x, y) else { continue };
                let [px, py] = c.place(d).unwrap();
                assert!((px - x).abs() < 1e-6 && (py - y).abs() < 1e-6, "{c:?} {x} {y}: {px} {py}");
            }
        }
        assert!(Camera::lens(&eye, 960, 540).place(toward(0.0, 0.0)).is_none());
    }

    #[test]
    fn the_lens_looks_where_the_eye_heads() {
        let eye = Eye { heading_deg: 90.0, pitch_deg: 10.0, lens_mm: 18.0, ..Eye::default() };
        let c = Camera::lens(&eye, 1600, 900);
        let (azimuth, elevation) = angles_of(c.direction(800.0, 450.0).unwrap());
        assert!((azimuth.to_degrees() - 90.0).abs() < 1e-9 && (elevation.to_degrees() - 10.0).abs() < 1e-9);
        // A lens of 18 mm on a frame 36 mm wide sees 90 degrees: its right edge is 45 degrees off the axis.
        let d = c.direction(1600.0, 450.0).unwrap();
        let forward = c.direction(800.0, 450.0).unwrap();
        let cos: f64 = (0..3).map(|i| d[i] * forward[i]).sum();
        assert!((cos.acos().to_degrees() - 45.0).abs() < 1e-9);
    }
}
