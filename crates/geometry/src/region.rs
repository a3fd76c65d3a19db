//! Areas as a beam leaves them: what a disc sweeps that is carried along a path, and what such a disc cannot reach.
//!
//! A disc of radius r that is carried round an area from without reaches everything but the places that are narrower than
//! it is wide; from within it is the same with webs and necks. What it does not reach is told apart by its mouth: between
//! the sides of a corner the mouth opens as the corner does, between the sides of a notch it does not.

use super::{Path, Point, Ring, Segment, ring_area};
use i_overlay::core::fill_rule::FillRule;
use i_overlay::core::overlay_rule::OverlayRule;
use i_overlay::float::single::SingleFloatOverlay;
use i_overlay::mesh::float::stroke::offset::StrokeOffset;
use i_overlay::mesh::float::style::{LineCap, LineJoin, StrokeStyle};
use kurbo::Vec2;
use rstar::primitives::{GeomWithData, Rectangle};

/// Chord error of arcs, mm.
const ERROR: f64 = 0.003;
/// Points of a ring nearer than this to another ring lie on it, mm.
const ON: f64 = 0.012;
/// Sides that open by less than this angle are those of a notch or a tongue, not of a corner, radians.
const PARALLEL: f64 = 0.26;

type Shapes = Vec<Vec<Vec<[f64; 2]>>>;

/// An area of straight edges, in pieces with openings.
#[derive(Clone, Debug, Default)]
pub struct Region {
    shapes: Shapes,
}

/// A place of an area that a disc does not reach.
#[derive(Clone, Debug, PartialEq)]
pub struct Residue {
    /// The place deepest in it.
    pub at: Point,
    /// Its area, mm².
    pub area: f64,
    /// How far it goes on beyond what the disc reaches, mm.
    pub depth: f64,
    /// Across how many stretches of its edge the disc reaches it: a corner or notch has one, a web two, what is narrow all
    /// over none.
    pub mouths: usize,
    /// Angle between the sides of a single mouth, radians: 0 for a notch, a right angle for a square corner.
    pub opening: f64,
}

impl Residue {
    /// True for a notch, a web, a tongue; false for a corner that the disc merely rounds.
    pub fn is_narrow(&self) -> bool {
        self.mouths != 1 || self.opening < PARALLEL
    }
}

fn ring(path: &Path) -> Vec<[f64; 2]> {
    path.points(ERROR).iter().map(|p| [p.x, p.y]).collect()
}

impl Region {
    /// What lies in closed outlines, by the even-odd rule.
    pub fn within(outlines: &[&Path]) -> Self {
        Self::filled(outlines, FillRule::EvenOdd)
    }
    fn filled(outlines: &[&Path], rule: FillRule) -> Self {
        let rings: Vec<_> = outlines.iter().map(|p| ring(p)).filter(|r| r.len() > 2).collect();
        let nothing: Vec<Vec<[f64; 2]>> = Vec::new();
        Self { shapes: rings.overlay(&nothing, OverlayRule::Subject, rule) }
    }

    /// What closed outlines wind round, however often and whichever way round, but not as often one way as the other.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let (a, b) = (Path::rectangle(0.0, 0.0, 30.0, 10.0), Path::rectangle(20.0, 0.0, 30.0, 10.0));
    /// assert!((Region::wound(&[&a, &b.reversed()]).area() - 400.0).abs() < 1e-6);
    /// ```
    pub fn wound(outlines: &[&Path]) -> Self {
        Self::filled(outlines, FillRule::NonZero)
    }

    /// All of these areas together.
    pub fn union(all: impl IntoIterator<Item = Self>) -> Self {
        let shapes: Shapes = all.into_iter().flat_map(|r| r.shapes).collect();
        let nothing: Vec<Vec<[f64; 2]>> = Vec::new();
        Self { shapes: shapes.overlay(&nothing, OverlayRule::Subject, FillRule::NonZero) }
    }

    /// Its edges as closed paths, of each piece the outer first.
    pub fn outlines(&self) -> Vec<Path> {
        self.shapes.iter().flatten().map(|r| Path::polygon(&points(r))).collect()
    }

    /// What a disc of diameter `width` sweeps along paths; nothing for no width.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // A beam 1 mm wide along 20 mm, round at both ends.
    /// let line = Path::new(vec![Segment::line(Point::ZERO, Point::new(20.0, 0.0))], false);
    /// assert!((Region::swept(&[line], 1.0).area() - (20.0 + std::f64::consts::PI / 4.0)).abs() < 0.02);
    /// ```
    pub fn swept(paths: &[Path], width: f64) -> Self {
        let mut swept = Self::default();
        if width <= 0.0 {
            return swept;
        }
        for closed in [true, false] {
            let lines: Vec<Vec<[f64; 2]>> = paths.iter().filter(|p| p.closed == closed).map(ring).filter(|r| r.len() > 1).collect();
            if !lines.is_empty() {
                swept.shapes.extend(stroked(&lines, width, closed));
            }
        }
        swept
    }

