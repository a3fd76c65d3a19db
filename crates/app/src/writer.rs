//! The one place where the route meets the formats.

use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::drawing::Drawing;
use boustrophe_core::finding::Station;
use boustrophe_core::route::{ProgramOrder, Route, run};
use boustrophe_core::shop::Shop;
use std::io::{self, Write};
use std::sync::Arc;

/// The program in the machine's dialect.
fn program(order: &ProgramOrder, to: &mut dyn Write) -> io::Result<()> {
    boustrophe_formats::gcode::write(order, to)
}

/// Writes the program of a sheet, from 0, of a route that was run here.
pub fn write_program(route: &Route, sheet: usize, decisions: &Decisions, shop: &Shop, to: &mut dyn Write) -> io::Result<()> {
    route.write_program(sheet, decisions, shop, &program, to)
}

/// Runs the route with our program writer.
pub fn route(drawings: &[Arc<Drawing>], decisions: &Decisions, shop: &Shop, cache: &Cache, watch: &mut dyn FnMut(Station)) -> Route {
    run(drawings, decisions, shop, cache, &program, watch)
}
