use super::*;
use crate::decisions::clean::Operation;
use crate::decisions::clean::Trace;
use crate::decisions::nest::Layout;
use crate::decisions::nest::Placement;
use crate::decisions::nest::Sheet;
use crate::decisions::nest::SheetLayout;
use crate::decisions::nest::Turn;
use crate::decisions::{AssignEdit, CleanEdit, Edit, HoldEdit, IntakeEdit, NestEdit, OrderEdit, ReleaseEdit, Stock};
use crate::drawing::Unit;
use crate::geometry::Bounds;
use crate::geometry::Point;
use crate::ids::BatchId;
use crate::ids::CopyId;
use crate::ids::EdgePlace;
use crate::picture::Tone;
use proptest::prelude::*;

/// A job with one drawing.
fn job() -> Decisions {
    Edit::Intake(IntakeEdit::AddDrawing { file: "hash".into(), name: "plate.dxf".into() })
        .apply(&Decisions::default())
        .expect("it is added")
}

fn setting() -> JobSetting {
    JobSetting {
        id: 1,
        name: "deep".into(),
        process: Process::Engrave,
        feed: None,
        power: Some(30.0),
        passes: Some(2),
        pitch: None,
        tool: None,
        kerf: None,
    }
}

/// One of every kind that a page or a remedy may send, all of which make sense for [`job`].
fn every() -> Vec<Edit> {
    let row = crate::shop::Shop::builtin().chart[0].clone();
    let numbers = Numbers {
        prefix: "H".into(),
        first: 1,
        process: Process::Score,
        face: crate::lettering::Face::Stroke,
        smallest: 2.0,
        tallest: 6.0,
    };
    let c = ContourId(5);
    vec![
        Edit::Intake(IntakeEdit::ReplaceDrawing {
            drawing: 1,
            file: "other".into(),
            name: "plate-b.dxf".into(),
            carried: Default::default(),
            places: Vec::new(),
            reversed: Default::default(),
            moved: None,
        }),
        Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: Unit::In }),
        Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: 90.0 }),
        Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale: 20.0 }),
        Edit::Intake(IntakeEdit::TurnDrawing { drawing: 1, degrees: -90.0 }),
        Edit::Intake(IntakeEdit::MirrorDrawing { drawing: 1 }),
        Edit::Clean(CleanEdit::SetGap { drawing: 1, gap: 0.3 }),
        Edit::Clean(CleanEdit::SetTrace { drawing: 1, trace: Trace::default() }),
        Edit::Intake(IntakeEdit::SetRegions { drawing: 1, regions: vec![Bounds { min: Point::ZERO, max: Point::new(5.0, 5.0) }] }),
        Edit::Intake(IntakeEdit::SetEngraved { drawing: 1, on: true }),
        Edit::Intake(IntakeEdit::Compared { drawing: 1 }),
        Edit::Clean(CleanEdit::Mend { drawing: 1, mend: Mend::SmoothKinks }),
        Edit::Clean(CleanEdit::Refit { drawing: 1, tolerance: Some(0.02) }),
        Edit::Clean(CleanEdit::Operate { drawing: 1, operation: Operation::Close { contours: vec![c] } }),
        Edit::Assign(AssignEdit::SetKey { key: "layer=A".into(), process: Some(Process::Mark) }),
        Edit::Assign(AssignEdit::SetContours { contours: vec![c], process: None }),
        Edit::Assign(AssignEdit::SetSetting { setting: setting() }),
        Edit::Assign(AssignEdit::ProposeRow { row: Box::new(row) }),
        Edit::Assign(AssignEdit::SetTone { contour: c, tone: Some(Tone::default()) }),
        Edit::Assign(AssignEdit::SetNumbers { numbers: Some(numbers) }),
        HoldEdit::SetSweep { sweep: Sweep { angle: Some(45.0), one_way: true } }.on(BatchId::FIRST),
        Edit::Assign(AssignEdit::SetCard { card: Card::Gauge }),
        Edit::Assign(AssignEdit::SetBatch {
            batch: BatchId::FIRST,
            machine: "anvil".into(),
            material: "mild-steel".into(),
            thickness: 6.0,
        }),
        NestEdit::SetQuantity { part: PartId(c), quantity: 3 }.on(BatchId::FIRST),
        Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 4 }),
        NestEdit::SetSpacing { spacing: Some(3.0) }.on(BatchId::FIRST),
        NestEdit::SetMargin { margin: None }.on(BatchId::FIRST),
        NestEdit::SetTurn { turn: Turn::Half }.on(BatchId::FIRST),
        NestEdit::SetSheets { sheets: vec![Sheet::rectangle(600.0, 400.0)] }.on(BatchId::FIRST),
        NestEdit::KeepLayout { layout: Layout::default() }.on(BatchId::FIRST),
        OrderEdit::SetStart { contour: c, at: Some(EdgePlace::On { segment: 2, share: 0.25 }), copy: None }.on(BatchId::FIRST),
        HoldEdit::SetNicks { on: false }.on(BatchId::FIRST),
        HoldEdit::SetNickWidth { width: Some(0.5) }.on(BatchId::FIRST),
        HoldEdit::SetNickPitch { pitch: Some(80.0) }.on(BatchId::FIRST),
        HoldEdit::SetLeads { on: true }.on(BatchId::FIRST),
        Edit::Accept { code: "kinks".into(), places: [("00000000000000ab".to_owned(), 2)].into() },
        ReleaseEdit::SetInitials { initials: "O F!".into() }.on(BatchId::FIRST),
        Edit::Intake(IntakeEdit::RemoveDrawing { drawing: 1 }),
    ]
}