    /// What a disc of diameter `width` sweeps round the edge.
    fn edge_swept(&self, width: f64) -> Self {
        let rings: Vec<Vec<[f64; 2]>> = self.shapes.iter().flatten().cloned().collect();
        Self { shapes: if rings.is_empty() { Vec::new() } else { stroked(&rings, width, true) } }
    }

    fn combined(&self, other: &Self, rule: OverlayRule) -> Self {
        Self { shapes: self.shapes.overlay(&other.shapes, rule, FillRule::NonZero) }
    }
    /// Without another area.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let area = |w: f64| Region::within(&[&Path::rectangle(0.0, 0.0, w, 10.0)]);
    /// assert!((area(30.0).minus(&area(10.0)).area() - 200.0).abs() < 1e-6);
    /// ```
    pub fn minus(&self, other: &Self) -> Self {
        self.combined(other, OverlayRule::Difference)
    }
    /// What lies more than a hair's breadth outside of another area: edges that run on each other leave nothing.
    pub fn beyond(&self, other: &Self) -> Self {
        self.minus(&other.plus(&other.edge_swept(2.0 * ERROR)))
    }
    /// Together with another area.
    pub fn plus(&self, other: &Self) -> Self {
        self.combined(other, OverlayRule::Union)
    }
    /// What a disc of diameter `width` covers that stays within the area.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // A web of 2 mm between two fields is gone where nothing narrower than 3 mm is let.
    /// let (a, b, web) = (Path::rectangle(0.0, 0.0, 20.0, 20.0), Path::rectangle(30.0, 0.0, 20.0, 20.0), Path::rectangle(19.0, 9.0, 12.0, 2.0));
    /// let all = Region::union([&a, &b, &web].map(|p| Region::within(&[p])));
    /// assert_eq!((all.pieces().count(), all.opened(3.0).pieces().count()), (1, 2));
    /// ```
    pub fn opened(&self, width: f64) -> Self {
        let core = self.minus(&self.edge_swept(width));
        core.plus(&core.edge_swept(width))
    }

    /// The same with whatever is narrower than `width` made that wide, evenly about its middle, and no more than a sixteenth wider;
    /// corners stay as they are, and what is wide enough does.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // A web of 0.5 mm between two fields becomes one of 2 mm.
    /// let all = [Path::rectangle(0.0, 0.0, 20.0, 20.0), Path::rectangle(30.0, 0.0, 20.0, 20.0), Path::rectangle(19.0, 9.75, 12.0, 0.5)];
    /// let thick = Region::union(all.iter().map(|p| Region::within(&[p]))).thickened(2.0);
    /// assert_eq!((thick.opened(1.99).pieces().count(), thick.opened(2.3).pieces().count()), (1, 2));
    /// ```
    #[must_use]
    pub fn thickened(&self, width: f64) -> Self {
        const STEPS: usize = 16;
        let mut out = self.clone();
        for k in 0..STEPS {
            let (low, high) = (width * k as f64 / STEPS as f64, width * (k + 1) as f64 / STEPS as f64);
            // What is so wide and no wider, and of that its middle: what is left where half of that has been taken off either side.
            let (wide, core) = if k == 0 { (self.clone(), self.clone()) } else { (self.opened(low), self.minus(&self.edge_swept(low))) };
            let between = wide.beyond(&self.opened(high));
            let narrow = |piece: &Self| piece.residues(self).iter().any(Residue::is_narrow);
            for piece in between.pieces().filter(narrow) {
                let middle = core.combined(&piece.plus(&piece.edge_swept(4.0 * ERROR)), OverlayRule::Intersect);
                out = out.plus(&middle).plus(&middle.edge_swept(width));
            }
        }
        out
    }

    /// Area, mm².
    pub fn area(&self) -> f64 {
        self.shapes.iter().flatten().map(|r| ring_area(&points(r))).sum::<f64>().abs()
    }
    /// True for no area.
    pub fn is_empty(&self) -> bool {
        self.shapes.is_empty()
    }

