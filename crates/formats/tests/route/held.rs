//! What holds a part, asked of the programs and of the outlines as points: where the torch is lit, how wide the nicks are that
//! it leaves, and whether the part could turn about any two of them.

use crate::controller::{self, Move};
use crate::jobs::{drawn, inside, job, plate};
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{HoldEdit, LeadRule, LeadShape, Stock};
use boustrophe_core::geometry::{Path, Point, Segment, Vec2};
use boustrophe_core::ids::BatchId;
use boustrophe_core::route::Route;
use boustrophe_house::played;
use proptest::prelude::*;

/// A closed line of a copy as it lies: points with the direction there, a quarter of a millimetre apart.
pub struct Line {
    pub points: Vec<(Point, Vec2)>,
    corners: Vec<Point>,
}

impl Line {
    pub fn of(path: &Path) -> Self {
        let spread = |s: &Segment| {
            let n = (s.length() / 0.25).ceil().max(1.0) as usize;
            let s = *s;
            (0..n).map(move |i| (s.at((i as f64 + 0.5) / n as f64), s.direction((i as f64 + 0.5) / n as f64)))
        };
        let n = path.segments.len();
        let turns = |i: &usize| path.segments[(i + n - 1) % n].direction(1.0).dot(path.segments[*i].direction(0.0)) < 0.9;
        let corners = (0..n).filter(turns).map(|i| path.segments[i].start).collect();
        Self { points: path.segments.iter().flat_map(spread).collect(), corners }
    }
    fn width(&self) -> f64 {
        let x = self.points.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |m, p| (m.0.min(p.0.x), m.1.max(p.0.x)));
        let y = self.points.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |m, p| (m.0.min(p.0.y), m.1.max(p.0.y)));
        (x.1 - x.0).min(y.1 - y.0)
    }
    pub fn polygon(&self) -> Vec<Point> {
        self.points.iter().map(|p| p.0).collect()
    }
}

/// One time that the beam is lit.
struct Lit {
    pierce: Point,
    moves: Vec<Move>,
}

fn lit(program: &str) -> Vec<Lit> {
    let mut out: Vec<Lit> = Vec::new();
    let mut on = false;
    for m in controller::moves(program) {
        if m.lit && !on {
            out.push(Lit { pierce: m.from, moves: Vec::new() });
        }
        on = m.lit;
        if let Some(l) = out.last_mut().filter(|_| on) {
            l.moves.push(m);
        }
    }
    out
}

/// Stretches of a line, half a kerf outside it (inside where the kerf is less than nothing), that no move burns: their middles and
/// lengths.
pub fn left(line: &Line, material: &[Point], kerf: f64, moves: &[Move]) -> Vec<(Point, f64)> {
    let outward = |(p, way): &(Point, Vec2)| {
        let side = Vec2::new(-way.y, way.x);
        if inside(*p + side * 0.05, material) { *p - side * kerf / 2.0 } else { *p + side * kerf / 2.0 }
    };
    let half = kerf.abs() / 2.0;
    let burned = |p: Point| moves.iter().any(|m| m.near(p, half) && m.off(p) < half);
    let at: Vec<Point> = line.points.iter().map(outward).collect();
    let dark: Vec<bool> = at.iter().map(|p| !burned(*p)).collect();
    let n = at.len();
    let Some(first) = (0..n).find(|i| !dark[*i]) else { return vec![(at[0], f64::INFINITY)] };
    // Between a burned point and a dark one the edge is looked for more finely.
    let edge = |burned_at: Point, dark_at: Point| {
        let (mut a, mut b) = (burned_at, dark_at);
        for _ in 0..12 {
            let m = a.lerp(b, 0.5);
            *(if burned(m) { &mut a } else { &mut b }) = m;
        }
        b
    };
    let mut out = Vec::new();
    let mut i = 0;
    while i < n {
        let k = (first + i) % n;
        if !dark[k] {
            i += 1;
            continue;
        }
        let from = i;
        while i < n && dark[(first + i) % n] {
            i += 1;
        }
        let (a, b) = ((first + from) % n, (first + i - 1) % n);
        let ends = (edge(at[(a + n - 1) % n], at[a]), edge(at[(b + 1) % n], at[b]));
        out.push((ends.0.lerp(ends.1, 0.5), ends.0.distance(ends.1)));
    }
    out
}

/// How far a point lies outside of what points span, mm: 0 within.
fn outside(points: &[Point], p: Point) -> f64 {
    // The least turn of a half plane that has all points on one side and `p` on the other.
    (0..720)
        .map(|k| {
            let way = Vec2::new((f64::from(k) * std::f64::consts::PI / 360.0).cos(), (f64::from(k) * std::f64::consts::PI / 360.0).sin());
            points.iter().map(|q| (*q - p).dot(way)).fold(f64::NEG_INFINITY, f64::max)
        })
        .fold(f64::INFINITY, f64::min)
        .min(0.0)
        .abs()
}

