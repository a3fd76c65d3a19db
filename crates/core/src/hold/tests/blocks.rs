//! Copies that share edges, held and ordered.

use super::*;
use crate::cuts::{self, Line};
use crate::decisions::NestEdit;
use crate::geometry::{Bounds, Segment};
use crate::ids::BatchId;
use crate::testing::{assigned, copy};

/// Tiles of one size, a kerf apart, in columns and rows, with all that is made of them.
struct Block {
    work: Work,
    layout: Layout,
    decisions: Decisions,
    path: SheetPath,
    plan: cuts::CutPlan,
    sequence: Sequence,
    kerf: f64,
}

fn block(columns: u32, rows: u32, side: f64, hole: bool, machine: &str, change: impl Fn(&mut Decisions)) -> Block {
    let shop = Shop::builtin();
    let mut paths = vec![Path::rectangle(0.0, 0.0, side, side * 0.8)];
    if hole {
        paths.push(Path::circle(Point::new(side / 2.0, side * 0.4), side / 5.0));
    }
    let (drawing, mut decisions) = cleaned(&outlines(&paths), columns * rows);
    if machine == "anvil" {
        decisions = Decisions {
            drawings: decisions.drawings,
            ..Decisions::on(crate::decisions::Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 })
        };
    }
    decisions = NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST).apply(&decisions).expect("it applies");
    change(&mut decisions);
    let (work, _) = assigned(&[drawing], &decisions, &shop);
    let kerf = crate::nest::terms(&decisions, BatchId::FIRST, &shop).common.expect("a kerf");
    let part = work.parts.iter().max_by(|a, b| a.area.total_cmp(&b.area)).expect("the tile");
    let place = |i: u32| Placement {
        copy: copy(part.id, i + 1),
        x: 30.0 + f64::from(i % columns) * (side + kerf),
        y: 30.0 + f64::from(i / columns) * (side * 0.8 + kerf),
        angle: 0.0,
        mirrored: false,
    };
    let layout = Layout {
        sheets: vec![SheetLayout { sheet: Sheet::rectangle(800.0, 700.0), placed: (0..columns * rows).map(place).collect() }],
        ..Layout::default()
    };
    let machine = shop.machine(machine).expect("a machine").clone();
    let plan = crate::testing::planned(&work, &layout, &decisions, &shop);
    let sequence = crate::testing::sequence(&work, &layout, &plan, &decisions).0;
    let (toolpath, _) = crate::testing::held(&work, &layout, &decisions, &machine, &shop);
    Block { path: toolpath.sheets[0].clone(), work, layout, decisions, plan, sequence, kerf }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    /// What must come first comes first; every inner copy hangs by two nicks and the rim by its own; nothing but nicks is left
    /// of the lines.
    #[test]
    fn blocks_are_cut_from_within_and_hang_together(columns in 2..6_u32, rows in 2..5_u32, side in 24.0..70.0_f64, hole in prop::bool::ANY) {
        let b = block(columns, rows, side, hole, "lark", |_| {});
        let cuts = &b.plan.sheets[0];
        let steps = &b.sequence.sheets[0].steps;
        let place = |cut: usize| steps.iter().position(|s| s.cut == cut).expect("it is ordered");
        prop_assert!(cuts.before.iter().all(|(first, then)| place(*first) < place(*then)));
        prop_assert_eq!(steps.len(), cuts.cuts.len());
        let rim = cuts.cuts.iter().position(|c| matches!(c.line, Line::Rim { .. })).expect("a rim");
        prop_assert_eq!(place(rim), steps.len() - 1);
        // Lines within: columns − 1 and rows − 1, each burned but for its nicks.
        let shared: Vec<&Op> = b.path.ops.iter().filter(|o| cuts.cuts[o.cut].line == Line::Shared).collect();
        prop_assert_eq!(shared.len() as u32, columns + rows - 2);
        let gap = 0.5_f64.max(b.decisions.first().hold.nick_width.unwrap_or(0.0));
        for op in &shared {
            let nicked = cuts.cuts[op.cut].path.length() - op.length();
            prop_assert!(nicked >= 0.0 && nicked < (gap + 2.0 * b.kerf + 0.6) * op.line().nicks.len() as f64 + 1e-6, "{nicked} for {}", op.line().nicks.len());
        }
        // Nicks of each copy on the lines that it shares.
        for p in &b.layout.sheets[0].placed {
            let lies = b.work.part(p.copy.part).expect("it").outline.transformed(p.affine());
            let near = |at: &Point| lies.nearest(*at).distance < b.kerf;
            let n = shared.iter().flat_map(|o| &o.line().nicks).filter(|n| near(&n.0)).count();
            prop_assert!(n >= 2, "{n} nicks hold the copy at {:?}", lies.bounds().center());
        }
        prop_assert!(b.path.ops.last().is_some_and(|o| o.line().nicks.len() >= 2), "the block hangs in its sheet");
    }
}

#[test]
fn the_torch_is_lit_beyond_the_rim_and_goes_straight_in() {
    let b = block(3, 3, 80.0, true, "anvil", |_| {});
    let cuts = &b.plan.sheets[0].cuts;
    let all = b.layout.sheets[0].placed.iter().map(|p| b.work.part(p.copy.part).expect("it").outline.transformed(p.affine()).bounds());
    let block = all.fold(Bounds::EMPTY, Bounds::union).grown(b.kerf);
    let shared: Vec<&Op> = b.path.ops.iter().filter(|o| cuts[o.cut].line == Line::Shared).collect();
    assert_eq!(shared.len(), 4);
    for op in shared {
        let (lead, first) = (op.line().lead_in.first().expect("a lead"), op.line().runs[0][0]);
        assert!(lead.is_line() && !block.has(lead.start) && lead.end.distance(first.start) < 1e-9);
        assert!(lead.direction(1.0).dot(first.direction(0.0)) > 1.0 - 1e-9 && Segment::length(lead) >= 2.0);
    }
}
