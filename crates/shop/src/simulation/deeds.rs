//! What people do at the shop, and what befalls it.

use super::judge::burned_right;
use super::template::{Made, TEMPLATE, nest};
use super::{MACHINES, Went, World, locked, one_of};
use crate::app::App;
use crate::book;
use crate::changing::apply;
use crate::desks::Word;
use crate::error::ShopError;
use crate::releases::{self, release, to_send};
use crate::runs::again::{Onward, SheetOf, Wanted, cut_again, go_on};
use crate::runs::said::said;
use crate::runs::send;
use boustrophe_core::decisions::NestEdit;
use boustrophe_core::ids::{BatchId, CopyId};
use boustrophe_core::run::{Answer, RunState};
use boustrophe_store::{Kind, Run, Taken};
use rand::Rng;
use rand::rngs::StdRng;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use tokio::time::sleep;

/// What somebody's browser shows of a job.
#[derive(Clone, Copy, Default)]
struct Shown {
    head: i32,
    release: Option<i32>,
}

/// Somebody with a browser: they act on what it showed when they last looked.
pub(super) struct Person {
    world: Arc<World>,
    name: &'static str,
    chance: StdRng,
    jobs: BTreeMap<i32, Shown>,
    runs: Vec<i32>,
}

/// A word of what came of something.
fn came<T>(of: &Result<T, ShopError>) -> String {
    of.as_ref().map_or_else(|e| format!("refused: {e}"), |_| "done".into())
}

impl Person {
    pub(super) fn new(world: &Arc<World>, name: &'static str, of: u64) -> Self {
        Self { world: Arc::clone(world), name, chance: world.chance(of), jobs: BTreeMap::new(), runs: Vec::new() }
    }

    /// Does so many things, with pauses as people make them.
    pub(super) async fn works(mut self, deeds: usize) {
        for _ in 0..deeds {
            let pause = if self.chance.random_ratio(1, 4) { 9000 } else { 1500 };
            sleep(Duration::from_millis(self.chance.random_range(20..pause))).await;
            self.acts().await;
        }
    }

    fn note(&self, what: &str) {
        self.world.note(&format!("{}: {what}", self.name));
    }

    /// One step with the shop; nothing where it is shut.
    fn step<T>(&self, of: impl FnOnce(&Arc<App>) -> T) -> Option<T> {
        let app = self.world.app()?;
        self.world.write(|| of(&app))
    }

    fn looks(&mut self) {
        let seen = self.step(|app| {
            let mut jobs = BTreeMap::new();
            let mut runs = Vec::new();
            for m in &TEMPLATE.jobs {
                let Ok(job) = app.store.job(m.job) else { continue };
                let release = app.store.last_release(m.job).ok().flatten().map(|r| r.id);
                jobs.insert(m.job, Shown { head: job.head.unwrap_or(0), release });
                runs.extend(app.store.runs_of(m.job).unwrap_or_default().iter().take(6).map(|r| r.id));
            }
            (jobs, runs)
        });
        if let Some((jobs, runs)) = seen {
            (self.jobs, self.runs) = (jobs, runs);
        }
    }

    fn made(&mut self) -> Made {
        *one_of(&mut self.chance, &TEMPLATE.jobs).expect("a job")
    }

    fn run(&mut self) -> Option<Run> {
        let id = *one_of(&mut self.chance, &self.runs)?;
        self.step(|app| app.store.run(id).ok()).flatten()
    }

    /// A run that they would see to: one that stands so.
    fn run_that(&mut self, is: impl Fn(&Run) -> bool) -> Option<Run> {
        let ids = self.runs.clone();
        let all = self.step(|app| ids.iter().filter_map(|id| app.store.run(*id).ok()).filter(|r| is(r)).collect::<Vec<_>>())?;
        one_of(&mut self.chance, &all).cloned()
    }

    async fn acts(&mut self) {
        if self.chance.random_ratio(1, 2) {
            self.looks();
        }
        match self.chance.random_range(0..100) {
            0..8 => self.releases(),
            8..24 => self.sends(),
            24..46 => self.starts().await,
            46..50 => self.orders(Word::Pause).await,
            50..57 => self.orders(Word::Resume).await,
            57..60 => self.orders(Word::Walk).await,
            60..63 => self.stops().await,
            63..66 => self.withdraws(),
            66..68 => self.arranges(),
            68..81 => self.answers(),
            81..85 => self.wants_more(),
            85..87 => self.changes_the_chart(),
            87..89 => self.takes_back(),
            89..92 => self.sees_to_the_rack(),
            92 => self.deletes(),
            93..97 => self.tells("clear").await,
            97..99 => self.tells("zero").await,
            _ => self.looks(),
        }
    }

