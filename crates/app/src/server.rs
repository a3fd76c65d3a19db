//! The shop in the browser.

use crate::command::Failure;
use crate::error::AppError;
use crate::pages::{assign, book, cards, changes, floor, history, intake, nesting, pictures, release, runs, stage, station};
use crate::shop::App;
use crate::{assets, demo};
use axum::Router;
use axum::extract::{DefaultBodyLimit, Request};
use axum::http::{HeaderName, HeaderValue, Method, header};
use axum::middleware::{Next, from_fn};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use boustrophe_core::shop::Shop;
use boustrophe_machine::{Simulated, serve};
use boustrophe_store::Store;
use std::collections::HashMap;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use tokio::net::TcpListener;

/// How the shop is opened.
#[derive(Clone, Debug)]
pub struct Opening {
    /// Address to listen on.
    pub listen: SocketAddr,
    /// Folder of its data.
    pub data: PathBuf,
    /// With the demo's jobs, when there are none yet.
    pub demo: bool,
    /// Machine seconds that pass in a second on the simulated machines.
    pub machine_speed: f64,
}

/// All addresses of the shop.
fn router(app: Arc<App>) -> Router {
    Router::new()
        .route("/", get(floor::floor))
        .route("/jobs", post(floor::begin))
        .route("/jobs/dropped", post(floor::dropped))
        .route("/jobs/{job}", get(station::job))
        .route("/jobs/{job}/{station}", get(station::page))
        .route("/jobs/{job}/edit", post(changes::edit))
        .route("/jobs/{job}/slot-fit", post(changes::slot_fit))
        .route("/jobs/{job}/coupon", post(changes::coupon))
        .route("/jobs/{job}/resize", post(intake::resize))
        .route("/jobs/{job}/trace", post(intake::trace))
        .route("/jobs/{job}/region", post(intake::region))
        .route("/jobs/{job}/drawings/{drawing}", post(intake::replace))
        .route("/jobs/{job}/picture/{drawing}", get(intake::picture))
        .route("/jobs/{job}/tone/{contour}", get(pictures::tone))
        .route("/jobs/{job}/tracing/{drawing}", get(pictures::tracing))
        .route("/jobs/{job}/keys", post(assign::keys))
        .route("/jobs/{job}/settings", post(assign::setting))
        .route("/jobs/{job}/toning/{contour}", post(assign::tone))
        .route("/jobs/{job}/numbers", post(assign::numbers))
        .route("/jobs/{job}/cards", post(cards::for_job))
        .route("/jobs/{job}/card", get(cards::page).post(cards::best))
        .route("/jobs/{job}/proved", post(cards::proved))
        .route("/shop", get(|| async { axum::response::Redirect::to("/shop/charts") }))
        .route("/shop/charts", get(book::charts::charts).post(book::charts::save_row))
        .route("/shop/charts.csv", get(book::charts::export))
        .route("/shop/charts/import", post(book::charts::import))
        .route("/shop/cards", post(cards::for_chart))
        .route("/shop/rules", get(book::rules::rules_page).post(book::rules::add_rule))
        .route("/shop/rules/try", post(book::rules::try_rule))
        .route("/shop/rules/{id}", post(book::rules::move_rule))
        .route("/shop/machines", get(book::things::things))
        .route("/shop/machines/{id}", post(book::things::save_machine))
        .route("/shop/materials/{id}", post(book::things::save_material))
        .route("/jobs/{job}/undo", post(changes::undo))
        .route("/jobs/{job}/redo", post(changes::redo))
        .route("/jobs/{job}/drawings", post(changes::files))
        .route("/jobs/{job}/history/{station}", get(history::history))
        .route("/jobs/{job}/choose", post(history::choose))
        .route("/jobs/{job}/stage/{station}", get(stage::stage))
        .route("/jobs/{job}/moves/{sheet}", get(stage::moves))
        .route("/jobs/{job}/search/start", post(nesting::start))
        .route("/jobs/{job}/search/stop", post(nesting::stop))
        .route("/jobs/{job}/search/events", get(nesting::events))
        .route("/jobs/{job}/files/{name}", get(release::file))
        .route("/jobs/{job}/runs", post(runs::send))
        .route("/runs/{run}", get(runs::page))
        .route("/runs/{run}/status", get(runs::status))
        .route("/runs/{run}/{word}", post(runs::order))
        .route("/static/{*path}", get(assets::asset))
        .fallback(|uri: axum::http::Uri| async move { AppError::NoPage(uri.path().to_owned()) })
        .layer(DefaultBodyLimit::max(boustrophe_formats::MOST_BYTES + (1 << 20)))
        .layer(from_fn(guard))
        .with_state(app)
}

