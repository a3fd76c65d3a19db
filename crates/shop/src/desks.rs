//! Each machine has a desk: one line to its controller, the orders that wait for it, and what it was last heard to do.

use crate::error::ShopError;
use boustrophe_core::bed::Photo;
use boustrophe_machine::{Driver, DriverError, Link, State, Status};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::Duration;
use tokio::runtime::Handle;
use tokio::sync::{mpsc, oneshot};
use tokio::time::Instant;

/// Silence longer than this is told.
pub const QUIET: Duration = Duration::from_secs(2);
/// Orders that wait for a machine at most.
const ORDERS: usize = 16;
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

/// A word on its way to a machine.
pub(crate) struct Order {
    pub(crate) run: i32,
    pub(crate) word: Word,
    pub(crate) answer: oneshot::Sender<Result<(), ShopError>>,
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
    pub(crate) machine: String,
    pub(crate) link: Link,
    orders: mpsc::Sender<Order>,
    pub(crate) inbox: Mutex<Option<mpsc::Receiver<Order>>>,
    seen: Mutex<Seen>,
    /// The queue has changed since it was last looked at.
    pub(crate) fresh: AtomicBool,
    /// Threads that have nothing to do but talk to machines.
    pub(crate) threads: OnceLock<Handle>,
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

    pub(crate) fn seen_mut(&self) -> MutexGuard<'_, Seen> {
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
    pub async fn order(&self, run: i32, word: Word) -> Result<(), ShopError> {
        let (answer, answered) = oneshot::channel();
        let unreached = || ShopError::Unreached { machine: self.machine.clone(), word: word.to_string() };
        self.orders.try_send(Order { run, word, answer }).map_err(|_| unreached())?;
        match tokio::time::timeout(ANSWER, answered).await {
            Ok(Ok(answer)) => answer,
            _ => Err(unreached()),
        }
    }

    /// Stops the machine, whatever it runs and whatever the record says: over a line of its own and on threads of its own, past
    /// everything that waits, and before anything is read, written or told.
    pub async fn stop(&self) -> Result<(), ShopError> {
        let link = self.link.clone();
        let told = self.threads.get_or_init(Handle::current).spawn(stopped(link)).await;
        self.look_again();
        match told? {
            Ok(()) => Ok(()),
            Err(error) => {
                tracing::warn!(machine = self.machine, %error, "Stop did not reach the machine");
                Err(ShopError::Unreached { machine: self.machine.clone(), word: "stop".into() })
            }
        }
    }

    /// What the camera over the machine's bed sees, over a line of its own.
    pub async fn look(&self) -> Result<Photo, ShopError> {
        let seen = async { Driver::connect(&self.link).await?.picture().await };
        Ok(seen.await?)
    }

    /// Gives a word to the machine that is about no run, over a line of its own: `stop`, `clear`, `zero`, and those of the room.
    pub async fn tell(&self, word: &str) -> Result<(), ShopError> {
        let told = async { Driver::connect(&self.link).await?.ask(word).await };
        let told = told.await;
        self.look_again();
        match told {
            Ok(_) => Ok(()),
            Err(refused @ DriverError::Refused { .. }) => Err(refused.into()),
            Err(error) => {
                tracing::warn!(machine = self.machine, word, %error, "a word did not reach the machine");
                Err(ShopError::Unreached { machine: self.machine.clone(), word: word.into() })
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
    pub(crate) desks: BTreeMap<String, Arc<Desk>>,
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
    pub fn desk(&self, machine: &str) -> Result<&Arc<Desk>, ShopError> {
        self.desks.get(machine).ok_or_else(|| ShopError::Sentence(format!("there is no connection to {machine}; see the shop's book")))
    }
}
