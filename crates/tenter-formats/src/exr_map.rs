//! Environment maps and pictures as OpenEXR.

use crate::exr_scanlines::{Header, block_head, blocks};
use crate::{FormatError, MOST_IN_HALF};
use exr::prelude::*;
use std::io::Write as _;
use std::path::Path;
use tenter_render::picture::{Largest, Layout, MapFacts, Scale};
use tenter_sky::spectrum::Rgb;

pub use crate::exr_scanlines::Depth;

/// Half where it holds the largest value, else float; asking for half where it does not fit is an error.
pub fn depth_for(facts: &MapFacts, asked: Option<Depth>) -> std::result::Result<Depth, FormatError> {
    match (asked, fits_half(&facts.largest)) {
        (Some(Depth::Half), fits) => fits.map(|()| Depth::Half),
        (Some(Depth::Float), _) | (None, Err(_)) => Ok(Depth::Float),
        (None, Ok(())) => Ok(Depth::Half),
    }
}

/// Whether half floats hold a map's largest value.
pub fn fits_half(largest: &Largest) -> std::result::Result<(), FormatError> {
    if largest.value <= MOST_IN_HALF {
        return Ok(());
    }
    let Largest { value, azimuth_deg, elevation_deg } = *largest;
    Err(FormatError::TooBrightForHalf { value, azimuth_deg, elevation_deg })
}

/// The header of a map: `whiteLuminance`, `envmap`, and what Tenter says of it under names of its own.
pub fn map_header(facts: &MapFacts, depth: Depth) -> Header {
    let mut header = Header::new(facts.width, facts.height, depth);
    add_map_facts(&mut header, facts);
    header
}

/// Adds to a header what a map's has.
pub fn add_map_facts(header: &mut Header, facts: &MapFacts) {
    header.add_float("whiteLuminance", facts.white_luminance);
    // OpenEXR knows two layouts by an attribute of their own.
    match facts.layout {
        Layout::Latlong => header.add_envmap(false),
        Layout::Cube => header.add_envmap(true),
        Layout::Fisheye => {}
    }
    header.add_text("tenter:layout", facts.layout.name());
    header.add_text("tenter:document", &facts.document_hash);
    header.add_text(
        "tenter:scale",
        match facts.scale {
            Scale::Nits => "nits",
            Scale::Exposed => "exposed",
        },
    );
    header.add_float("tenter:ev100", facts.exposure_ev100);
    header.add_float("tenter:headingDegrees", facts.heading_deg);
    header.add_text("tenter:integrator", facts.integrator);
    header.add_float("tenter:noiseLeftPercent", facts.noise_left_percent);
    for (i, light) in facts.lights.iter().enumerate() {
        let direction = light.direction.map(|v| v as f32);
        header.add_vector(&format!("tenter:light{i}:direction"), direction);
        header.add_float(&format!("tenter:light{i}:illuminance"), light.illuminance_lx);
        header.add_vector(&format!("tenter:light{i}:colour"), light.illuminance_rgb);
        header.add_float(&format!("tenter:light{i}:angularDiameter"), light.angular_diameter_deg);
    }
}

/// Writes a map with the attributes of `facts`. ZIP compression.
pub fn write_map(
    path: &Path,
    pixels: &[Rgb],
    facts: &MapFacts,
    depth: Depth,
) -> std::result::Result<(), FormatError> {
    write(path, pixels, facts.width, map_header(facts, depth), depth)
}

/// Writes a linear picture in cd/m2.
pub fn write_picture(
    path: &Path,
    pixels: &[Rgb],
    width: usize,
    height: usize,
    depth: Depth,
) -> std::result::Result<(), FormatError> {
    let mut header = Header::new(width, height, depth);
    header.add_float("whiteLuminance", 1.0);
    write(path, pixels, width, header, depth)
}

fn write(
    path: &Path,
    pixels: &[Rgb],
    width: usize,
    header: Header,
    depth: Depth,
) -> std::result::Result<(), FormatError> {
    let blocks = blocks(pixels, width, depth);
    let lengths: Vec<usize> = blocks.iter().map(Vec::len).collect();
    let put = || {
        let mut file = std::io::BufWriter::new(std::fs::File::create(path)?);
        file.write_all(&header.begin(&lengths))?;
        for (number, block) in blocks.iter().enumerate() {
            file.write_all(&block_head(number, block.len()))?;
            file.write_all(block)?;
        }
        file.flush()
    };
    put().map_err(|e| FormatError::Io(path.to_owned(), e))
}

/// Size and pixels of an RGB file.
pub fn read(path: &Path) -> std::result::Result<(usize, usize, Vec<Rgb>), FormatError> {
    let image = read_first_rgba_layer_from_file(
        path,
        |size, _| (size.width(), vec![[0.0f32; 3]; size.area()]),
        |(width, pixels): &mut (usize, Vec<Rgb>), p, (r, g, b, _): (f32, f32, f32, f32)| {
            pixels[p.1 * *width + p.0] = [r, g, b];
        },
    )
    .map_err(|e| FormatError::Exr(path.to_owned(), e))?;
    let size = image.layer_data.size;
    Ok((size.width(), size.height(), image.layer_data.channel_data.pixels.1))
}
