use super::*;
use crate::decisions::Batch;
use crate::geometry::Point;
use proptest::prelude::*;

/// A job with one drawing.
fn job() -> Decisions {
    Edit::AddDrawing { file: "hash".into(), name: "plate.dxf".into() }.apply(&Decisions::default()).expect("it is added")
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
        Edit::ReplaceDrawing { drawing: 1, file: "other".into(), name: "plate-b.dxf".into(), carried: Default::default(), moved: None },
        Edit::SetUnit { drawing: 1, unit: Unit::In },
        Edit::SetPpi { drawing: 1, ppi: 90.0 },
        Edit::SetScale { drawing: 1, scale: 20.0 },
        Edit::TurnDrawing { drawing: 1, degrees: -90.0 },
        Edit::MirrorDrawing { drawing: 1 },
        Edit::SetGap { drawing: 1, gap: 0.3 },
        Edit::SetTrace { drawing: 1, trace: Trace::default() },
        Edit::SetRegions { drawing: 1, regions: vec![Bounds { min: Point::ZERO, max: Point::new(5.0, 5.0) }] },
        Edit::SetEngraved { drawing: 1, on: true },
        Edit::Compared { drawing: 1 },
        Edit::Mend { drawing: 1, mend: Mend::SmoothKinks },
        Edit::Refit { drawing: 1, tolerance: Some(0.02) },
        Edit::Operate { drawing: 1, operation: Operation::Close { contours: vec![c] } },
        Edit::SetKey { key: "layer=A".into(), process: Some(Process::Mark) },
        Edit::SetContours { contours: vec![c], process: None },
        Edit::SetSetting { setting: setting() },
        Edit::ProposeRow { row: Box::new(row) },
        Edit::SetTone { contour: c, tone: Some(Tone::default()) },
        Edit::SetNumbers { numbers: Some(numbers) },
        Edit::SetSweep { sweep: Sweep { angle: Some(45.0), one_way: true } },
        Edit::SetCard { card: Card::Gauge },
        Edit::SetBatch { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 },
        Edit::SetQuantity { part: c, quantity: 3 },
        Edit::SetDrawingQuantity { drawing: 1, quantity: 4 },
        Edit::SetSpacing { spacing: Some(3.0) },
        Edit::SetMargin { margin: None },
        Edit::SetTurn { turn: Turn::Half },
        Edit::SetSheets { sheets: vec![Sheet::rectangle(600.0, 400.0)] },
        Edit::KeepLayout { layout: Layout::default() },
        Edit::SetStart { contour: c, share: 0.25 },
        Edit::SetNicks { on: false },
        Edit::SetNickWidth { width: Some(0.5) },
        Edit::SetNickPitch { pitch: Some(80.0) },
        Edit::SetLeads { on: true },
        Edit::Accept { code: "kinks".into(), places: [("00000000000000ab".to_owned(), 2)].into() },
        Edit::SetInitials { initials: "O F!".into() },
        Edit::RemoveDrawing { drawing: 1 },
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
    let bad = |edit: Edit| edit.apply(&job()).expect_err("refused");
    let said = [
        (bad(Edit::SetScale { drawing: 1, scale: 0.0 }), "a scale"),
        (bad(Edit::SetPpi { drawing: 1, ppi: f64::NAN }), "pixels per inch"),
        (bad(Edit::SetGap { drawing: 1, gap: -1.0 }), "a gap in mm"),
        (bad(Edit::SetUnit { drawing: 9, unit: Unit::Mm }), "no drawing 9"),
        (bad(Edit::SetRegions { drawing: 1, regions: vec![Bounds::EMPTY] }), "two corners"),
        (bad(Edit::TakeBack { drawing: 1, at: 3 }), "not there any more"),
        (bad(Edit::SetQuantity { part: ContourId(1), quantity: MOST_COPIES + 1 }), "too many"),
        (bad(Edit::SetSheets { sheets: vec![Sheet::rectangle(0.0, 100.0)] }), "cannot be"),
        (bad(Edit::SetStart { contour: ContourId(1), share: 1.5 }), "a place on the contour"),
        (bad(Edit::SetTone { contour: ContourId(1), tone: Some(Tone { gamma: 0.0, ..Tone::default() }) }), "a gamma"),
        (bad(Edit::SetSweep { sweep: Sweep { angle: Some(f64::INFINITY), one_way: false } }), "an angle of rows"),
        (bad(Edit::UseForKey { key: "layer=".into(), setting: Some(4) }), "not there any more"),
        (bad(Edit::MoveSetting { id: 4, earlier: 1 }), "not there any more"),
        (bad(Edit::Operate { drawing: 1, operation: Operation::Delete { contours: Vec::new() } }), "choose a contour"),
    ];
    for (sentence, part) in said {
        assert!(sentence.contains(part), "{sentence}");
    }
}

