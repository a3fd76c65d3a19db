//! Common edges over many shapes, on both machines: every nest can be cut, and its programs do what they should, as points measure it.

use super::{Job, steel};
use crate::controller::{self, Move};
use crate::held::{Line, left};
use crate::jobs::inside;
use crate::loose::there_is_a_way;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{HoldEdit, NestEdit, Stock};
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::geometry::Point;
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Sheet, Turn};
use boustrophe_core::route::Route;
use boustrophe_house::played;

/// Numbers that look like chance, always the same.
struct Dice(u64);

impl Dice {
    fn next(&mut self, from: f64, to: f64) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        from + (self.0 >> 33) as f64 / f64::from(1_u32 << 31) * (to - from)
    }
    fn pick(&mut self, n: usize) -> usize {
        (self.next(0.0, n as f64) as usize).min(n - 1)
    }
}

type Outline = Vec<(f64, f64)>;

/// An outline with straight sides, some in boxes of w × h; and where a hole fits in it.
fn shape(kind: usize, (w, h): (f64, f64), dice: &mut Dice) -> (Outline, (f64, f64)) {
    let cut = dice.next(0.25, 0.45);
    match kind {
        0 => (vec![(0.0, 0.0), (w, 0.0), (0.0, h)], (0.27 * w, 0.27 * h)),
        1 => (vec![(0.0, 0.0), (w, 0.0), (w / 2.0, h)], (0.5 * w, 0.35 * h)),
        2 => (vec![(0.0, 0.0), (w * 0.75, 0.0), (w, h), (w * 0.25, h)], (0.5 * w, 0.5 * h)),
        3 => (vec![(0.0, 0.0), (w, 0.0), (w * (1.0 - cut), h), (w * cut, h)], (0.5 * w, 0.45 * h)),
        4 => (vec![(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)], (0.5 * w, 0.5 * h)),
        5 => (vec![(0.0, 0.0), (w, 0.0), (w, h * cut), (w * cut, h * cut), (w * cut, h), (0.0, h)], (0.6 * w, 0.5 * h * cut)),
        6 => (
            (0..6)
                .map(|k| f64::from(k) * std::f64::consts::TAU / 6.0)
                .map(|a| (w / 2.0 + w / 2.0 * a.cos(), w / 2.0 + w / 2.0 * a.sin()))
                .collect(),
            (0.5 * w, 0.5 * w),
        ),
        7 => (vec![(0.0, 0.0), (w, 0.0), (w, h * 0.6), (w / 2.0, h), (0.0, h * 0.6)], (0.5 * w, 0.4 * h)),
        _ => (
            vec![
                (0.0, 0.0),
                (w, 0.0),
                (w, h * 0.4),
                (w * 0.65, h * 0.4),
                (w * 0.65, h),
                (w * 0.35, h),
                (w * 0.35, h * 0.4),
                (0.0, h * 0.4),
            ],
            (0.5 * w, 0.2 * h),
        ),
    }
}

fn drawing(dice: &mut Dice, torch: bool) -> Vec<u8> {
    let scale = if torch { 2.2 } else { 1.0 };
    let mut body = String::new();
    let mut x = 5.0;
    for _ in 0..=dice.pick(3) {
        let size = (dice.next(28.0, 60.0) * scale, dice.next(24.0, 50.0) * scale);
        let kind = dice.pick(9);
        let (outline, (cx, cy)) = shape(kind, size, dice);
        let points: Vec<String> = outline.iter().map(|(a, b)| format!("{:.4},{:.4}", a + x, b + 5.0)).collect();
        body.push_str(&format!("<path d=\"M{} Z\" fill=\"none\" stroke=\"#000\"/>", points.join(" L")));
        if dice.pick(2) == 0 {
            let r = dice.next(1.6, 2.6) * scale;
            body.push_str(&format!("<circle cx=\"{:.4}\" cy=\"{:.4}\" r=\"{r:.4}\" fill=\"none\" stroke=\"#000\"/>", cx + x, cy + 5.0));
        }
        x += size.0.max(size.1) + 10.0;
    }
    format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"800mm\" height=\"400mm\" viewBox=\"0 0 800 400\">{body}</svg>").into_bytes()
}

