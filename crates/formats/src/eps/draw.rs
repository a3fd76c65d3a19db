//! Paths, and what is drawn of them.

use super::machine::{Done, MOST_POINTS, Machine, Stop};
use super::scan::Object;
use crate::{MOST_ENTITIES, clipping};
use boustrophe_core::drawing::{Anchor, Drawing, Entity, Shape, Style, Text};
use boustrophe_core::geometry::{Curve, Point, Vec2, subpaths};
use kurbo::{BezPath, Shape as _};
use std::rc::Rc;

impl Machine {
    pub(super) fn here(&self) -> Result<Point, Stop> {
        self.now.at.ok_or_else(|| Stop::Fault("a line goes on from nowhere".into()))
    }
    pub(super) fn there(&self, p: Point) -> Result<Point, Stop> {
        let q = self.now.place * p;
        if q.x.abs().max(q.y.abs()) <= Drawing::LARGEST_NUMBER {
            Ok(q)
        } else {
            Err(Stop::Fault("a point of it is no place on a drawing".into()))
        }
    }

    pub(super) fn path(&mut self, name: &str) -> Done {
        if self.now.path.elements().len() > MOST_POINTS {
            return Err(Stop::Fault("one path of it has too many points; split it".into()));
        }
        match name {
            "newpath" => (self.now.path, self.now.at) = (BezPath::new(), None),
            "moveto" | "rmoveto" | "lineto" | "rlineto" => {
                let [x, y] = self.numbers()?;
                let to = if name.starts_with('r') { self.here()? + Vec2::new(x, y) } else { Point::new(x, y) };
                let placed = self.there(to)?;
                if name.ends_with("moveto") {
                    self.now.path.move_to(placed);
                } else {
                    self.here()?;
                    self.now.path.line_to(placed);
                }
                self.now.at = Some(to);
            }
            "curveto" | "rcurveto" => {
                let six: [f64; 6] = self.numbers()?;
                let from = self.here()?;
                let by = if name.starts_with('r') { from.to_vec2() } else { Vec2::ZERO };
                let [a, b, c] = [0, 2, 4].map(|i| Point::new(six[i], six[i + 1]) + by);
                let (pa, pb, pc) = (self.there(a)?, self.there(b)?, self.there(c)?);
                self.now.path.curve_to(pa, pb, pc);
                self.now.at = Some(c);
            }
            "closepath" if self.now.at.is_some() => {
                self.now.path.close_path();
                // It goes on from where the outline began.
                let began =
                    self.now.path.elements().iter().rev().find_map(|e| if let kurbo::PathEl::MoveTo(p) = e { Some(*p) } else { None });
                self.now.at = began.map(|p| self.now.place.inverse() * p);
            }
            "arc" | "arcn" => self.arc(name == "arcn")?,
            "rectstroke" | "rectfill" | "rectclip" => {
                let [x, y, w, h] = self.numbers()?;
                let kept = std::mem::take(&mut self.now.path);
                for (i, p) in [(x, y), (x + w, y), (x + w, y + h), (x, y + h)].into_iter().enumerate() {
                    let p = self.there(Point::new(p.0, p.1))?;
                    if i == 0 { self.now.path.move_to(p) } else { self.now.path.line_to(p) }
                }
                self.now.path.close_path();
                match name {
                    "rectstroke" => self.draw(false, true)?,
                    "rectfill" => self.draw(true, true)?,
                    _ => self.now.clips.push(Rc::new(self.now.path.clone())),
                }
                self.now.path = kept;
            }
            "currentpoint" => {
                let p = self.here()?;
                self.set(p.x)?;
                self.set(p.y)?;
            }
            "pathbbox" => {
                let b = self.now.path.bounding_box();
                let to = self.now.place.inverse();
                let (a, c) = (to * Point::new(b.x0, b.y0), to * Point::new(b.x1, b.y1));
                for v in [a.x.min(c.x), a.y.min(c.y), a.x.max(c.x), a.y.max(c.y)] {
                    self.set(v)?;
                }
            }
            "stroke" => self.draw(false, true)?,
            "fill" | "eofill" => self.draw(true, name == "fill")?,
            "clip" | "eoclip" => self.now.clips.push(Rc::new(self.now.path.clone())),
            "initclip" => self.now.clips.clear(),
            _ => {}
        }
        if matches!(name, "stroke" | "fill" | "eofill") {
            (self.now.path, self.now.at) = (BezPath::new(), None);
        }
        Ok(())
    }

