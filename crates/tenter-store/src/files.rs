//! Files behind one interface: a local directory, or any store that speaks S3.

use crate::Result;
use bytes::Bytes;
use object_store::local::LocalFileSystem;
use object_store::path::Path;
use object_store::prefix::PrefixStore;
use object_store::{ObjectStore, ObjectStoreExt};
use std::sync::Arc;

#[derive(Clone)]
pub struct Files(Arc<dyn ObjectStore>);

impl Files {
    /// A directory, made if it is not there, or an address like s3://bucket/prefix.
    pub fn open(place: &str) -> Result<Files> {
        if place.contains("://") {
            let fail = |e: &dyn std::fmt::Display| object_store::Error::Generic {
                store: "files",
                source: format!("{place}: {e}").into(),
            };
            let url = reqwest::Url::parse(place).map_err(|e| fail(&e))?;
            let (store, prefix) = object_store::parse_url_opts(&url, std::env::vars())?;
            return Ok(Files(Arc::new(PrefixStore::new(store, prefix))));
        }
        let fail = |e: std::io::Error| object_store::Error::Generic { store: "files", source: e.into() };
        std::fs::create_dir_all(place).map_err(fail)?;
        Ok(Files(Arc::new(LocalFileSystem::new_with_prefix(place)?)))
    }

    pub async fn put(&self, name: &str, content: impl Into<Bytes>) -> Result<()> {
        self.0.put(&Path::from(name), content.into().into()).await?;
        Ok(())
    }

    pub async fn get(&self, name: &str) -> Result<Bytes> {
        Ok(self.0.get(&Path::from(name)).await?.bytes().await?)
    }

    /// The content in chunks, and its length in bytes.
    pub async fn stream(
        &self,
        name: &str,
    ) -> Result<(u64, futures::stream::BoxStream<'static, object_store::Result<Bytes>>)> {
        let found = self.0.get(&Path::from(name)).await?;
        Ok((found.meta.size, found.into_stream()))
    }

    /// Removes a file; one that is not there is no error.
    pub async fn delete(&self, name: &str) -> Result<()> {
        match self.0.delete(&Path::from(name)).await {
            Err(object_store::Error::NotFound { .. }) => Ok(()),
            other => Ok(other?),
        }
    }
}
