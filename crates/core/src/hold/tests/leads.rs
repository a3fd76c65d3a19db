//! Leads by rule and by hand.

use super::*;
use crate::decisions::{LeadEnd, LeadFrom, LeadRule, LeadShape, PiercePlace};
use crate::ids::EdgePlace;

/// A bracket with two holes, so many copies, however they lie.
fn brackets(poses: &[(f64, f64, f64, bool)]) -> (Work, Layout, Decisions) {
    let p = |x: f64, y: f64| Point::new(x, y);
    let outline = Path::polygon(&[p(0.0, 0.0), p(120.0, 0.0), p(120.0, 40.0), p(45.0, 40.0), p(45.0, 90.0), p(0.0, 90.0)]);
    let paths = [outline, Path::circle(p(22.0, 20.0), 9.0), Path::rectangle(70.0, 12.0, 30.0, 16.0)];
    let (drawing, mut decisions) = cleaned(&outlines(&paths), poses.len() as u32);
    decisions.first_mut().stock = crate::decisions::Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 };
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let layout = lying(work.parts[0].id, poses, (1000.0, 700.0));
    (work, layout, decisions)
}

fn ops(work: &Work, layout: &Layout, decisions: &Decisions) -> (Vec<Op>, Vec<Finding>) {
    let shop = Shop::builtin();
    let (path, findings) = crate::testing::held(work, layout, decisions, &shop.machines[1], &shop);
    (path.sheets[0].ops.clone(), findings)
}

/// Distance of a place from the material of all copies: negative within it. Known from the outlines as they lie, corner to corner.
fn off_material(work: &Work, layout: &Layout, p: Point) -> f64 {
    let inside = |path: &Path| {
        let points = path.points(0.01);
        let n = points.len();
        (0..n).filter(|i| (points[*i].y > p.y) != (points[(i + 1) % n].y > p.y)).fold(false, |is, i| {
            let (a, b) = (points[i], points[(i + 1) % n]);
            is ^ (p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x))
        })
    };
    let of = |placed: &Placement| {
        let part = work.part(placed.copy.part).expect("the part");
        let paths: Vec<Path> = std::iter::once(&part.outline)
            .chain(part.holes.iter().map(|i| &work.items[*i].contour.path))
            .map(|path| path.transformed(placed.affine()))
            .collect();
        let near = paths.iter().flat_map(|p2| p2.segments.iter().map(move |s| s.distance(p))).fold(f64::INFINITY, f64::min);
        if inside(&paths[0]) && !paths[1..].iter().any(inside) { -near } else { near }
    };
    layout.sheets[0].placed.iter().map(of).fold(f64::INFINITY, f64::min)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// Whatever rule lays them, leads keep out of every part, begin in the scrap, and end where their cut begins.
    #[test]
    fn no_lead_comes_into_a_part(
        shape in prop::sample::select(&LeadShape::ALL[..]), from in prop::sample::select(&LeadFrom::ALL[..]), end in prop::sample::select(&LeadEnd::ALL[..]),
        length in prop::option::of(2.0..20.0_f64), gap in 12.0..30.0_f64, turn in 0..4_u32, mirrored in any::<bool>()
    ) {
        let angle = f64::from(turn) * 90.0;
        let (work, layout, mut decisions) = brackets(&[(200.0, 200.0, angle, mirrored), (200.0 + 120.0 + gap, 200.0, angle, mirrored), (200.0, 200.0 + 120.0 + gap, angle, mirrored)]);
        decisions.first_mut().hold.lead = LeadRule { shape, length, end, from, ..LeadRule::default() };
        let (ops, _) = ops(&work, &layout, &decisions);
        let mut led = 0;
        for op in ops.iter().filter(|o| !o.line().lead_in.is_empty()) {
            led += 1;
            let line = op.line();
            for s in op.leads() {
                for i in 0..=20 {
                    let off = off_material(&work, &layout, s.at(f64::from(i) / 20.0));
                    prop_assert!(off > op.kerf / 2.0 - 0.05, "{off} off at {:?}", s.at(f64::from(i) / 20.0));
                }
            }
            let pierce = line.lead_in[0].start;
            prop_assert!(off_material(&work, &layout, pierce) > op.kerf, "pierced {} off", off_material(&work, &layout, pierce));
            let last = line.lead_in[line.lead_in.len() - 1];
            prop_assert!(last.end.distance(line.runs[0][0].start) < 1e-6);
            if shape != LeadShape::Line {
                prop_assert!(last.direction(1.0).dot(line.runs[0][0].direction(0.0)) > 0.999, "it enters along the contour");
            }
            prop_assert!(end == LeadEnd::Out || line.lead_out.is_empty());
        }
        prop_assert!(led >= 8, "{led} of nine cuts have leads");
    }

    /// A pierce that a hand put stays where it was put on the part, however a copy lies, in every copy or in one.
    #[test]
    fn a_pierce_by_hand_stays_where_it_was_put(along in 0.15..0.85_f64, off in 5.0..9.0_f64, turn in 0..360_u32, mirrored in any::<bool>(), one in any::<bool>()) {
        let (work, layout, mut decisions) = brackets(&[(200.0, 200.0, 0.0, false), (600.0, 350.0, f64::from(turn), mirrored)]);
        let outline = work.parts[0].id.0;
        let drawn = work.items[work.parts[0].outer.expect("the outline")].contour.path.clone();
        // Off the long lower side, on the outside of it: to the right of the outline where that runs anticlockwise.
        let segment = (0..drawn.segments.len()).max_by(|a, b| drawn.segments[*a].length().total_cmp(&drawn.segments[*b].length())).expect("sides") as u32;
        let outside = if drawn.area() > 0.0 { -off } else { off };
        let pierce = PiercePlace { at: EdgePlace::On { segment, share: along }, ahead: 0.0, aside: outside };
        let hold = &mut decisions.first_mut().hold;
        if one {
            hold.copy_pierces.entry(layout.sheets[0].placed[1].copy).or_default().insert(outline, pierce);
        } else {
            hold.pierces.insert(outline, pierce);
        }
        let (ops, findings) = ops(&work, &layout, &decisions);
        prop_assert!(findings.iter().all(|f| f.code != "pierce-not-kept"), "{findings:?}");
        for op in ops.iter().filter(|o| work.parts[0].outer == Some(o.item)) {
            let placed = &layout.sheets[0].placed[op.placement];
            let at = pierce.at.along(&drawn);
            let (on, ahead) = drawn.at(at);
            let wanted = placed.affine() * (on + ahead.turn_90() * outside);
            let is = op.line().lead_in[0].start;
            prop_assert_eq!(is.distance(wanted) < 1e-6, !one || op.placement == 1, "{:?} for {:?}", is, wanted);
        }
    }
}

