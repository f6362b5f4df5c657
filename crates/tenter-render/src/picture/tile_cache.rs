//! Cached marches of a tile's rays.

use crate::integrator::{CachedMarch, MarchRecorder, RecordFlags};

/// Cached marches of a tile's pixels.
#[derive(Debug, Default)]
pub struct TileCache {
    /// Number of valid intervals.
    pub bands: usize,
    plain: Store,
    pub lit: Store,
}

/// Start of each pixel's record in `words`.
#[derive(Debug, Default)]
pub struct Store {
    begins: Vec<Option<usize>>,
    words: Vec<f32>,
}

impl TileCache {
    /// Bytes held.
    pub fn size(&self) -> usize {
        self.plain.size() + self.lit.size()
    }

    /// Releases unused capacity.
    pub fn shrink(&mut self) {
        self.plain.shrink();
        self.lit.shrink();
    }

    /// Falsifies the records, so that their use can be detected.
    #[cfg(test)]
    pub fn spoil(&mut self) {
        let words = self.plain.words.iter_mut().chain(&mut self.lit.words);
        words.filter(|word| 0.0 < **word).for_each(|word| *word *= 0.5);
    }
}

impl Store {
    /// Bytes held.
    pub fn size(&self) -> usize {
        size_of_val(&self.begins[..]) + self.words.capacity() * size_of::<f32>()
    }

    fn shrink(&mut self) {
        if self.words.len() + self.words.len() / 4 < self.words.capacity() {
            self.words.shrink_to_fit();
        }
    }

    fn get(&self, pixel: usize) -> Option<&[f32]> {
        self.begins.get(pixel)?.map(|begin| &self.words[begin..])
    }

    fn keep(&mut self, pixel: usize, course: &[f32]) {
        if self.begins.len() <= pixel {
            self.begins.resize(pixel + 1, None);
        }
        if self.begins[pixel].is_none() {
            self.begins[pixel] = Some(self.words.len());
            self.words.extend_from_slice(course);
        }
    }
}

/// Access of a tile's rays to the cache.
#[derive(Default)]
pub struct TileCacheAccess<'a> {
    /// Of the last picture.
    pub before: Option<&'a TileCache>,
    /// Records that are valid in all intervals; new ones are added, lit ones where they are wanted.
    pub kept: Option<&'a mut TileCache>,
    pub lit: bool,
}

impl TileCacheAccess<'_> {
    fn all(&self) -> impl Iterator<Item = &TileCache> {
        self.kept.as_deref().into_iter().chain(self.before)
    }

    /// A pixel's march and the number of its valid intervals.
    fn plain(&self, pixel: usize) -> Option<(&[f32], usize)> {
        self.all().find_map(|kept| Some((kept.plain.get(pixel)?, kept.bands)))
    }

    fn lit(&self, pixel: usize) -> Option<&[f32]> {
        self.all().find_map(|kept| kept.lit.get(pixel))
    }

    /// Whether a pixel's record is lit, and the number of valid intervals.
    pub fn how_much(&self, pixel: usize) -> (bool, usize) {
        (self.lit(pixel).is_some(), self.plain(pixel).map_or(0, |(_, bands)| bands))
    }

    /// The cached marches of a packet, if all rays have some; the last one fills unused lanes.
    pub fn known(&self, pixels: &[usize]) -> Option<CachedMarch<'_>> {
        let lit = pixels.iter().all(|pixel| self.lit(*pixel).is_some());
        let mut known = CachedMarch { marches: [&[]; 16], intervals: usize::MAX, lit };
        for (lane, course) in known.marches.iter_mut().enumerate() {
            let pixel = pixels[lane.min(pixels.len() - 1)];
            if lit {
                *course = self.lit(pixel)?;
            } else {
                let (plain, bands) = self.plain(pixel)?;
                (*course, known.intervals) = (plain, known.intervals.min(bands));
            }
        }
        Some(known)
    }

    /// What is still to be recorded of a packet with these cached marches.
    pub fn takes(&self, known: &Option<CachedMarch>, turns: usize) -> RecordFlags {
        let keeps = self.kept.is_some();
        RecordFlags {
            plain: keeps && known.is_none_or(|known| known.intervals < turns),
            lit: keeps && self.lit && known.is_none_or(|known| !known.lit),
        }
    }

    pub fn keep(&mut self, pixels: &[usize], notes: &MarchRecorder) {
        let Some(kept) = &mut self.kept else { return };
        for (lane, pixel) in pixels.iter().enumerate() {
            if notes.flags.plain {
                kept.plain.keep(*pixel, notes.plain(lane));
            }
            if notes.flags.lit {
                kept.lit.keep(*pixel, notes.lit(lane));
            }
        }
    }
}
