//! What Order asks: travel by sheet, the cuts in turn.

use super::rows;
use crate::stations::window::Window;
use crate::view::metres;
use askama::Template;
use boustrophe_core::finding::counted;
use boustrophe_core::ids::BatchId;
use boustrophe_shop::app::Loaded;

struct OrderRow {
    sheet: usize,
    steps: usize,
    travel: String,
    drawn: String,
    saved: String,
}

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
    /// How many cuts there are, and the first of them as they are listed.
    cuts: usize,
    cut_rows: String,
}

pub fn body(loaded: &Loaded) -> Order {
    // Travel is one figure: that of the program, as the ledger has it.
    let travelled = |i: usize, planned: f64| loaded.here().proofs.get(i).map_or(planned, |p| p.travel);
    let by_sheet = loaded.here().sequence.sheets.iter().enumerate().map(|(i, s)| OrderRow {
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
    let cut_rows = rows::rows(loaded, &Window::default());
    Order {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        rows: by_sheet.collect(),
        strategy: order.strategy.name(),
        by_hand: starts + ways + places,
        told: format!("By hand: {}.", told.join(", ")),
        cuts: cut_rows.of,
        cut_rows: cut_rows.render().unwrap_or_default(),
    }
}
