//! Plans with everything that people put on paper, as two formats write it: after one click for the paper and one for the
//! notes what is left is the parts, as many and as they are meant.

use crate::job::{Job, pdf};
use boustrophe_core::decisions::Stock;
use boustrophe_core::finding::Finding;
use boustrophe_core::nest::Grain;
use proptest::prelude::*;
use std::fmt::Write as _;

/// Something that draws in mm from the lower left corner of a page of 297 × 210.
trait Pen {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool);
    fn ring(&mut self, points: &[(f64, f64)], filled: bool);
    fn circle(&mut self, c: (f64, f64), r: f64);
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str);
    fn page(&mut self);
    fn done(self: Box<Self>) -> (&'static str, Vec<u8>);
}

#[derive(Default)]
struct Dxf {
    out: String,
    x: f64,
}

impl Pen for Dxf {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool) {
        let kind = if dotted { "6\nCENTER\n" } else { "" };
        let _ = write!(self.out, "0\nLINE\n8\n0\n{kind}10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a.0 + self.x, a.1, b.0 + self.x, b.1);
    }
    fn ring(&mut self, points: &[(f64, f64)], _: bool) {
        let _ = write!(self.out, "0\nLWPOLYLINE\n8\n0\n90\n{}\n70\n1\n", points.len());
        points.iter().for_each(|p| self.out.push_str(&format!("10\n{}\n20\n{}\n", p.0 + self.x, p.1)));
    }
    fn circle(&mut self, c: (f64, f64), r: f64) {
        let _ = write!(self.out, "0\nCIRCLE\n8\n0\n10\n{}\n20\n{}\n40\n{r}\n", c.0 + self.x, c.1);
    }
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str) {
        let turn = if upright { 90 } else { 0 };
        let _ = write!(self.out, "0\nTEXT\n8\n0\n10\n{}\n20\n{}\n40\n{height}\n50\n{turn}\n1\n{value}\n", at.0 + self.x, at.1);
    }
    fn page(&mut self) {
        self.x += 340.0;
    }
    fn done(self: Box<Self>) -> (&'static str, Vec<u8>) {
        let head = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
        ("plan.dxf", format!("{head}{}0\nENDSEC\n0\nEOF\n", self.out).into_bytes())
    }
}

#[derive(Default)]
struct Pdf {
    pages: Vec<String>,
    now: String,
}

fn pt(v: f64) -> f64 {
    v * 72.0 / 25.4
}

impl Pen for Pdf {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool) {
        let dash = if dotted { "[17 4 4 4] 0 d" } else { "[] 0 d" };
        let _ = write!(self.now, "{dash} {:.3} {:.3} m {:.3} {:.3} l S ", pt(a.0), pt(a.1), pt(b.0), pt(b.1));
    }
    fn ring(&mut self, points: &[(f64, f64)], filled: bool) {
        for (i, p) in points.iter().enumerate() {
            let _ = write!(self.now, "[] 0 d {:.3} {:.3} {} ", pt(p.0), pt(p.1), if i == 0 { "m" } else { "l" });
        }
        self.now.push_str(if filled { "h f " } else { "h S " });
    }
    fn circle(&mut self, (x, y): (f64, f64), r: f64) {
        let k = r * 0.552_284_75;
        let (x0, y0, x1, y1) = (x - r, y - r, x + r, y + r);
        let _ = write!(self.now, "[] 0 d {:.4} {:.4} m ", pt(x1), pt(y));
        for v in
            [[x1, y + k, x + k, y1, x, y1], [x - k, y1, x0, y + k, x0, y], [x0, y - k, x - k, y0, x, y0], [x + k, y0, x1, y - k, x1, y]]
        {
            let v = v.map(|v| format!("{:.4}", pt(v)));
            let _ = write!(self.now, "{} c ", v.join(" "));
        }
        self.now.push_str("h S ");
    }
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str) {
        let (c, s) = if upright { (0, 1) } else { (1, 0) };
        let _ = write!(self.now, "BT /F {:.2} Tf {c} {s} {} {c} {:.3} {:.3} Tm ({value}) Tj ET ", pt(height / 0.7), -s, pt(at.0), pt(at.1));
    }
    fn page(&mut self) {
        self.pages.push(std::mem::take(&mut self.now));
    }
    fn done(mut self: Box<Self>) -> (&'static str, Vec<u8>) {
        self.page();
        ("plan.pdf", pdf(&self.pages))
    }
}