/// A copy as it lies: its outline and its holes, each with its corners in order.
struct Lying {
    outline: (Line, Vec<Point>),
    holes: Vec<(Line, Vec<Point>)>,
    low: Point,
    high: Point,
}

impl Lying {
    fn all(route: &Route, sheet: usize) -> Vec<Self> {
        let work = &route.first().work;
        let copies = route.first().nested.layout.sheets[sheet].placed.iter();
        copies
            .map(|p| {
                let part = work.part(p.copy.part).expect("the part");
                let of = |i: &usize| {
                    let line = Line::of(&work.items[*i].contour.path.transformed(p.affine()));
                    let polygon = line.polygon();
                    (line, polygon)
                };
                let cut = part.holes.iter().filter(|i| work.items[**i].process == Process::Cut);
                let outline = part.outer.iter().map(of).next().expect("an outline");
                let ends = |pick: fn(f64, f64) -> f64| {
                    let points = outline.1.iter().copied();
                    points.reduce(|a, b| Point::new(pick(a.x, b.x), pick(a.y, b.y))).expect("points")
                };
                Self { low: ends(f64::min), high: ends(f64::max), holes: cut.map(of).collect(), outline }
            })
            .collect()
    }

    /// How deep a place lies in what is to stay, mm; nothing where it does not.
    fn depth(&self, p: Point) -> Option<f64> {
        if p.x < self.low.x || p.x > self.high.x || p.y < self.low.y || p.y > self.high.y {
            return None;
        }
        let kept = inside(p, &self.outline.1) && !self.holes.iter().any(|h| inside(p, &h.1));
        let edge = |ring: &[Point]| {
            let ends = ring.iter().zip(ring.iter().cycle().skip(1));
            ends.map(|(a, b)| Move::straight(*a, *b).off(p)).fold(f64::INFINITY, f64::min)
        };
        kept.then(|| self.holes.iter().map(|h| edge(&h.1)).fold(edge(&self.outline.1), f64::min))
    }
}

/// What the program of a sheet does that it should not: by a controller and by points that are nobody's but the tests'. `width` of the
/// nicks, where there are any, and the kerf, mm.
fn wrong(program: &str, lying: &[Lying], torch: bool, width: Option<f64>, kerf: f64, bed: (f64, f64)) -> Vec<String> {
    let moves = controller::moves(program);
    let mut out = Vec::new();
    // Nothing is burned in what is to stay, nor is anything pierced there.
    for m in moves.iter().filter(|m| m.lit) {
        for p in m.spread(0.5) {
            if let Some(depth) = lying.iter().find_map(|l| l.depth(p)) {
                out.push(format!("burned {depth:.3} mm deep in a part at {p:?}"));
            }
        }
    }
    let lit: Vec<Move> = moves.iter().copied().filter(|m| m.lit).collect();
    for l in lying {
        for (line, polygon) in &l.holes {
            let left = left(line, polygon, -kerf, &lit);
            if !left.is_empty() {
                out.push(format!("a hole is not cut through: {left:?}"));
            }
        }
        let left = left(&l.outline.0, &l.outline.1, kerf, &lit);
        match width {
            None if !left.is_empty() => out.push(format!("an outline without nicks is not cut through: {left:?}")),
            None => {}
            Some(width) => out.extend(
                left.iter().filter(|n| (n.1 - width).abs() > 0.02).map(|n| format!("a nick of {:.3} for {width} at {:?}", n.1, n.0)),
            ),
        }
    }
    // A torch goes round what has come free, or there is no way round.
    let half = kerf / 2.0 + 0.02;
    let free: Vec<usize> = lying
        .iter()
        .map(|l| {
            let outward = |at: &(Point, boustrophe_core::geometry::Vec2)| {
                let side = boustrophe_core::geometry::Vec2::new(-at.1.y, at.1.x) * kerf / 2.0;
                if inside(at.0 + side, &l.outline.1) { at.0 - side } else { at.0 + side }
            };
            let burned = |p: Point| moves.iter().position(|m| m.lit && m.near(p, half) && m.off(p) < half).unwrap_or(usize::MAX);
            l.outline.0.points.iter().step_by(4).map(|at| burned(outward(at))).max().unwrap_or(usize::MAX)
        })
        .collect();
    for (i, m) in moves.iter().enumerate().filter(|(_, m)| torch && !m.lit) {
        let deep = |l: &Lying| m.spread(0.5).any(|p| l.depth(p).is_some_and(|d| d > 0.8));
        let loose: Vec<&Vec<Point>> = lying.iter().zip(&free).filter(|(_, at)| **at < i).map(|(l, _)| &l.outline.1).collect();
        let over = lying.iter().zip(&free).any(|(l, at)| *at < i && deep(l));
        // Only the whole way from torch out to torch lit can be gone otherwise.
        let from = moves[..i].iter().rposition(|m| m.lit).map_or(Point::ZERO, |k| moves[k].to);
        let to = moves[i..].iter().find(|m| m.lit).map_or(moves[moves.len() - 1].to, |m| m.from);
        if over && there_is_a_way(&loose, from, to, bed) {
            out.push(format!("over what is free, from {from:?} to {to:?}"));
            // One is enough to know.
            break;
        }
    }
    out
}

