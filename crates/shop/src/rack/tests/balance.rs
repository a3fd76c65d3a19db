//! The rack's count after any history of sends, runs, breaks, answers and withdrawals, against the sheets themselves: each that was
//! laid on a bed and burned on is gone, and no other.

use super::*;
use boustrophe_core::run::Answer;
use boustrophe_store::{NewRun, Then};
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};

/// Played with every change; `HISTORIES=500` plays more.
const HISTORIES: u32 = 120;

/// What somebody does, or what befalls a machine; numbers choose among what is there.
#[derive(Clone, Debug)]
enum Deed {
    Send(usize),
    /// A run goes on by one step, and its sheet burns where it comes to that.
    Step(usize),
    /// A run breaks off, or comes to its end where it burns.
    End(usize, bool),
    Lose(usize),
    Withdraw(usize),
    Answer(usize, Answer),
    Put(u32),
    Remove(u32),
    Settle,
}

fn deed() -> impl Strategy<Value = Deed> {
    let which = 0..8_usize;
    let answer = prop_oneof![Just(Answer::Gone), Just(Answer::Nest), Just(Answer::On), Just(Answer::Through)];
    prop_oneof![
        4 => (1..4_usize).prop_map(Deed::Send),
        12 => (0..3_usize).prop_map(Deed::Step),
        4 => (which.clone(), prop::bool::weighted(0.8)).prop_map(|(i, well)| Deed::End(i, well)),
        1 => which.clone().prop_map(Deed::Lose),
        2 => which.clone().prop_map(Deed::Withdraw),
        5 => (which, answer).prop_map(|(i, a)| Deed::Answer(i, a)),
        1 => (1..3_u32).prop_map(Deed::Put),
        1 => (1..3_u32).prop_map(Deed::Remove),
        3 => Just(Deed::Settle),
    ]
}

/// A run as somebody at the machine would remember it.
struct Known {
    id: i32,
    /// Which of the real sheets lies there.
    sheet: usize,
    state: RunState,
    /// Its sheet waits for a word.
    asked: bool,
}

/// A real sheet: burned on, done with, and booked off.
#[derive(Clone, Copy, Default)]
struct Real {
    burned: bool,
    finished: bool,
    /// Nobody is to do anything with it any more.
    over: bool,
    booked: bool,
}

struct Play<'a> {
    bench: &'a Bench,
    job: i32,
    release: i32,
    kind: i32,
    there: i64,
    sheets: Vec<Real>,
    runs: Vec<Known>,
}

