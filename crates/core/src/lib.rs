//! Rules and computation of the route a job takes through the shop.
//!
//! A job is a pipeline of pure functions over stored decisions, one module a station:
//! [`intake`] → [`clean`] → [`assign`] → [`nest`] → [`order`] → [`hold`] → [`proof`]; [`route`] runs them in a row and
//! keeps what did not change. Nothing here reads a clock, a file or the network. Lengths are millimetres, areas mm²,
//! times seconds, angles radians (degrees only in [`nest::Placement`] and where a person types them); y points up.
//!
//! A plate from its drawing to what it costs to find a place for it:
//!
//! ```
//! use boustrophe_core::cache::Cache;
//! use boustrophe_core::decisions::{Decisions, DrawingDecisions};
//! use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Shape, Style, Unit};
//! use boustrophe_core::finding::Station;
//! use boustrophe_core::geometry::{Curve, Path};
//! use boustrophe_core::{route, shop::Shop};
//! use std::sync::Arc;
//!
//! let mut drawing = Drawing::new("plate.dxf", FileUnits::Known(Unit::Mm));
//! let style = drawing.style(&Style::default());
//! let curves = Path::rectangle(0.0, 0.0, 80.0, 50.0).segments.iter().map(Curve::segment).collect();
//! drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: true }));
//!
//! let decided = DrawingDecisions::new(1, "", "plate.dxf");
//! let decisions = Decisions { drawings: vec![decided], ..Decisions::default() };
//! let route = route::run(&[Arc::new(drawing)], &decisions, &Shop::builtin(), &Cache::default(), &mut |_| {});
//!
//! let part = &route.work.parts[0];
//! assert_eq!((part.bounds.width(), part.bounds.height()), (80.0, 50.0));
//! // It waits to be nested: a finding with the remedy that does it.
//! let waits = route.findings_of(Station::Nest).next().expect("a finding");
//! assert_eq!((waits.code.as_str(), waits.remedies.len()), ("not-nested", 1));
//! ```

pub mod assign;
pub mod bed;
pub mod cache;
pub mod card;
pub mod clean;
pub mod custom;
pub mod cuts;
pub mod decisions;
pub mod dialect;
pub mod drawing;
pub mod finding;
pub use boustrophe_geometry as geometry;
pub mod hold;
pub use boustrophe_geometry::ids;
pub mod intake;
pub mod ledger;
pub mod lettering;
pub mod mesh;
pub mod nest;
pub mod order;
pub mod panels;
pub mod picture;
pub mod plate;
pub mod print;
pub mod process;
pub mod proof;
pub mod quantity;
pub mod release;
pub mod released;
pub mod route;
pub mod run;
pub mod shop;
pub mod solid;
#[cfg(test)]
mod testing;
pub mod time;
pub mod words;
