//! Entities as the file has them, before blocks are drawn out.

mod shapes;

use super::{Groups, areas, colour};
use boustrophe_core::drawing::{Anchor, Drawing};
use boustrophe_core::geometry::{Affine, Curve, Filled, Nurbs, Path, Point, Segment, Vec2, shown};
pub(crate) use shapes::line_type;
use shapes::*;
use std::f64::consts::TAU;
use std::sync::Arc;

/// An entity's colour, as given.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Paint {
    ByLayer,
    ByBlock,
    Is([u8; 3]),
}

/// What an entity is.
#[derive(Clone, Debug)]
pub(crate) enum RawShape {
    Path {
        curves: Vec<Curve>,
        closed: bool,
    },
    /// Several lines of one entity.
    Lines {
        lines: Vec<Vec<Curve>>,
        closed: bool,
    },
    /// A point.
    Centre(Vec<Curve>),
    /// Outlines of an area and its openings.
    Area(Vec<Vec<Curve>>),
    Text {
        at: Point,
        height: f64,
        angle: f64,
        value: String,
        /// What of it stands at its place: along it, and so many of its heights up.
        anchor: (Anchor, f64),
    },
    Insert(Box<Insert>),
}

/// A block reference.
#[derive(Clone, Debug)]
pub(crate) struct Insert {
    pub(crate) block: String,
    pub(crate) at: Vec2,
    pub(crate) scale: (f64, f64),
    pub(crate) angle: f64,
    pub(crate) columns: u32,
    pub(crate) rows: u32,
    pub(crate) pitch: (f64, f64),
    /// From its plane to the drawing.
    pub(crate) plane: Affine,
}

impl Default for Insert {
    fn default() -> Self {
        Self {
            block: String::new(),
            at: Vec2::ZERO,
            scale: (1.0, 1.0),
            angle: 0.0,
            columns: 1,
            rows: 1,
            pitch: (0.0, 0.0),
            plane: Affine::IDENTITY,
        }
    }
}

/// An entity with its looks.
#[derive(Clone, Debug)]
pub(crate) struct Raw {
    pub(crate) layer: String,
    pub(crate) paint: Paint,
    pub(crate) line_type: Option<String>,
    pub(crate) width: Option<u32>,
    pub(crate) shape: RawShape,
    /// About the drawing, not of it: a dimension, a leader.
    pub(crate) annotation: bool,
    /// Belongs to another entity, which is the one that counts.
    pub(crate) attached: bool,
    /// Not to be shown, whatever its layer is.
    pub(crate) invisible: bool,
}

/// Copies of one array at most.
const MOST_COPIES: f64 = 100_000.0;

/// Kinds that hold no drawn line by themselves and are not counted.
const PARTS: [&str; 2] = ["SEQEND", "VERTEX"];

/// A polyline of the old kind, whose corners come in records of their own.
struct OldPolyline {
    raw: Raw,
    vertices: Vec<(Point, f64)>,
    widths: Vec<(f64, f64)>,
    /// Width at both ends where a corner says none.
    width: (f64, f64),
    plane: Affine,
}

/// Collects entities; polylines of the old kind come in several records.
#[derive(Default)]
pub(crate) struct Gathering {
    raw: Vec<Raw>,
    skipped: Vec<(String, Option<String>)>,
    polyline: Option<OldPolyline>,
    /// Entities in planes that are seen aslant.
    pub(crate) tilted: usize,
    /// A vertex of it makes no sense: the sentence on it.
    senseless: Option<String>,
}

/// Reads values of a record by group code.
struct Record<'a> {
    groups: &'a Groups<'a>,
}

