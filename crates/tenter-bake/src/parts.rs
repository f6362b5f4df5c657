//! Rows of one or several parts of an OpenEXR file, encoded piece by piece.

use crate::file_kind::FileKind;
use crate::job::{BakeError, FileStore, PieceSource, Result};
use serde::{Deserialize, Serialize};
use std::io::Write;
use tenter_formats::MOST_IN_HALF;
use tenter_formats::exr_scanlines::{
    Channel, Depth, Header, begin_parts, block_head, blocks_of, part_block_head,
};

/// A part of a file: its name, and its channels in the order of their names.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Part {
    pub name: String,
    pub channels: &'static [&'static str],
    /// Whether half values never do.
    pub float: bool,
}

pub(crate) const RGB: &[&str] = &["B", "G", "R"];
pub(crate) const RGBA: &[&str] = &["A", "B", "G", "R"];

/// What stands in a piece's content: blocks of all parts in half (if they fit), then in float.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct PartFacts {
    /// Lengths by part and block.
    half: Option<Vec<Vec<usize>>>,
    float: Option<Vec<Vec<usize>>>,
}

impl Part {
    fn channels(&self, depth: Depth) -> Vec<Channel> {
        let depth = if self.float { Depth::Float } else { depth };
        self.channels.iter().map(|name| Channel { name, depth }).collect()
    }
}

/// Encodes rows of all parts: `value` gives that of a channel, by part and place, in a pixel.
pub(crate) fn encode(
    parts: &[Part],
    kind: FileKind,
    pixels: usize,
    width: usize,
    value: &(dyn Fn(usize, usize, usize) -> f32 + Sync),
) -> Result<(PartFacts, Vec<u8>)> {
    let largest = |part: usize| {
        let channels = 0..parts[part].channels.len();
        channels.flat_map(|c| (0..pixels).map(move |i| value(part, c, i).abs())).fold(0.0f32, f32::max)
    };
    let most = (0..parts.len()).filter(|p| !parts[*p].float).map(largest).fold(0.0f32, f32::max);
    let fits = f64::from(most) <= MOST_IN_HALF;
    if kind == FileKind::ExrHalf && !fits {
        let message = format!("half: the value {most:.4e} is larger than {MOST_IN_HALF}; use float");
        return Err(BakeError::Work(message));
    }
    let mut content = Vec::new();
    let mut all = |depth: Depth| -> Vec<Vec<usize>> {
        let of_part = |(number, part): (usize, &Part)| {
            let blocks = blocks_of(&part.channels(depth), pixels, width, &|c, i| value(number, c, i));
            content.extend(blocks.concat());
            blocks.iter().map(Vec::len).collect()
        };
        parts.iter().enumerate().map(of_part).collect()
    };
    let half = (fits && kind != FileKind::ExrFloat).then(|| all(Depth::Half));
    let float = (kind != FileKind::ExrHalf).then(|| all(Depth::Float));
    Ok((PartFacts { half, float }, content))
}

impl PartFacts {
    fn lengths(&self, depth: Depth) -> &[Vec<usize>] {
        let of = if depth == Depth::Half { &self.half } else { &self.float };
        of.as_deref().unwrap_or_default()
    }

    /// Bytes of the blocks.
    pub fn bytes(&self) -> usize {
        let all = [&self.half, &self.float].into_iter().flatten();
        all.flatten().flatten().sum()
    }

    /// Where in the content the blocks of a part stand.
    fn blocks(&self, depth: Depth, part: usize) -> Vec<std::ops::Range<usize>> {
        let half: usize = self.half.iter().flatten().flatten().sum();
        let mut at = if depth == Depth::Half { 0 } else { half };
        let mut found = Vec::new();
        for (number, lengths) in self.lengths(depth).iter().enumerate() {
            for length in lengths {
                if number == part {
                    found.push(at..at + length);
                }
                at += length;
            }
        }
        found
    }
}

/// Half where all pieces have it, else float.
pub(crate) fn depth_of(facts: &[PartFacts]) -> Depth {
    if facts.iter().all(|f| f.half.is_some()) { Depth::Half } else { Depth::Float }
}

/// Writes a file of all pieces; a single part becomes an ordinary file. Returns its length in bytes.
pub(crate) fn write(
    files: &dyn FileStore,
    name: &str,
    parts: &[Part],
    [width, height]: [usize; 2],
    facts: &[PartFacts],
    pieces: &dyn PieceSource,
    describe: &dyn Fn(&mut Header),
) -> Result<u64> {
    let depth = depth_of(facts);
    let mut headers: Vec<Header> = parts
        .iter()
        .map(|part| {
            let mut header = Header::with_channels(width, height, &part.channels(depth));
            describe(&mut header);
            header
        })
        .collect();
    let single = parts.len() == 1;
    // Piece by piece, in each part by part.
    let order: Vec<(usize, usize)> = facts
        .iter()
        .flat_map(|f| f.lengths(depth).iter().enumerate())
        .flat_map(|(part, lengths)| lengths.iter().map(move |length| (part, *length)))
        .collect();
    let begin = if single {
        let lengths: Vec<usize> = order.iter().map(|(_, length)| *length).collect();
        headers.remove(0).begin(&lengths)
    } else {
        for (header, part) in headers.iter_mut().zip(parts) {
            header.name_part(&part.name);
        }
        begin_parts(&headers, &order)
    };
    let mut bytes = begin.len();
    let mut file = files.create(name)?;
    file.write_all(&begin)?;
    let mut next = vec![0; parts.len()];
    for (piece, of) in facts.iter().enumerate() {
        let content = pieces.content(piece)?;
        if content.len() < of.bytes() {
            return Err(BakeError::damaged(piece, "its length is another"));
        }
        for part in 0..parts.len() {
            for range in of.blocks(depth, part) {
                let (number, length) = (next[part], range.len());
                let head = if single {
                    block_head(number, length).to_vec()
                } else {
                    part_block_head(part, number, length).to_vec()
                };
                file.write_all(&head)?;
                file.write_all(&content[range])?;
                bytes += head.len() + length;
                next[part] += 1;
            }
        }
    }
    file.finish()?;
    Ok(bytes as u64)
}

/// Parts of a picture in layers: sky, land, clouds from the farthest to the nearest, lights, transmittance,
/// distance.
pub(crate) fn layer_parts(groups_near_to_far: &[String]) -> Vec<Part> {
    let part = |name: String, channels, float| Part { name, channels, float };
    let mut parts = vec![part("sky".into(), RGB, false), part("land".into(), RGBA, false)];
    parts.extend(groups_near_to_far.iter().rev().map(|name| part(format!("clouds.{name}"), RGBA, false)));
    parts.push(part("lights".into(), RGB, true));
    parts.push(part("transmittance".into(), RGB, false));
    parts.push(part("distance".into(), &["Z"], true));
    parts
}

/// How the parts give the whole.
pub(crate) fn how_to_compose(groups_near_to_far: &[String]) -> String {
    let mut text = "land over sky".to_string();
    for name in groups_near_to_far.iter().rev() {
        text = format!("clouds.{name} over ({text})");
    }
    format!("({text}) plus lights; RGBA are premultiplied")
}
