//! Outlines that came nicked: a ring of open pieces with small gaps of one width, straight on from piece to piece.
//!
//! As drawn they are open and could be neither nested nor offset. They are offered as what they are: closed, and held by nicks
//! where the gaps were.

use super::cells::Cells;
use super::chain::{Chained, End, rings};
use super::identity::{self, mixed};
use super::told::Told;
use crate::decisions::{Edit, HoldEdit, Mend};
use crate::finding::{Code, Severity, counted};
use crate::geometry::{Path, Point, Segment};
use crate::ids::{BatchId, EdgePlace};
use rustc_hash::FxHashMap;

/// A gap is so wide, mm: less is a gap that did not close, more is a part missing.
const WIDTH: (f64, f64) = (0.1, 3.0);
/// Gaps of a ring differ by this factor at most.
const UNEVEN: f64 = 1.5;
/// Every piece is so many times as long as the gaps; dashes are shorter.
const LONG: f64 = 8.0;
/// One gap alone is a fault of the drawing.
const FEWEST: usize = 2;
/// It goes straight on over the gap: cosine of the angle.
const STRAIGHT: f64 = 0.995;
/// Ends looked at round one end: where more lie nothing can be told.
const CROWD: usize = 300;

/// An outline that came nicked.
#[derive(Clone, Debug)]
pub(super) struct Nicked {
    /// The outline, closed.
    pub(super) path: Path,
    /// Its name once it is closed.
    pub(super) name: u64,
    /// Middles of its nicks.
    pub(super) nicks: Vec<Point>,
    /// The pieces that it came in.
    pieces: Vec<usize>,
    style: usize,
}

/// An end, and the direction out of its piece.
fn tip(open: &[Chained], end: End) -> (Point, crate::geometry::Vec2) {
    let segments = &open[end / 2].path.segments;
    if end % 2 == 1 {
        let s = &segments[segments.len() - 1];
        (s.end, s.direction(1.0))
    } else {
        (segments[0].start, -segments[0].direction(0.0))
    }
}

/// The nicked outlines among open contours.
pub(super) fn find(open: &[Chained]) -> Vec<Nicked> {
    let mut grids: FxHashMap<usize, (Cells, Vec<End>)> = FxHashMap::default();
    for end in 0..open.len() * 2 {
        let (cells, ends) = grids.entry(open[end / 2].style).or_insert_with(|| (Cells::new(WIDTH.1, 256), Vec::new()));
        cells.add(tip(open, end).0);
        ends.push(end);
    }
    grids.values_mut().for_each(|(cells, _)| cells.pack());
    let tips: Vec<(Point, crate::geometry::Vec2)> = (0..open.len() * 2).map(|e| tip(open, e)).collect();
    let across = |a: End| -> Option<End> {
        let (at, out) = tips[a];
        let (cells, ends) = grids.get(&open[a / 2].style)?;
        let mut best: Option<(f64, End)> = None;
        let told_apart = cells.near_few(at, WIDTH.1, CROWD, |i, d| {
            let b = ends[i];
            if b == a || d < WIDTH.0 || best.is_some_and(|best| best.0 <= d) {
                return;
            }
            let (there, back) = tips[b];
            let way = (there - at) / d.max(1e-12);
            if out.dot(way) > STRAIGHT && -back.dot(way) > STRAIGHT {
                best = Some((d, b));
            }
        });
        best.filter(|_| told_apart).map(|b| b.1)
    };
    let to: Vec<Option<End>> = (0..open.len() * 2).map(across).collect();
    let faces = |a: End| to[a].filter(|b| to[*b] == Some(a));
    let mut out = Vec::new();
    rings(open.len(), faces, |ring| {
        let found = closed_up(open, ring);
        let is_one = found.is_some();
        out.extend(found);
        is_one
    });
    out
}

