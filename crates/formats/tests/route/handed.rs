//! Sheets handed on as drawings: read again they hold the same work, part by part, pictures among it.

use crate::job::Job;
use crate::jobs::{drawn, job, plate};
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{AssignEdit, Edit, Stock};
use boustrophe_core::drawing::{Drawing, Shape};
use boustrophe_core::geometry::{Bounds, Curve, Point};
use boustrophe_formats::sheet::{write_dxf, write_svg};
use boustrophe_formats::{bitmap, read};
use boustrophe_house::played;
use proptest::prelude::*;

/// Length of a line or a circle's arc, which is all that is written.
fn length(c: &Curve) -> f64 {
    match c {
        Curve::Line(a, b) => a.distance(*b),
        Curve::Ellipse { u, sweep, .. } => u.hypot() * sweep.abs(),
        other => panic!("{other:?} was not written"),
    }
}

/// Lines of a layer, each as its box and length, in a fixed order.
fn lines(drawing: &Drawing, layer: &str) -> Vec<[f64; 5]> {
    let of = drawing.entities.iter().filter(|e| drawing.styles[e.style].layer == layer);
    let mut out: Vec<[f64; 5]> = of
        .filter_map(|e| {
            let Shape::Path { curves, .. } = &e.shape else { return None };
            let b = curves.iter().map(Curve::bounds).fold(Bounds::EMPTY, Bounds::union);
            Some([b.min.x, b.min.y, b.max.x, b.max.y, curves.iter().map(length).sum()])
        })
        .collect();
    out.sort_by(|a, b| a.iter().zip(b).map(|(x, y)| x.total_cmp(y)).find(|o| o.is_ne()).unwrap_or(std::cmp::Ordering::Equal));
    out
}

/// The same of what lies on a sheet.
fn lying(job: &Job, sheet: usize, process: Process) -> Vec<[f64; 5]> {
    let route = job.route();
    let (work, layout) = (&route.first().work, &route.first().nested.layout.sheets[sheet]);
    let mut out = Vec::new();
    for p in &layout.placed {
        let part = work.part(p.copy.part).expect("a part");
        for item in part.items().map(|i| &work.items[i]).filter(|i| i.process == process) {
            let path = item.contour.path.transformed(p.affine());
            let b = path.bounds();
            out.push([b.min.x, b.min.y, b.max.x, b.max.y, path.length()]);
        }
    }
    out.sort_by(|a, b| a.iter().zip(b).map(|(x, y)| x.total_cmp(y)).find(|o| o.is_ne()).unwrap_or(std::cmp::Ordering::Equal));
    out
}

fn alike(found: &[[f64; 5]], meant: &[[f64; 5]]) -> Result<(), String> {
    if found.len() != meant.len() {
        return Err(format!("{} lines for {}", found.len(), meant.len()));
    }
    // Nearly equal corners may be sorted otherwise: each has its like.
    let like = |a: &[f64; 5]| meant.iter().any(|b| a.iter().zip(b).all(|(x, y)| (x - y).abs() < 0.01 + 0.002 * y.abs()));
    found.iter().find(|a| !like(a)).map_or(Ok(()), |a| Err(format!("{a:?} is not on the sheet")))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(60)))]
    #[test]
    fn a_sheet_comes_back_as_it_was_handed_on(plates in prop::collection::vec(plate(), 1..4), copies in 1..4_u32) {
        let mut job = job(&drawn(&plates), Stock::default(), copies);
        job.nest(1, 2);
        let route = job.route();
        let (work, layout) = (&route.first().work, &route.first().nested.layout.sheets[0]);
        let files = [("sheet.svg", write_svg(work, layout).into_bytes()), ("sheet.dxf", write_dxf(work, layout).into_bytes())];
        for (name, bytes) in files {
            let drawing = read(name, &bytes).expect("it reads");
            // SVG's y goes down from the page's upper edge; it is read with y up, so both agree.
            for (process, layer) in [(Process::Cut, "cut"), (Process::Score, "score"), (Process::Mark, "mark")] {
                let same = alike(&lines(&drawing, layer), &lying(&job, 0, process));
                prop_assert!(same.is_ok(), "{name}, {layer}: {same:?}");
            }
            prop_assert!(drawing.damage.is_empty(), "{:?}", drawing.damage);
        }
        // A group for every copy.
        let svg = write_svg(work, layout);
        prop_assert_eq!(svg.matches("<g id=\"copy-").count(), layout.placed.len());
        let dxf = write_dxf(work, layout);
        prop_assert_eq!(dxf.matches("\nINSERT\n").count(), layout.placed.len());
    }
}

/// A picture that is engraved goes along in the SVG, at its place and in its greys.
#[test]
fn pictures_go_along() {
    let rgba = (0..20 * 10)
        .flat_map(|i| [u8::try_from(i).unwrap_or(255), 0, 0, 255].map(|_| u8::try_from(i % 200).unwrap_or(0)))
        .collect::<Vec<u8>>();
    let rgba: Vec<u8> = rgba.chunks(4).flat_map(|c| [c[0], c[0], c[0], 255]).collect();
    let png = bitmap::write_png(20, 10, rgba).expect("a picture");
    let data = {
        use base64::Engine;
        base64::engine::general_purpose::STANDARD.encode(&png)
    };
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="80mm" viewBox="0 0 100 80"><path fill="none" stroke="red" d="M10 10h70v50h-70z"/><image x="20" y="20" width="40" height="20" href="data:image/png;base64,{data}"/></svg>"#
    );
    let mut job = Job::of(&[("sign.svg", svg.into_bytes())], Stock::default());
    let pictures: Vec<_> = job.route().work.items.iter().filter(|i| i.contour.picture.is_some()).map(|i| i.contour.id).collect();
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: pictures, process: Some(Process::Picture) }));
    job.nest(1, 1);
    let route = job.route();
    let (work, layout) = (&route.first().work, &route.first().nested.layout.sheets[0]);
    let item = work.items.iter().find(|i| i.process == Process::Picture).expect("the picture");
    let meant = layout.placed[0].affine() * item.contour.picture_place().expect("its place");
    let again = read("sheet.svg", write_svg(work, layout).as_bytes()).expect("it reads");
    let found = again.entities.iter().find_map(|e| if let Shape::Picture(p) = &e.shape { Some(p) } else { None }).expect("a picture");
    assert_eq!(found.bitmap.grey, item.contour.picture.as_ref().expect("greys").grey);
    for corner in [Point::ZERO, Point::new(1.0, 0.0), Point::new(0.0, 1.0)] {
        assert!((found.place * corner).distance(meant * corner) < 1e-3, "{corner:?}: {:?} for {:?}", found.place * corner, meant * corner);
    }
}