#[test]
fn whatever_shares_edges_is_released() {
    let mut shared = 0;
    let mut bad = Vec::new();
    let nests = u64::from(played(200));
    for seed in 0..nests {
        let mut dice = Dice(seed * 2_654_435_761 + 17);
        let torch = seed % 2 == 1;
        let stock = if torch { steel() } else { Stock::default() };
        let mut job = Job::of(&[("shapes.svg", drawing(&mut dice, torch))], stock);
        job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
        let turn = [Turn::Half, Turn::Quarter][dice.pick(2)];
        job.edit(&NestEdit::SetTurn { turn }.on(BatchId::FIRST));
        let side = if torch { 700.0 } else { 330.0 };
        job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(side, side * 0.8)] }.on(BatchId::FIRST));
        // Nicks of a known width on laser and, for half of them, on the torch.
        let nicks = !torch || seed % 4 == 1;
        let width = if torch { 1.5 } else { 0.6 };
        job.edit(&HoldEdit::SetNicks { on: nicks }.on(BatchId::FIRST));
        job.edit(&HoldEdit::SetNickWidth { width: Some(width) }.on(BatchId::FIRST));
        job.mend();
        for p in job.route().work.parts.iter().map(|p| p.id).collect::<Vec<_>>() {
            let quantity = 1 + dice.pick(9) as u32;
            job.edit(&NestEdit::SetQuantity { part: p, quantity }.on(BatchId::FIRST));
        }
        job.nest(seed + 1, 4);
        let route = job.settled();
        shared += u64::from(route.first().plan.shared() > 1.0);
        let stops: Vec<String> = route
            .findings
            .iter()
            .filter(|f| f.severity == Severity::Stop && f.station == Station::Proof)
            .map(|f| format!("{} {}", f.code, f.text))
            .collect();
        if !stops.is_empty() || !route.released() {
            bad.push(format!("{seed} torch {torch}: {stops:?}"));
            continue;
        }
        let stock = &route.first().stock;
        let kerf = job.shop.row(&stock.machine, &stock.material, stock.thickness, Process::Cut).expect("a row").kerf;
        let machine = job.shop.machine(&stock.machine).expect("it");
        for sheet in 0..route.first().programs.len() {
            let lying = Lying::all(&route, sheet);
            let bed = (machine.bed_width, machine.bed_height);
            let found = wrong(&job.text(&route, sheet), &lying, torch, nicks.then_some(width), kerf, bed);
            bad.extend(found.first().map(|f| format!("{seed} torch {torch} sheet {sheet}, {} times: {f}", found.len())));
        }
    }
    assert!(bad.is_empty(), "{} of {nests}, {shared} share:\n{}", bad.len(), bad.join("\n"));
    assert!(shared > nests * 3 / 4, "{shared} nests share edges");
}
