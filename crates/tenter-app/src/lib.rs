//! What users do with skies and bakes, without a transport.

pub mod bakes;
pub mod day;
pub mod places;
pub mod priority;
pub mod skies;
pub mod starters;
pub mod studio;
pub mod worker;

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
    CalledOff,
    #[error("the work stopped: {0}")]
    Work(String),
}

pub type Result<T> = std::result::Result<T, AppError>;

/// The application over one store.
#[derive(Clone)]
pub struct App {
    pub store: Store,
}

impl App {
    /// Connects, brings tables up to date, and fills an empty database with the demo skies.
    pub async fn open(database: &str, files: &str) -> Result<App> {
        let app = App { store: Store::connect(database, files).await? };
        app.store.migrate().await?;
        app.set_up_queue().await?;
        app.add_demo().await?;
        Ok(app)
    }
}
