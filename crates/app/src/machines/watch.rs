//! One line to one controller: it is asked how it stands ten times a second, the run in hand follows what it says, and the
//! next of the queue is sent when it is free. A line that breaks is taken up again; what runs goes on meanwhile.

use super::{Desk, Order, Seen, Word, finished_at, home, pieces};
use crate::error::AppError;
use crate::shop::App;
use boustrophe_core::decisions::Pose;
use boustrophe_core::geometry::Point;
use boustrophe_machine::{Driver, DriverError, Held, State, Status};
use boustrophe_store::{Heard, Run};
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};
use tokio::sync::mpsc::Receiver;

/// How often a machine is asked how it stands.
const LOOK: Duration = Duration::from_millis(100);
/// How long until a broken line is tried again.
const RETRY: Duration = Duration::from_millis(400);
/// While a run goes on as before it is written down this often.
const NOTE: Duration = Duration::from_secs(1);

/// The run that a machine is busy with.
struct InHand {
    run: i32,
    file_name: String,
    sum: String,
    /// How its sheet lies on the bed.
    pose: Pose,
    pieces: Vec<usize>,
    /// Line at which it goes home.
    home: usize,
    /// What was last written down, and when.
    noted: Heard,
    at: Instant,
    /// What was last heard.
    last: Heard,
}

impl InHand {
    /// True where the machine holds this run's program.
    fn is_held(&self, held: Option<&Held>) -> bool {
        held.is_some_and(|h| h.run == self.run && h.sum == self.sum)
    }

    /// Pieces of work that are finished when the machine is at a line.
    fn finished(&self, status: &Status) -> usize {
        match status.state {
            State::Done => self.pieces.len(),
            State::Running | State::Paused | State::Stopped | State::Fault => finished_at(status.line, &self.pieces, self.home),
            _ => 0,
        }
    }
}

/// Watches a machine for as long as the shop is open.
pub(super) async fn watch(app: Arc<App>, desk: Arc<Desk>, mut orders: Receiver<Order>) {
    let mut hand: Option<InHand> = None;
    loop {
        let end = match Driver::connect(&desk.link).await {
            Ok(mut driver) => {
                watched(&app, &desk, &mut driver).await;
                follow(&app, &desk, &mut driver, &mut orders, &mut hand).await
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
                () = &mut again => break,
                order = orders.recv() => match order {
                    Some(o) => drop(o.answer.send(Err(AppError::Unreached { machine: desk.machine.clone(), word: o.word.to_string() }))),
                    None => return,
                },
            }
        }
    }
}

/// Tells the machine how long it runs on without being asked. One that does not know the word runs on.
async fn watched(app: &App, desk: &Desk, driver: &mut Driver) {
    let silence = app.shop().machine(&desk.machine).map_or(0.0, |m| m.silence);
    if let Err(error) = driver.ask(&format!("watch {silence}")).await {
        tracing::debug!(machine = desk.machine, %error, "it does not watch the line");
    }
}

/// Follows a machine until the line breaks; gives why it did.
async fn follow(
    app: &Arc<App>,
    desk: &Arc<Desk>,
    driver: &mut Driver,
    orders: &mut Receiver<Order>,
    hand: &mut Option<InHand>,
) -> DriverError {
    loop {
        if let Err(end) = look(app, desk, driver, hand).await {
            return end;
        }
        tokio::select! {
            order = orders.recv() => {
                let Some(order) = order else { return DriverError::Silent(desk.machine.clone()) };
                let done = obey(desk, driver, hand.as_ref(), &order).await;
                // The answer goes out when the page will see what came of it.
                let looked = look(app, desk, driver, hand).await;
                let _ = order.answer.send(done);
                if let Err(end) = looked {
                    return end;
                }
            }
            () = tokio::time::sleep(LOOK) => {}
        }
    }
}

