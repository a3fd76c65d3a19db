//! What clip paths hide is taken off: lines end at the clip's edge, areas become what shows of them.

use boustrophe_core::drawing::{Drawing, Entity, Picture, Shape, Style};
use boustrophe_core::geometry::{Affine, Bounds, Clip, Curve, Filled, Path, shown};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Curves that meet a clip's edge are followed to this share of the clip's size.
const FOLLOWED: f64 = 1e-5;
/// Pixels times edges that are looked at for one picture; beyond it the picture stays whole and that is said.
const MOST_LOOKS: usize = 120_000_000;

/// A clip from the subpaths of a clip path, in drawing units.
pub(crate) fn clip<'a>(subpaths: impl IntoIterator<Item = &'a Vec<Curve>>) -> Clip {
    let subpaths: Vec<&Vec<Curve>> = subpaths.into_iter().collect();
    let size = subpaths.iter().flat_map(|c| c.iter()).map(Curve::bounds).fold(Bounds::EMPTY, Bounds::union);
    let tolerance = size.width().max(size.height()).max(1e-9) * FOLLOWED;
    Clip::new(subpaths.into_iter().map(|curves| closed(Path::fitted(curves, true, tolerance))))
}

/// A clip from areas that are put together, each by the rule that it is filled by: true for winding.
pub(crate) fn clip_of(areas: Vec<(Vec<Vec<Curve>>, bool)>) -> Clip {
    let size = areas.iter().flat_map(|a| &a.0).flatten().map(Curve::bounds).fold(Bounds::EMPTY, Bounds::union);
    let size = size.width().max(size.height()).max(1e-9);
    // Areas are put together as if they were of a plate of a metre: what is told apart there is fixed.
    let (up, down) = (Affine::scale(1000.0 / size), Affine::scale(size / 1000.0));
    let fitted = |curves: &Vec<Curve>| {
        let curves: Vec<Curve> = curves.iter().map(|c| c.transformed(up)).collect();
        closed(Path::fitted(&curves, true, 1000.0 * FOLLOWED))
    };
    let paths: Vec<(Vec<Path>, bool)> = areas.iter().map(|(outlines, winding)| (outlines.iter().map(fitted).collect(), *winding)).collect();
    let filled: Vec<Filled> = paths.iter().map(|(p, winding)| Filled { outlines: p.iter().collect(), winding: *winding }).collect();
    match shown(&filled) {
        Some(outlines) => Clip::new(outlines.iter().map(|p| p.transformed(down))),
        None => clip(areas.iter().flat_map(|a| &a.0)),
    }
}

/// The path with a last edge back to its start where it has none.
fn closed(mut path: Path) -> Path {
    if let (Some(first), Some(last)) = (path.segments.first(), path.segments.last()) {
        let (start, end) = (first.start, last.end);
        if start != end {
            path.segments.push(boustrophe_core::geometry::Segment::line(end, start));
        }
    }
    path
}

/// Cuts what was drawn from entity `first` on to what the clip shows. What is hidden whole is counted as skipped.
pub(crate) fn cut(drawing: &mut Drawing, first: usize, clip: &Clip) {
    let drawn: Vec<Entity> = drawing.entities.drain(first..).collect();
    let elements = |entities: &[Entity]| entities.iter().map(|e| e.compound).collect::<BTreeSet<u32>>();
    let before = elements(&drawn);
    for entity in drawn {
        show(drawing, entity, clip);
    }
    let after = elements(&drawing.entities[first..]);
    for _ in before.difference(&after) {
        drawing.read = drawing.read.saturating_sub(1);
        drawing.skip("what its clip hides");
    }
}

