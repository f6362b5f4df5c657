//! Skies, pins, starters and bakes in PostgreSQL, files in an object store.

mod bakes;
mod entity;
mod files;
mod migration;
mod pins;
mod queue;
mod rows;
mod skies;
mod starters;

pub use bakes::{Bake, BakePage, BakeStatus, NewBake, PieceDone};
pub use files::{FileWriter, Files};
pub use pins::{Pin, Pinned};
pub use queue::QueueState;
pub use rows::Table;
pub use skies::{SaveError, SkyPage, SkyQuery, SkyRecord, SkySort, SkySummary};
pub use starters::{StarterLabel, StarterRecord};

use sea_orm::{
    ConnectOptions, ConnectionTrait, Database, DatabaseConnection, Statement, TransactionTrait, sqlx,
};
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
    #[error("bake {bake}: piece {piece}: {why}")]
    Damaged { bake: String, piece: i32, why: String },
    #[error("the store for files is full")]
    Full,
    #[error("the store for files: {0}")]
    Files(object_store::Error),
}

/// Whether an error comes down to a disk or a quota without room.
fn is_full(e: &object_store::Error) -> bool {
    let mut cause: Option<&dyn std::error::Error> = Some(e);
    while let Some(e) = cause {
        if let Some(io) = e.downcast_ref::<std::io::Error>() {
            use std::io::ErrorKind::{QuotaExceeded, StorageFull};
            return matches!(io.kind(), StorageFull | QuotaExceeded);
        }
        cause = e.source();
    }
    false
}

impl From<object_store::Error> for StoreError {
    fn from(e: object_store::Error) -> Self {
        match e {
            object_store::Error::NotFound { path, .. } => StoreError::Missing { what: "file", id: path },
            e if is_full(&e) => StoreError::Full,
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

/// Entries of a list, from one on.
#[derive(Clone, Copy, Debug)]
pub struct Page {
    pub limit: u64,
    pub offset: u64,
}

impl Default for Page {
    fn default() -> Self {
        Page { limit: 200, offset: 0 }
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
            .max_connections(CONNECTIONS)
            .min_connections(0)
            .idle_timeout(Duration::from_secs(60))
            .acquire_timeout(Duration::from_secs(4))
            .connect_timeout(Duration::from_secs(4))
            .sqlx_logging(false);
        let db = Database::connect(options).await?;
        Ok(Store { db, files: Files::open(files)? })
    }

    /// Brings the tables up to date. Call it while [`Store::exclusive`] is held.
    pub async fn migrate(&self) -> Result<()> {
        migration::Migrator::up(&self.db, None).await?;
        Ok(())
    }

    /// Does something unless another process does it just now.
    pub async fn unless_busy<T>(&self, work: impl Future<Output = Result<T>>) -> Result<Option<T>> {
        let transaction = self.db.begin().await?;
        let sql = format!("select pg_try_advisory_xact_lock({HOUSEKEEPING}) as free");
        let statement = Statement::from_string(self.db.get_database_backend(), sql);
        let free = transaction.query_one_raw(statement).await?;
        if !free.is_some_and(|row| row.try_get("", "free").unwrap_or(false)) {
            return Ok(None);
        }
        let done = work.await?;
        transaction.commit().await?;
        Ok(Some(done))
    }

    /// Does something that only one process at a time may do; others wait.
    pub async fn exclusive<T, E: From<StoreError>>(
        &self,
        work: impl Future<Output = std::result::Result<T, E>>,
    ) -> std::result::Result<T, E> {
        // A session's lock ends with its connection, so that of a process that dies is not held for ever.
        let pool = self.db.get_postgres_connection_pool();
        let lost = |e| StoreError::Away(format!("the lock: {e}"));
        let mut connection = pool.acquire().await.map_err(lost)?.detach();
        let lock = format!("select pg_advisory_lock({LOCK})");
        sqlx::Executor::execute(&mut connection, sqlx::AssertSqlSafe(lock)).await.map_err(lost)?;
        let done = work.await;
        // Closing the session gives the lock back, whatever became of the work.
        let _ = sqlx::Connection::close(connection).await;
        done
    }
}

/// Connections of one process: a hundred, PostgreSQL's usual limit, are enough for twenty processes.
const CONNECTIONS: u32 = 4;
/// Number of the lock under which tables are made and filled.
const LOCK: i64 = 0x7e_47e2;
/// Number of the lock under which bakes are looked after.
const HOUSEKEEPING: i64 = LOCK + 1;
