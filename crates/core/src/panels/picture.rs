//! A small picture of a box put together: every panel's faces in parallel projection, the farther ones first.

use super::{BoxSpec, Panel};
use crate::geometry::{Path, Point};
use std::fmt::Write;

/// Directions of the box's axes on the picture: to the right, to the right and up, up.
const AXES: [(f64, f64); 3] = [(1.0, -0.22), (0.62, 0.42), (0.0, 1.0)];
/// How closely round ends are followed, mm.
const CLOSE: f64 = 0.4;

fn seen(p: [f64; 3]) -> Point {
    let along = |k: usize| (p[k] * AXES[k].0, p[k] * AXES[k].1);
    let (a, b, c) = (along(0), along(1), along(2));
    // A picture's y goes down.
    Point::new(a.0 + b.0 + c.0, -(a.1 + b.1 + c.1))
}

/// A panel's point in the box, on its low face or its high one.
fn stood(panel: &Panel, p: Point, high: bool) -> [f64; 3] {
    let s = &panel.stands;
    let mut at = s.at;
    at[s.x] += p.x;
    at[s.y] += p.y;
    at[3 - s.x - s.y] += if high { s.thick } else { 0.0 };
    at
}

/// An SVG of the box put together.
pub fn picture(spec: &BoxSpec) -> Result<String, String> {
    let panels = spec.panels()?;
    let axis = |p: &Panel| 3 - p.stands.x - p.stands.y;
    // From the farthest: the back, the right side, the base, what is within, the left, the front, what is above.
    let far = |p: &Panel| {
        let at = p.stands.at;
        match axis(p) {
            1 => -2.0 * at[1],
            0 => at[0] - 1.5 * at[1],
            _ => at[2] * 3.0 - 1e4 * f64::from(at[2] == 0.0),
        }
    };
    let mut order: Vec<&Panel> = panels.iter().collect();
    order.sort_by(|a, b| far(a).total_cmp(&far(b)));
    let mut body = String::new();
    let (mut x0, mut y0, mut x1, mut y1) = (f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY);
    for panel in order {
        let mut face = |high: bool| {
            let mut d = String::new();
            for ring in std::iter::once(&panel.outline).chain(&panel.holes) {
                for (i, p) in ring.points(CLOSE).iter().enumerate() {
                    let q = seen(stood(panel, *p, high));
                    (x0, y0, x1, y1) = (x0.min(q.x), y0.min(q.y), x1.max(q.x), y1.max(q.y));
                    let _ = write!(d, "{}{:.1} {:.1}", if i == 0 { 'M' } else { 'L' }, q.x, q.y);
                }
                d.push('Z');
            }
            d
        };
        let (low, high) = (face(false), face(true));
        let _ = write!(body, "<path d=\"{low}\" class=\"far\"/>{}<path d=\"{high}\" class=\"near\"/>", sides(panel));
    }
    let room = 0.03 * (x1 - x0).max(y1 - y0);
    Ok(format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"put-together\" viewBox=\"{:.1} {:.1} {:.1} {:.1}\" role=\"img\" aria-label=\"The box put together\">{body}</svg>",
        x0 - room,
        y0 - room,
        x1 - x0 + 2.0 * room,
        y1 - y0 + 2.0 * room
    ))
}

/// The edges between the two faces of a panel.
fn sides(panel: &Panel) -> String {
    let ring: &Path = &panel.outline;
    let mut d = String::new();
    for s in &ring.segments {
        let (a, b, c, e) = (
            seen(stood(panel, s.start, false)),
            seen(stood(panel, s.end, false)),
            seen(stood(panel, s.end, true)),
            seen(stood(panel, s.start, true)),
        );
        let _ = write!(d, "M{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}Z", a.x, a.y, b.x, b.y, c.x, c.y, e.x, e.y);
    }
    format!("<path d=\"{d}\" class=\"side\"/>")
}
