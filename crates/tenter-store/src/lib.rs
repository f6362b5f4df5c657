//! Skies and bakes in PostgreSQL, files in an object store.

mod bakes;
mod entity;
mod files;
mod migration;
mod skies;

pub use bakes::{Bake, BakeStatus, NewBake, PieceDone};
pub use files::Files;
pub use skies::{SaveError, SkyRecord};

use sea_orm::{ConnectOptions, Database, DatabaseConnection};
use sea_orm_migration::MigratorTrait;
use std::time::Duration;

/// Why the store could not do something.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("the database is away: {0}")]
    Away(String),
    #[error("database: {0}")]
    Database(sea_orm::DbErr),
    #[error("no {what} {id}")]
    Missing { what: &'static str, id: String },
    #[error("bake {bake}: its {column} in the database is not understood: {value}")]
    Unknown { bake: String, column: &'static str, value: String },
    #[error("files: {0}")]
    Files(object_store::Error),
}

impl From<object_store::Error> for StoreError {
    fn from(e: object_store::Error) -> Self {
        match e {
            object_store::Error::NotFound { path, .. } => StoreError::Missing { what: "file", id: path },
            e => StoreError::Files(e),
        }
    }
}

impl From<sea_orm::DbErr> for StoreError {
    fn from(e: sea_orm::DbErr) -> Self {
        use sea_orm::{DbErr, RuntimeErr};
        let text = e.to_string();
        let lost = match &e {
            DbErr::Conn(_) | DbErr::ConnectionAcquire(_) => true,
            DbErr::Exec(RuntimeErr::SqlxError(s)) | DbErr::Query(RuntimeErr::SqlxError(s)) => {
                // A server that is shutting down says so with class 57P.
                let code = s.as_database_error().and_then(|d| d.code().map(|c| c.to_string()));
                s.as_database_error().is_none() || code.is_some_and(|c| c.starts_with("57P"))
            }
            _ => false,
        };
        if lost { StoreError::Away(text) } else { StoreError::Database(e) }
    }
}

pub type Result<T> = std::result::Result<T, StoreError>;

/// Everything that is kept.
#[derive(Clone)]
pub struct Store {
    pub db: DatabaseConnection,
    pub files: Files,
}

impl Store {
    /// `database`: a postgres:// address; `files`: a directory, or an address like s3://bucket/prefix whose
    /// credentials are in the environment.
    pub async fn connect(database: &str, files: &str) -> Result<Store> {
        let mut options = ConnectOptions::new(database);
        options
            .max_connections(12)
            .acquire_timeout(Duration::from_secs(4))
            .connect_timeout(Duration::from_secs(4))
            .sqlx_logging(false);
        let db = Database::connect(options).await?;
        Ok(Store { db, files: Files::open(files)? })
    }

    /// Brings the tables up to date.
    pub async fn migrate(&self) -> Result<()> {
        migration::Migrator::up(&self.db, None).await?;
        Ok(())
    }
}
