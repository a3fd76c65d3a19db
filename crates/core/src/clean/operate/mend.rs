//! Lines given a width, outlines closed, letters set anew.

use super::Work;
use crate::clean::ContourId;
use crate::drawing::{Nature, Style};
use crate::geometry::{Affine, Bounds, Path, Segment, Vec2, subpaths};
use crate::lettering::{self, Face};
use kurbo::{BezPath, Stroke, StrokeOpts};
use std::sync::Arc;

/// How closely a widened line is followed, mm.
const FOLLOWED: f64 = 0.005;

/// Open lines become the areas that a round pen of `width` mm would draw along them.
pub(super) fn widen(work: &mut Work, contours: &[ContourId], width: f64) -> bool {
    let at: Vec<usize> = work.all(contours).into_iter().filter(|i| !work.contours[*i].path.closed).collect();
    let ids: Vec<ContourId> = at.iter().map(|i| work.contours[*i].id).collect();
    for id in &ids {
        let Some(i) = work.find(*id) else { continue };
        let outlines = drawn_with_a_pen(&work.contours[i].path, width);
        // The pen's path may overlap itself: what it covers counts once.
        let style = Arc::new(Style { winding: true, ..(*work.contours[i].style).clone() });
        let compound = (id.0 as u32) | 1;
        for (k, path) in outlines.into_iter().enumerate() {
            let made = crate::clean::Contour { style: Arc::clone(&style), compound, ..work.contours[i].with(path) };
            if k == 0 {
                work.contours[i] = Arc::new(made);
            } else {
                work.add_made(made);
            }
        }
    }
    !at.is_empty()
}

fn drawn_with_a_pen(path: &Path, width: f64) -> Vec<Path> {
    let mut line = BezPath::new();
    for (k, s) in path.segments.iter().enumerate() {
        if k == 0 {
            line.move_to(s.start);
        }
        if s.is_line() {
            line.line_to(s.end);
        } else {
            let from = (s.start - s.center()).atan2();
            let arc = kurbo::Arc::new(s.center(), (s.radius(), s.radius()), from, s.sweep(), 0.0);
            arc.append_iter(FOLLOWED / 10.0).for_each(|e| line.push(e));
        }
    }
    let outline = kurbo::stroke(line, &Stroke::new(width), &StrokeOpts::default(), FOLLOWED / 2.0);
    let mut out: Vec<Path> = subpaths(&outline).into_iter().map(|(curves, _)| Path::fitted(&curves, true, FOLLOWED)).collect();
    for path in &mut out {
        path.segments.retain(|s| s.chord() > 1e-9);
    }
    out.retain(|p| p.segments.len() > 1);
    out
}

/// Length of an arm of a centre mark, mm.
const ARM: f64 = 1.5;

/// Closed outlines become crosses on their middle.
pub(super) fn centre(work: &mut Work, contours: &[ContourId]) -> bool {
    let closed = |work: &Work| work.all(contours).into_iter().find(|i| work.contours[*i].path.closed);
    let mut any = false;
    while let Some(i) = closed(work) {
        any = true;
        let middle = work.contours[i].bounds.center();
        let style = Arc::new(Style { nature: Nature::Centre, added: true, ..(*work.contours[i].style).clone() });
        let arm = |along: Vec2| Path::new(vec![Segment::line(middle - along * ARM, middle + along * ARM)], false);
        work.add_styled(i, arm(Vec2::new(0.0, 1.0)), Arc::clone(&style));
        work.contours[i] = Arc::new(crate::clean::Contour { style, ..work.contours[i].with(arm(Vec2::new(1.0, 0.0))) });
    }
    any
}

/// Open lines are closed by a straight edge from end to start.
pub(super) fn close(work: &mut Work, contours: &[ContourId]) -> bool {
    let at: Vec<usize> =
        work.all(contours).into_iter().filter(|i| !work.contours[*i].path.closed && work.contours[*i].path.segments.len() > 1).collect();
    for i in &at {
        let mut path = work.contours[*i].path.clone();
        let (start, end) = (path.segments[0].start, path.segments[path.segments.len() - 1].end);
        if start.distance(end) > 1e-9 {
            path.segments.push(Segment::line(end, start));
        }
        path.closed = true;
        work.set(*i, path);
    }
    !at.is_empty()
}

/// Chosen glyphs give way to new text as high as they were, on their base line, from their left. The base line is where
/// most of them stand, the height that of the tallest above it: capitals, or letters with an ascender.
pub(super) fn reletter(work: &mut Work, contours: &[ContourId], text: &str, face: Face) -> bool {
    let at = work.all(contours);
    let Some(first) = at.first().copied() else { return false };
    let all: Bounds = work.bounds(&at);
    let mut feet: Vec<f64> = at.iter().map(|i| work.contours[*i].bounds.min.y).collect();
    feet.sort_by(f64::total_cmp);
    let base = feet[feet.len() / 2];
    let height = (all.max.y - base).max(0.1);
    let drawn = Arc::clone(&work.contours[first].style);
    let style = Arc::new(Style { text: face.is_area(), winding: true, ..(*drawn).clone() });
    let style = if face.is_area() { style } else { super::add::written(&drawn) };
    let line = lettering::line(text, height, face);
    // The ink of the first letter begins where it began before.
    let ink = line.paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()));
    let place = Affine::translate(Vec2::new(all.min.x - if ink.is_empty() { 0.0 } else { ink.min.x }, base));
    for path in &line.paths {
        work.add_styled(first, path.transformed(place), Arc::clone(&style));
    }
    let gone: Vec<usize> = work.all(contours);
    work.remove(&gone);
    true
}
