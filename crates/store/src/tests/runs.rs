//! Releases, and the runs that go by them.

use super::rack::plywood;
use super::shop;
use crate::{Heard, NewRelease, NewRevision, NewRun, Store, StoreError, Taken, Then};
use boustrophe_core::decisions::Decisions;
use boustrophe_core::ledger::Ledger;
use boustrophe_core::run::{Answer, RunState};
use proptest::prelude::*;
use strum::IntoEnumIterator;

#[test]
fn a_queue_is_arranged_and_what_ran_is_remembered() {
    let (_folder, store) = shop();
    let job = store.add_job("Number plates", "", None, &Decisions::default()).expect("job");
    let runs: Vec<i32> = (1..=4).map(|sheet| new_run(&store, job.id, sheet)).collect();
    go(&store, runs[0], &[RunState::Sending, RunState::Ready, RunState::Running]);
    let order = |store: &Store| store.open_runs("lark").expect("runs").iter().map(|r| r.id).collect::<Vec<_>>();
    // What runs stays first, whatever is asked; what nobody knows of changes nothing.
    store.arrange("lark", &[runs[3], runs[0], 999, runs[1], runs[3]]).expect("arranged");
    assert_eq!(order(&store), [runs[0], runs[3], runs[1], runs[2]]);
    store.arrange("anvil", &[runs[2], runs[1]]).expect("another machine's");
    assert_eq!(order(&store), [runs[0], runs[3], runs[1], runs[2]]);
    let fifth = new_run(&store, job.id, 5);
    assert_eq!(order(&store).last(), Some(&fifth), "what is new comes last");
    store.requeue(runs[1], RunState::Withdrawn, "").expect("taken out");
    let fault = Heard { state: RunState::Fault, alarm: "flame".into(), seconds: 30.0, ..Heard::default() };
    store.note_run(runs[0], &fault).expect("ended");
    let past = store.past_runs("lark", 10).expect("past");
    assert_eq!(
        past.iter().map(|p| (p.id, p.job.as_str(), p.alarm.as_str(), p.seconds)).collect::<Vec<_>>(),
        [(runs[0], "Number plates", "flame", 30.0)]
    );
}

/// Sends a sheet from the job's last release; one is made where there is none.
pub(super) fn new_run(store: &Store, job: i32, sheet: i32) -> i32 {
    send(store, job, sheet, None, 1).expect("run")
}

fn send(store: &Store, job: i32, sheet: i32, stock: Option<(i32, i32)>, times: usize) -> Result<i32, StoreError> {
    let release = match store.last_release(job)? {
        Some(last) => last.id,
        None => release(store, job),
    };
    store.send(&sheet_of(release, job, sheet, stock), times)
}

fn sheet_of(release: i32, job: i32, sheet: i32, stock: Option<(i32, i32)>) -> NewRun<'static> {
    NewRun {
        job,
        revision: 1,
        sheet,
        machine: "lark",
        file_name: "a.nc",
        program: "M2",
        sum: "00",
        cuts: 5,
        total: 5.0,
        goes_on: None,
        pose: Default::default(),
        release,
        person: "Odile Farrant",
        stock,
        booked: false,
        work: None,
    }
}

fn release(store: &Store, job: i32) -> i32 {
    let revision = store.job(job).expect("job").head.expect("head");
    let new = NewRelease {
        job,
        revision,
        person: "Odile Farrant",
        ledger: &Ledger::default(),
        batches: Vec::new(),
        sheets: Vec::new(),
        papers: vec![("1.svg".into(), b"<svg/>".to_vec())],
    };
    store.add_release(&new).expect("released").0
}

/// Goes through states one after the other, as a machine is heard.
pub(super) fn go(store: &Store, run: i32, states: &[RunState]) {
    for state in states {
        let heard = Heard { state: *state, seconds: if state.is_before_start() { 0.0 } else { 30.0 }, ..Heard::default() };
        store.note_run(run, &heard).expect("noted");
    }
}

