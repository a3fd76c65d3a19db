//! What the machines do, one after the other: the run in hand, what waits and what it is cut from, and what was run before.

pub mod bed;
mod day;
pub mod room;
pub mod strips;

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book;
use crate::typed::Typed;
use askama::Template;
use axum::extract::Path;
use axum::http::StatusCode;
use axum::response::{Html, Redirect};
use boustrophe_core::run::RunState;
use boustrophe_core::shop::{self, Shop};
use boustrophe_core::time::duration;
use boustrophe_shop::app::{App, stock_words};
use boustrophe_shop::desks::Seen;
use boustrophe_store::{Kind, PastRun, Run};
use serde::Deserialize;

/// Runs of before that are shown of each machine.
const SHOWN: i64 = 25;
#[derive(Template)]
#[template(path = "things/machines/machines.html")]
struct Page {
    strips: String,
    machines: Vec<Desk>,
    /// The room where faults are brought about is open.
    room: bool,
}

/// A machine with all that concerns it.
struct Desk {
    id: String,
    name: String,
    /// How it stands, in words.
    stands: String,
    silent: bool,
    /// The run whose sheet lies on the bed, unanswered for.
    asks: Option<Run>,
    queue: Vec<Waiting>,
    /// Its day as a line: what was run, what runs, what is to come.
    day: String,
    past: Vec<Past>,
    paces: Vec<Pace>,
}

/// A run that has not ended.
struct Waiting {
    run: Run,
    job: String,
    /// What has to lie on the bed.
    lay: String,
    minutes: String,
    /// From now, when its turn comes.
    turn: String,
    /// It waits and can be moved.
    movable: bool,
    /// What has moved on since it was released.
    since: String,
}

/// A run of before.
struct Past {
    run: PastRun,
    when: String,
    planned: String,
    taken: String,
    /// How much longer it took, in words; nothing where it did not come to its end.
    off: String,
}

/// Runs on one stock that took another time than was reckoned.
struct Pace {
    words: String,
    /// Key of the chart's row.
    row: String,
    factor: String,
}

/// The machines and their queues.
pub async fn page(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, |app| {
        let shop = app.shop();
        let machines = shop.machines.iter().map(|m| desk(app, &shop, &m.id, &m.name)).collect::<Result<_, _>>()?;
        let strips = strips::Strips { strips: strips::strips(app)? }.render();
        let strips = strips.map_err(|e| AppError::sentence(format!("the page could not be made: {e}")))?;
        html(&Page { strips, machines, room: app.room })
    })
    .await
}

fn desk(app: &App, shop: &Shop, id: &str, name: &str) -> Result<Desk, AppError> {
    let seen = app.desks.desk(id).map_or_else(|_| Seen::default(), |d| d.seen());
    let open = app.store.open_runs(id)?;
    // What runs comes first, whatever its place.
    let (begun, waiting): (Vec<Run>, Vec<Run>) = open.into_iter().partition(|r| r.state != RunState::Waiting);
    let mut before = 0.0;
    let mut queue = Vec::new();
    for run in begun.into_iter().chain(waiting) {
        let row = run.release_id.map(|r| app.store.release_sheet(r, run.sheet)).transpose()?;
        let left = time_left(app, &run)?;
        queue.push(Waiting {
            job: app.store.job(run.job_id)?.name,
            lay: row.map_or_else(|| "the job's sheet".into(), |r| r.lay),
            minutes: duration(left),
            turn: if before > 0.0 { format!("in {}", duration(before)) } else { "next".into() },
            movable: matches!(run.state, RunState::Waiting | RunState::Ready) && run.goes_on.is_none(),
            since: super::runs::released(app, &run)?.map_or_else(String::new, |r| r.since),
            run,
        });
        before += left;
    }
    if let Some(first) = queue.first_mut().filter(|q| !q.movable) {
        first.turn = first.run.state.to_string();
    }
    let past = app.store.past_runs(id, SHOWN)?;
    Ok(Desk {
        id: id.into(),
        name: name.into(),
        stands: strips::stands(&seen).0,
        silent: !seen.live(),
        asks: app.store.asking(id)?,
        day: day::line(app, &past, &queue.iter().map(|q| &q.run).collect::<Vec<_>>())?,
        queue,
        paces: paces(app, shop, &past),
        past: past.into_iter().map(was).collect(),
    })
}

/// Seconds that a run has still to go, as runs on its stock have shown: the one sum of all pages.
pub(super) fn time_left(app: &App, run: &Run) -> Result<f64, AppError> {
    Ok((run.total - run.seconds).max(0.0) * factor(app, run)?)
}