#[test]
fn all_or_none_of_several() {
    let edits = vec![Edit::SetNicks { on: false }, Edit::SetScale { drawing: 1, scale: -2.0 }];
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
        d = Edit::SetSetting { setting: JobSetting { id, name: name.into(), ..setting() } }.apply(&d).expect("it is added");
    }
    let names = |d: &Decisions| d.settings.iter().map(|s| s.name.clone()).collect::<Vec<_>>();
    let moved = Edit::MoveSetting { id: 3, earlier: 2 }.apply(&d).expect("it moves");
    assert_eq!(names(&moved), ["outline", "deep", "light"]);
    let down = Edit::MoveSetting { id: 3, earlier: -9 }.apply(&moved).expect("it moves");
    assert_eq!(names(&down), ["deep", "light", "outline"]);
    let renamed = Edit::SetSetting { setting: JobSetting { id: 2, name: "faint".into(), ..setting() } }.apply(&down).expect("it changes");
    assert_eq!(names(&renamed), ["deep", "faint", "outline"]);
}

#[test]
fn a_new_file_keeps_what_was_decided_and_remembers_the_one_before() {
    let mut d = job();
    for edit in [
        Edit::SetUnit { drawing: 1, unit: Unit::Cm },
        Edit::ReplaceDrawing { drawing: 1, file: "b".into(), name: "plate-b.dxf".into(), carried: Default::default(), moved: None },
    ] {
        d = edit.apply(&d).expect("it applies");
    }
    let drawing = d.drawing(1).expect("it is there");
    assert_eq!((drawing.unit, drawing.file.as_str()), (Some(Unit::Cm), "b"));
    assert_eq!(drawing.before, Some(("hash".into(), "plate.dxf".into())));
    let looked = Edit::Compared { drawing: 1 }.apply(&d).expect("looked through");
    assert!(looked.drawing(1).is_some_and(|d| d.before.is_none()));
    // Numbers of drawings are not used again.
    let gone = Edit::RemoveDrawing { drawing: 1 }.apply(&looked).expect("it goes");
    assert!(gone.drawings.is_empty());
    let two = Edit::AddDrawing { file: "c".into(), name: "c.dxf".into() }.apply(&looked).expect("a second");
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
                    prop_assert!(!sentence.is_empty());
                    prop_assert_eq!(&d, &before);
                }
            }
        }
        let kept = serde_json::to_string(&d).expect("written");
        prop_assert_eq!(serde_json::from_str::<Decisions>(&kept).expect("read"), d);
    }

    /// Turns add up and stay within a full one.
    #[test]
    fn turns_add_up(turns in prop::collection::vec(-360.0..360.0_f64, 0..8)) {
        let mut d = job();
        for degrees in &turns {
            d = Edit::TurnDrawing { drawing: 1, degrees: *degrees }.apply(&d).expect("it turns");
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
    let old = r#"{"drawings":[{"id":1,"file":"h","name":"a.dxf","unit":"in","ppi":null,"scale":1.0,"angle":0.0,"mirrored":false,"gap":null,"quantity":2}],"keys":{"layer=A":"cut"},"batch":{"machine":"lark","material":"card","thickness":1.5},"hold":{"nicks":true}}"#;
    let d: Decisions = serde_json::from_str(old).expect("it is read");
    assert_eq!(d.batch, Batch { machine: "lark".into(), material: "card".into(), thickness: 1.5 });
    assert!(!d.drawings[0].engraved && d.settings.is_empty() && d.numbers.is_none() && d.hold.sweep == Sweep::default());
}
