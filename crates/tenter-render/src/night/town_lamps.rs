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
#[inline(always)]
fn asin<R: Real>(s: R) -> R {
    let mut series = R::splat(-0.018_729_3).mul_add(s, R::splat(0.074_261));
    series = series.mul_add(s, R::splat(-0.212_114_4));
    series = series.mul_add(s, R::splat(1.570_728_8));
    R::splat(std::f32::consts::FRAC_PI_2) - (R::splat(1.0) - s).max(R::splat(0.0)).sqrt() * series
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

    /// Illuminance on a level surface that looks down, lx, in RGB: at metres east and north of the eye, and
    /// an altitude in metres. Light from the ground is that of a level disc (Howell, catalogue of radiation
    /// configuration factors, element parallel to a disc), light from lamps is a point's.
    ///
    /// ```
    /// use tenter_render::night::TownLamps;
    /// use tenter_render::simd::Scalar;
    /// use tenter_sky::document::{Colour, Town};
    /// let town =
    ///     Town { distance_km: 20.0, azimuth_deg: 90.0, inhabitants: 60_000.0, colour: Colour([1.0; 3]) };
    /// let lamps = TownLamps::new(&town, 0.0, 1000.0);
    /// let at = |x: f32, up: f32| lamps.irradiance([Scalar(x), Scalar(0.0)], Scalar(up))[1].0;
    /// // Over its middle: intensity over the squares of the radius, 2.52 km, and of the height.
    /// let over = 40.6 * 6e4 / (1500f32.powi(2) + 2523f32.powi(2));
    /// assert!((at(20_000.0, 1500.0) / over - 1.0).abs() < 0.01);
    /// assert!(at(0.0, 1500.0) < 0.05 * over);
    /// ```
    #[inline(always)]
    pub fn irradiance<R: Real>(&self, [x, y]: [R; 2], altitude: R) -> [R; 3] {
        let (one, zero) = (R::splat(1.0), R::splat(0.0));
        let h = altitude.max(R::splat(10.0));
        let (dx, dy) = (x - R::splat(self.x), y - R::splat(self.y));
        let beside = dx * dx + dy * dy;
        let (h2, r2) = (h * h, self.radius * self.radius);
        let far2 = beside + h2;
        let z = far2 + R::splat(r2);
        let root = (z * z - R::splat(4.0 * r2) * beside).max(one).sqrt();
        // The difference of nearly equal numbers far away: there it is a point.
        let disc = R::splat(0.5 / r2) * (one - (z - R::splat(2.0 * r2)) / root);
        let point = h2 / (far2 * far2);
        let of_ground = R::select(far2.lt(R::splat(400.0 * r2)), disc, point);
        let from_zenith = asin((beside / far2).max(zero).sqrt());
        let square = from_zenith * from_zenith;
        let of_lamps = square * square * h / (far2 * far2.sqrt() + R::splat(r2 * self.radius));
        let slant = far2.sqrt() / h;
        let column = one - (h * R::splat(-1.0 / self.haze_height)).exp();
        let through = (R::splat(-self.haze * self.haze_height) * column * slant).exp();
        let cd = of_ground * R::splat(self.from_ground) + of_lamps * R::splat(self.from_lamps);
        let lux = cd * through;
        let [r, g, b] = self.colour;
        [lux * R::splat(r), lux * R::splat(g), lux * R::splat(b)]
    }
}
