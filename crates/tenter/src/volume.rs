//! `tenter volume`: clouds as OpenVDB files.

use crate::ask::{print, read_sky, scene};
use crate::{Failure, Outcome};
use clap::Args;
use serde_json::json;
use std::path::{Path, PathBuf};
use tenter_formats::vdb::MetaValue;
use tenter_formats::volume::{VolumeFacts, VolumeFormat, VolumeGrid, write};
use tenter_render::scene::{CloudComponent, Scene};
use tenter_render::volume::{VolumeRegion, VolumeSettings, estimate};
use tenter_sky::document::Sky;

/// Altitudes over and under clouds that a volume holds by itself, voxels.
const MARGIN_VOXELS: f64 = 2.0;

#[derive(Args)]
pub struct VolumeArguments {
    sky: PathBuf,
    /// Id of a layer; may be given several times. All layers without it.
    #[arg(long)]
    layer: Vec<String>,
    /// Width of a voxel, m.
    #[arg(long, value_name = "M")]
    voxel: f64,
    /// Width of the square on the plan, km.
    #[arg(long, value_name = "KM")]
    extent: f64,
    /// Its middle, km east and north of the origin.
    #[arg(long, value_name = "KM", default_value_t = 0.0, allow_negative_numbers = true)]
    east: f64,
    #[arg(long, value_name = "KM", default_value_t = 0.0, allow_negative_numbers = true)]
    north: f64,
    /// Lowest and highest altitude, m; by themselves those of the layers.
    #[arg(long, value_name = "M")]
    low: Option<f64>,
    #[arg(long, value_name = "M")]
    high: Option<f64>,
    /// Files of this many voxel sizes, each twice as wide as the one before: whole, half, quarter.
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=6))]
    levels: u32,
    /// One grid for each layer in place of one for all.
    #[arg(long)]
    split: bool,
    /// 16-bit values.
    #[arg(long)]
    half: bool,
    /// z up, y north and x east in place of y up, z north and x west.
    #[arg(long)]
    z_up: bool,
    /// Say what it would be, and write nothing.
    #[arg(long)]
    estimate: bool,
    /// Ends in .vdb.
    #[arg(long)]
    out: PathBuf,
}

pub fn volume(a: VolumeArguments) -> Outcome {
    if a.out.extension().is_none_or(|e| e != "vdb") {
        return Err(Failure::Input(format!("--out: {} should end in .vdb", a.out.display())));
    }
    let sky = read_sky(&a.sky)?;
    let scene = scene(&sky);
    let chosen = components(&a, &sky, &scene)?;
    let forms: Vec<_> = chosen.iter().map(|c| &c.form.0).collect();
    let mut files = Vec::new();
    for level in 0..a.levels {
        let settings = settings(&a, &chosen, a.voxel * f64::from(1 << level));
        settings.check().map_err(|e| Failure::Input(e.to_string()))?;
        let path = path_of(&a.out, level);
        if a.estimate {
            let e = estimate(&forms, &settings);
            let per_voxel = if a.half { 2.8 } else { 4.7 };
            files.push(json!({
                "file": path, "voxel_m": settings.voxel_m, "voxels": e.voxels,
                "active_voxels_about": e.active.round(), "leaves_about": e.leaves.round(),
                "bytes_about": (e.active * per_voxel + e.leaves * 160.0).round(),
            }));
            continue;
        }
        let grids = grids(&a, &sky, &chosen);
        let format = VolumeFormat { half: a.half, z_up: a.z_up };
        let uuid = uuid_of(&sky, &settings, format);
        let mut told = 0;
        let progress = |share: f64| {
            let percent = (share * 10.0) as u32 * 10;
            if percent > told {
                told = percent;
                eprintln!("{percent} %");
            }
        };
        let facts = write(&path, &uuid, &grids, &settings, format, progress, &|| false)
            .map_err(Failure::failed)?;
        files.push(facts_json(&path, &settings, &facts));
    }
    print(&json!({ "files": files }))
}

