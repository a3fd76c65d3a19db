//! Parts laid on sheets: the engines that find places, the check that measures them, and what layouts are worth.
//!
//! Nothing here knows of jobs, stations or shops: whoever wants a nest shows its [`Parts`] and says its [`Terms`]. Lengths are
//! millimetres, areas mm², angles degrees anticlockwise ([`Placement`]); y points up. What an engine finds is measured by
//! [`faults`], which shares nothing with the engines, before it is a [`Layout`].
//!
//! Four discs on a sheet that has just room for them:
//!
//! ```
//! use boustrophe_geometry::ids::{ContourId, PartId};
//! use boustrophe_geometry::{Bounds, Path, Point, Tolerance};
//! use boustrophe_nest::{Control, Part, Parts, Problem, Sheet, Terms, faults, search};
//!
//! struct Discs(Path);
//! impl Parts for Discs {
//!     fn parts(&self) -> Vec<Part<'_>> {
//!         let (id, bounds) = (PartId(ContourId(1)), self.0.bounds());
//!         vec![Part { id, outline: &self.0, bounds, area: self.0.area(), quantity: 4 }]
//!     }
//!     fn part(&self, id: PartId) -> Option<Part<'_>> {
//!         self.parts().into_iter().find(|p| p.id == id)
//!     }
//!     fn holes(&self, _: PartId) -> Vec<&Path> {
//!         Vec::new()
//!     }
//!     fn engraved(&self, _: PartId) -> Vec<&Path> {
//!         Vec::new()
//!     }
//!     fn frame(&self, _: PartId) -> Bounds {
//!         self.0.bounds()
//!     }
//! }
//!
//! let discs = Discs(Path::circle(Point::ZERO, 20.0));
//! let terms = Terms { spacing: 2.0, margin: 5.0, sheets: vec![Sheet::rectangle(92.0, 92.0)], ..Terms::default() };
//! let problem = Problem::new(&discs, &terms, &Tolerance::default());
//! let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: 10 });
//! assert_eq!((layout.sheets.len(), layout.copies().count()), (1, 4));
//! assert_eq!(faults(&discs, &layout, terms.distances()).count, 0);
//! ```

mod aim;
mod blanks;
mod boards;
mod check;
mod convex;
mod cost;
mod cover;
mod engine;
mod fence;
mod fences;
mod grain;
mod greedy;
pub mod hand;
mod in_line;
pub mod kits;
mod lane;
mod lattice;
mod layout;
mod nofit;
mod packer;
mod parts;
mod plan;
mod problem;
mod quick;
pub mod rest;
mod search;
mod separation;
mod shelves;
mod snap;
mod stock;
mod terms;
#[cfg(test)]
mod tests;
mod tray;
mod turns;
mod ways;

pub use aim::{Merits, Prices};
pub use check::{Around, Faults, faults};
pub use cost::is_better;
pub use grain::Grain;
pub use in_line::{Axis, Lined, in_line};
pub use lattice::densest_lattice;
pub use layout::{Layout, Placement, Sheet, SheetLayout, turned};
pub use parts::{Part, Parts};
pub use problem::Problem;
pub use search::{Control, search};
pub use separation::places_priced;
pub use terms::{Against, Distances, Terms};
pub use tray::{Lie, Tray};
pub use ways::{Aim, Kit, PartNest, Turn};

use boustrophe_geometry as geometry;
use boustrophe_geometry::ids;
