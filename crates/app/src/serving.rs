//! Connections: taken, bounded in time, and let go when the shop is shut.

use axum::Router;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use std::time::Duration;
use tokio::net::TcpListener;

/// How long the head of a request may take to come in, and a connection may say nothing.
const HEAD: Duration = Duration::from_secs(10);
/// How long requests that are under way are waited for when the shop is shut.
pub const LAST_REQUESTS: Duration = Duration::from_secs(2);
/// How long nothing is taken after the system has run out of files.
const BREATH: Duration = Duration::from_millis(50);

/// Serves until `shut` is done, then lets what is under way end, but not for long.
pub async fn serve(listener: TcpListener, router: Router, shut: impl Future<Output = ()>) {
    let graceful = GracefulShutdown::new();
    let mut http = hyper::server::conn::http1::Builder::new();
    http.timer(TokioTimer::new()).header_read_timeout(HEAD).max_buf_size(64 << 10);
    tokio::pin!(shut);
    loop {
        let stream = tokio::select! {
            () = &mut shut => break,
            accepted = listener.accept() => match accepted {
                Ok((stream, _)) => stream,
                Err(error) => {
                    tracing::warn!(%error, "a connection could not be taken");
                    tokio::time::sleep(BREATH).await;
                    continue;
                }
            },
        };
        let _ = stream.set_nodelay(true);
        let service = TowerToHyperService::new(router.clone());
        let watched = graceful.watch(http.serve_connection(TokioIo::new(stream), service));
        tokio::spawn(async move {
            if let Err(error) = watched.await {
                tracing::debug!(%error, "a connection broke off");
            }
        });
    }
    drop(listener);
    if tokio::time::timeout(LAST_REQUESTS, graceful.shutdown()).await.is_err() {
        tracing::info!("requests that did not end were left");
    }
}

/// Done when the process is asked to end: Ctrl+C or SIGTERM.
pub async fn asked_to_end() {
    let interrupt = async { drop(tokio::signal::ctrl_c().await) };
    #[cfg(unix)]
    {
        use tokio::signal::unix::{SignalKind, signal};
        if let Ok(mut term) = signal(SignalKind::terminate()) {
            tokio::select! { () = interrupt => {}, _ = term.recv() => {} }
            return;
        }
    }
    interrupt.await;
}
