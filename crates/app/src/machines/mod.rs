//! Programs on their way to machines. Each machine has a desk: one line to its controller, one run in hand, the others
//! waiting. What the controller says is what counts; the shop's record follows it.

pub mod again;
#[cfg(test)]
mod broken;
mod hand;
#[cfg(test)]
mod pace;
pub mod said;
#[cfg(test)]
mod tests;
pub mod watch;

use crate::error::AppError;
use crate::shop::App;
use boustrophe_core::bed::Photo;
use boustrophe_machine::{Driver, DriverError, Link, State, Status};
use boustrophe_store::{NewRun, Release};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::Duration;
use tokio::runtime::Handle;
use tokio::sync::{mpsc, oneshot};
use tokio::task::JoinHandle;
use tokio::time::Instant;

/// Silence longer than this is told.
pub const QUIET: Duration = Duration::from_secs(2);
/// Orders that wait for a machine at most.
const ORDERS: usize = 16;
/// Times that a sheet is sent at once.
pub const MOST_TIMES: u32 = 50;
/// How long an answer to an order is waited for.
const ANSWER: Duration = Duration::from_secs(6);

/// What a machine is told about the run in hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::Display, strum::EnumString)]
#[strum(serialize_all = "lowercase")]
pub enum Word {
    /// Go round what will be burned, with the beam off.
    Walk,
    /// Start it; only once the run's list is ticked.
    Start,
    /// Hold still.
    Pause,
    /// Go on.
    Resume,
}

struct Order {
    run: i32,
    word: Word,
    answer: oneshot::Sender<Result<(), AppError>>,
}

/// What is known of a machine just now.
#[derive(Clone, Debug, Default)]
pub struct Seen {
    /// What it last said.
    pub status: Option<Status>,
    /// When that was; `None` where it has not been heard since the shop was opened.
    pub heard: Option<Instant>,
    /// What keeps it from being heard.
    pub trouble: String,
    /// The run that it is busy with, and pieces of its work that are finished.
    pub in_hand: Option<(i32, usize)>,
}

impl Seen {
    /// True where the machine is being heard.
    pub fn live(&self) -> bool {
        self.heard.is_some_and(|h| h.elapsed() < QUIET)
    }
}

/// The desk of one machine.
pub struct Desk {
    machine: String,
    link: Link,
    orders: mpsc::Sender<Order>,
    inbox: Mutex<Option<mpsc::Receiver<Order>>>,
    seen: Mutex<Seen>,
    /// The queue has changed since it was last looked at.
    fresh: AtomicBool,
    /// Threads that have nothing to do but talk to machines.
    threads: OnceLock<Handle>,
}

impl Desk {
    fn new(machine: &str, link: Link) -> Self {
        let (orders, inbox) = mpsc::channel(ORDERS);
        Self {
            machine: machine.into(),
            link,
            orders,
            inbox: Mutex::new(Some(inbox)),
            seen: Mutex::default(),
            fresh: AtomicBool::new(true),
            threads: OnceLock::new(),
        }
    }

    fn seen_mut(&self) -> MutexGuard<'_, Seen> {
        self.seen.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What is known of the machine just now.
    pub fn seen(&self) -> Seen {
        self.seen_mut().clone()
    }

    /// Has the queue looked at anew.
    pub fn look_again(&self) {
        self.fresh.store(true, Ordering::Release);
    }

    /// Gives the word to the machine; fails where it does not get there, or is refused there.
    pub async fn order(&self, run: i32, word: Word) -> Result<(), AppError> {
        let (answer, answered) = oneshot::channel();
        let unreached = || AppError::Unreached { machine: self.machine.clone(), word: word.to_string() };
        self.orders.try_send(Order { run, word, answer }).map_err(|_| unreached())?;
        match tokio::time::timeout(ANSWER, answered).await {
            Ok(Ok(answer)) => answer,
            _ => Err(unreached()),
        }
    }

    /// Stops the machine, whatever it runs and whatever the record says: over a line of its own and on threads of its own, past
    /// everything that waits, and before anything is read, written or told.
    pub async fn stop(&self) -> Result<(), AppError> {
        let link = self.link.clone();
        let told = self.threads.get_or_init(Handle::current).spawn(stopped(link)).await;
        self.look_again();
        match told? {
            Ok(()) => Ok(()),
            Err(error) => {
                tracing::warn!(machine = self.machine, %error, "Stop did not reach the machine");
                Err(AppError::Unreached { machine: self.machine.clone(), word: "stop".into() })
            }
        }
    }