impl Record<'_> {
    fn text(&self, code: i32) -> Option<&str> {
        self.groups.iter().find(|g| g.0 == code).map(|g| g.1.as_ref())
    }
    fn number(&self, code: i32) -> f64 {
        self.text(code).and_then(|t| t.trim().parse().ok()).unwrap_or(0.0)
    }
    fn or(&self, code: i32, otherwise: f64) -> f64 {
        self.text(code).and_then(|t| t.trim().parse().ok()).unwrap_or(otherwise)
    }
    fn integer(&self, code: i32) -> i64 {
        self.text(code).and_then(|t| t.trim().parse().ok()).unwrap_or(0)
    }
    fn point(&self, code: i32) -> Point {
        Point::new(self.number(code), self.number(code + 10))
    }
    /// All points with this code, in order.
    fn points(&self, code: i32) -> Vec<Point> {
        let mut out: Vec<Point> = Vec::new();
        for (c, value) in self.groups {
            let number = || value.trim().parse().unwrap_or(f64::NAN);
            if *c == code {
                out.push(Point::new(number(), 0.0));
            } else if *c == code + 10
                && let Some(last) = out.last_mut()
            {
                last.y = number();
            }
        }
        out
    }
    fn numbers(&self, code: i32) -> Vec<f64> {
        self.groups.iter().filter(|g| g.0 == code).map(|g| g.1.trim().parse().unwrap_or(f64::NAN)).collect()
    }
    /// A coordinate that is no number, or beyond any drawing.
    fn senseless(&self) -> Option<&str> {
        let sane = |v: &str| v.trim().parse::<f64>().is_ok_and(|n| n.is_finite() && n.abs() <= Drawing::LARGEST_NUMBER);
        self.groups.iter().filter(|g| (10..60).contains(&g.0)).map(|g| g.1.as_ref()).find(|v| !sane(v))
    }
}

impl Gathering {
    /// Takes one record.
    pub(crate) fn take(&mut self, kind: &str, groups: &Groups, line: usize) {
        let r = Record { groups };
        if let Some(old) = &mut self.polyline {
            if kind == "VERTEX" {
                match r.senseless() {
                    Some(value) => self.senseless = Some(no_place("VERTEX of a POLYLINE", value, line)),
                    // Control points of a fitted curve and faces of a mesh are not on the line.
                    None if r.integer(70) & (16 | 128) == 0 => {
                        old.vertices.push((r.point(10), r.number(42)));
                        old.widths.push((r.or(40, old.width.0), r.or(41, old.width.1)));
                    }
                    None => {}
                }
                return;
            }
            self.close_polyline();
        }
        if PARTS.contains(&kind) {
            return;
        }
        if r.integer(67) == 1 {
            self.skipped.push((format!("{kind} in paper space"), None));
            return;
        }
        if let Some(value) = r.senseless() {
            self.skipped.push((kind.to_owned(), Some(no_place(kind, value, line))));
            return;
        }
        // Of others the places are the drawing's own.
        let has_plane =
            matches!(kind, "ARC" | "CIRCLE" | "ELLIPSE" | "LWPOLYLINE" | "POLYLINE" | "INSERT" | "TEXT" | "HATCH" | "SOLID" | "TRACE");
        self.tilted += usize::from(has_plane && is_tilted(&r));
        let Some(shape) = self.shape(kind, &r) else { return };
        let annotation = matches!(kind, "DIMENSION" | "LEADER" | "ARC_DIMENSION");
        self.raw.push(Raw { annotation, attached: kind == "ATTRIB", ..looks(&r, shape) });
    }