    fn releases(&mut self) {
        let job = self.made().job;
        let head = self.jobs.get(&job).map_or(0, |s| s.head);
        if let Some(done) = self.step(|app| release(app, job, head, self.name)) {
            self.note(&format!("releases job {job}: {}", came(&done)));
        }
    }

    fn sends(&mut self) {
        let job = self.made().job;
        let shown = self.jobs.get(&job).copied().unwrap_or_default();
        let (sheet, times) = (self.chance.random_range(1..=2), self.chance.random_range(1..=2));
        let sent = self.step(|app| {
            let shown = releases::Shown { release: shown.release, revision: Some(shown.head) };
            let release = to_send(app, (job, sheet), shown, self.name)?;
            send(app, &release, sheet, times, self.name)
        });
        let Some(sent) = sent else { return };
        self.note(&format!("sends sheet {sheet} of job {job} × {times}: {} {sent:?}", came(&sent)));
        if let Ok(run) = sent {
            locked(&self.world.told).sent.insert(run);
        }
    }

    async fn starts(&mut self) {
        let Some(run) = self.run_that(|r| r.state == RunState::Ready) else { return self.looks() };
        // It counts from when they press: whether it got there nobody may know.
        locked(&self.world.told).started.insert(run.id);
        self.ordered(&run, Word::Start).await;
    }

    async fn orders(&mut self, word: Word) {
        if let Some(run) = self.run() {
            self.ordered(&run, word).await;
        }
    }

    async fn ordered(&self, run: &Run, word: Word) {
        let Some(app) = self.world.app() else { return };
        let Ok(desk) = app.desks.desk(&run.machine) else { return };
        let desk = Arc::clone(desk);
        drop(app);
        let done = desk.order(run.id, word).await;
        self.note(&format!("tells run {} to {word}: {}", run.id, came(&done)));
    }

