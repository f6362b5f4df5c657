//! Images of any origin: what a file says of itself, and its pixels in the order in which they stand, without
//! having all of them in memory. Sizes are held against the file's length before anything is allocated.

mod exr;
mod others;

use serde::Serialize;
use serde_json::{Map, Value};
use std::path::Path;

/// Most pixels of an image.
pub const MOST_PIXELS: u64 = 1 << 29;
/// Largest side, pixels.
pub const LARGEST_SIDE: u64 = 1 << 16;

/// Why a file was not read.
#[derive(Debug, thiserror::Error)]
pub enum InspectError {
    #[error("{0}")]
    Io(#[from] std::io::Error),
    /// The file is not what its name says, or is damaged.
    #[error("{0}")]
    Damaged(String),
    #[error("{0}")]
    TooLarge(String),
    #[error("called off")]
    Cancelled,
}

pub type Result<T> = std::result::Result<T, InspectError>;

fn damaged(e: impl ToString) -> InspectError {
    InspectError::Damaged(e.to_string())
}

/// Kinds of files that can be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum FileType {
    Exr,
    Hdr,
    Ktx2,
    Png,
    Vdb,
}

impl FileType {
    /// By the first bytes, whatever the name.
    pub fn of(begin: &[u8]) -> Option<FileType> {
        let starts = |with: &[u8]| begin.starts_with(with);
        if starts(&[0x76, 0x2f, 0x31, 0x01]) {
            Some(FileType::Exr)
        } else if starts(b"#?") {
            Some(FileType::Hdr)
        } else if starts(&[0xAB, b'K', b'T', b'X', b' ', b'2', b'0', 0xBB]) {
            Some(FileType::Ktx2)
        } else if starts(&[0x89, b'P', b'N', b'G', b'\r', b'\n', 0x1A, b'\n']) {
            Some(FileType::Png)
        } else if starts(&0x5644_4220u64.to_le_bytes()) {
            Some(FileType::Vdb)
        } else {
            None
        }
    }

    pub fn of_file(path: &Path) -> Result<FileType> {
        use std::io::Read;
        let mut begin = Vec::new();
        std::fs::File::open(path)?.take(16).read_to_end(&mut begin)?;
        FileType::of(&begin).ok_or_else(|| {
            damaged("is none of OpenEXR, Radiance HDR, KTX2, PNG and OpenVDB by its first bytes")
        })
    }
}

/// How directions are laid out in an image, as far as it says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Panorama {
    Latlong,
    /// Six faces one below the other, as OpenEXR has them.
    Cube,
    Fisheye,
}

/// A part of a file.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct PartInfo {
    pub name: String,
    /// Names of channels with the type of their values.
    pub channels: Vec<(String, String)>,
    pub width: usize,
    pub height: usize,
}

/// What an image says of itself.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ImageInfo {
    pub parts: Vec<PartInfo>,
    pub attributes: Map<String, Value>,
    pub panorama: Option<Panorama>,
    /// Whether values are for a display, not linear light.
    pub display: bool,
}

/// Takes pixels of a row: the row, its first column, and RGBA of each; channels that are not there are those
/// of grey, or 1 for opacity.
pub type TakePixels<'a> = dyn FnMut(usize, usize, &[[f32; 4]]) -> Result<()> + 'a;

/// What an image says of itself.
pub fn info(path: &Path) -> Result<ImageInfo> {
    match FileType::of_file(path)? {
        FileType::Exr => exr::info(path),
        FileType::Hdr => others::hdr_info(path),
        FileType::Ktx2 => others::ktx2_info(path),
        FileType::Png => others::png_info(path),
        FileType::Vdb => Err(damaged("is a volume, no image")),
    }
}

/// Gives the pixels of a part, each once.
pub fn pixels(path: &Path, part: usize, take: &mut TakePixels) -> Result<()> {
    match FileType::of_file(path)? {
        FileType::Exr => exr::pixels(path, part, take),
        FileType::Hdr => others::hdr_pixels(path, take),
        FileType::Ktx2 => others::ktx2_pixels(path, take),
        FileType::Png => others::png_pixels(path, take),
        FileType::Vdb => Err(damaged("is a volume, no image")),
    }
}

/// Refuses sizes that no file of this length can hold, or that are beyond what is worked with.
fn check_size(width: u64, height: u64) -> Result<()> {
    if width == 0 || height == 0 {
        return Err(damaged(format!("{width} x {height} pixels")));
    }
    if width > LARGEST_SIDE || height > 6 * LARGEST_SIDE || width * height > MOST_PIXELS {
        return Err(InspectError::TooLarge(format!(
            "{width} x {height} pixels are too many: up to {LARGEST_SIDE} a side and {MOST_PIXELS} in all"
        )));
    }
    Ok(())
}

/// By its proportions, where a file says nothing.
fn guessed(width: usize, height: usize) -> Option<Panorama> {
    if width == 2 * height {
        Some(Panorama::Latlong)
    } else if height == 6 * width {
        Some(Panorama::Cube)
    } else {
        None
    }
}
