//! Transforms of elements: the attribute, and what style sheets say instead of it.

use super::Walk;
use super::css::Looks;
use super::shapes::Ruler;
use crate::ReadError;
use boustrophe_core::drawing::{Drawing, Shape};
use boustrophe_core::geometry::{Affine, Bounds, Point, Vec2};
use roxmltree::Node;
use std::str::FromStr;
use svgtypes::{Length, LengthUnit};

/// Elements whose own box turns them, one in another, at most: each is drawn once more to be measured.
const MOST_MEASURED: usize = 4;

impl<'d> Walk<'_, 'd> {
    /// The element's own transform.
    pub(super) fn transform(&mut self, node: &Node<'d, 'd>, looks: &Looks, depth: usize) -> Result<Affine, ReadError> {
        let said = |name: &str| self.sheet.geometry(node, looks, name).filter(|v| !matches!(v.trim(), "" | "none"));
        let (transform, single) = (said("transform"), ["translate", "rotate", "scale"].map(said));
        if transform.is_none() && single.iter().all(Option::is_none) {
            return Ok(Affine::IDENTITY);
        }
        let origin = self.sheet.property(node, looks, "transform-origin");
        let of_box = self
            .sheet
            .property(node, looks, "transform-box")
            .is_some_and(|b| matches!(b.trim(), "fill-box" | "content-box" | "stroke-box" | "border-box"));
        let shares = transform.iter().chain(&origin).chain(single.iter().flatten()).any(|v| v.contains('%') || named(v));
        let area = match (shares, of_box) {
            (false, _) => Bounds { min: Point::ZERO, max: Point::ZERO },
            (true, true) => self.measured(node, looks, depth)?,
            (true, false) => {
                let ruler = Ruler { sheet: self.sheet, looks };
                let side = |name| ruler.around(node, name).unwrap_or(0.0);
                Bounds { min: Point::ZERO, max: Point::new(side("width"), side("height")) }
            }
        };
        // Beside a box of its own an origin counts from there, else from the corner of what is around.
        let home = if of_box { area.min.to_vec2() } else { Vec2::ZERO };
        let size = Vec2::new(area.width().max(0.0), area.height().max(0.0));
        let font = looks.font_size;
        let origin = home + origin.map_or(Vec2::ZERO, |o| place(&o, size, font));
        let [translate, rotate, scale] = single;
        let mut own = Affine::IDENTITY;
        for (name, value) in [("translate", translate), ("rotate", rotate), ("scale", scale)] {
            if let Some(value) = value {
                own *= function(name, &value.split_whitespace().collect::<Vec<_>>(), size, font).unwrap_or(Affine::IDENTITY);
            }
        }
        if let Some(list) = transform {
            match listed(&list, size, font) {
                Some(all) => own *= all,
                None => {
                    let line = self.line(node);
                    let shown: String = list.chars().take(60).collect();
                    self.drawing.damage.push(format!("line {line}: the transform “{shown}” is not understood and left out."));
                }
            }
        }
        Ok(Affine::translate(origin) * own * Affine::translate(-origin))
    }

    /// The box round what an element draws, in its own units.
    fn measured(&mut self, node: &Node<'d, 'd>, looks: &Looks, depth: usize) -> Result<Bounds, ReadError> {
        let nothing = Bounds { min: Point::ZERO, max: Point::ZERO };
        if self.measuring >= MOST_MEASURED {
            self.drawing.skip("transform by a box in boxes");
            return Ok(nothing);
        }
        let mut scratch = Drawing::new("", self.drawing.units);
        let mut walk = Walk { drawing: &mut scratch, measuring: self.measuring + 1, ..*self };
        walk.drawn(node, node.tag_name().name(), Affine::IDENTITY, looks, depth)?;
        self.visited = walk.visited;
        let curves = scratch.entities.iter().filter_map(|e| if let Shape::Path { curves, .. } = &e.shape { Some(curves) } else { None });
        let bounds = curves.flatten().map(boustrophe_core::geometry::Curve::bounds).fold(Bounds::EMPTY, Bounds::union);
        Ok(if bounds.is_empty() { nothing } else { bounds })
    }
}

fn named(value: &str) -> bool {
    ["left", "right", "top", "bottom", "center"].iter().any(|n| value.contains(n))
}

/// A list of functions, as the attribute and as style sheets write it.
fn listed(list: &str, size: Vec2, font: f64) -> Option<Affine> {
    let mut all = Affine::IDENTITY;
    let mut rest = list.trim();
    while !rest.is_empty() {
        let (name, behind) = rest.split_once('(')?;
        let (arguments, next) = behind.split_once(')')?;
        let separate = numbers(arguments);
        all *= function(name.trim(), &separate, size, font)?;
        rest = next.trim_start_matches(|c: char| c.is_whitespace() || c == ',');
    }
    Some(all)
}