    /// Some point in it.
    pub fn any_point(&self) -> Option<Point> {
        self.shapes.iter().find_map(|s| middles(s).find(|p| self.has(*p)))
    }
    /// Its separate pieces.
    pub fn pieces(&self) -> impl Iterator<Item = Self> + '_ {
        self.shapes.iter().map(|s| Self { shapes: vec![s.clone()] })
    }

    /// Its pieces that share more than a sliver with another area: one of the places in the middle of a piece lies in that.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let at = |x: f64| Region::within(&[&Path::rectangle(x, 0.0, 10.0, 10.0)]);
    /// let three = Region::union([at(0.0), at(20.0), at(40.0)]);
    /// assert_eq!(three.pieces_in(&Region::union([at(5.0), at(41.0)])).pieces().count(), 2);
    /// ```
    pub fn pieces_in(&self, other: &Self) -> Self {
        let rings = other.shapes.iter().enumerate().flat_map(|(i, s)| s.iter().map(move |r| (i, r)));
        let boxed = |(i, r): (usize, &'_ Vec<[f64; 2]>)| GeomWithData::new(boxed(r), (i, r.clone()));
        let index: rstar::RTree<Boxed> = rstar::RTree::bulk_load(rings.map(boxed).collect());
        // Rings whose box is not round a point are crossed as often in as out.
        let has = |p: Point| {
            let mut crossed: Vec<usize> =
                index.locate_all_at_point([p.x, p.y]).filter(|b| crosses(&b.data.1, p)).map(|b| b.data.0).collect();
            crossed.sort_unstable();
            crossed.chunk_by(|a, b| a == b).any(|of_one| of_one.len() % 2 == 1)
        };
        Self { shapes: self.shapes.iter().filter(|s| middles(s).any(has)).cloned().collect() }
    }

    /// True where a point lies in it.
    pub fn has(&self, p: Point) -> bool {
        self.shapes.iter().any(|s| s.iter().filter(|r| crosses(r, p)).count() % 2 == 1)
    }

    /// Pieces of this area, which is what a disc does not reach of `whole`, with what kind of place each is. Slivers that
    /// rounding leaves are none.
    pub fn residues(&self, whole: &Self) -> Vec<Residue> {
        let edges: Vec<Segment> = whole.shapes.iter().flatten().flat_map(|r| sides(r)).collect();
        let index = rstar::RTree::bulk_load(edges.iter().map(|s| Side(*s)).collect());
        self.shapes.iter().filter_map(|s| residue(s.first()?, &index)).collect()
    }
}

/// A ring with its box, and the number of its shape.
type Boxed = GeomWithData<Rectangle<[f64; 2]>, (usize, Vec<[f64; 2]>)>;

/// The box round a ring.
fn boxed(ring: &[[f64; 2]]) -> Rectangle<[f64; 2]> {
    let (mut min, mut max) = ([f64::INFINITY; 2], [f64::NEG_INFINITY; 2]);
    for p in ring {
        for k in 0..2 {
            (min[k], max[k]) = (min[k].min(p[k]), max[k].max(p[k]));
        }
    }
    Rectangle::from_corners(min, max)
}

/// An edge in an index.
struct Side(Segment);

impl rstar::RTreeObject for Side {
    type Envelope = rstar::AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        let b = self.0.bounds();
        rstar::AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y])
    }
}

fn stroked(lines: &[Vec<[f64; 2]>], width: f64, closed: bool) -> Shapes {
    // Chords of a circle of this radius that stay within the error of it.
    let step = (2.0 * (1.0 - ERROR / (width / 2.0).max(2.0 * ERROR)).acos()).clamp(0.02, 0.5);
    let style = StrokeStyle::new(width).line_join(LineJoin::Round(step)).start_cap(LineCap::Round(step)).end_cap(LineCap::Round(step));
    lines.to_vec().stroke(style, closed)
}

fn points(ring: &[[f64; 2]]) -> Ring {
    ring.iter().map(|p| Point::new(p[0], p[1])).collect()
}

fn sides(ring: &[[f64; 2]]) -> impl Iterator<Item = Segment> + '_ {
    let n = ring.len();
    let at = move |i: usize| Point::new(ring[i % n][0], ring[i % n][1]);
    (0..n).map(move |i| Segment::line(at(i), at(i + 1)))
}

/// Whether a ray to the right crosses a ring an odd number of times.
fn crosses(ring: &[[f64; 2]], p: Point) -> bool {
    sides(ring)
        .filter(|s| (s.start.y > p.y) != (s.end.y > p.y))
        .filter(|s| {
            let t = (p.y - s.start.y) / (s.end.y - s.start.y);
            s.start.x + t * (s.end.x - s.start.x) > p.x
        })
        .count()
        % 2
        == 1
}

