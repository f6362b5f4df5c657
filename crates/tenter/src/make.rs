//! Commands that make files.

use crate::ask::{of_reference, read_sky, within};
use crate::{Failure, Outcome};
use clap::{Args, ValueEnum};
use std::path::{Path, PathBuf};
use tenter_bake::file_kind::{FileKind, LayerSplit};
use tenter_bake::map::MapBake;
use tenter_bake::map::{LayeredMapJob, MapJob, check_half};
use tenter_bake::picture::PictureJob;
use tenter_bake::picture::{PictureBake, PictureSettings};
use tenter_bake::{BakeError, BakeSettings, Job, run_here};
use tenter_formats::FormatError;
use tenter_formats::cube_lut;
use tenter_reference::{Reference, SamplingBudget};
use tenter_render::picture::{
    Layout, LowerFill, MapRender, MapSettings, NOISE_PERCENT, Scale, SettingsError,
};
use tenter_render::prepare::SceneCache;
use tenter_sky::document::TableInput;

#[derive(Args)]
pub struct PictureArguments {
    sky: PathBuf,
    #[arg(long)]
    width: usize,
    #[arg(long)]
    height: usize,
    /// Ends in .png (developed) or .exr (linear, cd/m2).
    #[arg(long)]
    out: PathBuf,
    /// Leave the sky out: transparent behind what stands before it.
    #[arg(long, value_enum)]
    without: Vec<WithoutOfPicture>,
    /// Sky, land, clouds, lights and distance as parts of one .exr; clouds each by itself or together.
    #[arg(long, value_enum, num_args = 0..=1, default_missing_value = "each")]
    layers: Option<LayersArgument>,
    /// 16 bits in a .png in place of 8 with dither.
    #[arg(long)]
    sixteen: bool,
    #[command(flatten)]
    care: CareArguments,
}

