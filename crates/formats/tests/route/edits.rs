//! Every change that there is, drawn by a number: one that is added here fails to compile until it is drawn too.

use crate::job::Job;
use crate::steel;
use boustrophe_core::decisions::clean::{Operation, Trace};
use boustrophe_core::decisions::table::TableEdit;
use boustrophe_core::decisions::{
    AssignEdit, Card, CleanEdit, CornerRule, Edit, Guest, HoldEdit, IntakeEdit, JobSetting, LeadRule, LeadShape, LineSide, Mend,
    MovedPlace, NestEdit, NickWhich, OrderEdit, PiercePlace, Process, ReleaseEdit, SolidChoices, Strategy, Sweep, Tray, View, Way, Zero,
};
use boustrophe_core::geometry::{Bounds, Corners, Path, Point};
use boustrophe_core::ids::{BatchId, EdgePlace};
use boustrophe_core::nest::{Aim, Grain, PartNest, Placement, Sheet, Turn};
use boustrophe_core::picture::Tone;
use serde_json::json;

/// Kinds of changes.
pub const KINDS: usize = 93;

/// The number of a change's kind.
pub fn kind(edit: &Edit) -> usize {
    match edit {
        Edit::All { .. } => 0,
        Edit::Accept { .. } => 1,
        Edit::Intake(e) => match e {
            IntakeEdit::AddDrawing { .. } => 2,
            IntakeEdit::ReplaceDrawing { .. } => 3,
            IntakeEdit::RemoveDrawing { .. } => 4,
            IntakeEdit::SetUnit { .. } => 5,
            IntakeEdit::SetPpi { .. } => 6,
            IntakeEdit::SetScale { .. } => 7,
            IntakeEdit::TurnDrawing { .. } => 8,
            IntakeEdit::MirrorDrawing { .. } => 9,
            IntakeEdit::SetRegions { .. } => 10,
            IntakeEdit::SetView { .. } => 11,
            IntakeEdit::DropRegion { .. } => 12,
            IntakeEdit::Compared { .. } => 13,
            IntakeEdit::SetEngraved { .. } => 14,
            IntakeEdit::SetDrawingQuantity { .. } => 15,
            IntakeEdit::SetGuest { .. } => 16,
            IntakeEdit::SetDrawingBatch { .. } => 17,
            IntakeEdit::Table { .. } => 18,
            IntakeEdit::SetSolid { .. } => 19,
            IntakeEdit::Apart { .. } => 91,
        },
        Edit::Clean(e) => match e {
            CleanEdit::SetGap { .. } => 20,
            CleanEdit::SetTrace { .. } => 21,
            CleanEdit::Mend { .. } => 22,
            CleanEdit::Refit { .. } => 23,
            CleanEdit::Operate { .. } => 24,
            CleanEdit::TakeBack { .. } => 25,
        },
        Edit::Assign(e) => match e {
            AssignEdit::SetKey { .. } => 26,
            AssignEdit::SetContours { .. } => 27,
            AssignEdit::SetSetting { .. } => 28,
            AssignEdit::DropSetting { .. } => 29,
            AssignEdit::MoveSetting { .. } => 30,
            AssignEdit::UseForKey { .. } => 31,
            AssignEdit::UseForContours { .. } => 32,
            AssignEdit::ProposeRow { .. } => 33,
            AssignEdit::SetTone { .. } => 34,
            AssignEdit::SetNumbers { .. } => 35,
            AssignEdit::SetCard { .. } => 36,
            AssignEdit::SetBatch { .. } => 37,
            AssignEdit::AddBatch { .. } => 38,
            AssignEdit::DropBatch { .. } => 39,
            AssignEdit::MoveParts { .. } => 40,
        },
        Edit::Nest(on) => match &on.edit {
            NestEdit::SetQuantity { .. } => 41,
            NestEdit::LieElsewhere { .. } => 42,
            NestEdit::SetSpacing { .. } => 43,
            NestEdit::SetMargin { .. } => 44,
            NestEdit::SetTurn { .. } => 45,
            NestEdit::SetMirror { .. } => 46,
            NestEdit::SetGrain { .. } => 47,
            NestEdit::SetCommonEdges { .. } => 48,
            NestEdit::SetAim { .. } => 49,
            NestEdit::SetPart { .. } => 50,
            NestEdit::SetClamps { .. } => 51,
            NestEdit::SetSheets { .. } => 52,
            NestEdit::SetTray { .. } => 53,
            NestEdit::KeepLayout { .. } => 54,
            NestEdit::LayCopies { .. } => 55,
            NestEdit::LiftCopies { .. } => 56,
            NestEdit::SetAside => 57,
            NestEdit::SwapAside => 58,
            NestEdit::DropAside => 59,
            NestEdit::HoldCopies { .. } => 60,
            NestEdit::Nest => 61,
            NestEdit::AddSheet { .. } => 92,
        },
        Edit::Order(on) => match &on.edit {
            OrderEdit::SetStart { .. } => 62,
            OrderEdit::SetStrategy { .. } => 63,
            OrderEdit::SetPlace { .. } => 64,
            OrderEdit::SetSequence { .. } => 65,
            OrderEdit::SetWay { .. } => 66,
            OrderEdit::FreeAll => 67,
        },
        Edit::Hold(on) => match &on.edit {
            HoldEdit::SetNicks { .. } => 68,
            HoldEdit::SetNickWidth { .. } => 69,
            HoldEdit::SetNickPitch { .. } => 70,
            HoldEdit::SetNickCount { .. } => 71,
            HoldEdit::SetNickWhich { .. } => 72,
            HoldEdit::SetNickPlaces { .. } => 73,
            HoldEdit::SetCommonNicks { .. } => 74,
            HoldEdit::SetCorners { .. } => 75,
            HoldEdit::SetSide { .. } => 76,
            HoldEdit::SetLeads { .. } => 77,
            HoldEdit::SetLead { .. } => 78,
            HoldEdit::SetLeadLength { .. } => 79,
            HoldEdit::SetOverlap { .. } => 80,
            HoldEdit::SetChain { .. } => 81,
            HoldEdit::SetCornerReach { .. } => 82,
            HoldEdit::SetCornerSeconds { .. } => 83,
            HoldEdit::SetPierce { .. } => 84,
            HoldEdit::SetSweep { .. } => 85,
        },
        Edit::Release(on) => match &on.edit {
            ReleaseEdit::SetInitials { .. } => 86,
            ReleaseEdit::SetZero { .. } => 87,
            ReleaseEdit::Lay { .. } => 88,
            ReleaseEdit::Align { .. } => 89,
            ReleaseEdit::LayAtCorner => 90,
        },
    }
}

