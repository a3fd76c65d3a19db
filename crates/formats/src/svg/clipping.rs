//! The `clip-path` of an element: the outlines of the `clipPath` that it names.

use super::{Walk, path, shapes, transform_of};
use crate::clipping;
use boustrophe_core::drawing::Shape;
use boustrophe_core::geometry::{Affine, Bounds, Clip, Curve, Vec2};
use roxmltree::Node;

/// Clip paths of clip paths are followed this far.
const DEEPEST: usize = 8;

impl<'d> Walk<'_, 'd> {
    /// Cuts what an element drew, from entity `before` on, to what its clip path shows. Masks are not applied; that is said.
    pub(super) fn cut_off(&mut self, node: &Node<'d, 'd>, transform: Affine, before: usize) {
        if self.drawing.entities.len() == before {
            return;
        }
        if self.sheet.property(node, "mask").is_some_and(|v| v != "none") {
            self.drawing.skip("mask");
        }
        for name in ["marker-start", "marker-mid", "marker-end"] {
            if node.attribute(name).is_some_and(|v| v != "none") {
                self.drawing.skip("marker");
            }
        }
        for clip in self.clips(node, transform, before, 0) {
            clipping::cut(self.drawing, before, &clip);
        }
    }

    /// The clips of an element, its clip path's own among them.
    fn clips(&mut self, node: &Node<'d, 'd>, transform: Affine, before: usize, depth: usize) -> Vec<Clip> {
        let Some(value) = self.sheet.property(node, "clip-path").filter(|v| v != "none") else { return Vec::new() };
        let id = value.trim().strip_prefix("url(").and_then(|v| v.strip_suffix(')')).map(|v| v.trim_matches(['"', '\'', ' ']));
        let id = id.and_then(|v| v.strip_prefix('#'));
        let found =
            id.and_then(|id| self.document.descendants().find(|n| n.attribute("id") == Some(id) && n.tag_name().name() == "clipPath"));
        let Some(found) = found.filter(|_| depth < DEEPEST) else {
            self.drawing.skip("clip path that is not in the file");
            return Vec::new();
        };
        let boxed = found.attribute("clipPathUnits") == Some("objectBoundingBox");
        let place = if boxed { transform * self.box_of(transform, before) } else { transform } * transform_of(&found);
        let mut curves = Vec::new();
        outlines(self.document, &found, place, &mut curves, 0);
        let mut clips = vec![clipping::clip(&curves)];
        clips.extend(self.clips(&found, transform, before, depth + 1));
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
}

/// Outlines of the shapes in a clip path, in the drawing's units.
fn outlines<'d>(document: &'d roxmltree::Document<'d>, node: &Node<'d, 'd>, place: Affine, out: &mut Vec<Vec<Curve>>, depth: usize) {
    if depth > DEEPEST {
        return;
    }
    for child in node.children().filter(Node::is_element) {
        let place = place * transform_of(&child);
        let subpaths = match child.tag_name().name() {
            "path" => path::parse(child.attribute("d").unwrap_or("")).unwrap_or_default(),
            name @ ("rect" | "circle" | "ellipse" | "polygon" | "polyline") => shapes::outline(&child, name),
            "use" => {
                let href = child.attributes().find(|a| a.name() == "href").and_then(|a| a.value().strip_prefix('#'));
                let target = href.and_then(|id| document.descendants().find(|n| n.attribute("id") == Some(id)));
                if let Some(target) = target.filter(|t| t.is_element()) {
                    let shift = Affine::translate(Vec2::new(shapes::length(&child, "x"), shapes::length(&child, "y")));
                    outlines_of(document, &target, place * shift, out, depth + 1);
                }
                continue;
            }
            "g" => {
                outlines(document, &child, place, out, depth + 1);
                continue;
            }
            _ => continue,
        };
        out.extend(subpaths.into_iter().map(|(curves, _)| curves.iter().map(|c| c.transformed(place)).collect()));
    }
}

/// The outlines of one element that a clip path refers to.
fn outlines_of<'d>(document: &'d roxmltree::Document<'d>, target: &Node<'d, 'd>, place: Affine, out: &mut Vec<Vec<Curve>>, depth: usize) {
    let place = place * transform_of(target);
    let subpaths = match target.tag_name().name() {
        "path" => path::parse(target.attribute("d").unwrap_or("")).unwrap_or_default(),
        name @ ("rect" | "circle" | "ellipse" | "polygon" | "polyline") => shapes::outline(target, name),
        "g" => return outlines(document, target, place, out, depth + 1),
        _ => return,
    };
    out.extend(subpaths.into_iter().map(|(curves, _)| curves.iter().map(|c| c.transformed(place)).collect()));
}
