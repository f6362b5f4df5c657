//! A grid's topology: which leaves there are, and where their values stand in the file.

use super::leaf::{LEAF_SIDE, LEAF_VOXELS, LeafHead, MASK_BYTES, value_block};
use super::metadata::{MetaValue, put_metadata, put_string};
use std::collections::BTreeMap;

/// Voxels along a side of the nodes of level 4 and 5.
pub const NODE_4: i32 = 128;
const NODE_5: i32 = 4096;
/// Compression flags: zip, and active values only.
const ZIP_AND_MASK: u32 = 3;

/// Where voxels lie in the world.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GridTransform {
    /// Width of a voxel, m.
    pub voxel: f64,
    /// Position of the centre of voxel 0, m.
    pub translation: [f64; 3],
    /// World axes of the index axes x, y and z: rows of a rotation or an exchange of axes.
    pub axes: [[f64; 3]; 3],
}

impl GridTransform {
    pub const Y_UP: [[f64; 3]; 3] = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];

    fn put(&self, out: &mut Vec<u8>) {
        let mut put = |values: &[f64]| out.extend(values.iter().flat_map(|v| v.to_le_bytes()));
        let voxel = [self.voxel; 3];
        if self.axes == GridTransform::Y_UP {
            let inverse = voxel.map(|v| 1.0 / v);
            let fields = [
                self.translation,
                voxel,
                voxel.map(f64::abs),
                inverse,
                inverse.map(|v| v * v),
                inverse.map(|v| 0.5 * v),
            ];
            put(fields.as_flattened());
        } else {
            // Rows of (i, j, k, 1) M.
            let mut matrix = [[0.0; 4]; 4];
            for (row, axis) in matrix.iter_mut().zip(self.axes) {
                for (value, part) in row.iter_mut().zip(axis) {
                    *value = part * self.voxel;
                }
            }
            matrix[3] = [self.translation[0], self.translation[1], self.translation[2], 1.0];
            put(matrix.as_flattened());
        }
    }

    fn map_type(&self) -> &'static str {
        if self.axes == GridTransform::Y_UP { "UniformScaleTranslateMap" } else { "AffineMap" }
    }
}

/// What a grid is besides its voxels.
#[derive(Clone, Debug, PartialEq)]
pub struct GridSettings {
    pub name: String,
    /// 16-bit values.
    pub half: bool,
    pub transform: GridTransform,
    /// Beside class, name, bounds and counts, which are written by themselves.
    pub metadata: Vec<(String, MetaValue)>,
}

/// A node of level 4: its leaves by their offset.
type Node = BTreeMap<u16, (Option<f32>, [u8; MASK_BYTES])>;

/// A fog volume's topology; some 120 bytes of memory a leaf. Values follow it in the file leaf by leaf, in
/// [`tree_order`].
pub struct Grid {
    settings: GridSettings,
    /// Nodes of level 4 by the origin of their node of level 5 and their offset in it.
    nodes: BTreeMap<([i32; 3], u16), Node>,
    low: [i32; 3],
    high: [i32; 3],
    active: u64,
    leaves: usize,
    /// Bytes of all leaves' values.
    values: u64,
}

/// Sorts leaves (by origin) as they stand in a tree.
pub fn tree_order(origin: [i32; 3]) -> ([i32; 3], u16, u16) {
    let root = origin.map(|o| o & !(NODE_5 - 1));
    (root, offset(origin, NODE_5, NODE_4), offset(origin, NODE_4, LEAF_SIDE))
}

impl Grid {
    pub fn new(settings: GridSettings) -> Grid {
        Grid {
            settings,
            nodes: BTreeMap::new(),
            low: [i32::MAX; 3],
            high: [i32::MIN; 3],
            active: 0,
            leaves: 0,
            values: 0,
        }
    }

    pub fn name(&self) -> &str {
        &self.settings.name
    }

    /// Active voxels so far.
    pub fn active(&self) -> u64 {
        self.active
    }

    pub fn leaves(&self) -> usize {
        self.leaves
    }

    /// Takes a leaf; no origin may come twice.
    pub fn push(&mut self, leaf: &LeafHead) {
        let origin = leaf.origin;
        for (axis, from) in origin.into_iter().enumerate() {
            let (first, last) = extent(&leaf.mask, axis);
            self.low[axis] = self.low[axis].min(from + first);
            self.high[axis] = self.high[axis].max(from + last);
        }
        self.active += leaf.active() as u64;
        self.leaves += 1;
        self.values += u64::from(leaf.value_bytes);
        let (root, node, at) = tree_order(origin);
        self.nodes.entry((root, node)).or_default().insert(at, (leaf.uniform, leaf.mask));
    }

