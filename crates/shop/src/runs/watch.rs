//! One line to one controller: it is asked how it stands ten times a second, the run in hand follows what it says, and the
//! next of the queue is sent when it is free. A line that breaks is taken up again; what runs goes on meanwhile.
//!
//! Nothing here waits for the shop's memory: what is to be written down or looked up goes on beside the asking.

use super::hand::{InHand, Noted};
use crate::app::App;
use crate::desks::{Desk, Order, Seen, Word};
use crate::error::ShopError;
use boustrophe_core::decisions::Pose;
use boustrophe_core::geometry::Point;
use boustrophe_core::run::RunState;
use boustrophe_machine::{Driver, DriverError, Held, State, Status};
use boustrophe_store::{Run, StoreError};
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Duration;
use tokio::sync::mpsc::Receiver;
use tokio::task::JoinHandle;
use tokio::time::Instant;

/// How often a machine is asked how it stands.
const LOOK: Duration = Duration::from_millis(100);
/// How long until a broken line is tried again.
const RETRY: Duration = Duration::from_millis(400);
/// How long the answer to an order waits for the record to follow.
const FOLLOWS: Duration = Duration::from_secs(1);

/// What a desk is busy with.
#[derive(Default)]
struct Busy {
    /// The run in hand.
    hand: Option<InHand>,
    /// The queue is being looked at.
    looking: Option<JoinHandle<Result<Next, ShopError>>>,
}

/// Watches a machine for as long as the shop is open.
pub(super) async fn watch(app: Arc<App>, desk: Arc<Desk>, mut orders: Receiver<Order>) {
    let mut busy = Busy::default();
    loop {
        let end = match connect(&app, &desk).await {
            Ok(mut driver) => {
                // What was being taken up when the line broke is found in the queue.
                desk.look_again();
                watched(&app, &desk, &mut driver).await;
                follow(&app, &desk, &mut driver, &mut orders, &mut busy).await
            }
            Err(error) => error,
        };
        let told = end.to_string();
        let news = {
            let mut seen = desk.seen_mut();
            let news = seen.trouble != told;
            seen.trouble.clone_from(&told);
            news
        };
        if news {
            tracing::warn!(machine = desk.machine, error = told, "the line is broken");
        }
        let again = tokio::time::sleep(RETRY);
        tokio::pin!(again);
        loop {
            tokio::select! {
                biased;
                () = &mut again => break,
                order = orders.recv() => match order {
                    Some(o) => drop(o.answer.send(Err(ShopError::Unreached { machine: desk.machine.clone(), word: o.word.to_string() }))),
                    None => return,
                },
            }
        }
    }
}

/// A line to the machine in this shop's name: a machine obeys one shop at a time.
async fn connect(app: &App, desk: &Desk) -> Result<Driver, DriverError> {
    let mut driver = Driver::connect(&desk.link).await?;
    driver.ask(&format!("hold {}", app.store.identity())).await?;
    Ok(driver)
}

/// Tells the machine how long it runs on without being asked. One that does not know the word runs on.
async fn watched(app: &App, desk: &Desk, driver: &mut Driver) {
    let silence = app.shop().machine(&desk.machine).map_or(0.0, |m| m.silence);
    match driver.ask(&format!("watch {silence}")).await {
        // One of another make may say nothing but that it is well.
        Ok(heard) if heard.is_empty() || heard == silence.to_string() => {}
        Ok(heard) => tracing::warn!(machine = desk.machine, heard, silence, "it heard another silence to watch for"),
        Err(error) => tracing::debug!(machine = desk.machine, %error, "it does not watch the line"),
    }
}

/// Follows a machine until the line breaks; gives why it did.
async fn follow(app: &Arc<App>, desk: &Arc<Desk>, driver: &mut Driver, orders: &mut Receiver<Order>, busy: &mut Busy) -> DriverError {
    loop {
        if let Err(end) = look(app, desk, driver, busy).await {
            return end;
        }
        tokio::select! {
            biased;
            order = orders.recv() => {
                let Some(order) = order else { return DriverError::Silent(desk.machine.clone()) };
                let done = obey(desk, driver, busy.hand.as_mut(), &order).await;
                // The answer goes out when the page will see what came of it, if that does not take long.
                let until = Instant::now() + FOLLOWS;
                let looked = loop {
                    if let Err(end) = look(app, desk, driver, busy).await {
                        break Err(end);
                    }
                    if busy.hand.as_ref().is_none_or(super::hand::InHand::is_noted) || Instant::now() > until {
                        break Ok(());
                    }
                    tokio::time::sleep(Duration::from_millis(20)).await;
                };
                let _ = order.answer.send(done);
                if let Err(end) = looked {
                    return end;
                }
            }
            () = tokio::time::sleep(LOOK) => {}
        }
    }
}

