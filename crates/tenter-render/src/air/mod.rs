//! The air: constituents, transmittance and scattering.
//!
//! Sunlight is 1 in every wavelength band outside the atmosphere; strength and colour are applied last.
//! Lengths are metres. A point is given by its altitude and the cosine of the ray's angle to the local
//! vertical; squared radii are never subtracted, so a planet of 70 000 km works as well as one of 50 km.

mod directions;
mod harmonics;
mod medium;
mod multiple_scattering;
mod shells;
mod sunlight;
mod transmittance;
mod view;

pub use medium::{KOSCHMIEDER, Medium, Particles, rayleigh_column, rayleigh_phase};
pub use multiple_scattering::{Moments, MultipleScattering};
pub use shells::{Ray, distance_to_altitude, tangent_length, tangent_sine};
pub use sunlight::SunlightTable;
pub use transmittance::Transmittance;
pub use view::{
    AerialCorners, AerialPerspective, AirSegment, AirView, SkyRadiance, SunInSky, forward_lobe,
    henyey_greenstein, on_upright_planes, sky_radiance,
};

use tenter_sky::document;

/// Altitude above which there is no air, m.
pub const TOP_M: f64 = 100_000.0;

/// Resolution of tables: a draft while a control moves, full when it rests, twice as fine along each axis
/// to measure the error of full ones.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum TableQuality {
    Draft,
    Full,
    Double,
}

/// How a table is built, and whether it is still wanted. A cancelled table has the right shape and no
/// content: who cancels it discards it.
#[derive(Clone, Copy)]
pub struct Build<'a> {
    pub quality: TableQuality,
    cancelled: &'a (dyn Fn() -> bool + Sync),
}

impl<'a> Build<'a> {
    pub fn new(quality: TableQuality, cancelled: &'a (dyn Fn() -> bool + Sync)) -> Build<'a> {
        Build { quality, cancelled }
    }
    pub fn is_cancelled(&self) -> bool {
        (self.cancelled)()
    }
}

/// Never cancelled.
impl From<TableQuality> for Build<'static> {
    fn from(quality: TableQuality) -> Self {
        Build { quality, cancelled: &|| false }
    }
}

/// Tables that depend on air and planet alone, not on sun or eye.
pub struct Air {
    pub medium: Medium,
    /// The medium with forward scattering counted as unscattered (delta scaling).
    pub delta_scaled: Medium,
    pub transmittance: Transmittance,
    pub multiple_scattering: MultipleScattering,
    /// Response of the air near the ground to anisotropic light: `2l + 1` times the first two moments of
    /// its delta-scaled phase function.
    pub phase_moments: [f32; 2],
}

impl Air {
    pub fn new<'a>(air: &document::Air, build: impl Into<Build<'a>>) -> Air {
        let medium = Medium::new(air);
        let transmittance = Transmittance::new(&medium);
        let moments = Moments::new(&medium);
        let delta_scaled = medium.without_forward(moments.forward);
        let multiple_scattering =
            MultipleScattering::new(&delta_scaled, moments, &transmittance, build.into());
        let phase_moments = moments.in_air(&delta_scaled);
        Air { medium, delta_scaled, transmittance, multiple_scattering, phase_moments }
    }
}