impl Play<'_> {
    fn new_run(&self, goes_on: Option<i32>) -> NewRun<'static> {
        NewRun {
            job: self.job,
            revision: 1,
            sheet: 1,
            machine: "lark",
            file_name: "sheet-1.nc",
            program: "M2",
            sum: "00",
            cuts: 5,
            total: 5.0,
            goes_on,
            pose: Default::default(),
            release: self.release,
            person: "Odile Farrant",
            stock: Some((self.kind, 1)),
            booked: false,
            work: None,
        }
    }

    /// Sheets that some run will burn on or has burned on, and that still count as there.
    fn bound(&self) -> i64 {
        self.sheets.iter().filter(|s| !s.booked && (!s.over || s.burned)).count() as i64
    }

    fn heard(&mut self, i: usize, state: RunState) {
        let known = &mut self.runs[i];
        let burns = matches!(state, RunState::Running | RunState::Paused) || known.state.is_under_way();
        let seconds = if burns || state == RunState::Done { 2.0 } else { 0.0 };
        let heard = Heard { state, seconds, ..Heard::default() };
        self.bench.app.store.note_run(known.id, &heard).expect("it may come to that");
        known.state = state;
        self.sheets[known.sheet].burned |= seconds > 0.0 || state == RunState::Lost;
        if state == RunState::Done {
            let sheet = &mut self.sheets[known.sheet];
            (sheet.finished, sheet.over) = (true, true);
            known.asked = true;
        } else if state.is_ended() {
            self.broke(i, seconds > 0.0 || state == RunState::Lost);
        }
    }

    /// A run has ended before its work did: where it burned its own sheet asks, where it did not the one that it went on from does.
    fn broke(&mut self, i: usize, burned: bool) {
        let sheet = self.runs[i].sheet;
        let asks = if burned { Some(i) } else { (0..i).rev().find(|k| self.runs[*k].sheet == sheet && self.runs[*k].state.broke_off()) };
        match asks {
            Some(k) => self.runs[k].asked = true,
            None => self.sheets[sheet].over = true,
        }
    }

    fn some(&self, i: usize, of: impl Fn(&Known) -> bool) -> Option<usize> {
        let all: Vec<usize> = (0..self.runs.len()).filter(|k| of(&self.runs[*k])).collect();
        (!all.is_empty()).then(|| all[i % all.len()])
    }

    fn act(&mut self, deed: &Deed) {
        let store = &self.bench.app.store;
        match *deed {
            Deed::Send(times) => {
                let fresh = |r: &&Known| r.state.is_before_start() && self.sheets.get(r.sheet).is_some_and(|s| !s.burned);
                let waiting = self.runs.iter().filter(fresh).count();
                let more = times.saturating_sub(waiting) as i64;
                let free = self.there - self.bound();
                let sent = store.send(&self.new_run(None), times);
                assert_eq!(sent.is_ok(), more <= free, "{more} more of {free} free: {sent:?}");
                if sent.is_ok() {
                    let all = store.open_runs("lark").expect("the queue");
                    let new: Vec<i32> = all.iter().map(|r| r.id).filter(|id| self.runs.iter().all(|r| r.id != *id)).collect();
                    assert_eq!(new.len() as i64, more);
                    for id in new {
                        self.runs.push(Known { id, sheet: self.sheets.len(), state: RunState::Waiting, asked: false });
                        self.sheets.push(Real::default());
                    }
                }
            }
            Deed::Step(i) => {
                let at_machine = self.some(0, |r| !r.state.is_ended() && r.state != RunState::Waiting).filter(|_| i < 2);
                let Some(k) = at_machine.or_else(|| self.some(i, |r| !r.state.is_ended())) else { return };
                let next = match self.runs[k].state {
                    RunState::Waiting => RunState::Sending,
                    RunState::Sending => RunState::Ready,
                    RunState::Ready | RunState::Paused => RunState::Running,
                    _ => RunState::Paused,
                };
                self.heard(k, next);
            }
            Deed::End(i, well) => {
                let under_way = self.some(i, |r| r.state.is_under_way()).filter(|_| well);
                let Some(k) = under_way.or_else(|| self.some(i, |r| !r.state.is_ended() && r.state != RunState::Waiting)) else { return };
                let done = well && self.runs[k].state.is_under_way();
                self.heard(
                    k,
                    if done {
                        RunState::Done
                    } else if i % 2 == 0 {
                        RunState::Stopped
                    } else {
                        RunState::Fault
                    },
                );
            }
            Deed::Lose(i) => {
                let Some(k) = self.some(i, |r| r.state.is_under_way()) else { return };
                self.heard(k, RunState::Lost);
            }
            Deed::Withdraw(i) => {
                let Some(k) = self.some(i, |r| r.state == RunState::Waiting) else { return };
                store.requeue(self.runs[k].id, RunState::Withdrawn, "").expect("it waits");
                self.runs[k].state = RunState::Withdrawn;
                self.broke(k, false);
            }
            Deed::Answer(i, answer) => {
                let Some(k) = self.some(i, |r| r.asked) else { return };
                let (id, sheet, done) = (self.runs[k].id, self.runs[k].sheet, self.runs[k].state == RunState::Done);
                // Of a finished sheet there is one thing to say, and of a broken one that it is through is not believed.
                let answer = if done {
                    Answer::Through
                } else if answer == Answer::Through {
                    Answer::Gone
                } else {
                    answer
                };
                let on = self.new_run(Some(id));
                let then = if answer == Answer::On { Then::Run(&on) } else { Then::Nothing };
                let next = store.answer(id, answer, "Bram Teck", then).expect("it was asked");
                self.runs[k].asked = false;
                match next {
                    Some(id) => self.runs.push(Known { id, sheet, state: RunState::Waiting, asked: false }),
                    None => self.sheets[sheet].over = true,
                }
            }
            Deed::Put(n) => {
                self.there += i64::from(n);
                store.change_stock(self.kind, (n as i32, None, ""), &Taken::default()).expect("more");
            }
            Deed::Remove(n) => {
                let may = self.there - i64::from(n) >= self.bound();
                let said = store.change_stock(self.kind, (-(n as i32), None, ""), &Taken::default());
                assert_eq!(said.is_ok(), may, "{n} of {} with {} bound: {said:?}", self.there, self.bound());
                self.there -= if may { i64::from(n) } else { 0 };
            }
            Deed::Settle => {
                settle(&self.bench.app);
                for s in self.sheets.iter_mut().filter(|s| s.over && s.burned && !s.booked) {
                    s.booked = true;
                    self.there -= 1;
                }
            }
        }
    }

    fn count(&self) -> i64 {
        i64::from(self.bench.app.store.stocked(self.kind).expect("it").stock.count)
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn the_rack_holds_what_was_not_burned() {
    let work = || {
        let bench = Bench::new();
        let job = bench.job("Boxes", 90.0, 60.0);
        let first = bench.put(300.0, 200.0, 2);
        bench.nest(job, &[first]);
        let head = bench.app.store.job(job).expect("the job").head.expect("a head");
        let (of, _) = release(&bench.app, job, head, "Odile Farrant").expect("released");
        let cases = std::env::var("HISTORIES").ok().and_then(|n| n.parse().ok()).unwrap_or(HISTORIES);
        let config = Config { cases, max_shrink_iters: 0, failure_persistence: None, ..Config::default() };
        let left = || bench.app.store.stock(None).expect("the rack").iter().filter(|s| s.stock.offcut).count();
        let before = left();
        let finished = std::cell::Cell::new(0_usize);
        let played = TestRunner::new(config).run(&(2..6_u32, prop::collection::vec(deed(), 6..30)), |(count, deeds)| {
            let kind = bench.put(300.0, 200.0, count);
            let mut play = Play { bench: &bench, job, release: of.id, kind, there: i64::from(count), sheets: vec![], runs: vec![] };
            for deed in &deeds {
                play.act(deed);
                prop_assert_eq!(play.count(), play.there, "after {:?} of {:?}", deed, deeds);
            }
            // Everything comes to an end: what waits is withdrawn, what burns is stopped, what asks is given up.
            for _ in 0..60 {
                let begun = |r: &Known| !r.state.is_ended() && r.state != RunState::Waiting;
                let deed = if play.some(0, begun).is_some() {
                    Deed::End(0, false)
                } else if play.some(0, |r| r.state == RunState::Waiting).is_some() {
                    Deed::Withdraw(0)
                } else if play.some(0, |r| r.asked).is_some() {
                    Deed::Answer(0, Answer::Gone)
                } else {
                    break;
                };
                play.act(&deed);
            }
            (0..2).for_each(|_| play.act(&Deed::Settle));
            let burned = play.sheets.iter().filter(|s| s.burned).count() as i64;
            let moved: i64 = deeds.iter().map(|d| if let Deed::Put(n) = d { i64::from(*n) } else { 0 }).sum();
            prop_assert!(play.count() <= i64::from(count) + moved - burned && play.count() >= 0);
            prop_assert_eq!(play.count(), play.there);
            prop_assert_eq!(bench.app.store.balance().expect("read"), vec![]);
            finished.set(finished.get() + play.sheets.iter().filter(|s| s.finished).count());
            Ok(())
        });
        played.unwrap_or_else(|e| panic!("{e}"));
        let finished = finished.get();
        assert!(finished > cases as usize / 12, "too few come to their end: {finished}");
        assert_eq!(left() - before, finished, "of each finished sheet the rest is back, once");
    };
    tokio::task::spawn_blocking(work).await.expect("it runs");
}
