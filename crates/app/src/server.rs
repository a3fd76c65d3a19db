//! The shop in the browser.

use crate::assets;
use crate::error::AppError;
use crate::failure::Failure;
use crate::guard::{Names, guard};
use crate::serving::{asked_to_end, serve};
use crate::stations::{assign, bench, changes, clean, history, hold, intake, mending, nest, order, proof, release, stage};
use crate::things::{about, book, floor, machines, rack, runs, shift};
use axum::Router;
use axum::extract::{DefaultBodyLimit, Request};
use axum::http::StatusCode;
use axum::middleware::{Next, from_fn, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use boustrophe_core::shop::Shop;
use boustrophe_machine::{Link, Simulated, serve as serve_machine};
use boustrophe_shop::app::App;
use boustrophe_shop::demo;
use boustrophe_shop::reading::{Limits, Readers};
use boustrophe_store::Store;
use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::net::TcpListener;
use tower_http::compression::CompressionLayer;
use tower_http::timeout::{RequestBodyTimeoutLayer, TimeoutLayer};

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
    /// Processor seconds that the reading of a small drawing may take.
    pub reading_seconds: u64,
    /// Further names under which browsers reach it.
    pub hosts: Vec<String>,
    /// Machines whose controllers are elsewhere.
    pub connect: Vec<(String, Link)>,
}

/// A simulated controller by itself.
#[derive(Clone, Debug)]
pub struct Controller {
    /// Machine id.
    pub id: String,
    /// Address to listen on.
    pub listen: SocketAddr,
    /// What it is greeted with.
    pub token: String,
    /// Machine seconds that pass in a second.
    pub speed: f64,
}

/// Longest pause between two pieces of a body on its way in.
const BODY: Duration = Duration::from_secs(10);
/// Threads that take requests at least: where some are held up others still take a Stop.
const LEAST_THREADS: usize = 6;
/// Longest form, bytes. Drawings and other files may be longer.
const FORM: usize = 4 << 20;
/// Longest a request may take in all. Uploads that go on and event streams have a good while.
const REQUEST: Duration = Duration::from_secs(600);

/// Something that takes files: as long as drawings may be.
fn files<H: axum::handler::Handler<T, Arc<App>>, T: 'static>(handler: H) -> axum::routing::MethodRouter<Arc<App>> {
    post(handler).layer(DefaultBodyLimit::max(boustrophe_formats::MOST_BYTES + (1 << 20)))
}

