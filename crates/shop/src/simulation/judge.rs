//! What must hold at the end of a history, whatever befell it.

use super::record::{Held, Lit, Place, lit};
use super::template::{SHEETS, TEMPLATE};
use super::{MACHINES, World, locked};
use crate::app::App;
use crate::desks::Word;
use crate::runs::again::{Onward, SheetOf};
use crate::runs::said::said;
use boustrophe_core::run::{Answer, RunState};
use boustrophe_machine::State;
use boustrophe_store::Run;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::time::Duration;
use tokio::time::sleep;

/// How near a burned move comes to what it burns, mm: programs are written to hundredths.
const NEAR: f64 = 0.05;
/// So near to where a run stopped its line may be burned twice, mm: by a laser its overlap of 0.3, by a torch its overlap of 2 and the 4
/// before that where it is lit in the open kerf.
const JOINED: [(&str, f64); 2] = [("lark", 0.6), ("anvil", 6.6)];
/// Shortest move of a whole program that is looked at: leads are shorter, mm.
const LOOKED_AT: f64 = 6.0;

/// How long people may take to bring everything to its end when nothing befalls them any more.
const STEPS: usize = 4000;

/// How often moves burn a place: what follows on itself there burns once.
fn times(moves: &[Lit], at: Place) -> usize {
    let mut n = 0;
    let mut before = None;
    for (i, m) in moves.iter().enumerate() {
        if m.nearest(at).1 < NEAR {
            n += usize::from(before.is_none_or(|b| b + 1 < i));
            before = Some(i);
        }
    }
    n
}

/// A sheet that was worked on: the run that began it, and those that went on.
struct Chain {
    root: Run,
    runs: Vec<Run>,
}

/// The chains of a job's runs, in order.
fn chains(app: &App, job: i32) -> Vec<Chain> {
    let mut runs = app.store.runs_of(job).expect("its runs");
    runs.sort_by_key(|r| r.id);
    let by_id: BTreeMap<i32, Run> = runs.iter().map(|r| (r.id, r.clone())).collect();
    let root = |run: &Run| {
        let mut at = run;
        while let Some(before) = at.goes_on.and_then(|b| by_id.get(&b)) {
            at = before;
        }
        at.id
    };
    let mut out: BTreeMap<i32, Chain> = BTreeMap::new();
    for run in &runs {
        out.entry(root(run)).or_insert_with(|| Chain { root: by_id[&root(run)].clone(), runs: Vec::new() }).runs.push(run.clone());
    }
    out.into_values().collect()
}

impl World {
    /// What controllers did of a run.
    fn did(&self, run: i32) -> Vec<Held> {
        self.stations.values().flat_map(|s| locked(&s.record).held.iter().filter(|h| h.run == run).cloned().collect::<Vec<_>>()).collect()
    }
}

/// Judges what was burned of a job's sheets: no place more often than it may be, and of a finished sheet every one.
pub(super) fn burned_right(world: &World, app: &App, job: i32) {
    for chain in chains(app, job) {
        judge(world, app, &chain);
        let burned = chain.runs.iter().any(|r| world.did(r.id).iter().any(|h| h.reached.is_some()));
        if let Some(stock) = chain.root.stock_id.filter(|_| chain.runs.iter().any(|r| r.state != RunState::Withdrawn && r.has_burned())) {
            let mut used = locked(&world.used);
            used.entry(stock).or_default().insert(chain.root.id, burned);
        }
    }
}

