//! Order by hand: the sequence that was clicked, places that were typed or dragged to, strategies beside each other.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::changes;
use crate::typed::Typed;
use crate::view::metres;
use askama::Template;
use axum::extract::{Path, Query};
use axum::response::{Html, Response};
use boustrophe_core::decisions::{Edit, OrderEdit, Strategy};
use boustrophe_core::finding::{Code, Station};
use boustrophe_core::hold::Op;
use boustrophe_core::ids::{BatchId, CutId};
use boustrophe_core::ledger::Ledger;
use boustrophe_core::quantity::count;
use boustrophe_core::time::duration;
use boustrophe_shop::app::{App, Loaded};
use serde::Deserialize;

/// Where cuts are wanted in the order, as the stage and the list post it.
#[derive(Deserialize)]
pub struct Wanted {
    revision: i32,
    #[serde(default)]
    batch: BatchId,
    /// Names of cuts, with commas between: they come one after the other.
    cuts: String,
    /// The number of the first, as it is shown; empty gives one back to the machine.
    #[serde(default)]
    at: String,
}

impl Wanted {
    fn cuts(&self) -> Result<Vec<CutId>, AppError> {
        let cuts: Vec<CutId> = self.cuts.split(',').filter(|c| !c.is_empty()).map(str::parse).collect::<Result<_, _>>()?;
        if cuts.is_empty() { Err(AppError::sentence("click a cut on the stage first.".into())) } else { Ok(cuts) }
    }

    /// The change, if every cut can have the place that it is given.
    fn edit(&self, app: &App, loaded: &Loaded) -> Result<Edit, AppError> {
        let cuts = self.cuts()?;
        if self.at.trim().is_empty() {
            let back = |cut: &CutId| OrderEdit::SetPlace { cut: *cut, at: None }.on(self.batch);
            return Ok(Edit::All { edits: cuts.iter().map(back).collect() });
        }
        let wanted = count(self.at.trim(), 1, 1_000_000)? as usize;
        let gone = || AppError::sentence("that cut is not on the sheet any more; load the page again.".into());
        let from = begin_of_kind(loaded, cuts[0]).ok_or_else(gone)?;
        let place = wanted.checked_sub(from + 1).ok_or_else(|| {
            AppError::sentence(format!("number {wanted} is done before cuts of this kind begin; they begin with number {}.", from + 1))
        })?;
        let edit = OrderEdit::SetSequence { cuts, from: place as u32 }.on(self.batch);
        match refused(app, loaded, &edit)? {
            Some(why) => Err(AppError::sentence(why)),
            None => Ok(edit),
        }
    }
}

/// True for work that is ordered together with another.
fn alike(a: &Op, b: &Op, setting: impl Fn(&Op) -> Option<u32>) -> bool {
    a.process == b.process && (a.process == boustrophe_core::assign::Process::Cut || setting(a) == setting(b))
}

/// How many numbers come before the first of a cut's kind on its sheet.
fn begin_of_kind(loaded: &Loaded, cut: CutId) -> Option<usize> {
    let here = loaded.here();
    let setting = |o: &Op| here.work.items[o.item].setting;
    here.plan.sheets.iter().zip(&here.toolpath.sheets).find_map(|(plan, path)| {
        let at = plan.names().iter().position(|n| *n == cut)?;
        let mine = path.ops.iter().find(|o| o.cut == at && !o.is_swept())?;
        path.ops.iter().position(|o| alike(o, mine, setting))
    })
}

/// Why the order cannot be as a change has it; none where it can.
fn refused(app: &App, loaded: &Loaded, edit: &Edit) -> Result<Option<String>, AppError> {
    let route = app.route(&edit.apply(&loaded.revision.decisions)?, &loaded.shop)?;
    let told = |f: &&boustrophe_core::finding::Finding| f.code == Code::PlaceNotKept;
    let before = loaded.route.findings.iter().filter(told).map(|f| f.count).sum::<usize>();
    Ok(route.findings.iter().find(told).filter(|f| f.count > before).map(|f| f.text.clone()))
}

/// Gives cuts their places, or says why they cannot have them.
pub async fn places(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<Wanted>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?.about(form.batch);
        let edit = form.edit(app, &loaded)?;
        changes::made(app, (job, form.revision), Station::Order, form.batch, &edit)
    })
    .await
}

/// Which batch, and which way over its sheets, by its number; none for the table with the one that is chosen.
#[derive(Deserialize)]
pub struct Of {
    #[serde(default)]
    batch: BatchId,
    way: Option<usize>,
}

struct Choice {
    name: String,
    /// The change that takes it.
    edit: String,
    chosen: bool,
    travel: String,
    travel_change: String,
    time: String,
    time_change: String,
}

#[derive(Template)]
#[template(path = "stations/order/strategies.html")]
struct Strategies {
    job: i32,
    revision: i32,
    batch: BatchId,
    rows: Vec<Choice>,
    /// The way that is asked for next: its number and what it is called.
    next: Option<(usize, String)>,
}

#[derive(Template)]
#[template(path = "stations/order/ways.html")]
struct Ways {
    job: i32,
    revision: i32,
    batch: BatchId,
    rows: Vec<Choice>,
    next: Option<(usize, String)>,
}

/// Ways over a batch's sheets with what each comes to, one at a time: the page asks for the next when it has one.
pub async fn strategies(app: Shared, Path(job): Path<i32>, Query(of): Query<Of>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| ways(app, job, &of)).await
}

fn ways(app: &Shared, job: i32, of: &Of) -> Result<Html<String>, AppError> {
    let loaded = app.load(job)?.about(of.batch);
    let current = loaded.decided().order.strategy;
    let others: Vec<Strategy> = Strategy::ALL.into_iter().filter(|s| *s != current).collect();
    let next = |n: usize| others.get(n).map(|s| (n, s.name()));
    let (revision, batch) = (loaded.revision.id, loaded.batch);
    let Some(n) = of.way else {
        let rows = vec![choice(&loaded, current, &loaded.here().ledger)];
        return html(&Strategies { job, revision, batch, rows, next: next(0) });
    };
    let strategy = *others.get(n).ok_or_else(|| AppError::NoPage(format!("/jobs/{job}/orders")))?;
    let edit = OrderEdit::SetStrategy { strategy }.on(batch).apply(&loaded.revision.decisions)?;
    let then = app.deep.install(|| app.route(&edit, &loaded.shop))?.batch(batch).ledger;
    html(&Ways { job, revision, batch, rows: vec![choice(&loaded, strategy, &then)], next: next(n + 1) })
}

/// A way with what it comes to, against the one that is chosen.
fn choice(loaded: &Loaded, strategy: Strategy, then: &Ledger) -> Choice {
    let now = loaded.here().ledger;
    let edit = OrderEdit::SetStrategy { strategy }.on(loaded.batch);
    let signed = |by: f64, text: String| if by.abs() < 0.5 { "=".into() } else { format!("{}{text}", if by < 0.0 { "−" } else { "+" }) };
    Choice {
        name: strategy.name(),
        edit: serde_json::to_string(&edit).unwrap_or_default(),
        chosen: strategy == loaded.decided().order.strategy,
        travel: metres(then.travel),
        travel_change: signed(then.travel - now.travel, metres((then.travel - now.travel).abs())),
        time: duration(then.seconds),
        time_change: signed(then.seconds - now.seconds, duration((then.seconds - now.seconds).abs())),
    }
}
