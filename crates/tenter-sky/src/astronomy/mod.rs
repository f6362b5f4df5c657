//! Where the sun, the moon and the stars stand, and how bright the night behind them is.

mod day;
mod diffuse;
mod moon;
mod moon_face;
mod stars;

pub use day::{Day, Event, MINUTES, Point, STEP_MINUTES, Span};
pub use diffuse::{S10_CD_M2, galactic_latitude, starlight_s10, van_rhijn, zodiacal_s10};
pub use moon::{Moon, moon, moonlight};
pub use moon_face::moon_albedo;
pub use stars::{
    CATALOGUE_LIMIT, CelestialFrame, MAGNITUDE_ZERO_LX, Star, catalogue, equatorial, starlight_lx, stars_to,
    temperature_of,
};

use crate::smoothstep;
use chrono::{DateTime, Datelike, FixedOffset};
use solar_positioning::{Location, SolarPositions, delta_t};

/// The sun from one place at one moment; angles in degrees.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SunPosition {
    /// From north, clockwise.
    pub azimuth: f64,
    /// True, without refraction.
    pub elevation: f64,
    /// As seen through the air.
    pub apparent_elevation: f64,
    /// Astronomical units.
    pub distance: f64,
}

/// Why a position cannot be computed.
#[derive(Debug, thiserror::Error)]
#[error("no position for latitude {latitude}, longitude {longitude}: {reason}")]
pub struct PositionError {
    latitude: f64,
    longitude: f64,
    reason: String,
}

/// Position by the solar position algorithm (Reda and Andreas 2004), seen from sea level.
///
/// ```
/// let at = chrono::DateTime::parse_from_rfc3339("2026-06-21T12:00:00+00:00").unwrap();
/// let sun = tenter_sky::astronomy::sun(60.0, -5.0, at).unwrap();
/// assert!((sun.elevation - 53.3).abs() < 0.3); // near noon at midsummer: 90 - 60 + 23.4
/// ```
pub fn sun(latitude: f64, longitude: f64, at: DateTime<FixedOffset>) -> Result<SunPosition, PositionError> {
    let fail = |e: solar_positioning::Error| PositionError { latitude, longitude, reason: e.to_string() };
    let delta = delta_t::estimate_from_date_like(&at).map_err(fail)?;
    let location = Location { latitude, longitude };
    let position = SolarPositions::new().at(&at, location, 0.0, delta, None).map_err(fail)?;
    let elevation = position.elevation_angle();
    Ok(SunPosition {
        azimuth: position.azimuth(),
        elevation,
        apparent_elevation: elevation + refraction(elevation),
        distance: distance_au(julian_day(at)),
    })
}

/// Angular radius of the sun's disc at its mean distance, radians (16 minutes of arc).
pub const SOLAR_ANGULAR_RADIUS: f64 = 0.00465;

/// Refraction in degrees for a true elevation, at 1013.25 hPa and 12 C (Reda and Andreas 2004, eq. 42),
/// fading smoothly from -0.5 degrees to none at -3, so that dusk does not jump.
pub fn refraction(elevation: f64) -> f64 {
    let at = |e: f64| {
        1013.25 / 1010.0 * 283.0 / (273.0 + 12.0) * 1.02 / (60.0 * (e + 10.3 / (e + 5.11)).to_radians().tan())
    };
    at(elevation.max(-0.5)).max(0.0) * smoothstep((elevation + 3.0) / 2.5)
}

/// Julian day of a moment, universal time.
pub fn julian_day(at: DateTime<FixedOffset>) -> f64 {
    2440587.5 + at.timestamp_millis() as f64 / 86_400_000.0
}

/// Distance of the sun, au (Meeus 1998, "Astronomical Algorithms", eq. 25.5).
fn distance_au(jd: f64) -> f64 {
    let t = (jd - 2451545.0) / 36525.0;
    let m = (357.52911 + 35999.05029 * t - 0.0001537 * t * t).to_radians();
    let e = 0.016708634 - 0.000042037 * t;
    let c = (1.914602 - 0.004817 * t) * m.sin() + 0.019993 * (2.0 * m).sin() + 0.000289 * (3.0 * m).sin();
    1.000001018 * (1.0 - e * e) / (1.0 + e * (m + c.to_radians()).cos())
}

/// Ecliptic longitude of the sun, radians (Meeus chapter 25).
fn solar_longitude(t: f64) -> f64 {
    let m = (357.52911 + 35999.05029 * t).to_radians();
    let c = (1.914602 - 0.004817 * t) * m.sin() + 0.019993 * (2.0 * m).sin();
    (280.46646 + 36000.76983 * t + c).to_radians()
}

/// Seconds between terrestrial and universal time.
fn delta_t_seconds(at: DateTime<FixedOffset>) -> f64 {
    delta_t::estimate_from_date(at.year(), at.month()).unwrap_or(70.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str) -> DateTime<FixedOffset> {
        DateTime::parse_from_rfc3339(text).unwrap()
    }

    /// Reda and Andreas, NREL/TP-560-34302 (2004, revised 2008), table A5.1 (from memory): Golden, Colorado,
    /// 2003-10-17 12:30:30 -7 h: zenith 50.11162, azimuth 194.34024 with refraction at 820 hPa, 11 C, and
    /// 1830 m; distance 0.9965422974 au. Observed here from sea level with other air: within 0.02 degrees.
    #[test]
    fn the_published_example() {
        let s = sun(39.742476, -105.1786, at("2003-10-17T12:30:30-07:00")).unwrap();
        assert!((s.azimuth - 194.34024).abs() < 0.001, "{s:?}");
        assert!((s.elevation - 39.872046).abs() < 0.001, "{s:?}");
        assert!((s.apparent_elevation - (90.0 - 50.11162)).abs() < 0.02, "{s:?}");
        assert!((s.distance - 0.9965422974).abs() < 1e-4, "{s:?}");
    }

    /// Meeus 1998, example 16.a: at a true height of 0.5541 degrees refraction is 24.618' (1010 hPa, 10 C;
    /// from memory).
    #[test]
    fn refraction_near_the_horizon() {
        let r = refraction(0.5541);
        assert!((r * 60.0 - 24.618).abs() < 0.15, "{}", r * 60.0);
        assert_eq!(refraction(-3.0), 0.0);
        assert!(refraction(90.0) < 1e-3);
        let step = (0..900).map(|i| {
            let e = -4.0 + 0.01 * i as f64;
            ((e + 0.01 + refraction(e + 0.01)) - (e + refraction(e))).abs()
        });
        assert!(step.fold(0.0, f64::max) < 0.02, "dusk jumps");
    }
}
