//! Commands that answer a question.

use crate::{Failure, Outcome};
use clap::Args;
use serde_json::{Value, json};
use std::io::Write;
use std::path::{Path, PathBuf};
use tenter_app::starters;
use tenter_reference::{Reference, Unsupported};
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure;
use tenter_render::picture::NOISE_PERCENT;
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::astronomy;
use tenter_sky::camera::toward;
use tenter_sky::document::{Sky, schema};
use tenter_sky::spectrum::luminance;

#[derive(Args)]
pub struct Schema {
    /// Print TypeScript types instead.
    #[arg(long)]
    typescript: bool,
    /// Print TypeScript types of readouts and of the search instead.
    #[arg(long, conflicts_with = "typescript")]
    measures: bool,
    /// Print the constants of the browser's white balance as TypeScript instead.
    #[arg(long, conflicts_with_all = ["typescript", "measures"])]
    white_points: bool,
}

#[derive(Args)]
pub struct Starters {
    name: Option<String>,
}

#[derive(Args)]
pub struct Check {
    sky: PathBuf,
}

#[derive(Args)]
pub struct Sun {
    /// Degrees north, -90 to 90.
    #[arg(long, allow_negative_numbers = true)]
    lat: f64,
    /// Degrees east, -180 to 180.
    #[arg(long, allow_negative_numbers = true)]
    lon: f64,
    /// Date, time and offset, as in RFC 3339.
    #[arg(long)]
    at: String,
}

#[derive(Args)]
pub struct Light {
    sky: PathBuf,
}

#[derive(Args)]
pub struct Probe {
    sky: PathBuf,
    /// Degrees from north, clockwise.
    #[arg(long, allow_negative_numbers = true)]
    azimuth: f64,
    /// Degrees above the horizon.
    #[arg(long, allow_negative_numbers = true)]
    elevation: f64,
    /// By the reference integrator, with its standard error.
    #[arg(long)]
    reference: bool,
    /// Standard error at which the reference may stop, percent of the luminance.
    #[arg(long, value_name = "PCT", default_value_t = 1.0, requires = "reference")]
    noise: f64,
}

/// Most paths along one direction: some minutes.
const MOST_PATHS: u64 = 100_000_000;

pub fn print(value: &Value) -> Outcome {
    let text = serde_json::to_string_pretty(value).expect("JSON values are printable");
    writeln!(std::io::stdout(), "{text}").map_err(Failure::failed)
}

/// Reads a document; "-" is standard input.
pub fn read_sky(path: &Path) -> Result<Sky, Failure> {
    let fail = |e: std::io::Error| Failure::Input(format!("{}: {e}", path.display()));
    let text = if path == Path::new("-") {
        std::io::read_to_string(std::io::stdin()).map_err(fail)?
    } else {
        std::fs::read_to_string(path).map_err(fail)?
    };
    Sky::from_json(&text).map_err(|p| Failure::Input(format!("{}\n{p}", path.display())))
}

pub fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Full, &|| false).expect("nobody calls this off")
}

/// A number within a range.
pub fn within(name: &str, value: f64, low: f64, high: f64) -> Result<f64, Failure> {
    if value.is_finite() && (low..=high).contains(&value) {
        return Ok(value);
    }
    Err(Failure::Input(format!("--{name}: {value} is outside {low} to {high}")))
}

/// A sky that the reference integrator can't follow is bad input.
pub fn of_reference(e: Unsupported) -> Failure {
    match e {
        Unsupported::Cancelled => Failure::failed(e),
        _ => Failure::Input(format!("--reference: {e}")),
    }
}

pub fn schema(a: Schema) -> Outcome {
    let typescript = if a.typescript {
        Some(schema::typescript())
    } else if a.measures {
        Some(measure::typescript())
    } else {
        a.white_points.then(tenter_sky::develop::white_points_typescript)
    };
    if let Some(text) = typescript {
        return write!(std::io::stdout(), "{text}").map_err(Failure::failed);
    }
    print(schema::json_schema())
}

