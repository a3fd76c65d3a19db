use crate::{NewRun, Setting, Store, StoreError};
use boustrophe_core::decisions::Decisions;
use boustrophe_core::edit::Edit;
use boustrophe_core::ledger::Ledger;
use proptest::prelude::*;

fn shop() -> (tempfile::TempDir, Store) {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(folder.path()).expect("a shop");
    (folder, store)
}

#[test]
fn undo_and_redo_survive_a_restart() {
    let (folder, store) = shop();
    let job = store.add_job("Spring nucleus boxes", "Odile Farrant", Some("2026-12-01"), &Decisions::default()).expect("job");
    let first = job.head.expect("head");
    let edited = Edit::AddDrawing { file: "f".into(), name: "crown-board.dxf".into() }.apply(&Decisions::default()).expect("edit");
    let second = store.add_revision(job.id, first, "Added", &edited).expect("revision");
    let ledger = Ledger { sheets: 2, ..Ledger::default() };
    store.set_ledger(second, &ledger).expect("ledger");
    assert_eq!(store.undo(job.id).expect("undo"), Some(first));
    assert_eq!(store.undo(job.id).expect("undo"), None, "there is nothing before the first");
    drop(store);

    let store = Store::open(folder.path()).expect("the same shop");
    assert_eq!(store.job(job.id).expect("job").head, Some(first));
    assert_eq!(store.redo(job.id).expect("redo"), Some(second));
    let back = store.revision(job.id, second).expect("revision");
    assert_eq!((back.decisions, back.ledger, back.label.as_str()), (edited.clone(), Some(ledger), "Added"));

    // A change after an undo is what redo finds from then on, and the other branch is still there to go to.
    store.undo(job.id).expect("undo");
    let third = store.add_revision(job.id, first, "Other", &edited).expect("revision");
    store.undo(job.id).expect("undo");
    assert_eq!(store.redo(job.id).expect("redo"), Some(third));
    store.go_to(job.id, second).expect("go");
    assert_eq!(store.revisions(job.id).expect("all").len(), 3);
}

#[test]
fn a_change_on_an_old_page_is_refused() {
    let (_folder, store) = shop();
    let job = store.add_job("Hive stands", "", None, &Decisions::default()).expect("job");
    let first = job.head.expect("head");
    let second = store.add_revision(job.id, first, "One", &Decisions::default()).expect("revision");
    match store.add_revision(job.id, first, "Two", &Decisions::default()) {
        Err(StoreError::Moved { head }) => assert_eq!(head, second),
        other => panic!("{other:?}"),
    }
    assert!(matches!(store.revision(job.id + 1, first), Err(StoreError::Missing { .. })), "another job's revision is none of this one's");
}

#[test]
fn what_was_under_way_is_known_after_a_crash() {
    let (folder, store) = shop();
    let job = store.add_job("Number plates", "", None, &Decisions::default()).expect("job");
    store.set_search(job.id, job.head).expect("search");
    store.set_search(job.id, job.head).expect("again");
    let run = store
        .add_run(&NewRun { job: job.id, revision: 1, sheet: 1, machine: "lark", file_name: "a.nc", program: "M2", total: 5.0 })
        .expect("run");
    store.set_run(run, "running", "", 1.0, false).expect("state");
    drop(store);
    let store = Store::open(folder.path()).expect("the same shop");
    assert!(store.was_searching(job.id).expect("search"));
    assert_eq!(store.close_lost_runs().expect("runs"), 1);
    let lost = store.run(run).expect("run");
    assert!(lost.state == "lost" && lost.ended_at.is_some() && lost.program == "M2");
    assert_eq!(store.close_lost_runs().expect("runs"), 0);
}

fn thing(kind: &str, key: &str, position: i32, body: &str) -> Setting {
    Setting { kind: kind.into(), key: key.into(), position, body: body.into() }
}

