//! The operator's page: a program on a machine, and the truth about the line to it.

use super::after::{LONGEST_NAME, Made, THROUGH, WayOn, copies, ways};
use super::run_words::{says, silence, told, waits};
use super::typed::Typed;
use super::{Shared, blocking};
use crate::error::{AppError, html};
use crate::machines::{self, QUIET, Seen, Word, watch};
use crate::papers::{LIST, zero_words};
use crate::shop::App;
use askama::Template;
use axum::extract::Path;
use axum::http::HeaderName;
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::quantity::count;
use boustrophe_core::time::clock;
use boustrophe_machine::{Alarm, State};
use boustrophe_store::{Run, Tick};
use serde::Deserialize;
use std::sync::Arc;

/// Ticked as well where an earlier run has burned some of the sheet.
const AGAIN: &str = "again";
/// Ticked as well where the run goes on from another on the same sheet, and where that lost its place.
const LIES: &str = "lies";
const ZERO: &str = "zero";

#[derive(Template)]
#[template(path = "run.html")]
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
    /// Who said that all is cut through, and when.
    through: String,
}

/// A line of the list.
struct Item {
    key: &'static str,
    text: String,
    tick: Option<Tick>,
}

#[derive(Template)]
#[template(path = "run_status.html")]
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
#[template(path = "run_progress.html")]
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
    sheet: usize,
    /// How many of it are to be in the queue.
    #[serde(default = "once")]
    times: String,
}

fn once() -> String {
    "1".into()
}

/// Sends a sheet's program to its machine and shows the run.
pub async fn send(app: Shared, Path(job): Path<i32>, Typed { form: send, .. }: Typed<Send>) -> Result<Redirect, AppError> {
    let run = blocking(&app, move |app| {
        let times = count(send.times.trim(), 1, machines::MOST_TIMES).map_err(AppError::Sentence)?;
        machines::send(app, job, send.sheet.saturating_sub(1), times as usize)
    })
    .await?;
    Ok(Redirect::to(&format!("/runs/{run}")))
}

/// The page of a run.
pub async fn page(app: Shared, Path(id): Path<i32>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| shown(app, id)).await
}

fn shown(app: &Arc<App>, id: i32) -> Result<Html<String>, AppError> {
    let run = app.store.run(id)?;
    let job = app.store.job(run.job_id)?;
    let decisions = app.store.revision(run.job_id, run.revision)?.decisions;
    let shop = app.shop();
    let route = app.route(&decisions, &shop)?;
    let sheet = usize::try_from(run.sheet - 1).unwrap_or(0);
    let (batch, at) = route.sheet(sheet).unwrap_or_default();
    let here = route.batch(batch);
    let size = here.nested.layout.sheets.get(at).map_or((1.0, 1.0), |l| (l.sheet.width, l.sheet.height));
    let stock = &here.stock;
    let material = shop.material(&stock.material).map_or(stock.material.as_str(), |m| m.name.as_str());
    let lying = format!("{material} {} mm lies on the bed, {} × {} mm", stock.thickness, size.0, size.1);
    let ticks = app.store.ticks(id)?;
    let mut known: Vec<String> = ticks.iter().map(|t| t.person.clone()).chain([job.person]).filter(|p| !p.is_empty()).collect();
    known.sort();
    known.dedup();
    let status = html(&status_of(app, run.clone())?)?.0;
    let (ways, copies) = (ways(app, &run)?, copies(app, &run));
    html(&Page {
        ways,
        copies,
        through: ticks.iter().find(|t| t.item == THROUGH).map_or_else(String::new, signed),
        job_name: job.name,
        machine: name_of(app, &run.machine),
        items: items(app, &run, (&lying, size), &ticks)?,
        miniature: crate::miniature::of(here, &shop, at),
        view: crate::miniature::view(size),
        sheet: size,
        known,
        status,
        run,
    })
}

fn name_of(app: &App, machine: &str) -> String {
    app.shop().machine(machine).map_or_else(|| machine.to_owned(), |m| m.name.clone())
}