/// Asks once, writes down what was heard, and sends the next program where the machine is free.
async fn look(app: &Arc<App>, desk: &Arc<Desk>, driver: &mut Driver, hand: &mut Option<InHand>) -> Result<(), DriverError> {
    let status = driver.status().await?;
    let in_hand = hand.as_ref().filter(|h| h.is_held(status.held.as_ref())).map(|h| (h.run, h.finished(&status)));
    *desk.seen_mut() = Seen { status: Some(status.clone()), heard: Some(Instant::now()), trouble: String::new(), in_hand };
    // What cannot be written down now (a full disk) is tried again at the next look; the machine is followed all the same.
    let settled = match hand {
        Some(h) => settle(app, desk, h, &status).await,
        None => Ok(false),
    };
    match settled {
        Ok(true) => {
            *hand = None;
            desk.look_again();
        }
        Ok(false) => {}
        Err(error) => tracing::error!(machine = desk.machine, %error, "a run could not be written down"),
    }
    if hand.is_none() && desk.fresh.swap(false, Ordering::AcqRel) {
        match next(app, desk, &status).await {
            Ok(Next::Follow(run)) => {
                desk.look_again();
                *hand = Some(*run);
            }
            // The queue took its time: what was loaded at the panel meanwhile is not overwritten.
            Ok(Next::Send(run, program)) => {
                if is_taken(&driver.status().await?) {
                    desk.look_again();
                } else {
                    *hand = load(app, desk, driver, *run, program).await?;
                }
            }
            Ok(Next::Nothing) => {}
            Err(error) => {
                tracing::error!(machine = desk.machine, %error, "the queue could not be read");
                desk.look_again();
            }
        }
    }
    Ok(())
}

