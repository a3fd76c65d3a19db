//! What a run's page says: states, alarms, silence, what a run waits for.

use crate::error::AppError;
use boustrophe_core::run::RunState;
use boustrophe_machine::Alarm;
use boustrophe_shop::app::App;
use boustrophe_shop::desks::Seen;
use boustrophe_store::Run;
use std::time::SystemTime;
use time::OffsetDateTime;

/// An alarm in a sentence, and what to do about it.
pub(super) fn told(alarm: Alarm) -> (&'static str, &'static str) {
    match alarm {
        Alarm::Door => ("the door is open", "Nothing burns. Look at the sheet, shut the door, then say that it is put right."),
        Alarm::Flame => ("something burns", "Put it out and look at the bed. When nothing glows any more, say that it is put right."),
        Alarm::Limit => (
            "the head ran into the end of its way",
            "It lost its place there. Clear what is in the way, say that it is put right, and have it find zero.",
        ),
        Alarm::Link => (
            "it heard nothing from the shop and stopped",
            "As it is told to in the shop's book. Check cable and switch, then say that it is put right.",
        ),
    }
}

/// The state of a run in a sentence.
pub(super) fn says(state: RunState, machine: &str) -> String {
    match state {
        RunState::Walking => "Walking round, beam off".into(),
        RunState::Waiting => format!("Waits for {machine}"),
        RunState::Sending => format!("Being sent to {machine}"),
        RunState::Ready => "Ready: go through the list, then start".into(),
        RunState::Running => "Running".into(),
        RunState::Paused => "Paused".into(),
        RunState::Stopped => "Stopped".into(),
        RunState::Done => "Done".into(),
        RunState::Lost => "Lost: the machine no longer knows of it".into(),
        RunState::Withdrawn => "Taken out of the queue".into(),
        RunState::Fault => "Went wrong".into(),
    }
}

/// What a line that is silent means; nothing while it is live.
pub(super) fn silence(machine: &str, seen: &Seen) -> String {
    if seen.live() {
        return String::new();
    }
    let since = seen.heard.map(|h| OffsetDateTime::from(SystemTime::now() - h.elapsed()));
    let since = since.map_or_else(
        || "since the shop was opened".to_owned(),
        |t| format!("since {:02}:{:02}:{:02} UTC", t.hour(), t.minute(), t.second()),
    );
    format!(
        "{machine} has not been heard {since}. What is shown may be old, and the machine goes on by itself: look at it. Stop is tried all the same; where it does not answer, use the machine's own."
    )
}

/// What a run in the queue waits for.
pub(super) fn waits(app: &App, run: &Run, machine: &str, seen: &Seen) -> Result<String, AppError> {
    if let Some(lies) = app.store.asking(&run.machine)? {
        return Ok(format!(
            "The sheet of run {} lies on {machine}'s bed: say on its page what becomes of it. Nothing else comes before that.",
            lies.id
        ));
    }
    // In the queue's order: what is begun, and what stands before it.
    let open = app.store.open_runs(&run.machine)?;
    let place = open.iter().position(|r| r.id == run.id).unwrap_or(open.len());
    let before: Vec<Run> =
        open.into_iter().enumerate().filter(|(i, r)| *i < place || r.state != RunState::Waiting).map(|(_, r)| r).collect();
    let ahead = before.iter().filter(|r| r.id != run.id).count();
    let held = seen.status.as_ref().and_then(|s| s.held.as_ref().filter(|h| h.run == 0).map(|h| (s.state, h)));
    Ok(match (before.first(), held) {
        (Some(first), _) if ahead > 0 => format!("{machine} has {}; {ahead} before this one.", first.file_name),
        (_, Some((state, held))) => {
            format!("{machine} is {state} with {}, from its own panel. This one is sent when that is gone.", held.name)
        }
        _ => String::new(),
    })
}
