//! The operator's page: a program on a machine, and the truth about the line to it.

pub mod after;
pub mod live;
pub mod ticks;
mod words;

use crate::asking::{Shared, blocking, named};
use crate::error::{AppError, html};
use crate::typed::Typed;
use after::{Made, WayOn, copies, ways};
use askama::Template;
use axum::extract::Path;
use axum::http::HeaderName;
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::quantity::count;
use boustrophe_core::run::{Answer, RunState};
use boustrophe_core::time::duration;
use boustrophe_machine::{Alarm, State};
use boustrophe_shop::app::App;
use boustrophe_shop::cards::{Told, release_told};
use boustrophe_shop::desks::Seen;
use boustrophe_shop::releases;
use boustrophe_shop::runs::again::SheetOf;
use boustrophe_shop::runs::list::{Item, items, signed};
use boustrophe_shop::runs::{MOST_TIMES, orders, send_sheets, watch};
use boustrophe_store::Run;
use serde::Deserialize;
use words::{says, silence, told, waits};

#[derive(Template)]
#[template(path = "things/runs/run.html")]
struct Page {
    run: Run,
    job_name: String,
    machine: String,
    sheet: (f64, f64),
    /// The part of the bed that the picture shows, as a view box.
    view: String,
    miniature: String,
    items: Vec<Item>,
    /// Names that ticked here or prepared the job, to choose from.
    known: Vec<String>,
    status: String,
    /// Ways on, where it broke off: word, what it says, where it begins on the sheet.
    ways: Vec<WayOn>,
    /// Copies on the sheet, where it has come to its end: id, name, and outline as path data.
    copies: Vec<Made>,
    /// What was said of the sheet, by whom and when; empty as long as it is asked about.
    answered: String,
    /// Its sheet is asked about.
    asks: bool,
    /// It broke off: the sheet may be given up.
    broke: bool,
    /// It was put back and aligned since it ran: it would lie elsewhere now.
    moved: bool,
    /// How much is burned once more where it goes on, mm.
    overlap: f64,
    /// Its release, as it is told; none for what an earlier version sent.
    release: Option<Told>,
}

#[derive(Template)]
#[template(path = "things/runs/run_status.html")]
struct Status {
    run: Run,
    machine: String,
    /// What is shown, in one word: another word is another set of buttons.
    shown: String,
    /// The state in one sentence.
    says: String,
    /// What stands in the machine's way, and what to do about it.
    alarm: Option<(String, String)>,
    /// It does not know where its head is.
    unknown: bool,
    /// Where the head is, mm, as long as this run is at the machine.
    head: Option<(f64, f64)>,
    /// Not heard for too long: since when, and what that means.
    silence: String,
    /// What it waits for in the queue.
    waits: String,
    percent: u32,
    done: String,
    left: String,
    total: String,
}

/// The figures alone: what moves while the buttons stay.
#[derive(Template)]
#[template(path = "things/runs/run_progress.html")]
struct Progress {
    run: Run,
    head: Option<(f64, f64)>,
    silence: String,
    percent: u32,
    done: String,
    left: String,
    total: String,
}

/// Which sheet, from 1, and how often.
#[derive(Deserialize)]
pub struct Send {
    /// As numbered through, from 1; several, with commas between them, where they are sent together.
    #[serde(default)]
    sheet: String,
    /// How many of it are to be in the queue.
    #[serde(default = "once")]
    times: String,
    /// The release that the page showed; none where it showed none.
    #[serde(default)]
    release: Option<i32>,
    /// The revision that the page showed.
    #[serde(default)]
    revision: Option<i32>,
    #[serde(default)]
    person: String,
}

fn once() -> String {
    "1".into()
}

/// Sends sheets' programs to their machine and shows the first one's run.
pub async fn send(app: Shared, Path(job): Path<i32>, Typed { form: send, .. }: Typed<Send>) -> Result<Redirect, AppError> {
    let run = blocking(&app, move |app| {
        let times = count(send.times.trim(), 1, MOST_TIMES).map_err(AppError::sentence)?;
        let sheets: Vec<i32> = send.sheet.split(',').map(|n| n.trim().parse().unwrap_or(0)).collect();
        let by = named(app.signed(&send.person));
        let shown = releases::Shown { release: send.release, revision: send.revision };
        Ok(send_sheets(app, (job, &sheets), shown, (times as usize, &by))?)
    })
    .await?;
    Ok(Redirect::to(&format!("/runs/{run}")))
}

/// The page of a run.
pub async fn page(app: Shared, Path(id): Path<i32>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| shown(app, id)).await
}

fn shown(app: &Shared, id: i32) -> Result<Html<String>, AppError> {
    let run = app.store.run(id)?;
    let job = app.store.job(run.job_id)?;
    let row = run.release_id.map(|r| app.store.release_sheet(r, run.sheet)).transpose()?;
    let sheet = SheetOf::run(app, &run).ok();
    let size = sheet.as_ref().and_then(|s| s.sheet().ok()).map_or((1.0, 1.0), |s| (s.layout.sheet.width, s.layout.sheet.height));
    let lying = row.as_ref().map_or_else(|| "The sheet lies on the bed".to_owned(), |r| format!("{} mm lies on the bed", r.lay));
    let ticks = app.store.ticks(id)?;
    let mut known: Vec<String> = ticks.iter().map(|t| t.person.clone()).chain([job.person]).filter(|p| !p.is_empty()).collect();
    known.sort();
    known.dedup();
    let status = html(&status_of(app, run.clone())?)?.0;
    let said = ticks.iter().find(|t| t.item == run.answer.to_string());
    html(&Page {
        ways: ways(app, &run),
        copies: copies(app, &run),
        answered: said.map_or_else(String::new, |t| format!("{} {}", answer_words(run.answer), signed(t))),
        asks: run.asks(),
        broke: run.state.broke_off(),
        moved: sheet.as_ref().is_some_and(|s| s.lies_now(app, &run).is_ok_and(|now| now != run.pose)),
        overlap: app.shop().machine(&run.machine).map_or(0.0, |m| m.overlap()),
        release: released(app, &run)?,
        job_name: job.name,
        machine: name_of(app, &run.machine),
        items: items(app, &run, (&lying, size), &ticks)?,
        miniature: row.map_or_else(String::new, |r| r.miniature),
        view: boustrophe_shop::miniature::view(size),
        sheet: size,
        known,
        status,
        run,
    })
}

