//! The document resolved into things that can be sampled, and the caches they are kept in.
//!
//! Each stage is a pure function of the part of the document it reads and is kept under that part's content:
//! exposure touches no stage, a moved sun keeps the form and the density of clouds, a turned camera keeps all.

mod ambience;
mod fog;
mod lights;
mod workshop;

pub use ambience::Ambience;
pub use fog::Fog;
pub use lights::{
    Face, MAX_LIGHTS, PlacedLight, PlacedMoon, PlacedSun, grade_of, moonlight, placed_lights, time_of,
};
pub use workshop::{CalledOff, Workshop};

use crate::air::{Air, AirView, SkyColour, SunlightTable};
use crate::clouds::form::{CloudForm, Survey};
use crate::clouds::mie::DropletPhase;
use crate::clouds::shadow::SunDepth;
use crate::land::Land;
use crate::spectrum::Rgb;
use std::sync::Arc;

/// Everything a picture of one sky is made from.
pub struct Scene {
    pub eye_altitude: f64,
    /// Suns and moon; never none, though some may shed nothing.
    pub lights: Vec<Light>,
    pub air: Arc<Air>,
    /// The sky behind the clouds where air does not make it.
    pub painted: Option<Arc<SkyColour>>,
    /// Radiance of airglow and stars, the same all round, cd/m2.
    pub night_glow: f32,
    pub horizon: Horizon,
    /// Brightness of the sky as seen.
    pub seen_strength: f32,
    pub fog: Option<Fog>,
    /// What each light sends onto a plane that faces it inside the fog, in the mean, lx.
    pub fog_lit: [Rgb; MAX_LIGHTS],
    pub clouds: Option<Clouds>,
    pub land: Option<Arc<Land>>,
    pub ambience: Ambience,
}

/// A light and the tables made for it.
pub struct Light {
    pub placed: PlacedLight,
    /// The same as a multiple of what the tables are made for.
    pub strength: f32,
    pub view: Arc<AirView>,
    pub sunlight: Arc<SunlightTable>,
}

/// How sky and ground meet, radians.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Horizon {
    /// How far the sky reaches down over the ground.
    pub drop: f32,
    /// Angle over which they go over into each other.
    pub softness: f32,
}

/// The cloud layer of a scene.
pub struct Clouds {
    /// The form, and columns taken all over it.
    pub form: Arc<(CloudForm, Survey)>,
    /// Toward each light.
    pub depths: Vec<Arc<SunDepth>>,
    pub phase: Arc<DropletPhase>,
}

impl Light {
    pub fn direction(&self) -> [f64; 3] {
        self.placed.in_sky.direction
    }

    /// Its light on a plane that faces it at an altitude, clouds and fog left out, lx in linear Rec.709.
    pub fn clear(&self, altitude: f64) -> Rgb {
        self.sunlight.single(altitude, self.direction()[2]).map(|v| (v * self.strength).max(0.0))
    }
}

impl Scene {
    pub fn planet(&self) -> f64 {
        self.air.medium.planet
    }

    /// Sine of the elevation of the horizon, negative from above the ground.
    pub fn horizon_sine(&self) -> f32 {
        let (planet, h) = (self.planet(), self.eye_altitude);
        (-(h * (2.0 * planet + h)).sqrt() / (planet + h)) as f32
    }
}
