//! What Order asks: travel by sheet, the cuts in turn.

use crate::view::metres;
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::cuts::Line;
use boustrophe_core::finding::counted;
use boustrophe_core::hold::Op;
use boustrophe_core::ids::BatchId;
use boustrophe_shop::app::Loaded;

struct OrderRow {
    sheet: usize,
    steps: usize,
    travel: String,
    drawn: String,
    saved: String,
}

/// A cut in the list.
struct CutRow {
    n: usize,
    name: String,
    /// Cuts of one kind are ordered together.
    kind: String,
    what: String,
    length: String,
    /// A hand gave it its place.
    held: bool,
}

/// Cuts listed: more than that are found on the stage.
const MOST_LISTED: usize = 400;

#[derive(Template)]
#[template(path = "stations/order/docket.html")]
pub struct Order {
    revision: i32,
    job: i32,
    batch: BatchId,
    rows: Vec<OrderRow>,
    strategy: String,
    /// What a hand has said, and in words.
    by_hand: usize,
    told: String,
    cuts: Vec<CutRow>,
    more: usize,
}

/// The cuts of a sheet as they are listed.
fn listed(loaded: &Loaded, sheet: usize) -> Vec<CutRow> {
    let here = loaded.here();
    let (Some(plan), Some(path)) = (here.plan.sheets.get(sheet), here.toolpath.sheets.get(sheet)) else { return Vec::new() };
    let names = plan.names();
    let several = here.toolpath.sheets.len() > 1;
    let row = |(n, op): (usize, &Op)| {
        let (cut, name) = (&plan.cuts[op.cut], names[op.cut]);
        let part = here.work.part(name.copy.part);
        let outline = part.is_some_and(|p| p.outer == Some(op.item));
        let what = match op.process {
            Process::Cut if cut.line == Line::Shared => "shared edge",
            Process::Cut if outline => "outline",
            Process::Cut => "hole",
            other => other.slug(),
        };
        let on = if several { format!(", sheet {}", here.before + sheet + 1) } else { String::new() };
        CutRow {
            n: n + 1,
            name: name.to_string(),
            kind: format!("{sheet} {}", op.process.slug()),
            what: format!("{} {}, {what}{on}", part.map_or("", |p| p.name.as_str()), name.copy.number),
            length: format!("{:.0}", op.length()),
            held: loaded.decided().order.places.contains_key(&name),
        }
    };
    path.ops.iter().enumerate().filter(|(_, o)| !o.is_swept()).map(row).collect()
}

pub fn body(loaded: &Loaded) -> Order {
    // Travel is one figure: that of the program, as the ledger has it.
    let travelled = |i: usize, planned: f64| loaded.here().proofs.get(i).map_or(planned, |p| p.travel);
    let rows = loaded.here().sequence.sheets.iter().enumerate().map(|(i, s)| OrderRow {
        sheet: loaded.here().before + i + 1,
        steps: s.steps.len(),
        travel: metres(travelled(i, s.travel)),
        drawn: metres(s.travel_as_drawn),
        saved: if s.travel_as_drawn > 0.0 { format!("{:.0} %", (1.0 - s.travel / s.travel_as_drawn) * 100.0) } else { "0 %".into() },
    });
    let order = &loaded.decided().order;
    let (starts, ways, places) = (order.moved(), order.turned(), order.places.len());
    let told = [(starts, "start", "starts"), (ways, "direction", "directions"), (places, "place", "places")];
    let told: Vec<String> = told.into_iter().filter(|t| t.0 > 0).map(|(n, one, many)| counted(n, one, many)).collect();
    let mut cuts: Vec<CutRow> = (0..loaded.here().toolpath.sheets.len()).flat_map(|i| listed(loaded, i)).collect();
    let more = cuts.len().saturating_sub(MOST_LISTED);
    cuts.truncate(MOST_LISTED);
    Order {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        rows: rows.collect(),
        strategy: order.strategy.name(),
        by_hand: starts + ways + places,
        told: format!("By hand: {}.", told.join(", ")),
        cuts,
        more,
    }
}