/// How many times as long a run takes as is reckoned.
pub(super) fn factor(app: &App, run: &Run) -> Result<f64, AppError> {
    let Some(release) = run.release_id else { return Ok(1.0) };
    let row = app.store.release_sheet(release, run.sheet)?;
    Ok(app.released(release, row.batch)?.time_factor)
}

fn was(run: PastRun) -> Past {
    let off = if run.state == RunState::Done && run.total > 0.0 {
        format!("{:+.0} %", (run.seconds / run.total - 1.0) * 100.0).replace('-', "−")
    } else {
        String::new()
    };
    Past {
        when: run.ended_at.as_deref().unwrap_or_default().chars().take(16).collect::<String>().replace('T', " "),
        planned: duration(run.total),
        taken: duration(run.seconds),
        off,
        run,
    }
}

/// What finished runs say of the chart's factors of time.
fn paces(app: &App, shop: &Shop, past: &[PastRun]) -> Vec<Pace> {
    let finished = past.iter().filter(|r| r.state == RunState::Done && r.total > 0.0).filter_map(|run| {
        let row = app.store.release_sheet(run.release_id?, run.sheet).ok()?;
        let batch = app.released(run.release_id?, row.batch).ok()?;
        Some((batch.stock.clone(), run.seconds, run.total))
    });
    let said = |p: shop::Pace| Pace {
        words: format!(
            "{}: {} runs took {} times what was calculated; the chart says {}",
            stock_words(&p.stock, shop),
            p.runs,
            p.factor,
            p.row.time_factor
        ),
        row: p.row.key(),
        factor: p.factor.to_string(),
    };
    shop::paces(finished, shop).into_iter().map(said).collect()
}

/// Stops a machine, whatever it does.
pub async fn stop(app: Shared, Path(machine): Path<String>) -> Result<StatusCode, AppError> {
    tracing::info!(machine, by = app.by, "stop");
    app.desks.desk(&machine)?.stop().await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Runs in the wanted order, by number, with commas.
#[derive(Deserialize)]
pub struct Order {
    runs: String,
}

/// Puts what waits for a machine in another order.
pub async fn order(app: Shared, Path(machine): Path<String>, Typed { form, .. }: Typed<Order>) -> Result<Redirect, AppError> {
    let at = machine.clone();
    blocking(&app, move |app| {
        let desk = app.desks.desk(&machine)?;
        let runs = form.runs.split(',').filter(|r| !r.trim().is_empty()).map(|r| r.trim().parse::<i32>()).collect::<Result<Vec<_>, _>>();
        let runs = runs.map_err(|_| AppError::sentence("that is no order of runs; load the page again.".into()))?;
        app.store.arrange(&machine, &runs)?;
        desk.look_again();
        Ok(())
    })
    .await?;
    Ok(Redirect::to(&format!("/machines#{at}")))
}

/// A factor of time for a row of the chart.
#[derive(Deserialize)]
pub struct PaceForm {
    row: String,
    factor: f64,
    #[serde(default)]
    person: String,
}

/// Takes a factor of time over into the chart.
pub async fn pace(app: Shared, Path(machine): Path<String>, Typed { form, .. }: Typed<PaceForm>) -> Result<Redirect, AppError> {
    let at = machine.clone();
    blocking(&app, move |app| {
        book::change(app, Kind::Chart, None, (app.signed(&form.person), "from the runs"), |shop| {
            let machines = shop.machines.clone();
            let row = shop.chart.iter_mut().find(|r| r.key() == form.row && r.machine == machine);
            let row = row.ok_or("that row is not in the chart any more; load the page again")?;
            row.time_factor = form.factor;
            let on = machines.iter().find(|m| m.id == row.machine).ok_or("its machine is not in the book any more")?;
            book::told(&row.troubles(on))
        })
    })
    .await?;
    Ok(Redirect::to(&format!("/machines#{at}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_took_longer_says_by_how_much() {
        let run = |state: RunState, seconds: f64| PastRun {
            id: 1,
            job_id: 1,
            job: "Combs".into(),
            revision: 1,
            sheet: 1,
            file_name: "a.nc".into(),
            state,
            alarm: String::new(),
            seconds,
            total: 100.0,
            ended_at: Some("2026-12-01T10:11:12Z".into()),
            goes_on: None,
            release_id: None,
        };
        let told = |state: RunState, seconds: f64| was(run(state, seconds)).off;
        assert_eq!(
            (told(RunState::Done, 112.0), told(RunState::Done, 96.0), told(RunState::Stopped, 20.0)),
            ("+12 %".into(), "−4 %".into(), String::new())
        );
        assert_eq!(was(run(RunState::Done, 100.0)).when, "2026-12-01 10:11");
    }
}