fn show(drawing: &mut Drawing, entity: Entity, clip: &Clip) {
    match &entity.shape {
        Shape::Text(t) => {
            if clip.has(t.at) {
                drawing.entities.push(entity);
            }
        }
        Shape::Picture(p) => {
            let looks = p.bitmap.grey.len().saturating_mul(clip.edges().max(1));
            if looks > MOST_LOOKS {
                drawing.remarks.push("a picture is too large for its clip path and stays whole.".into());
                drawing.entities.push(entity);
                return;
            }
            let bitmap = Arc::new(p.bitmap.clipped(p.place, clip));
            if bitmap.grey.iter().any(|g| *g < 255) {
                drawing.entities.push(Entity { shape: Shape::Picture(Picture { bitmap, place: p.place }), ..entity });
            }
        }
        Shape::Path { curves, closed: is_closed } => {
            let b = curves.iter().map(Curve::bounds).fold(Bounds::EMPTY, Bounds::union);
            if clip.leaves(b) {
                drawing.entities.push(entity);
                return;
            }
            if !clip.bounds().meets(&b) {
                return;
            }
            let size = b.width().max(b.height()).max(1e-9);
            let path = Path::fitted(curves, *is_closed, size * FOLLOWED);
            let style = drawing.styles[entity.style].clone();
            let (shown, style) = if style.fill.is_some() && style.stroke.is_none() {
                // What is cut out of several outlines together is told by even-odd.
                let style = drawing.style(&Style { winding: false, ..style });
                (clip.area(&closed(path)), style)
            } else {
                (clip.line(&path, size * 1e-9), entity.style)
            };
            for path in shown {
                let shape = Shape::Path { curves: path.segments.iter().map(Curve::segment).collect(), closed: path.closed };
                drawing.entities.push(Entity { style, shape, compound: entity.compound });
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use boustrophe_core::drawing::FileUnits;
    use boustrophe_core::geometry::Point;

    fn square(x: f64, y: f64, side: f64) -> Vec<Curve> {
        Path::rectangle(x, y, side, side).segments.iter().map(Curve::segment).collect()
    }

    #[test]
    fn lines_end_at_the_edge_and_areas_keep_what_shows() {
        let mut d = Drawing::new("x.svg", FileUnits::Pixels);
        let (line, fill) =
            (Style { stroke: Some([0; 3]), ..Style::default() }, Style { fill: Some([0; 3]), winding: true, ..Style::default() });
        let (line, fill) = (d.style(&line), d.style(&fill));
        for (compound, style, curves) in [
            (1, line, square(5.0, 5.0, 10.0)),
            (2, fill, square(5.0, 5.0, 10.0)),
            (3, line, square(50.0, 0.0, 5.0)),
            (4, fill, square(2.0, 2.0, 3.0)),
        ] {
            d.entities.push(Entity { style, shape: Shape::Path { curves, closed: true }, compound });
            d.read += 1;
        }
        cut(&mut d, 0, &clip([&square(0.0, 0.0, 10.0)]));
        let lengths: Vec<(u32, bool, f64)> = d
            .entities
            .iter()
            .filter_map(|e| match &e.shape {
                Shape::Path { curves, closed } => Some((e.compound, *closed, curves.iter().map(|c| c.ends().0.distance(c.ends().1)).sum())),
                _ => None,
            })
            .collect();
        assert!(
            matches!(lengths[..], [(1, false, a), (2, true, b), (4, true, c)] if (a - 10.0_f64).abs() < 1e-9 && (b - 20.0_f64).abs() < 1e-9 && (c - 12.0_f64).abs() < 1e-9),
            "{lengths:?}"
        );
        assert_eq!((d.read, d.skipped.get("what its clip hides")), (3, Some(&1)));
        assert!(!d.styles[d.entities[1].style].winding && d.styles[d.entities[2].style].winding, "only what was cut is told anew");
    }

    #[test]
    fn a_picture_is_paper_outside_its_clip() {
        let mut d = Drawing::new("x.svg", FileUnits::Pixels);
        let style = d.style(&Style::default());
        let bitmap = Arc::new(boustrophe_core::drawing::Bitmap { width: 4, height: 2, grey: vec![0; 8] });
        let place = boustrophe_core::geometry::Affine::scale_non_uniform(8.0, 4.0);
        d.entities.push(Entity::new(style, Shape::Picture(Picture { bitmap, place })));
        cut(&mut d, 0, &clip([&square(0.0, 0.0, 4.0)]));
        let Shape::Picture(p) = &d.entities[0].shape else { panic!("a picture") };
        assert_eq!(p.bitmap.grey, [0, 0, 255, 255, 0, 0, 255, 255]);
        let _ = Point::ZERO;
    }
}
