//! Drawings that nothing is wrong with, of twelve kinds as three writers draw them: nothing is asked, nothing is touched, and the
//! parts are what was drawn.

use crate::job::Job;
use crate::pens::{Dxf, Pdf, Pen, Svg};
use boustrophe_core::decisions::Stock;
use boustrophe_core::finding::{Finding, Severity, Station};
use std::f64::consts::TAU;

type P = (f64, f64);

/// Parts as they are meant: how many, holes in all, and length of all outlines, mm.
struct Meant {
    parts: usize,
    holes: usize,
    length: f64,
}

fn ring(pen: &mut dyn Pen, points: &[P]) -> f64 {
    pen.ring(points, false);
    (0..points.len()).map(|i| (points[i], points[(i + 1) % points.len()])).map(|(a, b)| (b.0 - a.0).hypot(b.1 - a.1)).sum()
}

fn rectangle(pen: &mut dyn Pen, x: f64, y: f64, w: f64, h: f64) -> f64 {
    ring(pen, &[(x, y), (x + w, y), (x + w, y + h), (x, y + h)])
}

fn circle(pen: &mut dyn Pen, c: P, r: f64) -> f64 {
    pen.circle(c, r);
    TAU * r
}

/// Points round a middle at radii that follow each other.
fn round(c: P, n: usize, radii: &[f64]) -> Vec<P> {
    let at = |k: usize| (radii[k % radii.len()], TAU * k as f64 / n as f64);
    (0..n).map(at).map(|(r, a)| (c.0 + r * a.cos(), c.1 + r * a.sin())).collect()
}

