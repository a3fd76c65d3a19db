//! What is to be nested, in the form the search works on.

use crate::convex;
use crate::cover::cover;
use crate::geometry::{Bounds, Corners, Path, Point, Polygon, Ring, Tolerance, Vec2, hull, ring_area};
use crate::ids::CopyId;
use crate::ids::PartId;
use crate::kits::Kits;
use crate::layout::{Layout, Placement, Sheet};
use crate::nofit::{NoFit, Oriented, Standing, grow};
use crate::parts::Parts;
use crate::plan::Put;
use crate::plan::{Filled, Plan};
use crate::terms::{Distances, Terms, is_straight};
use crate::turns::Turns;
use crate::ways::{Aim, PartNest};
use rustc_hash::FxHashMap;
use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, RwLock};

/// Most corners a shape may have in the search; beyond it the shape is covered more coarsely, never less.
const MOST_CORNERS: usize = 96;

/// Error that a coarse shape begins with, mm.
const COARSE: f64 = 0.02;

/// A shape that one or more parts have.
pub(crate) struct Shape {
    pub(crate) turns: Turns,
    /// It may lie at any angle.
    pub(crate) free: bool,
    /// Area within its outline, mm².
    pub(crate) area: f64,
    /// The same without the openings that others may lie in.
    pub(crate) net: f64,
    pub(crate) size: Vec2,
    pub(crate) polygon: Polygon,
}

/// One part to be placed.
pub(crate) struct Demand {
    pub(crate) part: PartId,
    pub(crate) shape: usize,
    pub(crate) quantity: u32,
    /// Lower left of the part's box in its drawing.
    pub(crate) corner: Vec2,
    /// It has its place before the others.
    pub(crate) first: bool,
    /// It fills what the others leave.
    pub(crate) filler: bool,
}

/// A fixed shape's and a moving shape's key: shape and turn of each; obstacles of sheet `s` count as fixed shape usize::MAX - s.
type Pair = (usize, usize, usize, usize);

/// Parts, sheets and distances, with the no-fit regions found so far.
pub struct Problem<'w> {
    pub(crate) work: &'w dyn Parts,
    pub(crate) shapes: Vec<Shape>,
    pub(crate) demands: Vec<Demand>,
    pub(crate) sheets: Vec<Sheet>,
    pub(crate) spacing: f64,
    pub(crate) distances: Distances,
    pub(crate) aim: Aim,
    /// Parts that belong together.
    pub(crate) kits: Vec<Kits>,
    /// Price of sheets by area, money per mm².
    rate: f64,
    /// For each kind of sheet what is no room: beyond an offcut's outline, grown by the margin, and round what is held.
    pub(crate) blocked: Vec<Vec<Standing>>,
    /// For each kind of sheet the copies that are held on it.
    pub(crate) held: Vec<Vec<Placement>>,
    /// Where the search starts from.
    pub(crate) start: Option<Plan>,
    regions: RwLock<HashMap<Pair, Arc<NoFit>>>,
    /// Where everything lies on blanks: there is nothing to be searched for.
    pub(crate) on_blanks: Option<Layout>,
}

/// Shapes that may lie at any angle are given so many at most, all together: each pair of them is asked for.
const MOST_ANGLES: usize = 480;

impl<'w> Problem<'w> {
    /// Gathers parts of one shape, covers their arcs by corners, and drops holes that nothing fits into.
    pub fn new(work: &'w dyn Parts, terms: &Terms, tolerance: &Tolerance) -> Self {
        Self::from(work, terms, tolerance, &Layout::default(), &BTreeSet::new())
    }