/// The forms of the layers that are asked for.
fn components<'a>(
    a: &VolumeArguments,
    sky: &Sky,
    scene: &'a Scene,
) -> Result<Vec<&'a CloudComponent>, Failure> {
    for id in &a.layer {
        if !sky.clouds.iter().any(|layer| layer.id == *id) {
            let known: Vec<&str> = sky.clouds.iter().map(|layer| layer.id.as_str()).collect();
            return Err(Failure::Input(format!("--layer: {id} is none of {}", known.join(", "))));
        }
    }
    let is_asked = |c: &&CloudComponent| a.layer.is_empty() || a.layer.contains(&sky.clouds[c.layer].id);
    let chosen: Vec<&CloudComponent> = scene.clouds.iter().filter(is_asked).collect();
    if chosen.is_empty() {
        return Err(Failure::Input("clouds: there are none to write, or they are muted".into()));
    }
    Ok(chosen)
}

fn settings(a: &VolumeArguments, chosen: &[&CloudComponent], voxel_m: f64) -> VolumeSettings {
    let base = chosen.iter().map(|c| f64::from(c.form.0.base)).fold(f64::MAX, f64::min);
    let top = chosen.iter().map(|c| f64::from(c.form.0.base + c.form.0.depth)).fold(0.0, f64::max);
    let margin = MARGIN_VOXELS * voxel_m;
    let half = 500.0 * a.extent;
    let region = VolumeRegion {
        west_m: a.east * 1e3 - half,
        east_m: a.east * 1e3 + half,
        south_m: a.north * 1e3 - half,
        north_m: a.north * 1e3 + half,
        low_m: a.low.unwrap_or((base - margin).max(0.0)),
        high_m: a.high.unwrap_or(top + margin),
    };
    VolumeSettings { region, voxel_m }
}

fn grids<'a>(a: &VolumeArguments, sky: &Sky, chosen: &[&'a CloudComponent]) -> Vec<VolumeGrid<'a>> {
    let forms_of = |layer: Option<usize>| {
        chosen.iter().filter(|c| layer.is_none_or(|l| c.layer == l)).map(|c| &c.form.0).collect()
    };
    let metadata = |of: &CloudComponent| {
        vec![
            ("droplet_um".to_string(), MetaValue::Double(sky.clouds[of.layer].droplet_um)),
            ("phase_asymmetry".into(), MetaValue::Double(of.phase.asymmetry[1])),
            ("single_scattering_albedo".into(), MetaValue::Double(1.0)),
        ]
    };
    if !a.split {
        let name = "density".to_string();
        return vec![VolumeGrid { name, forms: forms_of(None), metadata: metadata(chosen[0]) }];
    }
    let mut layers: Vec<usize> = chosen.iter().map(|c| c.layer).collect();
    layers.sort_unstable();
    layers.dedup();
    let grid = |layer: usize| {
        let first = chosen.iter().find(|c| c.layer == layer).expect("it was collected from these");
        let name = format!("density_{}", sky.clouds[layer].id);
        VolumeGrid { name, forms: forms_of(Some(layer)), metadata: metadata(first) }
    };
    layers.into_iter().map(grid).collect()
}

/// The first file has the name given, the others say how coarse they are.
fn path_of(out: &Path, level: u32) -> PathBuf {
    if level == 0 {
        return out.to_owned();
    }
    let stem = out.file_stem().unwrap_or_default().to_string_lossy();
    out.with_file_name(format!("{stem}-{}.vdb", 1 << level))
}

/// The same sky and settings have the same name.
fn uuid_of(sky: &Sky, settings: &VolumeSettings, format: VolumeFormat) -> String {
    let text = json!([sky, settings, format.half, format.z_up]).to_string();
    let hash = tenter_sky::document::hash::of(&text);
    let hex = &hash[..32];
    format!("{}-{}-{}-{}-{}", &hex[..8], &hex[8..12], &hex[12..16], &hex[16..20], &hex[20..])
}

fn facts_json(path: &Path, settings: &VolumeSettings, facts: &VolumeFacts) -> serde_json::Value {
    let grids: Vec<_> = facts
        .grids
        .iter()
        .map(|g| {
            json!({
                "name": g.name, "extinction_per_m": g.extinction_per_m,
                "active_voxels": g.active_voxels, "leaves": g.leaves,
            })
        })
        .collect();
    json!({
        "file": path, "voxel_m": settings.voxel_m, "voxels": settings.voxels(), "bytes": facts.bytes,
        "grids": grids,
    })
}
