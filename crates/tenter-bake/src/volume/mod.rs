//! Clouds as OpenVDB volumes, one file for each voxel size.

mod choice;
mod encode;

pub use choice::{VolumeBake, VolumeChoice, VolumeGuess};

use crate::job::{BakeError, FileStore, Finished, Job, Piece, PieceSource, Result, read_facts};
use choice::Grid;
use encode::{PieceFacts, grid_settings, sample};
use serde_json::json;
use std::io::Write;
use tenter_formats::vdb::{self, LeafHead, MetaValue};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_render::volume::{CloudBody, VolumeSettings};
use tenter_sky::document::{Sky, hash_of};

/// A volume that is baked.
pub struct VolumeJob {
    choice: VolumeChoice,
    scene: Scene,
    grids: Vec<Grid>,
    /// What is kept of the clouds, where one alone was chosen.
    body: Option<CloudBody>,
    levels: Vec<VolumeSettings>,
    uuid: String,
    name: String,
    document_hash: String,
}

/// What a piece holds: some nodes of one grid of one file.
struct Part {
    level: usize,
    grid: usize,
    nodes: std::ops::Range<usize>,
}

impl VolumeJob {
    pub fn new(
        sky: &Sky,
        settings: &VolumeBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<VolumeJob> {
        VolumeJob::of(sky, &settings.volume, scene_cache, cancelled)
    }

    /// Of resolved settings.
    pub(crate) fn of(
        sky: &Sky,
        choice: &VolumeChoice,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<VolumeJob> {
        let choice = choice.clone();
        let scene = choice::scene(sky, scene_cache, cancelled)?;
        let chosen = choice.components(sky, &scene)?;
        let body = choice.body(&scene, &chosen)?;
        Ok(VolumeJob {
            grids: choice.grids(sky, &scene, &chosen),
            body,
            levels: choice.levels()?,
            uuid: uuid_of(sky, &choice),
            name: "clouds".into(),
            document_hash: sky.content_hash(),
            choice,
            scene,
        })
    }

    /// The same under another name, without its ending.
    pub fn named(self, name: &str) -> VolumeJob {
        VolumeJob { name: name.into(), ..self }
    }

    fn part(&self, piece: usize) -> Part {
        let mut left = piece;
        for (level, settings) in self.levels.iter().enumerate() {
            let (each, count) = choice::pieces_of(settings);
            if left < count * self.grids.len() {
                let nodes = left % count * each..(left % count + 1) * each;
                return Part { level, grid: left / count, nodes };
            }
            left -= count * self.grids.len();
        }
        unreachable!("a piece past the last")
    }

    /// The first file has the name alone, the others say how much coarser they are.
    fn file_name(&self, level: usize) -> String {
        if level == 0 { format!("{}.vdb", self.name) } else { format!("{}-{}.vdb", self.name, 1 << level) }
    }
}

impl Job for VolumeJob {
    fn pieces(&self) -> usize {
        self.choice.pieces()
    }

    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece> {
        let Part { level, grid, nodes } = self.part(piece);
        let settings = &self.levels[level];
        let all = settings.nodes();
        let (mut heads, mut values) = (Vec::new(), Vec::new());
        let mut count = 0;
        for node in &all[nodes.start.min(all.len())..nodes.end.min(all.len())] {
            if cancelled() {
                return Err(BakeError::Cancelled);
            }
            let leaves =
                sample(&self.scene, &self.grids[grid], self.body.as_ref(), settings, self.choice.half, *node);
            for leaf in leaves {
                heads.extend(leaf.head.to_bytes());
                values.extend(leaf.values);
                count += 1;
            }
        }
        let facts = PieceFacts { leaves: count, values: values.len() };
        heads.extend(values);
        Ok(Piece::new(&facts, heads))
    }

    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished> {
        let facts: Vec<PieceFacts> = read_facts(pieces)?;
        let (mut names, mut made, mut bytes) = (Vec::new(), Vec::new(), 0);
        let mut first = 0;
        for (level, settings) in self.levels.iter().enumerate() {
            let name = self.file_name(level);
            let mut file = files.create(&name)?;
            let software = MetaValue::Text(tenter_formats::software().into());
            let mut metadata = vec![("creator".to_string(), software)];
            metadata.push(("tenter_document".into(), MetaValue::Text(self.document_hash.clone())));
            let head = vdb::file_head(&self.uuid, &metadata, self.grids.len());
            file.write_all(&head)?;
            let mut at = head.len() as u64;
            let (_, count) = choice::pieces_of(settings);
            let mut of_grids = Vec::new();
            for grid in &self.grids {
                let mine = first..first + count;
                let mut topology = vdb::Grid::new(grid_settings(grid, settings, &self.choice));
                for piece in mine.clone() {
                    let content = pieces.content(piece)?;
                    facts[piece].check(&content).map_err(|why| BakeError::damaged(piece, why))?;
                    for bytes in content[..facts[piece].leaves * LeafHead::BYTES].as_chunks().0 {
                        topology.push(&LeafHead::from_bytes(bytes));
                    }
                }
                let (head, end) = topology.head(at);
                file.write_all(&head)?;
                for piece in mine {
                    if cancelled() {
                        return Err(BakeError::Cancelled);
                    }
                    let content = pieces.content(piece)?;
                    file.write_all(&content[facts[piece].leaves * LeafHead::BYTES..])?;
                }
                at = end;
                first += count;
                of_grids.push(json!({
                    "name": grid.name, "extinction_per_m": grid.extinction_per_m(),
                    "active_voxels": topology.active(), "leaves": topology.leaves(),
                }));
            }
            file.finish()?;
            bytes += at;
            made.push(json!({
                "file": name, "voxel_m": settings.voxel_m, "voxels": settings.voxels(), "bytes": at,
                "region": settings.region, "grids": of_grids,
            }));
            names.push(name);
        }
        let facts = json!({ "files": made, "document_hash": self.document_hash });
        Ok(Finished { files: names, facts, thumbnail: None, bytes })
    }
}

/// The same sky and settings have the same name.
fn uuid_of(sky: &Sky, choice: &VolumeChoice) -> String {
    let hash = hash_of(&(sky, choice));
    let hex = &hash[..32];
    format!("{}-{}-{}-{}-{}", &hex[..8], &hex[8..12], &hex[12..16], &hex[16..20], &hex[20..])
}
