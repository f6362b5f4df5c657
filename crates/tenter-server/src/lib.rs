//! The web application's server: REST under `/api`, live pictures over one WebSocket, static files.

mod assets;
mod bakes;
mod compute;
mod connections;
mod extract;
mod guard;
mod health;
mod inspect;
mod live;
mod lut;
mod memory;
mod paging;
mod pick;
mod pictures;
mod pins;
mod plan;
mod problem;
mod seek;
mod skies;
mod starters;
mod times;

pub use guard::{Guard, Unguarded};

use axum::Router;
use axum::extract::{ConnectInfo, DefaultBodyLimit};
use axum::http::{HeaderName, HeaderValue, Request, StatusCode};
use axum::middleware::from_fn_with_state;
use axum::response::{IntoResponse, Response};
use axum::routing::{any, get};
use axum_prometheus::{EndpointLabel, PrometheusMetricLayerBuilder};
use std::any::Any;
use std::net::SocketAddr;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use tenter_app::App;
use tenter_app::pins::LARGEST_PHOTOGRAPH;
use tenter_app::preview::MarchBudget;
use tenter_render::prepare::SceneCache;
use tokio::net::TcpListener;
use tower_http::ServiceBuilderExt;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::request_id::{MakeRequestUuid, RequestId};
use tower_http::timeout::{RequestBodyTimeoutLayer, TimeoutLayer};
use tower_http::trace::{DefaultOnResponse, TraceLayer};
use tracing::Level;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// What handlers share.
#[derive(Clone)]
pub struct Server {
    pub app: App,
    pub scene_cache: Arc<SceneCache>,
    pictures: Arc<pictures::Pictures>,
    sent_files: Arc<inspect::SentFiles>,
    turns: compute::Turns,
    sockets: Arc<live::Sockets>,
    march_budget: Arc<MarchBudget>,
    guard: Arc<Guard>,
    keeps_starters: bool,
}

/// Longest body of a request, bytes.
const LARGEST_BODY: usize = 1 << 20;
/// How long a request may take until its answer begins, turns taken in, and how long a body may keep silent.
const ANSWER_WITHIN: Duration = Duration::from_secs(300);
const BODY_WITHIN: Duration = Duration::from_secs(15);

#[derive(OpenApi)]
#[openapi(info(
    title = "Tenter",
    description = "Skies, their pictures and their bakes. Documents follow /api/schema. Problems are RFC 9457 \
                   problem documents. Live pictures come over the WebSocket /api/live: send {number, width, \
                   height, sky}, receive frames (docs/architecture.md)."
))]
struct Description;

impl Server {
    pub fn new(app: App, guard: Guard) -> Server {
        Server {
            app,
            scene_cache: Arc::default(),
            pictures: Arc::default(),
            sent_files: Arc::default(),
            turns: compute::Turns::default(),
            sockets: Arc::default(),
            march_budget: Arc::default(),
            guard: Arc::new(guard),
            keeps_starters: false,
        }
    }

    /// The same, which draws and keeps the pictures of starters after its start, or leaves it.
    pub fn keeping_starters(self, keeps_starters: bool) -> Server {
        Server { keeps_starters, ..self }
    }

