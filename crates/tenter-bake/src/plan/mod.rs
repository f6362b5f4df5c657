//! Plans of clouds over level ground: their shadow, and what is seen of them from above. OpenEXR, float.

mod settings;

pub(crate) use settings::check_plan;
pub use settings::{CoverBake, ShadowBake};

use crate::job::{BakeError, FileStore, Finished, Job, Piece, PieceSource, Result, put, read_facts};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::io::Write;
use tenter_formats::exr_scanlines::{BLOCK_ROWS, Channel, Depth, Header, block_head, blocks_of};
use tenter_formats::png;
use tenter_render::air::TableQuality;
use tenter_render::plan::{CoverRow, PlanSettings, cover_row, shadow_row};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::{PlacedLight, Scene, placed_lights};
use tenter_sky::camera::angles_of;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::luminance;

/// Pixels in a piece, about.
const PIECE_PIXELS: usize = 262_144;
/// Columns of the small picture, at most.
const THUMBNAIL_WIDTH: usize = 256;

#[derive(Clone, Copy, PartialEq)]
enum Subject {
    Shadow { light: usize },
    Cover,
}

/// A plan that is baked.
pub struct PlanJob {
    plan: PlanSettings,
    subject: Subject,
    scene: Scene,
    document_hash: String,
    name: String,
}

#[derive(Serialize, Deserialize)]
struct PieceFacts {
    /// Bytes of each block, then of the thumbnail's rows.
    lengths: Vec<usize>,
    thumbnail: usize,
    sum: f64,
    largest: f64,
}

pub fn pieces(plan: &PlanSettings) -> usize {
    plan.width.div_ceil(rows_per_piece(plan))
}

fn rows_per_piece(plan: &PlanSettings) -> usize {
    (PIECE_PIXELS / plan.width).next_multiple_of(BLOCK_ROWS).max(BLOCK_ROWS)
}

/// Refuses lights that are not there or cast no shadow.
pub fn check_light(sky: &Sky, light: usize) -> Result<()> {
    let lights = placed_lights(sky);
    let fail = |message: String| Err(BakeError::input("settings.light", message));
    match lights.get(light) {
        None => fail(format!("{light}: there are {} lights, from 0", lights.len())),
        Some(PlacedLight { in_sky, .. }) => {
            let elevation = in_sky.direction[2].asin().to_degrees();
            if elevation <= 0.0 {
                return fail(format!("{light} stands {:.1} degrees under the horizon", -elevation));
            }
            Ok(())
        }
    }
}