/// All addresses of the shop.
fn router(app: Arc<App>, names: Names) -> Router {
    Router::new()
        .route("/", get(floor::floor))
        .route("/floor/cards", get(floor::cards_of))
        .route("/shift", get(shift::page))
        .route("/shift/notes", post(shift::leave))
        .route("/shift/notes/{id}", post(shift::done))
        .route("/machines/strips", get(machines::strips::now))
        .route("/jobs", post(floor::begin))
        .route("/jobs/{job}/asked", post(floor::ask))
        .route("/jobs/{job}/again", post(floor::again))
        .route("/jobs/dropped", files(floor::dropped))
        .route("/jobs/{job}", get(bench::job))
        .route("/jobs/{job}/{station}", get(bench::page))
        .route("/jobs/{job}/edit", post(changes::edit))
        .route("/jobs/{job}/try", post(clean::trying::trying))
        .route("/jobs/{job}/slot-fit", post(changes::slot_fit))
        .route("/jobs/{job}/coupon", post(changes::coupon))
        .route("/jobs/{job}/holds", post(changes::holds))
        .route("/jobs/{job}/box", post(intake::boxes::make))
        .route("/jobs/{job}/box/seen", post(intake::boxes::seen))
        .route("/jobs/{job}/drawings/{drawing}/table", files(intake::tables::fill))
        .route("/jobs/{job}/drawings/{drawing}/words", post(intake::tables::how))
        .route("/jobs/{job}/drawings/{drawing}/solid", post(intake::solids::choose))
        .route("/jobs/{job}/drawings/{drawing}/pairs", get(intake::solids::pairs))
        .route("/jobs/{job}/drawings/{drawing}/pages", get(intake::regions::pages))
        .route("/jobs/{job}/drawings/{drawing}/regions", post(intake::regions::change))
        .route("/jobs/{job}/grain", post(assign::forms::grain))
        .route("/jobs/{job}/plate", post(intake::plates::make))
        .route("/jobs/{job}/blanks", post(nest::blanks::work))
        .route("/jobs/{job}/jig", post(nest::blanks::cut_jig))
        .route("/jobs/{job}/jig/place", post(nest::blanks::where_jig_lies))
        .route("/jobs/{job}/resize", post(intake::forms::resize))
        .route("/jobs/{job}/trace", post(intake::forms::trace))
        .route("/jobs/{job}/region", post(intake::forms::region))
        .route("/jobs/{job}/drawings/{drawing}", files(intake::forms::replace))
        .route("/jobs/{job}/picture/{drawing}", get(intake::forms::picture))
        .route("/jobs/{job}/tone/{contour}", get(intake::pictures::tone))
        .route("/jobs/{job}/tracing/{drawing}", get(intake::pictures::tracing))
        .route("/jobs/{job}/keys", post(assign::forms::keys))
        .route("/jobs/{job}/settings", post(assign::forms::setting))
        .route("/jobs/{job}/toning/{contour}", post(assign::forms::tone))
        .route("/jobs/{job}/numbers", post(assign::forms::numbers))
        .route("/jobs/{job}/cards", post(book::cards::for_job))
        .route("/jobs/{job}/card", get(book::cards::page).post(book::cards::best))
        .route("/jobs/{job}/proved", post(book::cards::proved))
        .route("/shop", get(|| async { axum::response::Redirect::to("/shop/charts") }))
        .route("/shop/charts", get(book::charts::charts).post(book::charts::save_row))
        .route("/shop/charts.csv", get(book::charts::export))
        .route("/shop/charts/import", files(book::charts::import))
        .route("/shop/cards", post(book::cards::for_chart))
        .route("/shop/rules", get(book::rules::rules_page).post(book::rules::add_rule))
        .route("/shop/rules/try", post(book::rules::try_rule))
        .route("/shop/rules/{id}", post(book::rules::move_rule))
        .route("/shop/letters", get(book::letters::letters).merge(files(book::letters::add)))
        .route("/shop/letters/remove", post(book::letters::remove))
        .route("/shop/rack", get(rack::rack).merge(files(rack::add)))
        .route("/shop/rack/{id}", post(rack::change))
        .route("/shop/house", post(book::things::save_house))
        .route("/shop/machines", get(book::things::things))
        .route("/shop/machines/{id}", post(book::things::save_machine))
        .route("/shop/machines/{id}/copy", post(book::copies::machine))
        .route("/shop/materials/{id}/copy", post(book::copies::material))
        .route("/shop/machines/{id}/dialect", post(book::things::try_dialect))
        .route("/shop/materials/{id}", post(book::things::save_material))
        .route("/about", get(about::page))
        .route("/health", get(health))
        .route("/jobs/{job}/miniature", get(floor::miniature))
        .route("/jobs/{job}/fate", post(floor::fate))
        .route("/jobs/{job}/back", post(changes::back))
        .route("/jobs/{job}/mend", post(mending::all))
        .route("/jobs/{job}/undo", post(changes::undo))
        .route("/jobs/{job}/redo", post(changes::redo))
        .route("/jobs/{job}/drawings", files(changes::files))
        .route("/jobs/{job}/history/{station}", get(history::history))
        .route("/jobs/{job}/choose", post(history::choose))
        .route("/jobs/{job}/stage/{station}", get(stage::stage))
        .route("/jobs/{job}/moves/{sheet}", get(stage::moves))
        .route("/jobs/{job}/thin", get(hold::thin::thin))
        .route("/jobs/{job}/poses", get(stage::poses))
        .route("/jobs/{job}/copies", post(nest::copies::copies))
        .route("/jobs/{job}/rack", post(nest::searching::from_rack))
        .route("/jobs/{job}/places", post(order::places::places))
        .route("/jobs/{job}/nick", post(hold::places::nick))
        .route("/jobs/{job}/pierce", post(hold::places::pierce))
        .route("/jobs/{job}/orders", get(order::places::strategies))
        .route("/jobs/{job}/nest/rows", get(nest::rows::window))
        .route("/jobs/{job}/order/rows", get(order::rows::window))
        .route("/jobs/{job}/nest/ways", get(nest::rows::part_ways))
        .route("/jobs/{job}/guests", get(nest::searching::offers).post(nest::searching::take_in))
        .route("/jobs/{job}/search/take", post(nest::searching::take))
        .route("/jobs/{job}/search/start", post(nest::searching::start))
        .route("/jobs/{job}/search/longer", post(nest::searching::longer))
        .route("/jobs/{job}/search/pause", post(nest::searching::pause))
        .route("/jobs/{job}/search/resume", post(nest::searching::resume))
        .route("/jobs/{job}/search/stop", post(nest::searching::stop))
        .route("/jobs/{job}/search/events", get(nest::searching::events))
        .route("/jobs/{job}/files/{name}", get(release::papers::file))
        .route("/jobs/{job}/lines/{sheet}", get(proof::outside::lines))
        .route("/jobs/{job}/prove", files(proof::outside::outside))
        .route("/jobs/{job}/released", post(release::papers::make))
        .route("/jobs/{job}/runs", post(runs::send))
        .route("/machines", get(machines::page))
        .route("/machines/{machine}/stop", post(machines::stop))
        .route("/machines/{machine}/order", post(machines::order))
        .route("/machines/{machine}/pace", post(machines::pace))
        .route("/bed/{machine}", get(machines::bed::page))
        .route("/bed/{machine}/look", post(machines::bed::look))
        .route("/bed/{machine}/photo", files(machines::bed::photo))
        .route("/bed/{machine}/known", post(machines::bed::known))
        .route("/bed/{machine}/touched", post(machines::bed::touched))
        .route("/bed/{machine}/keep", post(machines::bed::keep))
        .route("/bed/{machine}/{kind}", get(machines::bed::picture))
        .route("/machine-room", get(machines::room::page))
        .route("/machine-room/{machine}", post(machines::room::befall))
        .route("/runs/{run}", get(runs::page))
        .route("/runs/{run}/status/{shown}", get(runs::status))
        .route("/runs/{run}/work", get(runs::live::work))
        .route("/runs/{run}/miniature", get(runs::miniature))
        .route("/runs/{run}/tick", post(runs::ticks::tick))
        .route("/runs/{run}/onward", post(runs::after::onward))
        .route("/runs/{run}/through", post(runs::after::through))
        .route("/runs/{run}/{word}", post(runs::order))
        .route("/static/{*path}", get(assets::asset))
        .fallback(|uri: axum::http::Uri| async move { AppError::NoPage(uri.path().to_owned()) })
        .layer(DefaultBodyLimit::max(FORM))
        .layer(RequestBodyTimeoutLayer::new(BODY))
        .layer(TimeoutLayer::with_status_code(StatusCode::REQUEST_TIMEOUT, REQUEST))
        .layer(CompressionLayer::new())
        .layer(from_fn_with_state(Arc::new(names), guard))
        .layer(from_fn(logged))
        .with_state(app)
}

