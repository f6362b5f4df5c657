//! Environment maps: rows as they stand in the file, already compressed, so that putting the file together is
//! no more than copying.

mod assemble;
mod layered;
mod piece;
mod settings;
mod star_list;

use crate::file_kind::FileKind;
use crate::job::{BakeError, FileStore, Finished, Job, Piece, PieceSource, Result};
use tenter_formats::exr_map::fits_half;
use tenter_render::picture::{MapRender, MapSums};
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;

pub(crate) use assemble::write_png;
pub use layered::LayeredMapJob;
pub(crate) use piece::read_thumbnail;
pub use piece::thumbnail_step;
pub use settings::MapBake;

/// A map that is baked.
pub struct MapJob {
    settings: MapBake,
    render: MapRender,
    /// The file's name, and before it the folder's.
    name: String,
}

impl MapJob {
    pub fn new(
        sky: &Sky,
        settings: &MapBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<MapJob> {
        let name = format!("sky-{}.{}", settings.map.width, settings.file.ending());
        Ok(MapJob::of(MapRender::new(sky, &settings.map, scene_cache, cancelled)?, settings, name))
    }

    /// The same of a prepared map, and under another name.
    pub fn of(render: MapRender, settings: &MapBake, name: String) -> MapJob {
        MapJob { settings: settings.clone(), render, name }
    }
}

impl Job for MapJob {
    fn pieces(&self) -> usize {
        self.settings.pieces()
    }

    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece> {
        let (mut pixels, mut sums) = (Vec::new(), MapSums::default());
        for band in self.settings.bands_of(piece) {
            let (values, of_band) = self.render.band(band, cancelled)?;
            pixels.extend(values);
            sums.add(&of_band);
        }
        let face =
            self.settings.bands_of(piece).start * tenter_render::picture::BAND_ROWS / self.settings.map.width;
        let (facts, content) = piece::encode(&self.render, self.settings.file, face, &pixels, sums)?;
        Ok(Piece::new(&facts, content))
    }

    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        _cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished> {
        assemble::assemble(self, pieces, files)
    }
}

/// Refuses half values for a map that they can't hold, as far as its lights tell.
pub fn check_half(
    sky: &Sky,
    settings: &MapBake,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<()> {
    if !matches!(settings.file, FileKind::ExrHalf | FileKind::Ktx2Half) {
        return Ok(());
    }
    let map = MapRender::draft(sky, &settings.map, scene_cache, cancelled)?;
    match map.brightest_near_lights(cancelled)? {
        Some(brightest) => {
            fits_half(&brightest).map_err(|e| BakeError::input("settings.file", e.to_string()))
        }
        None => Ok(()),
    }
}
