//! Files behind one interface: a local directory, or any store that speaks S3. What was put is on the disk
//! when the call returns.

use crate::Result;
use bytes::Bytes;
use futures::{StreamExt, TryStreamExt};
use object_store::buffered::BufWriter;
use object_store::local::LocalFileSystem;
use object_store::path::Path;
use object_store::prefix::PrefixStore;
use object_store::{ObjectStore, ObjectStoreExt};
use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;
use tokio::io::AsyncWriteExt;

/// Bytes that a file's writer holds before it sends them on.
const WRITE_BYTES: usize = 8 << 20;

#[derive(Clone)]
pub struct Files {
    store: Arc<dyn ObjectStore>,
    /// The directory, where it is one.
    root: Option<PathBuf>,
}

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
            return Ok(Files { store: Arc::new(PrefixStore::new(store, prefix)), root: None });
        }
        let fail = |e: std::io::Error| object_store::Error::Generic { store: "files", source: e.into() };
        std::fs::create_dir_all(place).map_err(fail)?;
        let root = std::fs::canonicalize(place).map_err(fail)?;
        let store = LocalFileSystem::new_with_prefix(&root)?.with_fsync(true);
        Ok(Files { store: Arc::new(store), root: Some(root) })
    }

    pub async fn put(&self, name: &str, content: impl Into<Bytes>) -> Result<()> {
        self.store.put(&Path::from(name), content.into().into()).await?;
        Ok(())
    }

    /// Writes a file part by part; nothing is there until [`FileWriter::finish`].
    pub fn writer(&self, name: &str) -> FileWriter {
        let path = Path::from(name);
        FileWriter(BufWriter::with_capacity(self.store.clone(), path, WRITE_BYTES))
    }

    pub async fn get(&self, name: &str) -> Result<Bytes> {
        Ok(self.store.get(&Path::from(name)).await?.bytes().await?)
    }

    /// The last bytes of a file.
    pub async fn get_end(&self, name: &str, bytes: u64) -> Result<Bytes> {
        let range = Some(object_store::GetRange::Suffix(bytes));
        let options = object_store::GetOptions { range, ..Default::default() };
        Ok(self.store.get_opts(&Path::from(name), options).await?.bytes().await?)
    }

    /// The file itself, where the store is a directory.
    pub fn local_path(&self, name: &str) -> Option<PathBuf> {
        self.root.as_ref().map(|root| root.join(name))
    }

    /// The content in chunks, and its length in bytes.
    pub async fn stream(
        &self,
        name: &str,
    ) -> Result<(u64, futures::stream::BoxStream<'static, Result<Bytes>>)> {
        let found = self.store.get(&Path::from(name)).await?;
        Ok((found.meta.size, found.into_stream().map_err(crate::StoreError::from).boxed()))
    }

    /// Removes a file; one that is not there is no error.
    pub async fn delete(&self, name: &str) -> Result<()> {
        match self.store.delete(&Path::from(name)).await {
            Err(object_store::Error::NotFound { .. }) => Ok(()),
            other => Ok(other?),
        }
    }

    /// Names of all files under a folder, in their order.
    pub async fn list(&self, folder: &str) -> Result<Vec<String>> {
        let found: Vec<_> = self.store.list(Some(&Path::from(folder))).try_collect().await?;
        let names: BTreeSet<String> = found.into_iter().map(|m| m.location.to_string()).collect();
        Ok(names.into_iter().collect())
    }

    /// Names of the folders right under a folder.
    pub async fn folders(&self, folder: &str) -> Result<Vec<String>> {
        let found = self.store.list_with_delimiter(Some(&Path::from(folder))).await?;
        Ok(found.common_prefixes.iter().filter_map(|p| p.filename().map(String::from)).collect())
    }

    /// Removes a folder with all that is in it.
    pub async fn delete_folder(&self, folder: &str) -> Result<()> {
        for name in self.list(folder).await? {
            self.delete(&name).await?;
        }
        if let Some(root) = &self.root {
            // Empty folders, and parts of files whose writing was broken off: they are no files of the
            // store.
            match tokio::fs::remove_dir_all(root.join(folder)).await {
                Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                    return Err(object_store::Error::Generic { store: "files", source: e.into() }.into());
                }
                _ => {}
            }
        }
        Ok(())
    }

    /// Whether files can be read and written now.
    pub async fn check(&self) -> Result<()> {
        let name = format!("check/{}", uuid::Uuid::new_v4());
        self.put(&name, Bytes::from_static(b"a check")).await?;
        self.get(&name).await?;
        self.delete(&name).await
    }
}

/// A file that is being written.
pub struct FileWriter(BufWriter);

impl FileWriter {
    pub async fn write(&mut self, content: Bytes) -> Result<()> {
        self.0.put(content).await?;
        Ok(())
    }

    /// Keeps what was written as a file.
    pub async fn finish(mut self) -> Result<()> {
        self.0.shutdown().await.map_err(io)?;
        Ok(())
    }

    /// Throws away what was written.
    pub async fn abandon(mut self) {
        // What can't be thrown away now is swept with its folder.
        let _ = self.0.abort().await;
    }
}

/// The store's own error inside an error of writing.
fn io(e: std::io::Error) -> object_store::Error {
    match e.downcast::<object_store::Error>() {
        Ok(e) => e,
        Err(e) => object_store::Error::Generic { store: "files", source: e.into() },
    }
}
