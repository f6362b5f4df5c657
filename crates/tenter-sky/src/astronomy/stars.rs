//! The fixed stars: a catalogue, and how the sky of stars is turned against the ground.
//!
//! ```
//! use tenter_sky::astronomy::{CelestialFrame, catalogue};
//! let at = chrono::DateTime::parse_from_rfc3339("2026-06-21T23:30:00Z").unwrap();
//! let sirius = &catalogue()[0];
//! assert_eq!(sirius.magnitude, -1.44);
//! let [_, _, up] = CelestialFrame::at(60.0, -5.0, at).direction(sirius.direction);
//! assert!(up < 0.0, "no Sirius in a northern June");
//! ```

use super::{delta_t_seconds, julian_day, solar_longitude};
use chrono::{DateTime, FixedOffset};
use glam::{DMat3, DVec3};
use std::sync::LazyLock;

/// Illuminance of a star of magnitude 0 outside the air, on a plane that faces it, lx (Allen 1973,
/// "Astrophysical Quantities", section 95; from memory).
pub const MAGNITUDE_ZERO_LX: f64 = 2.54e-6;

/// Faintest magnitude of the catalogue.
pub const CATALOGUE_LIMIT: f64 = 8.0;

/// A star of the catalogue.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Star {
    /// Unit vector in the equator and equinox of J2000.
    pub direction: [f64; 3],
    /// Visual magnitude, V.
    pub magnitude: f64,
    /// Colour index B-V.
    pub b_v: f64,
}

/// 41,411 stars to V 8.0, the brightest first: of the Hipparcos catalogue (`data/README.md`).
pub fn catalogue() -> &'static [Star] {
    static STARS: LazyLock<Vec<Star>> = LazyLock::new(|| {
        let (records, _) = include_bytes!("../../data/stars.bin").as_chunks::<12>();
        records.iter().map(star).collect()
    });
    &STARS
}

fn star(record: &[u8; 12]) -> Star {
    let [a, b, c, d, e, f, g, h, i, j, k, l] = *record;
    let turns = f64::from(u32::from_le_bytes([a, b, c, d])) / 2f64.powi(32);
    let half_turns = f64::from(i32::from_le_bytes([e, f, g, h])) / 2f64.powi(32);
    Star {
        direction: equatorial(turns * 360.0, half_turns * 180.0),
        magnitude: f64::from(i16::from_le_bytes([i, j])) / 100.0,
        b_v: f64::from(i16::from_le_bytes([k, l])) / 1000.0,
    }
}

/// Unit vector of a right ascension and a declination, degrees.
pub fn equatorial(right_ascension: f64, declination: f64) -> [f64; 3] {
    let ((sa, ca), (sd, cd)) = (right_ascension.to_radians().sin_cos(), declination.to_radians().sin_cos());
    [cd * ca, cd * sa, sd]
}

/// Illuminance of a magnitude outside the air, lx (Pogson 1856).
pub fn starlight_lx(magnitude: f64) -> f64 {
    MAGNITUDE_ZERO_LX * 10f64.powf(-0.4 * magnitude)
}

/// Temperature of a colour index, K (Ballesteros 2012, "New insights into black bodies", eq. 14).
///
/// ```
/// assert!((tenter_sky::astronomy::temperature_of(0.65) - 5780.0).abs() < 60.0);
/// ```
pub fn temperature_of(b_v: f64) -> f64 {
    let b_v = b_v.clamp(-0.4, 2.5);
    4600.0 * (1.0 / (0.92 * b_v + 1.7) + 1.0 / (0.92 * b_v + 0.62))
}

/// Stars of the whole sky brighter than a magnitude past the catalogue, by the counts per magnitude of Allen
/// 1973, section 117 (from memory: 10^5.08 to 9, 10^5.53 to 10).
pub fn stars_to(magnitude: f64) -> f64 {
    const LOG_COUNTS: [(f64, f64); 4] = [(7.0, 4.19), (8.0, 4.617), (9.0, 5.08), (10.0, 5.53)];
    let i = LOG_COUNTS.partition_point(|(m, _)| *m <= magnitude).clamp(1, LOG_COUNTS.len() - 1);
    let ((m0, n0), (m1, n1)) = (LOG_COUNTS[i - 1], LOG_COUNTS[i]);
    10f64.powf(n0 + (n1 - n0) * (magnitude - m0) / (m1 - m0))
}

/// How the sphere of the stars stands over a place: from J2000 to the horizon's axes (x east, y north, z up).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CelestialFrame {
    to_horizon: DMat3,
    /// Velocity of the earth as a share of that of light, in J2000 axes.
    velocity: DVec3,
}

/// Constant of aberration, radians (20.49552 seconds of arc).
const ABERRATION: f64 = 20.49552 / 3600.0 * std::f64::consts::PI / 180.0;

