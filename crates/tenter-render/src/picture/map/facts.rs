//! What a map's sidecar says.

use super::settings::{Layout, Scale};
use serde::Serialize;
use tenter_sky::camera::angles_of;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::Rgb;

pub(super) const SH_CONVENTION: &str = "irradiance (lx, linear Rec.709) of a surface facing n in map \
        axes is the sum of \
coefficient[i] * Y[i](n), with real orthonormal Y in the order 1, y, z, x, xy, yz, 3z^2-1, xz, x^2-y^2 \
(Ramamoorthi and Hanrahan 2001, eq. 3 and 8; z is north here)";

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

/// A star beside a map.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct StarFact {
    /// Unit vector toward it in map axes: x west, y up, z north.
    pub direction: [f64; 3],
    /// On a plane that faces it, behind clear air; clouds are left out.
    pub illuminance_lx: f64,
    /// The same in linear Rec.709, lx.
    pub illuminance_rgb: Rgb,
}

/// What a map's sidecar says.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct MapFacts {
    pub layout: Layout,
    pub width: usize,
    pub height: usize,
    pub axes: &'static str,
    pub heading_deg: f64,
    pub colour_space: &'static str,
    pub scale: Scale,
    /// cd/m2 that a value of 1 stands for.
    pub white_luminance: f64,
    pub exposure_ev100: f64,
    /// Whether clouds and trial land are in it.
    pub clouds: bool,
    pub land: bool,
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

impl Largest {
    pub fn new(value: f64, direction: [f64; 3]) -> Largest {
        let (azimuth, elevation) = angles_of(direction);
        Largest { value, azimuth_deg: azimuth.to_degrees(), elevation_deg: elevation.to_degrees() }
    }
}

/// Irradiance over the direction a surface faces.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Irradiance {
    pub convention: &'static str,
    /// Nine coefficients, each in RGB.
    pub coefficients: [[f64; 3]; 9],
}
