//! Drawings for tests: the shop's own shapes, made in a line or two.

use crate::clean::{self, Cleaned};
use crate::decisions::{Decisions, DrawingDecisions};
use crate::drawing::{Drawing, Entity, FileUnits, Shape, Style, Unit};
use crate::geometry::{Curve, Path, Point};
use crate::intake;
use crate::shop::Shop;
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
    let (intake, _) = intake::run(d, &decided, &shop.machines[0]);
    let (cleaned, _) = clean::run(d, &intake, &decided, &shop.tolerance);
    (Arc::new(cleaned), Decisions { drawings: vec![decided], ..Decisions::default() })
}
