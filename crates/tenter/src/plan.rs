//! `tenter shadow` and `tenter cover`: plans of clouds over level ground.

use crate::ask::{print, read_sky};
use crate::make::{folder_and_name, of_bake, tell_tenths};
use crate::{Failure, Outcome};
use clap::Args;
use std::path::PathBuf;
use tenter_bake::plan::PlanJob;
use tenter_bake::plan::{CoverBake, ShadowBake};
use tenter_bake::{BakeSettings, run_here};
use tenter_render::plan::PlanSettings;
use tenter_render::prepare::SceneCache;

#[derive(Args)]
struct PlanArguments {
    sky: PathBuf,
    /// Length of the square's sides, km.
    #[arg(long, value_name = "KM")]
    extent: f64,
    /// Its middle, km east and north of the origin.
    #[arg(long, value_name = "KM", default_value_t = 0.0, allow_negative_numbers = true)]
    east: f64,
    #[arg(long, value_name = "KM", default_value_t = 0.0, allow_negative_numbers = true)]
    north: f64,
    /// Pixels along each side.
    #[arg(long)]
    width: usize,
    /// Ends in .exr; a .json with what it is is put beside it.
    #[arg(long)]
    out: PathBuf,
}

#[derive(Args)]
pub struct ShadowArguments {
    /// Number of the light: suns in their order from 0, the moon last.
    #[arg(long, default_value_t = 0)]
    light: usize,
    #[command(flatten)]
    plan: PlanArguments,
}

#[derive(Args)]
pub struct CoverArguments {
    #[command(flatten)]
    plan: PlanArguments,
}

impl PlanArguments {
    fn settings(&self) -> PlanSettings {
        PlanSettings {
            east_m: self.east * 1e3,
            north_m: self.north * 1e3,
            extent_m: self.extent * 1e3,
            width: self.width,
        }
    }

    fn make(&self, settings: &BakeSettings) -> Outcome {
        if self.out.extension().is_none_or(|e| e != "exr") {
            return Err(Failure::Input(format!("--out: {} should end in .exr", self.out.display())));
        }
        settings.check().map_err(of_bake)?;
        let (folder, name) = folder_and_name(&self.out)?;
        let sky = read_sky(&self.sky)?;
        let (scene_cache, to_the_end) = (SceneCache::default(), || false);
        let job = match settings {
            BakeSettings::Shadow(s) => PlanJob::shadow(&sky, s, &scene_cache, &to_the_end),
            BakeSettings::Cover(s) => PlanJob::cover(&sky, s, &scene_cache, &to_the_end),
            _ => unreachable!("only plans come here"),
        };
        let job = job.map_err(of_bake)?.named(&name);
        print(&run_here(&job, &folder, tell_tenths(), &to_the_end).map_err(of_bake)?.facts)
    }
}

pub fn shadow(a: ShadowArguments) -> Outcome {
    let settings = ShadowBake { shadow: a.plan.settings(), light: a.light };
    a.plan.make(&BakeSettings::Shadow(settings))
}

pub fn cover(a: CoverArguments) -> Outcome {
    a.plan.make(&BakeSettings::Cover(CoverBake { cover: a.plan.settings() }))
}
