//! Pinning states of a sky, and photographs to compare it with.

use crate::skies::checked_name;
use crate::{App, AppError, Result};
use bytes::Bytes;
use serde_json::Value;
use std::collections::HashSet;
use tenter_sky::document::Sky;
use tenter_store::{Pin, Pinned};
use uuid::Uuid;

/// Pins one sky can have.
pub const MOST_PINS: u64 = 200;
/// Largest photograph, bytes.
pub const LARGEST_PHOTOGRAPH: usize = 64 << 20;
/// Folder of the store that holds photographs.
pub(crate) const PHOTOGRAPHS: &str = "photographs";
/// Photographs looked up at a time.
const LOOKED_UP: usize = 500;

/// File of a pin's photograph.
fn file_name(id: Uuid) -> String {
    format!("{PHOTOGRAPHS}/{id}")
}

/// Media type of a picture by its first bytes: PNG (ISO/IEC 15948), JPEG (ISO/IEC 10918-1), WebP (RFC 9649).
fn media_type(content: &[u8]) -> Option<&'static str> {
    match content {
        [0x89, b'P', b'N', b'G', b'\r', b'\n', 0x1a, b'\n', ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some("image/webp"),
        _ => None,
    }
}

impl App {
    /// Pins of a sky, newest first; documents in the newest layout.
    pub async fn pins(&self, sky: Uuid) -> Result<Vec<Pin>> {
        self.store.sky(sky).await?;
        let newest = |mut pin: Pin| {
            if let Some(Ok(sky)) = pin.document.clone().map(Sky::from_value) {
                pin.document = Some(sky.to_value());
            }
            pin
        };
        Ok(self.store.pins(sky).await?.into_iter().map(newest).collect())
    }

    pub async fn add_pin(&self, sky: Uuid, name: &str, document: Value) -> Result<Pin> {
        let document = Sky::from_value(document)?;
        let name = self.may_pin(sky, name).await?;
        Ok(self.store.add_pin(sky, &name, Pinned::State(document.to_value())).await?)
    }

    /// Pins a photograph beside a sky: PNG, JPEG or WebP.
    pub async fn pin_photograph(&self, sky: Uuid, name: &str, content: Bytes) -> Result<Pin> {
        let kind = media_type(&content).ok_or_else(|| AppError::Input {
            path: "photograph".into(),
            message: "is no PNG, JPEG or WebP".into(),
        })?;
        let name = self.may_pin(sky, name).await?;
        // The row comes first: a file without one is swept away.
        let pin = self.store.add_pin(sky, &name, Pinned::Photograph(kind)).await?;
        if let Err(e) = self.store.files.put(&file_name(pin.id), content).await {
            self.store.forget_pin(pin.id).await?;
            return Err(e.into());
        }
        Ok(pin)
    }

    /// A pinned photograph and its media type.
    pub async fn photograph(&self, id: Uuid) -> Result<(String, Bytes)> {
        let pin = self.store.pin(id).await?;
        let kind = pin.photograph.ok_or_else(|| AppError::Input {
            path: "id".into(),
            message: "this pin is a state, no photograph".into(),
        })?;
        Ok((kind, self.store.files.get(&file_name(id)).await?))
    }

    pub async fn rename_pin(&self, id: Uuid, name: &str) -> Result<()> {
        Ok(self.store.rename_pin(id, &checked_name(name)?).await?)
    }

    pub async fn delete_pin(&self, id: Uuid) -> Result<()> {
        Ok(self.store.delete_pin(id).await?)
    }

    pub async fn restore_pin(&self, id: Uuid) -> Result<()> {
        Ok(self.store.restore_pin(id).await?)
    }

    /// The name of a new pin, if the sky is there and can have one more.
    async fn may_pin(&self, sky: Uuid, name: &str) -> Result<String> {
        self.store.sky(sky).await?;
        let count = self.store.pin_count(sky).await?;
        if count >= MOST_PINS {
            let message = format!("{count} pins; at most {MOST_PINS} are allowed");
            return Err(AppError::Input { path: "pins".into(), message });
        }
        checked_name(name)
    }

    /// Removes photographs of pins that are forgotten.
    pub(crate) async fn sweep_photographs(&self) -> Result<()> {
        let names = self.store.files.list(PHOTOGRAPHS).await?;
        let ids: Vec<Uuid> = names.iter().filter_map(|name| name.rsplit('/').next()?.parse().ok()).collect();
        for ids in ids.chunks(LOOKED_UP) {
            let known: HashSet<Uuid> = self.store.known_pins(ids).await?.into_iter().collect();
            for id in ids.iter().filter(|id| !known.contains(id)) {
                self.store.files.delete(&file_name(*id)).await?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pictures_are_told_by_their_first_bytes() {
        assert_eq!(media_type(b"\x89PNG\r\n\x1a\n\0\0"), Some("image/png"));
        assert_eq!(media_type(b"\xff\xd8\xff\xe0"), Some("image/jpeg"));
        assert_eq!(media_type(b"RIFF\0\0\0\0WEBPVP8 "), Some("image/webp"));
        assert_eq!(media_type(b"<svg onload=alert(1)>"), None);
        assert_eq!(media_type(b""), None);
    }
}