/// The list of a run with what is ticked.
fn items(app: &App, run: &Run, (lying, size): (&str, (f64, f64)), ticks: &[Tick]) -> Result<Vec<Item>, AppError> {
    let mut texts: Vec<(&str, String)> = LIST.iter().map(|(key, text)| (*key, (*text).to_owned())).collect();
    texts[0].1 = lying.to_owned();
    if let Some(origin) = texts.iter_mut().find(|t| t.0 == "origin") {
        origin.1 = format!("Zero is set at the {}; outline walked", zero_words(run.pose(), size));
    }
    if let Some(before) = run.goes_on.map(|b| app.store.run(b)).transpose()? {
        texts.push((LIES, "The sheet lies where it lay; nothing was moved".into()));
        if before.state == "lost" {
            texts.push((ZERO, "The machine was switched off: its zero is found again at the sheet's corner".into()));
        }
    } else if let Some(before) = app.store.broken_off(run)? {
        let at = before.created_at.get(..16).unwrap_or_default().replace('T', " ");
        texts.push((
            AGAIN,
            format!(
                "Run {} of this sheet ({at}) broke off after {} of {} pieces of work: what it burned would be burned again. This is a fresh sheet",
                before.id, before.cuts_done, before.cuts
            ),
        ));
    }
    Ok(texts.into_iter().map(|(key, text)| Item { key, text, tick: ticks.iter().find(|t| t.item == key).cloned() }).collect())
}

/// How a run stands: the record, and over it what the machine just said of it.
fn status_of(app: &App, mut run: Run) -> Result<Status, AppError> {
    let machine = name_of(app, &run.machine);
    let seen = app.machines.desk(&run.machine).map_or_else(|_| Seen::default(), |d| d.seen());
    let mut head = matches!(run.state.as_str(), "stopped" | "fault" | "lost").then_some((run.x, run.y));
    if let (Some((_, finished)), Some(status)) = (seen.in_hand.filter(|h| h.0 == run.id && run.ended_at.is_none()), &seen.status) {
        run.seconds = status.seconds;
        run.cuts_done = i32::try_from(finished).unwrap_or(i32::MAX);
        if matches!(run.state.as_str(), "running" | "paused") {
            run.detail = watch::place(status);
        }
        head = matches!(status.state, State::Running | State::Paused | State::Walking).then(|| watch::on_sheet(run.pose(), status));
    }
    let stands = seen.status.as_ref().filter(|_| seen.live() && run.state != "done");
    let alarm = stands.and_then(|s| s.alarm);
    let unknown = stands.is_some_and(|s| s.unknown);
    let recorded = run.alarm.parse::<Alarm>().ok();
    let share = if run.total > 0.0 { (run.seconds / run.total).clamp(0.0, 1.0) } else { 0.0 };
    let share = if run.state == "done" { 1.0 } else { share };
    Ok(Status {
        says: recorded.map_or_else(|| says(&run.state, &machine), |a| format!("Stopped: {}", told(a).0)),
        shown: format!("{}-{}{}", run.state, alarm.map_or_else(String::new, |a| a.to_string()), if unknown { "-unknown" } else { "" }),
        alarm: alarm.map(|a| (format!("{machine}: {}", told(a).0), told(a).1.to_owned())),
        unknown,
        head,
        silence: if run.ended_at.is_none() { silence(&machine, &seen) } else { String::new() },
        waits: if run.state == "waiting" { waits(app, &run, &machine, &seen)? } else { String::new() },
        percent: (share * 100.0).round() as u32,
        done: clock(run.seconds),
        left: clock((run.total - run.seconds).max(0.0)),
        total: clock(run.total),
        machine,
        run,
    })
}

/// A run's sheet in small, as a picture.
pub async fn miniature(app: Shared, Path(id): Path<i32>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let run = app.store.run(id)?;
        let sheet = machines::again::SheetOf::run(app, &run)?;
        let svg = crate::miniature::of(sheet.here(), &sheet.shop, sheet.at);
        Ok(([(axum::http::header::CONTENT_TYPE, "image/svg+xml")], svg).into_response())
    })
    .await
}

/// How the run stands, for a page that asks again and again: the figures alone while its state is the one that is shown.
pub async fn status(app: Shared, Path((id, shown)): Path<(i32, String)>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let status = status_of(app, app.store.run(id)?)?;
        let state = status.run.state.clone();
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

/// A tick, as it is set.
#[derive(Deserialize)]
pub struct TickForm {
    item: String,
    #[serde(default)]
    on: String,
    #[serde(default)]
    person: String,
}

/// Ticks a line of the list, or takes the tick off. Only before the start.
pub async fn tick(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<TickForm>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| ticked_off(app, id, &form)).await
}

