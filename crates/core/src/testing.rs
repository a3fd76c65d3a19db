//! Drawings for tests: the shop's own shapes, made in a line or two.

use crate::assign::{self, Customs, Given, Wanted, Work};
use crate::clean::{self, Cleaned};
use crate::cuts::{self, CutPlan};
use crate::decisions::{Decisions, DrawingDecisions};
use crate::drawing::{Drawing, Entity, FileUnits, Shape, Style, Unit};
use crate::finding::Finding;
use crate::geometry::{Curve, Path, Point};
use crate::hold::{self, Toolpath};
use crate::ids::{BatchId, CopyId, PartId};
use crate::intake;
use crate::nest::{self, Layout, Placement, Sheet, SheetLayout};
use crate::order::{self, Sequence};
use crate::shop::{Machine, Shop};
use std::sync::Arc;

/// A drawing of loose lines, in mm.
pub fn lines(lines: &[(Point, Point)]) -> Drawing {
    let paths: Vec<Path> = lines.iter().map(|(a, b)| Path::new(vec![crate::geometry::Segment::line(*a, *b)], false)).collect();
    drawing(&paths.iter().map(|p| (p.clone(), Style { stroke: Some([0, 0, 0]), ..Style::default() })).collect::<Vec<_>>())
}

/// A drawing of paths, in mm, each with its style.
pub fn drawing(paths: &[(Path, Style)]) -> Drawing {
    let mut d = Drawing::new("test.dxf", FileUnits::Known(Unit::Mm));
    for (path, style) in paths {
        let style = d.style(style);
        d.entities
            .push(Entity::new(style, Shape::Path { curves: path.segments.iter().map(Curve::segment).collect(), closed: path.closed }));
    }
    d.read = paths.len();
    d
}

/// Black outlines.
pub fn outlines(paths: &[Path]) -> Drawing {
    drawing(&paths.iter().map(|p| (p.clone(), Style { stroke: Some([0, 0, 0]), ..Style::default() })).collect::<Vec<_>>())
}

/// A cleaned drawing and the decisions it belongs to.
pub fn cleaned(d: &Drawing, quantity: u32) -> (Arc<Cleaned>, Decisions) {
    let shop = Shop::builtin();
    let decided = DrawingDecisions { quantity, ..DrawingDecisions::new(1, "", &d.file) };
    let (intake, _) = intake::run(d, &decided, &shop.machines[0].bed());
    let (cleaned, _) = clean::run(d, &intake, &decided, &shop.tolerance);
    (Arc::new(cleaned), Decisions { drawings: vec![decided], ..Decisions::default() })
}

/// What lines are, with all that Assign and the cut chart say of the job's first batch.
pub fn assigned(drawings: &[Arc<Cleaned>], decisions: &Decisions, shop: &Shop) -> (Work, Vec<Finding>) {
    let (wanted, customs) = (Wanted::of(decisions), Customs::of(decisions, shop));
    let (work, mut findings) =
        assign::run(drawings, &Given { decisions: assign::Decided::of(&decisions.assign), wanted: &wanted, customs: &customs });
    let stock = &decisions.first().stock;
    findings.extend(assign::bereft(&work, decisions));
    findings.extend(assign::charted(&work, stock, &shop.rows_for(&decisions.assign, stock), shop));
    (work, findings)
}

/// The cuts of a layout.
pub fn planned(work: &Work, layout: &Layout, decisions: &Decisions, shop: &Shop) -> CutPlan {
    cuts::plan(work, layout, nest::terms(decisions, BatchId::FIRST, shop).common)
}

/// The order of a layout's cuts.
pub fn ordered(work: &Work, layout: &Layout, decisions: &Decisions) -> Sequence {
    sequence(work, layout, &planned(work, layout, decisions, &Shop::builtin()), decisions).0
}

/// The order of a plan's cuts, and what is to be said of it.
pub fn sequence(work: &Work, layout: &Layout, plan: &CutPlan, decisions: &Decisions) -> (Sequence, Vec<Finding>) {
    order::run(&order::Task { work, layout, plan, decisions: &decisions.first().order, turns: &decisions.assign.turns() })
}

/// What the head does for a layout.
pub fn held(work: &Work, layout: &Layout, decisions: &Decisions, machine: &Machine, shop: &Shop) -> (Toolpath, Vec<Finding>) {
    let (plan, batch) = (planned(work, layout, decisions, shop), decisions.first());
    let sequence = sequence(work, layout, &plan, decisions).0;
    let (rows, terms) = (shop.rows_for(&decisions.assign, &batch.stock), nest::terms(decisions, BatchId::FIRST, shop));
    let given = hold::Given {
        poses: &[],
        decisions: &batch.hold,
        thickness: batch.stock.thickness,
        pictures: &decisions.assign.pictures,
        next_setting: decisions.assign.next_setting(),
        rows: &rows,
        terms: &terms,
        machine,
        nick: shop.nicks(&batch.stock.material),
        web: (shop.web_kerfs, shop.web_share),
    };
    hold::run(work, layout, &plan, &sequence, &given)
}

/// The copy of this number of a part.
pub fn copy(part: PartId, number: u32) -> CopyId {
    CopyId { part, number }
}

/// Copies of a part at these poses (x, y, angle, mirrored), numbered from 1, on a sheet of this size.
pub fn lying(part: PartId, poses: &[(f64, f64, f64, bool)], (width, height): (f64, f64)) -> Layout {
    let place = |(i, (x, y, angle, mirrored)): (usize, &(f64, f64, f64, bool))| Placement {
        copy: copy(part, i as u32 + 1),
        x: *x,
        y: *y,
        angle: *angle,
        mirrored: *mirrored,
    };
    let placed = poses.iter().enumerate().map(place).collect();
    Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(width, height), placed }], ..Layout::default() }
}