impl PlanJob {
    pub fn shadow(
        sky: &Sky,
        settings: &ShadowBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<PlanJob> {
        check_light(sky, settings.light)?;
        let subject = Subject::Shadow { light: settings.light };
        PlanJob::new(sky, settings.shadow, subject, "shadow.exr", scene_cache, cancelled)
    }

    pub fn cover(
        sky: &Sky,
        settings: &CoverBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<PlanJob> {
        PlanJob::new(sky, settings.cover, Subject::Cover, "cover.exr", scene_cache, cancelled)
    }

    fn new(
        sky: &Sky,
        plan: PlanSettings,
        subject: Subject,
        name: &str,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<PlanJob> {
        let scene = scene_cache.scene(sky, TableQuality::Full, cancelled)?;
        Ok(PlanJob { plan, subject, scene, document_hash: sky.content_hash(), name: name.into() })
    }

    /// The same under another name.
    pub fn named(self, name: &str) -> PlanJob {
        PlanJob { name: name.into(), ..self }
    }

    fn channels(&self) -> Vec<Channel> {
        let names: &[&str] = match self.subject {
            Subject::Shadow { .. } => &["Y"],
            Subject::Cover => &["thickness", "top"],
        };
        names.iter().map(|name| Channel { name, depth: Depth::Float }).collect()
    }

    fn step(&self) -> usize {
        self.plan.width.div_ceil(THUMBNAIL_WIDTH)
    }

    /// How light a pixel is in the small picture, 0 to 1.
    fn shade(&self, value: f32) -> f32 {
        match self.subject {
            Subject::Shadow { .. } => value,
            Subject::Cover => 1.0 - (-0.15 * value).exp(),
        }
    }

    fn header(&self) -> Header {
        let plan = &self.plan;
        let mut header = Header::with_channels(plan.width, plan.width, &self.channels());
        header.add_text("tenter:document", &self.document_hash);
        let projection = "orthographic plan: first row north, first column west, samples at pixel centres";
        header.add_text("tenter:projection", projection);
        header.add_float("tenter:eastMetres", plan.east_m);
        header.add_float("tenter:northMetres", plan.north_m);
        header.add_float("tenter:extentMetres", plan.extent_m);
        header.add_float("tenter:pixelMetres", plan.pixel_m());
        match self.subject {
            Subject::Shadow { light } => {
                let d = self.scene.lights[light].direction();
                header.add_text("tenter:value", "transmittance of clouds toward the light");
                header.add_vector("tenter:lightDirection", [-d[0], d[2], d[1]].map(|v| v as f32));
                let clear = luminance(self.scene.lights[light].clear(0.0));
                header.add_float("tenter:clearIlluminance", clear.into());
            }
            Subject::Cover => {
                let value =
                    "thickness: optical thickness; top: altitude in m where the depth from above is 0.1";
                header.add_text("tenter:value", value);
            }
        }
        header
    }
}

impl Job for PlanJob {
    fn pieces(&self) -> usize {
        pieces(&self.plan)
    }

    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece> {
        let (width, each) = (self.plan.width, rows_per_piece(&self.plan));
        let rows: Vec<usize> = (piece * each..((piece + 1) * each).min(width)).collect();
        let of_row = |row: &usize| {
            if cancelled() {
                return Vec::new();
            }
            match self.subject {
                Subject::Shadow { light } => vec![shadow_row(&self.scene, light, &self.plan, *row)],
                Subject::Cover => {
                    let CoverRow { thickness, top_m } = cover_row(&self.scene, &self.plan, *row);
                    vec![thickness, top_m]
                }
            }
        };
        let values: Vec<Vec<Vec<f32>>> = rows.par_iter().map(of_row).collect();
        if cancelled() {
            return Err(BakeError::Cancelled);
        }
        let blocks = blocks_of(&self.channels(), rows.len() * width, width, &|channel, i| {
            values[i / width][channel][i % width]
        });
        let first = || values.iter().flat_map(|row| &row[0]).map(|v| f64::from(*v));
        let mut facts = PieceFacts {
            lengths: blocks.iter().map(Vec::len).collect(),
            thumbnail: 0,
            sum: first().sum(),
            largest: first().fold(0.0, f64::max),
        };
        let mut content = blocks.concat();
        let step = self.step();
        for (row, values) in rows.iter().zip(&values).filter(|(row, _)| row.is_multiple_of(step)) {
            let _ = row;
            let small = values[0].chunks_exact(step).map(|c| c.iter().sum::<f32>() / step as f32);
            let small: Vec<u8> = small.flat_map(|v| self.shade(v).to_le_bytes()).collect();
            facts.thumbnail += small.len();
            content.extend(small);
        }
        Ok(Piece::new(&facts, content))
    }

    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        _cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished> {
        let facts: Vec<PieceFacts> = read_facts(pieces)?;
        let lengths: Vec<usize> = facts.iter().flat_map(|f| f.lengths.iter().copied()).collect();
        let begin = self.header().begin(&lengths);
        let mut bytes = begin.len();
        let mut file = files.create(&self.name)?;
        file.write_all(&begin)?;
        let (mut block, mut small) = (0, Vec::new());
        for (piece, of) in facts.iter().enumerate() {
            let content = pieces.content(piece)?;
            if content.len() != of.lengths.iter().sum::<usize>() + of.thumbnail {
                return Err(BakeError::damaged(piece, "its length is another"));
            }
            let mut at = 0;
            for length in &of.lengths {
                file.write_all(&block_head(block, *length))?;
                file.write_all(&content[at..at + length])?;
                (at, block, bytes) = (at + length, block + 1, bytes + 8 + length);
            }
            small.extend(content[at..].chunks_exact(4).map(|c| f32::from_le_bytes([c[0], c[1], c[2], c[3]])));
        }
        file.finish()?;
        let pixels = (self.plan.width * self.plan.width) as f64;
        let mut facts = json!({
            "plan": self.plan,
            "pixel_m": self.plan.pixel_m(),
            "mean": facts.iter().map(|f| f.sum).sum::<f64>() / pixels,
            "largest": facts.iter().map(|f| f.largest).fold(0.0, f64::max),
            "document_hash": self.document_hash,
        });
        if let Subject::Shadow { light } = self.subject {
            let of = &self.scene.lights[light];
            let (azimuth, elevation) = angles_of(of.direction());
            facts["light"] = json!({
                "number": light,
                "azimuth_deg": azimuth.to_degrees().rem_euclid(360.0),
                "elevation_deg": elevation.to_degrees(),
                "clear_lx": luminance(of.clear(0.0)),
            });
        }
        let sidecar = format!("{}.json", self.name);
        let text = serde_json::to_vec_pretty(&facts).expect("facts are plain data");
        let bytes = bytes as u64 + put(files, &sidecar, &text)?;
        let columns = self.plan.width / self.step();
        let grey: Vec<u8> =
            small.iter().map(|v| (v.clamp(0.0, 1.0).powf(1.0 / 2.2) * 255.0 + 0.5) as u8).collect();
        let thumbnail = png::encode_grey(&grey, columns, grey.len() / columns.max(1));
        Ok(Finished { files: vec![self.name.clone(), sidecar], facts, thumbnail: Some(thumbnail), bytes })
    }
}
