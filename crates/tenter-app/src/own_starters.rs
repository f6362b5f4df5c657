//! Starters of one's own beside those that ship: kept, sent as files and received.
//!
//! A file of starters is JSON: `{"starters": [{"name", "about", "tags", "part", "document"}, ...]}`.

use crate::skies::{checked_name, checked_tags};
use crate::{App, AppError, Result, starters};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tenter_sky::document::Sky;
use tenter_store::{StarterLabel, StarterRecord};
use uuid::Uuid;

const LONGEST_ABOUT: usize = 400;

/// What of its document a starter offers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Part {
    #[default]
    All,
    /// Air and low fog.
    Air,
    /// Suns, moon and night, with place and time.
    Lights,
    Clouds,
    /// The one layer that its document has.
    Layer,
    Grade,
}

impl Part {
    fn name(self) -> &'static str {
        match self {
            Part::All => "all",
            Part::Air => "air",
            Part::Lights => "lights",
            Part::Clouds => "clouds",
            Part::Layer => "layer",
            Part::Grade => "grade",
        }
    }

    fn named(name: &str) -> Part {
        let parts = [Part::All, Part::Air, Part::Lights, Part::Clouds, Part::Layer, Part::Grade];
        parts.into_iter().find(|p| p.name() == name).unwrap_or_default()
    }
}

/// A starter as it is offered.
#[derive(Clone, Debug, Serialize)]
pub struct OfferedStarter {
    /// Short name of one that ships, id of one's own.
    pub slug: String,
    pub own: bool,
    pub name: String,
    pub about: String,
    pub tags: Vec<String>,
    pub part: Part,
    pub document: Value,
}

/// A starter that is to be kept.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NewStarter {
    pub name: String,
    #[serde(default)]
    pub about: String,
    #[serde(default)]
    pub tags: Vec<String>,
    #[serde(default)]
    pub part: Part,
    pub document: Value,
}

impl From<&starters::Starter> for OfferedStarter {
    fn from(s: &starters::Starter) -> Self {
        OfferedStarter {
            slug: s.slug.into(),
            own: false,
            name: s.name.clone(),
            about: s.about.clone(),
            tags: Vec::new(),
            part: Part::All,
            document: s.sky.to_value(),
        }
    }
}

impl From<StarterRecord> for OfferedStarter {
    fn from(r: StarterRecord) -> Self {
        // One that can't be read stays as it is, for a person to mend.
        let document = Sky::from_value(r.document.clone()).map_or(r.document, |sky| sky.to_value());
        OfferedStarter {
            slug: r.id.to_string(),
            own: true,
            name: r.name,
            about: r.about,
            tags: serde_json::from_value(r.tags).unwrap_or_default(),
            part: Part::named(&r.part),
            document,
        }
    }
}

fn checked_label(name: &str, about: &str, tags: &[String]) -> Result<StarterLabel> {
    let about = about.trim();
    let length = about.chars().count();
    if length > LONGEST_ABOUT || about.chars().any(char::is_control) {
        let message = format!("{length} characters; up to {LONGEST_ABOUT} are allowed, on one line");
        return Err(AppError::Input { path: "about".into(), message });
    }
    Ok(StarterLabel { name: checked_name(name)?, about: about.into(), tags: checked_tags(tags)? })
}

impl App {
    /// Starters of one's own, newest first, then those that ship.
    pub async fn starters(&self) -> Result<Vec<OfferedStarter>> {
        let own = self.store.starters().await?.into_iter().map(OfferedStarter::from);
        Ok(own.chain(starters::all().iter().map(OfferedStarter::from)).collect())
    }

    /// One starter by its short name or its id.
    pub async fn starter(&self, slug: &str) -> Result<OfferedStarter> {
        match slug.parse::<Uuid>() {
            Ok(id) => Ok(self.store.starter(id).await?.into()),
            Err(_) => starters::find(slug).map(OfferedStarter::from).ok_or_else(|| AppError::Input {
                path: "starter".into(),
                message: format!("no starter {slug:?}"),
            }),
        }
    }

    pub async fn keep_starter(&self, new: NewStarter) -> Result<OfferedStarter> {
        let sky = Sky::from_value(new.document)?;
        if new.part == Part::Layer && sky.clouds.len() != 1 {
            let message = format!("{} layers; a starter of a layer has one", sky.clouds.len());
            return Err(AppError::Input { path: "document.clouds".into(), message });
        }
        let label = checked_label(&new.name, &new.about, &new.tags)?;
        Ok(self.store.add_starter(label, new.part.name(), sky.to_value()).await?.into())
    }

    pub async fn label_starter(&self, id: Uuid, name: &str, about: &str, tags: &[String]) -> Result<()> {
        Ok(self.store.label_starter(id, checked_label(name, about, tags)?).await?)
    }

    pub async fn delete_starter(&self, id: Uuid) -> Result<()> {
        Ok(self.store.delete_starter(id).await?)
    }

    pub async fn restore_starter(&self, id: Uuid) -> Result<()> {
        Ok(self.store.restore_starter(id).await?)
    }
}
