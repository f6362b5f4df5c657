//! `tenter package` and `tenter light-kit`: what lights a scene, tied together.

use crate::ask::{print, read_sky, within};
use crate::make::{of_bake, tell_tenths};
use crate::{Failure, Outcome};
use clap::Args;
use std::path::PathBuf;
use tenter_bake::light::{LightBake, LightChoice};
use tenter_bake::package::{PackageBake, PackageChoice};
use tenter_bake::volume::VolumeChoice;
use tenter_bake::{BakeSettings, prepare, run_here};
use tenter_render::picture::NOISE_PERCENT;
use tenter_render::prepare::SceneCache;

/// Half the width of the square whose clouds go into a package, m, and most voxels of them.
const VOLUME_REACH_M: f64 = 5000.0;
const VOLUME_VOXELS: f64 = 20e6;

#[derive(Args)]
pub struct PackageArguments {
    sky: PathBuf,
    /// The folder; it is made if it is not there.
    #[arg(long, value_name = "DIR")]
    out: PathBuf,
    /// A zip of the folder as well.
    #[arg(long, value_name = "F.zip")]
    zip: Option<PathBuf>,
    /// Width of the map, pixels.
    #[arg(long, default_value_t = 2048)]
    width: usize,
    /// Most noise that may be left in the map, percent.
    #[arg(long, value_name = "PCT")]
    noise: Option<f64>,
    /// Clouds within 5 km as volumes, with at most 20 million voxels.
    #[arg(long)]
    volumes: bool,
}

#[derive(Args)]
pub struct LightKitArguments {
    sky: PathBuf,
    /// The folder; it is made if it is not there.
    #[arg(long, value_name = "DIR")]
    out: PathBuf,
    /// Width of the sharpest reflections' faces, pixels; a power of two.
    #[arg(long, default_value_t = 256)]
    width: usize,
}

pub fn package(a: PackageArguments) -> Outcome {
    if let Some(percent) = a.noise {
        within("noise", percent, *NOISE_PERCENT.start(), *NOISE_PERCENT.end())?;
    }
    let volume = a.volumes.then(|| VolumeChoice {
        west_m: -VOLUME_REACH_M,
        east_m: VOLUME_REACH_M,
        south_m: -VOLUME_REACH_M,
        north_m: VOLUME_REACH_M,
        most_voxels: Some(VOLUME_VOXELS),
        levels: 1,
        half: true,
        ..VolumeChoice::default()
    });
    let choice =
        PackageChoice { map_width: a.width, noise_percent: a.noise, volume, ..PackageChoice::default() };
    make(&a.sky, &a.out, &BakeSettings::Package(PackageBake { package: choice }))?;
    let made = a.out.join("package.zip");
    let moved = match &a.zip {
        Some(zip) => std::fs::rename(&made, zip).or_else(|_| {
            std::fs::copy(&made, zip)?;
            std::fs::remove_file(&made)
        }),
        None => std::fs::remove_file(&made),
    };
    moved.map_err(Failure::failed)
}

pub fn light_kit(a: LightKitArguments) -> Outcome {
    let choice = LightChoice { width: a.width, ..LightChoice::default() };
    make(&a.sky, &a.out, &BakeSettings::Light(LightBake { light_kit: choice }))
}

fn make(sky: &std::path::Path, folder: &std::path::Path, settings: &BakeSettings) -> Outcome {
    settings.check().map_err(of_bake)?;
    let sky = read_sky(sky)?;
    let (scene_cache, to_the_end) = (SceneCache::default(), || false);
    let settings = settings.resolve(&sky, &scene_cache, &to_the_end).map_err(of_bake)?;
    let job = prepare(&sky, &settings, &scene_cache, &to_the_end).map_err(of_bake)?;
    print(&run_here(&*job, folder, tell_tenths(), &to_the_end).map_err(of_bake)?.facts)
}
