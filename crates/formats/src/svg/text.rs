//! Writing: its lines, where each stands, and its letters in our own face.

use super::css::{Looks, Sheet, by_font};
use super::shapes::Ruler;
use super::{CAPITALS, DEEPEST, Walk};
use boustrophe_core::drawing::{Anchor, Drawing, Entity, Shape, Text};
use boustrophe_core::geometry::{Affine, Curve, Path, Point, Vec2};
use boustrophe_core::lettering::{self, Face, Line as Letters};
use roxmltree::Node;
use std::str::FromStr;
use svgtypes::{Length, LengthUnit};

/// Letters of one line at most.
const LONGEST: usize = 500;
/// Paths that letters stand along are followed to this share of their size.
const FOLLOWED: f64 = 1e-3;
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
    /// The path that it stands along, and how far from its begin, both in user units.
    along: Option<(Path, f64)>,
}

impl<'d> Walk<'_, 'd> {
    /// A text: letters of our own, and what they say.
    pub(super) fn text(&mut self, node: &Node<'d, 'd>, transform: Affine, looks: &Looks) {
        let (mut lines, mut pen) = (Vec::new(), Vec2::ZERO);
        self.gather(node, looks, &mut pen, &mut lines, 0);
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
        let all: String = lines.iter().map(|l| l.value.as_str()).collect();
        if let Some(sentence) = lettering::told(&lettering::lacks(&all, Face::Outline), "A text") {
            let line = self.line(node);
            self.drawing.refuse("letter", format!("line {line}: {sentence}"));
        }
        let mut before: Option<(f64, &Line)> = None;
        for line in &lines {
            // A word that goes on where the one before it ended is of its line.
            let goes_on = before.filter(|(_, b)| {
                let same = b.along.is_none()
                    && line.along.is_none()
                    && b.looks.font_size == line.looks.font_size
                    && b.at.y == line.at.y
                    && b.up == line.up;
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
        let set = if line.along.is_some() { Letters::default() } else { lettering::line(&line.value, height, Face::Outline) };
        // Letters stand upright where y points down.
        let upright = |v: Vec2| transform * Affine::translate(v) * Affine::scale_non_uniform(1.0, -1.0);
        let place = upright(line.at + Vec2::new(-line.anchor.share() * set.width, line.up * height));
        let fill = line.looks.fill.or(line.looks.stroke).or(Some([0; 3]));
        let mut looks = line.looks.clone();
        looks.hidden |= looks.fill.is_none() && looks.stroke.is_none();
        (looks.fill, looks.stroke, looks.winding) = (fill, None, true);
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
        if let Some((path, begin)) = &line.along {
            self.set_along(line, (path, *begin), transform, style, compound);
        }
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

impl Walk<'_, '_> {
    /// Sets letters along a path, each upright on the path at its middle; those that find no place on it do not show.
    fn set_along(&mut self, line: &Line, (path, begin): (&Path, f64), transform: Affine, style: usize, compound: u32) {
        let height = line.looks.font_size * CAPITALS;
        let letters: Vec<Letters> = line.value.chars().map(|c| lettering::line(&c.to_string(), height, Face::Outline)).collect();
        let mut at = begin - line.anchor.share() * letters.iter().map(|l| l.width).sum::<f64>();
        let mut beyond = 0;
        for letter in &letters {
            let middle = at + letter.width / 2.0;
            at += letter.width;
            if middle < 0.0 || middle > path.length() {
                beyond += usize::from(!letter.paths.is_empty());
                continue;
            }
            let (on, way) = path.at(middle);
            let foot = Vec2::new(-letter.width / 2.0, -line.up * height);
            let place = transform
                * Affine::translate(on.to_vec2())
                * Affine::rotate(way.atan2())
                * Affine::scale_non_uniform(1.0, -1.0)
                * Affine::translate(foot);
            for path in &letter.paths {
                let curves = path.segments.iter().map(|s| Curve::segment(s).transformed(place)).collect();
                self.drawing.entities.push(Entity { style, shape: Shape::Path { curves, closed: true }, compound });
            }
        }
        if beyond > 0 {
            self.drawing.skip("letter beyond the end of its path");
        }
    }

    /// The path that a `textPath` names, and how far along it its text begins.
    fn along(&self, node: &Node, looks: &Looks) -> Option<(Path, f64)> {
        let href = node.attributes().find(|a| a.name() == "href").and_then(|a| a.value().strip_prefix('#'))?;
        let named = self.document.descendants().find(|n| n.attribute("id") == Some(href))?;
        let ruler = Ruler { sheet: self.sheet, looks };
        let (curves, closed) = ruler.subpaths(&named, named.tag_name().name()).ok()?.into_iter().next()?;
        let own = named.attribute("transform").and_then(|t| t.parse::<svgtypes::Transform>().ok());
        let own = own.map_or(Affine::IDENTITY, |t| Affine::new([t.a, t.b, t.c, t.d, t.e, t.f]));
        let curves: Vec<Curve> = curves.iter().map(|c| c.transformed(own)).collect();
        let path = Path::fitted(&curves, closed, looks.font_size * FOLLOWED);
        let offset = node.attribute("startOffset").and_then(|o| Length::from_str(o).ok());
        let begin = offset
            .map_or(0.0, |o| if o.unit == LengthUnit::Percent { path.length() * o.number / 100.0 } else { by_font(o, looks.font_size) });
        (path.length() > 0.0).then_some((path, begin))
    }
}

impl<'d> Walk<'_, 'd> {
    /// The lines of a text, in order: a piece with a place of its own begins one.
    fn gather(&self, node: &Node<'d, 'd>, looks: &Looks, pen: &mut Vec2, lines: &mut Vec<Line>, depth: usize) {
        let sheet = self.sheet;
        let ruler = Ruler { sheet, looks };
        let moved = |name: &str| shift(node, name, ruler);
        let (x, y, dx, dy) = (moved("x"), moved("y"), moved("dx"), moved("dy"));
        *pen = Vec2::new(x.unwrap_or(pen.x), y.unwrap_or(pen.y)) + Vec2::new(dx.unwrap_or(0.0), dy.unwrap_or(0.0));
        // Raised and lowered words stay in their line: what goes on at its own x, or is drawn first, begins one.
        let on_path = node.tag_name().name() == "textPath";
        if !on_path && (depth == 0 || x.is_some() || y.is_some()) {
            lines.push(Line {
                value: String::new(),
                at: *pen,
                looks: looks.clone(),
                anchor: anchor(sheet, node, looks),
                up: over(sheet, node, looks),
                along: None,
            });
        }
        for child in node.children() {
            if let Some(text) = child.text().filter(|_| child.is_text()) {
                if let Some(line) = lines.last_mut() {
                    line.value.push_str(text);
                }
            } else if child.is_element() && depth < DEEPEST {
                let looks = sheet.looks(&child, looks);
                match child.tag_name().name() {
                    _ if looks.gone => {}
                    "title" | "desc" => {}
                    "textPath" => {
                        let (anchor, up) = (anchor(sheet, &child, &looks), over(sheet, &child, &looks));
                        let along = self.along(&child, &looks);
                        let at = along.as_ref().map_or(*pen, |(path, begin)| path.at(begin.clamp(0.0, path.length())).0.to_vec2());
                        lines.push(Line { value: String::new(), at, looks: looks.clone(), anchor, up, along });
                        self.gather(&child, &looks, pen, lines, depth + 1);
                        // What follows does not stand on it.
                        lines.push(Line { value: String::new(), at: *pen, looks, anchor: Anchor::Begin, up: 0.0, along: None });
                    }
                    _ => self.gather(&child, &looks, pen, lines, depth + 1),
                }
            }
        }
    }
}

/// A length of a text's own, the first of a list, in user units.
fn shift(node: &Node, name: &str, ruler: Ruler) -> Option<f64> {
    let first = node.attribute(name)?.split([' ', ',', '\t', '\n']).find(|s| !s.is_empty())?;
    let length = Length::from_str(first).ok()?;
    Some(if length.unit == LengthUnit::Percent { ruler.length(node, name) } else { by_font(length, ruler.looks.font_size) })
}

/// What of a line stands at its place: said of itself or of what is around it.
fn anchor(sheet: &Sheet, node: &Node, looks: &Looks) -> Anchor {
    match node.ancestors().find_map(|n| sheet.property(&n, looks, "text-anchor")).as_deref().map(str::trim) {
        Some("middle") => Anchor::Middle,
        Some("end") => Anchor::End,
        _ => Anchor::Begin,
    }
}

/// How far over the base line its place is, in heights of capitals.
fn over(sheet: &Sheet, node: &Node, looks: &Looks) -> f64 {
    match node.ancestors().find_map(|n| sheet.property(&n, looks, "dominant-baseline")).as_deref().map(str::trim) {
        Some("middle" | "central" | "mathematical") => 0.5,
        Some("hanging" | "text-before-edge" | "text-top") => 1.0,
        _ => 0.0,
    }
}