/// A change of this kind, of a job as it is, by a figure from 0 to 1. Some are of no use in some states: those are refused.
pub fn drawn(job: &Job, n: usize, v: f64) -> Edit {
    let route = job.route();
    if route.work.parts.is_empty() || route.work.items.is_empty() {
        return OrderEdit::FreeAll.on(BatchId::FIRST);
    }
    let (part, item) = (&route.work.parts[n % route.work.parts.len()], &route.work.items[n % route.work.items.len()]);
    let contour = item.contour.id;
    let at = |share: f64| (share * 1000.0) as usize;
    let batch = BatchId(1 + (at(v) / 3) as u32 % 2);
    let drawing = 1 + (at(v) / 2) as u32 % 2;
    let here = route.batch(batch);
    let copies: Vec<Placement> = here.nested.layout.copies().copied().collect();
    let copy = copies.get(at(v) % copies.len().max(1)).copied();
    let cuts = here.plan.sheets.first().map_or_else(Vec::new, |s| s.names());
    let cut = cuts.get(at(v) % cuts.len().max(1)).copied().unwrap_or_default();
    let on = v > 0.5;
    let key = route.work.key.get(at(v) % route.work.key.len().max(1)).map_or_else(String::new, |k| k.key.clone());
    let box_of = |x: f64, y: f64, w: f64, h: f64| Bounds { min: Point::new(x, y), max: Point::new(x + w, y + h) };
    let alone = copy.map(|c| c.copy).filter(|_| on);
    match n % KINDS {
        0 => Edit::All { edits: vec![NestEdit::SetSpacing { spacing: Some(2.0 + v) }.on(batch), HoldEdit::SetNicks { on }.on(batch)] },
        1 => Edit::Accept { code: "thin-web".into(), places: [("1".to_owned(), 1)].into() },
        2 => IntakeEdit::AddDrawing { file: job.decisions.drawings[0].file.clone(), name: "again.svg".into() }.into(),
        3 => {
            let places = vec![MovedPlace { contour, was: EdgePlace::Along(0.25), is: EdgePlace::Along(0.5) }];
            let (file, name) = (job.decisions.drawings[0].file.clone(), "boards.svg".into());
            let moved = on.then_some([1.0, 0.0, 0.0, 1.0, 5.0, 3.0]);
            IntakeEdit::ReplaceDrawing {
                drawing: 1,
                file,
                name,
                carried: [(contour, contour)].into(),
                places,
                reversed: [contour].into(),
                moved,
            }
            .into()
        }
        4 => IntakeEdit::RemoveDrawing { drawing }.into(),
        5 => IntakeEdit::SetUnit { drawing, unit: if on { "mm" } else { "in" }.parse().expect("a unit") }.into(),
        6 => IntakeEdit::SetPpi { drawing, ppi: 72.0 + 100.0 * v }.into(),
        7 => IntakeEdit::SetScale { drawing, scale: 0.5 + v }.into(),
        8 => IntakeEdit::TurnDrawing { drawing, degrees: 90.0 * (1.0 + v) }.into(),
        9 => IntakeEdit::MirrorDrawing { drawing }.into(),
        10 => IntakeEdit::SetRegions { drawing, regions: vec![box_of(0.0, 0.0, 95.0 + 10.0 * v, 200.0)] }.into(),
        11 => IntakeEdit::SetView { drawing, region: 0, view: View { scale: 1.0 + v, ..View::default() } }.into(),
        12 => IntakeEdit::DropRegion { drawing, region: 0 }.into(),
        13 => IntakeEdit::Compared { drawing }.into(),
        91 => IntakeEdit::Apart { drawing }.into(),
        14 => IntakeEdit::SetEngraved { drawing, on }.into(),
        15 => IntakeEdit::SetDrawingQuantity { drawing, quantity: 1 + (v * 3.0) as u32 }.into(),
        16 => IntakeEdit::SetGuest { drawing, guest: on.then(|| Guest { job: 7, name: "Another".into(), part: part.id }) }.into(),
        17 => IntakeEdit::SetDrawingBatch { drawing, to: batch }.into(),
        18 => {
            let edit = if on { TableEdit::Narrowest { share: 0.5 + v / 2.0 } } else { TableEdit::Set { table: None } };
            IntakeEdit::Table { drawing, edit }.into()
        }
        19 => IntakeEdit::SetSolid { drawing, choices: SolidChoices { apart: on, ..SolidChoices::default() } }.into(),
        20 => CleanEdit::SetGap { drawing, gap: 0.01 + v }.into(),
        21 => CleanEdit::SetTrace { drawing, trace: Trace { smooth: 0.5 + v, ..Trace::default() } }.into(),
        22 => CleanEdit::Mend { drawing, mend: if on { Mend::RemoveDoubles } else { Mend::SmoothKinks } }.into(),
        23 => CleanEdit::Refit { drawing, tolerance: on.then_some(0.05) }.into(),
        24 => {
            let (contours, corners) = (vec![contour], Corners::Round);
            let operation = if on {
                Operation::Offset { contours, by: 0.5 + v, corners, rings: 1, keep: false }
            } else {
                Operation::Delete { contours }
            };
            CleanEdit::Operate { drawing: item.contour.drawing, operation }.into()
        }
        25 => CleanEdit::TakeBack { drawing: item.contour.drawing, at: 0 }.into(),
        26 => AssignEdit::SetKey { key, process: on.then_some(Process::Score) }.into(),
        27 => AssignEdit::SetContours { contours: vec![contour], process: on.then_some(Process::Score) }.into(),
        28 => {
            let setting = JobSetting {
                id: 1,
                name: "slow".into(),
                process: Process::Cut,
                feed: Some(300.0 + 100.0 * v),
                power: None,
                passes: None,
                pitch: None,
                tool: None,
                kerf: on.then_some(0.2),
            };
            AssignEdit::SetSetting { setting }.into()
        }
        29 => AssignEdit::DropSetting { id: 1 }.into(),
        30 => AssignEdit::MoveSetting { id: 1, earlier: 1 }.into(),
        31 => AssignEdit::UseForKey { key, setting: on.then_some(1) }.into(),
        32 => AssignEdit::UseForContours { contours: vec![contour], setting: on.then_some(1) }.into(),
        33 => AssignEdit::ProposeRow { row: Box::new(job.shop.chart[at(v) % job.shop.chart.len()].clone()) }.into(),
        34 => AssignEdit::SetTone { contour, tone: on.then(Tone::default) }.into(),
        35 => {
            let numbers = json!({"do": "set-numbers", "numbers": {"prefix": "N", "first": 3, "process": "score", "face": "strokes", "smallest": 2.0, "tallest": 6.0}});
            serde_json::from_value(numbers).unwrap_or_else(|_| AssignEdit::SetNumbers { numbers: None }.into())
        }
        36 => AssignEdit::SetCard { card: Card::Gauge }.into(),
        37 => AssignEdit::SetBatch { batch, machine: "lark".into(), material: "card".into(), thickness: 1.5 }.into(),
        38 => AssignEdit::AddBatch { stock: steel() }.into(),
        39 => AssignEdit::DropBatch { batch: BatchId(2) }.into(),
        40 => AssignEdit::MoveParts { parts: vec![part.id], to: batch }.into(),
        41 => NestEdit::SetQuantity { part: part.id, quantity: (v * 4.0) as u32 }.on(batch),
        42 => {
            let place = serde_json::from_value(json!({"job": 9, "name": "Another", "count": 1})).expect("a place");
            NestEdit::LieElsewhere { part: part.id, place }.on(batch)
        }
        43 => NestEdit::SetSpacing { spacing: Some(2.0 + v) }.on(batch),
        44 => NestEdit::SetMargin { margin: Some(4.0 + v) }.on(batch),
        45 => NestEdit::SetTurn { turn: Turn::ALL[at(v) % 4] }.on(batch),
        46 => NestEdit::SetMirror { mirror: on }.on(batch),
        47 => NestEdit::SetGrain { grain: on.then_some(Grain::Along) }.on(batch),
        48 => NestEdit::SetCommonEdges { on }.on(batch),
        49 => NestEdit::SetAim { aim: Aim::ALL[at(v) % 3] }.on(batch),
        50 => NestEdit::SetPart { part: part.id, nest: PartNest { turn: Some(Turn::Half), first: on, ..PartNest::default() } }.on(batch),
        51 => NestEdit::SetClamps { clamps: vec![box_of(0.0, 0.0, 20.0 + 30.0 * v, 15.0)] }.on(batch),
        52 => NestEdit::SetSheets { sheets: vec![Sheet::rectangle(400.0 + 300.0 * v, 300.0)] }.on(batch),
        53 => {
            let figures = json!({"name": "tag", "outline": [], "columns": 2, "rows": 2, "gap": 5.0, "border": 5.0});
            let tray: Tray = serde_json::from_value(figures).expect("a tray");
            let tray = Tray { outline: vec![Path::rectangle(0.0, 0.0, 100.0 + 20.0 * v, 80.0)], ..tray };
            NestEdit::SetTray { tray: on.then(|| Box::new(tray)) }.on(batch)
        }
        54 => NestEdit::KeepLayout { layout: here.nested.layout.clone() }.on(batch),
        55 => {
            let to = copy.map(|c| (Placement { x: c.x + 1.0 + v, ..c }, 0));
            NestEdit::LayCopies { to: to.into_iter().collect() }.on(batch)
        }
        56 => NestEdit::LiftCopies { copies: copy.iter().map(|c| c.copy).collect() }.on(batch),
        57 => NestEdit::SetAside.on(batch),
        58 => NestEdit::SwapAside.on(batch),
        59 => NestEdit::DropAside.on(batch),
        60 => NestEdit::HoldCopies { copies: copy.iter().map(|c| c.copy).collect(), on }.on(batch),
        61 => NestEdit::Nest.on(batch),
        92 => NestEdit::AddSheet { sheet: Sheet::rectangle(500.0 + 200.0 * v, 400.0) }.on(batch),
        62 => OrderEdit::SetStart { contour, at: Some(EdgePlace::Along(v)), copy: alone }.on(batch),
        63 => OrderEdit::SetStrategy { strategy: Strategy::ALL[at(v) % Strategy::ALL.len()] }.on(batch),
        64 => OrderEdit::SetPlace { cut, at: Some((v * 4.0) as u32) }.on(batch),
        65 => OrderEdit::SetSequence { cuts: cuts.iter().rev().take(2).copied().collect(), from: (v * 3.0) as u32 }.on(batch),
        66 => OrderEdit::SetWay { contour, way: Some(if on { Way::Drawn } else { Way::Against }), copy: alone }.on(batch),
        67 => OrderEdit::FreeAll.on(batch),
        68 => HoldEdit::SetNicks { on }.on(batch),
        69 => HoldEdit::SetNickWidth { width: Some(0.3 + v) }.on(batch),
        70 => HoldEdit::SetNickPitch { pitch: Some(30.0 + 100.0 * v) }.on(batch),
        71 => HoldEdit::SetNickCount { count: Some((1, 2 + (v * 5.0) as u32)) }.on(batch),
        72 => HoldEdit::SetNickWhich { which: NickWhich::ALL[at(v) % 3] }.on(batch),
        73 => {
            HoldEdit::SetNickPlaces { contour, places: Some(vec![EdgePlace::Along(v), EdgePlace::Along(v / 2.0)]), copy: alone }.on(batch)
        }
        74 => HoldEdit::SetCommonNicks { cut, places: Some(vec![EdgePlace::Along(v)]) }.on(batch),
        75 => HoldEdit::SetCorners { corners: CornerRule { reach: 2.0 + v, ..CornerRule::default() } }.on(batch),
        76 => HoldEdit::SetSide { contours: vec![contour], side: Some(LineSide::ALL[at(v) % 3]) }.on(batch),
        77 => HoldEdit::SetLeads { on }.on(batch),
        78 => HoldEdit::SetLead { lead: LeadRule { shape: LeadShape::ALL[at(v) % 3], ..LeadRule::default() } }.on(batch),
        79 => HoldEdit::SetLeadLength { length: Some(2.0 + 4.0 * v) }.on(batch),
        80 => HoldEdit::SetOverlap { overlap: v }.on(batch),
        81 => HoldEdit::SetChain { most: 10.0 * v }.on(batch),
        82 => HoldEdit::SetCornerReach { reach: 1.0 + v }.on(batch),
        83 => HoldEdit::SetCornerSeconds { seconds: 0.1 + v }.on(batch),
        84 => {
            let pierce = PiercePlace { at: EdgePlace::Along(v), ahead: -3.0, aside: if on { 6.0 } else { -6.0 } };
            HoldEdit::SetPierce { contour, pierce: Some(pierce), copy: alone }.on(batch)
        }
        85 => HoldEdit::SetSweep { sweep: Sweep { angle: on.then_some(90.0), one_way: !on } }.on(batch),
        86 => ReleaseEdit::SetInitials { initials: if on { "OF" } else { "BT" }.into() }.on(batch),
        87 => ReleaseEdit::SetZero { zero: if on { Zero::Centre } else { Zero::At(Point::new(10.0, 20.0 * v)) } }.on(batch),
        88 => ReleaseEdit::Lay { sheet: 1, x: 20.0 * v, y: 10.0, degrees: if on { 1.5 } else { 0.0 } }.on(batch),
        89 => {
            let (on_sheet, on_bed) = ([(0.0, 0.0), (200.0, 0.0)], [(30.0, 20.0 + v), (230.0, 20.0)]);
            ReleaseEdit::Align { sheet: 1, on_sheet: on_sheet.map(Point::from), on_bed: on_bed.map(Point::from) }.on(batch)
        }
        _ => ReleaseEdit::LayAtCorner.on(batch),
    }
}

/// Each number draws its own kind, and each kind can be made from somewhere.
#[test]
fn every_kind_is_drawn_and_can_be_made() {
    let mut job = crate::cached::job();
    let mut made = [false; KINDS];
    for v in [0.1, 0.35, 0.72, 0.9] {
        for (n, made) in made.iter_mut().enumerate() {
            let edit = drawn(&job, n, v);
            assert_eq!(kind(&edit), n, "{edit:?}");
            *made |= edit.apply(&job.decisions).is_ok();
        }
        // What takes something back wants something there.
        for n in [10, 24, 28, 57] {
            if let Ok(decisions) = drawn(&job, n, v).apply(&job.decisions) {
                job.decisions = decisions;
            }
        }
    }
    let never: Vec<usize> = (0..KINDS).filter(|n| !made[*n]).collect();
    assert!(never.is_empty(), "{never:?} are always refused");
}