fn told(route: &Route, code: &str) -> bool {
    route.findings.iter().any(|f| f.code == code)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(200)))]
    /// On torch and laser: no pierce on a finished edge or in an open cut, nicks as wide as they should be, away from corners,
    /// and every part hangs by them so that it cannot turn about any two.
    #[test]
    fn parts_are_held_and_the_torch_is_lit_in_the_scrap(
        plates in prop::collection::vec(plate(), 1..4), plasma in any::<bool>(), thick in any::<bool>(), nicks in any::<bool>(), width in 0.3..1.2_f64,
        shape in prop::sample::select(&LeadShape::ALL[..]), chain in prop::option::of(5.0..40.0_f64)
    ) {
        let stock = match plasma {
            true => Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: if thick { 6.0 } else { 3.0 } },
            false => Stock { machine: "lark".into(), material: "birch-ply".into(), thickness: if thick { 6.0 } else { 3.0 } },
        };
        let mut job = job(&drawn(&plates), stock.clone(), 2);
        let nicks = nicks || !plasma;
        job.edit(&HoldEdit::SetNicks { on: nicks }.on(BatchId::FIRST));
        job.edit(&HoldEdit::SetNickWidth { width: Some(width) }.on(BatchId::FIRST));
        let lead = LeadRule { shape, chain: chain.unwrap_or(0.0), ..LeadRule::default() };
        job.edit(&HoldEdit::SetLead { lead }.on(BatchId::FIRST));
        job.nest(1, 2);
        let route = job.settled();
        prop_assert!(!route.first().programs.is_empty(), "{:?}", route.findings);
        let kerf = job.shop.row(&stock.machine, &stock.material, stock.thickness, Process::Cut).expect("a row").kerf;
        let accepted = ["no-lead", "pierce-in-cut", "nick-pierce", "pierce-not-kept"].iter().any(|c| told(&route, c));
        for sheet in 0..route.first().programs.len() {
            let lit = lit(&job.text(&route, sheet));
            let moves: Vec<Move> = lit.iter().flat_map(|l| l.moves.iter().copied()).collect();
            let placed = &route.first().nested.layout.sheets[sheet].placed;
            let work = &route.work;
            let cut = |i: &usize| work.items[*i].process == Process::Cut;
            // Every closed cut of every copy.
            let lines: Vec<(Line, bool, Vec<Point>)> = placed.iter().flat_map(|p| {
                let part = work.part(p.copy.part).expect("the part");
                let outline = Line::of(&part.outline.transformed(p.affine()));
                let material = outline.polygon();
                part.items().filter(cut).filter(|i| work.items[*i].contour.path.closed).map(|i| {
                    (Line::of(&work.items[i].contour.path.transformed(p.affine())), part.outer == Some(i), material.clone())
                }).collect::<Vec<_>>()
            }).collect();
            if plasma && !accepted {
                for (k, l) in lit.iter().enumerate() {
                    let edge = lines.iter().flat_map(|line| &line.0.points).map(|p| p.0.distance(l.pierce)).fold(f64::INFINITY, f64::min);
                    // In a hole hardly wider than the kerf there is no more room than that: a cut's own line, to 0.02 mm.
                    let narrow = lines.iter().any(|line| !line.1 && line.0.width() < 3.0 * kerf && inside(l.pierce, &line.0.polygon()));
                    prop_assert!(edge > if narrow { 0.5 * kerf - 0.02 } else { 0.7 * kerf }, "lit {edge} from an edge at {:?}", l.pierce);
                    let cut = lit[..k].iter().flat_map(|l| &l.moves).map(|m| m.off(l.pierce)).fold(f64::INFINITY, f64::min);
                    prop_assert!(cut > kerf, "lit {cut} from the middle of a cut at {:?}", l.pierce);
                }
            }
            for (line, outer, material) in &lines {
                // Outside a hole is its scrap.
                let polygon = if *outer { material.clone() } else { line.polygon() };
                let left: Vec<(Point, f64)> = left(line, &polygon, if *outer { kerf } else { -kerf }, &moves);
                if !*outer || !nicks {
                    prop_assert!(*outer || left.is_empty(), "a hole is cut through: {left:?}");
                    prop_assert!(left.is_empty() || !*outer, "an outline without nicks is cut through: {left:?}");
                    continue;
                }
                // On a disc of some millimetres every place is too curved for a nick.
                if line.points.len() < 128 && line.corners.is_empty() {
                    continue;
                }
                prop_assert!(left.len() >= 2, "two nicks at least: {left:?}");
                for (at, long) in &left {
                    prop_assert!((long - width).abs() < 0.02, "a nick of {long} for {width} at {at:?}");
                    let corner = line.corners.iter().map(|c| c.distance(*at)).fold(f64::INFINITY, f64::min);
                    prop_assert!(corner > (width + kerf) / 2.0 + 0.3, "{corner} from a corner");
                }
                let sum = polygon.iter().zip(polygon.iter().cycle().skip(1)).fold((0.0, Vec2::ZERO), |(area, moment), (a, b)| {
                    let (a, b) = (*a - polygon[0], *b - polygon[0]);
                    (area + a.cross(b) / 2.0, moment + (a + b) * (a.cross(b) / 6.0))
                });
                let centre = polygon[0] + sum.1 / sum.0;
                let at: Vec<Point> = left.iter().map(|l| l.0).collect();
                prop_assert!(outside(&at, centre) < 1.0, "{} beside what its nicks span", outside(&at, centre));
            }
        }
    }
}
