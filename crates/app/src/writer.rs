//! The one place where the route meets the formats.

use boustrophe_core::decisions::Decisions;
use boustrophe_core::drawing::Drawing;
use boustrophe_core::finding::Station;
use boustrophe_core::route::{Cache, ProgramOrder, Route, run};
use boustrophe_core::shop::Shop;
use std::sync::Arc;

/// The program in the machine's dialect.
fn program(order: &ProgramOrder) -> String {
    boustrophe_formats::gcode::write(order)
}

/// Runs the route with our program writer.
pub fn route(drawings: &[Arc<Drawing>], decisions: &Decisions, shop: &Shop, cache: &Cache, watch: &mut dyn FnMut(Station)) -> Route {
    run(drawings, decisions, shop, cache, &program, watch)
}
