//! The moon after Meeus 1998, "Astronomical Algorithms", chapters 40, 47 and 48 (leading terms).

use super::{delta_t_seconds, distance_au, julian_day, solar_longitude};
use chrono::{DateTime, FixedOffset};

/// The moon from one place at one moment; angles in degrees.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Moon {
    /// From north, clockwise.
    pub azimuth: f64,
    /// True height of the centre seen from sea level, without refraction.
    pub elevation: f64,
    /// Lit share of the disc.
    pub illuminated_fraction: f64,
    /// Angle sun-moon-earth: 0 full, 180 new.
    pub phase: f64,
    /// From new to full; else from full to new.
    pub waxing: bool,
    pub angular_diameter: f64,
}

/// Multiples of D, M, M', F; then longitude (1e-6 degrees, sine) and distance (m, cosine). Meeus table 47.A.
const LONGITUDE_DISTANCE: [[f64; 6]; 27] = [
    [0., 0., 1., 0., 6288774., -20905355.],
    [2., 0., -1., 0., 1274027., -3699111.],
    [2., 0., 0., 0., 658314., -2955968.],
    [0., 0., 2., 0., 213618., -569925.],
    [0., 1., 0., 0., -185116., 48888.],
    [0., 0., 0., 2., -114332., -3149.],
    [2., 0., -2., 0., 58793., 246158.],
    [2., -1., -1., 0., 57066., -152138.],
    [2., 0., 1., 0., 53322., -170733.],
    [2., -1., 0., 0., 45758., -204586.],
    [0., 1., -1., 0., -40923., -129620.],
    [1., 0., 0., 0., -34720., 108743.],
    [0., 1., 1., 0., -30383., 104755.],
    [2., 0., 0., -2., 15327., 10321.],
    [0., 0., 1., 2., -12528., 0.],
    [0., 0., 1., -2., 10980., 79661.],
    [4., 0., -1., 0., 10675., -34782.],
    [0., 0., 3., 0., 10034., -23210.],
    [4., 0., -2., 0., 8548., -21636.],
    [2., 1., -1., 0., -7888., 24208.],
    [2., 1., 0., 0., -6766., 30824.],
    [1., 0., -1., 0., -5163., -8379.],
    [1., 1., 0., 0., 4987., -16675.],
    [2., -1., 1., 0., 4036., -12831.],
    [2., 0., 2., 0., 3994., -10445.],
    [4., 0., 0., 0., 3861., -11650.],
    [2., 0., -3., 0., 3665., 14403.],
];

/// Multiples of D, M, M', F; then latitude (1e-6 degrees, sine). Meeus table 47.B.
const LATITUDE: [[f64; 5]; 17] = [
    [0., 0., 0., 1., 5128122.],
    [0., 0., 1., 1., 280602.],
    [0., 0., 1., -1., 277693.],
    [2., 0., 0., -1., 173237.],
    [2., 0., -1., 1., 55413.],
    [2., 0., -1., -1., 46271.],
    [2., 0., 0., 1., 32573.],
    [0., 0., 2., 1., 17198.],
    [2., 0., 1., -1., 9266.],
    [0., 0., 2., -1., 8822.],
    [2., -1., 0., -1., 8216.],
    [2., 0., -2., -1., 4324.],
    [2., 0., 1., 1., 4200.],
    [2., 1., 0., -1., -3359.],
    [2., -1., -1., 1., 2463.],
    [2., -1., 0., 1., 2211.],
    [2., -1., -1., -1., 2065.],
];

/// Geocentric ecliptic longitude and latitude (radians) and distance (km).
fn geocentric(t: f64) -> (f64, f64, f64) {
    let angle = |c: [f64; 4]| (c[0] + t * (c[1] + t * (c[2] + t * c[3]))).rem_euclid(360.0).to_radians();
    let lp = angle([218.3164477, 481267.88123421, -0.0015786, 1.0 / 538841.0]);
    let d = angle([297.8501921, 445267.1114034, -0.0018819, 1.0 / 545868.0]);
    let m = angle([357.5291092, 35999.0502909, -0.0001536, 1.0 / 24490000.0]);
    let mp = angle([134.9633964, 477198.8675055, 0.0087414, 1.0 / 69699.0]);
    let f = angle([93.2720950, 483202.0175233, -0.0036539, -1.0 / 3526000.0]);
    let e = 1.0 - 0.002516 * t - 0.0000074 * t * t;
    let argument = |row: &[f64]| row[0] * d + row[1] * m + row[2] * mp + row[3] * f;
    let weight = |row: &[f64]| e.powi(row[1].abs() as i32);
    let a1 = angle([119.75, 131.849, 0.0, 0.0]);
    let a3 = angle([313.45, 481266.484, 0.0, 0.0]);
    let mut longitude = 3958.0 * a1.sin() + 1962.0 * (lp - f).sin();
    let mut distance = 385000.56;
    for row in &LONGITUDE_DISTANCE {
        longitude += row[4] * weight(row) * argument(row).sin();
        distance += row[5] * weight(row) * argument(row).cos() / 1000.0;
    }
    let mut latitude = -2235.0 * lp.sin() + 382.0 * a3.sin();
    for row in &LATITUDE {
        latitude += row[4] * weight(row) * argument(row).sin();
    }
    (lp + (longitude * 1e-6).to_radians(), (latitude * 1e-6).to_radians(), distance)
}

