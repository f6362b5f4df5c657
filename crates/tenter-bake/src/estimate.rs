//! What a bake is going to take, measured on its own sky, and what is likely forgotten.

use crate::file_kind::{FileKind, LayerSplit};
use crate::job::Result;
use crate::map::MapBake;
use crate::picture::PictureBake;
use crate::settings::BakeSettings;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;
use std::time::Instant;
use tenter_formats::MOST_IN_HALF;
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{Area, MapRender, MapSums, Picture, TILE, render_smooth};
use tenter_render::plan::{PlanSettings, cover_row, shadow_row};
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;

/// What a bake takes, about.
#[derive(Clone, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Estimate {
    /// On all cores of this machine.
    pub seconds: f64,
    /// Of all files.
    pub bytes: f64,
    /// Of a worker, at most.
    pub memory_bytes: f64,
    pub pieces: usize,
    /// Of volumes: all voxels of the finest box, and those with cloud.
    pub voxels: Option<f64>,
    pub active_voxels: Option<f64>,
    pub voxel_m: Option<f64>,
    /// What may have been forgotten.
    pub warnings: Vec<String>,
}

/// Parts of a map that are timed, and their sides, pixels.
const SAMPLES: usize = 12;
const SAMPLE_SIDE: usize = 64;
/// Compressing a pixel in one encoding, s: a rough figure.
const ENCODE_S: f64 = 80e-9;
/// Making the tables of an air, and the caches of a cloud, s: rough figures.
const AIR_S: f64 = 0.6;
const CLOUD_S: f64 = 0.6;
/// What a worker holds beside a piece: a scene with its tables.
const SCENE_BYTES: f64 = 6e8;
/// Reflections of a light kit 256 pixels wide, s: a rough figure.
const REFLECTIONS_S: f64 = 8.0;
/// From this width on, usual steps are coarse.
const LARGE: usize = 8192;
const COARSE_PERCENT: f64 = 2.0;

