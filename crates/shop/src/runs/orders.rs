//! Words to a machine about a run: start, pause, resume, stop; or out of the queue.

use super::list::ticked;
use crate::app::App;
use crate::desks::{Desk, QUIET, Word};
use crate::error::ShopError;
use boustrophe_core::run::RunState;
use boustrophe_machine::Status;
use boustrophe_store::{Run, StoreError};
use std::sync::Arc;
use std::time::Duration;
use tokio::time::{Instant, sleep};

/// How often is looked whether a machine has done what it was told, and whether the record has.
const LOOK: (Duration, Duration) = (Duration::from_millis(30), Duration::from_millis(50));

/// Work that may wait for the memory, beside what answers pages.
async fn aside<T: Send + 'static>(
    app: &Arc<App>,
    work: impl FnOnce(&Arc<App>) -> Result<T, ShopError> + Send + 'static,
) -> Result<T, ShopError> {
    let mine = Arc::clone(app);
    tokio::task::spawn_blocking(move || work(&mine)).await?
}

/// Gives a word about a run, by whom; false for what is no word.
pub async fn order(app: &Arc<App>, id: i32, word: &str, by: &str) -> Result<bool, ShopError> {
    match word {
        "stop" => stop(app, id, by).await?,
        "clear" | "zero" => tell(app, id, word).await?,
        "withdraw" => withdraw(app, id, by).await?,
        other => match other.parse() {
            Ok(word) => give(app, id, word).await?,
            Err(_) => return Ok(false),
        },
    }
    Ok(true)
}

/// Stop goes to the machine before anything is read or written.
async fn stop(app: &Arc<App>, id: i32, by: &str) -> Result<(), ShopError> {
    match app.desks.at(id) {
        Some(desk) => desk.stop().await?,
        None => app.desks.desk(&run_of(app, id).await?.machine)?.stop().await?,
    }
    tracing::info!(run = id, by, "stop");
    settled(app, id).await
}

async fn run_of(app: &Arc<App>, id: i32) -> Result<Run, ShopError> {
    aside(app, move |app| Ok(app.store.run(id)?)).await
}

/// A word about the machine, whatever run is at it.
async fn tell(app: &Arc<App>, id: i32, word: &str) -> Result<(), ShopError> {
    let run = run_of(app, id).await?;
    let desk = app.desks.desk(&run.machine)?;
    tracing::info!(run = id, machine = run.machine, word, "order");
    desk.tell(word).await?;
    heard(desk, |s| if word == "clear" { s.alarm.is_none() } else { !s.unknown }).await;
    Ok(())
}

async fn withdraw(app: &Arc<App>, id: i32, by: &str) -> Result<(), ShopError> {
    let run = run_of(app, id).await?;
    let why = format!("by {by}");
    aside(app, move |app| match app.store.requeue(id, RunState::Withdrawn, &why) {
        Err(StoreError::RunMoved { .. }) => Err(ShopError::Sentence("it is at the machine already; stop it there.".into())),
        other => Ok(other?),
    })
    .await?;
    app.desks.desk(&run.machine)?.look_again();
    Ok(())
}

/// Gives a word to the machine; a run starts only once its list is ticked.
async fn give(app: &Arc<App>, id: i32, word: Word) -> Result<(), ShopError> {
    let run = run_of(app, id).await?;
    if run.ended_at.is_some() {
        return Err(ShopError::Sentence(format!("{} has ended; send the sheet again to run it once more.", run.file_name)));
    }
    let machine = run.machine.clone();
    if word == Word::Start {
        aside(app, move |app| ticked(app, &run)).await?;
    }
    app.desks.desk(&machine)?.order(id, word).await
}

/// Waits until the machine says so of itself, for as long as that may take.
async fn heard(desk: &Desk, so: impl Fn(&Status) -> bool) {
    let until = Instant::now() + QUIET;
    while Instant::now() < until && !desk.seen().status.as_ref().is_some_and(&so) {
        sleep(LOOK.0).await;
    }
}

/// Waits until the record has followed a stop, as long as the machine is heard; a silent one is told by the page.
async fn settled(app: &Arc<App>, id: i32) -> Result<(), ShopError> {
    let until = Instant::now() + QUIET;
    while Instant::now() < until {
        let run = run_of(app, id).await?;
        if run.ended_at.is_some() || matches!(run.state, RunState::Waiting | RunState::Ready) {
            break;
        }
        sleep(LOOK.1).await;
    }
    Ok(())
}
