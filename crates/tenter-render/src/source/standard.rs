//! The fifteen standard general skies of ISO 15469:2004 / CIE S 011/E:2003.

use std::f64::consts::FRAC_PI_2;

/// Parameters a to e of the types 1 to 15 (table 1 of the standard; from memory).
const PARAMETERS: [[f64; 5]; 15] = [
    [4.0, -0.70, 0.0, -1.0, 0.0],
    [4.0, -0.70, 2.0, -1.5, 0.15],
    [1.1, -0.8, 0.0, -1.0, 0.0],
    [1.1, -0.8, 2.0, -1.5, 0.15],
    [0.0, -1.0, 0.0, -1.0, 0.0],
    [0.0, -1.0, 2.0, -1.5, 0.15],
    [0.0, -1.0, 5.0, -2.5, 0.30],
    [0.0, -1.0, 10.0, -3.0, 0.45],
    [-1.0, -0.55, 2.0, -1.5, 0.15],
    [-1.0, -0.55, 5.0, -2.5, 0.30],
    [-1.0, -0.55, 10.0, -3.0, 0.45],
    [-1.0, -0.32, 10.0, -3.0, 0.45],
    [-1.0, -0.32, 16.0, -3.0, 0.30],
    [-1.0, -0.15, 16.0, -3.0, 0.30],
    [-1.0, -0.15, 24.0, -2.8, 0.15],
];

/// Luminance as a multiple of that of the zenith (eq. 1): `up` and `sun_up` are cosines to the zenith of
/// direction and sun, `to_sun` that between them. Below the horizon its own luminance goes on.
pub fn relative(number: u32, up: f64, sun_up: f64, to_sun: f64) -> f64 {
    let [a, b, c, d, e] = PARAMETERS[(number.clamp(1, 15) - 1) as usize];
    let gradation = |up: f64| if up > 1e-4 { 1.0 + a * (b / up).exp() } else { 1.0 };
    let indicatrix = |cos: f64| {
        let angle = cos.clamp(-1.0, 1.0).acos();
        1.0 + c * ((d * angle).exp() - (d * FRAC_PI_2).exp()) + e * cos * cos
    };
    let zenith = indicatrix(sun_up.clamp(0.0, 1.0)) * gradation(1.0);
    indicatrix(to_sun) * gradation(up) / zenith
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cosine(angle_deg: f64) -> f64 {
        angle_deg.to_radians().cos()
    }

    /// The formula written out once more for type 12, sun at 60 degrees from the zenith, 30 degrees from the
    /// point, which is 45 degrees from the zenith; and the traditional overcast sky, (1 + 2 sin e) / 3, which
    /// type 16 of the standard replaces and type 1 comes near (Moon and Spencer 1942).
    #[test]
    fn the_standards_formula() {
        let phi = |z: f64| 1.0 - (-0.32 / z.to_radians().cos()).exp();
        let f = |x: f64| {
            1.0 + 10.0 * ((-3.0 * x.to_radians()).exp() - (-3.0 * FRAC_PI_2).exp())
                + 0.45 * x.to_radians().cos().powi(2)
        };
        let wanted = f(30.0) * phi(45.0) / (f(60.0) * phi(0.0));
        let found = relative(12, cosine(45.0), cosine(60.0), cosine(30.0));
        assert!((found / wanted - 1.0).abs() < 1e-12, "{found} {wanted}");
        for e in [20.0f64, 35.0, 50.0, 85.0] {
            let traditional = (1.0 + 2.0 * e.to_radians().sin()) / 3.0;
            let found = relative(1, e.to_radians().sin(), 0.5, 0.2);
            assert!((found / traditional - 1.0).abs() < 0.1, "{e}: {found} {traditional}");
        }
    }

    #[test]
    fn every_type_is_one_overhead_and_never_negative() {
        for number in 1..=15 {
            for sun in [5.0, 40.0, 85.0] {
                let zenith = relative(number, 1.0, cosine(sun), cosine(sun));
                assert!((zenith - 1.0).abs() < 1e-12, "{number}");
                for i in 0..=180 {
                    let to_sun = cosine(i as f64);
                    assert!(relative(number, 0.1, cosine(sun), to_sun) > 0.0, "{number} {sun} {i}");
                }
            }
        }
    }
}