/// How well a picture or map is made.
#[derive(Args)]
struct CareArguments {
    /// Most noise that may be left, percent; steps are as fine, or paths as many, as that needs.
    #[arg(long, value_name = "PCT")]
    noise: Option<f64>,
    /// By the reference integrator, to 5 % of noise if nothing else is asked.
    #[arg(long)]
    reference: bool,
    /// Most paths for each pixel of the reference integrator; it stops there, and says what noise is left.
    #[arg(long, value_name = "N", requires = "reference")]
    paths: Option<u64>,
    /// In clouds, paths of the reference integrator end in what others found: far faster where they are
    /// thick, and a little blurred.
    #[arg(long, requires = "reference")]
    shared: bool,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum WithoutOfPicture {
    Sky,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum LayersArgument {
    Each,
    Together,
}

impl From<LayersArgument> for LayerSplit {
    fn from(a: LayersArgument) -> LayerSplit {
        match a {
            LayersArgument::Each => LayerSplit::Each,
            LayersArgument::Together => LayerSplit::Together,
        }
    }
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Without {
    /// Discs of suns.
    Sun,
    /// The moon's disc.
    Moon,
    Stars,
    /// Neighbour worlds.
    Worlds,
    Clouds,
}

#[derive(Clone, Copy, ValueEnum)]
enum ScaleArgument {
    Nits,
    Exposed,
}

#[derive(Clone, Copy, ValueEnum)]
enum LayoutArgument {
    /// The whole sphere, twice as wide as high.
    Latlong,
    /// Six faces; one below the other in OpenEXR and Radiance HDR.
    Cube,
    /// The upper hemisphere in a circle.
    Fisheye,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum With {
    Land,
    /// A list of the stars beside the map.
    StarList,
}

#[derive(Args)]
pub struct MapArguments {
    sky: PathBuf,
    #[arg(long, value_enum, default_value = "latlong")]
    layout: LayoutArgument,
    /// Pixels across; of a cube, along each face.
    #[arg(long)]
    width: usize,
    /// Ends in .exr, .hdr, .png (developed) or (cubes) .ktx2; a .json with the lights is put beside it.
    #[arg(long)]
    out: PathBuf,
    /// Azimuth in the middle column, in the middle of a cube's +z face, or at the top of a fisheye, degrees.
    #[arg(long, default_value_t = 0.0, allow_negative_numbers = true)]
    heading: f64,
    #[arg(long, value_enum, default_value = "nits")]
    scale: ScaleArgument,
    /// Leave something out; may be given several times.
    #[arg(long, value_enum)]
    without: Vec<Without>,
    /// Put something in that is not part of a map by itself.
    #[arg(long, value_enum)]
    with: Vec<With>,
    /// The lower half: ground, mirror (the sky mirrored about the level), black, or a colour as R,G,B in
    /// cd/m2.
    #[arg(long, default_value = "ground", value_parser = parse_lower)]
    lower: LowerFill,
    /// Sky, land, clouds, lights and distance as parts of one .exr; clouds each by itself or together.
    #[arg(long, value_enum, num_args = 0..=1, default_missing_value = "each", conflicts_with = "reference")]
    layers: Option<LayersArgument>,
    #[command(flatten)]
    care: CareArguments,
    /// All smaller levels too (.ktx2).
    #[arg(long)]
    mips: bool,
    /// 16-bit values, or an error if they do not hold the sun.
    #[arg(long, conflicts_with = "float")]
    half: bool,
    /// 32-bit values.
    #[arg(long)]
    float: bool,
}

fn ending(path: &Path) -> String {
    path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase()
}

fn of_format(e: FormatError) -> Failure {
    match e {
        FormatError::TooBrightForHalf { .. } => Failure::Input(format!("--{e}")),
        e => Failure::failed(e),
    }
}

fn of_settings(e: SettingsError) -> Failure {
    Failure::Input(format!("--{}: {} {}", option_of(e.field), e.value, e.problem))
}

/// The option of a field: fields carry their unit in the name, options do not.
fn option_of(field: &str) -> String {
    let field = field.split('[').next().unwrap_or_default();
    match field {
        "layers" => "layer".into(),
        "map_width" => "width".into(),
        "most_voxels" | "cloud_at" => field.replace('_', "-"),
        _ => field.split('_').next().unwrap_or_default().into(),
    }
}

impl CareArguments {
    fn check(&self) -> Outcome {
        if let Some(percent) = self.noise {
            within("noise", percent, *NOISE_PERCENT.start(), *NOISE_PERCENT.end())?;
        }
        match self.paths {
            Some(0) => Err(Failure::Input("--paths: 0 paths make no picture; 1 or more are needed".into())),
            _ => Ok(()),
        }
    }

    /// What is asked of the reference integrator.
    fn wish(&self) -> SamplingBudget {
        SamplingBudget {
            noise_percent: self.noise.unwrap_or(5.0),
            most_paths: self.paths.unwrap_or(u64::MAX),
            spread: true,
            shared: self.shared,
        }
    }
}

fn tell_noise(percent: f64) {
    eprintln!("noise {percent:.2} %");
}

pub fn picture(a: PictureArguments) -> Outcome {
    a.care.check()?;
    let file = match ending(&a.out).as_str() {
        "png" if a.sixteen => FileKind::Png16,
        "png" => FileKind::Png,
        "exr" => FileKind::Exr,
        _ => return Err(Failure::Input(format!("--out: {} should end in .png or .exr", a.out.display()))),
    };
    let settings = PictureBake {
        picture: PictureSettings {
            width: a.width,
            height: a.height,
            sky: !a.without.contains(&WithoutOfPicture::Sky),
            noise_percent: if a.care.reference { None } else { a.care.noise },
        },
        file,
        layers: a.layers.map(Into::into),
    };
    BakeSettings::Picture(settings.clone()).check().map_err(of_bake)?;
    if a.care.reference && (a.layers.is_some() || !settings.picture.sky) {
        return Err(Failure::Input("--reference: makes whole pictures, without layers".into()));
    }
    let sky = read_sky(&a.sky)?;
    let (folder, name) = folder_and_name(&a.out)?;
    let job = PictureJob::new(&sky, &settings, &SceneCache::default(), &|| false).map_err(of_bake)?;
    let mut job = job.named(&name);
    if a.care.reference {
        let (scene, camera) = job.shown();
        let reference = Reference::new(scene).map_err(of_reference)?;
        let traced = reference.picture(camera, a.care.wish(), &|| false, tell_noise).map_err(of_reference)?;
        eprintln!("noise left {:.2} %", traced.noise_percent);
        job.set_reference(traced.picture);
    }
    let made = run_here(&job, &folder, |_| (), &|| false).map_err(of_bake)?;
    if let Some(left) = made.facts["noise_left_percent"].as_f64() {
        eprintln!("noise left {left:.2} %");
    }
    Ok(())
}

/// The kind of file, if it can hold what is asked.
fn file_kind(a: &MapArguments, layout: Layout) -> Result<FileKind, Failure> {
    let kind = ending(&a.out);
    let fail = |message: String| Err(Failure::Input(message));
    match kind.as_str() {
        "exr" | "hdr" | "png" => {}
        "ktx2" if layout == Layout::Cube && a.width.is_power_of_two() => {}
        "ktx2" if layout == Layout::Cube => {
            return fail(format!("--width: .ktx2 needs a power of two, not {}", a.width));
        }
        "ktx2" => return fail("--out: .ktx2 holds cubes; add --layout cube".into()),
        _ => return fail(format!("--out: {} should end in .exr, .hdr, .ktx2 or .png", a.out.display())),
    }
    if !matches!(kind.as_str(), "exr" | "ktx2") && (a.half || a.float) {
        return fail("--half and --float are for .exr and .ktx2".into());
    }
    if kind != "ktx2" && a.mips {
        return fail("--mips is for .ktx2".into());
    }
    Ok(match (kind.as_str(), a.half, a.float) {
        ("hdr", ..) => FileKind::Hdr,
        ("png", ..) => FileKind::Png,
        ("ktx2", true, _) => FileKind::Ktx2Half,
        ("ktx2", _, true) => FileKind::Ktx2Float,
        ("ktx2", ..) => FileKind::Ktx2,
        (_, true, _) => FileKind::ExrHalf,
        (_, _, true) => FileKind::ExrFloat,
        _ => FileKind::Exr,
    })
}

/// `ground`, `mirror`, `black`, or a colour as R,G,B in cd/m2.
fn parse_lower(text: &str) -> Result<LowerFill, String> {
    match text {
        "ground" => return Ok(LowerFill::Ground),
        "mirror" => return Ok(LowerFill::Mirror),
        "black" => return Ok(LowerFill::Black),
        _ => {}
    }
    let parts: Option<Vec<f64>> = text.split(',').map(|v| v.trim().parse().ok()).collect();
    match parts.as_deref() {
        Some([r, g, b]) => Ok(LowerFill::Colour([*r, *g, *b])),
        _ => Err("should be ground, mirror, black, or R,G,B in cd/m2".into()),
    }
}

/// Tells of a tenth that is done, once.
pub fn tell_tenths() -> impl FnMut(f64) {
    let mut shown = 0;
    move |done| {
        let percent = (done * 100.0) as usize / 10 * 10;
        if percent > shown {
            shown = percent;
            eprintln!("{percent} %");
        }
    }
}

/// Folder and name of a file that is to be made.
pub fn folder_and_name(out: &Path) -> Result<(PathBuf, String), Failure> {
    let name = out.file_name().and_then(|n| n.to_str());
    let name = name.ok_or_else(|| Failure::Input(format!("--out: {} names no file", out.display())))?;
    Ok((out.parent().unwrap_or(Path::new("")).to_owned(), name.to_string()))
}

/// Errors of bakes, with options in place of fields.
pub fn of_bake(e: BakeError) -> Failure {
    match e {
        // A message about half values begins with the option's own name.
        BakeError::Input { path, message } if path == "settings.file" => {
            Failure::Input(format!("--{message}"))
        }
        BakeError::Input { path, message } => {
            let field = path.rsplit('.').next().unwrap_or_default();
            Failure::Input(format!("--{}: {field} {message}", option_of(field)))
        }
        BakeError::Format(e) => of_format(e),
        e => Failure::failed(e),
    }
}

pub fn map(a: MapArguments) -> Outcome {
    let settings = MapSettings {
        layout: match a.layout {
            LayoutArgument::Latlong => Layout::Latlong,
            LayoutArgument::Cube => Layout::Cube,
            LayoutArgument::Fisheye => Layout::Fisheye,
        },
        width: a.width,
        heading_deg: a.heading,
        scale: match a.scale {
            ScaleArgument::Nits => Scale::Nits,
            ScaleArgument::Exposed => Scale::Exposed,
        },
        sun: !a.without.contains(&Without::Sun),
        moon: !a.without.contains(&Without::Moon),
        stars: !a.without.contains(&Without::Stars),
        worlds: !a.without.contains(&Without::Worlds),
        star_list: a.with.contains(&With::StarList),
        clouds: !a.without.contains(&Without::Clouds),
        land: a.with.contains(&With::Land),
        lower: a.lower,
        noise_percent: if a.care.reference { None } else { a.care.noise },
    };
    settings.check().map_err(of_settings)?;
    let file = file_kind(&a, settings.layout)?;
    let sky = read_sky(&a.sky)?;
    a.care.check()?;
    let scene_cache = SceneCache::default();
    let layers = a.layers.map(Into::into);
    let bake = MapBake { map: settings.clone(), file, mips: a.mips, layers };
    BakeSettings::Map(bake.clone()).check().map_err(of_bake)?;
    check_half(&sky, &bake, &scene_cache, &|| false).map_err(of_bake)?;
    let mut map = MapRender::new(&sky, &settings, &scene_cache, &|| false).map_err(Failure::failed)?;
    if a.care.reference {
        let (wish, (scene, camera)) = (a.care.wish(), map.shown());
        let traced = Reference::new(scene).and_then(|r| r.picture(camera, wish, &|| false, tell_noise));
        let traced = traced.map_err(of_reference)?;
        map.set_reference(traced.picture, traced.noise_percent, wish.shared);
    }
    let (folder, name) = folder_and_name(&a.out)?;
    let job: Box<dyn Job> = match layers {
        Some(_) => Box::new(LayeredMapJob::of(map, &bake, name)),
        None => Box::new(MapJob::of(map, &bake, name)),
    };
    let made = run_here(&*job, &folder, tell_tenths(), &|| false).map_err(of_bake)?;
    let facts = &made.facts;
    if facts["values"] == "float" && matches!(file, FileKind::Exr | FileKind::Ktx2) {
        let largest = facts["largest"]["value"].as_f64().unwrap_or_default();
        eprintln!("32-bit float, for the largest value is {largest:.3e}");
    }
    let moved = facts["out_of_gamut_percent"].as_f64().unwrap_or_default();
    if moved > 0.0 {
        eprintln!("{moved:.2} % of pixels were moved into Rec.709");
    }
    Ok(())
}

#[derive(Args)]
pub struct LutArguments {
    sky: PathBuf,
    /// Ends in .cube
    #[arg(long)]
    out: PathBuf,
    /// Values along each side
    #[arg(long, default_value_t = 33)]
    size: usize,
    /// What the table is looked up with
    #[arg(long, value_enum, default_value = "log")]
    input: LutInputArgument,
}

#[derive(Clone, Copy, ValueEnum)]
enum LutInputArgument {
    /// Scene light by its stops from grey
    Log,
    /// Display values as the tone curve leaves them
    Display,
}

pub fn lut(a: LutArguments) -> Outcome {
    if ending(&a.out) != "cube" {
        return Err(Failure::Input(format!("--out: {} should end in .cube", a.out.display())));
    }
    if !cube_lut::SIZES.contains(&a.size) {
        return Err(Failure::Input(format!("--size: {} should be 33 or 65", a.size)));
    }
    let sky = read_sky(&a.sky)?;
    let input = match a.input {
        LutInputArgument::Log => TableInput::Log,
        LutInputArgument::Display => TableInput::Display,
    };
    let title = a.out.file_stem().unwrap_or_default().to_string_lossy();
    let text = cube_lut::write(&title, &sky.grade, a.size, input);
    std::fs::write(&a.out, text).map_err(|e| Failure::failed(format!("{}: {e}", a.out.display())))
}