/// How the ends of dimension lines are drawn.
#[derive(Clone, Copy, Debug)]
enum Ends {
    Heads,
    Chevrons,
    Slants,
}

/// What ends a line at `p` that comes along `(x, y)`.
fn end(pen: &mut dyn Pen, ends: Ends, p: (f64, f64), (x, y): (f64, f64)) {
    let at = |back: f64, side: f64| (p.0 - x * back - y * side, p.1 - y * back + x * side);
    match ends {
        Ends::Heads => pen.ring(&[p, at(2.4, 0.45), at(2.4, -0.45)], true),
        Ends::Chevrons => [0.8, -0.8].iter().for_each(|s| pen.line(p, at(2.2, *s), false)),
        Ends::Slants => pen.line((p.0 - 1.0, p.1 - 1.0), (p.0 + 1.0, p.1 + 1.0), false),
    }
}

/// A rectangle's width above it and its height on the left.
fn dimensions(pen: &mut dyn Pen, (x, y, w, h): (f64, f64, f64, f64), ends: Ends) {
    let above = y + h + 8.0;
    [x, x + w].iter().for_each(|x| pen.line((*x, y + h + 1.0), (*x, above + 1.5), false));
    pen.line((x, above), (x + w, above), false);
    end(pen, ends, (x, above), (-1.0, 0.0));
    end(pen, ends, (x + w, above), (1.0, 0.0));
    pen.text((x + w / 2.0 - 3.0, above + 0.8), 2.5, false, &format!("{w}"));
    let left = x - 8.0;
    [y, y + h].iter().for_each(|y| pen.line((x - 1.0, *y), (left - 1.5, *y), false));
    pen.line((left, y), (left, y + h), false);
    end(pen, ends, (left, y), (0.0, -1.0));
    end(pen, ends, (left, y + h), (0.0, 1.0));
    pen.text((left - 0.8, y + h / 2.0 - 3.0), 2.5, true, &format!("{h} mm"));
}

/// Border, frame with zones, title block, and a list of parts.
fn paper(pen: &mut dyn Pen, page: usize, listed: bool) {
    let frame = |pen: &mut dyn Pen, x: f64, y: f64, w: f64, h: f64| pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
    frame(pen, 5.0, 5.0, 287.0, 200.0);
    frame(pen, 10.0, 10.0, 277.0, 190.0);
    for k in 1..4 {
        let x = 5.0 + 71.75 * f64::from(k);
        pen.line((x, 5.0), (x, 10.0), false);
        pen.text((x - 30.0, 6.0), 2.5, false, &k.to_string());
    }
    frame(pen, 187.0, 10.0, 100.0, 30.0);
    [20.0, 30.0].iter().for_each(|y| pen.line((187.0, *y), (287.0, *y), false));
    pen.line((237.0, 10.0), (237.0, 30.0), false);
    let sheet = format!("Sheet {} of 3", page + 1);
    for (x, y, t) in
        [(189.0, 32.0, "Smoker shelf"), (189.0, 23.0, "1:1"), (239.0, 23.0, sheet.as_str()), (189.0, 13.0, "O.F."), (239.0, 13.0, "Rev B")]
    {
        pen.text((x, y), 3.0, false, t);
    }
    if listed {
        frame(pen, 14.0, 14.0, 90.0, 24.0);
        [20.0, 26.0, 32.0].iter().for_each(|y| pen.line((14.0, *y), (104.0, *y), false));
        [29.0, 74.0].iter().for_each(|x| pen.line((*x, 14.0), (*x, 38.0), false));
        for (row, words) in [["3", "rail", "2"], ["2", "plate", "4"], ["1", "shelf", "1"], ["No", "name", "off"]].iter().enumerate() {
            words.iter().zip([16.0, 31.0, 76.0]).for_each(|(t, x)| pen.text((x, 15.7 + 6.0 * row as f64), 2.5, false, t));
        }
    }
}