    /// The same, starting from a layout, of which some copies are held where they lie.
    pub fn from(work: &'w dyn Parts, terms: &Terms, tolerance: &Tolerance, start: &Layout, held: &BTreeSet<CopyId>) -> Self {
        let spacing = terms.common.map_or(terms.spacing, |kerf| kerf.min(terms.spacing));
        let stays = |p: &&Placement| held.contains(&p.copy) && work.part(p.copy.part).is_some();
        let wanted: Vec<_> = work.parts().into_iter().filter(|p| p.quantity > 0).collect();
        let least = wanted.iter().map(|p| p.bounds.width().min(p.bounds.height())).fold(f64::INFINITY, f64::min);
        let least_area = wanted.iter().map(|p| p.area).fold(f64::INFINITY, f64::min);
        let mut known: FxHashMap<(Vec<(i64, i64)>, String), usize> = FxHashMap::default();
        let mut shapes = Vec::new();
        let mut demands = Vec::new();
        let each = (MOST_ANGLES / wanted.len().max(1)).clamp(4, 24);
        for part in wanted {
            let corner = part.bounds.min.to_vec2();
            let takes_one = |hole: &&Path| {
                let b = hole.bounds();
                b.width().min(b.height()) > least && hole.area().abs() > least_area
            };
            let holes: Vec<&Path> = work.holes(part.id).into_iter().filter(takes_one).collect();
            let polygon = match terms.common.filter(|_| !is_straight(part.outline)) {
                // What shares no edges keeps its distance all the same: it counts as larger by what the others come nearer.
                Some(kerf) => cover(&larger(part.outline, terms.spacing - kerf), &[], tolerance.nest, corner, MOST_CORNERS),
                None => cover(part.outline, &holes, tolerance.nest, corner, MOST_CORNERS),
            };
            let print: Vec<(i64, i64)> = std::iter::once(&polygon.outer)
                .chain(&polygon.holes)
                .flatten()
                .map(|p| ((p.x * 1000.0).round() as i64, (p.y * 1000.0).round() as i64))
                .collect();
            let (mut angles, mirror) = terms.poses(part.id);
            let free = terms.any_angle(part.id);
            if free {
                angles.extend(leaning(&polygon, each - 4));
            }
            // Parts of one shape that may not lie in the same ways are apart.
            let shape = *known.entry((print, format!("{angles:?} {mirror} {free}"))).or_insert_with(|| {
                shapes.push(shape(polygon, (&angles, mirror, free), spacing));
                shapes.len() - 1
            });
            let lies = start.copies().filter(stays).filter(|p| p.copy.part == part.id).count() as u32;
            let PartNest { first, filler, .. } = terms.parts.get(&part.id).copied().unwrap_or_default();
            demands.push(Demand { part: part.id, shape, quantity: part.quantity.saturating_sub(lies), corner, first, filler });
        }
        let mut problem = Self {
            work,
            shapes,
            demands,
            blocked: terms.sheets.iter().map(|s| blocked(s, terms.margin, tolerance.nest)).collect(),
            held: vec![Vec::new(); terms.sheets.len()],
            sheets: terms.sheets.clone(),
            spacing,
            distances: terms.distances(),
            aim: terms.aim,
            kits: Kits::of(work, terms),
            rate: terms.rate,
            start: None,
            regions: RwLock::new(HashMap::new()),
            on_blanks: terms.tray.as_ref().map(|t| crate::blanks::laid(work, t)),
        };
        let kinds = problem.hold(start, &stays, tolerance.nest);
        problem.start = problem.plan(start, &kinds, &stays);
        problem
    }

    /// Makes a kind of its own of every sheet on which copies are held; the kinds of all sheets of the layout, where they have one.
    fn hold(&mut self, start: &Layout, stays: &dyn Fn(&&Placement) -> bool, error: f64) -> Vec<Option<usize>> {
        let mut kinds = Vec::new();
        for sheet in &start.sheets {
            let same = |s: &Sheet| s.width == sheet.sheet.width && s.height == sheet.sheet.height && s.outline == sheet.sheet.outline;
            let usual = self.sheets.iter().position(|s| same(s) && s.count != Some(0));
            let lying: Vec<Placement> = sheet.placed.iter().filter(stays).copied().collect();
            if lying.is_empty() {
                kinds.push(usual);
                continue;
            }
            if let Some(count) = usual.and_then(|k| self.sheets[k].count.as_mut()) {
                *count -= 1;
            }
            let mut blocked = blocked(&sheet.sheet, self.distances.margin, error);
            blocked.extend(lying.iter().filter_map(|p| self.standing(p, error)));
            self.blocked.push(blocked);
            self.held.push(lying);
            self.sheets.push(Sheet { count: Some(1), ..sheet.sheet.clone() });
            kinds.push(Some(self.sheets.len() - 1));
        }
        kinds
    }

    /// What a sheet of a kind costs.
    pub(crate) fn price(&self, kind: usize) -> f64 {
        let sheet = &self.sheets[kind];
        sheet.price.unwrap_or_else(|| sheet.area() * self.rate)
    }

    /// A held copy, grown by the spacing.
    fn standing(&self, p: &Placement, error: f64) -> Option<Standing> {
        let part = self.work.part(p.copy.part)?;
        let holes = self.work.holes(part.id);
        let polygon = match self.distances.common.filter(|_| !is_straight(part.outline)) {
            Some(kerf) => cover(&larger(part.outline, self.distances.spacing - kerf), &[], error, Vec2::ZERO, MOST_CORNERS),
            None => cover(part.outline, &holes, error, Vec2::ZERO, MOST_CORNERS),
        };
        let polygon = polygon.transformed(p.affine());
        Some(grow(&convex::pieces(&polygon), self.spacing))
    }

