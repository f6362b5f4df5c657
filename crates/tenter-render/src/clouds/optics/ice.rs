//! Scattering by ice crystals: a fit, as crystals have no single shape.
//!
//! Half of the extinction of large crystals is diffraction within a degree or so (Babinet); the rest is
//! refracted and reflected into a wide lobe, with a total asymmetry near 0.8 (Fu 1996, figure 3, about 0.75
//! to 0.83; from memory). In hexagonal crystals refraction through two faces at 60 degrees concentrates at
//! the angle of minimum deviation, `2 asin(n / 2) - 60` degrees: the halo, red inside (Minnaert 1954,
//! section 134).

use crate::air::henyey_greenstein;
use crate::clouds::optics::mie::PhaseFunction;
use crate::simd::Scalar;

/// Ice's refractive index for red, green and blue (Warren 1984; from memory).
const INDEX: [f64; 3] = [1.307, 1.311, 1.317];
/// Asymmetry of diffraction and of the rest.
const DIFFRACTED: f32 = 0.995;
const REFRACTED: f32 = 0.60;
/// Decay of the halo outward, and blur of its inner rim, degrees.
const FADES: f64 = 3.2;
const BLURRED: f64 = 0.5;
/// Brightness of a full halo over its surroundings.
const BRIGHT: f64 = 3.0;

/// Phase function of ice; `halo` from 0 (rough, broken crystals) to 1 (plain hexagons).
///
/// ```
/// let ice = tenter_render::clouds::optics::ice::phase(1.0);
/// assert!((ice.asymmetry[1] - 0.79).abs() < 0.03);
/// let at = |degrees: f64| ice.at(degrees.to_radians().cos())[1];
/// assert!(at(22.3) > 2.0 * at(20.0));
/// ```
pub fn phase(halo: f64) -> PhaseFunction {
    let smooth = |angle: f64| {
        let cos = Scalar(angle.cos() as f32);
        0.5 * (henyey_greenstein(DIFFRACTED, cos).0 + henyey_greenstein(REFRACTED, cos).0) as f64
    };
    PhaseFunction::from_values(|angle| {
        INDEX.map(|n| {
            let least = 2.0 * (0.5 * n).asin().to_degrees() - 60.0;
            let past = angle.to_degrees() - least;
            // A smooth rise over the rim, then a slow fall.
            let rise = 1.0 / (1.0 + (-past / (0.25 * BLURRED)).exp());
            let ring = rise * (-past.max(0.0) / FADES).exp();
            smooth(angle) + halo * BRIGHT * ring * smooth(least.to_radians())
        })
    })
}