#[test]
fn every_edit_applies_is_told_and_outlives_being_written_down() {
    for edit in every() {
        let text = serde_json::to_string(&edit).expect("it is written");
        let read: Edit = serde_json::from_str(&text).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert_eq!(read, edit);
        assert!(!edit.label().is_empty() && edit.label().len() < 120, "{}", edit.label());
        let after = edit.apply(&job()).unwrap_or_else(|e| panic!("{text}: {e}"));
        let kept = serde_json::to_string(&after).expect("decisions are written");
        assert_eq!(serde_json::from_str::<Decisions>(&kept).expect("and read"), after, "{text}");
    }
}

#[test]
fn what_makes_no_sense_is_refused_with_what_would() {
    let bad = |edit: Edit| edit.apply(&job()).expect_err("refused").to_string();
    let said = [
        (bad(Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale: 0.0 })), "a scale"),
        (bad(Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: f64::NAN })), "pixels per inch"),
        (bad(Edit::Clean(CleanEdit::SetGap { drawing: 1, gap: -1.0 })), "a gap in mm"),
        (bad(Edit::Intake(IntakeEdit::SetUnit { drawing: 9, unit: Unit::Mm })), "drawing 9"),
        (bad(Edit::Intake(IntakeEdit::SetRegions { drawing: 1, regions: vec![Bounds::EMPTY] })), "two corners"),
        (bad(Edit::Clean(CleanEdit::TakeBack { drawing: 1, at: 3 })), "not there any more"),
        (bad(NestEdit::SetQuantity { part: PartId(ContourId(1)), quantity: MOST_COPIES + 1 }.on(BatchId::FIRST)), "too many"),
        (bad(NestEdit::SetSheets { sheets: vec![Sheet::rectangle(0.0, 100.0)] }.on(BatchId::FIRST)), "cannot be"),
        (
            bad(OrderEdit::SetStart { contour: ContourId(1), at: Some(EdgePlace::Along(1.5)), copy: None }.on(BatchId::FIRST)),
            "a place on a contour",
        ),
        (bad(Edit::Assign(AssignEdit::SetTone { contour: ContourId(1), tone: Some(Tone { gamma: 0.0, ..Tone::default() }) })), "a gamma"),
        (bad(HoldEdit::SetSweep { sweep: Sweep { angle: Some(f64::INFINITY), one_way: false } }.on(BatchId::FIRST)), "an angle of rows"),
        (bad(Edit::Assign(AssignEdit::UseForKey { key: "layer=".into(), setting: Some(4) })), "not there any more"),
        (bad(Edit::Assign(AssignEdit::MoveSetting { id: 4, earlier: 1 })), "not there any more"),
        (bad(Edit::Clean(CleanEdit::Operate { drawing: 1, operation: Operation::Delete { contours: Vec::new() } })), "choose a contour"),
    ];
    for (sentence, part) in said {
        assert!(sentence.contains(part), "{sentence}");
    }
}

#[test]
fn all_or_none_of_several() {
    let edits = vec![HoldEdit::SetNicks { on: false }.on(BatchId::FIRST), Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale: -2.0 })];
    let before = job();
    assert!(Edit::All { edits: edits.clone() }.apply(&before).is_err());
    assert_eq!(before, job(), "nothing is half done");
    assert_eq!(Edit::All { edits }.label(), "Nicks off, and 1 more");
    assert_eq!(Edit::All { edits: Vec::new() }.label(), "Nothing");
}

