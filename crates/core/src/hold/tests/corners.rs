//! Corners, overlaps, sides of open cuts, shared pierces, common edges by hand.

use super::*;
use crate::decisions::{CornerRule, InnerCorner, LeadRule, LineSide, OuterCorner};
use crate::ids::EdgePlace;
use crate::nest::SheetLayout;
use crate::proof;
use crate::release::{ProgramOrder, write};

fn p(x: f64, y: f64) -> Point {
    Point::new(x, y)
}

/// An angle bracket with a square window and a slit, so many copies at these places; on the laser or the torch.
fn brackets(at: &[(f64, f64, f64, bool)], machine: &str) -> (Work, Layout, Decisions) {
    let outline = Path::polygon(&[p(0.0, 0.0), p(90.0, 0.0), p(90.0, 30.0), p(30.0, 30.0), p(30.0, 90.0), p(0.0, 90.0)]);
    let slit = Path::new(vec![Segment::line(p(40.0, 12.0), p(75.0, 12.0))], false);
    let (drawing, mut decisions) = cleaned(&outlines(&[outline, Path::rectangle(6.0, 50.0, 14.0, 18.0), slit]), at.len() as u32);
    let stock = if machine == "anvil" { ("mild-steel", 6.0) } else { ("birch-ply", 3.0) };
    decisions.first_mut().stock = crate::decisions::Stock { machine: machine.into(), material: stock.0.into(), thickness: stock.1 };
    let slit = drawing.contours.iter().find(|c| !c.path.closed).expect("the slit").id;
    decisions.assign.contours.insert(slit, Process::Cut);
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let layout = lying(work.parts[0].id, at, (600.0, 400.0));
    (work, layout, decisions)
}

/// What is held, and what the proof of its program says.
fn proved(work: &Work, layout: &Layout, decisions: &Decisions) -> (SheetPath, proof::SheetProof, Vec<String>) {
    let shop = Shop::builtin();
    let stock = &decisions.first().stock;
    let machine = shop.machine(&stock.machine).expect("the machine");
    let (path, _) = crate::testing::held(work, layout, decisions, machine, &shop);
    let plan = crate::cuts::plan(work, layout, None);
    let mut program = Vec::new();
    write(&ProgramOrder { path: &path.sheets[0], machine, sheet: (1, 1), stock, pose: Default::default() }, &mut program).expect("written");
    let meant = proof::Meant {
        sheet: 0,
        path: &path.sheets[0],
        cuts: &plan.sheets[0],
        layout: &layout.sheets[0],
        work,
        machine,
        pose: Default::default(),
    };
    let (sheet, findings) = proof::run(&String::from_utf8(program).expect("ASCII"), &meant);
    (path.sheets[0].clone(), sheet, findings.into_iter().map(|f| f.text).collect())
}

fn outline<'a>(work: &Work, sheet: &'a SheetPath) -> &'a Op {
    sheet.ops.iter().find(|o| work.parts[0].outer == Some(o.item)).expect("the outline")
}

#[test]
fn loops_keep_outer_corners_crisp_and_go_nowhere_else() {
    let (work, layout, mut decisions) = brackets(&[(60.0, 60.0, 0.0, false)], "anvil");
    let (plain, before, none) = proved(&work, &layout, &decisions);
    assert!(none.is_empty(), "{none:?}");
    decisions.first_mut().hold.corners = CornerRule { outer: OuterCorner::Loop, reach: 5.0, ..CornerRule::default() };
    let (looped, after, none) = proved(&work, &layout, &decisions);
    assert!(none.is_empty(), "{none:?}");
    let (a, b) = (outline(&work, &plain), outline(&work, &looped));
    // Five outer corners of a right angle: on by 5 mm and back, and three quarters of a circle that touches both lines there, for a quarter of one
    // of half a kerf.
    let each = 2.0 * 5.0 + 1.5 * std::f64::consts::PI * (5.0 - a.kerf / 2.0) - a.kerf / 2.0 * std::f64::consts::FRAC_PI_2;
    assert!((b.length() - a.length() - 5.0 * each).abs() < 2.0, "{} for {}", b.length() - a.length(), 5.0 * each);
    assert!(after.cut > before.cut && after.pierces == before.pierces);
    let steps = |o: &Op| o.line().runs.iter().flatten().map(|s| (s.start, s.end)).collect::<Vec<_>>();
    assert!(steps(b).windows(2).all(|w| w[0].1.distance(w[1].0) < 1e-9), "it is one line");
}

