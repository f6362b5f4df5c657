//! What the camera sees: a picture, one without its sky, or one in layers.

use crate::job::{BakeError, FileStore, Finished, Job, Piece, PieceSource, Result, put, read_facts};
use crate::parts::{self, Part, PartFacts, RGB, RGBA, depth_of, how_to_compose, layer_parts};
mod settings;

pub use settings::{PictureBake, PictureSettings};

use crate::file_kind::{FileKind, LayerSplit};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use tenter_formats::exr_scanlines::Header;
use tenter_formats::png;
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{
    Area, Disc, LayerScenes, LayeredPicture, Picture, add_glare, add_lens, add_light, clear_share,
    corona_pixels, discs, quality_within, render_smooth, star_pixels,
};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::{Scene, grade_of};
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::document::{Eye, Grade, Sky};
use tenter_sky::spectrum::{Rgb, gamut_to_grey};

/// Columns of the small picture, at most.
const THUMBNAIL_WIDTH: usize = 512;

/// Pixels of the picture in one of its small copy, along each side.
pub(crate) fn thumbnail_step(width: usize) -> usize {
    width.div_ceil(THUMBNAIL_WIDTH)
}

/// A picture that is baked.
pub struct PictureJob {
    settings: PictureBake,
    scene: Scene,
    camera: Camera,
    quality: MarchQuality,
    noise_left: Option<f64>,
    discs: Vec<Disc>,
    eye: Eye,
    grade: Grade,
    layers: Option<LayerScenes>,
    parts: Vec<Part>,
    /// A finished picture of another integrator, discs added.
    traced: Option<Picture>,
    name: String,
    facts: Value,
}

/// Channels of a part, in the order of their names; values by pixel.
type Planes = Vec<Vec<f32>>;

#[derive(Serialize, Deserialize)]
struct PieceFacts {
    /// Rows of an OpenEXR file, or bytes of developed ones.
    parts: Option<PartFacts>,
    developed: usize,
    thumbnail: usize,
}