fn judge(world: &World, app: &App, chain: &Chain) {
    let told = locked(&world.told);
    let sheet = SheetOf::run(app, &chain.root).expect("its sheet");
    let kept = sheet.sheet().expect("its sheet");
    let whole = app.store.program(chain.root.id).expect("its program");
    let begins = &kept.lines.begins;
    let piece = |line: usize| begins.iter().filter(|b| **b <= line).count().saturating_sub(1);
    let pieces = begins.len();
    // Which pieces of the sheet each run had, and how often each may be burned.
    let mut has: BTreeMap<i32, Vec<usize>> = BTreeMap::from([(chain.root.id, (0..pieces).collect())]);
    let (mut least, mut most) = (vec![1_usize; pieces], vec![1_usize; pieces]);
    let mut all: Vec<Lit> = Vec::new();
    let mut joints: Vec<Place> = Vec::new();
    for run in &chain.runs {
        if let Some(before) = run.goes_on {
            let theirs = has.get(&before).cloned().unwrap_or_default();
            let mine = match told.went.get(&run.id).filter(|w| w.from == before) {
                // Of what was cut again in part it is not said which that was.
                Some(w) if theirs.is_empty() => {
                    most.iter_mut().for_each(|m| *m += usize::from(w.lost || w.how == Onward::Again));
                    if w.how == Onward::Next && !told.again.contains(&before) {
                        least.iter_mut().for_each(|l| *l = 0);
                    }
                    Vec::new()
                }
                Some(w) => {
                    let under_way = theirs.get(w.finished).copied();
                    let doubtful: &[usize] = if w.lost { theirs.get(w.finished..).unwrap_or(&[]) } else { under_way.as_slice() };
                    for p in doubtful {
                        most[*p] += usize::from(w.lost || w.how == Onward::Again);
                    }
                    if let (Onward::Next, Some(p)) = (w.how, under_way) {
                        least[p] = 0;
                    }
                    let mine = &theirs[(w.finished + usize::from(w.how == Onward::Next)).min(theirs.len())..];
                    // One that stopped at the very end of a piece has nothing left of it: it goes on with the next.
                    let left = usize::try_from(run.cuts).unwrap_or(mine.len());
                    mine[mine.len().saturating_sub(left)..].to_vec()
                }
                // Some of its copies are cut once more.
                None => {
                    most.iter_mut().for_each(|m| *m += 1);
                    Vec::new()
                }
            };
            has.insert(run.id, mine);
        }
        for held in world.did(run.id) {
            let program = app.store.program(run.id).expect("its program");
            if held.reached.is_none() {
                continue;
            }
            assert_eq!(held.sum, run.sum, "run {} burned another program than its own", run.id);
            let burned = held.burned(&program);
            if let Some(s) = held.reached.as_ref().filter(|_| !held.done) {
                joints.push((s.x, s.y));
            }
            all.extend(burned);
        }
    }
    let joined = JOINED.iter().find(|j| j.0 == chain.root.machine).map_or(0.0, |j| j.1);
    let done = chain.runs.iter().any(|r| r.state == RunState::Done)
        && chain.runs.iter().all(|r| r.state == RunState::Done || r.answer == Answer::On || r.state == RunState::Withdrawn);
    for m in lit(&whole).iter().filter(|m| m.length() > LOOKED_AT) {
        let p = piece(m.line);
        for at in [0.29, 0.52, 0.71].map(|t| m.at(t)) {
            let near = joints.iter().any(|j| (j.0 - at.0).hypot(j.1 - at.1) < joined);
            let n = times(&all, at);
            let too_often = n > most[p] + usize::from(near);
            let left = done && n < least[p] && !near;
            assert!(
                !too_often && !left,
                "piece {} of run {}'s sheet is burned {n} times at {at:?}, {} to {} were meant; runs {:?}",
                p + 1,
                chain.root.id,
                least[p],
                most[p],
                chain.runs.iter().map(|r| (r.id, r.state, r.answer, r.cuts_done, told.went.get(&r.id))).collect::<Vec<_>>()
            );
        }
    }
}

impl World {
    /// Nothing befalls anybody any more: there is a way to an end from wherever everything stands, and people take it.
    pub(super) async fn comes_to_rest(self: &Arc<Self>) {
        self.note("nothing befalls anybody any more");
        {
            let mut disk = locked(&self.disk);
            (disk.full, disk.slow, disk.calm) = (None, None, true);
        }
        if self.app().is_none() {
            self.open();
        }
        self.weather();
        for (id, station) in &self.stations {
            *locked(&station.wires.weather) = super::wires::Weather::default();
            self.room(id, station, "room door shut");
        }
        for step in 0..STEPS {
            sleep(Duration::from_millis(400)).await;
            let mut open = Vec::new();
            for id in MACHINES {
                open.extend(self.sees_to(id).await);
            }
            if open.is_empty() {
                return;
            }
            let stand = || self.stations.iter().map(|(id, s)| format!("{id} {}", s.controller.stands())).collect::<Vec<_>>();
            let seen = || self.app().map(|a| a.desks.seen().map(|(id, s)| format!("{id} {s:?}")).collect::<Vec<_>>());
            assert!(step + 1 < STEPS, "there is no way on from here: {open:#?} {:#?} {:#?}", stand(), seen());
        }
    }

