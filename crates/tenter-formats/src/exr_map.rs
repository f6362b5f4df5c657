//! Environment maps and pictures as OpenEXR.

use crate::{FormatError, MOST_IN_HALF, software};
use exr::prelude::*;
use half::f16;
use std::path::Path;
use tenter_sky::picture::{Layout, MapFacts, Scale};
use tenter_sky::spectrum::Rgb;

/// Bits of a channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    Half,
    Float,
}

/// Half where it holds the largest value, else float; asking for half where it does not fit is an error.
pub fn depth_for(facts: &MapFacts, asked: Option<Depth>) -> std::result::Result<Depth, FormatError> {
    let fits = facts.largest.value <= MOST_IN_HALF;
    match asked {
        Some(Depth::Half) if !fits => Err(FormatError::TooBrightForHalf {
            value: facts.largest.value,
            azimuth_deg: facts.largest.azimuth_deg,
            elevation_deg: facts.largest.elevation_deg,
        }),
        Some(depth) => Ok(depth),
        None if fits => Ok(Depth::Half),
        None => Ok(Depth::Float),
    }
}

/// Writes a map with the attributes of `facts`. ZIP compression.
pub fn write_map(
    path: &Path,
    pixels: &[Rgb],
    facts: &MapFacts,
    depth: Depth,
) -> std::result::Result<(), FormatError> {
    let mut layer = LayerAttributes::named("");
    layer.layer_name = None;
    // OpenEXR knows two layouts by an attribute of their own.
    layer.environment_map = match facts.layout {
        Layout::Latlong => Some(attribute::EnvironmentMap::LatitudeLongitude),
        Layout::Cube => Some(attribute::EnvironmentMap::Cube),
        Layout::Fisheye => None,
    };
    layer.white_luminance = Some(facts.white_luminance as f32);
    layer.software_name = Some(Text::new_or_panic(software()));
    let text = |s: &str| AttributeValue::Text(Text::new_or_panic(s));
    let mut add = |name: &str, value: AttributeValue| {
        layer.other.insert(Text::new_or_panic(name), value);
    };
    add("tenter:layout", text(facts.layout.name()));
    add("tenter:document", text(&facts.document_hash));
    add(
        "tenter:scale",
        text(match facts.scale {
            Scale::Nits => "nits",
            Scale::Exposed => "exposed",
        }),
    );
    add("tenter:ev100", AttributeValue::F32(facts.exposure_ev100 as f32));
    add("tenter:headingDegrees", AttributeValue::F32(facts.heading_deg as f32));
    add("tenter:integrator", text(facts.integrator));
    add("tenter:noiseLeftPercent", AttributeValue::F32(facts.noise_left_percent as f32));
    for (i, light) in facts.lights.iter().enumerate() {
        let d = light.direction.map(|v| v as f32);
        let rgb = light.illuminance_rgb;
        add(&format!("tenter:light{i}:direction"), AttributeValue::FloatVec3((d[0], d[1], d[2])));
        add(&format!("tenter:light{i}:illuminance"), AttributeValue::F32(light.illuminance_lx as f32));
        add(&format!("tenter:light{i}:colour"), AttributeValue::FloatVec3((rgb[0], rgb[1], rgb[2])));
        add(
            &format!("tenter:light{i}:angularDiameter"),
            AttributeValue::F32(light.angular_diameter_deg as f32),
        );
    }
    write(path, pixels, facts.width, facts.height, layer, depth)
}

/// Writes a linear picture in cd/m2.
pub fn write_picture(
    path: &Path,
    pixels: &[Rgb],
    width: usize,
    height: usize,
    depth: Depth,
) -> std::result::Result<(), FormatError> {
    let mut layer = LayerAttributes::named("");
    layer.layer_name = None;
    layer.white_luminance = Some(1.0);
    layer.software_name = Some(Text::new_or_panic(software()));
    write(path, pixels, width, height, layer, depth)
}

fn write(
    path: &Path,
    pixels: &[Rgb],
    width: usize,
    height: usize,
    layer: LayerAttributes,
    depth: Depth,
) -> std::result::Result<(), FormatError> {
    let size = Vec2(width, height);
    let encoding = Encoding {
        compression: Compression::ZIP16,
        blocks: Blocks::ScanLines,
        line_order: LineOrder::Increasing,
    };
    let fail = |e| FormatError::Exr(path.to_owned(), e);
    let mut attributes = ImageAttributes::new(IntegerBounds::from_dimensions(size));
    // Rec. ITU-R BT.709 primaries and D65.
    attributes.chromaticities = Some(attribute::Chromaticities {
        red: Vec2(0.64, 0.33),
        green: Vec2(0.30, 0.60),
        blue: Vec2(0.15, 0.06),
        white: Vec2(0.3127, 0.3290),
    });
    match depth {
        Depth::Half => {
            let at = |p: Vec2<usize>| {
                let c = pixels[p.1 * width + p.0];
                (f16::from_f32(c[0]), f16::from_f32(c[1]), f16::from_f32(c[2]))
            };
            let layer = Layer::new(size, layer, encoding, SpecificChannels::rgb(at));
            let mut image = Image::from_layer(layer);
            image.attributes = attributes;
            image.write().to_file(path).map_err(fail)
        }
        Depth::Float => {
            let at = |p: Vec2<usize>| {
                let c = pixels[p.1 * width + p.0];
                (c[0], c[1], c[2])
            };
            let layer = Layer::new(size, layer, encoding, SpecificChannels::rgb(at));
            let mut image = Image::from_layer(layer);
            image.attributes = attributes;
            image.write().to_file(path).map_err(fail)
        }
    }
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
