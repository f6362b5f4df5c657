//! Reading float grids (`Tree_float_5_4_3`, file version 222 to 224), whoever wrote them: every length is
//! held against the bytes that are left before anything is allocated.

use super::leaf::LEAF_VOXELS;
use crate::inspect::{InspectError, Result};
use half::f16;
use libdeflater::Decompressor;
use serde_json::{Map, Value, json};
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;

const MAGIC: i64 = 0x5644_4220;
const VERSIONS: std::ops::RangeInclusive<u32> = 222..=224;
/// Longest name, most bytes of a metadata entry, most entries, grids, and leaves of a grid.
const LONGEST_TEXT: u32 = 1 << 16;
const MOST_METADATA: u32 = 1 << 20;
const MOST_ENTRIES: u32 = 4096;
const MOST_GRIDS: i32 = 256;
const MOST_LEAVES: usize = 8 << 20;
const ZIP: u32 = 1;
const ACTIVE_MASK: u32 = 2;
const BLOSC: u32 = 4;

fn damaged<T>(why: impl ToString) -> Result<T> {
    Err(InspectError::Damaged(why.to_string()))
}

/// A grid as its file describes it.
#[derive(Clone, Debug, PartialEq)]
pub struct GridDescription {
    pub name: String,
    /// The tree's type, without the suffix for half values.
    pub tree: String,
    pub half: bool,
    pub metadata: Map<String, Value>,
    /// World position of index (i, j, k): (i, j, k, 1) times this.
    pub transform: [[f64; 4]; 4],
    compression: u32,
    /// Where its topology begins.
    topology: u64,
    end: u64,
}

/// A leaf's origin, mask and values; inactive ones are the background.
pub type TakeLeaf<'a> = dyn FnMut([i32; 3], &[u64; 8], &[f32; LEAF_VOXELS]) -> Result<()> + 'a;

/// What a file holds: its own metadata and its grids.
pub fn describe(path: &Path) -> Result<(Map<String, Value>, Vec<GridDescription>)> {
    let mut file = Cursor::open(path)?;
    if file.i64()? != MAGIC {
        return damaged("is no OpenVDB file");
    }
    let version = file.u32()?;
    if !VERSIONS.contains(&version) {
        return damaged(format!("file version {version} is not read, 222 to 224 are"));
    }
    file.skip(8)?;
    if file.u8()? == 0 {
        return damaged("grids without offsets are not read");
    }
    file.skip(36)?;
    let metadata = file.metadata()?;
    let count = file.u32()? as i32;
    if !(0..=MOST_GRIDS).contains(&count) {
        return damaged(format!("{count} grids"));
    }
    let mut grids = Vec::new();
    for _ in 0..count {
        let name = file.text()?;
        let tree = file.text()?;
        if !file.text()?.is_empty() {
            return damaged(format!("grid {name} is an instance of another, which is not read"));
        }
        let [grid, block, end] = [file.i64()?, file.i64()?, file.i64()?].map(|v| v.max(0) as u64);
        if grid != file.at || block < grid || end < block || end > file.length {
            return damaged(format!("grid {name}: its offsets lead elsewhere"));
        }
        let compression = file.u32()?;
        if compression & !(ZIP | ACTIVE_MASK | BLOSC) != 0 {
            return damaged(format!("grid {name}: compression {compression} is not known"));
        }
        let metadata = file.metadata()?;
        let transform = file.transform()?;
        let half = tree.ends_with("_HalfFloat");
        grids.push(GridDescription {
            name: name.split('\u{1e}').next().unwrap_or_default().into(),
            tree: tree.trim_end_matches("_HalfFloat").into(),
            half,
            metadata,
            transform,
            compression,
            topology: file.at,
            end,
        });
        file.seek(end)?;
    }
    Ok((metadata, grids))
}