/// A drawing of a kind; `s` from 0.7 to 1.3 sets its sizes.
fn draw(pen: &mut dyn Pen, kind: usize, s: f64) -> Meant {
    let of = |parts, holes, length| Meant { parts, holes, length };
    match kind {
        // A plate with holes in its corners.
        0 => {
            let (w, h) = (120.0 * s, 80.0 * s);
            let holes: f64 = [(8.0, 8.0), (w - 8.0, 8.0), (8.0, h - 8.0), (w - 8.0, h - 8.0)]
                .map(|(x, y)| circle(pen, (20.0 + x, 20.0 + y), 2.5))
                .iter()
                .sum();
            of(1, 4, holes + rectangle(pen, 20.0, 20.0, w, h))
        }
        // A panel with fingers along one side.
        1 => {
            let mut points = vec![(20.0, 20.0), (20.0, 80.0)];
            for k in 0..5 {
                let x = 20.0 + 20.0 * s * f64::from(k);
                points.extend([(x, 83.0), (x + 10.0 * s, 83.0), (x + 10.0 * s, 80.0), (x + 20.0 * s, 80.0)]);
            }
            points.remove(1);
            points.push((20.0 + 100.0 * s, 20.0));
            of(1, 0, ring(pen, &points))
        }
        // A gear with a bore.
        2 => of(1, 1, ring(pen, &round((90.0, 90.0), 48, &[40.0 * s, 40.0 * s, 34.0 * s, 34.0 * s])) + circle(pen, (90.0, 90.0), 6.0)),
        // Tiles side by side with room between them.
        3 => {
            let tiles =
                (0..12).map(|k| rectangle(pen, 20.0 + f64::from(k % 4) * 40.0 * s, 20.0 + f64::from(k / 4) * 40.0 * s, 30.0 * s, 30.0 * s));
            of(12, 0, tiles.collect::<Vec<_>>().iter().sum())
        }
        // Washers.
        4 => {
            let mut length = 0.0;
            for k in 0..6 {
                let c = (40.0 + f64::from(k % 3) * 50.0 * s, 40.0 + f64::from(k / 3) * 50.0 * s);
                length += circle(pen, c, 18.0 * s) + circle(pen, c, 7.0 * s);
            }
            of(6, 6, length)
        }
        // A star.
        5 => of(1, 0, ring(pen, &round((100.0, 100.0), 10, &[60.0 * s, 25.0 * s]))),
        // A sieve: a disc full of holes.
        6 => {
            let mut length = circle(pen, (100.0, 100.0), 70.0 * s);
            let mut holes = 0;
            for (i, j) in (-4..=4).flat_map(|i| (-4..=4).map(move |j| (f64::from(i) * 12.0 * s, f64::from(j) * 12.0 * s))) {
                if i.hypot(j) < 60.0 * s {
                    length += circle(pen, (100.0 + i, 100.0 + j), 3.0 * s);
                    holes += 1;
                }
            }
            of(1, holes, length)
        }
        // A frame with a window, and the pane cut from it.
        7 => of(
            2,
            1,
            rectangle(pen, 20.0, 20.0, 140.0 * s, 100.0 * s)
                + rectangle(pen, 35.0, 35.0, 110.0 * s, 70.0 * s)
                + rectangle(pen, 45.0, 45.0, 60.0 * s, 40.0 * s),
        ),
        // A comb with deep slots.
        8 => {
            let mut points = vec![(20.0, 20.0)];
            for k in 0..8 {
                let x = 30.0 + 14.0 * s * f64::from(k);
                points.extend([(x, 20.0), (x, 20.0 + 30.0 * s), (x + 4.0, 20.0 + 30.0 * s), (x + 4.0, 20.0)]);
            }
            points.extend([(40.0 + 112.0 * s, 20.0), (40.0 + 112.0 * s, 20.0 + 60.0 * s), (20.0, 20.0 + 60.0 * s)]);
            of(1, 0, ring(pen, &points))
        }
        // A hook of many corners.
        9 => of(
            1,
            0,
            ring(
                pen,
                &[
                    (20.0, 20.0),
                    (120.0 * s, 20.0),
                    (120.0 * s, 40.0),
                    (50.0, 40.0),
                    (50.0, 90.0 * s),
                    (100.0 * s, 90.0 * s),
                    (100.0 * s, 110.0 * s),
                    (20.0, 110.0 * s),
                ],
            ),
        ),
        // Long strips beside each other.
        10 => of(
            7,
            0,
            (0..7).map(|k| rectangle(pen, 20.0, 20.0 + f64::from(k) * 12.0 * s, 180.0 * s, 8.0 * s)).collect::<Vec<_>>().iter().sum(),
        ),
        // A wheel with spokes cut out, and its hub.
        _ => {
            let mut length = circle(pen, (100.0, 100.0), 60.0 * s) + circle(pen, (100.0, 100.0), 8.0 * s);
            for k in 0..6 {
                let at = |r: f64, a: f64| (100.0 + r * s * (TAU * a / 6.0).cos(), 100.0 + r * s * (TAU * a / 6.0).sin());
                let a = f64::from(k);
                length += ring(pen, &[at(18.0, a + 0.15), at(50.0, a + 0.08), at(50.0, a + 0.92), at(18.0, a + 0.85)]);
            }
            of(1, 7, length)
        }
    }
}

#[test]
fn nothing_is_asked_of_a_hundred_clean_drawings() {
    for n in 0..108 {
        let (kind, writer, s) = (n % 12, (n / 12) % 3, [0.8, 1.0, 1.25][n / 36]);
        let mut pen: Box<dyn Pen> = match writer {
            0 => Box::new(Dxf::default()),
            1 => Box::new(Svg::default()),
            _ => Box::new(Pdf::default()),
        };
        let meant = draw(&mut *pen, kind, s);
        let (name, bytes) = pen.done();
        let job = Job::of(&[(name, bytes)], Stock::default());
        let route = job.route();
        let asked = |f: &&Finding| f.severity != Severity::Note && f.station < Station::Nest;
        let told: Vec<&str> = route.findings.iter().filter(asked).map(|f| f.text.as_str()).collect();
        assert!(told.is_empty(), "kind {kind}, {name}, {s}: {told:?}");
        let parts = &route.work.parts;
        let length: f64 = route.work.items.iter().filter(|i| i.process.burns()).map(|i| i.contour.length).sum();
        let holes: usize = parts.iter().map(|p| p.holes.len()).sum();
        assert_eq!((parts.len(), holes), (meant.parts, meant.holes), "kind {kind}, {name}, {s}");
        assert!((length - meant.length).abs() < 1e-3 * meant.length, "kind {kind}, {name}, {s}: {length} of {}", meant.length);
    }
}