#[test]
fn settings_are_put_in_order_and_changed_in_place() {
    let mut d = job();
    for (id, name) in [(1, "deep"), (2, "light"), (3, "outline")] {
        d = Edit::Assign(AssignEdit::SetSetting { setting: JobSetting { id, name: name.into(), ..setting() } })
            .apply(&d)
            .expect("it is added");
    }
    let names = |d: &Decisions| d.assign.settings.iter().map(|s| s.name.clone()).collect::<Vec<_>>();
    let moved = Edit::Assign(AssignEdit::MoveSetting { id: 3, earlier: 2 }).apply(&d).expect("it moves");
    assert_eq!(names(&moved), ["outline", "deep", "light"]);
    let down = Edit::Assign(AssignEdit::MoveSetting { id: 3, earlier: -9 }).apply(&moved).expect("it moves");
    assert_eq!(names(&down), ["deep", "light", "outline"]);
    let renamed = Edit::Assign(AssignEdit::SetSetting { setting: JobSetting { id: 2, name: "faint".into(), ..setting() } })
        .apply(&down)
        .expect("it changes");
    assert_eq!(names(&renamed), ["deep", "faint", "outline"]);
}

#[test]
fn a_new_file_keeps_what_was_decided_and_remembers_the_one_before() {
    let mut d = job();
    for edit in [
        Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: Unit::Cm }),
        Edit::Intake(IntakeEdit::ReplaceDrawing {
            drawing: 1,
            file: "b".into(),
            name: "plate-b.dxf".into(),
            carried: Default::default(),
            places: Vec::new(),
            reversed: Default::default(),
            moved: None,
        }),
    ] {
        d = edit.apply(&d).expect("it applies");
    }
    let drawing = d.drawing(1).expect("it is there");
    assert_eq!((drawing.unit, drawing.file.as_str()), (Some(Unit::Cm), "b"));
    assert_eq!(drawing.before, Some(("hash".into(), "plate.dxf".into())));
    let looked = Edit::Intake(IntakeEdit::Compared { drawing: 1 }).apply(&d).expect("looked through");
    assert!(looked.drawing(1).is_some_and(|d| d.before.is_none()));
    // Numbers of drawings are not used again.
    let gone = Edit::Intake(IntakeEdit::RemoveDrawing { drawing: 1 }).apply(&looked).expect("it goes");
    assert!(gone.drawings.is_empty());
    let two = Edit::Intake(IntakeEdit::AddDrawing { file: "c".into(), name: "c.dxf".into() }).apply(&looked).expect("a second");
    assert_eq!(two.drawings.iter().map(|d| d.id).collect::<Vec<_>>(), [1, 2]);
}

proptest! {
    /// In whatever order edits come, what is refused changes nothing and what is done can be written down and read.
    #[test]
    fn any_row_of_edits_keeps_the_decisions_whole(which in prop::collection::vec(any::<prop::sample::Index>(), 0..20)) {
        let all = every();
        let mut d = job();
        for i in which {
            let before = d.clone();
            match i.get(&all).apply(&d) {
                Ok(after) => d = after,
                Err(sentence) => {
                    prop_assert!(!sentence.to_string().is_empty());
                    prop_assert_eq!(&d, &before);
                }
            }
        }
        let kept = serde_json::to_string(&d).expect("written");
        prop_assert_eq!(serde_json::from_str::<Decisions>(&kept).expect("read"), d);
    }

    /// A place is read as it was written, to the last bit: else the program after a restart is another than the one that was looked at.
    #[test]
    fn places_are_read_as_they_were_written(place in -3000.0..3000.0_f64) {
        let kept = serde_json::to_string(&place).expect("written");
        prop_assert_eq!(serde_json::from_str::<f64>(&kept).expect("read").to_bits(), place.to_bits(), "{}", kept);
    }

    /// Turns add up and stay within a full one.
    #[test]
    fn turns_add_up(turns in prop::collection::vec(-360.0..360.0_f64, 0..8)) {
        let mut d = job();
        for degrees in &turns {
            d = Edit::Intake(IntakeEdit::TurnDrawing { drawing: 1, degrees: *degrees }).apply(&d).expect("it turns");
        }
        let angle = d.drawings[0].angle;
        prop_assert!((0.0..360.0 + 1e-9).contains(&angle));
        let off = (angle - turns.iter().sum::<f64>()).rem_euclid(360.0);
        prop_assert!(off.min(360.0 - off) < 1e-6);
    }
}