    fn router(self) -> Router {
        let (router, description) = OpenApiRouter::with_openapi(Description::openapi())
            .routes(routes!(skies::list, skies::add))
            .routes(routes!(skies::one, skies::save, skies::rename, skies::delete))
            .routes(routes!(skies::duplicate))
            .routes(routes!(skies::restore))
            .routes(routes!(pictures::of_sky))
            .routes(routes!(starters::list, starters::add))
            .routes(routes!(starters::label, starters::delete))
            .routes(routes!(starters::restore))
            .routes(routes!(pins::list, pins::add))
            .routes(routes!(pins::rename, pins::delete))
            .routes(routes!(pins::restore))
            .routes(routes!(pins::photograph))
            .routes(routes!(pictures::of_starter))
            .routes(routes!(pictures::of_document))
            .routes(routes!(skies::schema))
            .routes(routes!(seek::seek))
            .routes(routes!(times::search))
            .routes(routes!(times::moment))
            .routes(routes!(times::day))
            .routes(routes!(skies::empty_bin))
            .routes(routes!(bakes::list, bakes::add))
            .routes(routes!(bakes::estimate))
            .routes(routes!(bakes::clear))
            .routes(routes!(bakes::one, bakes::delete))
            .routes(routes!(bakes::pause))
            .routes(routes!(bakes::so_far))
            .routes(routes!(inspect::bake_facts))
            .routes(routes!(inspect::bake_view))
            .routes(routes!(inspect::sent_facts))
            .routes(routes!(inspect::sent_view))
            .routes(routes!(pick::pick))
            .routes(routes!(plan::plan))
            .routes(routes!(lut::lut))
            .routes(routes!(bakes::cancel))
            .routes(routes!(bakes::go_on))
            .routes(routes!(bakes::restore))
            .routes(routes!(bakes::file))
            .routes(routes!(health::health))
            .merge(OpenApiRouter::new().routes(routes!(inspect::send)).layer(DefaultBodyLimit::disable()))
            .merge(
                OpenApiRouter::new()
                    .routes(routes!(pins::add_photograph))
                    .layer(DefaultBodyLimit::max(LARGEST_PHOTOGRAPH)),
            )
            .merge(
                OpenApiRouter::new()
                    .routes(routes!(lut::take))
                    .layer(DefaultBodyLimit::max(lut::LARGEST_TABLE)),
            )
            .split_for_parts();
        // Paths that lead nowhere share one label, or anybody could make as many as memory holds.
        let (counted, handle) = PrometheusMetricLayerBuilder::new()
            .with_endpoint_label_type(EndpointLabel::MatchedPathWithFallbackFn(|_| "other".into()))
            .with_default_metrics()
            .build_pair();
        let metrics = move |peer: ConnectInfo<SocketAddr>| async move {
            if connections::is_local(&peer) {
                handle.render().into_response()
            } else {
                problem::Problem::missing("metrics are told on this machine alone".into()).into_response()
            }
        };
        let enter = get(|| async { (StatusCode::SEE_OTHER, [("location", "/")]) }).post(guard::enter);
        let router = router
            .route("/api/live", get(live::connect))
            .route("/api/openapi.json", get(move || async move { axum::Json(description) }))
            .route("/metrics", get(metrics))
            .merge(Router::new().route("/enter", enter).with_state(self.guard.clone()))
            .fallback_service(any(assets::serve).layer(CompressionLayer::new()))
            .method_not_allowed_fallback(problem::wrong_method)
            .layer(DefaultBodyLimit::max(LARGEST_BODY))
            .layer(counted)
            .layer(from_fn_with_state(self.guard.clone(), guard::watch))
            .layer(guard::csrf())
            .layer(TimeoutLayer::with_status_code(StatusCode::SERVICE_UNAVAILABLE, ANSWER_WITHIN))
            .layer(RequestBodyTimeoutLayer::new(BODY_WITHIN))
            .layer(CatchPanicLayer::custom(panicked));
        let mut router = router;
        for (name, value) in guard::HEADERS {
            let name = HeaderName::from_static(name);
            router = router.layer(tower_http::set_header::SetResponseHeaderLayer::if_not_present(
                name,
                HeaderValue::from_static(value),
            ));
        }
        let traced = tower::ServiceBuilder::new()
            .set_x_request_id(MakeRequestUuid)
            .layer(
                TraceLayer::new_for_http()
                    .make_span_with(span_of)
                    .on_response(DefaultOnResponse::new().level(Level::INFO)),
            )
            .propagate_x_request_id();
        router.layer(traced).with_state(self)
    }

    /// Serves until `stop`; what has begun is ended, sockets are closed.
    pub async fn serve(self, listener: TcpListener, stop: impl Future<Output = ()>) -> std::io::Result<()> {
        let sockets = self.sockets.clone();
        let stopped = Arc::new(AtomicBool::new(false));
        if self.keeps_starters {
            tokio::spawn(pictures::keep_starters(self.clone(), stopped.clone()));
        }
        let stop = async move {
            stop.await;
            stopped.store(true, Ordering::Relaxed);
            let _ = sockets.stopped.send(true);
        };
        connections::serve(listener, self.router(), stop).await
    }
}

/// What every line of the log about a request tells of it.
fn span_of<B>(request: &Request<B>) -> tracing::Span {
    let id = request.extensions().get::<RequestId>().and_then(|id| id.header_value().to_str().ok());
    let (method, path) = (request.method(), request.uri().path());
    tracing::info_span!("request", id = id.unwrap_or_default(), %method, path)
}

/// A fault of ours ends its request alone.
fn panicked(fault: Box<dyn Any + Send>) -> Response {
    let told = fault.downcast_ref::<String>().map(String::as_str).or(fault.downcast_ref::<&str>().copied());
    problem::failed("/problems/fault", "The server has a fault", told.unwrap_or("a panic")).into_response()
}