/// One line a request: what, how it ended, how long it took.
async fn logged(request: Request, next: Next) -> Response {
    let (method, path) = (request.method().clone(), request.uri().path().to_owned());
    let began = Instant::now();
    let response = next.run(request).await;
    let (status, ms) = (response.status().as_u16(), began.elapsed().as_millis());
    // Pages that ask again and again, and what they are made of, are told only to whoever asks for it.
    if path.starts_with("/static/") || path.contains("/status/") || path.ends_with("/miniature") || path == "/health" {
        tracing::debug!(%method, path, status, ms, "request");
    } else {
        tracing::info!(%method, path, status, ms, "request");
    }
    response
}

/// Tells whoever watches over the shop whether it is well: it has read and written its data just now, and hears its machines. 503 where
/// its data do not answer.
async fn health(app: crate::asking::Shared) -> Response {
    let stored = crate::asking::blocking(&app, |app| {
        app.store.answers()?;
        Ok(app.store.jobs()?.len())
    });
    let stored = stored.await;
    let machines: BTreeMap<&str, serde_json::Value> = app
        .desks
        .seen()
        .map(|(id, seen)| {
            let alarm = seen.status.as_ref().and_then(|s| s.alarm).map(|a| a.to_string());
            (id, serde_json::json!({ "heard": seen.live(), "trouble": seen.trouble, "alarm": alarm }))
        })
        .collect();
    let status = if stored.is_ok() { StatusCode::OK } else { StatusCode::SERVICE_UNAVAILABLE };
    let trouble = stored.as_ref().err().map(ToString::to_string);
    let told = serde_json::json!({ "open": stored.is_ok(), "jobs": stored.ok(), "trouble": trouble, "machines": machines, "version": env!("CARGO_PKG_VERSION") });
    (status, axum::Json(told)).into_response()
}