/// Asks once, has what was heard written down, and sends the next program where the machine is free.
async fn look(app: &Arc<App>, desk: &Arc<Desk>, driver: &mut Driver, busy: &mut Busy) -> Result<(), DriverError> {
    let status = driver.status().await?;
    let hand = &mut busy.hand;
    let in_hand = hand.as_ref().filter(|h| h.is_held(status.held.as_ref())).map(|h| (h.run, h.finished(&status)));
    *desk.seen_mut() = Seen { status: Some(status.clone()), heard: Some(Instant::now()), trouble: String::new(), in_hand };
    if let Some(h) = hand
        && h.follow(app, &desk.machine, &status).await == Noted::Closed
    {
        *hand = None;
        desk.look_again();
    }
    if busy.looking.as_ref().is_some_and(JoinHandle::is_finished)
        && let Some(found) = busy.looking.take()
    {
        return take_up(app, desk, driver, hand, found.await).await;
    }
    // One that is ready gives way to one that was put before it.
    let idle = hand.as_ref().is_none_or(InHand::is_ready);
    if idle && busy.looking.is_none() && desk.fresh.swap(false, Ordering::AcqRel) {
        let (of, machine, ready) = (Arc::clone(app), desk.machine.clone(), hand.as_ref().map(|h| h.run));
        busy.looking = Some(app.aside.run(move || next(&of, &machine, ready, &status)));
    }
    Ok(())
}

/// What is to be done with the queue.
enum Next {
    /// A run of before is at the machine: it is followed.
    Follow(Box<InHand>),
    /// The machine is free for this one, which is on its way from now on.
    Send(Box<InHand>, String),
    /// The run in hand is to give way to another.
    GiveWay,
    /// There is something, and the machine is not free for it.
    Taken,
    Nothing,
}

/// Does what a look at the queue found.
async fn take_up(
    app: &Arc<App>,
    desk: &Arc<Desk>,
    driver: &mut Driver,
    hand: &mut Option<InHand>,
    found: Result<Result<Next, ShopError>, tokio::task::JoinError>,
) -> Result<(), DriverError> {
    match found.map_err(ShopError::from).and_then(|f| f) {
        Ok(Next::Follow(run)) => {
            desk.look_again();
            *hand = Some(*run);
        }
        Ok(Next::Send(run, program)) => {
            // The queue took its time: what was loaded at the panel meanwhile is not overwritten.
            if is_taken(&driver.status().await?) {
                give_back(app, &run).await;
                desk.look_again();
            } else {
                return load(app, desk, driver, hand.insert(*run), &program).await;
            }
        }
        // Unless it was started meanwhile: what burns is never put back into a queue.
        Ok(Next::GiveWay) => {
            if let Some(ready) = hand.as_mut().filter(|h| h.is_ready()) {
                ready.give_back(app, "another was put before it");
            }
        }
        Ok(Next::Taken) => desk.look_again(),
        Ok(Next::Nothing) => {}
        Err(error) => {
            tracing::error!(machine = desk.machine, %error, "the queue could not be read");
            desk.look_again();
        }
    }
    Ok(())
}