    fn machine(&mut self) -> &'static str {
        one_of(&mut self.chance, &MACHINES).expect("a machine")
    }

    async fn stops(&mut self) {
        let machine = self.machine();
        let Some(app) = self.world.app() else { return };
        let desk = Arc::clone(app.desks.desk(machine).expect("a desk"));
        drop(app);
        let done = desk.stop().await;
        self.note(&format!("stops {machine}: {}", came(&done)));
        if done.is_ok() {
            let status = self.world.stations[machine].controller.stands();
            assert!(!status.beam, "{machine} burns on after Stop was answered");
        }
    }

    async fn tells(&mut self, word: &str) {
        let machine = self.machine();
        let Some(app) = self.world.app() else { return };
        let desk = Arc::clone(app.desks.desk(machine).expect("a desk"));
        drop(app);
        let done = desk.tell(word).await;
        self.note(&format!("tells {machine} to {word}: {}", came(&done)));
    }

    fn withdraws(&mut self) {
        let Some(run) = self.run_that(|r| r.ended_at.is_none()) else { return };
        if let Some(done) = self.step(|app| app.store.requeue(run.id, RunState::Withdrawn, "by somebody")) {
            self.note(&format!("withdraws run {}: {done:?}", run.id));
            self.world.look_again(&run.machine);
        }
    }

    fn arranges(&mut self) {
        let (machine, mut order) = (self.machine(), self.runs.clone());
        if order.len() > 1 {
            let (a, b) = (self.chance.random_range(0..order.len()), self.chance.random_range(0..order.len()));
            order.swap(a, b);
        }
        if let Some(done) = self.step(|app| app.store.arrange(machine, &order)) {
            self.note(&format!("puts the queue of {machine} so: {order:?}: {}", done.is_ok()));
            self.world.look_again(machine);
        }
    }

    /// Says what becomes of a sheet.
    fn answers(&mut self) {
        let Some(run) = self.run_that(Run::asks) else { return };
        let (pick, copy) = (self.chance.random_range(0..10), self.chance.random_range(0..8_usize));
        let onward = *one_of(&mut self.chance, &[Onward::Here, Onward::Here, Onward::Again, Onward::Next]).expect("one");
        if run.state.broke_off() && pick < 7 {
            return self.world.goes_on(run.id, onward, self.name);
        }
        let done = self.step(|app| {
            // What the page showed may be over: it is read again.
            let run = app.store.run(run.id)?;
            match (run.state, pick) {
                (RunState::Done, 0..6) => said(app, &run, Answer::Through, &[], self.name),
                (RunState::Done, 6..8) => {
                    let sheet = SheetOf::run(app, &run)?;
                    let copies: Vec<CopyId> = sheet.copies().iter().map(|p| p.copy).collect();
                    let one = [copies[copy % copies.len()]];
                    let new = cut_again(app, &run, &one, self.name)?;
                    locked(&self.world.told).again.insert(new);
                    Ok(())
                }
                (_, 8) => said(app, &run, Answer::Nest, &[], self.name),
                (RunState::Done, _) => said(app, &run, Answer::Through, &[], self.name),
                _ => said(app, &run, Answer::Gone, &[], self.name),
            }
        });
        if let Some(done) = done {
            self.note(&format!("answers for run {} ({pick}): {}", run.id, came(&done)));
        }
    }

    /// Another quantity, nested anew.
    fn wants_more(&mut self) {
        let job = self.made().job;
        let (head, quantity) = (self.jobs.get(&job).map_or(0, |s| s.head), self.chance.random_range(1..=3));
        let done = self.step(|app| {
            let none = || ShopError::Sentence("it has no parts.".into());
            let part = app.load(job)?.route.work.parts.first().map(|p| p.id).ok_or_else(none)?;
            apply(app, job, head, &NestEdit::SetQuantity { part, quantity }.on(BatchId::FIRST), self.name)
        });
        let Some(done) = done else { return };
        self.note(&format!("wants {quantity} in job {job}: {}", came(&done)));
        if done.is_ok() {
            self.step(|app| nest(app, job, self.name));
            self.looks();
        }
    }

    fn changes_the_chart(&mut self) {
        let (row, share) = (self.chance.random_range(0..40_usize), self.chance.random_range(0.9..1.1));
        let done = self.step(|app| {
            book::change(app, Kind::Chart, None, (self.name, "tried"), |shop| {
                let n = shop.chart.len();
                shop.chart[row % n].feed = (shop.chart[row % n].feed * share).round().max(1.0);
                Ok(())
            })
        });
        self.note(&format!("changes the chart: {}", done.is_some_and(|d| d.is_ok())));
    }

    fn takes_back(&mut self) {
        let job = self.made().job;
        let (head, back) = (self.jobs.get(&job).map_or(0, |s| s.head), self.chance.random_bool(0.6));
        let done = self.step(|app| if back { app.store.undo(job, head) } else { app.store.redo(job, head) });
        self.note(&format!("{} in job {job}: {:?}", if back { "takes back" } else { "does again" }, done.and_then(Result::ok)));
    }

    fn sees_to_the_rack(&mut self) {
        let (stock, more) = (self.made().stock, self.chance.random_range(-2..=3));
        if self.world.app().is_none() {
            return;
        }
        let done = self.step(|app| app.store.change_stock(stock, (more, Some(8.0), "left bay"), &Taken::default()).is_ok());
        let mut told = locked(&self.world.told);
        match done {
            Some(true) => *told.by_hand.entry(stock).or_default() += i64::from(more),
            Some(false) => {}
            // It was the shop's last write: nobody knows whether it came to the disk.
            None => told.in_doubt.push((stock, i64::from(more))),
        }
        drop(told);
        self.note(&format!("puts {more:+} of sheet {stock} on the rack: {done:?}"));
    }

    fn deletes(&mut self) {
        let job = self.made().job;
        if !self.chance.random_ratio(1, 4) {
            return;
        }
        let world = Arc::clone(&self.world);
        let done = self.step(|app| {
            // What was burned of it is judged while it is known what that was to be.
            let runs = app.store.runs_of(job)?;
            if runs.iter().any(|r| r.ended_at.is_none() || r.asks()) {
                return app.store.delete_job(job).map_err(ShopError::from);
            }
            burned_right(&world, app, job);
            crate::rack::settle(app);
            app.store.delete_job(job)?;
            locked(&world.told).deleted.insert(job);
            Ok(())
        });
        self.note(&format!("deletes job {job}: {}", done.map_or_else(|| "nobody knows".into(), |d| came(&d))));
    }
}

impl World {
    /// Has a machine's queue looked at.
    pub(super) fn look_again(&self, machine: &str) {
        if let Some(app) = self.app() {
            app.desks.desk(machine).expect("a desk").look_again();
        }
    }

    /// Goes on from a run that broke off.
    pub(super) fn goes_on(self: &Arc<Self>, run: i32, how: Onward, by: &str) {
        let Some(app) = self.app() else { return };
        let done = self.write(|| {
            let run = app.store.run(run)?;
            let new = go_on(&app, &run, Wanted::plain(how), by)?;
            let finished = usize::try_from(run.cuts_done).unwrap_or(0);
            let went = Went { from: run.id, how, finished, lost: run.state == RunState::Lost };
            locked(&self.told).went.insert(new, went);
            Ok::<i32, ShopError>(new)
        });
        if let Some(done) = done {
            self.note(&format!("{by}: goes on from run {run} ({how}): {} {done:?}", came(&done)));
        }
    }
}