/// Takes what the machine says over to the run in hand; true where that has ended, or was given back to the queue.
async fn settle(app: &Arc<App>, desk: &Desk, hand: &mut InHand, status: &Status) -> Result<bool, AppError> {
    let mut heard = Heard {
        state: status.state.to_string(),
        seconds: status.seconds,
        line: i32::try_from(status.line).unwrap_or(i32::MAX),
        cuts_done: i32::try_from(hand.finished(status)).unwrap_or(i32::MAX),
        detail: String::new(),
        at: on_sheet(hand.pose, status),
        ended: false,
        alarm: String::new(),
    };
    if !hand.is_held(status.held.as_ref()) {
        let holds = status.held.as_ref().map_or_else(|| "nothing".to_owned(), |h| h.name.clone());
        if !matches!(hand.noted.state.as_str(), "running" | "paused") {
            // Nothing of it has been burned: it waits on, and is sent again when the machine is free.
            let detail = format!("{} was given another program ({holds}) before this one was started", desk.machine);
            requeue(app, hand.run, detail).await?;
            return Ok(true);
        }
        heard = Heard {
            state: "lost".into(),
            detail: format!(
                "the machine holds {holds} now: it was switched off or given something else while this ran. {} of {} pieces of work were finished when it was last heard, at line {}. Look at the sheet before anything else.",
                hand.last.cuts_done,
                hand.pieces.len(),
                hand.last.line
            ),
            ended: true,
            ..hand.last.clone()
        };
    } else if let Some(alarm) = status.alarm.filter(|_| status.state == State::Fault && super::not_begun(&hand.noted.state)) {
        // Nothing of it has been burned: it waits until the alarm is cleared.
        requeue(app, hand.run, format!("the alarm {alarm} came before it was started")).await?;
        return Ok(true);
    } else {
        match status.state {
            State::Running | State::Paused => heard.detail = place(status),
            State::Stopped | State::Fault => {
                heard.alarm = status.alarm.filter(|_| status.state == State::Fault).map_or_else(String::new, |a| a.to_string());
                heard.detail = format!(
                    "at line {} of {}, head at {:.1}, {:.1} mm; {} of {} pieces of work finished",
                    status.line,
                    status.of,
                    status.x,
                    status.y,
                    heard.cuts_done,
                    hand.pieces.len()
                );
                heard.ended = true;
            }
            State::Done => heard.ended = true,
            State::Loading => heard.state = "sending".into(),
            State::Ready | State::Walking | State::Idle => {}
        }
    }
    hand.last.clone_from(&heard);
    let changed = heard.state != hand.noted.state || heard.cuts_done != hand.noted.cuts_done;
    if changed || heard != hand.noted && hand.at.elapsed() >= NOTE {
        if heard.state != hand.noted.state {
            tracing::info!(run = hand.run, machine = desk.machine, program = hand.file_name, state = heard.state, line = heard.line, "run");
        }
        note(app, hand.run, heard.clone()).await?;
        (hand.noted, hand.at) = (heard.clone(), Instant::now());
    }
    Ok(heard.ended)
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

/// What is to be done with the queue.
enum Next {
    /// A run of before is at the machine: it is followed.
    Follow(Box<InHand>),
    /// The machine is free for this one.
    Send(Box<InHand>, String),
    Nothing,
}

async fn next(app: &Arc<App>, desk: &Desk, status: &Status) -> Result<Next, AppError> {
    let (app, machine) = (Arc::clone(app), desk.machine.clone());
    let open = tokio::task::spawn_blocking(move || {
        let open = app.store.open_runs(&machine)?;
        let begun = open.iter().find(|r| r.state != "waiting").or(open.first());
        begun.map(|r| Ok((r.clone(), app.store.program(r.id)?))).transpose()
    });
    let Some((run, program)) = open.await?.map_err(|e: boustrophe_store::StoreError| AppError::Store(e))? else { return Ok(Next::Nothing) };
    let hand = Box::new(in_hand(&run, &program));
    if run.state != "waiting" {
        return Ok(Next::Follow(hand));
    }
    if is_taken(status) {
        desk.look_again();
        return Ok(Next::Nothing);
    }
    Ok(Next::Send(hand, program))
}

/// What somebody loaded at the machine's own panel, and what runs, is left alone until it is gone; nothing is sent to a machine
/// whose alarm stands.
fn is_taken(status: &Status) -> bool {
    let panel = status.state == State::Ready && status.held.as_ref().is_some_and(|h| h.run == 0);
    panel || status.alarm.is_some() || matches!(status.state, State::Running | State::Paused | State::Walking | State::Loading)
}

fn in_hand(run: &Run, program: &str) -> InHand {
    let noted = Heard {
        state: run.state.clone(),
        detail: run.detail.clone(),
        seconds: run.seconds,
        line: run.line,
        cuts_done: run.cuts_done,
        at: (run.x, run.y),
        ended: false,
        alarm: String::new(),
    };
    InHand {
        run: run.id,
        file_name: run.file_name.clone(),
        sum: run.sum.clone(),
        pose: run.pose(),
        pieces: pieces(program),
        home: home(program),
        last: noted.clone(),
        noted,
        at: Instant::now(),
    }
}

/// Sends a program. What the machine refuses ends the run with its reason; a line that breaks leaves it to be sent again.
async fn load(app: &Arc<App>, desk: &Desk, driver: &mut Driver, mut hand: InHand, program: String) -> Result<Option<InHand>, DriverError> {
    hand.noted = Heard { state: "sending".into(), ..Heard::default() };
    hand.last.clone_from(&hand.noted);
    if let Err(error) = note(app, hand.run, hand.noted.clone()).await {
        tracing::error!(machine = desk.machine, %error, "a run could not be written down and was not sent");
        desk.look_again();
        return Ok(None);
    }
    let told = || desk.seen_mut().heard = Some(Instant::now());
    watched(app, desk, driver).await;
    let zero = hand.pose.zero_on_bed();
    match driver.load(&hand.file_name, &program, hand.run, (zero.x, zero.y), told).await {
        Ok(_) => Ok(Some(hand)),
        Err(DriverError::Refused { reason, .. }) => {
            let heard = Heard {
                state: "fault".into(),
                detail: format!("the machine does not take the program: {reason}"),
                ended: true,
                ..Heard::default()
            };
            if let Err(error) = note(app, hand.run, heard).await {
                tracing::error!(machine = desk.machine, %error, "a run could not be written down");
            }
            desk.look_again();
            Ok(None)
        }
        Err(broken) => {
            desk.look_again();
            Err(broken)
        }
    }
}

async fn obey(desk: &Desk, driver: &mut Driver, hand: Option<&InHand>, order: &Order) -> Result<(), AppError> {
    let Some(hand) = hand.filter(|h| h.run == order.run) else {
        return Err(AppError::Sentence(match hand {
            Some(h) => format!("{} is busy with {}; this run is not at the machine.", desk.machine, h.file_name),
            None => format!("this run is not at {}.", desk.machine),
        }));
    };
    let line = match order.word {
        Word::Start => format!("start {} {}", hand.run, hand.sum),
        word => word.to_string(),
    };
    tracing::info!(run = hand.run, machine = desk.machine, word = %order.word, "order");
    driver.ask(&line).await?;
    Ok(())
}

async fn note(app: &Arc<App>, run: i32, heard: Heard) -> Result<(), AppError> {
    let app = Arc::clone(app);
    let written = move || {
        app.store.set_run(run, &heard)?;
        if heard.ended && heard.state == "done" {
            crate::rack::settle(&app);
        }
        Ok::<_, AppError>(())
    };
    tokio::task::spawn_blocking(written).await?
}

async fn requeue(app: &Arc<App>, run: i32, detail: String) -> Result<(), AppError> {
    let app = Arc::clone(app);
    Ok(tokio::task::spawn_blocking(move || app.store.requeue(run, "waiting", &detail)).await??)
}