/// An estimate for resolved settings.
pub fn estimate(
    sky: &Sky,
    settings: &BakeSettings,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Estimate> {
    let mut out = match settings {
        BakeSettings::Map(s) => of_map(sky, s, scene_cache, cancelled)?,
        BakeSettings::Picture(s) => of_picture(sky, s, scene_cache, cancelled)?,
        BakeSettings::Volume(s) => of_volume(sky, &s.volume, scene_cache, cancelled)?,
        BakeSettings::Shadow(s) => {
            let scene = scene_cache.scene(sky, TableQuality::Full, cancelled)?;
            of_plan(sky, &s.shadow, 1.0, &|row| drop(shadow_row(&scene, s.light, &s.shadow, row)))
        }
        BakeSettings::Cover(s) => {
            let scene = scene_cache.scene(sky, TableQuality::Full, cancelled)?;
            of_plan(sky, &s.cover, 2.0, &|row| drop(cover_row(&scene, &s.cover, row)))
        }
        BakeSettings::Light(s) => {
            let map = MapBake { map: s.map(), file: FileKind::ExrFloat, mips: false, layers: None };
            let mut out = of_map(sky, &map, scene_cache, cancelled)?;
            out.seconds += REFLECTIONS_S * (s.light_kit.width as f64 / 256.0).powi(2);
            out.bytes = 6.0 * (s.light_kit.width as f64).powi(2) * 16.0 * 4.0 / 3.0;
            out
        }
        BakeSettings::Package(s) => {
            let mut out = of_map(sky, &s.map(), scene_cache, cancelled)?;
            if let Some(volume) = &s.package.volume {
                let more = of_volume(sky, volume, scene_cache, cancelled)?;
                out.seconds += more.seconds;
                out.bytes += more.bytes;
                (out.voxels, out.active_voxels, out.voxel_m) =
                    (more.voxels, more.active_voxels, more.voxel_m);
            }
            // Folder and archives.
            out.bytes *= 2.0;
            out
        }
    };
    out.pieces = settings.pieces();
    out.warnings = warnings(sky, settings);
    Ok(out)
}

fn of_map(
    sky: &Sky,
    bake: &MapBake,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Estimate> {
    let render = MapRender::new(sky, &bake.map, scene_cache, cancelled)?;
    let (camera, parts) = render.fine_camera();
    let (scene, _) = render.shown();
    let quality = render.quality();
    let seconds_a_pixel = time_pixels(&camera, &|area| {
        let picture: Picture = render_smooth(scene, &camera, area, quality, cancelled)?;
        for (row, pixels) in (area.y..).zip(picture.pixels.chunks_exact(area.width)) {
            MapSums::default().add_part_of_row(&camera, row, area.x, pixels);
        }
        Ok(picture.pixels.len())
    })?;
    let pixels = (bake.map.width * bake.map.height()) as f64;
    let disc = render.brightest_disc().map_or(0.0, |d| d.value);
    let is_half = disc <= MOST_IN_HALF;
    let bytes_a_pixel = match bake.file {
        FileKind::ExrHalf => 4.5,
        FileKind::Exr if is_half => 4.5,
        FileKind::Exr | FileKind::ExrFloat => 7.5,
        FileKind::Hdr => 3.2,
        FileKind::Ktx2Half => 8.0,
        FileKind::Ktx2 if is_half => 8.0,
        FileKind::Ktx2 | FileKind::Ktx2Float => 16.0,
        FileKind::Png => 1.8,
        FileKind::Png16 => 4.5,
    };
    let runs = runs_of(bake.layers, scene.clouds.len());
    let smaller = if bake.mips { 4.0 / 3.0 } else { 1.0 };
    let bytes = pixels * bytes_a_pixel * smaller * runs;
    let whole = if bake.file.is_ktx2() && bake.mips { bytes / 4.0 } else { 0.0 };
    Ok(Estimate {
        seconds: scene_seconds(sky)
            + runs * pixels * ((parts * parts) as f64 * seconds_a_pixel + 2.0 * ENCODE_S),
        bytes,
        memory_bytes: SCENE_BYTES + whole,
        ..Estimate::default()
    })
}

fn of_picture(
    sky: &Sky,
    bake: &PictureBake,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Estimate> {
    let scene = scene_cache.scene(sky, TableQuality::Full, cancelled)?;
    let s = &bake.picture;
    let camera = Camera::lens(&sky.eye, s.width, s.height);
    let seconds = time_pixels(&camera, &|area| {
        let picture: Picture = render_smooth(&scene, &camera, area, MarchQuality::default(), cancelled)?;
        Ok(picture.pixels.len())
    })?;
    let pixels = (s.width * s.height) as f64;
    let layers = bake.layers.or((!s.sky).then_some(LayerSplit::Together));
    let runs = runs_of(layers, scene.clouds.len());
    // Finer steps take as much longer as they are finer, about.
    let care = s.noise_percent.map_or(1.0, |percent| (2.0 / percent).max(1.0));
    let bytes = pixels * if bake.file == FileKind::Png { 1.8 } else { 4.5 } * runs;
    let memory_bytes = SCENE_BYTES + pixels.min(2e6) * 60.0;
    let seconds = scene_seconds(sky) + runs * pixels * (seconds * care + ENCODE_S);
    Ok(Estimate { seconds, bytes, memory_bytes, ..Estimate::default() })
}

/// How often a picture in layers is traced, in whole pictures: one behind the other, and each alone, in which
/// fewer clouds take less time.
fn runs_of(layers: Option<LayerSplit>, clouds: usize) -> f64 {
    match layers {
        None => 1.0,
        Some(LayerSplit::Together) => 2.0,
        Some(LayerSplit::Each) => clouds.max(1) as f64,
    }
}

/// A worker makes the scene anew.
fn scene_seconds(sky: &Sky) -> f64 {
    AIR_S + CLOUD_S * sky.clouds.iter().filter(|layer| !layer.muted).count() as f64
}

/// Seconds a pixel, from small parts spread over a picture.
fn time_pixels(camera: &Camera, render: &dyn Fn(Area) -> Result<usize>) -> Result<f64> {
    let side = SAMPLE_SIDE.min(camera.width).min(camera.height);
    let (mut seconds, mut pixels) = (0.0, 0);
    for i in 0..SAMPLES {
        let along = |step: f64, room: usize| (((i as f64 + 0.5) * step).fract() * (room + 1) as f64) as usize;
        let x = along(0.618_034, camera.width - side);
        let y = along(1.0 / SAMPLES as f64, camera.height - side);
        // Tiles as they will be rendered.
        let snap = |v: usize| v / TILE * TILE;
        let area = Area { x: snap(x), y: snap(y), width: side, height: side };
        let begun = Instant::now();
        pixels += render(area)?;
        seconds += begun.elapsed().as_secs_f64();
    }
    Ok(seconds / pixels.max(1) as f64)
}

fn of_volume(
    sky: &Sky,
    choice: &crate::volume::VolumeChoice,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Estimate> {
    let guesses = choice.guess(sky, scene_cache, cancelled)?;
    let finest = guesses.first();
    Ok(Estimate {
        seconds: scene_seconds(sky) + guesses.iter().map(|g| g.seconds).sum::<f64>(),
        bytes: guesses.iter().map(|g| g.bytes).sum(),
        memory_bytes: SCENE_BYTES
            + guesses.iter().map(|g| g.active_voxels / 512.0 * 8.0 * 120.0).fold(0.0, f64::max),
        voxels: finest.map(|g| g.voxels),
        active_voxels: finest.map(|g| g.active_voxels),
        voxel_m: finest.map(|g| g.voxel_m),
        ..Estimate::default()
    })
}

/// Rows of a plan that are timed.
const PLAN_ROWS: usize = 8;

fn of_plan(sky: &Sky, plan: &PlanSettings, channels: f64, row: &(dyn Fn(usize) + Sync)) -> Estimate {
    let begun = Instant::now();
    (0..PLAN_ROWS).into_par_iter().for_each(|i| row((2 * i + 1) * plan.width / (2 * PLAN_ROWS)));
    let a_row = begun.elapsed().as_secs_f64() / PLAN_ROWS as f64;
    let pixels = (plan.width * plan.width) as f64;
    Estimate {
        seconds: scene_seconds(sky) + plan.width as f64 * a_row,
        bytes: pixels * channels * 2.5,
        memory_bytes: SCENE_BYTES,
        ..Estimate::default()
    }
}

/// What may have been forgotten.
fn warnings(sky: &Sky, settings: &BakeSettings) -> Vec<String> {
    let mut out = Vec::new();
    let muted: Vec<String> = sky
        .suns
        .iter()
        .enumerate()
        .filter(|(_, sun)| sun.muted)
        .map(|(i, _)| format!("sun {}", i + 1))
        .chain((1..).zip(&sky.worlds).filter(|(_, w)| w.muted).map(|(i, w)| match w.name.as_str() {
            "" => format!("world {i}"),
            name => name.to_string(),
        }))
        .chain((sky.fog.muted && sky.fog.amount > 0.0).then(|| "low fog".to_string()))
        .chain(sky.clouds.iter().filter(|l| l.muted).map(|l| l.name.clone()))
        .collect();
    if !muted.is_empty() {
        out.push(format!("Muted, and so left out: {}.", muted.join(", ")));
    }
    if let BakeSettings::Map(s) = settings {
        let hidden = sky.suns.iter().any(|sun| !sun.disc_seen && !sun.muted);
        if s.map.sun && hidden {
            out.push("A sun's disc is switched off: its light is missing in the map.".into());
        }
        if !s.map.sun && !s.map.moon {
            out.push("The map has no discs: take the lights from the sidecar.".into());
        }
        if s.map.width >= LARGE && s.map.noise_percent.is_none_or(|p| p > COARSE_PERCENT) {
            out.push("Usual steps show on a map this large: choose Deliver.".into());
        }
        if s.file.is_png() {
            out.push("PNG holds display values: no light to render with.".into());
        }
    }
    if let BakeSettings::Volume(s) = settings
        && s.volume.voxel_m.is_some_and(|v| v > 100.0)
    {
        out.push("Voxels over 100 m lose the forms of single clouds.".into());
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::{Value, json};
    use tenter_sky::document::CloudKind;

    fn of(sky: &Sky, settings: Value) -> Estimate {
        let scenes = SceneCache::default();
        let settings = BakeSettings::parse(settings).unwrap().resolve(sky, &scenes, &|| false).unwrap();
        estimate(sky, &settings, &scenes, &|| false).unwrap()
    }

    /// Bytes follow from the file: floats where the sun's disc needs them, mips a third more, 16 bits more
    /// than 8; without the disc halves do.
    #[test]
    fn bytes_follow_the_file() {
        let sky = Sky::default();
        let map = |more: Value, file: &str| {
            let mut map = json!({"width": 256});
            map.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
            of(&sky, json!({"map": map, "file": file})).bytes
        };
        assert!(map(json!({}), "exr") > map(json!({"sun": false}), "exr"));
        assert!(map(json!({}), "png16") > map(json!({}), "png"));
        let cube = json!({"width": 64, "layout": "cube"});
        let bytes = |mips: bool| of(&sky, json!({"map": cube, "file": "ktx2_float", "mips": mips})).bytes;
        // Levels of a KTX2 file have no compression: 16 bytes a pixel.
        assert_eq!(bytes(false), 6.0 * 64.0 * 64.0 * 16.0);
        assert!((bytes(true) / bytes(false) - 4.0 / 3.0).abs() < 1e-9);
    }

    /// What is muted, hidden or too coarse is told before it is baked.
    #[test]
    fn what_is_likely_forgotten_is_told() {
        let mut sky = Sky { clouds: vec![CloudKind::CumulusHumilis.usual()], ..Sky::default() };
        sky.clouds[0].muted = true;
        sky.clouds[0].name = "Ferry heaps".into();
        sky.suns[0].disc_seen = false;
        let told = of(&sky, json!({"map": {"width": 256}, "file": "png16"})).warnings.join(" ");
        for words in ["Ferry heaps", "disc is switched off", "display values"] {
            assert!(told.contains(words), "{told}");
        }
        assert_eq!(of(&Sky::default(), json!({"map": {"width": 256}, "file": "exr"})).warnings, [""; 0]);
    }
}
