//! Common edges over many shapes, on both machines: every nest can be cut.

use super::{Job, steel};
use boustrophe_core::decisions::{NestEdit, Stock};
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Sheet, Turn};

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

#[test]
fn whatever_shares_edges_is_released() {
    let mut shared = 0;
    let mut bad = Vec::new();
    for seed in 0..200_u64 {
        let mut dice = Dice(seed * 2_654_435_761 + 17);
        let torch = seed % 2 == 1;
        let stock = if torch { steel() } else { Stock::default() };
        let mut job = Job::of(&[("shapes.svg", drawing(&mut dice, torch))], stock);
        job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
        let turn = [Turn::Half, Turn::Quarter][dice.pick(2)];
        job.edit(&NestEdit::SetTurn { turn }.on(BatchId::FIRST));
        let side = if torch { 700.0 } else { 330.0 };
        job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(side, side * 0.8)] }.on(BatchId::FIRST));
        job.mend();
        for p in job.route().work.parts.iter().map(|p| p.id).collect::<Vec<_>>() {
            let quantity = 1 + dice.pick(9) as u32;
            job.edit(&NestEdit::SetQuantity { part: p, quantity }.on(BatchId::FIRST));
        }
        job.nest(seed + 1, 4);
        let route = job.settled();
        shared += usize::from(route.first().plan.shared() > 1.0);
        let stops: Vec<String> = route
            .findings
            .iter()
            .filter(|f| f.severity == Severity::Stop && f.station == Station::Proof)
            .map(|f| format!("{} {}", f.code, f.text))
            .collect();
        if !stops.is_empty() || !route.released() {
            bad.push(format!("{seed} torch {torch}: {stops:?}"));
        }
    }
    assert!(bad.is_empty(), "{} of 200, {shared} share:\n{}", bad.len(), bad.join("\n"));
    assert!(shared > 150, "{shared} nests share edges");
}
