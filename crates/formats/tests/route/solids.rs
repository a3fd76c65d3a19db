//! Solids from files: every number stands on two faces, on edges of one length, and models of 20 to 500 facets come to
//! programs with joints of all three kinds.

use crate::job::{Job, stl};
use boustrophe_core::decisions::{Edit, IntakeEdit, Joints, NestEdit, SolidChoices, Stock};
use boustrophe_core::drawing::{Nature, Shape, Unit};
use boustrophe_core::finding::Severity;
use boustrophe_core::geometry::{Bounds, Curve, Path, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::lettering;
use boustrophe_core::nest::Sheet;
use boustrophe_core::route::Route;
use std::collections::BTreeMap;
use std::f64::consts::{PI, TAU};

/// A dented ball of `2 · around · (high - 1)` facets as binary STL, mm.
fn ball(around: usize, high: usize, radius: f64) -> Vec<u8> {
    let at = |r: usize, k: usize| -> [f64; 3] {
        let (a, b) = (PI * r as f64 / high as f64, TAU * (k % around) as f64 / around as f64);
        // Dents that make no two faces alike.
        let dent = radius * (1.0 + 0.04 * (3.0 * a + 2.0 * b).sin() * if r == 0 || r == high { 0.0 } else { 1.0 });
        [dent * a.sin() * b.cos(), dent * a.sin() * b.sin(), dent * a.cos()]
    };
    let mut faces = Vec::new();
    for r in 0..high {
        for k in 0..around {
            let (p, q, s, t) = (at(r, k), at(r + 1, k), at(r + 1, k + 1), at(r, k + 1));
            if r + 1 < high {
                faces.push([p, q, s]);
            }
            if r > 0 {
                faces.push([p, s, t]);
            }
            if r + 1 == high {
                faces.pop();
                faces.push([p, q, t]);
            }
        }
    }
    stl(&faces)
}

fn job(bytes: Vec<u8>, joints: Joints) -> Job {
    let mut job = Job::of(&[("ball.stl", bytes)], Stock::default());
    job.edit(&Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: Unit::Mm }));
    job.edit(&Edit::Intake(IntakeEdit::SetSolid { drawing: 1, choices: SolidChoices { joints, ..SolidChoices::default() } }));
    job
}

type Form = Vec<(i64, i64)>;

/// Strokes as they are written, whatever their size and place: places along them from the lower left corner, in thousandths of the height.
fn form(paths: &[&Path]) -> Form {
    let b = paths.iter().map(|p| p.bounds()).fold(Bounds::EMPTY, Bounds::union);
    let k = 1000.0 / b.height().max(1e-9);
    let r = |p: Point| (((p.x - b.min.x) * k).round() as i64, ((p.y - b.min.y) * k).round() as i64);
    paths.iter().flat_map(|p| (0..=8).map(|k| r(p.at(p.length() * f64::from(k) / 8.0).0))).collect()
}

/// Reads the numbers of a route's parts by their strokes: the number and the box that it fills, part by part.
fn read(route: &Route) -> Vec<Vec<(usize, Bounds)>> {
    let known: Vec<(usize, Form, usize)> = (1..1200)
        .map(|n| {
            let line = lettering::strokes(&n.to_string(), 10.0);
            (n, form(&line.paths.iter().collect::<Vec<_>>()), line.paths.len())
        })
        .collect();
    let near = |a: &[(i64, i64)], b: &[(i64, i64)]| {
        a.len() == b.len() && a.iter().zip(b).all(|(p, q)| (p.0 - q.0).abs() <= 8 && (p.1 - q.1).abs() <= 8)
    };
    let mut out = Vec::new();
    for part in &route.work.parts {
        let written = |i: &&usize| route.work.items[**i].contour.style.nature == Nature::Writing;
        let mut strokes: Vec<&Path> = part.inside.iter().filter(written).map(|i| &route.work.items[*i].contour.path).collect();
        let mut numbers = Vec::new();
        while !strokes.is_empty() {
            // The longest number that the next strokes are.
            let fits = |k: &&(usize, Form, usize)| k.2 <= strokes.len() && near(&form(&strokes[..k.2]), &k.1);
            let Some((n, _, taken)) = known.iter().filter(fits).max_by_key(|k| k.2) else {
                panic!("{}: strokes that are no number", part.name)
            };
            numbers.push((*n, strokes[..*taken].iter().map(|p| p.bounds()).fold(Bounds::EMPTY, Bounds::union)));
            strokes.drain(..*taken);
        }
        out.push(numbers);
    }
    out
}

#[test]
fn every_number_stands_on_two_faces_by_edges_of_one_length() {
    for (around, high, joints) in
        [(5, 3, Joints::Bare), (8, 6, Joints::Ties { pitch: 15.0, inset: 5.0, diameter: 2.0 }), (12, 9, Joints::Bare)]
    {
        let route = job(ball(around, high, 300.0), joints).route();
        let facets = 2 * around * (high - 1);
        assert!(route.work.parts.len() * 10 >= facets * 9, "{} of {facets}", route.work.parts.len());
        let mut seen: BTreeMap<usize, Vec<(usize, f64)>> = BTreeMap::new();
        for (at, numbers) in read(&route).into_iter().enumerate() {
            for (k, (n, b)) in numbers.iter().enumerate() {
                assert!(numbers[k + 1..].iter().all(|(_, other)| !b.meets(other)), "{n} stands on another");
            }
            for (n, b) in numbers {
                // The edge nearest to it is the one that it is of.
                let outline = &route.work.parts[at].outline;
                let edge =
                    outline.segments.iter().min_by(|a, c| a.distance(b.center()).total_cmp(&c.distance(b.center()))).expect("an edge");
                seen.entry(n).or_default().push((at, edge.length()));
            }
        }
        assert!(seen.len() * 2 > facets, "most edges have room for their number: {}", seen.len());
        for (n, at) in &seen {
            assert!(at.len() == 2 && at[0].0 != at[1].0, "{n} stands on {at:?}");
            assert!((at[0].1 - at[1].1).abs() < 0.01, "{n} joins edges of {at:?}");
        }
    }
}

