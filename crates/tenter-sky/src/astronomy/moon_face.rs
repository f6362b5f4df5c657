//! The moon's face: dark seas and bright rays at their published places.
//!
//! Middles and sizes after the Gazetteer of Planetary Nomenclature (IAU; from memory, to a degree); how dark
//! seas are: common practice, no source (0.07 against the highlands' 0.12).

/// Albedo of seas as a share of that of the highlands.
const SEA: f64 = 0.58;

/// Seas: longitude (east positive) and latitude of the middle, half-widths along both, degrees, and how
/// dark they are.
const SEAS: [[f64; 5]; 24] = [
    [-15.6, 32.8, 18.0, 16.5, 1.0],
    [17.5, 28.0, 11.5, 11.0, 1.0],
    [30.0, 9.5, 13.0, 11.0, 1.0],
    [38.0, 3.0, 8.0, 6.0, 1.0],
    [59.1, 17.0, 8.6, 6.8, 1.0],
    [51.3, -7.8, 9.5, 14.0, 0.9],
    [35.5, -15.2, 5.6, 5.6, 0.9],
    [-16.6, -21.3, 11.0, 9.5, 0.85],
    [-38.6, -24.4, 6.9, 6.9, 1.0],
    [-23.1, -10.0, 5.8, 5.6, 0.9],
    [-30.9, 7.5, 9.5, 8.0, 0.8],
    [-52.0, 14.0, 15.0, 20.0, 0.95],
    [-46.0, 2.0, 13.0, 11.0, 0.9],
    [-58.0, 36.0, 10.0, 13.0, 0.9],
    [-47.0, 48.0, 11.0, 6.0, 0.8],
    [-32.0, 55.0, 12.0, 3.8, 0.75],
    [1.4, 56.5, 18.0, 3.6, 0.75],
    [27.0, 56.0, 13.0, 3.4, 0.7],
    [3.6, 13.3, 4.0, 4.0, 0.8],
    [1.7, 2.4, 4.2, 3.4, 0.6],
    [-8.5, 12.0, 5.0, 4.0, 0.6],
    [87.5, 1.3, 6.0, 6.0, 0.8],
    [86.1, 13.3, 6.0, 5.0, 0.7],
    [81.5, 56.8, 4.5, 4.5, 0.7],
];

/// Craters with rays: longitude, latitude, reach of the rays, degrees, and their strength.
const RAYED: [[f64; 4]; 8] = [
    [-11.4, -43.3, 34.0, 1.0],
    [-20.1, 9.6, 11.0, 0.8],
    [-38.0, 8.1, 7.0, 0.7],
    [-47.5, 23.7, 5.0, 0.9],
    [46.8, 16.1, 6.0, 0.6],
    [61.1, -8.9, 6.0, 0.5],
    [-63.0, 50.0, 9.0, 0.3],
    [26.4, -11.4, 5.0, 0.25],
];

/// Angle between two places on a sphere, and the bearing of the second from the first, radians.
fn between([lon0, lat0]: [f64; 2], [lon, lat]: [f64; 2]) -> (f64, f64) {
    let ((s0, c0), (s1, c1)) = (lat0.sin_cos(), lat.sin_cos());
    let (sd, cd) = (lon - lon0).sin_cos();
    let angle = (s0 * s1 + c0 * c1 * cd).clamp(-1.0, 1.0).acos();
    (angle, (sd * c1).atan2(c0 * s1 - s0 * c1 * cd))
}

fn smooth(edge: f64, soft: f64, x: f64) -> f64 {
    let t = ((x - edge + soft) / (2.0 * soft)).clamp(0.0, 1.0);
    1.0 - t * t * (3.0 - 2.0 * t)
}

/// Albedo at a selenographic place, radians, as a share of the highlands'.
///
/// ```
/// use tenter_sky::astronomy::moon_albedo;
/// let at = |lon: f64, lat: f64| moon_albedo(lon.to_radians(), lat.to_radians());
/// // The Sea of Crises is dark, the southern highlands are not, Tycho is the brightest.
/// assert!(at(59.0, 17.0) < 0.65 && at(20.0, -50.0) > 0.9 && at(-11.4, -43.3) > 1.2);
/// ```
pub fn moon_albedo(longitude: f64, latitude: f64) -> f64 {
    let here = [longitude, latitude];
    // Shores are ragged at two scales (no source).
    let ((sl, cl), (sb, cb)) = (longitude.sin_cos(), latitude.sin_cos());
    let (x, y, z) = (cb * cl, cb * sl, sb);
    let wave = |f: f64| (f * (1.13 * y + 0.71 * z) + 2.1).sin() * (f * (0.93 * z - 0.57 * y + 0.4 * x)).cos();
    let ragged = 0.17 * wave(12.7) + 0.12 * wave(29.3) + 0.06 * wave(61.0);
    let mut dark: f64 = 0.0;
    for [lon, lat, across, along, depth] in SEAS {
        let (angle, bearing) = between([lon.to_radians(), lat.to_radians()], here);
        let (s, c) = bearing.sin_cos();
        let half_width = 1.0 / ((s / across).powi(2) + (c / along).powi(2)).sqrt();
        let inside = smooth(1.0, 0.14, angle.to_degrees() / half_width + ragged);
        dark = dark.max(depth * inside);
    }
    let mut bright = 0.0;
    for [lon, lat, reach, strength] in RAYED {
        let (angle, bearing) = between([lon.to_radians(), lat.to_radians()], here);
        let away = angle.to_degrees();
        let halo = 0.35 * (-(away / 2.2).powi(2)).exp() + 0.16 * (-away / (0.3 * reach)).exp();
        // Rays of uneven length.
        let fan = 0.5 + 0.5 * (7.0 * bearing + 3.0 * (2.0 * bearing + lon).sin()).sin();
        bright += strength * (halo + 0.22 * fan.powi(6) * (-(away / reach).powi(2)).exp());
    }
    // Craters too small to have names.
    let highland = 1.0 + (0.05 * wave(83.0) + 0.04 * wave(147.0)) * (1.0 - 0.7 * dark);
    highland * (1.0 - dark * (1.0 - SEA)) + bright
}