    /// What of a layout is not held, as a plan; a copy that lies at an angle of its own adds it to those of its shape.
    fn plan(&mut self, start: &Layout, kinds: &[Option<usize>], stays: &dyn Fn(&&Placement) -> bool) -> Option<Plan> {
        let mut left: Vec<u32> = self.demands.iter().map(|d| d.quantity).collect();
        let mut plan = Plan::default();
        for (sheet, kind) in start.sheets.iter().zip(kinds) {
            let mut put = Vec::new();
            for p in sheet.placed.iter().filter(|p| kind.is_some() && !stays(p)) {
                let Some(demand) = self.demands.iter().position(|d| d.part == p.copy.part).filter(|d| left[*d] > 0) else { continue };
                left[demand] -= 1;
                let (shape, corner) = (self.demands[demand].shape, self.demands[demand].corner);
                let s = &mut self.shapes[shape];
                let pose = (p.angle, p.mirrored);
                let turn = s.turns.number(pose).unwrap_or_else(|| s.turns.push(Oriented::new(&s.polygon, pose, self.spacing)));
                let o = &s.turns[turn];
                let home = o.motion() * corner.to_point();
                put.push(Put { demand, turn, at: (Vec2::new(p.x, p.y) - o.shift + home.to_vec2()).to_point() });
            }
            if let Some(kind) = kind.filter(|k| !put.is_empty() || !self.held[*k].is_empty()) {
                plan.sheets.push(Filled { kind, put });
            }
        }
        plan.unplaced = left.iter().enumerate().flat_map(|(d, n)| std::iter::repeat_n(d, *n as usize)).collect();
        (!plan.sheets.is_empty()).then_some(plan)
    }

    /// The same with convex hulls for shapes: laid out at once, however many kinds there are.
    pub(crate) fn hulls(&self) -> Self {
        let hull =
            |s: &Shape| Shape { turns: Turns::new(s.turns.iter().map(Oriented::hull).collect(), false), polygon: s.polygon.clone(), ..*s };
        Self {
            work: self.work,
            shapes: self.shapes.iter().map(hull).collect(),
            demands: self.demands.iter().map(|d| Demand { ..*d }).collect(),
            sheets: self.sheets.clone(),
            spacing: self.spacing,
            distances: self.distances,
            aim: self.aim,
            kits: self.kits.clone(),
            rate: self.rate,
            blocked: self.blocked.clone(),
            held: self.held.clone(),
            start: None,
            regions: RwLock::default(),
            on_blanks: None,
        }
    }

    /// The shape of a demand with few corners, its openings filled; the shape's own where it has few, or is round.
    pub(crate) fn coarse(&self, demand: usize, corners: usize) -> Polygon {
        let d = &self.demands[demand];
        let shape = &self.shapes[d.shape];
        match self.work.part(d.part).filter(|_| shape.polygon.outer.len() > corners && (shape.free || shape.turns.len() > 1)) {
            Some(part) => cover(part.outline, &[], COARSE, d.corner, corners),
            None => Polygon { outer: shape.polygon.outer.clone(), holes: Vec::new() },
        }
    }

    /// Right and upper end of what is held on a kind of sheet, mm.
    pub(crate) fn held_end(&self, kind: usize) -> Vec2 {
        let end = |p: &Placement| Some(self.work.part(p.copy.part)?.outline.transformed(p.affine()).bounds().max.to_vec2());
        self.held[kind].iter().filter_map(end).fold(Vec2::ZERO, |a, b| Vec2::new(a.x.max(b.x), a.y.max(b.y)))
    }

    /// Copies in all that are to be laid.
    pub fn copies(&self) -> usize {
        self.demands.iter().map(|d| d.quantity as usize).sum()
    }

    /// The no-fit region of a moving shape against a fixed one.
    pub(crate) fn region(&self, fixed: (usize, usize), moving: (usize, usize)) -> Arc<NoFit> {
        self.cached((fixed.0, fixed.1, moving.0, moving.1), || {
            NoFit::new(self.shapes[fixed.0].turns[fixed.1].grown(), &self.shapes[moving.0].turns[moving.1])
        })
    }

    /// The no-fit region of a moving shape against obstacle `n` of sheet kind `sheet`.
    pub(crate) fn obstacle(&self, sheet: usize, n: usize, moving: (usize, usize)) -> Arc<NoFit> {
        self.cached((usize::MAX - sheet, n, moving.0, moving.1), || {
            NoFit::new(&self.blocked[sheet][n], &self.shapes[moving.0].turns[moving.1])
        })
    }