/// A plate: size, a hole with its centre lines, how many, thickness in mm, which way an arrow of the grain points, hatched.
#[derive(Clone, Debug)]
struct Plate {
    size: (u32, u32),
    hole: Option<u32>,
    count: u32,
    thick: bool,
    grain: Option<bool>,
    hatched: bool,
}

fn plate(pen: &mut dyn Pen, (x, y): (f64, f64), plate: &Plate, ends: Ends) {
    let (w, h) = (f64::from(plate.size.0), f64::from(plate.size.1));
    pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
    dimensions(pen, (x, y, w, h), ends);
    if let Some(r) = plate.hole.map(f64::from) {
        let c = (x + w - 16.0, y + h - 16.0);
        pen.circle(c, r);
        pen.line((c.0 - r - 2.5, c.1), (c.0 + r + 2.5, c.1), true);
        pen.line((c.0, c.1 - r - 2.5), (c.0, c.1 + r + 2.5), true);
    }
    let words =
        [format!("x{}", plate.count), format!("{} off", plate.count), format!("{} REQ'D", plate.count), format!("qty {}", plate.count)];
    if plate.count > 1 {
        pen.text((x + 4.0, y + 3.0), 3.0, false, &words[plate.count as usize % 4]);
    }
    if plate.thick {
        pen.text((x + 24.0, y + 3.0), 3.0, false, "6 mm birch ply");
    }
    if let Some(up) = plate.grain {
        let (a, b) = if up { ((x + 8.0, y + 9.0), (x + 8.0, y + 24.0)) } else { ((x + 8.0, y + 12.0), (x + 23.0, y + 12.0)) };
        let along = if up { (0.0, 1.0) } else { (1.0, 0.0) };
        pen.line(a, b, false);
        end(pen, Ends::Heads, b, along);
        end(pen, Ends::Heads, a, (-along.0, -along.1));
        pen.text((x + 10.0, y + 14.0), 2.5, false, "grain");
    }
    if plate.hatched {
        let (x, y, w, h) = (x + 30.0, y + 10.0, 18.0, 12.0);
        pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
        let mut k = 2.0 - h;
        while k < w {
            let (x0, x1) = (k.max(0.0), (k + h).min(w));
            pen.line((x + x0, y + x0 - k), (x + x1, y + x1 - k), false);
            k += 2.0;
        }
    }
}

fn says(job: &Job, code: &str) -> Option<Finding> {
    job.route().findings.into_iter().find(|f| f.code == code)
}

