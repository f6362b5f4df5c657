//! Light that an eye or a lens spreads around bright discs.

use super::{Area, Disc, Picture};
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::Rgb;

/// Veiling luminance for each lx at the eye, by angle in degrees: CIE 146:2002, the simplified general
/// function for young eyes, `10 / a^3 + 5 / a^2` (from memory). Closer than a tenth of a degree it is not
/// known and stays level.
pub fn spread(angle_deg: f64) -> f64 {
    let a = angle_deg.max(0.1);
    10.0 / (a * a * a) + 5.0 / (a * a)
}

/// Adds the glare of all discs to a part of a picture.
pub fn add_glare(picture: &mut Picture, camera: &Camera, area: Area, discs: &[Disc]) {
    for disc in discs.iter().filter(|d| d.glare > 0.0 && d.seen) {
        let light: Rgb = disc.illuminance.map(|v| v * disc.glare as f32);
        let rim = disc.radius.to_degrees();
        for (i, pixel) in picture.pixels.iter_mut().enumerate() {
            let (x, y) = (area.x + i % area.width, area.y + i / area.width);
            let Some(d) = camera.direction(x as f64 + 0.5, y as f64 + 0.5) else { continue };
            let cos: f64 = (0..3).map(|k| d[k] * disc.direction[k]).sum();
            // On the disc itself the spread is that of its rim.
            let angle = cos.clamp(-1.0, 1.0).acos().to_degrees().max(rim);
            let share = spread(angle) as f32;
            for c in 0..3 {
                pixel[c] += light[c] * share;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// CIE 146:2002: at 10 degrees a source of 1 lx makes a veil of 0.06 cd/m2.
    #[test]
    fn veils() {
        assert!((spread(10.0) - 0.06).abs() < 1e-9);
        assert_eq!(spread(0.0), spread(0.1));
    }
}
