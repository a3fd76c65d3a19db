use crate::NewRevision;
use crate::schema::files;
use crate::{Card, Heard, Kind, Setting, Store, StoreError};
use boustrophe_core::decisions::{Decisions, Edit, IntakeEdit, ReleaseEdit};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ledger::Ledger;
use boustrophe_core::run::RunState;
use diesel::prelude::*;
use proptest::prelude::*;

mod damaged;
mod rack;
mod runs;

use runs::{go, new_run};

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
    let edited = Edit::Intake(IntakeEdit::AddDrawing { file: "f".into(), name: "crown-board.dxf".into() })
        .apply(&Decisions::default())
        .expect("edit");
    let second = store.add_revision(job.id, first, NewRevision { label: "Added", person: "Odile", decisions: &edited }).expect("revision");
    let ledger = Ledger { sheets: 2, ..Ledger::default() };
    store.set_ledger(second, &ledger).expect("ledger");
    assert_eq!(store.undo(job.id, second).expect("undo"), Some(first));
    assert_eq!(store.undo(job.id, first).expect("undo"), None, "there is nothing before the first");
    drop(store);

    let store = Store::open(folder.path()).expect("the same shop");
    assert_eq!(store.job(job.id).expect("job").head, Some(first));
    assert_eq!(store.redo(job.id, first).expect("redo"), Some(second));
    let back = store.revision(job.id, second).expect("revision");
    assert_eq!((back.decisions, back.ledger, back.label.as_str()), (edited.clone(), Some(ledger), "Added"));

    // A change after an undo is what redo finds from then on, and the other branch is still there to go to.
    store.undo(job.id, second).expect("undo");
    let third = store.add_revision(job.id, first, NewRevision { label: "Other", person: "Odile", decisions: &edited }).expect("revision");
    assert!(matches!(store.undo(job.id, second), Err(StoreError::Moved { head }) if head == third), "a stale undo takes nothing back");
    store.undo(job.id, third).expect("undo");
    assert!(matches!(store.redo(job.id, third), Err(StoreError::Moved { .. })));
    assert_eq!(store.redo(job.id, first).expect("redo"), Some(third));
    store.go_to(job.id, None, second).expect("go");
    assert_eq!(store.history(job.id).expect("all").len(), 3);
}

#[test]
fn a_change_on_an_old_page_is_refused() {
    let (_folder, store) = shop();
    let job = store.add_job("Hive stands", "", None, &Decisions::default()).expect("job");
    let first = job.head.expect("head");
    let second = store
        .add_revision(job.id, first, NewRevision { label: "One", person: "Odile", decisions: &Decisions::default() })
        .expect("revision");
    match store.add_revision(job.id, first, NewRevision { label: "Two", person: "Odile", decisions: &Decisions::default() }) {
        Err(StoreError::Moved { head }) => assert_eq!(head, second),
        other => panic!("{other:?}"),
    }
    assert!(matches!(store.revision(job.id + 1, first), Err(StoreError::Missing { .. })), "another job's revision is none of this one's");
}

#[test]
fn what_was_under_way_is_known_after_a_crash() {
    let (folder, store) = shop();
    let job = store.add_job("Number plates", "", None, &Decisions::default()).expect("job");
    store.set_search(job.id, job.head.map(|h| (h, BatchId(2)))).expect("search");
    store.set_search(job.id, job.head.map(|h| (h, BatchId(2)))).expect("again");
    let run = new_run(&store, job.id, 1);
    let heard = Heard { state: RunState::Running, seconds: 1.0, line: 12, cuts_done: 3, ..Heard::default() };
    go(&store, run, &[RunState::Sending, RunState::Ready]);
    store.note_run(run, &heard).expect("state");
    drop(store);
    let store = Store::open(folder.path()).expect("the same shop");
    assert_eq!(store.was_searching(job.id).expect("search"), Some(BatchId(2)));
    let open = store.open_runs("lark").expect("runs");
    assert!(open.len() == 1 && open[0].state == RunState::Running && open[0].cuts_done == 3 && open[0].heard_at.is_some());
    // What has ended stays as it ended, whatever is heard later.
    store.note_run(run, &Heard { state: RunState::Stopped, ..heard.clone() }).expect("stopped");
    assert!(matches!(store.note_run(run, &Heard { state: RunState::Done, ..heard }), Err(StoreError::RunMoved { .. })));
    assert_eq!(store.run(run).expect("run").state, RunState::Stopped);
    assert!(store.open_runs("lark").expect("runs").is_empty());
    // The same sheet begun anew: what was burned of it before is known.
    let again = store.run(new_run(&store, job.id, 1)).expect("run");
    assert_eq!(store.broken_off(&again).expect("earlier").map(|r| (r.id, r.cuts_done)), Some((run, 3)));
    let other = store.run(new_run(&store, job.id, 2)).expect("run");
    assert!(store.broken_off(&other).expect("none").is_none());
    store.tick(again.id, "air", "Bram Teck", true).expect("ticked");
    store.tick(again.id, "air", "Odile Farrant", true).expect("ticked again");
    store.tick(again.id, "focus", "Bram Teck", true).expect("ticked");
    store.tick(again.id, "focus", "Bram Teck", false).expect("taken off");
    let ticks = store.ticks(again.id).expect("ticks");
    assert_eq!(ticks.iter().map(|t| (t.item.as_str(), t.person.as_str())).collect::<Vec<_>>(), [("air", "Bram Teck")]);
}