    fn shape(&mut self, kind: &str, r: &Record) -> Option<RawShape> {
        let path = |curves: Vec<Curve>, closed| Some(RawShape::Path { curves, closed });
        match kind {
            "LINE" => path(vec![Curve::Line(r.point(10), r.point(11))], false),
            "ARC" => {
                let (from, to) = (r.number(50).to_radians(), r.number(51).to_radians());
                let sweep = (to - from).rem_euclid(TAU);
                path(laid(r, 30, vec![Curve::arc(r.point(10), r.number(40), from, if sweep < 1e-12 { TAU } else { sweep })]), false)
            }
            "CIRCLE" => path(laid(r, 30, vec![Curve::arc(r.point(10), r.number(40), 0.0, TAU)]), true),
            "ELLIPSE" => path(ellipse(r), false),
            "LWPOLYLINE" => {
                let (vertices, closed) = (vertices(r), r.integer(70) & 1 == 1);
                if let Some(area) = widths(r).and_then(|w| swept(&vertices, &w, closed)) {
                    return Some(RawShape::Area(area.into_iter().map(|l| laid(r, 38, l)).collect()));
                }
                let (curves, closed) = polyline(&vertices, closed);
                if curves.is_empty() { self.skip(kind) } else { path(laid(r, 38, curves), closed) }
            }
            "POLYLINE" => {
                // Meshes are no lines.
                if r.integer(70) & (16 | 64) != 0 {
                    return self.skip("POLYLINE mesh");
                }
                // Its corners in space are the drawing's own.
                let plane = if r.integer(70) & 8 == 8 { Affine::IDENTITY } else { plane(r, r.number(30)) };
                let raw = looks(r, RawShape::Path { curves: Vec::new(), closed: r.integer(70) & 1 == 1 });
                let width = (r.number(40), r.number(41));
                self.polyline = Some(OldPolyline { raw, vertices: Vec::new(), widths: Vec::new(), width, plane });
                None
            }
            "SPLINE" => match spline(r) {
                // It is where it is, whatever way its plane looks.
                Some((curves, closed)) => path(curves, closed),
                None => self.skip("SPLINE without points"),
            },
            "INSERT" => insert(r).map(|i| RawShape::Insert(Box::new(i))).or_else(|| self.skip("INSERT without block")),
            "TEXT" | "ATTRIB" => {
                let (place, anchor) = text_anchor(r, if kind == "ATTRIB" { 74 } else { 73 });
                let value = r.text(1).unwrap_or("").to_owned();
                let plane = plane(r, r.number(30));
                let angle = r.number(50).to_radians();
                let along = plane * (place + Vec2::from_angle(angle)) - plane * place;
                Some(RawShape::Text { at: plane * place, height: r.or(40, 2.5), angle: along.atan2(), value, anchor })
            }
            "MTEXT" => {
                let value: String = r.groups.iter().filter(|g| g.0 == 3 || g.0 == 1).map(|g| g.1.as_ref()).collect();
                // Its direction as a vector, where it has one, stands over its angle.
                let along = r.point(11).to_vec2();
                let angle = if along.hypot() > 0.0 { along.atan2() } else { r.number(50).to_radians() };
                let anchor = paragraph_anchor(r.integer(71));
                Some(RawShape::Text { at: r.point(10), height: r.or(40, 2.5), angle, value: plain(&value), anchor })
            }
            "HATCH" => match areas::hatch(r.groups) {
                Some(loops) => Some(RawShape::Area(loops.into_iter().map(|l| laid(r, 30, l)).collect())),
                None => self.skip("HATCH without boundary"),
            },
            // The third and fourth corner stand crosswise.
            "SOLID" | "TRACE" => Some(RawShape::Area(vec![laid(r, 30, corners(&[r.point(10), r.point(11), r.point(13), r.point(12)]))])),
            "3DFACE" => path(corners(&[r.point(10), r.point(11), r.point(12), r.point(13)]), true),
            "LEADER" => {
                let points = r.points(10);
                let lines = points.windows(2).filter(|w| w[0] != w[1]).map(|w| Curve::Line(w[0], w[1])).collect::<Vec<_>>();
                if lines.is_empty() { self.skip(kind) } else { path(lines, false) }
            }
            // Its drawn geometry is an unnamed block, already in place.
            "DIMENSION" | "ARC_DIMENSION" => match r.text(2) {
                Some(block) => Some(RawShape::Insert(Box::new(Insert { block: block.to_owned(), ..Insert::default() }))),
                None => self.skip("DIMENSION without drawn geometry"),
            },
            "MLINE" => match areas::multiline(r.groups) {
                Some((lines, closed)) => {
                    let edges = |p: &Vec<Point>| polyline(&p.iter().map(|p| (*p, 0.0)).collect::<Vec<_>>(), closed).0;
                    Some(RawShape::Lines { lines: lines.iter().map(edges).collect(), closed })
                }
                None => self.skip("MLINE without points"),
            },
            "XLINE" | "RAY" => self.skip(&format!("{kind}, a line without end")),
            "POINT" => {
                let at = r.point(10);
                Some(RawShape::Centre(vec![Curve::Line(at, at)]))
            }
            _ => self.skip(kind),
        }
    }