#[test]
fn inner_corners_are_stood_in_or_looped_and_that_is_proved() {
    let (work, layout, mut decisions) = brackets(&[(60.0, 60.0, 0.0, false)], "anvil");
    let (plain, before, _) = proved(&work, &layout, &decisions);
    decisions.first_mut().hold.corners = CornerRule { inner: InnerCorner::Dwell, seconds: 0.5, ..CornerRule::default() };
    let (stood, after, none) = proved(&work, &layout, &decisions);
    assert!(none.is_empty(), "{none:?}");
    // The outline turns inward once; a window has four corners of the part's that turn inward.
    let dwells: usize = stood.ops.iter().map(|o| o.line().dwells.len()).sum();
    assert_eq!((outline(&work, &stood).line().dwells.len(), dwells), (1, 5));
    assert!((after.seconds - before.seconds - 2.5).abs() < 0.6, "{} s more", after.seconds - before.seconds);
    decisions.first_mut().hold.corners.inner = InnerCorner::Loop;
    let (looped, _, none) = proved(&work, &layout, &decisions);
    assert!(none.is_empty(), "{none:?}");
    assert!(outline(&work, &looped).length() > outline(&work, &plain).length() + 3.0);
}

#[test]
fn standing_where_nothing_was_said_is_a_fault() {
    let (work, layout, decisions) = brackets(&[(60.0, 60.0, 0.0, false)], "anvil");
    let shop = Shop::builtin();
    let machine = shop.machine("anvil").expect("the table");
    let (path, _) = crate::testing::held(&work, &layout, &decisions, machine, &shop);
    let plan = crate::cuts::plan(&work, &layout, None);
    let mut program = Vec::new();
    let stock = &decisions.first().stock;
    write(&ProgramOrder { path: &path.sheets[0], machine, sheet: (1, 1), stock, pose: Default::default() }, &mut program).expect("written");
    let program = String::from_utf8(program).expect("ASCII");
    // Behind the second move that burns it stands for half a second.
    let at = program.match_indices("\nG1").nth(2).expect("moves").0 + 1;
    let stood = format!("{}G4 P0.5\n{}", &program[..at], &program[at..]);
    let meant = proof::Meant {
        sheet: 0,
        path: &path.sheets[0],
        cuts: &plan.sheets[0],
        layout: &layout.sheets[0],
        work: &work,
        machine,
        pose: Default::default(),
    };
    let codes: Vec<String> = proof::run(&stood, &meant).1.into_iter().map(|f| f.code.to_string()).collect();
    assert!(codes.iter().any(|c| c == "wrong-stay" || c == "wrong-wait"), "{codes:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// A cut goes on over its begin by what was asked, or ends so much before it; the proof knows both.
    #[test]
    fn cuts_end_where_they_are_told(overlap in -4.0..12.0_f64, angle in 0..4_u32) {
        let (work, layout, mut decisions) = brackets(&[(200.0, 200.0, f64::from(angle) * 90.0, false)], "anvil");
        let (plain, _, _) = proved(&work, &layout, &decisions);
        decisions.first_mut().hold.lead = LeadRule { overlap, ..LeadRule::default() };
        let (sheet, _, none) = proved(&work, &layout, &decisions);
        prop_assert!(none.is_empty(), "{none:?}");
        let (a, b) = (outline(&work, &plain), outline(&work, &sheet));
        let again: f64 = b.line().again.iter().map(Segment::length).sum();
        prop_assert!((b.length() + again - a.length() - overlap).abs() < 1e-6, "{} and {again} for {}", b.length(), a.length());
        prop_assert!(b.line().lead_out.first().is_none_or(|out| out.start.distance(b.line().again.last().map_or(b.line().runs[0].last().expect("a run").end, |s| s.end)) < 1e-6));
    }

    /// The kerf of an open cut lies on the side that was said, as drawn, however the copy lies.
    #[test]
    fn an_open_cut_lies_on_its_side(left in any::<bool>(), angle in 0.0..360.0_f64, mirrored in any::<bool>(), backward in any::<bool>()) {
        let (work, layout, mut decisions) = brackets(&[(250.0, 200.0, angle, mirrored)], "lark");
        let slit = work.items.iter().position(|i| !i.contour.path.closed).expect("the slit");
        let id = work.items[slit].contour.id;
        decisions.first_mut().hold.sides.insert(id, if left { LineSide::Left } else { LineSide::Right });
        decisions.first_mut().order.starts.insert(id, EdgePlace::On { segment: 0, share: if backward { 1.0 } else { 0.0 } });
        let (sheet, _, none) = proved(&work, &layout, &decisions);
        prop_assert!(none.is_empty(), "{none:?}");
        let op = sheet.ops.iter().find(|o| o.item == slit).expect("it is cut");
        // Taken back to the drawing, it lies half a kerf above the slit, or below.
        let back = layout.sheets[0].placed[0].affine().inverse();
        let at = back * op.line().runs[0][0].at(0.5);
        let wanted = 12.0 + if left { op.kerf / 2.0 } else { -op.kerf / 2.0 };
        prop_assert!((at.y - wanted).abs() < 1e-6, "{} for {wanted}", at.y);
    }
}

#[test]
fn cuts_that_lie_near_share_a_pierce() {
    let (drawing, mut decisions) = cleaned(&outlines(&[Path::rectangle(0.0, 0.0, 60.0, 40.0)]), 6);
    decisions.first_mut().stock = crate::decisions::Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 };
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let part = work.parts[0].id;
    let place = |i: u32| {
        let (x, y) = (40.0 + 76.0 * f64::from(i % 3), 40.0 + 58.0 * f64::from(i / 3));
        Placement { copy: crate::testing::copy(part, i + 1), x, y, angle: 0.0, mirrored: false }
    };
    let placed = (0..6).map(place).collect();
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(400.0, 300.0), placed }], ..Layout::default() };
    let (_, apart, none) = proved(&work, &layout, &decisions);
    assert!(none.is_empty(), "{none:?}");
    decisions.first_mut().hold.lead.chain = 60.0;
    let (sheet, shared, none) = proved(&work, &layout, &decisions);
    assert!(none.is_empty(), "{none:?}");
    let bridges = sheet.ops.iter().filter(|o| !o.line().bridge.is_empty()).count();
    assert!(bridges >= 1 && shared.pierces + bridges == apart.pierces, "{bridges} of {} and {}", apart.pierces, shared.pierces);
    assert!(shared.seconds < apart.seconds, "{} and {}", shared.seconds, apart.seconds);
    // No bridge comes into a part, as the drawing has it.
    for way in sheet.ops.iter().flat_map(|o| &o.line().bridge) {
        for k in 0..=100 {
            let at = way.at(f64::from(k) / 100.0);
            let within = |q: &Placement| {
                let q = q.affine().inverse() * at;
                (0.0..=60.0).contains(&q.x) && (0.0..=40.0).contains(&q.y)
            };
            assert!(!layout.sheets[0].placed.iter().any(within), "{at:?} lies in a part");
        }
    }
}

