//! The light meter: illuminances and luminances of a sky, from the same rays as its picture.

mod pick;
pub mod seek;

pub use pick::{PickedCloud, pick_cloud};

use crate::integrator::{MarchQuality, radiance_along};
use crate::picture::{Disc, discs, render};
use crate::prepare::Cancelled;
use crate::scene::{Light, Scene, grade_of};
use schemars::JsonSchema;
use serde::Serialize;
use std::f64::consts::{PI, TAU};
use tenter_sky::camera::{Camera, angles_of, toward};
use tenter_sky::develop::{suggested_ev100, white_luminance};
use tenter_sky::document::Sky;
use tenter_sky::document::schema::write_types;
use tenter_sky::spectrum::{Rgb, correlated_temperature, luminance, rgb_to_xyz};

/// Readouts of one sky.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Readouts {
    /// Of the brightest light; every light's own stand in `lights`.
    pub direct_normal_lx: f64,
    /// Of all lights.
    pub direct_horizontal_lx: f64,
    pub diffuse_horizontal_lx: f64,
    pub global_horizontal_lx: f64,
    /// Share of the direct lights in the global illuminance.
    pub sun_share: f64,
    /// Of the brightest light; nothing when none is left.
    pub sun_cct_k: Option<f64>,
    pub sky_cct_k: Option<f64>,
    pub zenith_cd_m2: f64,
    /// Mean over azimuth, one degree above the horizon.
    pub horizon_cd_m2: f64,
    pub sun_visible_fraction: f64,
    /// Share of columns with an optical thickness over 0.3.
    pub cover_fraction: f64,
    /// Share of the upper hemisphere with cloud transmittance under 0.9.
    pub cover_seen_fraction: f64,
    pub suggested_ev100: f64,
    /// Width of the half-shadow 100 m behind an edge, on a plane that faces the brightest light, m.
    pub penumbra_at_100_m: f64,
    /// Share of the picture with a channel past white before the tone curve.
    pub clipped_fraction: f64,
    pub lights: Vec<LightReadout>,
    pub layers: Vec<LayerReadout>,
    /// Layers that a loop cannot close for: they drift on.
    pub open_ends: Vec<OpenEnd>,
}

/// A layer that is elsewhere at the end of a loop.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct OpenEnd {
    pub id: String,
    pub drift_m: f64,
}

#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct LightReadout {
    /// `sun`, `moon` or `world`.
    #[schemars(extend("enum" = ["sun", "moon", "world"]))]
    pub kind: &'static str,
    pub azimuth_deg: f64,
    /// Of its centre, apparent; and its true elevation, which light follows.
    pub elevation_deg: f64,
    pub true_elevation_deg: f64,
    pub direct_normal_lx: f64,
    pub cct_k: Option<f64>,
    pub visible_fraction: f64,
}

#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct LayerReadout {
    pub id: String,
    pub optical_thickness: f64,
}

/// Pixels along the sides of the square the illuminance is summed over. Gaps between clouds that are smaller
/// than a pixel let too little light through: with 128 a low sun behind broken clouds loses 5 %, with 512 1
/// %.
const SIDE: usize = 512;
/// The same where a hand waits.
pub const QUICK_SIDE: usize = 256;
/// Pixels along the same square for angles of single directions.
const DIRECTIONS_SIDE: usize = 128;

/// Readouts of a sky and its scene; the share of clipped pixels is that of a small picture.
pub fn readouts(sky: &Sky, scene: &Scene) -> Readouts {
    let to_the_end = || false;
    let clipped = clipped_of_view(sky, scene);
    readouts_with(sky, scene, clipped, SIDE, &to_the_end).expect("nobody cancels")
}

