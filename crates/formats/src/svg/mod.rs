//! SVG: shapes, paths, groups, transforms, references, styles.

mod clipping;
mod css;
mod encoding;
mod image;
mod page;
mod path;
mod selected;
mod shapes;
mod style;
#[cfg(test)]
mod tests;
mod text;
mod transform;
mod untold;
mod write;

pub use write::{WriteCopy, WriteGroup, miniature_data, path_data, write, write_copies};

use crate::{MOST_ENTITIES, ReadError};
use boustrophe_core::drawing::{Drawing, Entity, Shape, Style};
use boustrophe_core::geometry::{Affine, Bounds, Curve, Point, Vec2};
use css::Looks;
use roxmltree::{Document, Node, ParsingOptions};
use shapes::Ruler;

/// Elements within elements, references followed, at most this deep.
const DEEPEST: usize = 64;
/// Height of capitals as a share of the font's size.
const CAPITALS: f64 = 0.7;
/// Channels of a colour that is white.
const WHITE: u8 = 250;
/// XML nodes of one file, entities expanded.
const MOST_NODES: u32 = 4_000_000;

/// Elements that draw nothing by themselves.
const SILENT: [&str; 20] = [
    "defs",
    "symbol",
    "clipPath",
    "mask",
    "marker",
    "pattern",
    "linearGradient",
    "radialGradient",
    "filter",
    "title",
    "desc",
    "metadata",
    "style",
    "namedview",
    "script",
    "view",
    "cursor",
    "font",
    "font-face",
    "animate",
];

/// Reads an SVG file. y points up in the drawing; its lower left corner is the page's.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |line: usize, what: String| ReadError::Broken { file: file.into(), line, what };
    let text = encoding::text(bytes).map_err(|(line, what)| broken(line, what))?;
    let options = ParsingOptions { allow_dtd: true, nodes_limit: MOST_NODES, ..ParsingOptions::default() };
    let document = Document::parse_with_options(&text, options).map_err(|e| {
        let line = e.pos().row as usize;
        broken(line, format!("the XML is damaged: {}. Save the drawing again.", e.to_string().chars().take(160).collect::<String>()))
    })?;
    let root = document.root_element();
    if root.tag_name().name() != "svg" {
        return Err(broken(1, format!("the file begins with <{}>, not with <svg>. Export the drawing as SVG.", root.tag_name().name())));
    }
    let page = page::Page::of(&root);
    let mut drawing = Drawing::new(file, page.units);
    let parts = css::Sheet::parts(&document);
    let sheet = css::Sheet::of(&parts);
    drawing.remarks.extend(sheet.untold(&parts, &document));
    let mut walk = Walk {
        drawing: &mut drawing,
        sheet: &sheet,
        document: &document,
        visited: 0,
        measuring: 0,
        lettered: 0,
        compounds: 0,
        page: page.area,
        mm: page.mm,
    };
    let looks = sheet.looks(&root, &Looks::of(&document));
    walk.children(&root, page.transform, &looks, 0)?;
    let lettered = walk.lettered;
    if lettered > 0 {
        let them = if lettered == 1 { "1 text was".to_owned() } else { format!("{lettered} texts were") };
        drawing.remarks.push(format!("{them} set in the shop's own face, since a drawing does not bring its fonts. For the original letters, export text as outlines."));
    }
    Ok(drawing)
}

struct Walk<'a, 'd> {
    drawing: &'a mut Drawing,
    sheet: &'a css::Sheet<'d>,
    document: &'d Document<'d>,
    visited: usize,
    /// What is drawn is only measured, so many deep.
    measuring: usize,
    /// Texts that were set in our own face.
    lettered: usize,
    /// Elements with outlines so far.
    compounds: u32,
    /// The page, and mm of one drawing unit.
    page: Bounds,
    mm: f64,
}