#[test]
fn a_pierce_that_cannot_be_is_told_and_led_in_elsewhere() {
    let (work, layout, mut decisions) = brackets(&[(200.0, 200.0, 0.0, false)]);
    let outline = work.parts[0].id.0;
    let drawn = work.items[work.parts[0].outer.expect("the outline")].contour.path.clone();
    let into = if drawn.area() > 0.0 { 8.0 } else { -8.0 };
    decisions
        .first_mut()
        .hold
        .pierces
        .insert(outline, PiercePlace { at: EdgePlace::On { segment: 0, share: 0.5 }, ahead: 0.0, aside: into });
    let (ops_now, findings) = ops(&work, &layout, &decisions);
    let finding = findings.iter().find(|f| f.code == "pierce-not-kept").expect("it is told");
    assert!(ops_now.iter().all(|o| !o.line().lead_in.is_empty()), "led in elsewhere");
    let mended = finding.remedies[0].edit.apply(&decisions).expect("it applies");
    assert!(mended.first().hold.pierces.is_empty() && ops(&work, &layout, &mended).1.iter().all(|f| f.code != "pierce-not-kept"));
}

#[test]
fn a_lead_begins_where_the_rule_wants_it() {
    let (work, layout, mut decisions) = brackets(&[(200.0, 200.0, 0.0, false)]);
    let begin = |from: LeadFrom, decisions: &mut Decisions| {
        decisions.first_mut().hold.lead.from = from;
        let (ops, _) = ops(&work, &layout, decisions);
        let op = ops.iter().find(|o| work.parts[0].outer == Some(o.item)).expect("the outline").clone();
        op.line().runs[0][0].start
    };
    let shift = Vec2::new(200.0, 200.0);
    let drawn = work.parts[0].bounds.min.to_vec2();
    let middle = begin(LeadFrom::LongSide, &mut decisions) - shift;
    assert!((middle.x - drawn.x - 60.0).abs() < 2.0 && (middle.y - drawn.y).abs() < 2.0, "{middle:?}");
    let corner = begin(LeadFrom::Corner, &mut decisions) - shift;
    let corners = [(0.0, 0.0), (120.0, 0.0), (120.0, 40.0), (45.0, 90.0), (0.0, 90.0)];
    assert!(corners.iter().any(|(x, y)| corner.distance(Point::new(*x, *y) + drawn) < 2.5), "{corner:?}");
}
