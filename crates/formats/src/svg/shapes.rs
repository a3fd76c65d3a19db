//! Basic shapes as curves.

use super::css::{Looks, Sheet, by_font};
use super::path::{self, Subpath};
use boustrophe_core::geometry::{Curve, Point, Vec2};
use roxmltree::Node;
use std::f64::consts::{FRAC_PI_2, TAU};
use std::str::FromStr;
use svgtypes::{Length, LengthUnit, PointsParser};

/// Reads what is said of places and sizes of elements.
#[derive(Clone, Copy)]
pub(super) struct Ruler<'a, 'd> {
    pub(super) sheet: &'a Sheet<'d>,
    /// The looks of the element: a font's size is a measure too.
    pub(super) looks: &'a Looks,
}

/// What a percentage is of: the width, height or diagonal of the innermost viewport around the element.
fn share_of(node: &Node, name: &str) -> f64 {
    let viewport =
        node.ancestors().skip(1).find(|n| n.tag_name().name() == "svg" && (n.has_attribute("viewBox") || n.has_attribute("width")));
    let Some(viewport) = viewport else { return 0.0 };
    let of_box = viewport.attribute("viewBox").and_then(|v| svgtypes::ViewBox::from_str(v).ok()).map(|b| (b.w, b.h));
    let side = |name: &str| {
        let length = viewport.attribute(name).and_then(|v| Length::from_str(v).ok());
        length.map_or(0.0, |l| if l.unit == LengthUnit::Percent { share_of(&viewport, name) * l.number / 100.0 } else { by_font(l, 16.0) })
    };
    let (w, h) = of_box.unwrap_or_else(|| (side("width"), side("height")));
    match name {
        "x" | "x1" | "x2" | "cx" | "rx" | "width" => w,
        "y" | "y1" | "y2" | "cy" | "ry" | "height" => h,
        _ => w.hypot(h) / std::f64::consts::SQRT_2,
    }
}

impl Ruler<'_, '_> {
    /// A length in user units, 0 where it is not said.
    pub(super) fn length(self, node: &Node, name: &str) -> f64 {
        self.given(node, name).unwrap_or(0.0)
    }

    /// A length in user units, `None` where it is not said or is left to the reader.
    pub(super) fn given(self, node: &Node, name: &str) -> Option<f64> {
        let said = self.sheet.geometry(node, self.looks, name)?;
        let l = Length::from_str(said.trim()).ok()?;
        Some(if l.unit == LengthUnit::Percent { l.number * share_of(node, name) / 100.0 } else { by_font(l, self.looks.font_size) })
    }

    /// What a full width or height is at an element: that of the viewport around it.
    pub(super) fn around(self, node: &Node, name: &str) -> Option<f64> {
        Some(share_of(node, name)).filter(|v| *v > 0.0)
    }

    /// The curves of an element of any kind that has an outline.
    pub(super) fn subpaths(self, node: &Node, name: &str) -> Result<Vec<Subpath>, String> {
        match name {
            "path" => {
                let said = self.sheet.geometry(node, self.looks, "d").unwrap_or_default();
                // In a style sheet it stands as path("...").
                let data =
                    said.trim().strip_prefix("path(").map_or(said.as_str(), |d| d.trim_end_matches(')').trim_matches(['"', '\'', ' ']));
                path::parse(data)
            }
            _ => Ok(self.outline(node, name)),
        }
    }

    /// The outline of a shape; nothing for one without extent.
    pub(super) fn outline(self, node: &Node, name: &str) -> Vec<Subpath> {
        let get = |name: &str| self.length(node, name);
        let (curves, closed) = match name {
            "line" => (vec![Curve::Line(Point::new(get("x1"), get("y1")), Point::new(get("x2"), get("y2")))], false),
            "circle" | "ellipse" => {
                let (rx, ry) = if name == "circle" { (get("r"), get("r")) } else { (get("rx"), get("ry")) };
                if rx <= 0.0 || ry <= 0.0 {
                    return Vec::new();
                }
                let center = Point::new(get("cx"), get("cy"));
                (vec![Curve::Ellipse { center, u: Vec2::new(rx, 0.0), v: Vec2::new(0.0, ry), from: 0.0, sweep: TAU }], true)
            }
            "rect" => (self.rectangle(node), true),
            _ => {
                let points: Vec<Point> =
                    PointsParser::from(node.attribute("points").unwrap_or("")).map(|(x, y)| Point::new(x, y)).collect();
                let mut curves: Vec<Curve> = points.windows(2).map(|w| Curve::Line(w[0], w[1])).collect();
                if name == "polygon" && points.len() > 2 && points[0] != points[points.len() - 1] {
                    curves.push(Curve::Line(points[points.len() - 1], points[0]));
                }
                (curves, name == "polygon")
            }
        };
        if curves.is_empty() { Vec::new() } else { vec![(curves, closed)] }
    }

    fn rectangle(self, node: &Node) -> Vec<Curve> {
        let (x, y, w, h) = (self.length(node, "x"), self.length(node, "y"), self.length(node, "width"), self.length(node, "height"));
        if w <= 0.0 || h <= 0.0 {
            return Vec::new();
        }
        let given = |name: &str| self.given(node, name).filter(|r| *r > 0.0);
        // One radius given stands for both.
        let rx = given("rx").or(given("ry")).unwrap_or(0.0).min(w / 2.0);
        let ry = given("ry").or(given("rx")).unwrap_or(0.0).min(h / 2.0);
        if rx == 0.0 {
            let corners = [Point::new(x, y), Point::new(x + w, y), Point::new(x + w, y + h), Point::new(x, y + h)];
            return (0..4).map(|i| Curve::Line(corners[i], corners[(i + 1) % 4])).collect();
        }
        let corner = |cx: f64, cy: f64, quarter: f64| Curve::Ellipse {
            center: Point::new(cx, cy),
            u: Vec2::new(rx, 0.0),
            v: Vec2::new(0.0, ry),
            from: quarter * FRAC_PI_2,
            sweep: FRAC_PI_2,
        };
        let corners = [
            corner(x + w - rx, y + ry, -1.0),
            corner(x + w - rx, y + h - ry, 0.0),
            corner(x + rx, y + h - ry, 1.0),
            corner(x + rx, y + ry, 2.0),
        ];
        let mut out = Vec::with_capacity(8);
        for (i, c) in corners.iter().enumerate() {
            out.push(c.clone());
            let (from, to) = (c.ends().1, corners[(i + 1) % 4].ends().0);
            if from.distance(to) > 1e-9 {
                out.push(Curve::Line(from, to));
            }
        }
        out
    }
}