/// Looks at a machine's queue; `ready` waits at the machine for its start. The run that is to be sent is put on its way in the same step.
fn next(app: &App, machine: &str, ready: Option<i32>, status: &Status) -> Result<Next, ShopError> {
    let open = app.store.open_runs(machine)?;
    // What goes on with the sheet on the bed comes before everything else.
    let mut waiting: Vec<&Run> = open.iter().filter(|r| r.state == RunState::Waiting || Some(r.id) == ready).collect();
    waiting.sort_by_key(|r| (r.goes_on.is_none(), r.place, r.id));
    if let Some(ready) = ready {
        return match waiting.first() {
            Some(first) if first.id != ready => Ok(Next::GiveWay),
            _ => Ok(Next::Nothing),
        };
    }
    if let Some(begun) = open.iter().find(|r| r.state != RunState::Waiting) {
        return Ok(Next::Follow(Box::new(InHand::of(app, begun)?)));
    }
    let Some(run) = waiting.first() else { return Ok(Next::Nothing) };
    // A sheet lies there, and nobody has said what becomes of it: the answer has the queue looked at again.
    if app.store.asking(machine)?.is_some() {
        return Ok(Next::Nothing);
    }
    if is_taken(status) {
        return Ok(Next::Taken);
    }
    let mut hand = InHand::of(app, run)?;
    let program = app.store.program(run.id)?;
    match hand.on_its_way(app) {
        Ok(()) => Ok(Next::Send(Box::new(hand), program)),
        // It was taken out of the queue meanwhile.
        Err(StoreError::RunMoved { .. }) => Ok(Next::Taken),
        Err(other) => Err(other.into()),
    }
}

async fn give_back(app: &Arc<App>, hand: &InHand) {
    let (to, run) = (Arc::clone(app), hand.run);
    let given = app.aside.run(move || to.store.requeue(run, RunState::Waiting, "the machine was given something else first"));
    if let Ok(Err(error)) = given.await {
        tracing::warn!(run, %error, "a run could not be given back to its queue");
    }
}

/// Where the head is on the sheet, mm.
pub fn on_sheet(pose: Pose, status: &Status) -> (f64, f64) {
    let at = pose.to_sheet() * Point::new(status.x, status.y);
    (at.x, at.y)
}

/// Where a machine is in a program, in words.
pub fn place(status: &Status) -> String {
    format!("line {} of {}, head at {:.1}, {:.1} mm", status.line, status.of, status.x, status.y)
}

/// What somebody loaded at the machine's own panel, and what runs, is left alone until it is gone; nothing is sent to a machine
/// whose alarm stands. What is left of a run of ours from a line that broke is in nobody's way: nobody but this desk sends it.
fn is_taken(status: &Status) -> bool {
    let held = |of: &dyn Fn(&Held) -> bool| status.held.as_ref().is_some_and(of);
    let panel = status.state == State::Ready && held(&|h| h.run == 0);
    let coming = status.state == State::Loading && held(&|h| h.run == 0);
    panel || coming || status.alarm.is_some() || matches!(status.state, State::Running | State::Paused | State::Walking)
}

/// Sends a program. What the machine refuses ends the run with its reason; where the line breaks the run is sent again.
async fn load(app: &Arc<App>, desk: &Desk, driver: &mut Driver, run: &mut InHand, program: &str) -> Result<(), DriverError> {
    let told = || desk.seen_mut().heard = Some(Instant::now());
    watched(app, desk, driver).await;
    let zero = run.pose.zero_on_bed();
    match driver.load(&run.file_name, program, run.run, (zero.x, zero.y), told).await {
        Ok(_) => Ok(()),
        Err(DriverError::Refused { reason, .. }) => {
            run.refused(app, &reason);
            Ok(())
        }
        Err(broken) => Err(broken),
    }
}

async fn obey(desk: &Desk, driver: &mut Driver, hand: Option<&mut InHand>, order: &Order) -> Result<(), ShopError> {
    let other = hand.as_ref().map(|h| h.file_name.clone());
    let Some(hand) = hand.filter(|h| h.run == order.run) else {
        return Err(ShopError::Sentence(match other {
            Some(h) => format!("{} is busy with {}; this run is not at the machine.", desk.machine, h),
            None => format!("this run is not at {}.", desk.machine),
        }));
    };
    if hand.goes_back() {
        return Err(ShopError::Sentence(format!("{} goes back into the queue: another was put before it.", hand.file_name)));
    }
    let line = match order.word {
        Word::Start => {
            let zero = hand.pose.zero_on_bed();
            format!("start {} {} {:.3} {:.3}", hand.run, hand.sum, zero.x, zero.y)
        }
        word => word.to_string(),
    };
    tracing::info!(run = hand.run, machine = desk.machine, word = %order.word, "order");
    if order.word == Word::Start {
        hand.told_to_start(true);
    }
    let answer = driver.ask(&line).await;
    if matches!(answer, Err(DriverError::Refused { .. })) && order.word == Word::Start {
        hand.told_to_start(false);
    }
    Ok(answer.map(|_| ())?)
}
