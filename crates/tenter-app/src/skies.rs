//! Opening, saving, copying, naming and deleting skies.

use crate::{App, AppError, Result, starters};
use serde_json::Value;
use tenter_sky::document::Sky;
use tenter_store::{SkyPage, SkyQuery, SkyRecord};
use uuid::Uuid;

const LONGEST_NAME: usize = 120;
const LONGEST_TAG: usize = 40;
const MOST_TAGS: usize = 12;

impl App {
    /// Puts a copy of each starter into a database that never held a sky.
    pub async fn add_demo(&self) -> Result<()> {
        if self.store.skies_ever().await? > 0 {
            return Ok(());
        }
        for starter in starters::all() {
            self.store.add_sky(&starter.name, starter.sky.to_value()).await?;
        }
        Ok(())
    }

    pub async fn skies(&self, query: &SkyQuery) -> Result<SkyPage> {
        Ok(self.store.skies(query).await?)
    }

    pub async fn sky(&self, id: Uuid) -> Result<SkyRecord> {
        Ok(newest(self.store.sky(id).await?))
    }

    /// A new sky from a document.
    pub async fn add_sky(&self, name: &str, document: Value) -> Result<SkyRecord> {
        let sky = Sky::from_value(document)?;
        Ok(self.store.add_sky(&checked_name(name)?, sky.to_value()).await?)
    }

    /// A new sky from a starter, shipped or of one's own; a copy, so that neither changes the other.
    pub async fn add_from_starter(&self, slug: &str, name: Option<&str>) -> Result<SkyRecord> {
        let starter = self.starter(slug).await?;
        let name = checked_name(name.unwrap_or(&starter.name))?;
        Ok(self.store.add_sky(&name, starter.document).await?)
    }

    /// Saves a changed document; a wrong one is refused and the stored one stays. A save that is repeated
    /// with its
    /// `key`, because its answer was lost, is made once.
    pub async fn save_sky(&self, id: Uuid, revision: i64, document: Value, key: Option<Uuid>) -> Result<i64> {
        let sky = Sky::from_value(document)?;
        let key = key.map(|key| key.to_string());
        Ok(self.store.save_sky(id, revision, sky.to_value(), key.as_deref()).await?)
    }

    pub async fn rename_sky(&self, id: Uuid, name: &str) -> Result<()> {
        Ok(self.store.rename_sky(id, &checked_name(name)?).await?)
    }

    pub async fn duplicate_sky(&self, id: Uuid) -> Result<SkyRecord> {
        let sky = self.store.sky(id).await?;
        let stem: String = sky.name.chars().take(LONGEST_NAME - 8).collect();
        let taken = self.store.names_beginning(&stem).await?;
        let name =
            (2..).map(|n| format!("{stem} {n}")).find(|n| !taken.contains(n)).expect("numbers do not end");
        Ok(self.store.add_sky(&name, sky.document).await?)
    }

    /// Words a sky is found by, sorted and each once.
    pub async fn tag_sky(&self, id: Uuid, tags: Vec<String>) -> Result<()> {
        Ok(self.store.tag_sky(id, &checked_tags(&tags)?).await?)
    }

    pub async fn delete_sky(&self, id: Uuid) -> Result<()> {
        Ok(self.store.delete_sky(id).await?)
    }

    pub async fn restore_sky(&self, id: Uuid) -> Result<()> {
        Ok(self.store.restore_sky(id).await?)
    }

    /// Forgets a sky that is in the bin.
    pub async fn forget_sky(&self, id: Uuid) -> Result<()> {
        Ok(self.store.forget_sky(id).await?)
    }
}

/// A record whose document is in the newest layout; one that can't be read stays as it is, for a person to
/// mend.
fn newest(mut record: SkyRecord) -> SkyRecord {
    if let Ok(sky) = Sky::from_value(record.document.clone()) {
        record.document = sky.to_value();
    }
    record
}

pub(crate) fn checked_name(name: &str) -> Result<String> {
    let name = name.trim();
    let length = name.chars().count();
    if length == 0 || length > LONGEST_NAME || name.chars().any(char::is_control) {
        let message = format!("{length} characters; 1 to {LONGEST_NAME} are allowed, on one line");
        return Err(AppError::Input { path: "name".into(), message });
    }
    Ok(name.into())
}

/// Words that something is found by, sorted and each once.
pub(crate) fn checked_tags(tags: &[String]) -> Result<Vec<String>> {
    if tags.len() > MOST_TAGS {
        let message = format!("{} tags; at most {MOST_TAGS} are allowed", tags.len());
        return Err(AppError::Input { path: "tags".into(), message });
    }
    let mut kept = std::collections::BTreeSet::new();
    for (i, tag) in tags.iter().enumerate() {
        let tag = tag.trim();
        let length = tag.chars().count();
        if length == 0 || length > LONGEST_TAG || tag.chars().any(char::is_control) {
            let message = format!("{length} characters; 1 to {LONGEST_TAG} are allowed, on one line");
            return Err(AppError::Input { path: format!("tags[{i}]"), message });
        }
        kept.insert(tag.to_string());
    }
    Ok(kept.into_iter().collect())
}
