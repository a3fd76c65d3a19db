//! Writing: its lines, where each stands, and its letters in our own face.

use super::css::{Looks, Sheet, by_font};
use super::{CAPITALS, DEEPEST, Walk, shapes};
use boustrophe_core::drawing::{Anchor, Drawing, Entity, Shape, Text};
use boustrophe_core::geometry::{Affine, Curve, Point, Vec2};
use boustrophe_core::lettering::{self, Face};
use roxmltree::Node;
use std::str::FromStr;
use svgtypes::{Length, LengthUnit};

/// Letters of one line at most.
const LONGEST: usize = 500;
/// Lines of one text at most.
const MOST_LINES: usize = 1000;

/// Gaps within which a word goes on with the line, and from which on there is a space in them, in sizes of the font.
const GAP: std::ops::Range<f64> = -0.3..0.8;
const SPACE: f64 = 0.12;

/// A line of a text: what begins at a place of its own.
struct Line {
    value: String,
    at: Vec2,
    looks: Looks,
    anchor: Anchor,
    /// How far over the base line its place is, in heights of capitals.
    up: f64,
}

impl<'d> Walk<'_, 'd> {
    /// A text: letters of our own, and what they say.
    pub(super) fn text(&mut self, node: &Node<'d, 'd>, transform: Affine, looks: &Looks) {
        let (mut lines, mut pen) = (Vec::new(), Vec2::ZERO);
        gather(self.sheet, node, looks, &mut pen, &mut lines, 0);
        for line in &mut lines {
            line.value = line.value.split_whitespace().collect::<Vec<_>>().join(" ");
        }
        lines.retain(|l| !l.value.is_empty());
        if lines.is_empty() {
            return self.drawing.skip("text without letters");
        }
        if lines.len() > MOST_LINES || lines.iter().any(|l| l.value.chars().count() > LONGEST) {
            return self.drawing.skip("text of more than 500 letters, or of more than 1000 lines");
        }
        // Each end of each letter has to be a place on a drawing: the farthest is where a line might end.
        let a_place = |l: &Line| {
            let reach = l.looks.font_size * 2.0 * l.value.chars().count() as f64;
            let p = transform * (l.at + Vec2::new(reach, reach)).to_point();
            p.x.abs() + p.y.abs() <= Drawing::LARGEST_NUMBER
        };
        if !lines.iter().all(a_place) {
            let line = self.line(node);
            return self.drawing.refuse("text", format!("line {line}: a <text> stands or is as large as nothing on a drawing."));
        }
        let mut before: Option<(f64, &Line)> = None;
        for line in &lines {
            // A word that goes on where the one before it ended is of its line.
            let goes_on = before.filter(|(_, b)| {
                let same = b.looks.font_size == line.looks.font_size && b.at.y == line.at.y && b.up == line.up;
                same && b.anchor == Anchor::Begin && line.anchor == Anchor::Begin
            });
            let gap = goes_on.map(|(end, _)| (line.at.x - end) / line.looks.font_size);
            let end = self.set(line, transform, gap.filter(|g| GAP.contains(g)));
            before = Some((end, line));
        }
        self.lettered += 1;
        self.drawing.read += 1;
    }

    /// Sets a line's letters; behind a `gap`, in sizes of its font, it goes on with the line before. Gives where it ends, along x.
    fn set(&mut self, line: &Line, transform: Affine, gap: Option<f64>) -> f64 {
        let height = line.looks.font_size * CAPITALS;
        let set = lettering::line(&line.value, height, Face::Outline);
        // Letters stand upright where y points down.
        let upright = |v: Vec2| transform * Affine::translate(v) * Affine::scale_non_uniform(1.0, -1.0);
        let place = upright(line.at + Vec2::new(-line.anchor.share() * set.width, line.up * height));
        let fill = line.looks.fill.or(line.looks.stroke).or(Some([0; 3]));
        let looks = Looks { fill, stroke: None, winding: true, ..line.looks.clone() };
        let style = self.style(&looks, true);
        let of = self.drawing.lettered.last_mut().filter(|_| gap.is_some());
        let compound = match of {
            Some(before) => {
                if gap.is_some_and(|g| g > SPACE) && !before.value.ends_with(' ') {
                    before.value.push(' ');
                }
                before.value.push_str(&line.value);
                before.compound
            }
            None => self.compound(),
        };
        for path in &set.paths {
            let curves = path.segments.iter().map(|s| Curve::segment(s).transformed(place)).collect();
            self.drawing.entities.push(Entity { style, shape: Shape::Path { curves, closed: true }, compound });
        }
        let end = line.at.x + (1.0 - line.anchor.share()) * set.width;
        if gap.is_some() {
            return end;
        }
        let at = upright(line.at);
        let along = at * Point::new(1.0, 0.0) - at * Point::ZERO;
        let anchored = Text::anchored(at * Point::ZERO, (line.anchor, line.up), height * along.hypot(), along.atan2(), line.value.clone());
        self.drawing.lettered.push(Text { compound, ..anchored });
        end
    }
}

/// The lines of a text, in order: a piece with a place of its own begins one.
fn gather<'d>(sheet: &Sheet<'d>, node: &Node<'d, 'd>, looks: &Looks, pen: &mut Vec2, lines: &mut Vec<Line>, depth: usize) {
    let moved = |name: &str| shift(node, name, looks.font_size);
    let (x, y, dx, dy) = (moved("x"), moved("y"), moved("dx"), moved("dy"));
    *pen = Vec2::new(x.unwrap_or(pen.x), y.unwrap_or(pen.y)) + Vec2::new(dx.unwrap_or(0.0), dy.unwrap_or(0.0));
    // Raised and lowered words stay in their line: what goes on at its own x, or is drawn first, begins one.
    if depth == 0 || x.is_some() || y.is_some() {
        lines.push(Line { value: String::new(), at: *pen, looks: looks.clone(), anchor: anchor(sheet, node), up: over(sheet, node) });
    }
    for child in node.children() {
        if let Some(text) = child.text().filter(|_| child.is_text()) {
            if let Some(line) = lines.last_mut() {
                line.value.push_str(text);
            }
        } else if child.is_element() && depth < DEEPEST {
            let looks = sheet.looks(&child, looks);
            if !looks.gone && !matches!(child.tag_name().name(), "title" | "desc") {
                gather(sheet, &child, &looks, pen, lines, depth + 1);
            }
        }
    }
}

/// A length of a text's own, the first of a list, in user units.
fn shift(node: &Node, name: &str, font: f64) -> Option<f64> {
    let first = node.attribute(name)?.split([' ', ',', '\t', '\n']).find(|s| !s.is_empty())?;
    let length = Length::from_str(first).ok()?;
    Some(if length.unit == LengthUnit::Percent { shapes::length(node, name) } else { by_font(length, font) })
}

/// What of a line stands at its place: said of itself or of what is around it.
fn anchor(sheet: &Sheet, node: &Node) -> Anchor {
    match node.ancestors().find_map(|n| sheet.property(&n, "text-anchor")).as_deref().map(str::trim) {
        Some("middle") => Anchor::Middle,
        Some("end") => Anchor::End,
        _ => Anchor::Begin,
    }
}

/// How far over the base line its place is, in heights of capitals.
fn over(sheet: &Sheet, node: &Node) -> f64 {
    match node.ancestors().find_map(|n| sheet.property(&n, "dominant-baseline")).as_deref().map(str::trim) {
        Some("middle" | "central" | "mathematical") => 0.5,
        Some("hanging" | "text-before-edge" | "text-top") => 1.0,
        _ => 0.0,
    }
}
