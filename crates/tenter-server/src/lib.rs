//! The web application's server: REST under `/api`, live pictures over one WebSocket, static files.

mod assets;
mod bakes;
mod live;
mod pictures;
mod problem;
mod seek;
mod skies;
mod times;

use axum::Router;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::IntoResponse;
use axum::routing::get;
use std::sync::Arc;
use tenter_app::App;
use tenter_sky::scene::Workshop;
use tokio::net::TcpListener;
use tower_http::trace::TraceLayer;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// What handlers share.
#[derive(Clone)]
pub struct Server {
    pub app: App,
    pub workshop: Arc<Workshop>,
    pictures: Arc<pictures::Pictures>,
}

#[derive(OpenApi)]
#[openapi(info(
    title = "Tenter",
    description = "Skies, their pictures and their bakes. Documents follow /api/schema. Problems are RFC 9457 problem \
                   documents. Live pictures come over the WebSocket /api/live: send {number, width, height, sky}, \
                   receive frames (docs/architecture.md)."
))]
struct Description;

impl Server {
    pub fn new(app: App) -> Server {
        let workshop = Arc::new(Workshop::default());
        Server { app, pictures: Arc::new(pictures::Pictures::default()), workshop }
    }

    pub fn router(self) -> Router {
        let (router, description) = OpenApiRouter::with_openapi(Description::openapi())
            .routes(routes!(skies::list, skies::add))
            .routes(routes!(skies::one, skies::save, skies::rename, skies::delete))
            .routes(routes!(skies::duplicate))
            .routes(routes!(skies::restore))
            .routes(routes!(pictures::of_sky))
            .routes(routes!(skies::starters))
            .routes(routes!(pictures::of_starter))
            .routes(routes!(pictures::of_document))
            .routes(routes!(skies::schema))
            .routes(routes!(seek::seek))
            .routes(routes!(times::search))
            .routes(routes!(times::moment))
            .routes(routes!(times::day))
            .routes(routes!(bakes::list, bakes::add))
            .routes(routes!(bakes::one, bakes::delete))
            .routes(routes!(bakes::cancel))
            .routes(routes!(bakes::file))
            .routes(routes!(health))
            .split_for_parts();
        router
            .route("/api/live", get(live::connect))
            .route("/api/openapi.json", get(move || async move { axum::Json(description) }))
            .fallback(assets::serve)
            .layer(axum::extract::DefaultBodyLimit::max(1 << 20))
            .layer(TraceLayer::new_for_http())
            .with_state(self)
    }

    /// Serves until `stop`.
    pub async fn serve(
        self,
        listener: TcpListener,
        stop: impl Future<Output = ()> + Send + 'static,
    ) -> std::io::Result<()> {
        use axum::serve::ListenerExt;
        let listener = listener.tap_io(|stream| {
            // Small messages while dragging must not wait for each other.
            let _ = stream.set_nodelay(true);
        });
        axum::serve(listener, self.router()).with_graceful_shutdown(stop).await
    }
}

/// Whether the database answers.
#[utoipa::path(get, path = "/api/health", responses((status = 204), (status = 503)))]
async fn health(State(server): State<Server>) -> axum::response::Response {
    match server.app.store.skies_ever().await {
        Ok(_) => StatusCode::NO_CONTENT.into_response(),
        Err(e) => problem::Problem::from(tenter_app::AppError::from(e)).into_response(),
    }
}
