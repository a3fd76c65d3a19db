//! Plans in three languages as four writers draw them, with lists of parts, item numbers that lead, leaders with every kind of head,
//! centre lines as loose dashes, and side views: taking the first remedy of each finding in turn leaves the parts, as many and
//! as thick as the plan says, and nothing of the paper.

use crate::job::Job;
use crate::pens::{Dxf, Outlined, Pdf, Pen, Svg};
use boustrophe_core::decisions::Stock;
use boustrophe_core::finding::{Code, Finding, Severity, Station};
use boustrophe_core::process::Process;

/// Words of a language: item, name, count, material, thickness; what the parts are of; scale.
struct Tongue {
    heads: [&'static str; 5],
    of: &'static str,
    scale: &'static str,
}

const TONGUES: [Tongue; 3] = [
    Tongue { heads: ["ITEM", "DESCRIPTION", "QTY", "MATERIAL", "THK"], of: "Birch plywood", scale: "SCALE" },
    Tongue { heads: ["Pos.", "Benennung", "Menge", "Werkstoff", "Dicke"], of: "Birkensperrholz", scale: "Maßstab" },
    Tongue { heads: ["Rep.", "Désignation", "Qté", "Matière", "Ép."], of: "Contreplaqué bouleau", scale: "Échelle" },
];

/// Numbers that follow from a seed (Knuth's linear congruence), so that a plan is the same each time.
struct Dice(u64);

impl Dice {
    fn of(&mut self, n: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % n
    }
}

type P = (f64, f64);

fn frame(pen: &mut dyn Pen, (x, y, w, h): (f64, f64, f64, f64)) {
    pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
}

/// A line as long and short dashes in turn.
fn dashed(pen: &mut dyn Pen, a: P, b: P, (long, short, gap): (f64, f64, f64)) {
    let length = (b.0 - a.0).hypot(b.1 - a.1);
    let at = |t: f64| (a.0 + (b.0 - a.0) * t / length, a.1 + (b.1 - a.1) * t / length);
    let (mut from, mut k) = (0.0, 0);
    while from < length - 1e-9 {
        let to = (from + if k % 2 == 0 { long } else { short }).min(length);
        pen.line(at(from), at(to), false);
        from = to + gap;
        k += 1;
    }
}

/// A leader from its tip to writing, with one of six heads.
fn leader(pen: &mut dyn Pen, tip: P, to: P, head: u64, says: &str) {
    let l = (to.0 - tip.0).hypot(to.1 - tip.1);
    let (u, v) = ((to.0 - tip.0) / l, (to.1 - tip.1) / l);
    let back = |along: f64, side: f64| (tip.0 + u * along - v * side, tip.1 + v * along + u * side);
    pen.line(tip, to, false);
    pen.line(to, (to.0 + 6.0, to.1), false);
    match head {
        0 | 1 => pen.ring(&[tip, back(2.5, 0.5), back(2.5, -0.5)], head == 0),
        2 => [0.6, -0.6].iter().for_each(|s| pen.line(tip, back(2.4, *s), false)),
        3 => pen.circle(tip, 0.5),
        _ => {}
    }
    pen.text((to.0 + 7.0, to.1 - 1.2), 2.5, false, says);
}

struct Plate {
    size: P,
    holes: Vec<(f64, f64, f64)>,
    count: u32,
    at: P,
}

fn wanted(job: &Job) -> Vec<Finding> {
    let early = |f: &Finding| f.severity != Severity::Note && f.station <= Station::Assign;
    job.route().findings.into_iter().filter(early).collect()
}

/// Draws a plan; gives what its parts are meant to be: width and height in tenths of a mm, holes, how many, 6 mm or not.
fn draw(pen: &mut dyn Pen, tongue: &Tongue, dice: &mut Dice, readable: bool) -> Vec<(i64, i64, usize, u32, bool)> {
    let scale = if readable { [1.0, 2.0, 5.0][dice.of(3) as usize] } else { 1.0 };
    let thick = if dice.of(2) == 0 { 6.0 } else { 3.0 };
    let (listed, sided, crosses, head) = (readable && dice.of(3) > 0, readable && dice.of(2) == 0, dice.of(3), dice.of(5));
    pen.border((5.0, 5.0, 287.0, 200.0));
    pen.border((10.0, 10.0, 277.0, 190.0));
    frame(pen, (187.0, 10.0, 100.0, 20.0));
    pen.line((187.0, 20.0), (287.0, 20.0), false);
    pen.text((189.0, 23.0), 3.0, false, "Smoker shelf");
    pen.text((189.0, 13.0), 3.0, false, &format!("{} 1:{scale}", tongue.scale));
    let mut size = |w: u64, h: u64| (w as f64 + dice.of(12) as f64, h as f64 + dice.of(9) as f64);
    let sizes = [size(58, 38), size(62, 33), size(48, 40)];
    let mut plates = Vec::new();
    for (k, (size, at)) in sizes.into_iter().zip([(32.0, 135.0), (160.0, 135.0), (32.0, 62.0)]).enumerate() {
        let holes = [vec![(12.0, 12.0, 3.0), (size.0 - 14.0, size.1 - 11.0, 3.5)], vec![(14.0, 22.0, 4.0)], vec![]][k].clone();
        plates.push(Plate { size, holes, count: 1 + dice.of(6) as u32, at });
    }
    for (k, p) in plates.iter().enumerate() {
        let ((x, y), (w, h)) = (p.at, p.size);
        frame(pen, (x, y, w, h));
        for (cx, cy, r) in &p.holes {
            let c = (x + cx, y + cy);
            pen.circle(c, *r);
            for d in [(r + 3.0, 0.0), (0.0, r + 3.0)] {
                let (a, b) = ((c.0 - d.0, c.1 - d.1), (c.0 + d.0, c.1 + d.1));
                let long = 2.0 * (r + 3.0);
                match crosses {
                    0 => pen.line(a, b, true),
                    1 => pen.line(a, b, false),
                    _ => dashed(pen, a, b, (0.4 * long, 0.08 * long, 0.06 * long)),
                }
            }
        }
        if k == 1 && crosses == 2 {
            dashed(pen, (x - 5.0, y + 11.0), (x + w + 5.0, y + 11.0), (8.0, 2.0, 1.5));
        }
        // How wide it is.
        let (above, heads) = (y + h + 8.0, [(x, -1.0), (x + w, 1.0)]);
        heads.iter().for_each(|(x, _)| pen.line((*x, y + h + 1.0), (*x, above + 1.5), false));
        pen.line((x, above), (x + w, above), false);
        heads.iter().for_each(|(x, s)| pen.ring(&[(*x, above), (x - s * 2.4, above + 0.45), (x - s * 2.4, above - 0.45)], true));
        pen.text((x + w / 2.0 - 3.0, above + 0.8), 2.5, false, &format!("{}", w * scale));
        if let Some((cx, cy, r)) = p.holes.last() {
            let says = format!("Ø{}", 2.0 * r * scale);
            leader(pen, (x + cx + r * 0.8, y + cy - r * 0.6), (x + w + 6.0, y + 4.0), head, &says);
        }
        if listed {
            let (c, tip) = ((x + w + 14.0, y + h - 5.0), (x + w - 5.0, y + h - 9.0));
            let l = (tip.0 - c.0).hypot(tip.1 - c.1);
            pen.circle(c, 4.0);
            pen.line((c.0 + (tip.0 - c.0) / l * 4.0, c.1 + (tip.1 - c.1) / l * 4.0), tip, false);
            pen.text((c.0 - 0.8, c.1 - 1.25), 2.5, false, &(k + 1).to_string());
        } else if p.count > 1 {
            pen.text((x + 3.0, y + 2.5), 3.0, false, &format!("{} {}", tongue.heads[2].replace("Menge", "Anzahl"), p.count));
        }
    }
    if sided {
        let p = &plates[2];
        frame(pen, (p.at.0 + p.size.0 + 32.0, p.at.1, thick / scale, p.size.1));
    }
    if listed {
        let (x, y, columns) = (165.0, 36.0, [0.0, 14.0, 44.0, 60.0, 104.0, 120.0]);
        if dice.of(4) > 0 {
            (0..=4).for_each(|k| pen.line((x, y + 6.0 * f64::from(k)), (x + 120.0, y + 6.0 * f64::from(k)), false));
            columns.iter().for_each(|c| pen.line((x + c, y), (x + c, y + 24.0), false));
        }
        let rows = plates.iter().enumerate().map(|(k, p)| {
            [(k + 1).to_string(), ["shelf", "rail", "plate"][k].into(), p.count.to_string(), tongue.of.into(), format!("{thick}")]
        });
        for (k, row) in rows.chain([tongue.heads.map(String::from)]).enumerate() {
            row.iter().zip(columns).for_each(|(t, c)| pen.text((x + c + 1.5, y + 1.8 + 6.0 * k as f64), 2.2, false, t));
        }
    }
    let mm = |v: f64| (v * scale * 10.0).round() as i64;
    let made = plates.iter().enumerate().map(|(k, p)| {
        let six = thick == 6.0 && (listed || sided && k == 2);
        (mm(p.size.0), mm(p.size.1), p.holes.len(), if readable { p.count } else { 1 }, six)
    });
    let mut made: Vec<_> = made.collect();
    made.sort_unstable();
    made
}

#[test]
fn seventy_two_plans_come_to_their_parts() {
    for n in 0..72_u64 {
        let (tongue, writer) = (&TONGUES[(n % 3) as usize], (n / 3) % 4);
        let mut pen: Box<dyn Pen> = match writer {
            0 => Box::new(Dxf::default()),
            1 => Box::new(Svg::default()),
            2 => Box::new(Pdf::default()),
            _ => Box::new(Outlined::default()),
        };
        let meant = draw(&mut *pen, tongue, &mut Dice(n * 7919 + 3), writer < 3);
        let (name, bytes) = pen.done();
        let mut job = Job::of(&[(name, bytes)], Stock::default());
        let mut told = Vec::new();
        for _ in 0..12 {
            let Some(f) = wanted(&job).into_iter().next() else { break };
            // What is asked is answered by what takes it as the plan means it; what is a fault of the drawing would be a false one.
            let asked = [Code::ScaleSaid, Code::PlanSays, Code::SideView].contains(&f.code);
            assert!(asked || f.code == Code::PaperBorder, "plan {n}: {}", f.text);
            let taken = f.remedies.iter().find(|r| f.code != Code::SideView || r.label.starts_with("Make"));
            job.edit(&taken.expect("a remedy").edit);
            told.push(f.text);
        }
        let route = job.route();
        let stroke = route.work.items.iter().filter(|i| i.process == Process::Score || !i.contour.path.closed && i.process.burns()).count();
        assert_eq!(stroke, 0, "plan {n}: lines of the paper are burned\n{told:#?}");
        let mut made = Vec::new();
        for batch in route.batches.values() {
            for p in batch.work.parts.iter().filter(|p| p.quantity > 0) {
                let (w, h) = ((p.bounds.width() * 10.0).round() as i64, (p.bounds.height() * 10.0).round() as i64);
                made.push((w, h, p.holes.len(), p.quantity, batch.stock.thickness == 6.0));
            }
        }
        made.sort_unstable();
        if writer < 3 && meant.iter().any(|m| m.3 > 1) {
            let taken = route.findings.iter().find(|f| f.code == Code::NotesTaken);
            assert!(taken.is_some_and(|f| f.severity == Severity::Note), "plan {n}: what was taken is said again");
        }
        assert_eq!(made, meant, "plan {n}, {name}\n{told:#?}");
    }
}
