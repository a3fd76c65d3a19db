//! How short the way between cuts is: `cargo bench -p boustrophe-core --bench travel [-- FOLDER]`.
//!
//! Boards with nine holes each, 50 to 10,000 cuts; once with every start given, once with free starts. With a folder each case is
//! written there as JSON (places, what comes before what, our travel), for `benches/travel` to have it solved by another.

use boustrophe_core::assign::{self, Customs, Decided, Given, Wanted, Work};
use boustrophe_core::clean;
use boustrophe_core::cuts;
use boustrophe_core::decisions::{Decisions, DrawingDecisions};
use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Shape, Style, Unit};
use boustrophe_core::geometry::{Curve, Path, Point};
use boustrophe_core::ids::{CopyId, EdgePlace};
use boustrophe_core::intake;
use boustrophe_core::nest::{Layout, Placement, Sheet, SheetLayout};
use boustrophe_core::order::{self, Task};
use boustrophe_core::shop::Shop;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use std::sync::Arc;
use std::time::Instant;

/// A board with nine holes, and so many copies of it strewn over a sheet.
fn job(boards: usize) -> (Work, Layout, Decisions) {
    let shop = Shop::builtin();
    let mut drawing = Drawing::new("board.dxf", FileUnits::Known(Unit::Mm));
    let style = drawing.style(&Style { stroke: Some([0; 3]), ..Style::default() });
    let mut dice = SmallRng::seed_from_u64(11);
    let mut add = |path: &Path| {
        let curves = path.segments.iter().map(Curve::segment).collect();
        drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: true }));
    };
    add(&Path::rectangle(0.0, 0.0, 90.0, 66.0));
    for i in 0..9 {
        let (x, y) = (f64::from(i % 3) * 28.0 + dice.random_range(8.0..24.0), f64::from(i / 3) * 20.0 + dice.random_range(8.0..18.0));
        add(&Path::circle(Point::new(x, y), dice.random_range(1.0..4.0)));
    }
    let decided = DrawingDecisions { quantity: boards as u32, ..DrawingDecisions::new(1, "", &drawing.file) };
    let (taken, _) = intake::run(&drawing, &decided, &shop.machines[0].bed());
    let (cleaned, _) = clean::run(&drawing, &taken, &decided, &shop.tolerance);
    let decisions = Decisions { drawings: vec![decided], ..Decisions::default() };
    let given =
        Given { decisions: Decided::of(&decisions.assign), wanted: &Wanted::of(&decisions), customs: &Customs::of(&decisions, &shop) };
    let work = assign::run(&[Arc::new(cleaned)], &given).0;
    let part = work.parts[0].id;
    let columns = (boards as f64).sqrt().ceil() as usize;
    let place = |i: usize| Placement {
        copy: CopyId { part, number: i as u32 + 1 },
        x: (i % columns) as f64 * 110.0 + dice.random_range(5.0..18.0),
        y: (i / columns) as f64 * 84.0 + dice.random_range(5.0..16.0),
        angle: 0.0,
        mirrored: false,
    };
    let placed = (0..boards).map(place).collect();
    let side = columns as f64 * 120.0;
    (work, Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(side, side), placed }], ..Layout::default() }, decisions)
}

fn main() {
    let folder = std::env::args().skip(1).find(|a| !a.starts_with('-'));
    for boards in [5, 20, 100, 1000] {
        let (work, layout, mut decisions) = job(boards);
        let plan = cuts::plan(&work, &layout, None);
        let sheet = &plan.sheets[0];
        let mut travel = Vec::new();
        for fixed in [true, false] {
            if fixed {
                let mut dice = SmallRng::seed_from_u64(5);
                let starts = &mut decisions.first_mut().order.starts;
                starts.extend(work.items.iter().map(|i| (i.contour.id, EdgePlace::Along(dice.random_range(0.0..1.0)))));
            } else {
                decisions.first_mut().order.starts.clear();
            }
            let began = Instant::now();
            let task = Task { work: &work, layout: &layout, plan: &plan, decisions: &decisions.first().order, turns: &[] };
            let (sequence, _) = order::run(&task);
            let took = began.elapsed().as_secs_f64();
            travel.push(sequence.sheets[0].travel);
            let how = if fixed { "fixed" } else { "free" };
            println!("{:6} cuts, {how:5} starts: {:9.0} mm of travel in {took:.2} s", sheet.cuts.len(), sequence.sheets[0].travel);
            if let Some(folder) = folder.as_ref().filter(|_| fixed) {
                let mut places: Vec<[f64; 2]> = vec![[0.0; 2]; sheet.cuts.len()];
                for step in &sequence.sheets[0].steps {
                    let p = sheet.cuts[step.cut].path.at(step.start * sheet.cuts[step.cut].path.length()).0;
                    places[step.cut] = [p.x, p.y];
                }
                let case =
                    serde_json::json!({ "places": places, "before": sheet.before, "ours": sequence.sheets[0].travel, "seconds": took });
                std::fs::write(format!("{folder}/{}.json", sheet.cuts.len()), case.to_string()).expect("written");
            }
        }
        println!("{:6} cuts: with free starts {:.3} of the travel with fixed ones", sheet.cuts.len(), travel[1] / travel[0]);
    }
}
