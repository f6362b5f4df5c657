//! The document resolved into things that can be sampled, and the caches they are kept in.
//!
//! Each stage is a pure function of the part of the document it reads and is kept under that part's content:
//! exposure touches no stage, a moved sun keeps the form and the density of clouds, a turned camera keeps all.

mod ambience;
mod workshop;

pub use ambience::Ambience;
pub use workshop::{CalledOff, Workshop};

use crate::air::{Air, AirView, SunInSky, SunlightTable};
use crate::astronomy;
use crate::camera::toward;
use crate::clouds::form::{CloudForm, Survey};
use crate::clouds::mie::DropletPhase;
use crate::clouds::shadow::SunDepth;
use crate::document::{self, Placement};
use std::sync::Arc;

/// Everything a picture of one sky is made from.
pub struct Scene {
    pub eye_altitude: f64,
    pub sun: SunInSky,
    pub air: Arc<Air>,
    pub view: Arc<AirView>,
    pub sunlight: Arc<SunlightTable>,
    pub clouds: Option<Clouds>,
    pub ambience: Ambience,
}

/// The cloud layer of a scene.
pub struct Clouds {
    /// The form, and columns taken all over it.
    pub form: Arc<(CloudForm, Survey)>,
    pub sun_depth: Arc<SunDepth>,
    pub phase: Arc<DropletPhase>,
}

/// Where the document's sun stands: azimuth and elevation as seen, degrees, and its strength with the distance
/// of the day taken in.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlacedSun {
    pub azimuth_deg: f64,
    pub elevation_deg: f64,
    pub strength: f64,
}

impl PlacedSun {
    pub fn of(sun: &document::Sun) -> PlacedSun {
        match &sun.placement {
            Placement::Hand { azimuth_deg, elevation_deg } => PlacedSun {
                azimuth_deg: azimuth_deg.rem_euclid(360.0),
                elevation_deg: *elevation_deg,
                strength: sun.strength,
            },
            Placement::Place { latitude_deg, longitude_deg, at } => {
                let at = chrono::DateTime::parse_from_rfc3339(at).expect("validated with the document");
                let p = astronomy::sun(*latitude_deg, *longitude_deg, at).expect("ranges were validated");
                PlacedSun {
                    azimuth_deg: p.azimuth,
                    elevation_deg: p.apparent_elevation,
                    strength: sun.strength / (p.distance * p.distance),
                }
            }
        }
    }

    pub fn in_sky(&self, sun: &document::Sun) -> SunInSky {
        SunInSky {
            direction: toward(self.azimuth_deg.to_radians(), self.elevation_deg.to_radians()),
            disc_radius: (sun.angular_diameter_deg * 0.5).to_radians(),
            strength: self.strength,
            night_floor_lx: sun.night_floor_lx,
        }
    }
}

impl Scene {
    pub fn planet(&self) -> f64 {
        self.air.medium.planet
    }

    /// Direct sunlight on a plane facing the sun at the eye, clouds left out, lx in linear Rec.709.
    pub fn clear_sunlight(&self) -> crate::spectrum::Rgb {
        let strength = self.sun.strength as f32;
        self.sunlight.single(self.eye_altitude, self.sun.direction[2]).map(|v| (v * strength).max(0.0))
    }
}
