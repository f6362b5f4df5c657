//! One package: a map, lights, volumes and camera tied together by a USD stage, as a folder and as archives.

mod archive;
mod stage;

use crate::file_kind::FileKind;
use crate::job::{BakeError, FileSink, FileStore, Finished, Job, Piece, PieceSource, Result, put};
use crate::map::{MapBake, MapJob};
use crate::volume::{VolumeChoice, VolumeJob};
use bytes::Bytes;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::io;
use tenter_render::picture::{MapRender, MapSettings};
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;

/// A package.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PackageBake {
    pub package: PackageChoice,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct PackageChoice {
    /// Width of the map, pixels.
    pub map_width: usize,
    pub clouds: bool,
    pub land: bool,
    pub noise_percent: Option<f64>,
    /// Clouds as volumes, if any.
    pub volume: Option<VolumeChoice>,
}

impl Default for PackageChoice {
    fn default() -> Self {
        PackageChoice { map_width: 2048, clouds: true, land: false, noise_percent: None, volume: None }
    }
}

impl PackageBake {
    /// The map: lights stand apart from it, so it has no discs.
    pub(crate) fn map(&self) -> MapBake {
        let c = &self.package;
        let map = MapSettings {
            width: c.map_width,
            sun: false,
            clouds: c.clouds,
            land: c.land,
            noise_percent: c.noise_percent,
            ..MapSettings::default()
        };
        MapBake { map, file: FileKind::Exr, mips: false, layers: None }
    }

    pub(crate) fn check(&self) -> Result<()> {
        let here = |e: BakeError| match e {
            BakeError::Input { path, message } => BakeError::Input {
                path: path
                    .replace("settings.map.width", "settings.package.map_width")
                    .replace("settings.map.", "settings.package.")
                    .replace("settings.volume.", "settings.package.volume."),
                message,
            },
            e => e,
        };
        self.map().check().map_err(here)?;
        if let Some(volume) = &self.package.volume {
            volume.check().map_err(here)?;
        }
        Ok(())
    }

    pub(crate) fn resolve(
        &self,
        sky: &Sky,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<PackageBake> {
        let volume = self.package.volume.as_ref().map(|v| v.resolve(sky, scene_cache, cancelled));
        Ok(PackageBake { package: PackageChoice { volume: volume.transpose()?, ..self.package.clone() } })
    }

    pub(crate) fn pieces(&self) -> usize {
        self.map().pieces() + self.package.volume.as_ref().map_or(0, VolumeChoice::pieces)
    }
}

/// A package that is baked.
pub struct PackageJob {
    sky: Sky,
    choice: PackageChoice,
    map: MapJob,
    volume: Option<VolumeJob>,
}

impl PackageJob {
    pub fn new(
        sky: &Sky,
        settings: &PackageBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<PackageJob> {
        let map = settings.map();
        let render = MapRender::new(sky, &map.map, scene_cache, cancelled)?;
        let name = format!("maps/sky-{}.exr", map.map.width);
        let volume = settings.package.volume.as_ref();
        let volume = volume.map(|v| VolumeJob::of(sky, v, scene_cache, cancelled)).transpose()?;
        Ok(PackageJob {
            sky: sky.clone(),
            choice: settings.package.clone(),
            map: MapJob::of(render, &map, name),
            volume: volume.map(|v| v.named("volumes/clouds")),
        })
    }
}

/// Some of the pieces, as those of a job within.
struct Within<'a> {
    all: &'a dyn PieceSource,
    from: usize,
    to: usize,
}

impl PieceSource for Within<'_> {
    fn facts(&self) -> &[Value] {
        &self.all.facts()[self.from..self.to]
    }
    fn content(&self, piece: usize) -> Result<Bytes> {
        self.all.content(self.from + piece)
    }
}

impl Within<'_> {
    /// Damage by the number that the piece has in the whole.
    fn outside(&self, e: BakeError) -> BakeError {
        match e {
            BakeError::Damaged { piece, why } if piece < self.to - self.from => {
                BakeError::Damaged { piece: self.from + piece, why }
            }
            e => e,
        }
    }
}

impl Job for PackageJob {
    fn pieces(&self) -> usize {
        self.map.pieces() + self.volume.as_ref().map_or(0, Job::pieces)
    }

    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece> {
        match (piece.checked_sub(self.map.pieces()), &self.volume) {
            (Some(piece), Some(volume)) => volume.render(piece, cancelled),
            _ => self.map.render(piece, cancelled),
        }
    }

    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished> {
        let of_map = Within { all: pieces, from: 0, to: self.map.pieces() };
        let map = self.map.assemble(&of_map, files, cancelled)?;
        let volume = match &self.volume {
            Some(volume) => {
                let mine = Within { all: pieces, from: self.map.pieces(), to: self.pieces() };
                Some(volume.assemble(&mine, files, cancelled).map_err(|e| mine.outside(e))?)
            }
            None => None,
        };
        let stage = stage::stage(&self.sky, &map, volume.as_ref(), &self.choice);
        let mut names = vec!["sky.usda".to_string(), "README.txt".into(), "frames.csv".into()];
        let mut bytes = map.bytes + volume.as_ref().map_or(0, |v| v.bytes);
        for (name, content) in names.iter().zip([
            stage.clone(),
            stage::readme(&self.sky, &map, volume.as_ref()),
            stage::frames(&self.sky),
        ]) {
            bytes += put(files, name, content.as_bytes())?;
        }
        names.extend(map.files.iter().cloned());
        names.extend(volume.iter().flat_map(|v| v.files.iter().cloned()));
        bytes += archive::zip(files, "package.zip", &names)?;
        let mut all = vec!["package.zip".to_string()];
        // Volumes may not stand in a .usdz.
        if volume.is_none() {
            bytes += archive::usdz(files, "sky.usdz", &["sky.usda".to_string(), map.files[0].clone()])?;
            all.push("sky.usdz".into());
        }
        all.extend(names);
        let facts = json!({
            "map": map.facts,
            "volume": volume.map(|v| v.facts),
            "document_hash": self.sky.content_hash(),
        });
        Ok(Finished { files: all, facts, thumbnail: map.thumbnail, bytes })
    }
}

/// Copies a temporary file into the store.
fn keep(mut file: std::fs::File, files: &dyn FileStore, name: &str) -> Result<u64> {
    use std::io::Seek;
    file.rewind()?;
    let mut sink: Box<dyn FileSink + '_> = files.create(name)?;
    let bytes = io::copy(&mut file, &mut sink)?;
    sink.finish()?;
    Ok(bytes)
}
