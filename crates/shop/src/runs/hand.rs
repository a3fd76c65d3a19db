//! The run that a machine is busy with: what it was heard to do, and what of that is written down.

use super::watch::{on_sheet, place};
use crate::app::App;
use crate::error::ShopError;
use boustrophe_core::decisions::Pose;
use boustrophe_core::release::Lines;
use boustrophe_core::run::RunState;
use boustrophe_machine::{Held, State, Status};
use boustrophe_store::{Heard, Run, StoreError};
use std::sync::Arc;
use std::time::Duration;
use tokio::task::JoinHandle;
use tokio::time::Instant;

/// While a run goes on as before it is written down this often.
const NOTE: Duration = Duration::from_secs(1);

/// The run that a machine is busy with.
pub(super) struct InHand {
    pub(super) run: i32,
    pub(super) file_name: String,
    pub(super) sum: String,
    /// How its sheet lies on the bed.
    pub(super) pose: Pose,
    lines: Lines,
    /// What was last written down, and when.
    noted: Heard,
    at: Instant,
    /// What was last heard.
    last: Heard,
    /// What is being written down.
    writing: Option<Writing>,
    /// It was told to start, whatever was heard of that: from then on nobody can say that it has burned nothing.
    told_to_start: bool,
}

/// A change of the record that is on its way.
struct Writing {
    what: Change,
    done: JoinHandle<Result<(), ShopError>>,
}

/// What is written down of a run.
#[derive(Clone)]
enum Change {
    /// What was heard.
    Heard(Heard),
    /// It goes back into its queue, with a word.
    GivenBack(String),
}

/// What became of a look.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Noted {
    /// It is in hand still.
    Open,
    /// It has ended, or is in hand no more, and that is written down.
    Closed,
}

impl InHand {
    /// A run as the record has it.
    pub(super) fn of(app: &App, run: &Run) -> Result<Self, ShopError> {
        let noted = Heard {
            state: run.state,
            detail: run.detail.clone(),
            seconds: run.seconds,
            line: run.line,
            cuts_done: run.cuts_done,
            at: (run.x, run.y),
            alarm: String::new(),
        };
        Ok(Self {
            run: run.id,
            file_name: run.file_name.clone(),
            sum: run.sum.clone(),
            pose: run.pose,
            lines: super::again::lines_of(app, run)?,
            last: noted.clone(),
            noted,
            at: Instant::now(),
            writing: None,
            told_to_start: false,
        })
    }

    /// Puts it on its way to the machine, in the record first.
    pub(super) fn on_its_way(&mut self, app: &App) -> Result<(), StoreError> {
        self.noted = Heard { state: RunState::Sending, ..Heard::default() };
        self.last.clone_from(&self.noted);
        app.store.note_run(self.run, &self.noted)
    }

    /// True where the machine holds this run's program.
    pub(super) fn is_held(&self, held: Option<&Held>) -> bool {
        held.is_some_and(|h| h.run == self.run && h.sum == self.sum)
    }

    /// True where the record has what was last heard of its state.
    pub(super) fn is_noted(&self) -> bool {
        self.writing.is_none() && self.last.state == self.noted.state
    }

    /// True where it waits at the machine for its start, and the record has that.
    pub(super) fn is_ready(&self) -> bool {
        self.noted.state == RunState::Ready && self.is_noted()
    }

    /// True while it goes back into its queue: from then on it is not to be started.
    pub(super) fn goes_back(&self) -> bool {
        self.writing.as_ref().is_some_and(|w| matches!(w.what, Change::GivenBack(_)))
    }

    /// It is being told to start; or the machine said that it does not.
    pub(super) fn told_to_start(&mut self, told: bool) {
        self.told_to_start = told;
    }

    /// True while it has burned nothing for sure.
    fn is_before_start(&self) -> bool {
        self.last.state.is_before_start() && !self.told_to_start
    }

    /// Puts it back into its queue, with a word.
    pub(super) fn give_back(&mut self, app: &Arc<App>, why: &str) {
        self.write(app, Change::GivenBack(why.into()));
    }

    fn pieces(&self) -> usize {
        self.lines.begins.len()
    }

    /// Pieces of work that are finished when the machine is at a line.
    pub(super) fn finished(&self, status: &Status) -> usize {
        match status.state {
            State::Done => self.pieces(),
            State::Running | State::Paused | State::Stopped | State::Fault => self.lines.finished_at(status.line),
            _ => 0,
        }
    }

    /// The machine does not take its program.
    pub(super) fn refused(&mut self, app: &Arc<App>, reason: &str) {
        let detail = format!("the machine does not take the program: {reason}");
        self.write(app, Change::Heard(Heard { state: RunState::Fault, detail, ..Heard::default() }));
    }