impl CelestialFrame {
    /// By place and time: precession after IAU 1976 (Meeus 1998, eq. 21.2), mean sidereal time (eq. 12.4),
    /// annual aberration of a circular orbit (eq. 23.2). Nutation and proper motion are left out: 0.005
    /// degrees.
    pub fn at(latitude: f64, longitude: f64, at: DateTime<FixedOffset>) -> CelestialFrame {
        let jd = julian_day(at);
        let t = (jd + delta_t_seconds(at) / 86400.0 - 2451545.0) / 36525.0;
        let seconds = |a: f64, b: f64, c: f64| (t * (a + t * (b + t * c)) / 3600.0).to_radians();
        let zeta = seconds(2306.2181, 0.30188, 0.017998);
        let z = seconds(2306.2181, 1.09468, 0.018203);
        let theta = seconds(2004.3109, -0.42665, -0.041833);
        let of_date =
            DMat3::from_rotation_z(z) * DMat3::from_rotation_y(-theta) * DMat3::from_rotation_z(zeta);
        let days = jd - 2451545.0;
        let sidereal = 280.46061837 + 360.98564736629 * days + 0.000387933 * t * t + longitude;
        let (sl, cl) = solar_longitude(t).sin_cos();
        let (st, ct) = OBLIQUITY_DEG.to_radians().sin_cos();
        CelestialFrame {
            to_horizon: horizon_axes(latitude, sidereal) * of_date,
            velocity: DVec3::new(sl, -cl * ct, -cl * st) * ABERRATION,
        }
    }

    /// By a latitude and a local sidereal time, hours: the right ascension in the south.
    pub fn by_hand(latitude: f64, sidereal_hours: f64) -> CelestialFrame {
        CelestialFrame { to_horizon: horizon_axes(latitude, 15.0 * sidereal_hours), velocity: DVec3::ZERO }
    }

    /// The same with the whole sky turned about the vertical, degrees clockwise as seen from above.
    pub fn turned(self, degrees: f64) -> CelestialFrame {
        let turn = DMat3::from_rotation_z(-degrees.to_radians());
        CelestialFrame { to_horizon: turn * self.to_horizon, ..self }
    }

    /// Where a J2000 direction is, without refraction.
    pub fn direction(&self, j2000: [f64; 3]) -> [f64; 3] {
        (self.to_horizon * (DVec3::from_array(j2000) + self.velocity)).normalize().to_array()
    }

    /// The J2000 direction of one in the horizon's axes, to 0.006 degrees.
    pub fn j2000(&self, direction: [f64; 3]) -> [f64; 3] {
        (self.to_horizon.transpose() * DVec3::from_array(direction)).to_array()
    }

    /// The north pole of the ecliptic.
    pub fn ecliptic_pole(&self) -> [f64; 3] {
        let (s, c) = OBLIQUITY_DEG.to_radians().sin_cos();
        self.direction([0.0, -s, c])
    }
}

/// Of the ecliptic at J2000.
const OBLIQUITY_DEG: f64 = 23.4392911;