/// Nothing from elsewhere is loaded, and no other site may post here.
async fn guard(request: Request, next: Next) -> Response {
    if foreign(&request) {
        return AppError::Sentence("this came from another site and was not done".into()).into_response();
    }
    let mut response = next.run(request).await;
    let policy = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";
    for (name, value) in [("content-security-policy", policy), ("x-content-type-options", "nosniff"), ("referrer-policy", "same-origin")] {
        response.headers_mut().insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    }
    response
}

/// A post from a page of another host.
fn foreign(request: &Request) -> bool {
    let own = |name: HeaderName| request.headers().get(name).and_then(|v| v.to_str().ok());
    match (own(header::ORIGIN), own(header::HOST)) {
        (Some(origin), Some(host)) => request.method() == Method::POST && origin.split_once("://").map(|o| o.1) != Some(host),
        _ => false,
    }
}

/// Opens the shop and serves it until it is interrupted.
pub fn run(opening: &Opening) -> Result<ExitCode, Failure> {
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|e| Failure::Other(format!("the server cannot start: {e}")))?;
    runtime.block_on(open(opening))
}

async fn open(opening: &Opening) -> Result<ExitCode, Failure> {
    let store = Store::open(&opening.data).map_err(|e| Failure::Other(e.to_string()))?;
    store.close_lost_runs().map_err(|e| Failure::Other(e.to_string()))?;
    let first = if opening.demo { demo::shop() } else { Shop::builtin() };
    let shop = crate::settings::open(&store, &first).map_err(|e| Failure::Other(e.to_string()))?;
    let machines = simulated_machines(&shop, opening.machine_speed)
        .await
        .map_err(|e| Failure::Other(format!("the simulated machines cannot start: {e}")))?;
    let app = Arc::new(App::new(store, shop, machines));
    if opening.demo {
        let seeding = Arc::clone(&app);
        tokio::task::spawn_blocking(move || demo::seed(&seeding))
            .await
            .map_err(|e| Failure::Other(e.to_string()))?
            .map_err(|e| Failure::Other(e.to_string()))?;
    }
    let listener = TcpListener::bind(opening.listen)
        .await
        .map_err(|e| Failure::Other(format!("{} cannot be listened on ({e}); choose another with --listen", opening.listen)))?;
    let address = listener.local_addr().map_err(|e| Failure::Other(e.to_string()))?;
    println!("Boustrophe is open at http://{address}/  (data in {}; Ctrl+C shuts it)", opening.data.display());
    let served = axum::serve(listener, router(app)).with_graceful_shutdown(async {
        let _ = tokio::signal::ctrl_c().await;
    });
    tokio::select! {
        ended = served => ended.map_err(|e| Failure::Other(e.to_string()))?,
        // Open event streams must not keep a shut shop alive.
        () = async { let _ = tokio::signal::ctrl_c().await; tokio::time::sleep(std::time::Duration::from_secs(1)).await; } => {}
    }
    Ok(ExitCode::SUCCESS)
}

/// Starts a controller for each machine on a free port of this computer.
async fn simulated_machines(shop: &Shop, speed: f64) -> std::io::Result<HashMap<String, String>> {
    let mut addresses = HashMap::new();
    for machine in &shop.machines {
        let listener = TcpListener::bind("127.0.0.1:0").await?;
        addresses.insert(machine.id.clone(), listener.local_addr()?.to_string());
        tokio::spawn(serve(Simulated::new(machine.clone(), speed), listener));
    }
    Ok(addresses)
}
