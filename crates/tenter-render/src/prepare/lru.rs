//! Parts of scenes, kept under what they were made from.

use crate::air::{Fineness, Making};
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

pub type Key = [u8; 32];

/// A hash of the parts of a document, and of other stages' keys, that something is made from.
pub fn key(parts: impl Serialize, fineness: Fineness) -> Key {
    let json = serde_json::to_vec(&parts).expect("parts of documents are plain data");
    let mut hash = Sha256::new();
    hash.update([fineness as u8]);
    hash.update(json);
    hash.finalize().into()
}

/// The work was called off.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("called off")]
pub struct CalledOff;

/// A small cache.
pub struct Stage<T>(Mutex<Entries<T>>);

struct Entries<T> {
    most: usize,
    /// Newest last.
    kept: Vec<(Key, Arc<T>)>,
}

impl<T> Entries<T> {
    /// Lets go of the oldest until there is room for so many.
    fn make_room(&mut self, count: usize) {
        let old = (self.kept.len() + count).saturating_sub(self.most).min(self.kept.len());
        self.kept.drain(..old);
    }
}

impl<T> Stage<T> {
    pub fn keeping(most: usize) -> Self {
        Stage(Mutex::new(Entries { most, kept: Vec::new() }))
    }

    fn entries(&self) -> MutexGuard<'_, Entries<T>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Keeps no more than so many from now on.
    pub fn keep(&self, most: usize) {
        let mut entries = self.entries();
        entries.most = most;
        entries.make_room(0);
    }

    /// A value, if it is kept.
    fn kept(&self, key: &Key) -> Option<Arc<T>> {
        let kept = &mut self.entries().kept;
        let i = kept.iter().position(|(k, _)| k == key)?;
        let entry = kept.remove(i);
        kept.push(entry);
        kept.last().map(|(_, value)| value.clone())
    }

    /// The kept value, or a new one; two callers at once may both make it, which costs time but never waits.
    pub fn get(&self, key: Key, making: Making, make: impl FnOnce() -> T) -> Result<Arc<T>, CalledOff> {
        if let Some(kept) = self.kept(&key) {
            return Ok(kept);
        }
        let made = Arc::new(make());
        if making.is_off() {
            return Err(CalledOff);
        }
        let mut entries = self.entries();
        entries.make_room(1);
        entries.kept.push((key, made.clone()));
        Ok(made)
    }

    /// A value, if it is kept, and its key.
    pub fn with_key(&self, key: Key) -> Option<(Key, Arc<T>)> {
        Some((key, self.kept(&key)?))
    }

    /// The value that is best kept, and its key. For a first picture the fine one is as good: where nothing
    /// has changed first pictures show what the last one did, or they would jump at each touch.
    pub fn best_kept(&self, key: impl Fn(Fineness) -> Key, making: Making) -> Option<(Key, Arc<T>)> {
        let fine = (making.fineness == Fineness::Draft).then_some(Fineness::Full);
        fine.into_iter().chain([making.fineness]).map(key).find_map(|key| self.with_key(key))
    }

    /// The same, or a new one.
    pub fn best(
        &self,
        key: impl Fn(Fineness) -> Key,
        making: Making,
        make: impl FnOnce() -> T,
    ) -> Result<(Key, Arc<T>), CalledOff> {
        if let Some(kept) = self.best_kept(&key, making) {
            return Ok(kept);
        }
        let key = key(making.fineness);
        Ok((key, self.get(key, making, make)?))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn number(fineness: Fineness) -> Key {
        key("a number", fineness)
    }

    /// A draft is made where nothing fine is kept, and a fine one though there is a draft.
    #[test]
    fn what_is_fine_is_good_enough_for_a_draft() {
        let stage = Stage::keeping(4);
        let best = |fineness: Fineness, made: u32| *stage.best(number, fineness.into(), || made).unwrap().1;
        assert_eq!(best(Fineness::Draft, 1), 1);
        assert_eq!(best(Fineness::Full, 2), 2);
        assert_eq!(best(Fineness::Draft, 3), 2);
        assert_eq!(stage.best(number, Fineness::Draft.into(), || 4).unwrap().0, number(Fineness::Full));
    }

    /// What was asked for last stays longest.
    #[test]
    fn the_newest_are_kept() {
        let stage = Stage::keeping(3);
        let get = |of: u32| *stage.get(key(of, Fineness::Full), Fineness::Full.into(), || of).unwrap();
        let kept = |of: u32| stage.with_key(key(of, Fineness::Full)).is_some();
        (0..3).for_each(|of| assert_eq!(get(of), of));
        assert!(kept(0));
        get(3);
        assert!(!kept(1) && kept(2) && kept(0));
        stage.keep(1);
        assert!(kept(0) && !kept(2) && !kept(3));
        get(5);
        assert!(kept(5) && !kept(0));
    }

    /// What was called off while it was made is not kept.
    #[test]
    fn nothing_is_kept_of_what_was_called_off() {
        let stage: Stage<u32> = Stage::keeping(3);
        let off = || true;
        let making = Making::new(Fineness::Full, &off);
        assert_eq!(stage.get(number(Fineness::Full), making, || 1).unwrap_err(), CalledOff);
        assert!(stage.kept(&number(Fineness::Full)).is_none());
    }
}