#[test]
fn a_second_server_and_an_older_one_are_refused() {
    let (folder, store) = shop();
    assert!(matches!(Store::open(folder.path()), Err(StoreError::InUse { .. })), "the shop is open already");
    drop(store);
    let store = Store::open(folder.path()).expect("free again");
    diesel::sql_query("INSERT INTO __diesel_schema_migrations (version) VALUES ('99990101000000')")
        .execute(&mut store.connection().expect("open"))
        .expect("a migration of later");
    drop(store);
    let Err(refused) = Store::open(folder.path()) else { panic!("a newer shop is not opened") };
    assert!(refused.to_string().contains("newer Boustrophe"), "{refused}");
    #[cfg(unix)]
    for name in ["shop.sqlite", "shop.lock"] {
        let mode = std::os::unix::fs::PermissionsExt::mode(&std::fs::metadata(folder.path().join(name)).expect("there").permissions());
        assert_eq!(mode & 0o777, 0o600, "{name}");
    }
}

#[test]
fn what_could_not_be_read_again_is_not_stored() {
    let (_folder, store) = shop();
    let job = store.add_job("Boxes", "", None, &Decisions::default()).expect("job");
    let head = job.head.expect("head");
    let mut wrong = Decisions::default();
    wrong.first_mut().stock.thickness = f64::NAN;
    assert!(matches!(
        store.add_revision(job.id, head, NewRevision { label: "NaN", person: "Odile", decisions: &wrong }),
        Err(StoreError::Unkeepable(_))
    ));
    assert!(matches!(store.add_job("Cards", "", None, &wrong), Err(StoreError::Unkeepable(_))));
    assert_eq!(store.job(job.id).expect("job").head, Some(head));
}

#[test]
fn what_a_later_version_decided_survives_an_edit() {
    let (_folder, store) = shop();
    let job = store.add_job("Boxes", "", None, &Decisions::default()).expect("job");
    let head = job.head.expect("head");
    diesel::sql_query("UPDATE revisions SET decisions = '{\"initials\":\"OF\",\"jig\":{\"rows\":3},\"nest\":{\"hold\":[7]}}'")
        .execute(&mut store.connection().expect("open"))
        .expect("written");
    let edited = ReleaseEdit::SetInitials { initials: "BT".into() }
        .on(BatchId::FIRST)
        .apply(&store.revision(job.id, head).expect("read").decisions)
        .expect("edit");
    let next = store.add_revision(job.id, head, NewRevision { label: "Initials", person: "Odile", decisions: &edited }).expect("kept");
    let kept: String = {
        use crate::schema::revisions;
        revisions::table.find(next).select(revisions::decisions).first(&mut store.connection().expect("open")).expect("stored")
    };
    let kept: serde_json::Value = serde_json::from_str(&kept).expect("JSON");
    assert!(
        kept["jig"]["rows"] == 3
            && kept["batches"]["1"]["nest"]["hold"][0] == 7
            && kept["batches"]["1"]["release"]["initials"] == "BT"
            && kept["initials"].is_null(),
        "{kept}"
    );
}

#[test]
fn a_deleted_job_takes_its_files_along_but_nobody_elses() {
    let (_folder, store) = shop();
    let with = |files: &[&str]| {
        files.iter().fold(Decisions::default(), |d, f| {
            Edit::Intake(IntakeEdit::AddDrawing { file: (*f).into(), name: "a.dxf".into() }).apply(&d).expect("edit")
        })
    };
    for f in ["x", "y"] {
        store.add_file(f, "a.dxf", b"bytes").expect("kept");
    }
    let one = store.add_job("One", "", None, &with(&["x", "y"])).expect("job");
    let two = store.add_job("Two", "", None, &with(&["y"])).expect("job");
    let card = Card { job_id: one.id, revision: 1, body: "{}".into(), miniature: "<svg/>".into() };
    store.set_card(&card).expect("card");
    store.archive(two.id, true).expect("put away");
    let floor = store.floor(false).expect("floor");
    assert!(floor.len() == 1 && floor[0].0.id == one.id && floor[0].1 == Some((1, "{}".into())));
    assert_eq!(store.floor(true).expect("archive").len(), 1);
    store.delete_job(one.id).expect("deleted");
    // It has only just come in: somebody may be about to name it. An hour later nobody is.
    assert!(store.file("x").is_ok() && store.file("y").is_ok());
    let aged = diesel::update(files::table).set(files::added_at.eq("2026-01-01T00:00:00Z"));
    aged.execute(&mut store.connection().expect("a connection")).expect("an hour later");
    store.drop_forgotten_files().expect("dropped");
    assert!(store.file("x").is_err() && store.file("y").is_ok());
    assert!(store.job(one.id).is_err() && store.miniature(one.id).expect("asked").is_none());
    store.delete_job(two.id).expect("deleted");
    assert!(store.file("y").is_err());
}