    fn type_name(&self) -> &'static str {
        if self.settings.half { "Tree_float_5_4_3_HalfFloat" } else { "Tree_float_5_4_3" }
    }

    /// Descriptor, compression, metadata, transform and topology of a grid that stands at a position in its
    /// file; and the position after its values.
    pub fn head(&self, at: u64) -> (Vec<u8>, u64) {
        let mut out = Vec::new();
        put_string(&mut out, self.name());
        put_string(&mut out, self.type_name());
        put_string(&mut out, "");
        let body = self.body();
        let grid = at + out.len() as u64 + 24;
        let values = grid + body.len() as u64;
        let end = values + self.values;
        for position in [grid, values, end] {
            out.extend((position as i64).to_le_bytes());
        }
        out.extend(body);
        (out, end)
    }

    fn body(&self) -> Vec<u8> {
        let mut out = ZIP_AND_MASK.to_le_bytes().to_vec();
        let text = |value: &str| MetaValue::Text(value.into());
        let mut metadata = vec![
            ("class".to_string(), text("fog volume")),
            ("file_compression".into(), text("zip + active values")),
            ("file_voxel_count".into(), MetaValue::Int64(self.active as i64)),
            ("is_saved_as_half_float".into(), MetaValue::Bool(self.settings.half)),
            ("name".into(), text(&self.settings.name)),
        ];
        if self.active > 0 {
            metadata.push(("file_bbox_min".into(), MetaValue::Vec3i(self.low)));
            metadata.push(("file_bbox_max".into(), MetaValue::Vec3i(self.high)));
        }
        metadata.extend(self.settings.metadata.iter().cloned());
        metadata.sort_by(|(a, _), (b, _)| a.cmp(b));
        put_metadata(&mut out, &metadata);
        put_string(&mut out, self.settings.transform.map_type());
        self.settings.transform.put(&mut out);
        self.put_topology(&mut out);
        out
    }

    fn put_topology(&self, out: &mut Vec<u8>) {
        let mut roots: Vec<[i32; 3]> = self.nodes.keys().map(|(root, _)| *root).collect();
        roots.dedup();
        // One buffer, background 0, no tiles.
        out.extend(1i32.to_le_bytes());
        out.extend(0f32.to_le_bytes());
        out.extend(0u32.to_le_bytes());
        out.extend((roots.len() as u32).to_le_bytes());
        for root in roots {
            out.extend(root.iter().flat_map(|o| o.to_le_bytes()));
            let inside = || self.nodes.range((root, 0)..=(root, u16::MAX));
            let children: Vec<u16> = inside().map(|((_, offset), _)| *offset).collect();
            out.extend(mask_of(&children, 32 * 32 * 32));
            out.extend([0; 32 * 32 * 32 / 8]);
            out.extend(value_block(&[], self.settings.half));
            for (_, node) in inside() {
                put_node(out, node, self.settings.half);
            }
        }
    }
}

/// A node of level 4: its leaves, and full ones of one value as active tiles.
fn put_node(out: &mut Vec<u8>, node: &Node, half: bool) {
    let of = |tile: bool| -> Vec<u16> {
        node.iter().filter(|(_, (uniform, _))| uniform.is_some() == tile).map(|(offset, _)| *offset).collect()
    };
    let tiles: Vec<f32> = node.values().filter_map(|(uniform, _)| *uniform).collect();
    out.extend(mask_of(&of(false), 16 * 16 * 16));
    out.extend(mask_of(&of(true), 16 * 16 * 16));
    out.extend(value_block(&tiles, half));
    for (_, mask) in node.values().filter(|(uniform, _)| uniform.is_none()) {
        out.extend(mask);
    }
}

/// Offset of a child in its parent: x slowest, z fastest.
fn offset(index: [i32; 3], parent: i32, child: i32) -> u16 {
    let side = parent / child;
    let [x, y, z] = index.map(|i| (i & (parent - 1)) / child);
    ((x * side + y) * side + z) as u16
}

fn mask_of(offsets: &[u16], slots: usize) -> Vec<u8> {
    let mut mask = vec![0u8; slots / 8];
    for offset in offsets {
        mask[usize::from(offset >> 3)] |= 1 << (offset & 7);
    }
    mask
}

/// First and last active voxel of a leaf along an axis.
fn extent(mask: &[u8; MASK_BYTES], axis: usize) -> (i32, i32) {
    let active = (0..LEAF_VOXELS).filter(|i| mask[i >> 3] >> (i & 7) & 1 == 1);
    let along = active.map(|i| (i >> (6 - 3 * axis) & 7) as i32);
    along.fold((LEAF_SIDE, -1), |(low, high), i| (low.min(i), high.max(i)))
}