/// Readouts of a sky of whose picture a share is clipped ([`clipped_fraction`]); `side`: pixels along the
/// square the illuminance is summed over.
pub fn readouts_with(
    sky: &Sky,
    scene: &Scene,
    clipped_fraction: f64,
    side: usize,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Readouts, Cancelled> {
    let discs = discs(scene, MarchQuality::default());
    let level = Camera::level(side);
    let picture = render(scene, &level, MarchQuality::COARSE, cancelled)?;
    let mut diffuse = [0.0f64; 3];
    for pixel in &picture.pixels {
        for c in 0..3 {
            diffuse[c] += pixel[c] as f64;
        }
    }
    // Pixels inside the unit disc, so that a uniform sky of radiance L gives pi L whatever the rim does.
    let inside = (0..side * side)
        .filter(|i| level.direction((i % side) as f64 + 0.5, (i / side) as f64 + 0.5).is_some())
        .count();
    let diffuse = diffuse.map(|v| (v * PI / inside as f64) as f32);

    let angle = 2.0 / DIRECTIONS_SIDE as f64;
    let seen = |d: &[[f64; 3]]| radiance_along(scene, d, angle, MarchQuality::default());
    let zenith = seen(&[[0.0, 0.0, 1.0]])[0].0;
    let dip = dip(scene);
    let ring: Vec<[f64; 3]> =
        (0..32).map(|i| toward(i as f64 * TAU / 32.0, 1f64.to_radians() - dip)).collect();
    let horizon = seen(&ring).iter().map(|(l, _)| luminance(*l) as f64).sum::<f64>() / ring.len() as f64;

    let cover_seen_fraction = cover_seen(scene);
    if cancelled() {
        return Err(Cancelled);
    }

    let lux = |d: &Disc| luminance(d.illuminance) as f64;
    let brightest = discs.iter().max_by(|a, b| lux(a).total_cmp(&lux(b))).expect("a scene has lights");
    let direct_level: f64 = discs.iter().map(|d| lux(d) * d.direction[2].max(0.0)).sum();
    let global = direct_level + luminance(diffuse) as f64;
    Ok(Readouts {
        direct_normal_lx: lux(brightest),
        direct_horizontal_lx: direct_level,
        diffuse_horizontal_lx: luminance(diffuse) as f64,
        global_horizontal_lx: global,
        sun_share: if global > 0.0 { direct_level / global } else { 0.0 },
        sun_cct_k: temperature(brightest.illuminance),
        sky_cct_k: temperature(diffuse),
        zenith_cd_m2: luminance(zenith) as f64,
        horizon_cd_m2: horizon,
        sun_visible_fraction: brightest.visible,
        cover_fraction: 1.0 - scene.clouds.iter().map(|c| 1.0 - c.form.1.cover()).product::<f64>(),
        cover_seen_fraction,
        suggested_ev100: suggested_ev100(global),
        penumbra_at_100_m: 200.0 * brightest.radius.tan(),
        clipped_fraction,
        lights: scene.lights.iter().zip(&discs).map(|(light, disc)| of_light(light, disc)).collect(),
        layers: sky
            .clouds
            .iter()
            .map(|l| LayerReadout { id: l.id.clone(), optical_thickness: l.optical_thickness() })
            .collect(),
        open_ends: sky
            .drift
            .open_ends(sky)
            .into_iter()
            .map(|(l, drift_m)| OpenEnd { id: l.id.clone(), drift_m })
            .collect(),
    })
}

fn of_light(light: &Light, disc: &Disc) -> LightReadout {
    let (azimuth, elevation) = angles_of(disc.direction);
    let (_, true_elevation) = angles_of(light.direction());
    LightReadout {
        kind: light.placed.face.kind(),
        azimuth_deg: azimuth.to_degrees().rem_euclid(360.0),
        elevation_deg: elevation.to_degrees(),
        true_elevation_deg: true_elevation.to_degrees(),
        direct_normal_lx: luminance(disc.illuminance) as f64,
        cct_k: temperature(disc.illuminance),
        visible_fraction: disc.visible,
    }
}

/// Share of pixels (cd/m2) with a channel past white at an exposure.
pub fn clipped_fraction(pixels: &[Rgb], ev100: f64) -> f64 {
    let white = white_luminance(ev100) as f32;
    let clipped = pixels.iter().filter(|p| p.iter().any(|v| *v > white)).count();
    clipped as f64 / pixels.len().max(1) as f64
}

/// The same of a small picture of what the camera sees.
fn clipped_of_view(sky: &Sky, scene: &Scene) -> f64 {
    const WIDTH: usize = 96;
    let height = ((WIDTH as f64 / sky.eye.aspect()).round() as usize).max(1);
    let camera = Camera::lens(&sky.eye, WIDTH, height);
    let picture = render(scene, &camera, MarchQuality::default(), &|| false).expect("nobody cancels");
    clipped_fraction(&picture.pixels, grade_of(sky).ev100)
}

/// How far the horizon lies below the level, radians.
fn dip(scene: &Scene) -> f64 {
    (scene.planet() / (scene.planet() + scene.eye_altitude)).acos()
}

fn temperature(rgb: Rgb) -> Option<f64> {
    let xyz = rgb_to_xyz(rgb.map(|v| v as f64));
    (xyz.0[1] > 1e-9).then(|| correlated_temperature(xyz.xy()))
}

/// Directions spread evenly over the upper hemisphere (a spiral of the golden angle).
fn cover_seen(scene: &Scene) -> f64 {
    if scene.clouds.is_empty() {
        return 0.0;
    }
    const COUNT: usize = 4096;
    let directions: Vec<[f64; 3]> = (0..COUNT)
        .map(|i| {
            let up = (i as f64 + 0.5) / COUNT as f64;
            toward(i as f64 * PI * (3.0 - 5f64.sqrt()), up.asin())
        })
        .collect();
    let seen = radiance_along(scene, &directions, 0.02, MarchQuality::default());
    seen.iter().filter(|(_, through)| *through < 0.9).count() as f64 / COUNT as f64
}

/// TypeScript types of what is measured and searched, for the web application.
pub fn typescript() -> String {
    let mut out = String::from("// Generated from the Rust types of measures: do not edit.\n\n");
    let schemas = [
        (schemars::schema_for!(Readouts), "Readouts"),
        (schemars::schema_for!(seek::Target), "Target"),
        (schemars::schema_for!(seek::SearchVariable), "SearchVariable"),
        (schemars::schema_for!(seek::SearchResult), "SearchResult"),
    ];
    for (schema, name) in schemas {
        write_types(&mut out, &schema.to_value(), name);
    }
    out
}