#[test]
fn a_release_is_kept_and_what_waits_of_the_one_before_is_withdrawn() {
    let (_folder, store) = shop();
    let job = store.add_job("Number plates", "", None, &Decisions::default()).expect("job");
    let first = release(&store, job.id);
    let (waits, runs) = (new_run(&store, job.id, 1), new_run(&store, job.id, 2));
    go(&store, runs, &[RunState::Sending, RunState::Ready]);
    let second = release(&store, job.id);
    assert!(second > first && store.last_release(job.id).expect("it").is_some_and(|r| r.id == second));
    let withdrawn = store.run(waits).expect("run");
    assert_eq!(withdrawn.state, RunState::Withdrawn);
    assert!(withdrawn.detail.contains(&format!("release {second} was made")), "{}", withdrawn.detail);
    assert_eq!(store.run(runs).expect("run").state, RunState::Ready, "what is at the machine stays there");
    // Nothing is sent from what is not in force, and nothing released on a revision that is not.
    assert!(matches!(store.send(&sheet_of(first, job.id, 1, None), 1), Err(StoreError::Replaced { release }) if release == first));
    let stale =
        NewRelease { job: job.id, revision: 99, person: "", ledger: &Ledger::default(), batches: vec![], sheets: vec![], papers: vec![] };
    assert!(matches!(store.add_release(&stale), Err(StoreError::Moved { .. })));
    assert_eq!(store.release_paper(first, "1.svg").expect("kept").as_deref(), Some(b"<svg/>".as_slice()));
    assert!(matches!(store.delete_job(job.id), Err(StoreError::AtMachine { .. })), "a run is at a machine");
}

#[test]
fn a_sheet_is_answered_for_once_and_what_follows_comes_next() {
    let (_folder, store) = shop();
    let job = store.add_job("Number plates", "", None, &Decisions::default()).expect("job");
    let (broken, other) = (new_run(&store, job.id, 1), new_run(&store, job.id, 2));
    assert!(store.asking("lark").expect("asked").is_none());
    go(&store, broken, &[RunState::Sending, RunState::Ready, RunState::Running, RunState::Stopped]);
    assert_eq!(store.asking("lark").expect("asked").map(|r| r.id), Some(broken));
    assert!(matches!(store.delete_job(job.id), Err(StoreError::AtMachine { .. })), "its sheet lies there");
    let release = store.last_release(job.id).expect("it").expect("one").id;
    let on = NewRun { goes_on: Some(broken), work: Some(vec![1, 2]), ..sheet_of(release, job.id, 1, None) };
    let after = store.answer(broken, Answer::On, "Bram Teck", Then::Run(&on)).expect("answered").expect("a run");
    assert!(
        matches!(store.answer(broken, Answer::On, "Odile Farrant", Then::Run(&on)), Err(StoreError::Answered { .. })),
        "two clicks are one"
    );
    assert_eq!(store.open_runs("lark").expect("runs").iter().map(|r| r.id).collect::<Vec<_>>(), [after, other]);
    assert_eq!(store.own_work(after).expect("its own"), Some(vec![1, 2]));
    // Taken out of the queue again, the sheet is asked about again.
    store.requeue(after, RunState::Withdrawn, "").expect("withdrawn");
    assert_eq!(store.asking("lark").expect("asked").map(|r| r.id), Some(broken));
    // And where it was stopped at the machine before it burned anything.
    let after = store.answer(broken, Answer::On, "Bram Teck", Then::Run(&on)).expect("answered").expect("a run");
    go(&store, after, &[RunState::Sending, RunState::Ready]);
    store.note_run(after, &Heard { state: RunState::Stopped, ..Heard::default() }).expect("stopped");
    assert_eq!(store.asking("lark").expect("asked").map(|r| r.id), Some(broken));
    // An answer and the change that follows of it are one step: where that cannot be made nothing is answered.
    let wanted = Decisions::default();
    let change = |parent| Then::Change { job: job.id, parent, new: NewRevision { label: "again", person: "", decisions: &wanted } };
    assert!(matches!(store.answer(broken, Answer::Nest, "Bram Teck", change(999)), Err(StoreError::Moved { .. })));
    assert_eq!(store.asking("lark").expect("asked").map(|r| r.id), Some(broken));
    store.answer(broken, Answer::Gone, "Bram Teck", Then::Nothing).expect("given up");
    let head = store.job(job.id).expect("it").head.expect("a head");
    assert!(matches!(store.answer(broken, Answer::Nest, "Bram Teck", change(head)), Err(StoreError::Answered { .. })));
    assert_eq!(store.job(job.id).expect("it").head, Some(head), "said twice it is wanted once");
    assert!(store.asking("lark").expect("asked").is_none());
    // One that burned nothing is not asked about.
    go(&store, other, &[RunState::Sending, RunState::Ready]);
    store.note_run(other, &Heard { state: RunState::Stopped, ..Heard::default() }).expect("stopped");
    assert!(store.asking("lark").expect("asked").is_none());
}

