//! Commands that make files.

use crate::ask::{read_sky, scene};
use crate::{Failure, Outcome};
use clap::{Args, ValueEnum};
use std::path::{Path, PathBuf};
use tenter_formats::exr_map::{Depth, depth_for, write_map, write_picture};
use tenter_formats::{FormatError, MOST_IN_HALF, hdr, png};
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::live::Effort;
use tenter_sky::picture::{Area, Disc, MapRender, MapSettings, Scale, render};
use tenter_sky::scene::Workshop;
use tenter_sky::spectrum::gamut_to_grey;

const LARGEST_PICTURE: usize = 8192;

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
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Without {
    Sun,
    Clouds,
}

#[derive(Clone, Copy, ValueEnum)]
enum ScaleArgument {
    Nits,
    Exposed,
}

#[derive(Clone, Copy, ValueEnum)]
enum Layout {
    Latlong,
}

#[derive(Args)]
pub struct MapArguments {
    sky: PathBuf,
    #[arg(long, value_enum, default_value = "latlong")]
    layout: Layout,
    /// Twice the height.
    #[arg(long)]
    width: usize,
    /// Ends in .exr or .hdr; a .json with the lights is put beside it.
    #[arg(long)]
    out: PathBuf,
    /// Azimuth in the middle column, degrees.
    #[arg(long, default_value_t = 0.0, allow_negative_numbers = true)]
    heading: f64,
    #[arg(long, value_enum, default_value = "nits")]
    scale: ScaleArgument,
    /// Leave something out; may be given twice.
    #[arg(long, value_enum)]
    without: Vec<Without>,
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

pub fn picture(a: PictureArguments) -> Outcome {
    for (name, side) in [("width", a.width), ("height", a.height)] {
        if !(1..=LARGEST_PICTURE).contains(&side) {
            return Err(Failure::Input(format!("--{name}: {side} is outside 1 to {LARGEST_PICTURE}")));
        }
    }
    let kind = ending(&a.out);
    if kind != "png" && kind != "exr" {
        return Err(Failure::Input(format!("--out: {} should end in .png or .exr", a.out.display())));
    }
    let sky = read_sky(&a.sky)?;
    let scene = scene(&sky);
    let camera = Camera::lens(&sky.eye, a.width, a.height);
    let mut picture = render(&scene, &camera, Effort::default(), &|| false).expect("nobody calls this off");
    let whole = Area { x: 0, y: 0, width: a.width, height: a.height };
    Disc::new(&scene, Effort::default()).add_to(&mut picture, &camera, whole, &scene);
    if kind == "png" {
        return png::write(&a.out, &picture.pixels, a.width, a.height, &Development::new(&sky.grade))
            .map_err(of_format);
    }
    for p in &mut picture.pixels {
        *p = gamut_to_grey(*p);
    }
    let top = picture.pixels.iter().flatten().fold(0.0f32, |a, b| a.max(*b));
    let depth = if top as f64 <= MOST_IN_HALF { Depth::Half } else { Depth::Float };
    write_picture(&a.out, &picture.pixels, a.width, a.height, depth).map_err(of_format)
}

pub fn map(a: MapArguments) -> Outcome {
    let Layout::Latlong = a.layout;
    let settings = MapSettings {
        width: a.width,
        heading_deg: a.heading,
        scale: match a.scale {
            ScaleArgument::Nits => Scale::Nits,
            ScaleArgument::Exposed => Scale::Exposed,
        },
        sun: !a.without.contains(&Without::Sun),
        clouds: !a.without.contains(&Without::Clouds),
    };
    settings.check().map_err(|e| Failure::Input(format!("--{e}")))?;
    let kind = ending(&a.out);
    if kind != "exr" && kind != "hdr" {
        return Err(Failure::Input(format!("--out: {} should end in .exr or .hdr", a.out.display())));
    }
    if kind == "hdr" && (a.half || a.float) {
        return Err(Failure::Input("--half and --float are for .exr".into()));
    }
    let sky = read_sky(&a.sky)?;
    let map =
        MapRender::new(&sky, &settings, &Workshop::default(), &|| false).expect("nobody calls this off");
    let mut shown = 0;
    let (pixels, facts) = map
        .whole(&|| false, |done| {
            let percent = (done * 100.0) as usize / 10 * 10;
            if percent > shown {
                shown = percent;
                eprintln!("{percent} %");
            }
        })
        .expect("nobody calls this off");
    let mut values = "rgbe";
    if kind == "hdr" {
        hdr::write(&a.out, &pixels, facts.width, facts.height).map_err(of_format)?;
    } else {
        let asked = if a.half { Some(Depth::Half) } else { a.float.then_some(Depth::Float) };
        let depth = depth_for(&facts, asked).map_err(of_format)?;
        if asked.is_none() && depth == Depth::Float {
            eprintln!("32-bit float, for the largest value is {:.3e}", facts.largest.value);
        }
        values = if depth == Depth::Half { "half" } else { "float" };
        write_map(&a.out, &pixels, &facts, depth).map_err(of_format)?;
    }
    if facts.out_of_gamut_percent > 0.0 {
        eprintln!("{:.2} % of pixels were moved into Rec.709", facts.out_of_gamut_percent);
    }
    let mut sidecar = serde_json::to_value(&facts).expect("facts are plain data");
    sidecar["values"] = values.into();
    let path = a.out.with_extension(format!("{kind}.json"));
    let text = serde_json::to_string_pretty(&sidecar).expect("facts are plain data");
    std::fs::write(&path, text).map_err(|e| Failure::failed(format!("{}: {e}", path.display())))
}