#[test]
fn what_was_written_before_is_still_read() {
    // Decisions of an earlier version lack what came since.
    let old = r#"{"drawings":[{"id":1,"file":"h","name":"a.dxf","unit":"in","ppi":null,"scale":1.0,"angle":0.0,"mirrored":false,"gap":null,"quantity":2}],"keys":{"layer=A":"cut"},"batch":{"machine":"lark","material":"card","thickness":1.5},"hold":{"nicks":true},"starts":{"00000000000000ff":0.25},"initials":"OF","parts":{"00000000000000ff":{"quantity":3},"00000000000000aa":{"quantity":null}},"nest":{"spacing":2.0,"layout":{"sheets":[{"sheet":{"width":600,"height":400,"count":1},"placed":[{"part":"00000000000000ff","x":1,"y":2,"angle":0,"mirrored":false},{"part":"00000000000000ff","x":9,"y":2,"angle":90,"mirrored":false}]}],"unplaced":{}}}}"#;
    let d: Decisions = serde_json::from_str(old).expect("it is read");
    assert_eq!(d.first().stock, Stock { machine: "lark".into(), material: "card".into(), thickness: 1.5 });
    assert!(
        !d.drawings[0].engraved && d.assign.settings.is_empty() && d.assign.numbers.is_none() && d.first().hold.sweep == Sweep::default()
    );
    let (first, part) = (d.first(), PartId(ContourId(255)));
    assert_eq!((d.assign.keys.len(), first.nest.spacing, first.hold.nicks), (1, Some(2.0), Some(true)));
    assert_eq!(first.order.starts.get(&ContourId(255)), Some(&EdgePlace::Along(0.25)));
    assert_eq!((first.release.initials.as_str(), d.parts[&part].quantity.get(&BatchId::FIRST)), ("OF", Some(&3)));
    let copies: Vec<CopyId> = first.nest.layout.iter().flat_map(Layout::copies).map(|p| p.copy).collect();
    assert_eq!(copies, [CopyId { part, number: 1 }, CopyId { part, number: 2 }]);
    // What is written now is read as it is.
    let now = serde_json::to_value(&d).expect("written");
    assert_eq!(modern(now.clone()), now);
}

#[test]
fn parts_go_from_batch_to_batch_and_come_back_when_it_is_given_up() {
    let part = PartId(ContourId(7));
    let steel = Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 };
    let d = Edit::Assign(AssignEdit::AddBatch { stock: steel.clone() }).apply(&job()).expect("another batch");
    let second = BatchId(2);
    assert_eq!(d.batch(second).stock, steel);
    let d = NestEdit::SetQuantity { part, quantity: 5 }.on(BatchId::FIRST).apply(&d).expect("five");
    let d = Edit::Assign(AssignEdit::MoveParts { parts: vec![part], to: second }).apply(&d).expect("moved");
    assert_eq!((d.parts[&part].batch, d.parts[&part].quantity.get(&second)), (Some(second), Some(&5)));
    let d = Edit::Intake(IntakeEdit::SetDrawingBatch { drawing: 1, to: second }).apply(&d).expect("the drawing too");
    // A change on a batch is on that batch alone.
    let d = NestEdit::SetSpacing { spacing: Some(9.0) }.on(second).apply(&d).expect("spaced");
    assert_eq!((d.first().nest.spacing, d.batch(second).nest.spacing), (None, Some(9.0)));
    let written = serde_json::to_string(&NestEdit::SetMargin { margin: None }.on(second)).expect("written");
    assert_eq!(written, r#"{"batch":2,"do":"set-margin","margin":null}"#);
    let d = Edit::Assign(AssignEdit::DropBatch { batch: second }).apply(&d).expect("given up");
    assert_eq!(
        (d.drawings[0].batch, d.parts[&part].batch, d.parts[&part].quantity.get(&BatchId::FIRST)),
        (BatchId::FIRST, Some(BatchId::FIRST), Some(&5))
    );
    assert!(Edit::Assign(AssignEdit::DropBatch { batch: BatchId::FIRST }).apply(&d).is_err(), "the first stays");
    assert!(NestEdit::Nest.on(second).apply(&d).is_err(), "it is gone");
}

