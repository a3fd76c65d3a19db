//! Pictures in a drawing: `image` elements that bring their data along.

use super::Walk;
use super::css::Looks;
use super::shapes::Ruler;
use crate::bitmap;
use base64::Engine;
use boustrophe_core::drawing::{Entity, Nature, Picture, Shape, Style};
use boustrophe_core::geometry::{Affine, Vec2};
use roxmltree::Node;
use std::sync::Arc;

impl Walk<'_, '_> {
    pub(super) fn image(&mut self, node: &Node, transform: Affine, looks: &Looks) {
        let href = node.attributes().find(|a| a.name() == "href").map_or("", |a| a.value());
        let Some(data) = href.trim().strip_prefix("data:") else {
            return self.drawing.skip("picture in a file of its own");
        };
        let line = self.line(node);
        let sentence = |what: &str| format!("line {line}: a picture cannot be used: {what}.");
        let Some((kind, text)) = data.split_once(',').filter(|(kind, _)| kind.contains("base64")) else {
            return self.drawing.refuse("picture", sentence("its data is not in base64"));
        };
        if kind.contains("svg") {
            return self.drawing.skip("drawing within the drawing");
        }
        let compact: Vec<u8> = text.bytes().filter(|b| !b.is_ascii_whitespace()).collect();
        let read = base64::engine::general_purpose::STANDARD_NO_PAD
            .decode(compact.strip_suffix(b"==").or(compact.strip_suffix(b"=")).unwrap_or(&compact))
            .map_err(|e| e.to_string())
            .and_then(|bytes| bitmap::decode(&bytes).map(|bitmap| (bitmap::cut_off(&bytes, &bitmap), bitmap)));
        let bitmap = match read {
            Ok((damage, bitmap)) => {
                self.drawing.damage.extend(damage.map(|what| format!("line {line}: {what}")));
                bitmap
            }
            Err(what) => return self.drawing.refuse("picture", sentence(&what)),
        };
        let (w, h) = (bitmap.width as f64, bitmap.height as f64);
        // Without a size of its own it is as large as its pixels; one side given brings the other along.
        let ruler = Ruler { sheet: self.sheet, looks };
        let given = |name: &str| ruler.given(node, name).filter(|v| *v > 0.0);
        let (width, height) = match (given("width"), given("height")) {
            (Some(a), Some(b)) => (a, b),
            (Some(a), None) => (a, a * h / w),
            (None, Some(b)) => (b * w / h, b),
            (None, None) => (w, h),
        };
        let at = Vec2::new(ruler.length(node, "x"), ruler.length(node, "y"));
        let fit = node.attribute("preserveAspectRatio").unwrap_or("");
        let (scale_x, scale_y) = (width / w, height / h);
        let (sx, sy) = if fit.starts_with("none") {
            (scale_x, scale_y)
        } else {
            let even = if fit.contains("slice") { scale_x.max(scale_y) } else { scale_x.min(scale_y) };
            (even, even)
        };
        let centred = Vec2::new((width - w * sx) / 2.0, (height - h * sy) / 2.0);
        // The picture's lower left corner is at its foot, where y is greatest.
        let foot = at + centred + Vec2::new(0.0, h * sy);
        let place = transform * Affine::translate(foot) * Affine::scale_non_uniform(w * sx, -h * sy);
        if !place.as_coeffs().iter().all(|v| v.is_finite() && v.abs() <= 1e12) || place.determinant() == 0.0 {
            return self.drawing.refuse("picture", sentence("it has no place on the drawing"));
        }
        let style = Style { layer: looks.layer.clone(), hidden: looks.hidden, nature: Nature::Picture, ..Style::default() };
        let style = self.drawing.style(&style);
        let compound = self.compound();
        self.drawing.entities.push(Entity { style, shape: Shape::Picture(Picture { bitmap: Arc::new(bitmap), place }), compound });
        self.drawing.read += 1;
    }
}