fn thing(kind: Kind, key: &str, position: i32, body: &str) -> Setting {
    Setting { kind, key: key.into(), position, body: body.into(), revision: 1 }
}

#[test]
fn a_kind_of_thing_that_is_not_known_is_told_and_is_no_other() {
    let (_folder, store) = shop();
    store.set_settings(&[Kind::Rule], &[thing(Kind::Rule, "1", 0, "{}")], "a", "").expect("stored");
    assert_eq!(store.settings().expect("known")[0].kind, Kind::Rule);
    let by_hand = diesel::sql_query("UPDATE settings SET kind = 'gadget'").execute(&mut store.connection().expect("a connection"));
    assert_eq!(by_hand, Ok(1));
    let error = store.settings().expect_err("no kind");
    assert!(error.to_string().contains("“gadget” is not known to this version"), "{error}");
}

#[test]
fn the_shops_things_keep_their_history() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(folder.path()).expect("it opens");
    let first = [thing(Kind::Rule, "1", 0, "{\"a\":1}"), thing(Kind::Rule, "2", 1, "{\"a\":2}"), thing(Kind::Machine, "lark", 0, "{}")];
    assert_eq!(store.set_settings(&[Kind::Rule, Kind::Machine], &first, "built in", "as delivered").expect("stored"), 3);
    assert_eq!(store.set_settings(&[Kind::Rule, Kind::Machine], &first, "Odile", "").expect("stored"), 0, "what is the same is no change");
    // One is changed, one goes, one is new; the machine is of another kind and left alone.
    let next = [thing(Kind::Rule, "2", 0, "{\"a\":3}"), thing(Kind::Rule, "3", 1, "{}")];
    assert_eq!(store.set_settings(&[Kind::Rule], &next, "Odile Farrant", "tidied").expect("stored"), 3);
    drop(store);
    let store = Store::open(folder.path()).expect("it opens again");
    let all = store.settings().expect("they are there");
    assert_eq!(
        all.iter().map(|s| (s.kind.word(), s.key.as_str())).collect::<Vec<_>>(),
        [("machine", "lark"), ("rule", "2"), ("rule", "3")]
    );
    let history = store.setting_changes(Kind::Rule, Some("2"), 10).expect("its history");
    assert_eq!(history.len(), 2);
    assert_eq!(
        (history[0].before.as_deref(), history[0].after.as_deref(), history[0].person.as_str()),
        (Some("{\"a\":2}"), Some("{\"a\":3}"), "Odile Farrant")
    );
    assert!(history[1].before.is_none() && history[1].reason == "as delivered");
    let gone = &store.setting_changes(Kind::Rule, Some("1"), 10).expect("its history")[0];
    assert!(gone.after.is_none() && gone.before.is_some(), "what was taken away can be looked up");
    assert_eq!(store.setting_changes(Kind::Rule, None, 2).expect("the last two").len(), 2);
}

#[test]
fn moving_a_thing_is_kept_but_is_no_change_of_it() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(folder.path()).expect("it opens");
    store.set_settings(&[Kind::Rule], &[thing(Kind::Rule, "1", 0, "{}"), thing(Kind::Rule, "2", 1, "{}")], "a", "").expect("stored");
    assert_eq!(
        store.set_settings(&[Kind::Rule], &[thing(Kind::Rule, "2", 0, "{}"), thing(Kind::Rule, "1", 1, "{}")], "a", "").expect("stored"),
        0
    );
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
                    let new = store.add_revision(job, head, NewRevision { label: "Change", person: "Odile", decisions: &Decisions::default() }).expect("a revision");
                    parents.insert(new, Some(head));
                    head = new;
                    undone.clear();
                }
                Step::Undo => {
                    prop_assert_eq!(store.undo(job, head).expect("undo"), parents[&head]);
                    if let Some(parent) = parents[&head] {
                        undone.push(head);
                        head = parent;
                    }
                }
                Step::Redo => {
                    let found = store.redo(job, head).expect("redo");
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
                    store.go_to(job, None, head).expect("there");
                    undone.clear();
                }
            }
            prop_assert_eq!(store.job(job).expect("job").head, Some(head));
        }
        prop_assert_eq!(store.history(job).expect("all").len(), parents.len());
    }
}