#[test]
fn the_shops_things_keep_their_history() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(folder.path()).expect("it opens");
    let first = [thing("rule", "1", 0, "{\"a\":1}"), thing("rule", "2", 1, "{\"a\":2}"), thing("machine", "lark", 0, "{}")];
    assert_eq!(store.set_settings(&["rule", "machine"], &first, "built in", "as delivered").expect("stored"), 3);
    assert_eq!(store.set_settings(&["rule", "machine"], &first, "Odile", "").expect("stored"), 0, "what is the same is no change");
    // One is changed, one goes, one is new; the machine is of another kind and left alone.
    let next = [thing("rule", "2", 0, "{\"a\":3}"), thing("rule", "3", 1, "{}")];
    assert_eq!(store.set_settings(&["rule"], &next, "Odile Farrant", "tidied").expect("stored"), 3);
    drop(store);
    let store = Store::open(folder.path()).expect("it opens again");
    let all = store.settings().expect("they are there");
    assert_eq!(
        all.iter().map(|s| (s.kind.as_str(), s.key.as_str())).collect::<Vec<_>>(),
        [("machine", "lark"), ("rule", "2"), ("rule", "3")]
    );
    let history = store.setting_changes("rule", Some("2"), 10).expect("its history");
    assert_eq!(history.len(), 2);
    assert_eq!(
        (history[0].before.as_deref(), history[0].after.as_deref(), history[0].person.as_str()),
        (Some("{\"a\":2}"), Some("{\"a\":3}"), "Odile Farrant")
    );
    assert!(history[1].before.is_none() && history[1].reason == "as delivered");
    let gone = &store.setting_changes("rule", Some("1"), 10).expect("its history")[0];
    assert!(gone.after.is_none() && gone.before.is_some(), "what was taken away can be looked up");
    assert_eq!(store.setting_changes("rule", None, 2).expect("the last two").len(), 2);
}

#[test]
fn moving_a_thing_is_kept_but_is_no_change_of_it() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(folder.path()).expect("it opens");
    store.set_settings(&["rule"], &[thing("rule", "1", 0, "{}"), thing("rule", "2", 1, "{}")], "a", "").expect("stored");
    assert_eq!(store.set_settings(&["rule"], &[thing("rule", "2", 0, "{}"), thing("rule", "1", 1, "{}")], "a", "").expect("stored"), 0);
    assert_eq!(store.settings().expect("they are there").iter().map(|s| s.key.as_str()).collect::<Vec<_>>(), ["2", "1"]);
}

/// What somebody does with a job's revisions.
#[derive(Clone, Debug)]
enum Step {
    Change,
    Undo,
    Redo,
    GoTo(prop::sample::Index),
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![3 => Just(Step::Change), 4 => Just(Step::Undo), 4 => Just(Step::Redo), 1 => any::<prop::sample::Index>().prop_map(Step::GoTo)]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Undo goes to what a change was made on, redo to where undo came from, through any changes and leaps; nothing is lost.
    #[test]
    fn redo_takes_back_what_undo_did(steps in prop::collection::vec(step(), 1..40)) {
        let (_folder, store) = shop();
        let job = store.add_job("Hive stands", "", None, &Decisions::default()).expect("job").id;
        let mut head = store.job(job).expect("job").head.expect("head");
        let mut parents = std::collections::BTreeMap::from([(head, None)]);
        let mut undone: Vec<i32> = Vec::new();
        for step in steps {
            match step {
                Step::Change => {
                    let new = store.add_revision(job, head, "Change", &Decisions::default()).expect("a revision");
                    parents.insert(new, Some(head));
                    head = new;
                    undone.clear();
                }
                Step::Undo => {
                    prop_assert_eq!(store.undo(job).expect("undo"), parents[&head]);
                    if let Some(parent) = parents[&head] {
                        undone.push(head);
                        head = parent;
                    }
                }
                Step::Redo => {
                    let found = store.redo(job).expect("redo");
                    if let Some(last) = undone.pop() {
                        prop_assert_eq!(found, Some(last));
                    }
                    let children = parents.values().filter(|p| **p == Some(head)).count();
                    prop_assert_eq!(found.is_some(), children > 0);
                    prop_assert!(found.is_none_or(|f| parents[&f] == Some(head)));
                    head = found.unwrap_or(head);
                }
                Step::GoTo(which) => {
                    head = *which.get(&parents.keys().copied().collect::<Vec<_>>());
                    store.go_to(job, head).expect("there");
                    undone.clear();
                }
            }
            prop_assert_eq!(store.job(job).expect("job").head, Some(head));
        }
        prop_assert_eq!(store.revisions(job).expect("all").len(), parents.len());
    }
}
