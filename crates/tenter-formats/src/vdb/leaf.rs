//! Leaves of 8^3 voxels, as they stand in a file.

use half::f16;
use libdeflater::{CompressionLvl, Compressor};

/// Voxels along a side of a leaf, and in one.
pub const LEAF_SIDE: i32 = 8;
pub const LEAF_VOXELS: usize = 512;
/// Bytes of a leaf's mask.
pub(super) const MASK_BYTES: usize = LEAF_VOXELS / 8;

/// Level 6 of 12, which the reference library uses as well.
const LEVEL: i32 = 6;

/// What a tree knows of a leaf with active voxels: those that are not 0.
#[derive(Clone, Debug, PartialEq)]
pub struct LeafHead {
    /// Index of its lowest voxel; multiples of 8.
    pub origin: [i32; 3],
    pub(super) mask: [u8; MASK_BYTES],
    /// The value of all voxels, where all are active and equal: such a leaf becomes a tile, without values.
    pub(super) uniform: Option<f32>,
    /// Bytes of its values in the file.
    pub value_bytes: u32,
}

/// A leaf and its values as they stand in a file: mask, mode, then what is active.
#[derive(Clone, Debug, PartialEq)]
pub struct Leaf {
    pub head: LeafHead,
    pub values: Vec<u8>,
}

impl Leaf {
    /// `values`: z fastest, then y, then x. Nothing where no voxel is active.
    ///
    /// # Panics
    /// Where the origin is not a multiple of 8 or a value is not finite.
    pub fn encode(origin: [i32; 3], values: &[f32; LEAF_VOXELS], half: bool) -> Option<Leaf> {
        assert!(origin.iter().all(|o| o % LEAF_SIDE == 0), "{origin:?} is no leaf's origin");
        assert!(values.iter().all(|v| v.is_finite()), "a value of leaf {origin:?} is not finite");
        let rounded = |value: f32| if half { f16::from_f32(value).to_f32() } else { value };
        let mut mask = [0u8; MASK_BYTES];
        let mut active = Vec::with_capacity(LEAF_VOXELS);
        for (i, value) in values.iter().map(|value| rounded(*value)).enumerate() {
            if value != 0.0 {
                mask[i >> 3] |= 1 << (i & 7);
                active.push(value);
            }
        }
        let first = *active.first()?;
        let uniform = (active.len() == LEAF_VOXELS && active.iter().all(|v| *v == first)).then_some(first);
        let values =
            if uniform.is_some() { Vec::new() } else { [&mask[..], &value_block(&active, half)].concat() };
        let head = LeafHead { origin, mask, uniform, value_bytes: values.len() as u32 };
        Some(Leaf { head, values })
    }
}

impl LeafHead {
    /// Bytes of a head outside of OpenVDB files.
    pub const BYTES: usize = 12 + MASK_BYTES + 5 + 4;

    /// Active voxels.
    pub fn active(&self) -> usize {
        self.mask.iter().map(|byte| byte.count_ones() as usize).sum()
    }

    /// The head as bytes, to be kept apart from a file.
    pub fn to_bytes(&self) -> [u8; LeafHead::BYTES] {
        let mut out = [0; LeafHead::BYTES];
        for (axis, o) in self.origin.iter().enumerate() {
            out[4 * axis..4 * axis + 4].copy_from_slice(&o.to_le_bytes());
        }
        out[12..12 + MASK_BYTES].copy_from_slice(&self.mask);
        let rest = &mut out[12 + MASK_BYTES..];
        rest[0] = u8::from(self.uniform.is_some());
        rest[1..5].copy_from_slice(&self.uniform.unwrap_or(0.0).to_le_bytes());
        rest[5..].copy_from_slice(&self.value_bytes.to_le_bytes());
        out
    }

    /// Reads what [`LeafHead::to_bytes`] made.
    pub fn from_bytes(bytes: &[u8; LeafHead::BYTES]) -> LeafHead {
        let word = |at: usize| [bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]];
        let rest = 12 + MASK_BYTES;
        LeafHead {
            origin: [0, 4, 8].map(|at| i32::from_le_bytes(word(at))),
            mask: std::array::from_fn(|i| bytes[12 + i]),
            uniform: (bytes[rest] != 0).then(|| f32::from_le_bytes(word(rest + 1))),
            value_bytes: u32::from_le_bytes(word(rest + 5)),
        }
    }
}

/// A value block of mode 0: all inactive values are the background; the active ones, zipped where that is
/// smaller.
pub(super) fn value_block(active: &[f32], half: bool) -> Vec<u8> {
    let mut block = vec![0u8];
    let raw: Vec<u8> = if half {
        active.iter().flat_map(|v| f16::from_f32(*v).to_le_bytes()).collect()
    } else {
        active.iter().flat_map(|v| v.to_le_bytes()).collect()
    };
    if raw.is_empty() {
        // The library reads a size here for floats only.
        if !half {
            block.extend(0i64.to_le_bytes());
        }
        return block;
    }
    let mut compressor = Compressor::new(CompressionLvl::new(LEVEL).expect("a level of zlib"));
    let mut zipped = vec![0; compressor.zlib_compress_bound(raw.len())];
    match compressor.zlib_compress(&raw, &mut zipped) {
        Ok(size) if size < raw.len() => {
            block.extend((size as i64).to_le_bytes());
            block.extend(&zipped[..size]);
        }
        _ => {
            block.extend((-(raw.len() as i64)).to_le_bytes());
            block.extend(raw);
        }
    }
    block
}
