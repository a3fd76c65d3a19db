//! What the head does on a sheet: its travel and rows as drawn, its moves as the player takes them.

use super::sheets::Sheet;
use super::*;
use boustrophe_core::geometry::Point;
use boustrophe_core::hold::Op;
use boustrophe_core::proof::Traced;
use std::sync::Arc;

/// Engraved rows sent for drawing; beyond it only every n-th, at the same looks.
const MOST_ROWS: usize = 4000;

/// The way between each two operations, mm.
pub(super) fn travel(ops: &[Op]) -> Vec<[f64; 4]> {
    let way = |w: &[Op]| -> Option<Vec<Point>> {
        let (a, b) = (w[0].end()?, w[1].start()?);
        Some(std::iter::once(a).chain(w[1].line().approach.by.iter().copied()).chain([b]).collect())
    };
    let ways: Vec<Vec<Point>> = ops.windows(2).filter_map(way).collect();
    ways.iter().flat_map(|w| w.windows(2)).map(|w| [r(w[0].x), r(w[0].y), r(w[1].x), r(w[1].y)]).collect()
}

/// The rows of all operations, thinned to what can be drawn.
pub(super) fn rows(ops: &[Op], sheet: &mut Sheet) {
    let all: Vec<&boustrophe_core::hold::Row> = ops.iter().flat_map(Op::rows).collect();
    if all.len() > 1 {
        sheet.pitch =
            all.windows(2).map(|w| (w[1].at - w[0].at).abs()).filter(|d| *d > 1e-6).fold(f64::INFINITY, f64::min).clamp(0.02, 10.0);
    }
    let step = all.len().div_ceil(MOST_ROWS).max(1);
    sheet.pitch *= step as f64;
    sheet.rows = all
        .into_iter()
        .step_by(step)
        .map(|row| row.spans.iter().flat_map(|s| [row.point(s.0), row.point(s.1)]).flat_map(|p| [r(p.x), r(p.y)]).collect())
        .collect();
}

#[derive(Serialize)]
struct Moves {
    seconds: f64,
    /// What a move can be: its process, none where nothing is burned, and what the head is said to do.
    kinds: Vec<(&'static str, &'static str)>,
    /// x, y, bulge, x, y, end of the move in s, what it is as an index into the kinds, line of the program, and number of the piece of
    /// work, 0 for none.
    moves: Vec<[f64; 9]>,
}

/// The moves of a sheet's program (from 1), for playing.
pub async fn moves(app: Shared, Path((job, sheet)): Path<(i32, usize)>) -> Result<Response, AppError> {
    blocking(&app, move |app| all_moves(app, job, sheet)).await
}

fn all_moves(app: &Arc<App>, job: i32, sheet: usize) -> Result<Response, AppError> {
    let loaded = app.load(job)?;
    let proof = sheet
        .checked_sub(1)
        .and_then(|i| loaded.route.sheet(i))
        .and_then(|(batch, i)| loaded.route.batch(batch).proofs.get(i))
        .ok_or_else(|| AppError::NoPage(format!("/jobs/{job}/moves/{sheet}")))?;
    let order = Process::in_order();
    let mut kinds = vec![("", Process::Reference.doing())];
    kinds.extend(order.iter().map(|p| (p.slug(), p.doing())));
    kinds.push((Process::Cut.slug(), "leading in or out"));
    let kind = |m: &Traced| match m.process.and_then(|p| order.iter().position(|o| *o == p)) {
        None => 0.0,
        Some(_) if m.lead => order.len() as f64 + 1.0,
        Some(n) => n as f64 + 1.0,
    };
    let moves = proof
        .moves
        .iter()
        .map(|m| {
            let bulge = (m.path.bulge * 1e6).round() / 1e6;
            let (line, work) = (m.line as f64, m.op.map_or(0.0, |o| o as f64 + 1.0));
            [r(m.path.start.x), r(m.path.start.y), bulge, r(m.path.end.x), r(m.path.end.y), r(m.end), kind(m), line, work]
        })
        .collect();
    json(&Moves { seconds: proof.seconds, kinds, moves })
}
