//! What a file is, and whether it is what it should be: facts, checks, and small copies to look at.

mod checks;
mod image;
mod volume;

pub use checks::Check;
pub use image::{ImageView, view};
pub use volume::{VolumeView, view_volume};

use checks::{check_panorama, check_values};
use image::Sums;
use serde::Serialize;
use serde_json::{Map, Value, json};
use std::path::Path;
use tenter_formats::inspect::{self, FileType, InspectError, PartInfo};

pub type Result<T> = std::result::Result<T, InspectError>;

/// What was found out about a file.
#[derive(Clone, Debug, Serialize)]
pub struct Inspection {
    pub kind: FileType,
    pub bytes: u64,
    /// `latlong`, `cube` or `fisheye`, where it is a panorama.
    pub panorama: Option<inspect::Panorama>,
    /// Azimuth in its middle, degrees.
    pub heading_deg: f64,
    pub parts: Vec<PartInfo>,
    pub attributes: Map<String, Value>,
    /// cd/m2 that a value of 1 stands for, where it is said.
    pub white_luminance: f64,
    /// Whether values are for a display.
    pub display: bool,
    /// Illuminance of level ground by the upper half, lx, of the first part.
    pub level_ground_lx: Option<f64>,
    /// Irradiance over direction: nine coefficients in RGB (Ramamoorthi and Hanrahan 2001), axes x west, y
    /// up, z north.
    pub irradiance_sh: Option<[[f64; 3]; 9]>,
    pub largest: Option<Largest>,
    pub grids: Vec<GridFacts>,
    pub checks: Vec<Check>,
}

#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Largest {
    pub value: f64,
    pub azimuth_deg: f64,
    pub elevation_deg: f64,
}

/// A grid of a volume.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct GridFacts {
    pub name: String,
    pub values: String,
    pub voxel_m: [f64; 3],
    pub active_voxels: u64,
    pub smallest: f64,
    pub largest: f64,
    pub sum: f64,
    /// First and last active voxel by axis.
    pub low: [i32; 3],
    pub high: [i32; 3],
    pub metadata: Map<String, Value>,
}

/// Facts and checks of a file; `sidecar`: what stands beside it, if anything.
pub fn inspect(
    path: &Path,
    sidecar: Option<&Value>,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Inspection> {
    let kind = FileType::of_file(path)?;
    let bytes = std::fs::metadata(path)?.len();
    if kind == FileType::Vdb {
        return volume::inspect(path, bytes, cancelled);
    }
    let mut info = inspect::info(path)?;
    if sidecar.is_some_and(|s| s["layout"] == "fisheye") {
        info.panorama = Some(inspect::Panorama::Fisheye);
    }
    let info = info;
    let text = |name: &str| info.attributes.get(name).and_then(Value::as_f64);
    let beside = |name: &str| sidecar.and_then(|s| s[name].as_f64());
    let heading_deg = text("tenter:headingDegrees").or(beside("heading_deg")).unwrap_or(0.0);
    let white_luminance =
        text("whiteLuminance").or(beside("white_luminance")).filter(|v| *v > 0.0).unwrap_or(1.0);
    let first = &info.parts[0];
    let panorama = info.panorama.filter(|_| !info.display);
    let mut sums = Sums::new(panorama, first.width, first.height, heading_deg);
    inspect::pixels(path, 0, &mut |y, x, pixels| {
        if cancelled() {
            return Err(InspectError::Cancelled);
        }
        sums.add(y, x, pixels);
        Ok(())
    })?;
    let mut checks = check_values(&info, &sums);
    let layered = info.parts.len() > 1;
    if panorama.is_some() && !layered {
        checks.extend(check_panorama(&info, &sums, sidecar, white_luminance));
    }
    let is_panorama = panorama.is_some();
    Ok(Inspection {
        kind,
        bytes,
        panorama: info.panorama,
        heading_deg,
        level_ground_lx: is_panorama.then(|| sums.level() * white_luminance),
        irradiance_sh: is_panorama.then(|| sums.irradiance(white_luminance)),
        largest: sums.largest(),
        parts: info.parts,
        attributes: info.attributes,
        white_luminance,
        display: info.display,
        grids: Vec::new(),
        checks,
    })
}

/// The sidecar beside a file, if there is one.
pub fn sidecar_of(path: &Path) -> Option<Value> {
    let name = format!("{}.json", path.file_name()?.to_str()?);
    serde_json::from_slice(&std::fs::read(path.with_file_name(name)).ok()?).ok()
}

impl Inspection {
    pub fn to_value(&self) -> Value {
        serde_json::to_value(self).unwrap_or(json!(null))
    }
    /// Whether nothing that was checked failed.
    pub fn passed(&self) -> bool {
        self.checks.iter().all(|c| c.passed)
    }
}