    fn cached(&self, key: Pair, make: impl FnOnce() -> NoFit) -> Arc<NoFit> {
        if let Some(found) = self.regions.read().ok().and_then(|r| r.get(&key).cloned()) {
            return found;
        }
        let made = Arc::new(make());
        if let Ok(mut regions) = self.regions.write() {
            regions.insert(key, Arc::clone(&made));
        }
        made
    }
}

fn shape(polygon: Polygon, (angles, mirror, free): (&[f64], bool, bool), spacing: f64) -> Shape {
    let mut turns: Vec<Oriented> = Vec::new();
    let mut prints: Vec<Vec<(i64, i64)>> = Vec::new();
    let round = is_round(&polygon);
    let poses = angles.iter().flat_map(|a| [(*a, false), (*a, true)]).filter(|p| mirror || !p.1);
    for pose in poses.take(if round { 1 } else { usize::MAX }) {
        // Each distance of two parts is kept by growing the one that stands.
        let turned = Oriented::new(&polygon, pose, spacing);
        let print = turned.fingerprint();
        if !prints.contains(&print) {
            prints.push(print);
            turns.push(turned);
        }
    }
    let bounds = polygon.bounds();
    let area = ring_area(&polygon.outer).abs();
    let net = area - polygon.holes.iter().map(|h| ring_area(h).abs()).sum::<f64>();
    let free = free && !round;
    Shape { turns: Turns::new(turns, free), free, area, net, size: Vec2::new(bounds.width(), bounds.height()), polygon }
}

/// True for what stands for a circle: to turn it changes nothing.
fn is_round(polygon: &Polygon) -> bool {
    let b = polygon.bounds();
    let radius = b.width() / 2.0;
    let even = |p: &Point| (p.distance(b.center()) - radius).abs() < 0.02 * radius;
    polygon.holes.is_empty() && polygon.outer.len() >= 12 && (b.width() - b.height()).abs() < 1e-3 && polygon.outer.iter().all(even)
}

/// An outline grown by so much, mm.
fn larger(outline: &Path, by: f64) -> Path {
    let grown = if by > 0.0 { outline.grown(by, Corners::Round) } else { Vec::new() };
    grown.into_iter().max_by(|a, b| a.area().abs().total_cmp(&b.area().abs())).unwrap_or_else(|| outline.clone())
}

/// Angles at which a side of the shape, or of its hull, lies along the sheet's sides, the longest first, and even steps between;
/// none by quarters.
fn leaning(polygon: &Polygon, most: usize) -> Vec<f64> {
    let sides = |ring: &[Point]| -> Vec<Vec2> { (0..ring.len()).map(|i| ring[(i + 1) % ring.len()] - ring[i]).collect() };
    let mut all = sides(&hull(polygon.outer.clone()));
    all.extend(sides(&polygon.outer));
    all.sort_by(|a, b| b.hypot().total_cmp(&a.hypot()));
    let steps = (1..6).map(|i| f64::from(i) * 15.0);
    let mut out: Vec<f64> = Vec::new();
    for lean in all.iter().map(|s| (-s.atan2().to_degrees()).rem_euclid(90.0)).chain(steps) {
        if out.len() + 4 > most {
            break;
        }
        let apart = |a: f64| (lean - a).abs() > 0.05;
        if apart(0.0) && apart(90.0) && out.iter().all(|a| apart(*a % 90.0)) {
            out.extend([0.0, 180.0, 90.0, 270.0].map(|quarter| lean + quarter));
        }
    }
    out
}

/// What of the sheet's box is not sheet: beyond an offcut's edge and in its holes, and under clamps, grown by the margin.
fn blocked(sheet: &Sheet, margin: f64, error: f64) -> Vec<Standing> {
    let clamp = |c: &Bounds| grow(&convex::pieces(&Polygon::rectangle(*c)), margin);
    let mut out: Vec<Standing> = sheet.clamps.iter().map(clamp).collect();
    if sheet.outline.is_empty() {
        return out;
    }
    let frame = Bounds::of([Point::ZERO, Point::new(sheet.width, sheet.height)]).grown(margin + 10.0);
    let mut material: Vec<Ring> = Vec::new();
    for (i, path) in sheet.outline.iter().enumerate() {
        material.push(if i == 0 { Polygon::within(path, error) } else { Polygon::covering(path, error) });
    }
    let off = Polygon::difference(&[Polygon::rectangle(frame).outer], &material);
    out.extend(off.iter().map(|p| grow(&convex::pieces(p), margin)));
    out
}