/// From axes of the equator to those of the horizon, by latitude and local sidereal time, degrees.
fn horizon_axes(latitude: f64, sidereal: f64) -> DMat3 {
    let (ss, cs) = sidereal.rem_euclid(360.0).to_radians().sin_cos();
    let (sp, cp) = latitude.to_radians().sin_cos();
    let (east, outward) = (DVec3::new(-ss, cs, 0.0), DVec3::new(cs, ss, 0.0));
    let north = DVec3::new(0.0, 0.0, cp) - outward * sp;
    let up = DVec3::new(0.0, 0.0, sp) + outward * cp;
    DMat3::from_cols(east, north, up).transpose()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::camera::angles_of;

    /// A star, its right ascension and declination, latitude and longitude, time, azimuth and elevation.
    type Ephemeris = (&'static str, [f64; 2], [f64; 2], &'static str, [f64; 2]);

    /// Astropy 8.0.2 (ERFA, IAU 2006/2000A with nutation, polar motion and aberration; no pressure): twenty
    /// stars, places and times.
    const ASTROPY: [Ephemeris; 20] = [
        ("Sirius", [101.2872, -16.7161], [60.0000, -5.0000], "1975-03-21T02:00:00Z", [271.7288, -20.3673]),
        ("Betelgeuse", [88.7929, 7.4071], [35.6800, 139.6900], "2010-12-05T20:15:30Z", [263.7643, 21.2286]),
        ("Spica", [201.2983, -11.1613], [-54.8000, -68.3000], "2049-01-15T05:45:00Z", [79.1935, 21.4292]),
        ("Regulus", [152.093, 11.9672], [51.4779, 0.0], "1999-08-11T11:10:00Z", [143.6488, 45.5624]),
        ("Polaris", [37.9546, 89.2641], [40.7100, -74.0000], "2026-06-21T23:30:00Z", [359.4990, 40.2107]),
        ("Deneb", [310.358, 45.2803], [0.0, 37.0000], "1999-08-11T11:10:00Z", [28.7329, -35.8706]),
        (
            "Fomalhaut",
            [344.4127, -29.6222],
            [-33.8700, 151.2100],
            "2026-06-21T23:30:00Z",
            [253.8490, 32.1437],
        ),
        ("Vega", [279.2347, 38.7837], [-77.8500, 166.6700], "1975-03-21T02:00:00Z", [274.2107, -38.9084]),
        ("Achernar", [24.4285, -57.2368], [69.6500, 18.9600], "2010-12-05T20:15:30Z", [188.6783, -37.1702]),
        ("Acrux", [186.6496, -63.0991], [19.8200, -155.4700], "2049-01-15T05:45:00Z", [158.8497, -39.2645]),
        ("Sirius", [101.2872, -16.7161], [51.4779, 0.0], "2010-12-05T20:15:30Z", [105.8725, -8.7837]),
        ("Betelgeuse", [88.7929, 7.4071], [40.7100, -74.0000], "2049-01-15T05:45:00Z", [235.8952, 42.6261]),
        ("Spica", [201.2983, -11.1613], [0.0, 37.0000], "1999-08-11T11:10:00Z", [108.0236, 51.2912]),
        ("Regulus", [152.093, 11.9672], [-33.8700, 151.2100], "2026-06-21T23:30:00Z", [84.7390, -13.6108]),
        ("Polaris", [37.9546, 89.2641], [-77.8500, 166.6700], "1975-03-21T02:00:00Z", [1.1088, -77.0397]),
        ("Deneb", [310.358, 45.2803], [69.6500, 18.9600], "2026-06-21T23:30:00Z", [134.0336, 61.7662]),
        ("Fomalhaut", [344.4127, -29.6222], [19.8200, -155.4700], "1975-03-21T02:00:00Z", [234.5386, 7.5813]),
        ("Vega", [279.2347, 38.7837], [60.0000, -5.0000], "2010-12-05T20:15:30Z", [294.9223, 30.9918]),
        ("Achernar", [24.4285, -57.2368], [35.6800, 139.6900], "2049-01-15T05:45:00Z", [157.4963, -9.7792]),
        ("Acrux", [186.6496, -63.0991], [-54.8000, -68.3000], "1999-08-11T11:10:00Z", [154.3062, 34.6312]),
    ];

    #[test]
    fn stars_stand_where_an_independent_ephemeris_has_them() {
        for (name, [ra, dec], [latitude, longitude], at, [azimuth, elevation]) in ASTROPY {
            let at = DateTime::parse_from_rfc3339(at).unwrap();
            let found = CelestialFrame::at(latitude, longitude, at).direction(equatorial(ra, dec));
            let wanted = crate::camera::toward(azimuth.to_radians(), elevation.to_radians());
            let off = (DVec3::from_array(found) - DVec3::from_array(wanted)).length().to_degrees();
            let (a, e) = angles_of(found);
            assert!(off < 0.02, "{name}: {off}, {} {}", a.to_degrees(), e.to_degrees());
        }
    }

    /// Yale's Bright Star Catalogue has 9,110 stars to 6.5 (about; from memory); the brightest are Sirius,
    /// Canopus and Arcturus; the sum over all is 134 stars of magnitude 0.
    #[test]
    fn the_catalogue_is_whole() {
        let stars = catalogue();
        assert_eq!(stars.len(), 41_411);
        let to = |m: f64| stars.iter().filter(|s| s.magnitude <= m).count();
        assert!((8700..9200).contains(&to(6.5)), "{}", to(6.5));
        assert_eq!(to(CATALOGUE_LIMIT), stars.len());
        assert!(stars.is_sorted_by(|a, b| a.magnitude <= b.magnitude));
        let arcturus = DVec3::from_array(stars[2].direction);
        assert!(arcturus.distance(DVec3::from_array(equatorial(213.9153, 19.1824))) < 1e-5);
        let sum: f64 = stars.iter().map(|s| starlight_lx(s.magnitude)).sum();
        assert!((sum / MAGNITUDE_ZERO_LX - 133.9).abs() < 0.2, "{}", sum / MAGNITUDE_ZERO_LX);
        let counted = stars_to(8.0);
        assert!((counted / stars.len() as f64 - 1.0).abs() < 0.01, "{counted}");
    }

    /// The pole star stands over north at its place's latitude; what culminates in the south has the
    /// sidereal time as its right ascension.
    #[test]
    fn by_hand_the_sky_turns_about_its_pole() {
        let frame = CelestialFrame::by_hand(52.0, 6.0);
        let (azimuth, elevation) = angles_of(frame.direction([0.0, 0.0, 1.0]));
        assert!(azimuth.abs() < 1e-9 && (elevation.to_degrees() - 52.0).abs() < 1e-9);
        let (azimuth, elevation) = angles_of(frame.direction(equatorial(90.0, 0.0)));
        assert!((azimuth.to_degrees().rem_euclid(360.0) - 180.0).abs() < 1e-9);
        assert!((elevation.to_degrees() - 38.0).abs() < 1e-9);
        let back = frame.j2000(frame.direction(equatorial(200.0, 33.0)));
        assert!(DVec3::from_array(back).distance(DVec3::from_array(equatorial(200.0, 33.0))) < 1e-12);
    }
}
