//! The machines in a line each: what each does now, what stands in its way, what comes next and what has to be laid on its bed for it.

use super::{factor, time_left};
use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use askama::Template;
use axum::response::Html;
use boustrophe_core::run::RunState;
use boustrophe_core::time::duration;
use boustrophe_shop::app::App;
use boustrophe_shop::desks::Seen;
use boustrophe_store::Run;

/// A machine in a line.
pub struct Strip {
    pub id: String,
    pub name: String,
    /// How it stands, in words.
    pub stands: String,
    /// What stands in its way until it is cleared; empty for nothing.
    pub alarm: String,
    pub silent: bool,
    /// The run whose sheet lies on the bed, unanswered for.
    pub asks: Option<i32>,
    pub now: Option<Now>,
    pub next: Option<Next>,
    /// Runs that wait, and how long all of them take.
    pub waits: usize,
    pub all: String,
    /// Numbers of the runs in its queue: a page that shows others is of yesterday.
    pub queue: String,
}

/// What it is busy with.
pub struct Now {
    pub run: i32,
    pub job: String,
    pub sheet: i32,
    pub state: String,
    /// Share that is done, in whole percent.
    pub percent: u32,
    pub left: String,
}

/// What comes next.
pub struct Next {
    pub run: i32,
    pub job: String,
    pub sheet: i32,
    pub lay: String,
}

/// How a machine stands, in words, and its alarm.
pub(super) fn stands(seen: &Seen) -> (String, String) {
    match (&seen.status, seen.live()) {
        (Some(s), true) => match &s.alarm {
            Some(alarm) => (format!("alarm: {alarm}"), alarm.to_string()),
            None => (s.state.to_string(), String::new()),
        },
        _ => ("not heard".into(), String::new()),
    }
}

/// All machines of the shop's book.
pub fn strips(app: &App) -> Result<Vec<Strip>, AppError> {
    app.shop().machines.iter().map(|m| strip(app, &m.id, &m.name)).collect()
}

fn strip(app: &App, id: &str, name: &str) -> Result<Strip, AppError> {
    let seen = app.desks.desk(id).map_or_else(|_| Seen::default(), |d| d.seen());
    let open = app.store.open_runs(id)?;
    let (begun, waiting): (Vec<Run>, Vec<Run>) = open.into_iter().partition(|r| r.state != RunState::Waiting);
    let job = |run: &Run| app.store.job(run.job_id).map(|j| j.name);
    let now = begun.first().map(|run| -> Result<Now, AppError> {
        // What the machine says of the run that it holds is newer than what was written down.
        let said = seen.status.as_ref().filter(|s| seen.live() && seen.in_hand.is_some_and(|h| h.0 == run.id) && s.total > 0.0);
        let share = said.map_or(run.seconds / run.total.max(1e-9), |s| s.seconds / s.total);
        Ok(Now {
            run: run.id,
            job: job(run)?,
            sheet: run.sheet,
            state: run.state.to_string(),
            percent: (share.clamp(0.0, 1.0) * 100.0).round() as u32,
            left: duration((1.0 - share).clamp(0.0, 1.0) * run.total * factor(app, run)?),
        })
    });
    let next = waiting.first().map(|run| -> Result<Next, AppError> {
        let row = run.release_id.map(|r| app.store.release_sheet(r, run.sheet)).transpose()?;
        Ok(Next { run: run.id, job: job(run)?, sheet: run.sheet, lay: row.map_or_else(|| "the job's sheet".into(), |r| r.lay) })
    });
    let all = begun.iter().chain(&waiting).map(|r| time_left(app, r)).sum::<Result<f64, _>>()?;
    let (stands, alarm) = stands(&seen);
    Ok(Strip {
        id: id.into(),
        name: name.into(),
        stands,
        alarm,
        silent: !seen.live(),
        asks: app.store.asking(id)?.map(|r| r.id),
        now: now.transpose()?,
        next: next.transpose()?,
        waits: waiting.len(),
        all: duration(all),
        queue: begun.iter().chain(&waiting).map(|r| format!("{}{}", r.id, r.state)).collect::<Vec<_>>().join(" "),
    })
}

#[derive(Template)]
#[template(path = "things/machines/strips.html")]
pub struct Strips {
    pub strips: Vec<Strip>,
}

/// The machines as they stand now, for a page that looks every so often.
pub async fn now(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, |app| html(&Strips { strips: strips(app)? })).await
}
