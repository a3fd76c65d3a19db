//! What the machines do, one after the other: the run in hand, what waits and what it is cut from, and what was run before.

use super::typed::Typed;
use super::{Shared, blocking, book};
use crate::error::{AppError, html};
use crate::machines::Seen;
use crate::shop::{App, stock_words};
use askama::Template;
use axum::extract::Path;
use axum::response::{Html, Redirect};
use boustrophe_core::decisions::{BatchDecisions, Decisions};
use boustrophe_core::nest::SheetLayout;
use boustrophe_core::shop::{self, Shop};
use boustrophe_core::time::clock;
use boustrophe_store::{PastRun, Run};
use serde::Deserialize;

/// Runs of before that are shown of each machine.
const SHOWN: i64 = 25;
#[derive(Template)]
#[template(path = "machines.html")]
struct Page {
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
    queue: Vec<Waiting>,
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
        html(&Page { machines, room: app.room })
    })
    .await
}

fn desk(app: &App, shop: &Shop, id: &str, name: &str) -> Result<Desk, AppError> {
    let seen = app.machines.desk(id).map_or_else(|_| Seen::default(), |d| d.seen());
    let open = app.store.open_runs(id)?;
    // What runs comes first, whatever its place.
    let (begun, waiting): (Vec<Run>, Vec<Run>) = open.into_iter().partition(|r| r.state != "waiting");
    let mut before = 0.0;
    let mut queue = Vec::new();
    for run in begun.into_iter().chain(waiting) {
        let decisions = app.store.revision(run.job_id, run.revision)?.decisions;
        let sheet = sheet_of(&decisions, run.sheet);
        let left = (run.total - run.seconds).max(0.0) * sheet.map_or(1.0, |(b, _)| shop.time_factor(&b.stock));
        queue.push(Waiting {
            job: app.store.job(run.job_id)?.name,
            lay: sheet.map_or_else(|| "the job's sheet".into(), |(batch, sheet)| lay(app, shop, batch, sheet)),
            minutes: clock(left),
            turn: if before > 0.0 { format!("in {}", clock(before)) } else { "next".into() },
            movable: run.state == "waiting",
            run,
        });
        before += left;
    }
    if let Some(first) = queue.first_mut().filter(|q| !q.movable) {
        first.turn = first.run.state.clone();
    }
    let stands = match (&seen.status, seen.live()) {
        (Some(s), true) => match s.alarm {
            Some(alarm) => format!("alarm: {alarm}"),
            None => s.state.to_string(),
        },
        _ => "not heard".into(),
    };
    let past = app.store.past_runs(id, SHOWN)?;
    Ok(Desk {
        id: id.into(),
        name: name.into(),
        stands,
        silent: !seen.live(),
        queue,
        paces: paces(app, shop, &past),
        past: past.into_iter().map(was).collect(),
    })
}

/// The sheet of a run (from 1) among decisions, and its batch.
fn sheet_of(decisions: &Decisions, sheet: i32) -> Option<(&BatchDecisions, &SheetLayout)> {
    let all = decisions.batches.values().flat_map(|b| b.nest.layout.iter().flat_map(move |l| l.sheets.iter().map(move |s| (b, s))));
    usize::try_from(sheet - 1).ok().and_then(|n| all.into_iter().nth(n))
}

/// What has to lie on the bed, and where it stands.
fn lay(app: &App, shop: &Shop, batch: &BatchDecisions, sheet: &SheetLayout) -> String {
    let stock = &batch.stock;
    let material = shop.material(&stock.material).map_or(stock.material.as_str(), |m| m.name.as_str());
    let rack = sheet.sheet.rack.and_then(|r| app.store.stocked(i32::try_from(r).ok()?).ok());
    let from = rack.map_or_else(String::new, |r| {
        let place = if r.stock.place.is_empty() { String::new() } else { format!(", {}", r.stock.place) };
        format!(", {} {} of the rack{place}", if r.stock.offcut { "offcut" } else { "sheet" }, r.id)
    });
    format!("{material} {} mm, {:.0} × {:.0}{from}", stock.thickness, sheet.sheet.width, sheet.sheet.height)
}

fn was(run: PastRun) -> Past {
    let off = if run.state == "done" && run.total > 0.0 {
        format!("{:+.0} %", (run.seconds / run.total - 1.0) * 100.0).replace('-', "−")
    } else {
        String::new()
    };
    Past {
        when: run.ended_at.as_deref().unwrap_or_default().chars().take(16).collect::<String>().replace('T', " "),
        planned: clock(run.total),
        taken: clock(run.seconds),
        off,
        run,
    }
}

/// What finished runs say of the chart's factors of time.
fn paces(app: &App, shop: &Shop, past: &[PastRun]) -> Vec<Pace> {
    let finished = past.iter().filter(|r| r.state == "done" && r.total > 0.0).filter_map(|run| {
        let revision = app.store.revision(run.job_id, run.revision).ok()?;
        let (batch, _) = sheet_of(&revision.decisions, run.sheet)?;
        Some((batch.stock.clone(), run.seconds, run.total))
    });
    let said = |p: shop::Pace| Pace {
        words: format!(
            "{}: {} runs took {} times what was reckoned; the chart says {}",
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

/// Runs in the wanted order, by number, with commas.
#[derive(Deserialize)]
pub struct Order {
    runs: String,
}

/// Puts what waits for a machine in another order.
pub async fn order(app: Shared, Path(machine): Path<String>, Typed { form, .. }: Typed<Order>) -> Result<Redirect, AppError> {
    let at = machine.clone();
    blocking(&app, move |app| {
        let desk = app.machines.desk(&machine)?;
        let runs = form.runs.split(',').filter(|r| !r.trim().is_empty()).map(|r| r.trim().parse::<i32>()).collect::<Result<Vec<_>, _>>();
        let runs = runs.map_err(|_| AppError::Sentence("that is no order of runs; load the page again.".into()))?;
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
        book::change(app, "chart", None, (&form.person, "from the runs"), |shop| {
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
        let run = |state: &str, seconds: f64| PastRun {
            id: 1,
            job_id: 1,
            job: "Combs".into(),
            revision: 1,
            sheet: 1,
            file_name: "a.nc".into(),
            state: state.into(),
            alarm: String::new(),
            seconds,
            total: 100.0,
            ended_at: Some("2026-12-01T10:11:12Z".into()),
            goes_on: None,
        };
        let told = |state: &str, seconds: f64| was(run(state, seconds)).off;
        assert_eq!((told("done", 112.0), told("done", 96.0), told("stopped", 20.0)), ("+12 %".into(), "−4 %".into(), String::new()));
        assert_eq!(was(run("done", 100.0)).when, "2026-12-01 10:11");
    }
}