#[test]
fn a_copy_that_is_laid_elsewhere_keeps_its_name_and_the_others_their_places() {
    let copy = |n| CopyId { part: PartId(ContourId(7)), number: n };
    let at = |n, x| Placement { copy: copy(n), x, y: 0.0, angle: 0.0, mirrored: false };
    let sheet = |placed| SheetLayout { sheet: Sheet::rectangle(100.0, 100.0), placed };
    let layout = Layout { sheets: vec![sheet(vec![at(1, 0.0), at(2, 10.0)]), sheet(vec![at(3, 0.0)])], ..Layout::default() };
    let d = NestEdit::KeepLayout { layout }.on(BatchId::FIRST).apply(&job()).expect("kept");
    let d = NestEdit::LayCopies { to: vec![(at(1, 44.0), 1)] }.on(BatchId::FIRST).apply(&d).expect("moved");
    let placed: Vec<Vec<u32>> =
        d.first().nest.layout.iter().flat_map(|l| &l.sheets).map(|s| s.placed.iter().map(|p| p.copy.number).collect()).collect();
    assert_eq!(placed, [vec![2], vec![3, 1]]);
    // One that is not there yet is added; a sheet that is not there is refused.
    let more = NestEdit::LayCopies { to: vec![(at(9, 44.0), 0)] }.on(BatchId::FIRST).apply(&d).expect("added");
    assert_eq!(more.first().nest.layout.as_ref().map(|l| l.copies().count()), Some(4));
    let none = NestEdit::LayCopies { to: vec![(at(1, 44.0), 7)] }.on(BatchId::FIRST).apply(&d);
    assert!(none.is_err_and(|e| e.to_string().contains("load the page again")));
}

#[test]
fn a_nest_set_aside_comes_back_and_copies_are_lifted_held_and_let_go() {
    let copy = |n| CopyId { part: PartId(ContourId(7)), number: n };
    let layout = |n: u32| Layout {
        sheets: vec![SheetLayout {
            sheet: Sheet::rectangle(100.0, 100.0),
            placed: (1..=n).map(|i| Placement { copy: copy(i), x: f64::from(i), y: 0.0, angle: 0.0, mirrored: false }).collect(),
        }],
        ..Layout::default()
    };
    let does = |d: &Decisions, edit: NestEdit| edit.on(BatchId::FIRST).apply(d).expect("it applies");
    let count = |d: &Decisions| d.first().nest.layout.as_ref().map_or(0, |l| l.copies().count());
    let d = does(&job(), NestEdit::KeepLayout { layout: layout(3) });
    let d = does(&d, NestEdit::HoldCopies { copies: vec![copy(1), copy(2)], on: true });
    let d = does(&d, NestEdit::LiftCopies { copies: vec![copy(2)] });
    assert_eq!((count(&d), d.first().nest.held.len()), (2, 1), "what is lifted off is not held");
    assert_eq!(d.first().nest.layout.as_ref().and_then(|l| l.unplaced.values().next()), Some(&1), "it waits for a place");
    assert!(NestEdit::LiftCopies { copies: vec![copy(9)] }.on(BatchId::FIRST).apply(&d).is_err());
    let d = does(&d, NestEdit::SetAside);
    let d = does(&d, NestEdit::KeepLayout { layout: layout(5) });
    let back = does(&d, NestEdit::SwapAside);
    assert_eq!((count(&d), count(&back), count(&does(&back, NestEdit::SwapAside))), (5, 2, 5));
    assert_eq!(does(&back, NestEdit::DropAside).first().nest.aside, None);
    let d = does(&d, NestEdit::HoldCopies { copies: vec![copy(1)], on: false });
    assert!(d.first().nest.held.is_empty());
}

#[test]
fn what_lies_with_another_job_is_not_wanted_here() {
    let part = PartId(ContourId(7));
    let place = |count| Elsewhere { job: 4, name: "Floors".into(), count };
    let d = NestEdit::SetQuantity { part, quantity: 5 }.on(BatchId::FIRST).apply(&job()).expect("five");
    let d = NestEdit::LieElsewhere { part, place: place(3) }.on(BatchId::FIRST).apply(&d).expect("three there");
    let wanted = crate::assign::Wanted::of(&d);
    assert_eq!(wanted.copies(1, part).get(&BatchId::FIRST), Some(&2));
    let more = NestEdit::LieElsewhere { part, place: place(9) }.on(BatchId::FIRST).apply(&d).expect("nine there");
    assert_eq!(crate::assign::Wanted::of(&more).copies(1, part).get(&BatchId::FIRST), Some(&0), "never fewer than none");
    let back = NestEdit::LieElsewhere { part, place: place(0) }.on(BatchId::FIRST).apply(&more).expect("none there");
    assert_eq!(crate::assign::Wanted::of(&back).copies(1, part).get(&BatchId::FIRST), Some(&5));
    let guest = Guest { job: 2, name: "Lids".into(), part };
    let d = Edit::Intake(IntakeEdit::SetGuest { drawing: 1, guest: Some(guest.clone()) }).apply(&back).expect("a guest");
    let read: Decisions = serde_json::from_str(&serde_json::to_string(&d).expect("written")).expect("read");
    assert_eq!(read.drawings[0].guest, Some(guest));
}