/// Gives all leaves of a grid; tiles of level 4 come as leaves of one value. Returns how many tiles of higher
/// levels were left out.
pub fn leaves(path: &Path, grid: &GridDescription, take: &mut TakeLeaf) -> Result<usize> {
    if grid.tree != "Tree_float_5_4_3" {
        return damaged(format!("grid {}: {} is not read, Tree_float_5_4_3 is", grid.name, grid.tree));
    }
    if grid.compression & BLOSC != 0 {
        return damaged(format!("grid {}: blosc is not read", grid.name));
    }
    let mut file = Cursor::open(path)?;
    file.seek(grid.topology)?;
    file.length = grid.end;
    let mut tree = Tree { half: grid.half, compression: grid.compression, background: 0.0, left_out: 0 };
    if file.u32()? != 1 {
        return damaged("a grid has one buffer");
    }
    tree.background = file.f32()?;
    let (tiles, children) = (file.u32()?, file.u32()?);
    file.needs(u64::from(tiles) * 17 + u64::from(children) * 8205)?;
    file.skip(u64::from(tiles) * 17)?;
    tree.left_out += tiles as usize;
    let mut origins: Vec<([i32; 3], [u64; 8])> = Vec::new();
    for _ in 0..children {
        tree.level_5(&mut file, &mut origins, take)?;
    }
    let mut values = [0.0; LEAF_VOXELS];
    for (origin, mask) in origins {
        if file.mask::<8>()? != mask {
            return damaged("a leaf has two masks");
        }
        tree.values(&mut file, &mask, &mut values)?;
        take(origin, &mask, &values)?;
    }
    Ok(tree.left_out)
}

struct Tree {
    half: bool,
    compression: u32,
    background: f32,
    left_out: usize,
}

impl Tree {
    fn level_5(
        &mut self,
        file: &mut Cursor,
        leaves: &mut Vec<([i32; 3], [u64; 8])>,
        take: &mut TakeLeaf,
    ) -> Result<()> {
        let origin = file.origin()?;
        if origin.iter().any(|o| o & 4095 != 0) {
            return damaged(format!("{origin:?} is no node's origin"));
        }
        let children = file.mask::<512>()?;
        let active = file.mask::<512>()?;
        let mut values = vec![0.0; 32768];
        self.values(file, &active, &mut values)?;
        self.left_out += bits(&active).count();
        for child in bits(&children) {
            let at = [child >> 10, child >> 5 & 31, child & 31].map(|v| (v * 128) as i32);
            self.level_4(file, add(origin, at)?, leaves, take)?;
        }
        Ok(())
    }

    fn level_4(
        &mut self,
        file: &mut Cursor,
        origin: [i32; 3],
        leaves: &mut Vec<([i32; 3], [u64; 8])>,
        take: &mut TakeLeaf,
    ) -> Result<()> {
        let children = file.mask::<64>()?;
        let active = file.mask::<64>()?;
        if children.iter().zip(&active).any(|(a, b)| a & b != 0) {
            return damaged("a slot is both a node and a tile");
        }
        let mut values = vec![0.0; 4096];
        self.values(file, &active, &mut values)?;
        let place = |slot: usize| [slot >> 8, slot >> 4 & 15, slot & 15].map(|v| (v * 8) as i32);
        for tile in bits(&active) {
            take(add(origin, place(tile))?, &[u64::MAX; 8], &[values[tile]; LEAF_VOXELS])?;
        }
        for child in bits(&children) {
            if leaves.len() >= MOST_LEAVES {
                return Err(InspectError::TooLarge(format!("over {MOST_LEAVES} leaves")));
            }
            leaves.push((add(origin, place(child))?, file.mask::<8>()?));
        }
        Ok(())
    }