/// Points in the middle of a shape's widest stretches at a few heights.
fn middles(shape: &[Vec<[f64; 2]>]) -> impl Iterator<Item = Point> + '_ {
    let ys = || shape.iter().flatten().map(|p| p[1]);
    let (low, high) = (ys().fold(f64::INFINITY, f64::min), ys().fold(f64::NEG_INFINITY, f64::max));
    (1..8).filter_map(move |k| {
        let y = low + (high - low) * (f64::from(k) + 0.013) / 8.0;
        let mut xs: Vec<f64> = shape
            .iter()
            .flat_map(|r| sides(r).collect::<Vec<_>>())
            .filter(|s| (s.start.y > y) != (s.end.y > y))
            .map(|s| s.start.x + (y - s.start.y) / (s.end.y - s.start.y) * (s.end.x - s.start.x))
            .collect();
        xs.sort_by(f64::total_cmp);
        let widest = xs.chunks_exact(2).max_by(|a, b| (a[1] - a[0]).total_cmp(&(b[1] - b[0])))?;
        Some(Point::new(f64::midpoint(widest[0], widest[1]), y))
    })
}

fn residue(ring: &[[f64; 2]], whole: &rstar::RTree<Side>) -> Option<Residue> {
    let area = ring_area(&points(ring)).abs();
    let edges: Vec<Segment> = sides(ring).filter(|s| s.length() > 1e-7).collect();
    let length: f64 = edges.iter().map(Segment::length).sum();
    // Twice its area over its length is about how wide a sliver is.
    if edges.len() < 3 || 2.0 * area / length < ON {
        return None;
    }
    let on_whole = |p: Point| {
        let near = rstar::AABB::from_corners([p.x - ON, p.y - ON], [p.x + ON, p.y + ON]);
        whole.locate_in_envelope_intersecting(near).any(|s| s.0.distance(p) < ON)
    };
    let own: Vec<bool> = edges.iter().map(|s| [0.25, 0.5, 0.75].iter().all(|t| on_whole(s.at(*t)))).collect();
    let n = edges.len();
    let begins: Vec<usize> = (0..n).filter(|i| !own[*i] && own[(*i + n - 1) % n]).collect();
    let mouth: Vec<Segment> = edges.iter().zip(&own).filter(|(_, own)| !**own).map(|(s, _)| *s).collect();
    if mouth.is_empty() {
        let at = edges.iter().fold(Vec2::ZERO, |sum, s| sum + s.start.to_vec2()) / n as f64;
        return Some(Residue { at: at.to_point(), area, depth: length / 2.0, mouths: 0, opening: 0.0 });
    }
    let off = |p: Point| mouth.iter().map(|m| m.distance(p)).fold(f64::INFINITY, f64::min);
    let looks = edges.iter().flat_map(|s| [0.0, 0.25, 0.5, 0.75].map(|t| s.at(t)));
    let (at, depth) = looks.map(|p| (p, off(p))).max_by(|a, b| a.1.total_cmp(&b.1))?;
    let opening = match begins.as_slice() {
        [begin] => opening(&edges, &own, *begin),
        _ => 0.0,
    };
    Some(Residue { at, area, depth, mouths: begins.len().max(1), opening })
}

/// Angle between the two sides that lead in from a mouth which begins at an edge of the ring.
fn opening(edges: &[Segment], own: &[bool], begin: usize) -> f64 {
    let n = edges.len();
    let end = (begin..begin + n).find(|i| own[i % n]).unwrap_or(begin) % n;
    let after = edges[end].start;
    let before = edges[begin].start;
    // So far in a side shows its direction, and what comes further in does not matter yet.
    let far = (0.15 * before.distance(after)).max(4.0 * ON);
    let walk = |start: Point, along: Vec<Point>| -> Option<Vec2> {
        let at = |reach: f64| along.iter().find(|p| p.distance(start) >= reach);
        Some(*at(3.0 * far)? - *at(far)?)
    };
    let forward = walk(after, (0..n).flat_map(|k| fine(&edges[(end + k) % n])).collect());
    let backward = walk(before, (1..=n).flat_map(|k| fine(&edges[(begin + n - k) % n].reversed())).collect());
    match (forward, backward) {
        (Some(a), Some(b)) => a.cross(b).abs().atan2(a.dot(b)),
        _ => std::f64::consts::PI,
    }
}

/// Points along an edge.
fn fine(s: &Segment) -> Vec<Point> {
    let steps = (s.length() / ON).ceil().clamp(1.0, 400.0) as usize;
    (1..=steps).map(|i| s.at(i as f64 / steps as f64)).collect()
}

#[cfg(test)]
mod tests;
