//! OpenEXR, block by block.

use super::{ImageInfo, Panorama, PartInfo, Result, TakePixels, check_size, damaged, guessed};
use exr::block;
use exr::block::reader::ChunksReader;
use exr::meta::MetaData;
use exr::meta::attribute::{AttributeValue, EnvironmentMap, SampleType};
use exr::meta::header::Header;
use half::f16;
use serde_json::{Map, Value, json};
use std::collections::HashMap;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

/// Most parts of a file, and most channels of one.
const MOST_PARTS: usize = 256;
const MOST_CHANNELS: usize = 256;

/// Reads the headers alone, and holds their sizes against the file's length.
fn meta_of(path: &Path) -> Result<MetaData> {
    let file = File::open(path)?;
    let length = file.metadata()?.len();
    let meta = MetaData::read_from_buffered(BufReader::new(file), false).map_err(damaged)?;
    if meta.headers.len() > MOST_PARTS {
        return Err(damaged(format!("{} parts are too many", meta.headers.len())));
    }
    let mut chunks = 0u64;
    for header in &meta.headers {
        check_size(header.layer_size.width() as u64, header.layer_size.height() as u64)?;
        if header.channels.list.len() > MOST_CHANNELS {
            return Err(damaged(format!("{} channels are too many", header.channels.list.len())));
        }
        chunks += header.chunk_count as u64;
    }
    // Each block has its place in a table, and a head.
    if chunks * 16 > length {
        return Err(damaged(format!(
            "its headers speak of {chunks} blocks, which {length} bytes can't hold"
        )));
    }
    Ok(meta)
}

pub fn info(path: &Path) -> Result<ImageInfo> {
    let meta = meta_of(path)?;
    let parts = meta.headers.iter().enumerate().map(|(i, header)| PartInfo {
        name: header.own_attributes.layer_name.as_ref().map_or(format!("part {i}"), ToString::to_string),
        channels: header
            .channels
            .list
            .iter()
            .map(|c| (c.name.to_string(), type_of(c.sample_type).to_string()))
            .collect(),
        width: header.layer_size.width(),
        height: header.layer_size.height(),
    });
    let first = &meta.headers[0];
    let panorama = match first.own_attributes.environment_map {
        Some(EnvironmentMap::LatitudeLongitude) => Some(Panorama::Latlong),
        Some(EnvironmentMap::Cube) => Some(Panorama::Cube),
        None => guessed(first.layer_size.width(), first.layer_size.height()),
    };
    let attributes = attributes(first);
    let fisheye = attributes.get("tenter:layout").is_some_and(|layout| layout == "fisheye");
    Ok(ImageInfo {
        parts: parts.collect(),
        attributes,
        panorama: if fisheye { Some(Panorama::Fisheye) } else { panorama },
        display: false,
    })
}

fn type_of(t: SampleType) -> &'static str {
    match t {
        SampleType::F16 => "half",
        SampleType::F32 => "float",
        SampleType::U32 => "uint",
    }
}

fn attributes(header: &Header) -> Map<String, Value> {
    let mut out = Map::new();
    out.insert("compression".into(), format!("{}", header.compression).into());
    if let Some(white) = header.own_attributes.white_luminance {
        out.insert("whiteLuminance".into(), json!(white));
    }
    if let Some(c) = header.shared_attributes.chromaticities {
        let xy = |v: exr::math::Vec2<f32>| [v.x(), v.y()];
        out.insert("chromaticities".into(), json!([xy(c.red), xy(c.green), xy(c.blue), xy(c.white)]));
    }
    if let Some(name) = &header.own_attributes.software_name {
        out.insert("software".into(), name.to_string().into());
    }
    let others = header.own_attributes.other.iter().chain(&header.shared_attributes.other);
    for (name, value) in others {
        let value = match value {
            AttributeValue::Text(text) => text.to_string().into(),
            AttributeValue::F32(v) => json!(v),
            AttributeValue::F64(v) => json!(v),
            AttributeValue::I32(v) => json!(v),
            AttributeValue::FloatVec3((x, y, z)) => json!([x, y, z]),
            AttributeValue::FloatVec2(v) => json!([v.x(), v.y()]),
            _ => continue,
        };
        out.insert(name.to_string(), value);
    }
    out
}

/// Which of R, G, B, A each channel of a part is. Without these names the first channel is grey.
fn places(header: &Header) -> Vec<Option<usize>> {
    let names: Vec<String> = header.channels.list.iter().map(|c| c.name.to_string()).collect();
    // Layers may be told by a prefix: the last word counts.
    let last = |name: &str| name.rsplit('.').next().unwrap_or_default().to_string();
    let of = |name: &String| ["R", "G", "B", "A"].iter().position(|c| *c == last(name));
    if names.iter().any(|name| of(name).is_some_and(|c| c < 3)) {
        let mut taken = [false; 4];
        return names
            .iter()
            .map(|name| of(name).filter(|c| !std::mem::replace(&mut taken[*c], true)))
            .collect();
    }
    (0..names.len()).map(|i| (i == 0).then_some(GREY)).collect()
}

const GREY: usize = 4;

pub fn pixels(path: &Path, part: usize, take: &mut TakePixels) -> Result<()> {
    let meta = meta_of(path)?;
    let header = meta.headers.get(part).ok_or_else(|| damaged(format!("has no part {part}")))?;
    let places = places(header);
    let types: Vec<SampleType> = header.channels.list.iter().map(|c| c.sample_type).collect();
    let reader = block::read(BufReader::new(File::open(path)?), false).map_err(damaged)?;
    let reader = reader
        .filter_chunks(false, |_, _, block| block.layer == part && block.level.0 == 0 && block.level.1 == 0)
        .map_err(damaged)?;
    for block in reader.sequential_decompressor(false) {
        let block = block.map_err(damaged)?;
        let width = block.index.pixel_size.width();
        let mut rows: HashMap<usize, Vec<[f32; 4]>> = HashMap::new();
        for line in block.lines(&meta.headers[part].channels) {
            let Some(place) = places[line.location.channel] else { continue };
            let row =
                rows.entry(line.location.position.y()).or_insert_with(|| vec![[0.0, 0.0, 0.0, 1.0]; width]);
            let mut put = |i: usize, value: f32| {
                if let Some(pixel) = row.get_mut(i) {
                    match place {
                        GREY => pixel[..3].fill(value),
                        c => pixel[c] = value,
                    }
                }
            };
            match types[line.location.channel] {
                SampleType::F16 => {
                    for (i, v) in line.read_samples::<f16>().enumerate() {
                        put(i, v.map_err(damaged)?.to_f32());
                    }
                }
                SampleType::F32 => {
                    for (i, v) in line.read_samples::<f32>().enumerate() {
                        put(i, v.map_err(damaged)?);
                    }
                }
                SampleType::U32 => {
                    for (i, v) in line.read_samples::<u32>().enumerate() {
                        put(i, v.map_err(damaged)? as f32);
                    }
                }
            }
        }
        let mut rows: Vec<_> = rows.into_iter().collect();
        rows.sort_unstable_by_key(|(y, _)| *y);
        for (y, row) in rows {
            take(y, block.index.pixel_position.x(), &row)?;
        }
    }
    Ok(())
}