    /// What the camera over the machine's bed sees, over a line of its own.
    pub async fn look(&self) -> Result<Photo, AppError> {
        let seen = async { Driver::connect(&self.link).await?.picture().await };
        Ok(seen.await?)
    }

    /// Gives a word to the machine that is about no run, over a line of its own: `stop`, `clear`, `zero`, and those of the room.
    pub async fn tell(&self, word: &str) -> Result<(), AppError> {
        let told = async { Driver::connect(&self.link).await?.ask(word).await };
        let told = told.await;
        self.look_again();
        match told {
            Ok(_) => Ok(()),
            Err(refused @ DriverError::Refused { .. }) => Err(refused.into()),
            Err(error) => {
                tracing::warn!(machine = self.machine, word, %error, "a word did not reach the machine");
                Err(AppError::Unreached { machine: self.machine.clone(), word: word.into() })
            }
        }
    }
}

/// Times that Stop is said where it was not understood.
const STOPS: usize = 4;

/// Stops whatever runs behind a link. A refusal is believed only where the machine does nothing that could be stopped; what was not
/// understood, either way, is said again.
async fn stopped(link: Link) -> Result<(), DriverError> {
    let mut last = DriverError::Silent(link.address.clone());
    for _ in 0..STOPS {
        let mut driver = Driver::connect(&link).await?;
        match driver.ask("stop").await {
            Ok(_) => return Ok(()),
            Err(refused @ DriverError::Refused { .. }) => match driver.status().await {
                Ok(s) if !matches!(s.state, State::Running | State::Paused | State::Walking) => return Ok(()),
                Ok(_) => last = refused,
                Err(error) => last = error,
            },
            Err(error @ DriverError::Garbled { .. }) => last = error,
            Err(error) => return Err(error),
        }
    }
    Err(last)
}

/// The desks of all machines.
pub struct Machines {
    desks: BTreeMap<String, Arc<Desk>>,
}

impl Machines {
    /// Desks for machines whose controllers are known.
    pub fn new(links: BTreeMap<String, Link>) -> Self {
        Self { desks: links.into_iter().map(|(machine, link)| (machine.clone(), Arc::new(Desk::new(&machine, link)))).collect() }
    }

    /// What is known of each machine just now.
    pub fn seen(&self) -> impl Iterator<Item = (&str, Seen)> {
        self.desks.iter().map(|(id, desk)| (id.as_str(), desk.seen()))
    }

    /// The desk of the machine that a run is at, told without the shop's memory.
    pub fn at(&self, run: i32) -> Option<&Arc<Desk>> {
        let holds = |d: &&Arc<Desk>| d.seen_mut().status.as_ref().is_some_and(|s| s.held.as_ref().is_some_and(|h| h.run == run));
        self.desks.values().find(holds)
    }

    /// The desk of a machine.
    pub fn desk(&self, machine: &str) -> Result<&Arc<Desk>, AppError> {
        self.desks.get(machine).ok_or_else(|| AppError::Sentence(format!("there is no connection to {machine}; see the shop's book")))
    }
}

/// Begins to watch every machine, on these threads; gives who watches.
pub fn open(app: &Arc<App>, threads: &Handle) -> Vec<JoinHandle<()>> {
    let watched = |desk: &Arc<Desk>| {
        let _ = desk.threads.set(threads.clone());
        let inbox = desk.inbox.lock().unwrap_or_else(PoisonError::into_inner).take()?;
        Some(threads.spawn(watch::watch(Arc::clone(app), Arc::clone(desk), inbox)))
    };
    app.machines.desks.values().filter_map(watched).collect()
}

/// Puts the program of a released sheet (from 1, as they are numbered through) into its machine's queue; gives the run's number. So many
/// of it are in the queue then and not yet started: what is there already is not sent a second time.
pub fn send(app: &App, release: &Release, sheet: i32, times: usize, by: &str) -> Result<i32, AppError> {
    let row = app.store.release_sheet(release.id, sheet)?;
    let batch = app.released(release.id, row.batch)?;
    let kept = usize::try_from(row.place).ok().and_then(|at| batch.sheets.get(at));
    let kept = kept.ok_or_else(|| AppError::Sentence(format!("there is no sheet {sheet} in release {}.", release.id)))?;
    let desk = app.machines.desk(&row.machine)?;
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
