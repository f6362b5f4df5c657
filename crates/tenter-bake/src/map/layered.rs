//! A map in layers: one OpenEXR file of several parts.

use super::MapBake;
use super::star_list::put_stars;
use crate::file_kind::LayerSplit;
use crate::job::{FileStore, Finished, Job, Piece, PieceSource, Result, put, read_facts};
use crate::parts::{self, Part, PartFacts, depth_of, how_to_compose, layer_parts};
use serde::{Deserialize, Serialize};
use tenter_formats::exr_map::add_map_facts;
use tenter_formats::png;
use tenter_render::picture::{LayerScenes, Layout, MapRender, MapSums};
use tenter_render::prepare::SceneCache;
use tenter_sky::develop::Development;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::Rgb;

use super::piece::{read_thumbnail, thumbnail_rows, thumbnail_step};

/// A map in layers that is baked.
pub struct LayeredMapJob {
    settings: MapBake,
    render: MapRender,
    scenes: LayerScenes,
    parts: Vec<Part>,
    name: String,
}

#[derive(Serialize, Deserialize)]
struct PieceFacts {
    sums: MapSums,
    parts: PartFacts,
    thumbnail: usize,
}

impl LayeredMapJob {
    pub fn new(
        sky: &Sky,
        settings: &MapBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<LayeredMapJob> {
        let name = format!("sky-{}-layers.exr", settings.map.width);
        Ok(LayeredMapJob::of(MapRender::new(sky, &settings.map, scene_cache, cancelled)?, settings, name))
    }

    /// The same of a prepared map, and under another name.
    pub fn of(render: MapRender, settings: &MapBake, name: String) -> LayeredMapJob {
        let scenes = render.layer_scenes(settings.layers == Some(LayerSplit::Each));
        let parts = layer_parts(&group_names(&scenes));
        LayeredMapJob { settings: settings.clone(), render, scenes, parts, name }
    }

    fn step(&self) -> usize {
        thumbnail_step(self.settings.map.width, self.settings.map.layout == Layout::Cube)
    }
}

fn group_names(scenes: &LayerScenes) -> Vec<String> {
    scenes.groups.iter().map(|g| g.name.clone()).collect()
}

impl Job for LayeredMapJob {
    fn pieces(&self) -> usize {
        self.settings.pieces()
    }

    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece> {
        let width = self.settings.map.width;
        let mut sums = MapSums::default();
        // Channels of all parts, by part.
        let mut planes: Vec<Vec<Vec<f32>>> =
            self.parts.iter().map(|part| vec![Vec::new(); part.channels.len()]).collect();
        let mut whole: Vec<Rgb> = Vec::new();
        for band in self.settings.bands_of(piece) {
            let (layers, lights, of_band) = self.render.layered_band(&self.scenes, band, cancelled)?;
            sums.add(&of_band);
            let air = self.render.air_transmittance(band);
            for i in 0..layers.flat.len() {
                let rgb = |planes: &mut [Vec<f32>], v: Rgb| (0..3).for_each(|c| planes[c].push(v[2 - c]));
                let rgba = |planes: &mut [Vec<f32>], v: [f32; 4]| {
                    planes[0].push(v[3]);
                    (0..3).for_each(|c| planes[1 + c].push(v[2 - c]));
                };
                rgb(&mut planes[0], layers.sky[i]);
                rgba(&mut planes[1], layers.land[i]);
                for (k, layer) in layers.clouds.iter().rev().enumerate() {
                    rgba(&mut planes[2 + k], layer[i]);
                }
                let after = 2 + layers.clouds.len();
                rgb(&mut planes[after], lights[i]);
                rgb(&mut planes[after + 1], air[i].map(|v| v * layers.transmittance[i]));
                planes[after + 2][0].push(layers.distance[i]);
                whole.push(std::array::from_fn(|c| layers.flat[i][c] + lights[i][c]));
            }
        }
        let (facts, mut content) =
            parts::encode(&self.parts, self.settings.file, whole.len(), width, &|part, c, i| {
                planes[part][c][i]
            })?;
        let small = thumbnail_rows(&whole, width, self.step(), self.render.unit() as f32);
        let small: Vec<u8> = small.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        content.extend(&small);
        let facts = PieceFacts { sums, parts: facts, thumbnail: small.len() };
        Ok(Piece::new(&facts, content))
    }

    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        _cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished> {
        let facts: Vec<PieceFacts> = read_facts(pieces)?;
        let mut sums = MapSums::default();
        facts.iter().for_each(|f| sums.add(&f.sums));
        let map = self.render.facts(&sums);
        let names = group_names(&self.scenes);
        let compose = how_to_compose(&names);
        let of_parts: Vec<PartFacts> = facts.iter().map(|f| f.parts.clone()).collect();
        let describe = |header: &mut tenter_formats::exr_scanlines::Header| {
            add_map_facts(header, &map);
            header.add_text("tenter:compose", &compose);
        };
        let size = [map.width, map.height];
        let bytes = parts::write(files, &self.name, &self.parts, size, &of_parts, pieces, &describe)?;
        let mut small = Vec::new();
        for (piece, of) in facts.iter().enumerate() {
            let content = pieces.content(piece)?;
            small.extend(read_thumbnail(&content[content.len() - of.thumbnail..]));
        }
        let mut sidecar = serde_json::to_value(&map).expect("facts are plain data");
        sidecar["values"] = depth_of(&of_parts).name().into();
        sidecar["parts"] = self.parts.iter().map(|p| p.name.clone()).collect::<Vec<_>>().into();
        sidecar["compose"] = compose.into();
        let text = serde_json::to_vec_pretty(&sidecar).expect("facts are plain data");
        let sidecar_name = format!("{}.json", self.name);
        let bytes = bytes + put(files, &sidecar_name, &text)?;
        let stars = put_stars(&self.render, &self.name, files)?;
        sidecar.as_object_mut().expect("facts are an object").remove("document");
        let columns = self.settings.map.width / self.step();
        let development = Development::new(&self.render.grade());
        Ok(Finished {
            files: [self.name.clone(), sidecar_name].into_iter().chain(stars.name).collect(),
            facts: sidecar,
            thumbnail: Some(png::encode(&small, columns, small.len() / columns, &development)),
            bytes: bytes + stars.bytes,
        })
    }
}