/// What is told of a run's release: who made it and when, and what has moved on since.
pub(super) fn released(app: &App, run: &Run) -> Result<Option<Told>, AppError> {
    let Some(id) = run.release_id else { return Ok(None) };
    let release = app.store.release(id)?;
    let last = release_told(app, run.job_id)?;
    let since = match last {
        Some(last) if last.id == id => last.since,
        Some(last) if last.id > id => format!("release {} was made in its place", last.id),
        _ => String::new(),
    };
    Ok(Some(Told { id, by: release.person, at: release.at, since }))
}

/// What was said of a sheet, as a sentence goes on with a name.
fn answer_words(answer: Answer) -> &'static str {
    match answer {
        Answer::None | Answer::Earlier => "",
        Answer::Through => "All is cut through:",
        Answer::On => "It goes on in another run:",
        Answer::Again => "Some of it is cut again:",
        Answer::Nest => "What is lost is nested again:",
        Answer::Gone => "The sheet was given up:",
    }
}

fn name_of(app: &App, machine: &str) -> String {
    app.shop().machine(machine).map_or_else(|| machine.to_owned(), |m| m.name.clone())
}

/// How a run stands: the record, and over it what the machine just said of it.
fn status_of(app: &App, mut run: Run) -> Result<Status, AppError> {
    let machine = name_of(app, &run.machine);
    let seen = app.desks.desk(&run.machine).map_or_else(|_| Seen::default(), |d| d.seen());
    let mut head = run.state.broke_off().then_some((run.x, run.y));
    if let (Some((_, finished)), Some(status)) = (seen.in_hand.filter(|h| h.0 == run.id && run.ended_at.is_none()), &seen.status) {
        run.seconds = status.seconds;
        run.cuts_done = i32::try_from(finished).unwrap_or(i32::MAX);
        if run.state.is_under_way() {
            run.detail = watch::place(status);
        }
        head = matches!(status.state, State::Running | State::Paused | State::Walking).then(|| watch::on_sheet(run.pose, status));
    }
    let stands = seen.status.as_ref().filter(|_| seen.live() && run.state != RunState::Done);
    let alarm = stands.and_then(|s| s.alarm);
    let unknown = stands.is_some_and(|s| s.unknown);
    let recorded = run.alarm.parse::<Alarm>().ok();
    let share = if run.total > 0.0 { (run.seconds / run.total).clamp(0.0, 1.0) } else { 0.0 };
    let share = if run.state == RunState::Done { 1.0 } else { share };
    Ok(Status {
        says: recorded.map_or_else(|| says(run.state, &machine), |a| format!("Stopped: {}", told(a).0)),
        shown: format!("{}-{}{}", run.state, alarm.map_or_else(String::new, |a| a.to_string()), if unknown { "-unknown" } else { "" }),
        alarm: alarm.map(|a| (format!("{machine}: {}", told(a).0), told(a).1.to_owned())),
        unknown,
        head,
        silence: if run.ended_at.is_none() { silence(&machine, &seen) } else { String::new() },
        waits: if run.state == RunState::Waiting { waits(app, &run, &machine, &seen)? } else { String::new() },
        percent: (share * 100.0).round() as u32,
        done: duration(run.seconds),
        left: duration(crate::things::machines::time_left(app, &run)?),
        total: duration(run.total * crate::things::machines::factor(app, &run)?),
        machine,
        run,
    })
}

/// A run's sheet in small, as a picture.
pub async fn miniature(app: Shared, Path(id): Path<i32>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let run = app.store.run(id)?;
        let svg = run.release_id.map(|r| app.store.release_sheet(r, run.sheet)).transpose()?.map_or_else(String::new, |r| r.miniature);
        Ok(([(axum::http::header::CONTENT_TYPE, "image/svg+xml")], svg).into_response())
    })
    .await
}

/// How the run stands, for a page that asks again and again: the figures alone while its state is the one that is shown.
pub async fn status(app: Shared, Path((id, shown)): Path<(i32, String)>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let status = status_of(app, app.store.run(id)?)?;
        let state = status.run.state.to_string();
        let page = if status.shown == shown {
            let Status { run, head, silence, percent, done, left, total, .. } = status;
            html(&Progress { run, head, silence, percent, done, left, total })?
        } else {
            html(&status)?
        };
        Ok(([(HeaderName::from_static("x-state"), state)], page).into_response())
    })
    .await
}

/// Start, pause, resume, stop; or out of the queue.
pub async fn order(app: Shared, Path((id, word)): Path<(i32, String)>) -> Result<Response, AppError> {
    if !orders::order(&app, id, &word, &app.by).await? {
        return Err(AppError::NoPage(format!("/runs/{id}/{word}")));
    }
    status(app, Path((id, String::new()))).await
}