    /// A circle's arc, joined by a line to what came before. It is kept as curves that lie within a ten-thousandth of it.
    pub(super) fn arc(&mut self, clockwise: bool) -> Done {
        let [x, y, r, from, to] = self.numbers()?;
        if !(r.is_finite() && (from - to).abs() < 1e6) {
            return Err(Stop::Fault("an arc of it is none".into()));
        }
        let (from, mut to) = (from.to_radians(), to.to_radians());
        let turn = std::f64::consts::TAU;
        if clockwise {
            while to > from {
                to -= turn;
            }
        } else {
            while to < from {
                to += turn;
            }
        }
        let start = Point::new(x + r * from.cos(), y + r * from.sin());
        let placed = self.there(start)?;
        if self.now.at.is_some() {
            self.now.path.line_to(placed);
        } else {
            self.now.path.move_to(placed);
        }
        // An eighth of a turn each: the cubic's own error there is four millionths of the radius.
        let n = ((to - from).abs() / (turn / 8.0)).ceil().clamp(1.0, 10_000.0) as usize;
        let step = (to - from) / n as f64;
        let k = 4.0 / 3.0 * (step / 4.0).tan();
        for i in 0..n {
            let (a, b) = (from + step * i as f64, from + step * (i + 1) as f64);
            let on = |t: f64| Point::new(x + r * t.cos(), y + r * t.sin());
            let along = |t: f64| Vec2::new(-r * t.sin(), r * t.cos()) * k;
            let (c, d, e) = (self.there(on(a) + along(a))?, self.there(on(b) - along(b))?, self.there(on(b))?);
            self.now.path.curve_to(c, d, e);
        }
        self.now.at = Some(Point::new(x + r * to.cos(), y + r * to.sin()));
        Ok(())
    }

    /// What the path draws, as far as the clips show it.
    pub(super) fn draw(&mut self, filled: bool, winding: bool) -> Done {
        if self.drawing.entities.len() > MOST_ENTITIES {
            return Err(Stop::Fault(format!("it holds more than {MOST_ENTITIES} lines; split it")));
        }
        let g = &self.now;
        if filled && g.colour == [255; 3] {
            self.drawing.skip("white or invisible area");
            return Ok(());
        }
        let scale = g.place.determinant().abs().sqrt();
        let width = (g.width * scale * 25_400.0 / super::POINTS).round().clamp(0.0, 1e6) as u32;
        let (stroke, fill) = if filled { (None, Some(g.colour)) } else { (Some(g.colour), None) };
        let line_type = if filled { String::new() } else { g.dashes.clone() };
        let style =
            Style { stroke, fill, line_type, width: if filled { 0 } else { width }, winding: filled && winding, ..Style::default() };
        let style = self.drawing.style(&style);
        let first = self.drawing.entities.len();
        self.compounds += 1;
        for (curves, closed) in subpaths(&self.now.path) {
            let closed = closed || filled && curves.len() > 1;
            self.drawing.entities.push(Entity { style, shape: Shape::Path { curves, closed }, compound: self.compounds });
        }
        self.drawing.read += 1;
        for clip in &self.now.clips {
            let outlines: Vec<Vec<Curve>> = subpaths(clip).into_iter().map(|c| c.0).collect();
            clipping::cut(&mut self.drawing, first, &clipping::clip(&outlines));
        }
        Ok(())
    }

    /// Writing is kept as reference, as that of a PDF is.
    pub(super) fn write(&mut self) -> Done {
        let Object::Text(value) = self.pop()? else { return Err(Stop::Fault("there is nothing to be written".into())) };
        let at = self.here()?;
        if value.trim().is_empty() {
            return Ok(());
        }
        let placed = self.there(at)?;
        let along = self.now.place * (at + Vec2::new(1.0, 0.0)) - placed;
        let style = self.drawing.style(&Style { stroke: Some(self.now.colour), text: true, ..Style::default() });
        let height = 0.7 * self.now.font.abs() * along.hypot();
        let text = Text::anchored(placed, (Anchor::Begin, 0.0), height, along.atan2(), value.to_string());
        self.drawing.entities.push(Entity::new(style, Shape::Text(text)));
        self.drawing.read += 1;
        Ok(())
    }
}
