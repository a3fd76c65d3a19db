//! The rack as it is kept: who has what in hand, what a run takes, and what was made for whom.

use super::runs::new_run;
use super::shop;
use crate::{OnRack, Stocked, Store, StoreError, Taken};
use boustrophe_core::clean::ContourId;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::ids::{BatchId, PartId};
use boustrophe_core::nest::{Layout, Sheet};
use proptest::prelude::*;

pub(super) fn plywood(count: u32, offcut: bool) -> OnRack {
    OnRack {
        material: "birch-ply".into(),
        thickness: 3.0,
        sheet: Sheet::rectangle(600.0, 400.0),
        offcut,
        count,
        price: Some(6.2),
        place: "left bay".into(),
        origin: "bought".into(),
    }
}

fn job(store: &Store, name: &str) -> i32 {
    store.add_job(name, "Odile Farrant", None, &Decisions::default()).expect("a job").id
}

#[test]
fn an_offcut_is_in_one_hand_and_gone_when_it_is_cut() {
    let (_folder, store) = shop();
    let offcut = store.add_stock(&plywood(1, true), "Bram Teck").expect("it is put there");
    let (first, second) = (job(&store, "Boxes"), job(&store, "Lids"));
    assert!(store.reserve(first, &[(offcut, 1)]).expect("asked").is_empty());
    assert_eq!(store.reserve(second, &[(offcut, 1)]).expect("asked"), [offcut], "the second is told");
    let here = store.stocked(offcut).expect("it");
    assert_eq!((here.free_for(first), here.free_for(second)), (1, 0));
    assert_eq!(here.reserved, [(first, "Boxes".to_owned(), 1)]);
    // A run takes it once, however often that is said, and leaves what is left.
    let run = new_run(&store, first, 1);
    let rest = OnRack { sheet: Sheet::rectangle(200.0, 400.0), origin: "rest of it".into(), ..plywood(1, true) };
    let taken = Taken { person: "Bram Teck", words: "cut in run 1", run: Some(run), job: Some(first), pieces: 1 };
    let put = store.take_stock(offcut, &taken, std::slice::from_ref(&rest)).expect("taken");
    assert_eq!(put.len(), 1);
    assert!(store.take_stock(offcut, &taken, &[rest]).expect("taken").is_empty());
    assert_eq!((store.stocked(offcut).expect("it").stock.count, store.cut_by(offcut, first).expect("it")), (0, 1));
    let left: Vec<Stocked> = store.stock(Some(("birch-ply", 3.0))).expect("the rack");
    assert_eq!(left.iter().map(|s| (s.id, s.stock.sheet.width)).collect::<Vec<_>>(), [(put[0], 200.0)]);
    assert!(store.stock(Some(("birch-ply", 6.0))).expect("the rack").is_empty());
    let told: Vec<String> = store.stock_events(offcut).expect("its story").into_iter().map(|e| e.words).collect();
    assert_eq!(told, ["cut in run 1", "bought"]);
    // More and fewer add up, whoever says them; what is not there is not taken.
    let sheet = put[0];
    let by = |more: i32| store.change_stock(sheet, (more, Some(8.0), "left bay"), &Taken::default());
    by(3).expect("more");
    by(-2).expect("fewer");
    assert!(matches!(by(-3), Err(StoreError::FewerThere { there: 2, wanted: 3, .. })));
    assert_eq!(store.stocked(sheet).expect("it").stock.count, 2);
    assert!(store.change_stock(999, (1, None, ""), &Taken::default()).is_err() && store.stocked(999).is_err());
}

#[test]
fn what_was_made_for_another_job_is_told_once() {
    let (_folder, store) = shop();
    let (host, guest) = (job(&store, "Floors"), job(&store, "Lids"));
    let (run, part) = (new_run(&store, host, 1), PartId(ContourId(7)));
    for _ in 0..2 {
        store.add_made(run, host, &[(guest, part, 3)]).expect("written");
    }
    let made = store.made_for(guest).expect("read");
    assert_eq!(made.iter().map(|m| (m.part, m.count, m.host.clone())).collect::<Vec<_>>(), [(part, 3, (host, "Floors".to_owned()))]);
    assert!(store.made_for(host).expect("read").is_empty());
}

#[test]
fn what_a_search_found_outlives_the_shop() {
    let (folder, store) = shop();
    let job = store.add_job("Combs", "", None, &Decisions::default()).expect("a job");
    assert_eq!(store.search_best(job.id).expect("read"), None);
    store.set_search(job.id, Some((job.head.expect("a head"), BatchId::FIRST))).expect("begun");
    let best = Layout { unplaced: [(PartId(ContourId(3)), 2)].into(), ..Layout::default() };
    store.set_search_best(job.id, &best).expect("written");
    drop(store);
    let store = Store::open(folder.path()).expect("the same shop");
    assert_eq!(store.search_best(job.id).expect("read"), Some(best));
    store.set_search(job.id, None).expect("ended");
    assert_eq!(store.search_best(job.id).expect("read"), None);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// However jobs reach for sheets, no more are in hand than there are, and nobody has less than was free for it.
    #[test]
    fn no_more_is_in_hand_than_there_is(count in 1..6_u32, asked in prop::collection::vec((0..3_usize, 0..5_u32), 1..12)) {
        let (_folder, store) = shop();
        let sheet = store.add_stock(&plywood(count, false), "Odile").expect("it is put there");
        let jobs = [job(&store, "A"), job(&store, "B"), job(&store, "C")];
        let mut has = [0_u32; 3];
        for (who, n) in asked {
            let free = count - has.iter().enumerate().filter(|(i, _)| *i != who).map(|(_, n)| n).sum::<u32>();
            let short = store.reserve(jobs[who], &[(sheet, n)]).expect("asked");
            has[who] = n.min(free);
            prop_assert_eq!(short.is_empty(), n <= free);
            let here = store.stocked(sheet).expect("it");
            let held: Vec<(i32, u32)> = here.reserved.iter().map(|r| (r.0, r.2)).collect();
            let wanted: Vec<(i32, u32)> = jobs.iter().copied().zip(has).filter(|h| h.1 > 0).collect();
            prop_assert_eq!(held, wanted);
        }
    }
}
