//! Light of the night sky that has no points: faint stars of the Milky Way, dust of the zodiac, airglow.
//! Unit: S10, one star of visual magnitude 10 in a square degree.

use super::stars::{equatorial, starlight_lx};
use std::f64::consts::PI;
use std::sync::LazyLock;

/// Luminance of one S10, cd/m2: 8.34e-7.
pub static S10_CD_M2: LazyLock<f64> = LazyLock::new(|| starlight_lx(10.0) / (PI / 180.0).powi(2));

/// Mean light of all stars over galactic longitude, by galactic latitude in degrees, S10 (after Roach and
/// Megill 1961 as given by Leinert et al. 1998, section 10; rounded, from memory).
const BY_LATITUDE: [(f64, f64); 12] = [
    (0.0, 300.0),
    (5.0, 230.0),
    (10.0, 165.0),
    (15.0, 125.0),
    (20.0, 100.0),
    (30.0, 70.0),
    (40.0, 52.0),
    (50.0, 42.0),
    (60.0, 36.0),
    (70.0, 32.0),
    (80.0, 30.0),
    (90.0, 29.0),
];

/// Straight lines between the entries of a table, its ends beyond them.
fn between(table: &[(f64, f64)], x: f64) -> f64 {
    let i = table.partition_point(|(at, _)| *at <= x).clamp(1, table.len() - 1);
    let ((x0, y0), (x1, y1)) = (table[i - 1], table[i]);
    y0 + (y1 - y0) * ((x - x0) / (x1 - x0)).clamp(0.0, 1.0)
}

/// Galactic latitude of a J2000 direction, degrees (pole at 192.85948, 27.12825).
pub fn galactic_latitude(j2000: [f64; 3]) -> f64 {
    static POLE: LazyLock<[f64; 3]> = LazyLock::new(|| equatorial(192.85948, 27.12825));
    let sine: f64 = (0..3).map(|i| POLE[i] * j2000[i]).sum();
    sine.clamp(-1.0, 1.0).asin().to_degrees()
}

const COLUMNS: usize = 720;
const ROWS: usize = 360;

/// Outlines of the Milky Way's brightness (`data/README.md`), and their mean by galactic latitude.
struct Outlines {
    levels: &'static [u8],
    means: [f64; BANDS],
}

const BANDS: usize = 45;
const BAND_DEG: f64 = 90.0 / BANDS as f64;
/// Level of a place without outlines: half of a band's mean is spread evenly where there is nothing else.
const EVEN: f64 = 0.3;

static OUTLINES: LazyLock<Outlines> = LazyLock::new(|| {
    let levels: &[u8] = include_bytes!("../../data/milky_way.bin");
    let (mut sums, mut weights) = ([0.0; BANDS], [0.0; BANDS]);
    for (i, level) in levels.iter().enumerate() {
        let right_ascension = (i % COLUMNS) as f64 * 360.0 / COLUMNS as f64;
        let declination = 90.0 - (i / COLUMNS) as f64 * 180.0 / ROWS as f64;
        let latitude = galactic_latitude(equatorial(right_ascension, declination)).abs();
        let band = ((latitude / BAND_DEG) as usize).min(BANDS - 1);
        let weight = declination.to_radians().cos();
        sums[band] += weight * f64::from(*level) / 51.0;
        weights[band] += weight;
    }
    Outlines { levels, means: std::array::from_fn(|band| sums[band] / weights[band]) }
});

impl Outlines {
    /// Number of outlines around a J2000 direction, smoothly.
    fn at(&self, j2000: [f64; 3]) -> f64 {
        let x = j2000[1].atan2(j2000[0]).to_degrees().rem_euclid(360.0) * COLUMNS as f64 / 360.0 - 0.5;
        let y = (90.0 - j2000[2].clamp(-1.0, 1.0).asin().to_degrees()) * ROWS as f64 / 180.0 - 0.5;
        let (x0, y0) = (x.floor(), y.floor());
        let level = |dx: i64, dy: i64| {
            let column = (x0 as i64 + dx).rem_euclid(COLUMNS as i64) as usize;
            let row = (y0 as i64 + dy).clamp(0, ROWS as i64 - 1) as usize;
            f64::from(self.levels[row * COLUMNS + column]) / 51.0
        };
        let (fx, fy) = (x - x0, y - y0);
        let [top, bottom] = [0, 1].map(|dy| level(0, dy) * (1.0 - fx) + level(1, dy) * fx);
        top * (1.0 - fy) + bottom * fy
    }

