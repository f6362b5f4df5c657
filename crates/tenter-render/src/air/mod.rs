//! The air: what it is made of, what it lets through and what it scatters.
//!
//! Sunlight is 1 in every wavelength band outside the air; strength and colour come last. Lengths are metres.
//! A point is told by its altitude and by the cosine of the angle between a ray and the local vertical;
//! squared radii are never subtracted, so a planet of 70 000 km works as well as one of 50 km.

mod directions;
mod harmonics;
mod medium;
mod orders;
mod shells;
mod sunlight;
mod transmittance;
mod view;

pub use medium::{Medium, Particles, rayleigh_column, rayleigh_phase};
pub use orders::{Moments, Orders};
pub use shells::{Ray, distance_to_altitude};
pub use sunlight::SunlightTable;
pub use transmittance::Transmittance;
pub use view::{
    AirInFront, AirView, Front, FrontCorners, SkyColour, SunInSky, glimpse, lobe, narrow, on_upright_planes,
};

use tenter_sky::document;

/// Altitude above which there is no air, m.
pub const TOP_M: f64 = 100_000.0;

/// How finely tables are made: a draft while the hand moves, full when it rests, twice as fine along each
/// axis to measure how far the full ones are off.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Fineness {
    Draft,
    Full,
    Double,
}

/// How a table is made, and whether it is still wanted. A table whose making was called off has the right
/// shape and nothing in it: whoever called it off throws it away.
#[derive(Clone, Copy)]
pub struct Making<'a> {
    pub fineness: Fineness,
    called_off: &'a (dyn Fn() -> bool + Sync),
}

impl<'a> Making<'a> {
    pub fn new(fineness: Fineness, called_off: &'a (dyn Fn() -> bool + Sync)) -> Making<'a> {
        Making { fineness, called_off }
    }
    pub fn is_off(&self) -> bool {
        (self.called_off)()
    }
}

/// To the end, whatever comes.
impl From<Fineness> for Making<'static> {
    fn from(fineness: Fineness) -> Self {
        Making { fineness, called_off: &|| false }
    }
}

/// Tables that depend on the air and the planet alone, not on sun or eye.
pub struct Air {
    pub medium: Medium,
    /// The same where what goes on nearly forward counts as not scattered.
    pub often: Medium,
    pub transmittance: Transmittance,
    pub orders: Orders,
    /// What light that is not even adds to what air near the ground scatters of it: `2l + 1` times the
    /// first two moments of its phase function, the forward part left out.
    pub turning: [f32; 2],
}

impl Air {
    pub fn new<'a>(air: &document::Air, making: impl Into<Making<'a>>) -> Air {
        let medium = Medium::new(air);
        let transmittance = Transmittance::new(&medium);
        let moments = Moments::new(&medium);
        let often = medium.without_forward(moments.forward);
        let orders = Orders::new(&often, moments, &transmittance, making.into());
        let turning = moments.in_air(&often);
        Air { medium, often, transmittance, orders, turning }
    }
}