#[test]
fn no_more_sheets_are_sent_than_the_rack_has() {
    let (_folder, store) = shop();
    let job = store.add_job("Number plates", "", None, &Decisions::default()).expect("job");
    let sheet = store.add_stock(&plywood(2, false), "Bram Teck").expect("there");
    assert!(matches!(send(&store, job.id, 1, Some((sheet, 1)), 3), Err(StoreError::TooFew { free: 2, wanted: 3, .. })));
    let first = send(&store, job.id, 1, Some((sheet, 1)), 2).expect("two");
    assert_eq!(send(&store, job.id, 1, Some((sheet, 1)), 2).expect("the same two"), first);
    assert!(matches!(send(&store, job.id, 2, Some((sheet, 1)), 1), Err(StoreError::TooFew { free: 0, .. })));
    // And none is taken away under what is to burn it.
    let taken = store.change_stock(sheet, (-1, None, ""), &Taken::default());
    assert!(matches!(taken, Err(StoreError::FewerThere { there: 2, taken: 2, wanted: 1, .. })));
    store.requeue(first, RunState::Withdrawn, "").expect("withdrawn");
    let again = send(&store, job.id, 2, Some((sheet, 1)), 1).expect("one is free again");
    // One that broke off has used its sheet up, unless another goes on with it.
    go(&store, again, &[RunState::Sending, RunState::Ready, RunState::Running, RunState::Fault]);
    assert!(matches!(send(&store, job.id, 3, Some((sheet, 1)), 1), Err(StoreError::TooFew { free: 0, .. })));
    assert!(matches!(send(&store, job.id, 3, Some((99, 1)), 1), Err(StoreError::Missing { .. })));
    // A job that goes leaves nothing on the rack that it used up.
    let last = store.open_runs("lark").expect("runs").last().expect("one").id;
    store.requeue(last, RunState::Withdrawn, "").expect("withdrawn");
    store.answer(again, Answer::Gone, "Bram Teck", Then::Nothing).expect("given up");
    store.delete_job(job.id).expect("deleted");
    assert_eq!(store.stocked(sheet).expect("it").stock.count, 1);
}

proptest! {
    /// Whatever is asked of a run, in whatever order: only what the table allows is done, the rest is refused and changes nothing.
    #[test]
    fn a_run_goes_only_where_it_may(states in prop::collection::vec(0..11_usize, 1..14)) {
        let all: Vec<RunState> = RunState::iter().collect();
        let (_folder, store) = shop();
        let job = store.add_job("Combs", "", None, &Decisions::default()).expect("job");
        let run = new_run(&store, job.id, 1);
        for n in states {
            let (before, to) = (store.run(run).expect("run"), all[n]);
            let done = store.note_run(run, &Heard { state: to, ..Heard::default() });
            let after = store.run(run).expect("run").state;
            if before.state.may_become(to) {
                prop_assert!(done.is_ok() && after == to, "{} to {to}: {done:?}", before.state);
            } else {
                let refused = matches!(done, Err(StoreError::RunMoved { .. }));
                prop_assert!(refused && after == before.state, "{} to {to}: {done:?}", before.state);
            }
        }
    }
}