#[test]
fn models_of_twenty_to_five_hundred_facets_come_to_programs_however_they_are_joined() {
    let (bare, ties, short) = (Joints::Bare, Joints::Ties { pitch: 12.0, inset: 4.0, diameter: 2.0 }, Joints::Shortened { thickness: 3.0 });
    let models = [
        (5, 3, 80.0, vec![bare, ties, short]),
        (10, 6, 160.0, vec![ties, short]),
        (16, 9, 260.0, vec![short]),
        (21, 13, 420.0, vec![ties]),
    ];
    for (around, high, radius, kinds) in models {
        for joints in kinds {
            let mut job = job(ball(around, high, radius), joints);
            job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(900.0, 600.0)] }.on(BatchId::FIRST));
            job.mend();
            job.nest(1, 1);
            let route = job.settled();
            let open: Vec<_> = route.findings.iter().filter(|f| f.severity != Severity::Note).map(|f| (&f.code, &f.text)).collect();
            assert!(route.released(), "{around} × {high}, {joints:?}: {open:?}");
            assert!(route.work.parts.len() >= 2 * around * (high - 1) * 9 / 10, "{} parts", route.work.parts.len());
        }
    }
}

/// A box of 60 × 40 × 25: measured as it comes out of the route, at true size whatever unit the file is in.
#[test]
fn joints_are_measured_in_mm_whatever_the_file_is_in() {
    let faces = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let stl = |k: f64| {
        let v = |i: usize| {
            [if i & 1 == 1 { 60.0 } else { 0.0 }, if i & 2 == 2 { 40.0 } else { 0.0 }, if i & 4 == 4 { 25.0 } else { 0.0 }].map(|v| v * k)
        };
        let mut out = "solid box\n".to_owned();
        for q in faces {
            for t in [[q[0], q[1], q[2]], [q[0], q[2], q[3]]] {
                out.push_str("facet normal 0 0 0\nouter loop\n");
                t.map(v).iter().for_each(|p| out.push_str(&format!("vertex {} {} {}\n", p[0], p[1], p[2])));
                out.push_str("endloop\nendfacet\n");
            }
        }
        (out + "endsolid box\n").into_bytes()
    };
    for (k, unit) in [(1.0, Unit::Mm), (0.1, Unit::Cm), (1.0 / 25.4, Unit::In)] {
        let with = |joints| {
            let mut job = job(stl(k), joints);
            job.edit(&Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit }));
            job.route()
        };
        let sizes = |r: &Route| {
            let mut s: Vec<(i64, i64)> = r
                .work
                .parts
                .iter()
                .map(|p| {
                    (
                        (p.bounds.width().max(p.bounds.height()) * 100.0).round() as i64,
                        (p.bounds.width().min(p.bounds.height()) * 100.0).round() as i64,
                    )
                })
                .collect();
            s.sort_unstable();
            s
        };
        // At right angles both plates of an edge are shortened by the plates' thickness, on both sides.
        assert_eq!(
            sizes(&with(Joints::Shortened { thickness: 3.0 })),
            [(3400, 1900), (3400, 1900), (5400, 1900), (5400, 1900), (5400, 3400), (5400, 3400)]
        );
        let tied = with(Joints::Ties { pitch: 10.0, inset: 4.0, diameter: 2.0 });
        assert_eq!(sizes(&tied), sizes(&with(Joints::Bare)));
        for part in &tied.work.parts {
            let holes: Vec<Bounds> = part.holes.iter().map(|h| tied.work.items[*h].contour.bounds).collect();
            assert!(holes.len() >= 6, "{}: {}", part.name, holes.len());
            for h in holes {
                assert!((h.width() - 2.0).abs() < 1e-6);
                assert!((part.outline.nearest(h.center()).distance - 4.0).abs() < 1e-6);
            }
        }
    }
}

#[test]
fn a_file_of_a_solid_keeps_its_triangles() {
    let d = boustrophe_formats::read("ball.stl", &ball(5, 3, 80.0)).expect("it reads");
    let solid = d.solid.as_ref().expect("a solid");
    assert_eq!(solid.triangles.len(), 20);
    let drawn = solid.drawn(&SolidChoices::default(), 1.0, &d);
    assert_eq!(drawn.entities, d.entities, "drawn again as it was read");
    let closed = |e: &&boustrophe_core::drawing::Entity| matches!(&e.shape, Shape::Path { closed: true, curves } if curves.iter().all(|c| matches!(c, Curve::Line(..))));
    assert_eq!(d.entities.iter().filter(closed).count(), 20);
}