/// The outline of a ring of pieces, each entered at its end; `None` where its gaps are none of one kind.
fn closed_up(open: &[Chained], ring: &[End]) -> Option<Nicked> {
    let pieces: Vec<Path> = ring.iter().map(|e| if e % 2 == 0 { open[e / 2].path.clone() } else { open[e / 2].path.reversed() }).collect();
    let (mut segments, mut nicks, mut widths) = (Vec::new(), Vec::new(), Vec::new());
    for (i, piece) in pieces.iter().enumerate() {
        let next = &pieces[(i + 1) % pieces.len()];
        let (last, first) = (piece.segments.last()?, next.segments.first()?);
        let gap = between(last, first);
        segments.extend(&piece.segments);
        segments.push(gap);
        nicks.push(gap.at(0.5));
        widths.push(gap.chord());
    }
    let (least, most) = widths.iter().fold((f64::INFINITY, 0.0_f64), |m, w| (m.0.min(*w), m.1.max(*w)));
    let path = Path::new(segments, true);
    let long = pieces.iter().all(|p| p.length() > LONG * most);
    let name = mixed(ring.iter().fold(0_u64, |n, e| n.wrapping_add(mixed(open[e / 2].name))));
    (nicks.len() >= FEWEST && most <= UNEVEN * least && long && path.area().abs() > most * most).then(|| Nicked {
        path,
        name,
        nicks,
        pieces: ring.iter().map(|e| e / 2).collect(),
        style: open[ring[0] / 2].style,
    })
}

/// What was left out between two pieces: the arc where both lie on one circle, else a line.
fn between(a: &Segment, b: &Segment) -> Segment {
    let line = Segment::line(a.end, b.start);
    if a.is_line() || b.is_line() || a.bulge.signum() != b.bulge.signum() {
        return line;
    }
    let (c, r) = (a.center(), a.radius());
    if c.distance(b.center()) > 0.02 * r || (r - b.radius()).abs() > 0.02 * r {
        return line;
    }
    let sweep = 2.0 * (line.chord() / 2.0 / r).clamp(-1.0, 1.0).asin();
    Segment { bulge: (sweep / 4.0).tan() * a.bulge.signum(), ..line }
}

/// The open contours, with these outlines closed.
pub(super) fn closed(open: Vec<Chained>, found: &[Nicked]) -> Vec<Chained> {
    let (mut open, _) = set_aside(open, found);
    open.extend(found.iter().map(|f| Chained { path: f.path.clone(), style: f.style, name: f.name, compound: 0, from: Vec::new() }));
    open
}

/// Takes the pieces of these outlines out, for what must not take them for dashes.
pub(super) fn set_aside(open: Vec<Chained>, found: &[Nicked]) -> (Vec<Chained>, Vec<Chained>) {
    let mut pieces = vec![false; open.len()];
    found.iter().flat_map(|f| &f.pieces).for_each(|p| pieces[*p] = true);
    let (aside, rest): (Vec<_>, Vec<_>) = open.into_iter().enumerate().partition(|(i, _)| pieces[*i]);
    let plain = |v: Vec<(usize, Chained)>| v.into_iter().map(|c| c.1).collect();
    (plain(rest), plain(aside))
}

impl Told<'_> {
    /// Outlines that came nicked.
    pub(super) fn nicked(&mut self, found: &[Nicked]) {
        let n = found.len();
        if n == 0 {
            return;
        }
        let gaps: usize = found.iter().map(|f| f.nicks.len()).sum();
        let text = format!(
            "{} in {} {} small gaps of one width in {}: it looks as if {} drawn with {}.",
            counted(n, "outline", "outlines"),
            self.file,
            if n == 1 { "has" } else { "have" },
            if n == 1 { "it" } else { "them" },
            if n == 1 { "it were" } else { "they were" },
            counted(gaps, "nick", "nicks"),
        );
        self.tell(Severity::Look, Code::NicksDrawn, n, text, found.iter().flat_map(|f| f.nicks.iter().copied()));
        let place = |f: &Nicked| {
            let places = f.nicks.iter().map(|at| EdgePlace::at(&f.path, f.path.nearest(*at).along)).collect();
            let contour = identity::first(f.name, self.decisions.id);
            HoldEdit::SetNickPlaces { contour, places: Some(places), copy: None }.on(BatchId::FIRST)
        };
        let held = std::iter::once(self.mend(Mend::CloseNicks)).chain(found.iter().map(place)).collect();
        self.with("Close them, and hold them by nicks there".into(), Edit::All { edits: held }, true);
        self.with("Close them".into(), self.mend(Mend::CloseNicks), false);
        self.with("Leave them open".into(), Edit::Accept { code: Code::NicksDrawn.to_string(), places: Default::default() }, false);
    }
}
