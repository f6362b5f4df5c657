//! `tenter volume`: clouds as OpenVDB files.

use crate::ask::{print, read_sky};
use crate::make::{folder_and_name, of_bake, tell_tenths};
use crate::{Failure, Outcome};
use clap::Args;
use serde_json::json;
use std::path::PathBuf;
use tenter_bake::run_here;
use tenter_bake::volume::{VolumeBake, VolumeChoice, VolumeJob};
use tenter_render::prepare::SceneCache;

#[derive(Args)]
pub struct VolumeArguments {
    sky: PathBuf,
    /// Id of a layer; may be given several times. All layers without it.
    #[arg(long)]
    layer: Vec<String>,
    /// Width of a voxel, m.
    #[arg(long, value_name = "M", required_unless_present = "most_voxels")]
    voxel: Option<f64>,
    /// Most voxels of the box, in place of their width.
    #[arg(long, value_name = "N", conflicts_with = "voxel")]
    most_voxels: Option<f64>,
    /// Width of the square on the plan, km.
    #[arg(long, value_name = "KM", required_unless_present = "cloud_at")]
    extent: Option<f64>,
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
    /// One cloud alone, by a point on it: metres east and north of the origin, and altitude.
    #[arg(long, value_name = "E,N,M", allow_hyphen_values = true, value_parser = parse_point,
        conflicts_with_all = ["extent", "low", "high"])]
    cloud_at: Option<[f64; 3]>,
    /// Files of this many voxel sizes, each twice as wide as the one before: whole, half, quarter.
    #[arg(long, default_value_t = 1)]
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
    /// A further grid: the share of the brightest light that arrives at each voxel, unscattered.
    #[arg(long)]
    sunlight: bool,
    /// Say what it would be, and write nothing.
    #[arg(long)]
    estimate: bool,
    /// Ends in .vdb.
    #[arg(long)]
    out: PathBuf,
}

fn parse_point(text: &str) -> Result<[f64; 3], String> {
    let parts: Option<Vec<f64>> = text.split(',').map(|v| v.trim().parse().ok()).collect();
    match parts.as_deref() {
        Some([east, north, altitude]) => Ok([*east, *north, *altitude]),
        _ => Err("should be three numbers with commas between".into()),
    }
}

pub fn volume(a: VolumeArguments) -> Outcome {
    if a.out.extension().is_none_or(|e| e != "vdb") {
        return Err(Failure::Input(format!("--out: {} should end in .vdb", a.out.display())));
    }
    let (folder, name) = folder_and_name(&a.out)?;
    let half = 500.0 * a.extent.unwrap_or(0.0);
    let choice = VolumeChoice {
        layers: a.layer,
        cloud_at: a.cloud_at,
        west_m: a.east * 1e3 - half,
        east_m: a.east * 1e3 + half,
        south_m: a.north * 1e3 - half,
        north_m: a.north * 1e3 + half,
        low_m: a.low,
        high_m: a.high,
        voxel_m: a.voxel,
        most_voxels: a.most_voxels,
        levels: a.levels,
        split: a.split,
        half: a.half,
        z_up: a.z_up,
        sunlight: a.sunlight,
    };
    let bake = VolumeBake { volume: choice };
    bake.check().map_err(of_bake)?;
    let sky = read_sky(&a.sky)?;
    let (scene_cache, to_the_end) = (SceneCache::default(), || false);
    let bake = bake.resolve(&sky, &scene_cache, &to_the_end).map_err(of_bake)?;
    if a.estimate {
        let guesses = bake.volume.guess(&sky, &scene_cache, &to_the_end).map_err(of_bake)?;
        return print(&json!({ "files": guesses, "settings": bake }));
    }
    let job = VolumeJob::new(&sky, &bake, &scene_cache, &to_the_end).map_err(of_bake)?;
    let job = job.named(name.trim_end_matches(".vdb"));
    let made = run_here(&job, &folder, tell_tenths(), &to_the_end).map_err(of_bake)?;
    print(&made.facts)
}