#[test]
fn a_laser_leads_into_thick_stock() {
    let shop = Shop::builtin();
    let leads = |thickness: f64| {
        let machine = shop.machine("lark").expect("the laser");
        Holding::of(&crate::decisions::HoldDecisions::default(), machine, shop.nicks("acrylic"), thickness).leads
    };
    assert!(!leads(6.0) && leads(8.0) && leads(10.0));
}

#[test]
fn nicks_stand_on_common_edges_where_a_hand_sets_them() {
    let kerf = 0.18;
    let (drawing, decisions) = cleaned(&outlines(&[Path::rectangle(0.0, 0.0, 60.0, 40.0)]), 2);
    let mut decisions = decisions;
    decisions.first_mut().nest.common_edges = true;
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let part = work.parts[0].id;
    let place = |i: u32, x: f64| Placement { copy: crate::testing::copy(part, i), x, y: 20.0, angle: 0.0, mirrored: false };
    let placed = vec![place(1, 20.0), place(2, 20.0 + 60.0 + kerf)];
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(300.0, 200.0), placed }], ..Layout::default() };
    let shop = Shop::builtin();
    let plan = crate::cuts::plan(&work, &layout, Some(kerf));
    let shared = plan.sheets[0].cuts.iter().position(|c| c.line == crate::cuts::Line::Shared).expect("an edge in common");
    let name = plan.sheets[0].names()[shared];
    let path = &plan.sheets[0].cuts[shared].path;
    let places: Vec<EdgePlace> = [0.2, 0.7].iter().map(|s| EdgePlace::at(path, s * path.length())).collect();
    decisions.first_mut().hold.common_nicks.insert(name, places);
    let (held, _) = crate::testing::held(&work, &layout, &decisions, &shop.machines[0], &shop);
    let op = held.sheets[0].ops.iter().find(|o| o.cut == shared).expect("it is cut");
    let mut at: Vec<f64> = op.line().nicks.iter().map(|n| n.0.y - 20.0).collect();
    at.sort_by(f64::total_cmp);
    let up = path.segments[0].start.y < path.segments[0].end.y;
    let wanted = if up { [8.0, 28.0] } else { [12.0, 32.0] };
    assert!(at.len() == 2 && (0..2).all(|i| (at[i] - wanted[i]).abs() < 0.2), "{at:?} for {wanted:?}");
}