fn ticked_off(app: &Arc<App>, id: i32, form: &TickForm) -> Result<Html<String>, AppError> {
    let run = app.store.run(id)?;
    let person: String = form.person.trim().chars().take(LONGEST_NAME).collect();
    if !LIST.iter().any(|l| l.0 == form.item) && ![AGAIN, LIES, ZERO].contains(&form.item.as_str()) {
        return Err(AppError::Sentence("that is not on the list; load the page again.".into()));
    }
    if !machines::not_begun(&run.state) {
        return Err(AppError::Sentence("the run has been started; its list is closed.".into()));
    }
    let on = form.on == "on";
    if on && person.is_empty() {
        return Err(AppError::Sentence("type your name first: the list keeps who ticked.".into()));
    }
    app.store.tick(id, &form.item, &person, on)?;
    let tick = app.store.ticks(id)?.into_iter().find(|t| t.item == form.item);
    Ok(Html(tick.map_or_else(String::new, |t| escaped(&signed(&t)))))
}

pub(super) fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

fn signed(tick: &Tick) -> String {
    format!("{}, {}", tick.person, tick.at.get(11..16).unwrap_or_default())
}

impl Item {
    /// Who ticked and when.
    fn signed(&self) -> String {
        self.tick.as_ref().map_or_else(String::new, signed)
    }
}

/// Start, pause, resume, stop; or out of the queue.
pub async fn order(app: Shared, Path((id, word)): Path<(i32, String)>) -> Result<Response, AppError> {
    let run = blocking(&app, move |app| Ok(app.store.run(id)?)).await?;
    let desk = app.machines.desk(&run.machine)?;
    match word.as_str() {
        "stop" => {
            tracing::info!(run = id, machine = run.machine, "stop");
            desk.stop().await?;
            settled(&app, id).await?;
        }
        // About the machine, whatever run is at it.
        "clear" | "zero" => {
            tracing::info!(run = id, machine = run.machine, word, "order");
            desk.tell(&word).await?;
            heard(desk, |s| if word == "clear" { s.alarm.is_none() } else { !s.unknown }).await;
        }
        "withdraw" => {
            blocking(&app, move |app| {
                if app.store.run(id)?.state != "waiting" {
                    return Err(AppError::Sentence("it is at the machine already; stop it there.".into()));
                }
                Ok(app.store.requeue(id, "withdrawn", "")?)
            })
            .await?;
            desk.look_again();
        }
        other => {
            let word: Word = other.parse().map_err(|_| AppError::NoPage(format!("/runs/{id}/{other}")))?;
            if run.ended_at.is_some() {
                return Err(AppError::Sentence(format!("{} has ended; send the sheet again to run it once more.", run.file_name)));
            }
            if word == Word::Start {
                blocking(&app, move |app| ticked(app, &run)).await?;
            }
            app.machines.desk(&blocking(&app, move |app| Ok(app.store.run(id)?.machine)).await?)?.order(id, word).await?;
        }
    }
    status(app, Path((id, String::new()))).await
}

/// Waits until the machine says so of itself, for as long as that may take.
async fn heard(desk: &machines::Desk, so: impl Fn(&boustrophe_machine::Status) -> bool) {
    let until = std::time::Instant::now() + QUIET;
    while std::time::Instant::now() < until && !desk.seen().status.as_ref().is_some_and(&so) {
        tokio::time::sleep(std::time::Duration::from_millis(30)).await;
    }
}

/// Waits until the record has followed a stop, as long as the machine is heard; a silent one is told by the page.
async fn settled(app: &Shared, id: i32) -> Result<(), AppError> {
    let until = std::time::Instant::now() + QUIET;
    while std::time::Instant::now() < until {
        let run = blocking(app, move |app| Ok(app.store.run(id)?)).await?;
        if run.ended_at.is_some() || matches!(run.state.as_str(), "waiting" | "ready") {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    Ok(())
}

/// Fails while something on the run's list is not ticked.
fn ticked(app: &App, run: &Run) -> Result<(), AppError> {
    let ticks = app.store.ticks(run.id)?;
    let open = items(app, run, ("the sheet lies on the bed", (1.0, 1.0)), &ticks)?;
    match open.iter().filter(|i| i.tick.is_none()).count() {
        0 => Ok(()),
        n => Err(AppError::Sentence(format!("{n} of the list {} not ticked; go through it first.", if n == 1 { "is" } else { "are" }))),
    }
}