    /// Takes over what the machine says, and has it written down where something has changed. What cannot be saved now (a
    /// full disk) is tried again at the next look; the machine is followed all the same.
    pub(super) async fn follow(&mut self, app: &Arc<App>, machine: &str, status: &Status) -> Noted {
        if let Some(writing) = self.writing.take_if(|w| w.done.is_finished()) {
            match (writing.done.await.map_err(ShopError::from).and_then(|d| d), writing.what) {
                (Ok(()), Change::Heard(heard)) => {
                    if heard.state != self.noted.state {
                        tracing::info!(run = self.run, machine, program = self.file_name, state = %heard.state, line = heard.line, "run");
                    }
                    (self.noted, self.at) = (heard, Instant::now());
                    if self.noted.state.is_ended() {
                        return Noted::Closed;
                    }
                }
                (Ok(()), Change::GivenBack(_)) => return Noted::Closed,
                // Somebody else has brought it to its end, or deleted it.
                (Err(ShopError::Store(StoreError::RunMoved { .. } | StoreError::Missing { .. })), _) => return Noted::Closed,
                (Err(error), _) => tracing::error!(machine, run = self.run, %error, "a run could not be saved"),
            }
        }
        let change = self.heard(machine, status);
        if let Change::Heard(heard) = &change {
            self.last.clone_from(heard);
        }
        if self.writing.is_some() {
            return Noted::Open;
        }
        match &change {
            Change::Heard(heard) => {
                let news = heard.state != self.noted.state || heard.cuts_done != self.noted.cuts_done;
                if news || *heard != self.noted && self.at.elapsed() >= NOTE {
                    self.write(app, change);
                }
            }
            Change::GivenBack(_) => self.write(app, change),
        }
        Noted::Open
    }

    /// What the machine's word means for the run.
    fn heard(&self, machine: &str, status: &Status) -> Change {
        let mut heard = Heard {
            state: self.noted.state,
            seconds: status.seconds,
            line: i32::try_from(status.line).unwrap_or(i32::MAX),
            cuts_done: i32::try_from(self.finished(status)).unwrap_or(i32::MAX),
            detail: String::new(),
            at: on_sheet(self.pose, status),
            alarm: String::new(),
        };
        if !self.is_held(status.held.as_ref()) {
            let holds = status.held.as_ref().map_or_else(|| "nothing".to_owned(), |h| h.name.clone());
            if self.is_before_start() {
                // Nothing of it has been burned: it waits on, and is sent again when the machine is free.
                return Change::GivenBack(format!("{machine} was given another program ({holds}) before this one was started"));
            }
            if self.last.state.is_before_start() {
                // Its start was not answered, and its program is gone: it ran, for all that is known, and is lost by the next look.
                return Change::Heard(Heard { state: RunState::Running, ..self.last.clone() });
            }
            let detail = format!(
                "the machine holds {holds} now: it was switched off or given something else while this ran. {} of {} pieces of work were finished when it was last heard, at line {}. Look at the sheet before anything else.",
                self.last.cuts_done,
                self.pieces(),
                self.last.line
            );
            return Change::Heard(Heard { state: RunState::Lost, detail, ..self.last.clone() });
        }
        if let Some(alarm) = status.alarm.filter(|_| status.state == State::Fault && self.is_before_start()) {
            // Nothing of it has been burned: it waits until the alarm is cleared.
            return Change::GivenBack(format!("the alarm {alarm} came before it was started"));
        }
        heard.state = match status.state {
            // The line broke while it was sent: it is sent again from its begin.
            State::Loading => return Change::GivenBack("the line broke while it was sent".into()),
            State::Idle => self.noted.state,
            State::Ready => RunState::Ready,
            State::Walking => RunState::Walking,
            State::Running => RunState::Running,
            State::Paused => RunState::Paused,
            State::Done => RunState::Done,
            State::Stopped => RunState::Stopped,
            State::Fault => RunState::Fault,
        };
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
                    self.pieces()
                );
            }
            _ => {}
        }
        Change::Heard(heard)
    }

    /// Has a change written down, beside everything else.
    fn write(&mut self, app: &Arc<App>, what: Change) {
        let (to, run, change) = (Arc::clone(app), self.run, what.clone());
        let done = app.aside.run(move || {
            match change {
                Change::Heard(heard) => {
                    to.store.note_run(run, &heard)?;
                    if heard.state == RunState::Done {
                        crate::rack::settle_soon(&to);
                    }
                }
                Change::GivenBack(detail) => to.store.requeue(run, RunState::Waiting, &detail)?,
            }
            Ok(())
        });
        self.writing = Some(Writing { what, done });
    }
}