    /// A value block: `out` has a value for each slot.
    fn values(&self, file: &mut Cursor, mask: &[u64], out: &mut [f32]) -> Result<()> {
        let mode = file.u8()?;
        let mut inactive = [self.background, -self.background];
        let mut selection: Vec<u64> = Vec::new();
        let masked = self.compression & ACTIVE_MASK != 0;
        match mode {
            0 | 6 => {}
            1 => inactive[0] = -self.background,
            2 => inactive[0] = file.f32()?,
            3 => inactive = [-self.background, self.background],
            4 => inactive = [file.f32()?, self.background],
            5 => inactive = [file.f32()?, file.f32()?],
            mode => return damaged(format!("mode {mode} is not known")),
        }
        if (3..=5).contains(&mode) {
            selection = file.words(out.len() / 64)?;
        }
        let all = mode == 6 || !masked;
        let count = if all { out.len() } else { bits(mask).count() };
        let values = self.payload(file, count)?;
        if all {
            out.copy_from_slice(&values);
            return Ok(());
        }
        for (i, v) in out.iter_mut().enumerate() {
            let second = selection.get(i >> 6).is_some_and(|word| word >> (i & 63) & 1 == 1);
            *v = inactive[usize::from(second)];
        }
        for (i, value) in bits(mask).zip(values) {
            out[i] = value;
        }
        Ok(())
    }

    fn payload(&self, file: &mut Cursor, count: usize) -> Result<Vec<f32>> {
        let bytes = count * if self.half { 2 } else { 4 };
        let raw = if self.compression & ZIP == 0 || (count == 0 && self.half) {
            file.bytes(bytes)?
        } else {
            let length = file.i64()?;
            if length <= 0 {
                let plain = length.unsigned_abs();
                if plain != bytes as u64 {
                    return damaged(format!("{plain} bytes for {count} values"));
                }
                file.bytes(bytes)?
            } else {
                let packed = file.bytes(length as usize)?;
                let mut plain = vec![0; bytes];
                match Decompressor::new().zlib_decompress(&packed, &mut plain) {
                    Ok(size) if size == bytes => plain,
                    _ => return damaged(format!("a block of {count} values is damaged")),
                }
            }
        };
        let values: Vec<f32> = if self.half {
            raw.as_chunks::<2>().0.iter().map(|b| f16::from_le_bytes(*b).to_f32()).collect()
        } else {
            raw.as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b)).collect()
        };
        if values.iter().any(|v| !v.is_finite()) {
            return damaged("a value is not finite");
        }
        Ok(values)
    }
}

fn add(a: [i32; 3], b: [i32; 3]) -> Result<[i32; 3]> {
    let sum = [0, 1, 2].map(|k| a[k].checked_add(b[k]));
    match sum {
        [Some(x), Some(y), Some(z)] => Ok([x, y, z]),
        _ => damaged("an origin is out of range"),
    }
}

/// Places of set bits.
fn bits(mask: &[u64]) -> impl Iterator<Item = usize> {
    mask.iter()
        .enumerate()
        .flat_map(|(w, word)| (0..64).filter(move |b| word >> b & 1 == 1).map(move |b| w * 64 + b))
}

/// A file that is read from its beginning to its end.
struct Cursor {
    file: BufReader<File>,
    at: u64,
    length: u64,
}

impl Cursor {
    fn open(path: &Path) -> Result<Cursor> {
        let file = File::open(path)?;
        let length = file.metadata()?.len();
        Ok(Cursor { file: BufReader::with_capacity(1 << 18, file), at: 0, length })
    }

    fn needs(&self, bytes: u64) -> Result<()> {
        if bytes > self.length.saturating_sub(self.at) {
            return damaged(format!("ends {bytes} bytes too early"));
        }
        Ok(())
    }

    fn seek(&mut self, to: u64) -> Result<()> {
        self.file.seek(SeekFrom::Start(to))?;
        self.at = to;
        Ok(())
    }

    fn skip(&mut self, bytes: u64) -> Result<()> {
        self.needs(bytes)?;
        self.seek(self.at + bytes)
    }

    fn bytes(&mut self, count: usize) -> Result<Vec<u8>> {
        self.needs(count as u64)?;
        let mut out = vec![0; count];
        self.file.read_exact(&mut out)?;
        self.at += count as u64;
        Ok(out)
    }

    fn array<const N: usize>(&mut self) -> Result<[u8; N]> {
        self.needs(N as u64)?;
        let mut out = [0; N];
        self.file.read_exact(&mut out)?;
        self.at += N as u64;
        Ok(out)
    }

