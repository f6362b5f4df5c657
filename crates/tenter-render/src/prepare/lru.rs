//! A cache of scene parts, keyed by the content they were built from.

use crate::air::{Build, TableQuality};
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

pub type Key = [u8; 32];

/// Hash of parts of a document, keys of other parts, and a quality.
pub fn key(parts: impl Serialize, quality: TableQuality) -> Key {
    let json = serde_json::to_vec(&parts).expect("parts of documents are plain data");
    let mut hash = Sha256::new();
    hash.update([quality as u8]);
    hash.update(json);
    hash.finalize().into()
}

/// The work was cancelled.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("called off")]
pub struct Cancelled;

/// A least-recently-used cache.
pub struct Lru<T>(Mutex<Entries<T>>);

struct Entries<T> {
    capacity: usize,
    /// Most recently used last.
    entries: Vec<(Key, Arc<T>)>,
}

impl<T> Entries<T> {
    /// Evicts the least recently used until there is room for so many.
    fn make_room(&mut self, count: usize) {
        let old = (self.entries.len() + count).saturating_sub(self.capacity).min(self.entries.len());
        self.entries.drain(..old);
    }
}

impl<T> Lru<T> {
    pub fn with_capacity(capacity: usize) -> Self {
        Lru(Mutex::new(Entries { capacity, entries: Vec::new() }))
    }

    fn entries(&self) -> MutexGuard<'_, Entries<T>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Sets the capacity, which evicts at once.
    pub fn set_capacity(&self, capacity: usize) {
        let mut entries = self.entries();
        entries.capacity = capacity;
        entries.make_room(0);
    }

    /// A cached value, which becomes the most recently used.
    fn touch(&self, key: &Key) -> Option<Arc<T>> {
        let kept = &mut self.entries().entries;
        let i = kept.iter().position(|(k, _)| k == key)?;
        let entry = kept.remove(i);
        kept.push(entry);
        kept.last().map(|(_, value)| value.clone())
    }

    /// The cached value, or a new one. Two callers at once may both build it: that costs time but nobody
    /// waits.
    pub fn get_or_build(
        &self,
        key: Key,
        build: Build,
        make: impl FnOnce() -> T,
    ) -> Result<Arc<T>, Cancelled> {
        if let Some(kept) = self.touch(&key) {
            return Ok(kept);
        }
        let made = Arc::new(make());
        if build.is_cancelled() {
            return Err(Cancelled);
        }
        let mut entries = self.entries();
        entries.make_room(1);
        entries.entries.push((key, made.clone()));
        Ok(made)
    }

    /// A cached value and its key.
    pub fn find(&self, key: Key) -> Option<(Key, Arc<T>)> {
        Some((key, self.touch(&key)?))
    }

    /// The cached value of the best quality, and its key. A draft is satisfied by a full one: where nothing
    /// has changed first pictures show what the last one did, and do not jump.
    pub fn find_best(&self, key: impl Fn(TableQuality) -> Key, build: Build) -> Option<(Key, Arc<T>)> {
        let fine = (build.quality == TableQuality::Draft).then_some(TableQuality::Full);
        fine.into_iter().chain([build.quality]).map(key).find_map(|key| self.find(key))
    }

    /// The same, or a new one.
    pub fn best_or_build(
        &self,
        key: impl Fn(TableQuality) -> Key,
        build: Build,
        make: impl FnOnce() -> T,
    ) -> Result<(Key, Arc<T>), Cancelled> {
        if let Some(kept) = self.find_best(&key, build) {
            return Ok(kept);
        }
        let key = key(build.quality);
        Ok((key, self.get_or_build(key, build, make)?))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn number(quality: TableQuality) -> Key {
        key("a number", quality)
    }

    /// A draft is built where no full value is cached, and a full one beside a draft.
    #[test]
    fn what_is_fine_is_good_enough_for_a_draft() {
        let stage = Lru::with_capacity(4);
        let best = |quality: TableQuality, made: u32| {
            *stage.best_or_build(number, quality.into(), || made).unwrap().1
        };
        assert_eq!(best(TableQuality::Draft, 1), 1);
        assert_eq!(best(TableQuality::Full, 2), 2);
        assert_eq!(best(TableQuality::Draft, 3), 2);
        assert_eq!(
            stage.best_or_build(number, TableQuality::Draft.into(), || 4).unwrap().0,
            number(TableQuality::Full)
        );
    }

    /// The most recently used stay.
    #[test]
    fn the_newest_are_kept() {
        let stage = Lru::with_capacity(3);
        let get = |of: u32| {
            *stage.get_or_build(key(of, TableQuality::Full), TableQuality::Full.into(), || of).unwrap()
        };
        let kept = |of: u32| stage.find(key(of, TableQuality::Full)).is_some();
        (0..3).for_each(|of| assert_eq!(get(of), of));
        assert!(kept(0));
        get(3);
        assert!(!kept(1) && kept(2) && kept(0));
        stage.set_capacity(1);
        assert!(kept(0) && !kept(2) && !kept(3));
        get(5);
        assert!(kept(5) && !kept(0));
    }

    /// A value whose building was cancelled is not cached.
    #[test]
    fn nothing_is_kept_of_what_was_called_off() {
        let stage: Lru<u32> = Lru::with_capacity(3);
        let off = || true;
        let build = Build::new(TableQuality::Full, &off);
        assert_eq!(stage.get_or_build(number(TableQuality::Full), build, || 1).unwrap_err(), Cancelled);
        assert!(stage.touch(&number(TableQuality::Full)).is_none());
    }
}
