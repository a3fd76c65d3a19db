//! Programs on their way to machines: a run is a released sheet in a machine's queue, and what became of it. What the controller says
//! is what counts; the shop's record follows it.

pub mod again;
#[cfg(test)]
mod broken;
mod hand;
pub mod list;
pub mod orders;
#[cfg(test)]
mod pace;
pub mod said;
#[cfg(test)]
mod tests;
pub mod watch;

use crate::alike::numbers;
use crate::app::App;
use crate::error::ShopError;
use crate::releases::{Shown, to_send};
use boustrophe_store::{NewRun, Release};
use std::sync::{Arc, PoisonError};
use tokio::runtime::Handle;
use tokio::task::JoinHandle;

/// Times that a sheet is sent at once.
pub const MOST_TIMES: u32 = 50;

/// Sheets that are sent together.
const MOST_SHEETS: usize = 500;

/// Begins to watch every machine, on these threads; gives who watches.
pub fn open(app: &Arc<App>, threads: &Handle) -> Vec<JoinHandle<()>> {
    let watched = |desk: &Arc<crate::desks::Desk>| {
        let _ = desk.threads.set(threads.clone());
        let inbox = desk.inbox.lock().unwrap_or_else(PoisonError::into_inner).take()?;
        Some(threads.spawn(watch::watch(Arc::clone(app), Arc::clone(desk), inbox)))
    };
    app.desks.desks.values().filter_map(watched).collect()
}

/// Sends several sheets of a job, each so often, in their order; gives the first one's run. Which have been sent is said where one cannot be.
pub fn send_sheets(app: &App, (job, sheets): (i32, &[i32]), shown: Shown, (times, by): (usize, &str)) -> Result<i32, ShopError> {
    let Some(first) = sheets.first().filter(|_| sheets.iter().all(|s| *s > 0) && sheets.len() <= MOST_SHEETS) else {
        return Err(ShopError::Sentence("sheets are numbered from 1; load the page again.".into()));
    };
    let release = to_send(app, (job, *first), shown, by)?;
    let mut run = None;
    for (i, sheet) in sheets.iter().enumerate() {
        match send(app, &release, *sheet, times, by) {
            Ok(sent) => run = run.or(Some(sent)),
            Err(error) if i == 0 => return Err(error),
            Err(error) => {
                let before: Vec<usize> = sheets[..i].iter().filter_map(|s| usize::try_from(*s).ok()).collect();
                return Err(ShopError::Sentence(format!("sent: {}; not sent: sheet {sheet}, {error}", numbers(&before))));
            }
        }
    }
    run.ok_or_else(|| ShopError::Sentence("nothing was sent.".into()))
}

/// Puts the program of a released sheet (from 1, as they are numbered through) into its machine's queue; gives the run's number. So many
/// of it are in the queue then and not yet started: what is there already is not sent a second time.
pub fn send(app: &App, release: &Release, sheet: i32, times: usize, by: &str) -> Result<i32, ShopError> {
    let row = app.store.release_sheet(release.id, sheet)?;
    let batch = app.released(release.id, row.batch)?;
    let kept = usize::try_from(row.place).ok().and_then(|at| batch.sheets.get(at));
    let kept = kept.ok_or_else(|| ShopError::Sentence(format!("there is no sheet {sheet} in release {}.", release.id)))?;
    let desk = app.desks.desk(&row.machine)?;
    let new = NewRun {
        job: release.job,
        revision: release.revision,
        sheet,
        machine: &row.machine,
        file_name: &row.file_name,
        program: &app.store.program_of(&row.sum)?,
        sum: &row.sum,
        cuts: row.pieces,
        total: row.seconds,
        goes_on: None,
        pose: kept.pose,
        release: release.id,
        person: by,
        stock: row.stock_id.map(|id| (id, row.pieces_of_stock)),
        booked: false,
        work: None,
    };
    let run = app.store.send(&new, times)?;
    tracing::info!(run, machine = row.machine, program = row.file_name, by, "sent");
    desk.look_again();
    Ok(run)
}