    fn u8(&mut self) -> Result<u8> {
        Ok(self.array::<1>()?[0])
    }
    fn u32(&mut self) -> Result<u32> {
        Ok(u32::from_le_bytes(self.array()?))
    }
    fn i64(&mut self) -> Result<i64> {
        Ok(i64::from_le_bytes(self.array()?))
    }
    fn f32(&mut self) -> Result<f32> {
        Ok(f32::from_le_bytes(self.array()?))
    }
    fn f64(&mut self) -> Result<f64> {
        Ok(f64::from_le_bytes(self.array()?))
    }

    fn origin(&mut self) -> Result<[i32; 3]> {
        Ok([self.u32()? as i32, self.u32()? as i32, self.u32()? as i32])
    }

    fn words(&mut self, count: usize) -> Result<Vec<u64>> {
        Ok(self.bytes(8 * count)?.as_chunks::<8>().0.iter().map(|b| u64::from_le_bytes(*b)).collect())
    }

    fn mask<const N: usize>(&mut self) -> Result<[u64; N]> {
        let words = self.words(N)?;
        Ok(std::array::from_fn(|i| words[i]))
    }

    fn text(&mut self) -> Result<String> {
        let length = self.u32()?;
        if length > LONGEST_TEXT {
            return damaged(format!("a name of {length} bytes"));
        }
        String::from_utf8(self.bytes(length as usize)?).or_else(|_| damaged("a name is no UTF-8"))
    }

    fn metadata(&mut self) -> Result<Map<String, Value>> {
        let count = self.u32()?;
        if count > MOST_ENTRIES {
            return damaged(format!("{count} entries of metadata"));
        }
        let mut out = Map::new();
        for _ in 0..count {
            let (name, kind) = (self.text()?, self.text()?);
            let size = self.u32()?;
            if size > MOST_METADATA {
                return damaged(format!("{name} has {size} bytes"));
            }
            let value = self.bytes(size as usize)?;
            if let Some(value) = value_of(&kind, &value) {
                out.insert(name, value);
            }
        }
        Ok(out)
    }

    fn numbers<const N: usize>(&mut self) -> Result<[f64; N]> {
        let mut out = [0.0; N];
        for v in &mut out {
            *v = self.f64()?;
        }
        Ok(out)
    }

    fn transform(&mut self) -> Result<[[f64; 4]; 4]> {
        let kind = self.text()?;
        let scaled = |s: [f64; 3], t: [f64; 3]| {
            [[s[0], 0.0, 0.0, 0.0], [0.0, s[1], 0.0, 0.0], [0.0, 0.0, s[2], 0.0], [t[0], t[1], t[2], 1.0]]
        };
        let matrix = match kind.as_str() {
            "UniformScaleMap" | "ScaleMap" => {
                let scale = self.numbers()?;
                self.numbers::<12>()?;
                scaled(scale, [0.0; 3])
            }
            "UniformScaleTranslateMap" | "ScaleTranslateMap" => {
                let translation = self.numbers()?;
                let scale = self.numbers()?;
                self.numbers::<12>()?;
                scaled(scale, translation)
            }
            "TranslationMap" => scaled([1.0; 3], self.numbers()?),
            "AffineMap" | "UnitaryMap" => {
                let m = self.numbers::<16>()?;
                std::array::from_fn(|i| std::array::from_fn(|k| m[4 * i + k]))
            }
            other => return damaged(format!("transform {other} is not read")),
        };
        if matrix.iter().flatten().any(|v| !v.is_finite()) {
            return damaged("a transform is not finite");
        }
        Ok(matrix)
    }
}