    /// Does the next thing that a machine wants; gives what is open there.
    async fn sees_to(self: &Arc<Self>, machine: &str) -> Vec<Run> {
        let app = self.app().expect("the shop is open");
        let desk = Arc::clone(app.desks.desk(machine).expect("a desk"));
        let status = self.stations[machine].controller.stands();
        let mut open = app.store.open_runs(machine).expect("its runs");
        open.extend(app.store.asking(machine).expect("its runs"));
        if status.alarm.is_some() {
            let _ = desk.tell("clear").await;
        } else if status.unknown && !matches!(status.state, State::Running | State::Paused | State::Walking) {
            let _ = desk.tell("zero").await;
        } else if matches!(status.state, State::Ready | State::Paused | State::Loading) && status.held.as_ref().is_some_and(|h| h.run == 0)
        {
            let _ = desk.stop().await;
        }
        let Some(run) = open.iter().find(|r| r.state != RunState::Waiting).cloned() else { return open };
        let by = "Bram Teck";
        match run.state {
            RunState::Ready => {
                locked(&self.told).started.insert(run.id);
                let _ = desk.order(run.id, Word::Start).await;
            }
            RunState::Paused => drop(desk.order(run.id, Word::Resume).await),
            RunState::Done if run.asks() => drop(said(&app, &run, Answer::Through, &[], by)),
            _ if run.asks() => {
                self.goes_on(run.id, Onward::Here, by);
                // Where nothing is left that could be gone on with, the sheet is given up.
                if app.store.run(run.id).is_ok_and(|r| r.asks()) {
                    drop(said(&app, &run, Answer::Gone, &[], by));
                }
            }
            _ => {}
        }
        open
    }

    /// Everything is at its end: what was burned, what the record says of it, and what is on the rack fit together.
    pub(super) fn judged(&self) {
        let app = self.app().expect("the shop is open");
        crate::rack::settle(&app);
        let jobs: BTreeSet<i32> = app.store.jobs().expect("the jobs").iter().map(|j| j.id).collect();
        for m in TEMPLATE.jobs.iter().filter(|m| jobs.contains(&m.job)) {
            burned_right(self, &app, m.job);
            for run in app.store.runs_of(m.job).expect("its runs") {
                let done = self.did(run.id).iter().any(|h| h.done);
                // Where the line was cut meanwhile nobody may have heard of its end.
                let fits = if done { matches!(run.state, RunState::Done | RunState::Lost) } else { run.state != RunState::Done };
                assert!(fits, "run {} is {}, and its controller has {}come to its end", run.id, run.state, if done { "" } else { "not " });
            }
        }
        // What was answered is there still, unless its job is not.
        if locked(&self.told).deleted.is_empty() {
            for run in &locked(&self.told).sent {
                assert!(app.store.run(*run).is_ok(), "run {run} was sent and answered, and is gone");
            }
        }
        for m in &TEMPLATE.jobs {
            let stocked = app.store.stocked(m.stock).expect("it").stock.count;
            let events = app.store.stock_events(m.stock).expect("its story");
            let by_hand = locked(&self.told).by_hand.get(&m.stock).copied().unwrap_or(0);
            let used = locked(&self.used).get(&m.stock).cloned().unwrap_or_default();
            let certain = used.values().filter(|b| **b).count() as i64;
            let possible = used.len() as i64;
            let gone = i64::from(SHEETS) + by_hand - i64::from(stocked);
            let doubt: Vec<i64> = locked(&self.told).in_doubt.iter().filter(|d| d.0 == m.stock).map(|d| -d.1).collect();
            let (less, more): (i64, i64) = (doubt.iter().map(|d| (*d).min(0)).sum(), doubt.iter().map(|d| (*d).max(0)).sum());
            assert!(
                (certain + less..=possible + more).contains(&gone),
                "of sheet {} the rack lacks {gone}, and {certain} to {possible} were worked on ({used:?}): {:#?}",
                m.stock,
                events.iter().map(|e| &e.words).collect::<Vec<_>>()
            );
        }
    }
}