    fn mean(&self, latitude: f64) -> f64 {
        let band = (latitude / BAND_DEG - 0.5).clamp(0.0, (BANDS - 1) as f64);
        let first = (band as usize).min(BANDS - 2);
        self.means[first] + (self.means[first + 1] - self.means[first]) * (band - first as f64)
    }
}

/// Light of all stars, bright ones too, in a J2000 direction, S10: the published mean of its galactic
/// latitude, spread over longitude by the outlines.
///
/// ```
/// use tenter_sky::astronomy::{equatorial, starlight_s10};
/// let [sagittarius, auriga, pole] = [(271.0, -29.0), (86.4, 28.9), (192.9, 27.1)]
///     .map(|(ra, dec)| starlight_s10(equatorial(ra, dec)));
/// assert!(sagittarius > 3.0 * auriga && auriga > 3.0 * pole);
/// ```
pub fn starlight_s10(j2000: [f64; 3]) -> f64 {
    let latitude = galactic_latitude(j2000).abs();
    let share = (OUTLINES.at(j2000) + EVEN) / (OUTLINES.mean(latitude) + EVEN);
    between(&BY_LATITUDE, latitude) * share
}

/// Zodiacal light by the angle from the sun and by ecliptic latitude, degrees, S10. Along the ecliptic after
/// Leinert et al. 1998, table 16 (a few values, from memory); with latitude it falls to the pole's 60 by an
/// exponential of 20 degrees (own fit, no source).
///
/// ```
/// use tenter_sky::astronomy::zodiacal_s10;
/// // The cone at dusk, the darkest part of the ecliptic, the gegenschein, the pole.
/// let [cone, dark, opposite, pole] = [(40.0, 0.0), (135.0, 0.0), (180.0, 0.0), (90.0, 90.0)]
///     .map(|(elongation, latitude)| zodiacal_s10(elongation, latitude));
/// assert!(cone > 4.0 * opposite && opposite > dark && dark > 2.0 * pole);
/// ```
pub fn zodiacal_s10(elongation: f64, latitude: f64) -> f64 {
    const POLE: f64 = 60.0;
    const ALONG: [(f64, f64); 11] = [
        (15.0, 6000.0),
        (20.0, 3900.0),
        (30.0, 1800.0),
        (40.0, 980.0),
        (50.0, 620.0),
        (60.0, 430.0),
        (90.0, 202.0),
        (120.0, 147.0),
        (150.0, 140.0),
        (165.0, 155.0),
        (180.0, 180.0),
    ];
    POLE + (between(&ALONG, elongation) - POLE) * (-latitude.abs() / 20.0).exp()
}

/// How much longer a line of sight stays in a thin shell of airglow than one straight up: van Rhijn 1921,
/// 1 / sqrt(1 - (R sin z / (R + h))^2), with z at the ground. `up`: cosine of the zenith angle.
///
/// ```
/// // At the horizon 6 times as bright as overhead, for a shell at 90 km.
/// let horizon = tenter_sky::astronomy::van_rhijn(0.0, 90e3, 6371e3);
/// assert!((horizon - 6.0).abs() < 0.1, "{horizon}");
/// ```
pub fn van_rhijn(up: f64, shell_m: f64, planet_m: f64) -> f64 {
    let sine = (1.0 - up * up).max(0.0).sqrt() * planet_m / (planet_m + shell_m);
    1.0 / (1.0 - sine * sine).sqrt()
}