fn value_of(kind: &str, bytes: &[u8]) -> Option<Value> {
    let f64s = || bytes.as_chunks::<8>().0.iter().map(|b| f64::from_le_bytes(*b)).collect::<Vec<_>>();
    let f32s = || bytes.as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b)).collect::<Vec<_>>();
    let i32s = || bytes.as_chunks::<4>().0.iter().map(|b| i32::from_le_bytes(*b)).collect::<Vec<_>>();
    Some(match (kind, bytes.len()) {
        ("bool", 1) => json!(bytes[0] != 0),
        ("int32", 4) => json!(i32s()[0]),
        ("int64", 8) => json!(i64::from_le_bytes(bytes.try_into().ok()?)),
        ("float", 4) => json!(f32s()[0]),
        ("double", 8) => json!(f64s()[0]),
        ("vec3i", 12) => json!(i32s()),
        ("vec3s", 12) => json!(f32s()),
        ("vec3d", 24) => json!(f64s()),
        ("string", _) => String::from_utf8_lossy(bytes).into_owned().into(),
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::vdb::{Grid, GridSettings, GridTransform, Leaf, MetaValue, file_head, tree_order};

    type Leaves = Vec<([i32; 3], [f32; LEAF_VOXELS])>;

    /// A file of three leaves in three nodes, one of them of one value.
    fn file(half: bool) -> (Vec<u8>, Leaves) {
        let wave = |seed: usize| -> [f32; LEAF_VOXELS] {
            std::array::from_fn(
                |i| if (i + seed).is_multiple_of(3) { 0.0 } else { (i + seed) as f32 / 1024.0 },
            )
        };
        let mut leaves =
            vec![([-8, 16, 0], wave(1)), ([0, 0, 120], wave(7)), ([128, 8, -256], [0.5; LEAF_VOXELS])];
        leaves.sort_by_key(|(origin, _)| tree_order(*origin));
        let transform = GridTransform { voxel: 20.0, translation: [10.0; 3], axes: GridTransform::Y_UP };
        let metadata = vec![("extinction_per_m".to_string(), MetaValue::Double(0.06))];
        let mut grid = Grid::new(GridSettings { name: "density".into(), half, transform, metadata });
        let encoded: Vec<Leaf> =
            leaves.iter().map(|(origin, values)| Leaf::encode(*origin, values, half).unwrap()).collect();
        encoded.iter().for_each(|leaf| grid.push(&leaf.head));
        let mut bytes = file_head("01234567-0123-0123-0123-0123456789ab", &[], 1);
        let (head, end) = grid.head(bytes.len() as u64);
        bytes.extend(head);
        encoded.iter().for_each(|leaf| bytes.extend(&leaf.values));
        assert_eq!(bytes.len() as u64, end);
        (bytes, leaves)
    }

    fn read(bytes: &[u8]) -> Result<Leaves> {
        let folder = tempfile::tempdir()?;
        let path = folder.path().join("v.vdb");
        std::fs::write(&path, bytes)?;
        let mut found = Vec::new();
        for grid in &describe(&path)?.1 {
            leaves(&path, grid, &mut |origin, _, values| {
                found.push((origin, *values));
                Ok(())
            })?;
        }
        found.sort_by_key(|(origin, _)| tree_order(*origin));
        Ok(found)
    }

    #[test]
    fn what_was_written_is_read() {
        for half in [false, true] {
            let (bytes, leaves) = file(half);
            let found = read(&bytes).unwrap();
            assert_eq!(found.len(), leaves.len());
            for ((origin, got), (expected_origin, expected)) in found.iter().zip(&leaves) {
                assert_eq!(origin, expected_origin);
                assert!(got.iter().zip(expected).all(|(a, b)| (a - b).abs() <= 5e-4), "{origin:?}");
            }
        }
    }

    /// Cut anywhere it is damaged; with any byte changed it is read or refused, and nothing worse.
    #[test]
    fn damage_is_told() {
        let (bytes, _) = file(true);
        for cut in (0..bytes.len()).step_by(97) {
            assert!(read(&bytes[..cut]).is_err(), "{cut} of {}", bytes.len());
        }
        for at in (0..bytes.len()).step_by(53) {
            for value in [0x00, 0x7f, 0xff] {
                let mut changed = bytes.clone();
                changed[at] = value;
                let _ = read(&changed);
            }
        }
    }
}