impl<'d> Walk<'_, 'd> {
    fn children(&mut self, node: &Node<'d, 'd>, transform: Affine, looks: &Looks, depth: usize) -> Result<(), ReadError> {
        for child in node.children().filter(Node::is_element) {
            self.element(&child, transform, looks, depth + 1)?;
        }
        Ok(())
    }

    fn element(&mut self, node: &Node<'d, 'd>, transform: Affine, outer: &Looks, depth: usize) -> Result<(), ReadError> {
        self.visited += 1;
        if self.visited > MOST_ENTITIES || self.drawing.entities.len() > MOST_ENTITIES {
            return Err(ReadError::TooMany { file: self.drawing.file.clone(), most: crate::MOST_ENTITIES });
        }
        let name = node.tag_name().name();
        if depth > DEEPEST {
            self.drawing.refuse(name, format!("line {}: <{name}> lies {DEEPEST} levels deep, perhaps in itself.", self.line(node)));
            return Ok(());
        }
        if SILENT.contains(&name) {
            if name == "script" {
                self.drawing.skip("script");
            }
            return Ok(());
        }
        let looks = self.sheet.looks(node, outer);
        if looks.gone {
            return Ok(());
        }
        if self.needs_more(node) {
            return Ok(());
        }
        let transform = transform * self.transform(node, &looks, depth)?;
        let before = self.drawing.entities.len();
        self.drawn(node, name, transform, &looks, depth)?;
        self.cut_off(node, transform, &looks, before);
        Ok(())
    }

    fn drawn(&mut self, node: &Node<'d, 'd>, name: &str, transform: Affine, looks: &Looks, depth: usize) -> Result<(), ReadError> {
        match name {
            "g" | "a" => self.children(node, transform, &looks.clone().in_group(node), depth),
            "switch" => {
                // The first that asks for nothing that is not there.
                let first = node.children().find(|c| c.is_element() && !SILENT.contains(&c.tag_name().name()) && !self.needs_more(c));
                first.map_or(Ok(()), |child| self.element(&child, transform, &looks.clone().in_group(node), depth + 1))
            }
            "svg" => self.viewport(node, None, transform, looks, depth),
            "use" => self.reference(node, transform, looks, depth),
            "text" => {
                self.text(node, transform, looks);
                Ok(())
            }
            "image" => {
                self.image(node, transform, looks);
                Ok(())
            }
            "path" | "rect" | "circle" | "ellipse" | "line" | "polyline" | "polygon" => {
                self.shape(node, name, transform, looks);
                Ok(())
            }
            _ => {
                self.drawing.skip(name);
                Ok(())
            }
        }
    }

    fn reference(&mut self, node: &Node<'d, 'd>, transform: Affine, looks: &Looks, depth: usize) -> Result<(), ReadError> {
        let href = node.attributes().find(|a| a.name() == "href").map_or("", |a| a.value());
        let target = href.strip_prefix('#').and_then(|id| self.document.descendants().find(|n| n.attribute("id") == Some(id)));
        let Some(target) = target else {
            self.drawing.skip("use of something that is not in the file");
            return Ok(());
        };
        let ruler = Ruler { sheet: self.sheet, looks };
        let transform = transform * Affine::translate(Vec2::new(ruler.length(node, "x"), ruler.length(node, "y")));
        let before = self.drawing.read;
        match target.tag_name().name() {
            "symbol" | "svg" => {
                let looks = self.sheet.looks(&target, looks);
                self.viewport(&target, Some(node), transform, &looks, depth)?;
            }
            _ => self.element(&target, transform, looks, depth + 1)?,
        }
        // However much it draws, a reference counts once.
        self.drawing.read = before + usize::from(self.drawing.read > before);
        Ok(())
    }

    /// What lies in an svg element or a symbol; what goes beyond its viewport is cut off where it does not show.
    fn viewport(
        &mut self,
        node: &Node<'d, 'd>,
        user: Option<&Node<'d, 'd>>,
        transform: Affine,
        looks: &Looks,
        depth: usize,
    ) -> Result<(), ReadError> {
        let viewport = page::viewport(node, user, Ruler { sheet: self.sheet, looks });
        let before = self.drawing.entities.len();
        self.children(node, transform * viewport.place, looks, depth)?;
        if let Some(b) = viewport.shows {
            // What lies on the edge itself shows.
            let b = b.grown(1e-6 * b.width().max(b.height()));
            let corners = [b.min, Point::new(b.max.x, b.min.y), b.max, Point::new(b.min.x, b.max.y)].map(|p| transform * p);
            let edge: Vec<Curve> = (0..4).map(|i| Curve::Line(corners[i], corners[(i + 1) % 4])).collect();
            crate::clipping::cut(self.drawing, before, &crate::clipping::clip([&edge]));
        }
        Ok(())
    }

    /// True for what is drawn only where there is more than we have: extensions, another language.
    fn needs_more(&self, node: &Node) -> bool {
        let languages = node.attribute("systemLanguage").map(|l| l.split(',').map(str::trim).any(|l| l == "en" || l.starts_with("en-")));
        node.attribute("requiredExtensions").is_some_and(|e| !e.trim().is_empty()) || languages == Some(false)
    }

    fn shape(&mut self, node: &Node, name: &str, transform: Affine, looks: &Looks) {
        if looks.fill.is_none() && looks.stroke.is_none() {
            return self.drawing.skip(&format!("{name} without line or fill"));
        }
        let subpaths = match (Ruler { sheet: self.sheet, looks }).subpaths(node, name) {
            Ok(subpaths) => subpaths,
            Err(what) => {
                let line = self.line(node);
                return self.drawing.refuse(name, format!("line {line}: a <{name}> cannot be followed: {what}."));
            }
        };
        let sane =
            |c: &Curve| c.is_finite() && [c.ends().0, c.ends().1].iter().all(|p| p.x.abs().max(p.y.abs()) <= Drawing::LARGEST_NUMBER);
        let placed: Vec<(Vec<Curve>, bool)> =
            subpaths.into_iter().map(|(curves, closed)| (curves.iter().map(|c| c.transformed(transform)).collect(), closed)).collect();
        if !placed.iter().flat_map(|p| &p.0).all(sane) {
            let line = self.line(node);
            return self.drawing.refuse(name, format!("line {line}: a <{name}> has coordinates that are no place on a drawing."));
        }
        if placed.is_empty() {
            return self.drawing.skip(&format!("{name} without extent"));
        }
        if self.is_paper(looks, &placed) {
            return self.drawing.skip("white background");
        }
        let style = self.style_at(looks, false, transform);
        // A filled shape ends where it began, whether it says so or not.
        let filled = looks.stroke.is_none();
        let compound = self.compound();
        for (curves, closed) in placed {
            let shape = Shape::Path { closed: closed || filled && curves.len() > 1, curves };
            self.drawing.entities.push(Entity { style, shape, compound });
        }
        self.drawing.read += 1;
    }

    /// A number for an element whose outlines are filled together.
    fn compound(&mut self) -> u32 {
        self.compounds += 1;
        self.compounds
    }

    /// True for a white area over the whole page: the paper, not something drawn on it.
    fn is_paper(&self, looks: &Looks, placed: &[(Vec<Curve>, bool)]) -> bool {
        let white = looks.stroke.is_none() && looks.fill.is_some_and(|f| f.iter().all(|c| *c >= WHITE));
        let b = placed.iter().flat_map(|p| &p.0).map(Curve::bounds).fold(Bounds::EMPTY, Bounds::union);
        white && placed.len() == 1 && !self.page.is_empty() && b.grown(0.01 * self.page.width()).holds(&self.page)
    }

    /// The style of lines whose width is told by the transform that they are drawn under.
    fn style_at(&mut self, looks: &Looks, text: bool, transform: Affine) -> usize {
        let micrometres = looks.width * transform.determinant().abs().sqrt() * self.mm * 1000.0;
        // Told apart by a hundredth of a millimetre.
        let width = if looks.stroke.is_some() { ((micrometres / 10.0).round() * 10.0).clamp(0.0, 1e6) as u32 } else { 0 };
        let base = self.style(looks, text);
        if width == 0 {
            return base;
        }
        let style = Style { width, ..self.drawing.styles[base].clone() };
        self.drawing.style(&style)
    }

    fn style(&mut self, looks: &Looks, text: bool) -> usize {
        let style = Style {
            layer: looks.layer.clone(),
            stroke: looks.stroke,
            fill: looks.fill,
            line_type: looks.dashes.clone(),
            width: 0,
            text: text || looks.lettering,
            winding: looks.winding,
            hidden: looks.hidden,
            ..Style::default()
        };
        self.drawing.style(&style)
    }

    fn line(&self, node: &Node) -> u32 {
        self.document.text_pos_at(node.range().start).row
    }
}