/// Position and phase of the moon seen from sea level at a place.
pub fn moon(latitude: f64, longitude: f64, at: DateTime<FixedOffset>) -> Moon {
    let jd = julian_day(at);
    let t = (jd + delta_t_seconds(at) / 86400.0 - 2451545.0) / 36525.0;
    let (lambda, beta, distance) = geocentric(t);
    let tilt = (23.4392911 - 0.0130042 * t).to_radians();
    let (sl, cl) = lambda.sin_cos();
    let (sb, cb) = beta.sin_cos();
    // Equatorial vector in km, then into the observer's frame by sidereal time; parallax by subtraction.
    let equatorial = [
        cb * cl * distance,
        (cb * sl * tilt.cos() - sb * tilt.sin()) * distance,
        (cb * sl * tilt.sin() + sb * tilt.cos()) * distance,
    ];
    let days = jd - 2451545.0;
    let sidereal = (280.46061837 + 360.98564736629 * days + longitude).rem_euclid(360.0).to_radians();
    let (phi, radius) = (latitude.to_radians(), 6378.137);
    // Geocentric latitude of the observer on the ellipsoid.
    let geocentric_phi = (0.99330562 * phi.tan()).atan();
    let observer_radius = radius * (1.0 - 0.00335281 * geocentric_phi.sin().powi(2));
    let observer = [
        observer_radius * geocentric_phi.cos() * sidereal.cos(),
        observer_radius * geocentric_phi.cos() * sidereal.sin(),
        observer_radius * geocentric_phi.sin(),
    ];
    let v: [f64; 3] = std::array::from_fn(|i| equatorial[i] - observer[i]);
    let topocentric_distance = v.iter().map(|c| c * c).sum::<f64>().sqrt();
    let east = -v[0] * sidereal.sin() + v[1] * sidereal.cos();
    let outward = v[0] * sidereal.cos() + v[1] * sidereal.sin();
    let north = -phi.sin() * outward + phi.cos() * v[2];
    let up = phi.cos() * outward + phi.sin() * v[2];
    let ahead = lambda - solar_longitude(t);
    let elongation = (beta.cos() * ahead.cos()).acos();
    let sun_km = distance_au(jd) * 149_597_870.7;
    let phase = (sun_km * elongation.sin()).atan2(distance - sun_km * elongation.cos());
    Moon {
        azimuth: east.atan2(north).to_degrees().rem_euclid(360.0),
        elevation: (up / topocentric_distance).asin().to_degrees(),
        illuminated_fraction: (1.0 + phase.cos()) / 2.0,
        phase: phase.to_degrees(),
        waxing: ahead.sin() > 0.0,
        angular_diameter: 2.0 * (1737.4 / topocentric_distance).asin().to_degrees(),
    }
}

/// Moonlight outside the air at the mean distance, lx, by phase angle in degrees (Krisciunas and Schaefer
/// 1991, eq. 8 and 9: footcandles from the magnitude -12.73 + 0.026 a + 4e-9 a^4).
pub fn moonlight(phase_deg: f64) -> f64 {
    const LUX_PER_FOOTCANDLE: f64 = 10.7639;
    let a = phase_deg.abs().min(180.0);
    LUX_PER_FOOTCANDLE * 10f64.powf(-0.4 * (-12.73 + 0.026 * a + 4e-9 * a.powi(4) + 16.57))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Meeus 1998, example 47.a (from memory): 1992 April 12, 0h TD: longitude 133.162655,
    /// latitude -3.229126, distance 368409.7 km.
    #[test]
    fn the_published_example() {
        let (l, b, d) = geocentric((2448724.5 - 2451545.0) / 36525.0);
        assert!((l.to_degrees().rem_euclid(360.0) - 133.162655).abs() < 0.01, "{}", l.to_degrees());
        assert!((b.to_degrees() + 3.229126).abs() < 0.01, "{}", b.to_degrees());
        assert!((d - 368409.7).abs() < 60.0, "{d}");
    }

    /// Meeus 1998, example 48.a (from memory): the same moment: lit share 0.6786, phase angle 69.0756.
    #[test]
    fn the_published_phase() {
        let at = DateTime::parse_from_rfc3339("1992-04-11T23:59:01Z").unwrap();
        let m = moon(0.0, 0.0, at);
        assert!((m.phase - 69.0756).abs() < 0.1, "{m:?}");
        assert!((m.illuminated_fraction - 0.6786).abs() < 0.002, "{m:?}");
        // Full on April 17.
        assert!(m.waxing);
    }
}
