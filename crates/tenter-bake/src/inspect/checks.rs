//! Checks of images, each with its figure and its limit.

use super::image::Sums;
use serde::Serialize;
use serde_json::Value;
use tenter_formats::inspect::{ImageInfo, Panorama};
use tenter_sky::document::Sky;

/// Something that a file should be.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Check {
    pub name: &'static str,
    pub passed: bool,
    /// What was found, in words.
    pub found: String,
}

fn check(name: &'static str, passed: bool, found: String) -> Check {
    Check { name, passed, found }
}

/// Largest angle between a light and where its sidecar says that it stands, degrees, beside a pixel's
/// diagonal.
const FARTHEST_DEG: f64 = 0.3;
/// Largest share of pixels that may be under 0.
const LIGHT_OFF: f64 = 0.01;
/// Most that the seam and the poles may show.
const SEAM: f64 = 0.02;
const POLE: f64 = 0.05;

/// What holds for every image.
pub(super) fn check_values(info: &ImageInfo, sums: &Sums) -> Vec<Check> {
    let first = &info.parts[0];
    let whole = (first.width * first.height) as u64;
    // In layers the parts behind clouds may be less than nothing by rounding.
    vec![
        check(
            "complete",
            sums.pixels == whole,
            format!("{} of {} x {} pixels", sums.pixels, first.width, first.height),
        ),
        check("finite", sums.not_finite == 0, format!("{} pixels are not finite", sums.not_finite)),
        check("not negative", sums.negative == 0, format!("{} pixels are negative", sums.negative)),
    ]
}

/// What holds for panoramas.
pub(super) fn check_panorama(
    info: &ImageInfo,
    sums: &Sums,
    sidecar: Option<&Value>,
    white_luminance: f64,
) -> Vec<Check> {
    let mut checks = Vec::new();
    let first = &info.parts[0];
    let size = match info.panorama {
        Some(Panorama::Latlong) => first.width == 2 * first.height,
        Some(Panorama::Cube) => first.height == 6 * first.width,
        _ => first.width == first.height,
    };
    checks.push(check("size", size, format!("{} x {}", first.width, first.height)));
    if info.panorama == Some(Panorama::Latlong) {
        let seam = sums.seam();
        checks.push(check(
            "seam",
            seam < SEAM,
            format!("{:.2} % over that between neighbours", 100.0 * seam),
        ));
        let [top, bottom] = sums.poles();
        let found = format!("luminance spreads by {:.1} % and {:.1} %", 100.0 * top, 100.0 * bottom);
        checks.push(check("poles", top < POLE && bottom < POLE, found));
    }
    let Some(sidecar) = sidecar else { return checks };
    let lights: Vec<&Value> = sidecar["lights"].as_array().into_iter().flatten().collect();
    let brightest = lights.iter().filter(|l| l["in_map"] == true).max_by(|a, b| lux(a).total_cmp(&lux(b)));
    if let (Some(light), Some(found), Some(camera)) = (brightest, sums.largest(), sums.camera()) {
        let angle = angle_between(light, found.azimuth_deg, found.elevation_deg);
        let limit = FARTHEST_DEG
            + light["angular_diameter_deg"].as_f64().unwrap_or(0.5)
            + 1.5 * camera.pixel_angle().to_degrees();
        let text = format!("the brightest pixel is {angle:.2} degrees off, {limit:.2} may be");
        checks.push(check("sun where the sidecar says", angle < limit, text));
    }
    if let Some(told) = sidecar["horizontal_illuminance_lx"].as_f64().filter(|v| *v > 0.0) {
        let found = sums.level() * white_luminance;
        let off = found / told - 1.0;
        let text = format!("{found:.4e} lx, {:+.2} % of the sidecar's", 100.0 * off);
        checks.push(check("illuminance of the sidecar", off.abs() < LIGHT_OFF, text));
    }
    if let Some(meter) = meter(sidecar) {
        // What the map has, and lights that stand apart from it.
        let apart: f64 = lights
            .iter()
            .filter(|l| l["in_map"] != true)
            .map(|l| lux(l) * l["direction"][1].as_f64().unwrap_or(0.0).max(0.0))
            .sum();
        let found = sums.level() * white_luminance + apart;
        let off = found / meter - 1.0;
        let text = format!("{found:.4e} lx with its lights, {:+.2} % of the light meter's", 100.0 * off);
        checks.push(check("illuminance of the light meter", off.abs() < LIGHT_OFF, text));
    }
    checks
}

fn lux(light: &Value) -> f64 {
    light["illuminance_lx"].as_f64().unwrap_or(0.0)
}

fn angle_between(light: &Value, azimuth_deg: f64, elevation_deg: f64) -> f64 {
    let of = |k: usize| light["direction"][k].as_f64().unwrap_or(0.0);
    // x west, y up, z north.
    let d = tenter_sky::camera::toward(azimuth_deg.to_radians(), elevation_deg.to_radians());
    let cos = -of(0) * d[0] + of(1) * d[2] + of(2) * d[1];
    cos.clamp(-1.0, 1.0).acos().to_degrees()
}

/// The light meter's illuminance of level ground for the sidecar's document, if the map shows all of it.
fn meter(sidecar: &Value) -> Option<f64> {
    let sky = Sky::from_value(sidecar["document"].clone()).ok()?;
    let mut sky = sky;
    // The meter sees what the map shows.
    sky.land.shown = sidecar["land"] == true;
    if sidecar["clouds"] == false {
        sky.clouds.clear();
    }
    let cache = tenter_render::prepare::SceneCache::default();
    let scene = cache.scene(&sky, tenter_render::air::TableQuality::Full, &|| false).ok()?;
    Some(tenter_render::measure::readouts(&sky, &scene).global_horizontal_lx)
}