impl PictureJob {
    pub fn new(
        sky: &Sky,
        settings: &PictureBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<PictureJob> {
        let scene = scene_cache.scene(sky, TableQuality::Full, cancelled)?;
        let s = &settings.picture;
        let camera = Camera::lens(&sky.eye, s.width, s.height);
        let (quality, noise_left) = match s.noise_percent {
            None => (MarchQuality::default(), None),
            Some(percent) => {
                let (quality, left) = quality_within(&scene, &camera, percent, cancelled)?;
                (quality, Some(left))
            }
        };
        let layers = match (settings.layers, s.sky) {
            (Some(split), _) => Some(LayerScenes::new(sky, &scene, split == LayerSplit::Each)),
            (None, false) => Some(LayerScenes::new(sky, &scene, false)),
            (None, true) => None,
        };
        let names: Vec<String> = layers.iter().flat_map(|l| &l.groups).map(|g| g.name.clone()).collect();
        let parts = match (settings.layers, s.sky) {
            (Some(_), _) => layer_parts(&names),
            (None, sky) => {
                vec![Part { name: "picture".into(), channels: if sky { RGB } else { RGBA }, float: false }]
            }
        };
        let eye = &sky.eye;
        let mut facts = json!({
            "width": s.width, "height": s.height, "colour_space": "linear Rec.709, D65, cd/m2",
            "heading_deg": eye.heading_deg, "pitch_deg": eye.pitch_deg, "lens_mm": eye.lens_mm,
            "horizontal_field_of_view_deg": eye.horizontal_field_of_view().to_degrees(),
            "exposure_ev100": grade_of(sky).ev100, "document_hash": sky.content_hash(),
        });
        if settings.layers.is_some() {
            facts["parts"] = parts.iter().map(|p| p.name.clone()).collect::<Vec<_>>().into();
            facts["compose"] = how_to_compose(&names).into();
        }
        Ok(PictureJob {
            discs: discs(&scene, quality),
            name: format!("picture-{}.{}", s.width, settings.file.ending()),
            settings: settings.clone(),
            eye: sky.eye.clone(),
            grade: grade_of(sky),
            scene,
            camera,
            quality,
            noise_left,
            layers,
            parts,
            traced: None,
            facts,
        })
    }

    /// The same under another name.
    pub fn named(self, name: &str) -> PictureJob {
        PictureJob { name: name.into(), ..self }
    }

    /// Scene and camera, for another integrator; its picture, without discs, replaces the one of this.
    pub fn shown(&self) -> (&Scene, &Camera) {
        (&self.scene, &self.camera)
    }
    pub fn set_reference(&mut self, mut picture: Picture) {
        let whole = Area::whole(&self.camera);
        self.add_discs(&mut picture, whole);
        self.traced = Some(picture);
    }

    fn add_discs(&self, picture: &mut Picture, area: Area) {
        if let Some(night) = &self.scene.night {
            let stars = star_pixels(&night.stars, &self.camera, area, &self.scene, self.quality);
            add_light(picture, area, &stars);
            add_light(picture, area, &corona_pixels(&self.camera, area, &self.scene, self.quality));
        }
        for disc in &self.discs {
            disc.add_to(picture, &self.camera, area);
        }
        add_glare(picture, &self.camera, area, &self.discs);
    }

    fn area(&self, piece: usize) -> Area {
        let (width, height) = (self.settings.picture.width, self.settings.picture.height);
        let each = self.settings.rows_per_piece();
        let y = piece * each;
        Area { x: 0, y, width, height: each.min(height - y) }
    }

    fn flat(&self, area: Area, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Picture> {
        if let Some(whole) = &self.traced {
            return Ok(whole.rows(area.y, area.y + area.height));
        }
        let mut picture = render_smooth(&self.scene, &self.camera, area, self.quality, cancelled)?;
        self.add_discs(&mut picture, area);
        Ok(picture)
    }

    fn layered(
        &self,
        scenes: &LayerScenes,
        area: Area,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<LayeredPicture> {
        let trace = |scene: &Scene| render_smooth(scene, &self.camera, area, self.quality, cancelled);
        Ok(scenes.trace(&trace, &gamut_to_grey)?)
    }

    /// Channels of all parts of an area, by part; and the picture as it is seen.
    fn planes(&self, area: Area, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<(Vec<Planes>, Vec<Rgb>)> {
        let Some(scenes) = &self.layers else {
            let picture = self.flat(area, cancelled)?;
            let pixels: Vec<Rgb> = picture.pixels.iter().map(|p| gamut_to_grey(*p)).collect();
            let planes = (0..3).map(|c| pixels.iter().map(|p| p[2 - c]).collect()).collect();
            return Ok((vec![planes], picture.pixels));
        };
        let layers = self.layered(scenes, area, cancelled)?;
        let count = area.width * area.height;
        let rgba = |at: &dyn Fn(usize) -> [f32; 4]| -> Vec<Vec<f32>> {
            [3, 2, 1, 0].map(|c| (0..count).map(|i| at(i)[c]).collect()).into()
        };
        let rgb = |at: &dyn Fn(usize) -> Rgb| -> Vec<Vec<f32>> {
            [2, 1, 0].map(|c| (0..count).map(|i| at(i)[c]).collect()).into()
        };
        if self.settings.layers.is_none() {
            let front: Vec<[f32; 4]> = (0..count).map(|i| layers.foreground(i)).collect();
            let seen = front.iter().map(|p| [p[0], p[1], p[2]]).collect();
            return Ok((vec![rgba(&|i| front[i])], seen));
        }
        let mut lights = Picture { width: area.width, height: area.height, pixels: vec![[0.0; 3]; count] };
        self.add_discs(&mut lights, area);
        let lights: Vec<Rgb> = lights.pixels.iter().map(|p| gamut_to_grey(*p)).collect();
        let air: Vec<Rgb> = (0..count)
            .map(|i| {
                let (x, y) = ((i % area.width) as f64 + 0.5, (area.y + i / area.width) as f64 + 0.5);
                let clear = self.camera.direction(x, y).map_or([0.0; 3], |d| clear_share(&self.scene, d[2]));
                clear.map(|v| v * layers.transmittance[i])
            })
            .collect();
        let mut planes = vec![rgb(&|i| layers.sky[i]), rgba(&|i| layers.land[i])];
        planes.extend(layers.clouds.iter().rev().map(|layer| rgba(&|i| layer[i])));
        planes.push(rgb(&|i| lights[i]));
        planes.push(rgb(&|i| air[i]));
        planes.push(vec![layers.distance.clone()]);
        let seen = (0..count).map(|i| std::array::from_fn(|c| layers.flat[i][c] + lights[i][c])).collect();
        Ok((planes, seen))
    }

    fn bits(&self) -> png::Bits {
        if self.settings.file == FileKind::Png16 { png::Bits::Sixteen } else { png::Bits::Eight }
    }

    /// Display values: RGB, or RGBA with straight alpha.
    fn developed(&self, planes: &[Vec<f32>], seen: &[Rgb]) -> Vec<u8> {
        let development = Development::new(&self.grade);
        let width = self.settings.picture.width;
        if self.settings.picture.sky {
            let shown: Vec<f32> = seen.iter().flat_map(|p| development.apply(*p)).collect();
            return png::to_bytes(&shown, 3, width, self.bits());
        }
        let alpha = &planes[0];
        let straight = |i: usize| {
            let a = alpha[i].clamp(0.0, 1.0);
            let own = if a > 0.0 { seen[i].map(|v| v / a) } else { [0.0; 3] };
            let [r, g, b] = development.apply(own);
            [r, g, b, a]
        };
        let shown: Vec<f32> = (0..seen.len()).flat_map(straight).collect();
        png::to_bytes(&shown, 4, width, self.bits())
    }

    fn step(&self) -> usize {
        thumbnail_step(self.settings.picture.width)
    }
}

impl Job for PictureJob {
    fn pieces(&self) -> usize {
        self.settings.pieces()
    }

    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece> {
        let area = self.area(piece);
        let (planes, mut seen) = self.planes(area, cancelled)?;
        let (parts, mut content, developed) = if self.settings.file.is_png() {
            add_lens(&mut seen, &self.camera, area, &self.discs, &self.eye, &self.grade);
            let rows = self.developed(&planes[0], &seen);
            let length = rows.len();
            (None, rows, length)
        } else {
            let (facts, content) =
                parts::encode(&self.parts, self.settings.file, seen.len(), area.width, &|part, c, i| {
                    planes[part][c][i]
                })?;
            (Some(facts), content, 0)
        };
        let step = self.step();
        let small: Vec<u8> = (0..area.height)
            .filter(|row| (area.y + row).is_multiple_of(step))
            .flat_map(|row| (0..area.width / step).map(move |x| row * area.width + x * step))
            .flat_map(|i| seen[i])
            .flat_map(f32::to_le_bytes)
            .collect();
        content.extend(&small);
        let facts = PieceFacts { parts, developed, thumbnail: small.len() };
        Ok(Piece::new(&facts, content))
    }

    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        _cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished> {
        let of_pieces: Vec<PieceFacts> = read_facts(pieces)?;
        let (width, height) = (self.settings.picture.width, self.settings.picture.height);
        let mut facts = self.facts.clone();
        let bytes = if self.settings.file.is_png() {
            facts["values"] = if self.bits() == png::Bits::Sixteen { "rgb16" } else { "rgb8" }.into();
            self.write_png(&of_pieces, pieces, files)?
        } else {
            let parts: Vec<PartFacts> = of_pieces.iter().filter_map(|f| f.parts.clone()).collect();
            facts["values"] = depth_of(&parts).name().into();
            let describe = |header: &mut Header| {
                header.add_float("whiteLuminance", 1.0);
                header.add_text("tenter:document", facts["document_hash"].as_str().unwrap_or_default());
                if let Some(compose) = facts["compose"].as_str() {
                    header.add_text("tenter:compose", compose);
                }
            };
            parts::write(files, &self.name, &self.parts, [width, height], &parts, pieces, &describe)?
        };
        if let Some(noise) = self.noise_left {
            facts["noise_left_percent"] = noise.into();
        }
        let mut small: Vec<Rgb> = Vec::new();
        for (piece, of) in of_pieces.iter().enumerate() {
            let content = pieces.content(piece)?;
            let from = content.len().checked_sub(of.thumbnail);
            let from = from.ok_or_else(|| BakeError::damaged(piece, "its length is another"))?;
            small.extend(crate::map::read_thumbnail(&content[from..]));
        }
        let columns = width / self.step();
        let development = Development::new(&self.grade);
        let mut names = vec![self.name.clone()];
        let mut bytes = bytes;
        if self.settings.layers.is_some() {
            let sidecar = format!("{}.json", self.name);
            let text = serde_json::to_vec_pretty(&facts).expect("facts are plain data");
            bytes += put(files, &sidecar, &text)?;
            names.push(sidecar);
        }
        Ok(Finished {
            files: names,
            facts,
            thumbnail: Some(png::encode(&small, columns, small.len() / columns, &development)),
            bytes,
        })
    }
}

impl PictureJob {
    fn write_png(
        &self,
        of_pieces: &[PieceFacts],
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
    ) -> Result<u64> {
        let mut file = crate::job::Counted::create(files, &self.name)?;
        let alpha = !self.settings.picture.sky;
        let size = [self.settings.picture.width, self.settings.picture.height];
        crate::map::write_png(&mut file, size, alpha, self.bits(), |rows| {
            for (piece, of) in of_pieces.iter().enumerate() {
                let content = pieces.content(piece)?;
                if content.len() != of.developed + of.thumbnail {
                    return Err(BakeError::damaged(piece, "its length is another"));
                }
                rows.write_all(&content[..of.developed])?;
            }
            Ok(())
        })?;
        file.finish()
    }
}