    fn skip(&mut self, kind: &str) -> Option<RawShape> {
        self.skipped.push((kind.to_owned(), None));
        None
    }

    fn close_polyline(&mut self) {
        let Some(OldPolyline { mut raw, vertices, widths, plane, .. }) = self.polyline.take() else { return };
        let RawShape::Path { curves, closed } = &mut raw.shape else { return };
        if let Some(sentence) = self.senseless.take() {
            return self.skipped.push(("POLYLINE".into(), Some(sentence)));
        }
        let laid = |curves: Vec<Curve>| curves.iter().map(|c| c.transformed(plane)).collect::<Vec<_>>();
        if let Some(area) = wide(widths).and_then(|w| swept(&vertices, &w, *closed)) {
            raw.shape = RawShape::Area(area.into_iter().map(laid).collect());
            return self.raw.push(raw);
        }
        let (drawn, is_closed) = polyline(&vertices, *closed);
        if drawn.is_empty() {
            self.skipped.push(("POLYLINE without points".into(), None));
        } else {
            (*curves, *closed) = (laid(drawn), is_closed);
            self.raw.push(raw);
        }
    }

    /// The entities, and what was skipped with a sentence where there is more to say.
    pub(crate) fn finish(mut self) -> (Vec<Raw>, Vec<(String, Option<String>)>) {
        self.close_polyline();
        (self.raw, self.skipped)
    }
}

fn no_place(kind: &str, value: &str, line: usize) -> String {
    let value: String = value.chars().take(24).collect();
    format!("line {line}: a {kind} has the coordinate “{value}”, which is no place on a drawing.")
}

fn looks(r: &Record, shape: RawShape) -> Raw {
    let paint = match (r.text(420).and_then(|t| t.trim().parse().ok()), r.text(62).map(|_| r.integer(62))) {
        (Some(packed), _) => Paint::Is(colour::packed(packed)),
        (None, Some(0)) => Paint::ByBlock,
        (None, Some(index @ 1..=255)) => Paint::Is(colour::indexed(index as usize)),
        _ => Paint::ByLayer,
    };
    let line_type = r.text(6).map(line_type).filter(|t| !t.eq_ignore_ascii_case("bylayer"));
    let width = r.text(370).map(|_| r.integer(370)).filter(|w| *w >= 0).map(|w| w as u32 * 10);
    Raw {
        layer: r.text(8).unwrap_or("0").to_owned(),
        paint,
        line_type,
        width,
        shape,
        annotation: false,
        attached: false,
        invisible: r.integer(60) == 1,
    }
}

/// Where a line of writing stands, and with what of it: by the codes for along and up, the latter under its own code.
fn text_anchor(r: &Record, upright: i32) -> (Point, (Anchor, f64)) {
    let (along, up) = (r.integer(72), r.integer(upright));
    // Between two points it begins at the first.
    if (along, up) == (0, 0) || matches!(along, 3 | 5) || r.text(11).is_none() {
        return (r.point(10), (Anchor::Begin, 0.0));
    }
    let anchor = match along {
        1 | 4 => Anchor::Middle,
        2 => Anchor::End,
        _ => Anchor::Begin,
    };
    let up = match up {
        _ if along == 4 => 0.5,
        2 => 0.5,
        3 => 1.0,
        _ => 0.0,
    };
    (r.point(11), (anchor, up))
}

/// With what of it a paragraph stands at its place: 1 to 9, from its upper left to its lower right corner.
fn paragraph_anchor(code: i64) -> (Anchor, f64) {
    if !(1..=9).contains(&code) {
        return (Anchor::Begin, 0.0);
    }
    let along = [Anchor::Begin, Anchor::Middle, Anchor::End][(code as usize - 1) % 3];
    (along, [1.0, 0.5, 0.0][(code as usize - 1) / 3])
}