pub fn starters(a: Starters) -> Outcome {
    match a.name {
        None => {
            let list: Vec<Value> = starters::all()
                .iter()
                .map(|s| json!({"name": s.slug, "title": s.name, "about": s.about}))
                .collect();
            print(&json!(list))
        }
        Some(name) => match starters::find(&name) {
            Some(starter) => print(&starter.sky.to_value()),
            None => {
                let known: Vec<_> = starters::all().iter().map(|s| s.slug).collect();
                Err(Failure::Input(format!("NAME: no starter {name:?}; there are {}", known.join(", "))))
            }
        },
    }
}

pub fn check(a: Check) -> Outcome {
    let sky = read_sky(&a.sky)?;
    // What drifts does not come back: a loop that cannot close is no fault, but it should be known.
    let open_ends = sky.drift.open_ends(&sky);
    let open_ends: Vec<_> = open_ends.iter().map(|(l, way)| json!({"layer": l.id, "drift_m": way})).collect();
    print(&json!({"valid": true, "schema": sky.schema, "hash": sky.content_hash(), "open_ends": open_ends}))
}

pub fn sun(a: Sun) -> Outcome {
    let lat = within("lat", a.lat, -90.0, 90.0)?;
    let lon = within("lon", a.lon, -180.0, 180.0)?;
    let at = chrono::DateTime::parse_from_rfc3339(&a.at).map_err(|e| {
        Failure::Input(format!("--at: {:?} is not a time like 2026-06-21T15:00:00+01:00: {e}", a.at))
    })?;
    let sun = astronomy::sun(lat, lon, at).map_err(|e| Failure::Input(e.to_string()))?;
    let moon = astronomy::moon(lat, lon, at);
    print(&json!({
        "sun": {
            "azimuth_deg": sun.azimuth,
            "elevation_deg": sun.elevation,
            "apparent_elevation_deg": sun.apparent_elevation,
            "distance_au": sun.distance,
        },
        "moon": {
            "azimuth_deg": moon.azimuth,
            "elevation_deg": moon.elevation,
            "illuminated_fraction": moon.illuminated_fraction,
            "phase_deg": moon.phase,
            "angular_diameter_deg": moon.angular_diameter,
        },
    }))
}

pub fn light(a: Light) -> Outcome {
    let sky = read_sky(&a.sky)?;
    print(&serde_json::to_value(measure::readouts(&sky, &scene(&sky))).expect("readouts are plain data"))
}

pub fn probe(a: Probe) -> Outcome {
    let sky = read_sky(&a.sky)?;
    let azimuth = within("azimuth", a.azimuth, -360.0, 360.0)?;
    let elevation = within("elevation", a.elevation, -90.0, 90.0)?;
    let direction = toward(azimuth.to_radians(), elevation.to_radians());
    if a.reference {
        let noise = within("noise", a.noise, *NOISE_PERCENT.start(), *NOISE_PERCENT.end())?;
        let scene = scene(&sky);
        let seen = Reference::new(&scene).map_err(of_reference)?.along(direction, noise / 100.0, MOST_PATHS);
        return print(&json!({
            "luminance_cd_m2": luminance(seen.rgb),
            "rgb": seen.rgb,
            "standard_error": seen.standard_error,
            "paths": seen.paths,
        }));
    }
    // As fine as a pixel of a large map.
    let (rgb, _) = radiance_along(&scene(&sky), &[direction], 1e-3, MarchQuality::default())[0];
    print(&json!({"luminance_cd_m2": luminance(rgb), "rgb": rgb}))
}

#[derive(Args)]
pub struct Inspect {
    /// A sidecar beside it (its name and .json) is taken in.
    file: PathBuf,
}

/// Facts as JSON; exit 1 where a check failed.
pub fn inspect(a: Inspect) -> Outcome {
    use tenter_bake::inspect::{inspect, sidecar_of};
    let fail =
        |e: tenter_formats::inspect::InspectError| Failure::Input(format!("{}: {e}", a.file.display()));
    let found = inspect(&a.file, sidecar_of(&a.file).as_ref(), &|| false).map_err(fail)?;
    print(&found.to_value())?;
    let failed: Vec<&str> = found.checks.iter().filter(|c| !c.passed).map(|c| c.name).collect();
    if failed.is_empty() { Ok(()) } else { Err(Failure::failed(format!("failed: {}", failed.join(", ")))) }
}