fn plates() -> impl Strategy<Value = Vec<Vec<Plate>>> {
    let one =
        ((60..90_u32, 40..60_u32), prop::option::of(4..9_u32), 1..9_u32, any::<bool>(), prop::option::of(any::<bool>()), any::<bool>());
    let one = one.prop_map(|(size, hole, count, thick, grain, hatched)| Plate { size, hole, count, thick, grain, hatched });
    prop::collection::vec(prop::collection::vec(one, 1..4), 1..4)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// Whatever is drawn and however: one click for the paper and one for the notes, and only the parts are left.
    #[test]
    fn what_is_left_of_a_plan_is_its_parts(
        pages in plates(),
        ends in prop_oneof![Just(Ends::Heads), Just(Ends::Chevrons), Just(Ends::Slants)],
        as_pdf in any::<bool>(),
        listed in any::<bool>(),
    ) {
        let mut pen: Box<dyn Pen> = if as_pdf { Box::new(Pdf::default()) } else { Box::new(Dxf::default()) };
        for (i, page) in pages.iter().enumerate() {
            if i > 0 {
                pen.page();
            }
            paper(&mut *pen, i, listed);
            let places = [(40.0, 130.0), (170.0, 130.0), (40.0, 55.0)];
            page.iter().zip(places).for_each(|(p, at)| plate(&mut *pen, at, p, ends));
        }
        let (name, bytes) = pen.done();
        let mut job = Job::of(&[(name, bytes)], Stock::default());
        let paper = says(&job, "paper-border").expect("there is paper");
        job.edit(&paper.remedies[0].edit);
        prop_assert!(says(&job, "paper-border").is_none() && says(&job, "outside-parts").is_none());
        if let Some(notes) = says(&job, "plan-says") {
            job.edit(&notes.remedies[0].edit);
        }
        prop_assert!(says(&job, "plan-says").is_none());
        let mm = |v: f64| (v * 10.0).round() as i64;
        let route = job.route();
        let mut made = Vec::new();
        for (id, batch) in &route.batches {
            for p in &batch.work.parts {
                let grain = job.decisions.batches[id].nest.parts.get(&p.id).and_then(|n| n.grain).map(|g| g == Grain::Across);
                made.push((mm(p.bounds.width()), mm(p.bounds.height()), p.holes.len(), p.inside.len(), p.quantity, batch.stock.thickness == 6.0, grain));
            }
        }
        made.sort_unstable();
        // What is hatched is a pocket's outline: closed inside a plate, it is cut.
        let mut meant: Vec<_> = pages
            .iter()
            .flatten()
            .map(|p| {
                let holes = usize::from(p.hole.is_some()) + usize::from(p.hatched);
                (mm(f64::from(p.size.0)), mm(f64::from(p.size.1)), holes, 0, p.count, p.thick, p.grain)
            })
            .collect();
        meant.sort_unstable();
        prop_assert_eq!(made, meant);
    }

    /// Plates side by side with writing in them, tiles that touch, a scale with its figures, rows of slots: none is paper.
    #[test]
    fn parts_are_not_taken_for_paper(
        tiles in (2..6_usize, 2..5_usize, 20..60_u32, 20..50_u32, any::<bool>()),
        marks in 4..40_usize,
        pitch in 2..9_u32,
        labelled in any::<bool>(),
    ) {
        let mut pen = Box::new(Dxf::default());
        let (nx, ny, w, h, apart) = tiles;
        let (w, h, gap) = (f64::from(w), f64::from(h), if apart { 6.0 } else { 0.0 });
        for (i, j) in (0..nx).flat_map(|i| (0..ny).map(move |j| (i, j))) {
            let (x, y) = (i as f64 * (w + gap), j as f64 * (h + gap));
            pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
            pen.circle((x + 6.0, y + 6.0), 2.0);
            if labelled {
                pen.text((x + 10.0, y + h / 2.0), 4.0, false, &format!("{}", i * ny + j));
            }
        }
        // A scale on a plate of its own, below.
        let long = marks as f64 * f64::from(pitch);
        pen.ring(&[(-10.0, -60.0), (long + 10.0, -60.0), (long + 10.0, -30.0), (-10.0, -30.0)], false);
        pen.line((0.0, -50.0), (long, -50.0), false);
        for k in 0..=marks {
            let x = k as f64 * f64::from(pitch);
            pen.line((x, -50.0), (x, if k % 5 == 0 { -42.0 } else { -46.0 }), false);
            if k % 5 == 0 {
                pen.text((x - 1.0, -41.0), 2.5, false, &k.to_string());
            }
        }
        let (name, bytes) = pen.done();
        let job = Job::of(&[(name, bytes)], Stock::default());
        prop_assert!(says(&job, "paper-border").is_none(), "{:?}", says(&job, "paper-border"));
    }
}
