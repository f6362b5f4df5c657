//! What a bake makes, and how it is cut into pieces: without queue, database or network.
//!
//! A [`Job`] is a sky and settings. Its pieces can be made in any order, on any machine, each with nothing
//! but the job; when all are there it writes its files from them, from their beginning to their end. The same
//! job makes the same files to the last bit. [`run_here`] does all of it in one process.

pub mod estimate;
pub mod file_kind;
pub mod inspect;
pub mod job;
pub mod light;
mod local;
pub mod map;
pub mod package;
mod parts;
pub mod picture;
pub mod plan;
pub mod settings;
pub mod volume;

pub use file_kind::FileKind;
pub use job::{BakeError, FileSink, FileStore, Finished, Job, Piece, PieceSource, Result};
pub use local::run_here;
pub use settings::BakeSettings;

use std::sync::Arc;
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;

/// The job of checked and resolved settings ([`BakeSettings::resolve`]).
pub fn prepare(
    sky: &Sky,
    settings: &BakeSettings,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Arc<dyn Job>> {
    Ok(match settings {
        BakeSettings::Map(s) if s.layers.is_some() => {
            Arc::new(map::LayeredMapJob::new(sky, s, scene_cache, cancelled)?)
        }
        BakeSettings::Map(s) => Arc::new(map::MapJob::new(sky, s, scene_cache, cancelled)?),
        BakeSettings::Picture(s) => Arc::new(picture::PictureJob::new(sky, s, scene_cache, cancelled)?),
        BakeSettings::Volume(s) => Arc::new(volume::VolumeJob::new(sky, s, scene_cache, cancelled)?),
        BakeSettings::Light(s) => Arc::new(light::LightJob::new(sky, s, scene_cache, cancelled)?),
        BakeSettings::Package(s) => Arc::new(package::PackageJob::new(sky, s, scene_cache, cancelled)?),
        BakeSettings::Shadow(s) => Arc::new(plan::PlanJob::shadow(sky, s, scene_cache, cancelled)?),
        BakeSettings::Cover(s) => Arc::new(plan::PlanJob::cover(sky, s, scene_cache, cancelled)?),
    })
}
