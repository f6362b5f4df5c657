//! Light of towns on the undersides of clouds.

use crate::simd::Real;
use tenter_sky::document::Town;
use tenter_sky::spectrum::{Rgb, luminance};

/// Luminous intensity straight up of what lamps give to the ground, and of what leaves them sideways, cd a
/// head and cd a head and radian^4 of the angle from the zenith: `1000 lm (2 G (1 - F) cos a + 0.554 F a^4) /
/// (2 pi)`, with G = F = 0.15 (Garstang 1986, "Model for artificial night-sky illumination", eq. 1; from
/// memory).
const FROM_GROUND_CD: f64 = 40.6;
const FROM_LAMPS_CD: f64 = 13.2;
/// People on a square kilometre of a town (common practice, no source).
const PEOPLE_PER_KM2: f64 = 3000.0;

/// One town: a level disc of light.
#[derive(Clone, Debug)]
pub struct TownLamps {
    /// Metres from the eye, east and north, and radius.
    x: f32,
    y: f32,
    radius: f32,
    /// Intensities, cd.
    from_ground: f32,
    from_lamps: f32,
    /// Colour at luminance 1.
    colour: Rgb,
    /// Extinction of haze near the ground, 1/m, and the height over which it falls to 1/e, m.
    haze: f32,
    haze_height: f32,
}

/// Angle whose sine is given, 0 to 1 (Abramowitz and Stegun 1964, 4.4.45; within 7e-5).
fn asin<R: Real>(s: R) -> R {
    let k = |v: f32| R::splat(v);
    let series = ((k(-0.018_729_3) * s + k(0.074_261)) * s + k(-0.212_114_4)) * s + k(1.570_728_8);
    k(std::f32::consts::FRAC_PI_2) - (k(1.0) - s).max(k(0.0)).sqrt() * series
}

impl TownLamps {
    /// `haze_1_m`: extinction near the ground; `haze_height_m`: its scale height.
    pub fn new(town: &Town, haze_1_m: f64, haze_height_m: f64) -> TownLamps {
        let (sin, cos) = town.azimuth_deg.to_radians().sin_cos();
        let away = town.distance_km * 1000.0;
        let colour = town.colour.0.map(|v| v as f32);
        let y = luminance(colour).max(1e-6);
        let km2 = (town.inhabitants / PEOPLE_PER_KM2).max(0.01);
        TownLamps {
            x: (away * sin) as f32,
            y: (away * cos) as f32,
            radius: (1000.0 * (km2 / std::f64::consts::PI).sqrt()) as f32,
            from_ground: (FROM_GROUND_CD * town.inhabitants) as f32,
            from_lamps: (FROM_LAMPS_CD * town.inhabitants) as f32,
            colour: colour.map(|v| v / y),
            haze: haze_1_m as f32,
            haze_height: haze_height_m as f32,
        }
    }

    /// Illuminance on a level surface that looks down, lx, in RGB: at metres east and north of the eye, and an
    /// altitude in metres. Light from the ground is that of a level disc (Howell, catalogue of radiation
    /// configuration factors, element parallel to a disc), light from lamps is a point's.
    ///
    /// ```
    /// use tenter_render::night::TownLamps;
    /// use tenter_render::simd::Scalar;
    /// use tenter_sky::document::{Colour, Town};
    /// let town = Town { distance_km: 20.0, azimuth_deg: 90.0, inhabitants: 60_000.0, colour: Colour([1.0; 3]) };
    /// let lamps = TownLamps::new(&town, 0.0, 1000.0);
    /// let at = |x: f32, up: f32| lamps.irradiance([Scalar(x), Scalar(0.0)], Scalar(up))[1].0;
    /// // Over its middle: intensity over the square of the radius and of the height; 2.52 km are its radius.
    /// let over = 40.6 * 6e4 / (1500f32.powi(2) + 2523f32.powi(2));
    /// assert!((at(20_000.0, 1500.0) / over - 1.0).abs() < 0.01);
    /// assert!(at(0.0, 1500.0) < 0.05 * over);
    /// ```
    #[inline(always)]
    pub fn irradiance<R: Real>(&self, [x, y]: [R; 2], altitude: R) -> [R; 3] {
        let k = |v: f32| R::splat(v);
        let h = altitude.max(k(10.0));
        let (dx, dy) = (x - k(self.x), y - k(self.y));
        let beside = dx * dx + dy * dy;
        let (h2, r2) = (h * h, self.radius * self.radius);
        let far2 = beside + h2;
        let z = far2 + k(r2);
        let root = (z * z - k(4.0 * r2) * beside).max(k(1.0)).sqrt();
        // The difference of nearly equal numbers far away: there it is a point.
        let disc = k(0.5 / r2) * (k(1.0) - (z - k(2.0 * r2)) / root);
        let point = h2 / (far2 * far2);
        let of_ground = R::select(far2.lt(k(400.0 * r2)), disc, point);
        let sine = (beside / far2).max(k(0.0)).sqrt();
        let from_zenith = asin(sine);
        let fourth = from_zenith * from_zenith;
        let of_lamps = fourth * fourth * h / (far2 * far2.sqrt() + k(r2 * self.radius));
        let slant = far2.sqrt() / h;
        let haze = k(self.haze * self.haze_height) * (k(1.0) - (h * k(-1.0 / self.haze_height)).exp());
        let through = (haze * slant * k(-1.0)).exp();
        let lux = (of_ground * k(self.from_ground) + of_lamps * k(self.from_lamps)) * through;
        self.colour.map(|c| lux * k(c))
    }
}
