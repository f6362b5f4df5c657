//! What users do with skies and bakes, without a transport.

pub mod backup;
mod bake_files;
pub mod bakes;
pub mod day;
pub mod housekeeping;
pub mod own_starters;
pub mod pins;
pub mod places;
pub mod preview;
pub mod priority;
pub mod skies;
pub mod starters;
pub mod worker;

use std::time::Duration;
use tenter_bake::BakeError;
use tenter_sky::document::Problems;
use tenter_store::{SaveError, Store, StoreError};

/// Why something was not done.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    #[error(transparent)]
    Document(#[from] Problems),
    #[error("{path}: {message}")]
    Input { path: String, message: String },
    #[error(transparent)]
    Save(#[from] SaveError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("the queue: {0}")]
    Queue(String),
    #[error("the work was called off")]
    Cancelled,
    #[error("the work stopped: {0}")]
    Work(String),
}

impl From<BakeError> for AppError {
    fn from(e: BakeError) -> Self {
        match e {
            BakeError::Cancelled => AppError::Cancelled,
            BakeError::Input { path, message } => AppError::Input { path, message },
            // The store's own error is inside those of its files.
            BakeError::Io(e) => match e.downcast::<StoreError>() {
                Ok(e) => AppError::Store(e),
                Err(e) => AppError::Work(e.to_string()),
            },
            e => AppError::Work(e.to_string()),
        }
    }
}

pub type Result<T> = std::result::Result<T, AppError>;

/// The application over one store.
#[derive(Clone)]
pub struct App {
    pub store: Store,
    /// How long a bake waits for a store that refuses its files.
    pub patience: Duration,
    /// Days after which a bake that has ended goes into the bin; never where nothing is said.
    pub keep_bakes_days: Option<u32>,
}

/// How long a bake waits for a store that refuses, unless something else is said.
pub const PATIENCE: Duration = Duration::from_secs(240);

impl App {
    /// Connects and brings tables up to date.
    pub async fn connect(database: &str, files: &str) -> Result<App> {
        let store = Store::connect(database, files).await?;
        let app = App { store, patience: PATIENCE, keep_bakes_days: None };
        app.store.exclusive(app.make_tables()).await?;
        Ok(app)
    }

    /// The same, and fills an empty database with the demo skies. Processes that are started at once take
    /// turns.
    pub async fn open(database: &str, files: &str) -> Result<App> {
        let store = Store::connect(database, files).await?;
        let app = App { store, patience: PATIENCE, keep_bakes_days: None };
        let made = async {
            app.make_tables().await?;
            app.add_demo().await
        };
        app.store.exclusive(made).await?;
        Ok(app)
    }

    async fn make_tables(&self) -> Result<()> {
        self.store.migrate().await?;
        self.set_up_queue().await
    }
}