/// Opens the shop and serves it until it is asked to end.
pub fn run(opening: &Opening) -> Result<ExitCode, Failure> {
    let told = tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "info".into());
    // Lines that cannot be written, or not soon enough, are dropped: nothing here ever waits for the log, or fails with it.
    let (log, _writes) = tracing_appender::non_blocking(std::io::stderr());
    tracing_subscriber::fmt().with_env_filter(told).with_writer(log).with_target(false).log_internal_errors(false).init();
    // As many connections as the system lets us have: half-open ones must not lock others out.
    let _ = rlimit::increase_nofile_limit(u64::MAX);
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(std::thread::available_parallelism().map_or(LEAST_THREADS, |n| n.get().max(LEAST_THREADS)))
        .enable_all()
        .build()
        .map_err(|e| Failure::Other(format!("the server cannot start: {e}")))?;
    let machines = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(2)
        .thread_name("machines")
        .enable_all()
        .build()
        .map_err(|e| Failure::Other(format!("the server cannot start: {e}")))?;
    let code = runtime.block_on(open(opening, machines.handle()));
    machines.shutdown_background();
    // What is still being worked out is let go: everything accepted is on the disk.
    runtime.shutdown_timeout(Duration::from_millis(200));
    code
}

async fn open(opening: &Opening, machines: &tokio::runtime::Handle) -> Result<ExitCode, Failure> {
    let failed = |e: &dyn std::fmt::Display| Failure::Other(e.to_string());
    let store = Store::open(&opening.data).map_err(|e| failed(&e))?;
    let first = if opening.demo { demo::shop() } else { Shop::builtin() };
    let damaged = store.damage().map(str::to_owned);
    if let Some(what) = &damaged {
        crate::damage::tell(&opening.data, what);
    }
    let shop = boustrophe_shop::settings::open(&store, &first).or_else(|e| if damaged.is_some() { Ok(first) } else { Err(failed(&e)) })?;
    let mut links =
        simulated_machines(&shop, opening).await.map_err(|e| Failure::Other(format!("the simulated machines cannot start: {e}")))?;
    links.extend(opening.connect.iter().cloned());
    let incoming = incoming_folder(&opening.data)?;
    let mut app =
        App::new(store, shop, links, Readers::of_this_program(Limits::of(opening.reading_seconds)), incoming).map_err(|e| failed(&e))?;
    app.room = opening.demo;
    let app = Arc::new(app);
    if opening.demo && damaged.is_none() {
        let seeding = Arc::clone(&app);
        tokio::task::spawn_blocking(move || demo::seed(&seeding)).await.map_err(|e| failed(&e))?.map_err(|e| failed(&e))?;
    }
    let listener = TcpListener::bind(opening.listen)
        .await
        .map_err(|e| Failure::Other(format!("{} cannot be listened on ({e}); choose another with --listen", opening.listen)))?;
    let address = listener.local_addr().map_err(|e| failed(&e))?;
    if !address.ip().is_loopback() {
        eprintln!("boustrophe: {address} is reached from other computers, and whoever reaches it may change jobs and start machines.");
    }
    if damaged.is_none() {
        boustrophe_shop::runs::open(&app, machines);
        // What ended just before the shop was shut, or broke down, is booked now, and what does not add up then is told.
        boustrophe_shop::rack::settle_soon(&app);
        boustrophe_shop::jobs::refresh(&app, false);
    }
    println!("Boustrophe is open at http://{address}/  (data in {}; Ctrl+C shuts it)", opening.data.display());
    let names = Names::new(address, &opening.hosts);
    serve(listener, router(Arc::clone(&app), names), asked_to_end()).await;
    // Nests keep their best; runs go on at their machines and are taken up again when the shop is opened.
    let shutting = Arc::clone(&app);
    let kept = tokio::task::spawn_blocking(move || shutting.searches.shut(LAST_NESTS));
    let _ = kept.await;
    tracing::info!("shut");
    Ok(ExitCode::SUCCESS)
}

