//! The `clip-path` of an element: the outlines of the `clipPath` that it names.

use super::Walk;
use super::css::Looks;
use super::shapes::Ruler;
use crate::clipping;
use boustrophe_core::drawing::Shape;
use boustrophe_core::geometry::{Affine, Bounds, Clip, Curve, Vec2};
use roxmltree::Node;

/// Clip paths of clip paths are followed this far.
const DEEPEST: usize = 8;

impl<'d> Walk<'_, 'd> {
    /// Cuts what an element drew, from entity `before` on, to what its clip path shows. Masks are not applied; that is said.
    pub(super) fn cut_off(&mut self, node: &Node<'d, 'd>, transform: Affine, looks: &Looks, before: usize) {
        if self.drawing.entities.len() == before {
            return;
        }
        if self.sheet.property(node, looks, "mask").is_some_and(|v| v != "none") {
            self.drawing.skip("mask");
        }
        for name in ["marker-start", "marker-mid", "marker-end"] {
            if self.sheet.property(node, looks, name).is_some_and(|v| v != "none") {
                self.drawing.skip("marker");
            }
        }
        for clip in self.clips(node, transform, looks, before, 0) {
            clipping::cut(self.drawing, before, &clip);
        }
    }

    /// The clips of an element, its clip path's own among them.
    fn clips(&mut self, node: &Node<'d, 'd>, transform: Affine, looks: &Looks, before: usize, depth: usize) -> Vec<Clip> {
        let Some(value) = self.sheet.property(node, looks, "clip-path").filter(|v| v != "none") else { return Vec::new() };
        let id = value.trim().strip_prefix("url(").and_then(|v| v.strip_suffix(')')).map(|v| v.trim_matches(['"', '\'', ' ']));
        let id = id.and_then(|v| v.strip_prefix('#'));
        let found =
            id.and_then(|id| self.document.descendants().find(|n| n.attribute("id") == Some(id) && n.tag_name().name() == "clipPath"));
        let Some(found) = found.filter(|_| depth < DEEPEST) else {
            self.drawing.skip("clip path that is not in the file");
            return Vec::new();
        };
        let boxed = found.attribute("clipPathUnits") == Some("objectBoundingBox");
        let place = if boxed { transform * self.box_of(transform, before) } else { transform };
        let within = self.sheet.looks(&found, &Looks::default());
        let Ok(own) = self.transform(&found, &within, depth) else { return Vec::new() };
        let mut areas = Vec::new();
        self.outlines(&found, place * own, &within, &mut areas, 0);
        let mut clips = vec![clipping::clip_of(areas)];
        clips.extend(self.clips(&found, transform, &within, before, depth + 1));
        clips
    }

    /// From the unit square to the box round what was drawn from entity `before` on, in the element's own units.
    fn box_of(&self, transform: Affine, before: usize) -> Affine {
        let home = transform.inverse();
        let curves = self.drawing.entities[before..]
            .iter()
            .filter_map(|e| if let Shape::Path { curves, .. } = &e.shape { Some(curves) } else { None });
        let b = curves.flatten().map(|c| c.transformed(home).bounds()).fold(Bounds::EMPTY, Bounds::union);
        if b.is_empty() { Affine::IDENTITY } else { Affine::translate(b.min.to_vec2()) * Affine::scale_non_uniform(b.width(), b.height()) }
    }

    /// The areas of the shapes in a clip path, in the drawing's units, each with its rule.
    fn outlines(&mut self, node: &Node<'d, 'd>, place: Affine, looks: &Looks, out: &mut Vec<(Vec<Vec<Curve>>, bool)>, depth: usize) {
        for child in node.children().filter(Node::is_element) {
            self.outlines_of(&child, place, looks, out, depth);
        }
    }

    fn outlines_of(&mut self, child: &Node<'d, 'd>, place: Affine, outer: &Looks, out: &mut Vec<(Vec<Vec<Curve>>, bool)>, depth: usize) {
        let looks = self.sheet.looks(child, outer);
        if depth > DEEPEST || looks.gone || looks.hidden {
            return;
        }
        let Ok(own) = self.transform(child, &looks, depth) else { return };
        let place = place * own;
        match child.tag_name().name() {
            name @ ("path" | "rect" | "circle" | "ellipse" | "polygon" | "polyline") => {
                let subpaths = (Ruler { sheet: self.sheet, looks: &looks }).subpaths(child, name).unwrap_or_default();
                let curves = subpaths.into_iter().map(|(curves, _)| curves.iter().map(|c| c.transformed(place)).collect()).collect();
                out.push((curves, looks.clip_winding));
            }
            "use" => {
                let href = child.attributes().find(|a| a.name() == "href").and_then(|a| a.value().strip_prefix('#'));
                let target = href.and_then(|id| self.document.descendants().find(|n| n.attribute("id") == Some(id)));
                if let Some(target) = target.filter(|t| t.is_element()) {
                    let ruler = Ruler { sheet: self.sheet, looks: &looks };
                    let shift = Affine::translate(Vec2::new(ruler.length(child, "x"), ruler.length(child, "y")));
                    self.outlines_of(&target, place * shift, &looks, out, depth + 1);
                }
            }
            "g" => self.outlines(child, place, &looks, out, depth + 1),
            "text" => self.drawing.skip("letters as a clip"),
            _ => {}
        }
    }
}
