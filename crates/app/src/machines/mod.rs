//! Programs on their way to machines. Each machine has a desk: one line to its controller, one run in hand, the others
//! waiting. What the controller says is what counts; the shop's record follows it.

pub mod again;
#[cfg(test)]
mod broken;
#[cfg(test)]
mod pace;
#[cfg(test)]
mod tests;
pub mod watch;

use crate::error::AppError;
use crate::shop::App;
use boustrophe_core::bed::Photo;
use boustrophe_machine::{Driver, DriverError, Link, Status, checksum};
use boustrophe_store::{NewRun, Run};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::{mpsc, oneshot};

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
}

impl Desk {
    fn new(machine: &str, link: Link) -> Self {
        let (orders, inbox) = mpsc::channel(ORDERS);
        Self { machine: machine.into(), link, orders, inbox: Mutex::new(Some(inbox)), seen: Mutex::default(), fresh: AtomicBool::new(true) }
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

    /// Stops the machine, whatever it runs and whatever the record says: over a line of its own, past everything that waits.
    pub async fn stop(&self) -> Result<(), AppError> {
        match self.tell("stop").await {
            // It does nothing that could be stopped.
            Ok(()) | Err(AppError::Machine(DriverError::Refused { .. })) => Ok(()),
            other => other,
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

/// The desks of all machines.
pub struct Machines {
    desks: BTreeMap<String, Arc<Desk>>,
}

impl Machines {
    /// Desks for machines whose controllers are known.
    pub fn new(links: BTreeMap<String, Link>) -> Self {
        Self { desks: links.into_iter().map(|(machine, link)| (machine.clone(), Arc::new(Desk::new(&machine, link)))).collect() }
    }

    /// The desk of a machine.
    pub fn desk(&self, machine: &str) -> Result<&Arc<Desk>, AppError> {
        self.desks.get(machine).ok_or_else(|| AppError::Sentence(format!("there is no connection to {machine}; see the shop's book")))
    }
}

/// Begins to watch every machine.
pub fn open(app: &Arc<App>) {
    for desk in app.machines.desks.values() {
        if let Some(inbox) = desk.inbox.lock().unwrap_or_else(PoisonError::into_inner).take() {
            tokio::spawn(watch::watch(Arc::clone(app), Arc::clone(desk), inbox));
        }
    }
}

/// Sends the program of a sheet (from 0, as they are numbered through) into the queue of the job's machine; gives the run's number. So many of the same
/// sheet are in the queue then and not yet started: what is there already is not sent a second time.
pub fn send(app: &Arc<App>, job: i32, sheet: usize, times: usize) -> Result<i32, AppError> {
    let loaded = app.load(job)?;
    if !loaded.route.released() {
        return Err(AppError::Sentence("the programs are not released: settle the open findings first.".into()));
    }
    let (batch, at) = loaded.route.sheet(sheet).ok_or_else(|| AppError::Sentence(format!("there is no sheet {}", sheet + 1)))?;
    let loaded = loaded.about(batch);
    let here = loaded.here();
    let mut text = Vec::new();
    here.write_program(at, &loaded.shop, &mut text).map_err(|e| AppError::Sentence(e.to_string()))?;
    let program = String::from_utf8(text).map_err(|e| AppError::Sentence(e.to_string()))?;
    let machine = &here.stock.machine;
    let new = NewRun {
        job,
        revision: loaded.revision.id,
        sheet: i32::try_from(sheet + 1).unwrap_or(i32::MAX),
        machine,
        file_name: &crate::names::program(&loaded.job, loaded.decided(), sheet, &loaded.machine()),
        program: &program,
        sum: &checksum(&program),
        cuts: i32::try_from(pieces(&program).len()).unwrap_or(i32::MAX),
        total: here.proofs.get(at).map_or(0.0, |p| p.seconds),
        goes_on: None,
        pose: here.pose(at),
    };
    queue_times(app, &new, times)
}

/// True for the state of a run that has burned nothing yet and may still be withdrawn or ticked.
pub fn not_begun(state: &str) -> bool {
    matches!(state, "waiting" | "sending" | "loading" | "ready" | "walking")
}

/// Puts a run into its machine's queue.
fn queue(app: &App, new: &NewRun) -> Result<i32, AppError> {
    queue_times(app, new, 1)
}

/// Puts a run into its machine's queue so often; gives the number of the first that waits there.
fn queue_times(app: &App, new: &NewRun, times: usize) -> Result<i32, AppError> {
    let desk = app.machines.desk(new.machine)?;
    let _sending = app.sending.lock().unwrap_or_else(PoisonError::into_inner);
    let same =
        |r: &&Run| r.job_id == new.job && r.sheet == new.sheet && r.sum == new.sum && r.goes_on == new.goes_on && not_begun(&r.state);
    let open = app.store.open_runs(new.machine)?;
    let mut runs: Vec<i32> = open.iter().filter(same).map(|r| r.id).collect();
    while runs.len() < times {
        runs.push(app.store.add_run(new)?);
    }
    let run = runs[0];
    tracing::info!(run, machine = new.machine, program = new.file_name, "sent");
    desk.look_again();
    Ok(run)
}

/// Lines of a program, from 1, at which its pieces of work begin: our writer numbers them in remarks. A dialect without remarks tells
/// none.
fn pieces(program: &str) -> Vec<usize> {
    let begins = |line: &str| {
        let remark = line.strip_prefix('(').and_then(|l| l.strip_suffix(')')).or_else(|| line.strip_prefix("; "));
        let number = remark.and_then(|l| l.split_once(' '));
        number.is_some_and(|(n, process)| n.parse::<usize>().is_ok() && process.chars().all(char::is_alphabetic))
    };
    program.lines().enumerate().filter(|(_, l)| begins(l.trim())).map(|(i, _)| i + 1).collect()
}

/// The lines of a program, from 1, in which a piece of work stands, by its number from 0.
fn lines_of(program: &str, piece: usize) -> std::ops::Range<usize> {
    let begins = pieces(program);
    let line = |k: usize| begins.get(k).copied().unwrap_or_else(|| home(program));
    line(piece)..line(piece + 1)
}

/// Pieces of work that are finished when the machine is at a line of a program, whose pieces begin at these lines. On its way home all are.
fn finished_at(line: usize, begins: &[usize], home: usize) -> usize {
    if line >= home { begins.len() } else { begins.partition_point(|begin| *begin <= line).saturating_sub(1) }
}

/// The line, from 1, at which a program of ours goes home.
fn home(program: &str) -> usize {
    let lines: Vec<&str> = program.lines().collect();
    lines.iter().rposition(|l| l.trim_end().ends_with("G0 X0 Y0")).map_or(usize::MAX, |i| i + 1)
}