/// How long nests are waited for when the shop is shut.
const LAST_NESTS: Duration = Duration::from_millis(1500);

/// What a folder of ours for files on their way in begins with.
const INCOMING: &str = "boustrophe-incoming-";

/// An empty folder of our own for files on their way in, beside the data. What an earlier shop left of its own goes; whatever else lies
/// there is nobody's business.
fn incoming_folder(data: &std::path::Path) -> Result<PathBuf, Failure> {
    let failed = |e: std::io::Error| Failure::Other(format!("{} cannot be used ({e})", data.display()));
    for entry in std::fs::read_dir(data).map_err(failed)?.flatten() {
        if entry.file_name().to_string_lossy().starts_with(INCOMING) && entry.file_type().is_ok_and(|t| t.is_dir()) {
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
    let folder = tempfile::Builder::new().prefix(INCOMING).tempdir_in(data).map_err(failed)?;
    Ok(folder.keep())
}

/// Starts a controller on a free port of this computer for each machine that is not connected to another.
async fn simulated_machines(shop: &Shop, opening: &Opening) -> std::io::Result<BTreeMap<String, Link>> {
    let mut links = BTreeMap::new();
    for machine in shop.machines.iter().filter(|m| !opening.connect.iter().any(|c| c.0 == m.id)) {
        let listener = TcpListener::bind("127.0.0.1:0").await?;
        let token = token();
        links.insert(machine.id.clone(), Link::new(listener.local_addr()?.to_string(), &*token));
        tokio::spawn(serve_machine(Simulated::new(machine.clone(), opening.machine_speed, &token), listener));
    }
    Ok(links)
}

/// A word that nobody guesses.
fn token() -> String {
    use rand::Rng;
    let mut rng = rand::rng();
    (0..32).map(|_| char::from(rng.sample(rand::distr::Alphanumeric))).collect()
}

/// A simulated controller by itself: it goes on while shops come and go.
pub fn run_machine(machine: &Controller) -> Result<ExitCode, Failure> {
    let found = Shop::builtin().machine(&machine.id).cloned();
    let found = found.ok_or_else(|| Failure::Usage(format!("there is no machine “{}”; there are lark and anvil.", machine.id)))?;
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(1)
        .enable_all()
        .build()
        .map_err(|e| Failure::Other(format!("the machine cannot start: {e}")))?;
    runtime.block_on(async {
        let listener = TcpListener::bind(machine.listen)
            .await
            .map_err(|e| Failure::Other(format!("{} cannot be listened on ({e})", machine.listen)))?;
        let address = listener.local_addr().map_err(|e| Failure::Other(e.to_string()))?;
        println!("{} answers at {address}", found.name);
        let serving = serve_machine(Simulated::new(found, machine.speed, &machine.token), listener);
        tokio::select! {
            end = serving => end.map_err(|e| Failure::Other(e.to_string())),
            () = asked_to_end() => Ok(()),
        }
    })?;
    Ok(ExitCode::SUCCESS)
}
