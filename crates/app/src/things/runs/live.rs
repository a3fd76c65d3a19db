//! A run's sheet as it burns: what each piece of work is called and where it runs, for the picture that follows the head.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use axum::extract::Path;
use axum::response::{IntoResponse, Response};
use boustrophe_core::geometry::Segment;
use boustrophe_core::hold::Op;
use boustrophe_shop::runs::again;
use serde::Serialize;

/// How closely lines are followed, as a share of the sheet's longer side.
const CLOSE: f64 = 1.0 / 4000.0;
/// Rows of a sweep that are shown at most: beyond it only every so many.
const MOST_ROWS: usize = 60;

#[derive(Serialize)]
struct Live {
    width: f64,
    height: f64,
    pieces: Vec<Piece>,
}

/// A piece of work, as the program numbers them.
#[derive(Serialize)]
struct Piece {
    name: String,
    process: &'static str,
    /// Points along it, x and y after each other, mm from the sheet's lower left corner: a list for each stretch.
    lines: Vec<Vec<f64>>,
}

/// The work of a run as JSON.
pub async fn work(app: Shared, Path(id): Path<i32>) -> Result<Response, AppError> {
    blocking(&app, move |app| working(app, id)).await
}

fn working(app: &Shared, id: i32) -> Result<Response, AppError> {
    let run = app.store.run(id)?;
    let (sheet, path) = again::own_work(app, &run)?;
    let size = sheet.sheet().map_or((1.0, 1.0), |s| (s.layout.sheet.width, s.layout.sheet.height));
    let close = size.0.max(size.1) * CLOSE;
    let piece = |op: &Op| {
        let copy = sheet.copies().get(op.placement);
        let part = copy.and_then(|p| sheet.batch().work.part(p.copy.part));
        let copies = part.filter(|p| p.quantity > 1).and(copy).map_or_else(String::new, |p| format!(" {}", p.copy.number));
        let name = part.map_or_else(|| op.process.name().to_owned(), |p| format!("{}{copies}, {}", p.name, op.process.name()));
        Piece { name, process: op.process.slug(), lines: lines(op, close) }
    };
    Ok(axum::Json(Live { width: size.0, height: size.1, pieces: path.ops.iter().map(piece).collect() }).into_response())
}

fn lines(op: &Op, close: f64) -> Vec<Vec<f64>> {
    let r = |v: f64| (v * 100.0).round() / 100.0;
    if op.is_swept() {
        let rows: Vec<_> = if op.rows().is_empty() { op.picture_rows().collect() } else { op.rows().to_vec() };
        let each = rows.len().div_ceil(MOST_ROWS).max(1);
        let stretches = |row: &boustrophe_core::hold::Row| {
            let spans = row.spans.iter().map(|(a, b)| (row.point(*a), row.point(*b)));
            let mut out: Vec<Vec<f64>> = spans.map(|(a, b)| vec![r(a.x), r(a.y), r(b.x), r(b.y)]).collect();
            if row.backward {
                out.reverse();
                out.iter_mut().for_each(|l| l.rotate_left(2));
            }
            out
        };
        return rows.iter().step_by(each).flat_map(stretches).collect();
    }
    let line = op.line();
    let mut out = Vec::new();
    for (i, run) in line.runs.iter().enumerate() {
        let mut points = Vec::new();
        for s in op.lead_before(i).iter().chain(run) {
            along(s, close, &mut points);
        }
        out.push(points.iter().flat_map(|p| [r(p.x), r(p.y)]).collect());
    }
    out
}

/// Points of a segment behind those of the one before.
fn along(s: &Segment, close: f64, points: &mut Vec<boustrophe_core::geometry::Point>) {
    let radius = s.radius();
    // A chord's height is r (1 − cos(a / 2)), for small angles r a² / 8.
    let steps =
        if radius.is_finite() { (s.length() / (8.0 * radius * close).sqrt().max(1e-3)).ceil().clamp(1.0, 64.0) as usize } else { 1 };
    if points.last().is_none_or(|l| l.distance(s.start) > 1e-6) {
        points.push(s.start);
    }
    points.extend((1..=steps).map(|k| s.at(k as f64 / steps as f64)));
}