/// Arguments between commas and spaces, or with nothing between them but a sign.
fn numbers(arguments: &str) -> Vec<&str> {
    let mut out = Vec::new();
    for word in arguments.split([',', ' ', '\t', '\n', '\r']).filter(|w| !w.is_empty()) {
        let mut begin = 0;
        for (i, c) in word.char_indices().skip(1) {
            if matches!(c, '-' | '+') && !matches!(word.as_bytes()[i - 1], b'e' | b'E') {
                out.push(&word[begin..i]);
                begin = i;
            }
        }
        out.push(&word[begin..]);
    }
    out
}

fn function(name: &str, arguments: &[&str], size: Vec2, font: f64) -> Option<Affine> {
    let length = |i: usize, whole: f64| arguments.get(i).map(|a| measure(a, whole, font));
    let number = |i: usize| arguments.get(i).map(|a| factor(a));
    let turn = |i: usize| arguments.get(i).map(|a| angle(a));
    // Where the second is left out, it is none or the first again.
    Some(match name {
        "translate" => Affine::translate(Vec2::new(length(0, size.x)??, length(1, size.y).unwrap_or(Some(0.0))?)),
        "translateX" => Affine::translate(Vec2::new(length(0, size.x)??, 0.0)),
        "translateY" => Affine::translate(Vec2::new(0.0, length(0, size.y)??)),
        "scale" => {
            let x = number(0)??;
            Affine::scale_non_uniform(x, number(1).unwrap_or(Some(x))?)
        }
        "scaleX" => Affine::scale_non_uniform(number(0)??, 1.0),
        "scaleY" => Affine::scale_non_uniform(1.0, number(0)??),
        "rotate" | "rotateZ" => {
            let about = match (length(1, size.x), length(2, size.y)) {
                (Some(x), Some(y)) => Vec2::new(x?, y?),
                _ => Vec2::ZERO,
            };
            Affine::translate(about) * Affine::rotate(turn(0)??) * Affine::translate(-about)
        }
        "skewX" => Affine::skew(turn(0)??.tan(), 0.0),
        "skewY" => Affine::skew(0.0, turn(0)??.tan()),
        "skew" => Affine::skew(turn(0)??.tan(), turn(1).unwrap_or(Some(0.0))?.tan()),
        "matrix" => {
            let mut c = [0.0; 6];
            for (i, c) in c.iter_mut().enumerate() {
                *c = number(i)??;
            }
            Affine::new(c)
        }
        _ => return None,
    })
}

fn factor(text: &str) -> Option<f64> {
    let share = text.strip_suffix('%');
    let value: f64 = share.unwrap_or(text).parse().ok().filter(|v: &f64| v.is_finite())?;
    Some(if share.is_some() { value / 100.0 } else { value })
}

/// An angle in radians; a plain number is in degrees.
fn angle(text: &str) -> Option<f64> {
    let units = [("deg", 1.0), ("grad", 0.9), ("rad", 180.0 / std::f64::consts::PI), ("turn", 360.0)];
    let (number, degrees) = units.iter().find_map(|(unit, d)| Some((text.strip_suffix(unit)?, *d))).unwrap_or((text, 1.0));
    number.parse().ok().filter(|v: &f64| v.is_finite()).map(|v: f64| (v * degrees).to_radians())
}

fn measure(text: &str, whole: f64, font: f64) -> Option<f64> {
    let l = Length::from_str(text).ok().filter(|l| l.number.is_finite())?;
    Some(if l.unit == LengthUnit::Percent { whole * l.number / 100.0 } else { super::css::by_font(l, font) })
}

/// A place in a box: two lengths, shares or names of sides; one alone is along x, and the middle of the other.
fn place(text: &str, size: Vec2, font: f64) -> Vec2 {
    let words: Vec<&str> = text.split_whitespace().collect();
    let upright = |w: &&str| matches!(*w, "top" | "bottom");
    let (x, y) = match words.as_slice() {
        [one] if upright(one) => ("center", *one),
        [one] => (*one, "center"),
        // Names may come in either order.
        [a, b, ..] if upright(a) || matches!(*b, "left" | "right") => (*b, *a),
        [a, b, ..] => (*a, *b),
        [] => ("0", "0"),
    };
    let along = |word: &str, whole: f64| match word {
        "left" | "top" => 0.0,
        "center" => whole / 2.0,
        "right" | "bottom" => whole,
        _ => measure(word, whole, font).unwrap_or(0.0),
    };
    Vec2::new(along(x, size.x), along(y, size.y))
}
