//! Size of the page and of what is nested in it: width, height, viewBox, preserveAspectRatio.

use super::shapes::Ruler;
use boustrophe_core::drawing::{FileUnits, Unit};
use boustrophe_core::geometry::{Affine, Bounds, Point, Vec2};
use roxmltree::Node;
use std::str::FromStr;
use svgtypes::{Length, LengthUnit, ViewBox};

/// CSS pixels in an inch: the standard's.
const PIXELS: f64 = 96.0;

/// The outermost svg element.
pub(super) struct Page {
    pub(super) units: FileUnits,
    /// From user units to the drawing, y up.
    pub(super) transform: Affine,
    /// The page in the drawing's units, its lower left corner at 0, 0.
    pub(super) area: Bounds,
    /// mm of one drawing unit; of a pixel as the standard has it.
    pub(super) mm: f64,
}

/// A length as given: its number in mm when physical, else in pixels.
#[derive(Clone, Copy)]
enum Extent {
    Mm(f64),
    Pixels(f64),
}

impl Page {
    pub(super) fn of(root: &Node) -> Self {
        let view = view_box(root);
        let (width, height) = (extent(root, "width"), extent(root, "height"));
        // A width alone gives the height by the viewBox.
        let ratio = view.map_or(1.0, |v| v.h / v.w);
        let (units, w, h, physical) = match (width, height) {
            (Some(Extent::Mm(w)), Some(Extent::Mm(h))) => (FileUnits::Known(Unit::Mm), w, h, true),
            (Some(Extent::Mm(w)), _) => (FileUnits::Known(Unit::Mm), w, w * ratio, true),
            (_, Some(Extent::Mm(h))) => (FileUnits::Known(Unit::Mm), h / ratio, h, true),
            (Some(Extent::Pixels(w)), Some(Extent::Pixels(h))) => (FileUnits::Pixels, w, h, false),
            (Some(Extent::Pixels(w)), None) => (FileUnits::Pixels, w, w * ratio, false),
            (None, Some(Extent::Pixels(h))) => (FileUnits::Pixels, h / ratio, h, false),
            (None, None) => (FileUnits::Pixels, view.map_or(0.0, |v| v.w), view.map_or(0.0, |v| v.h), false),
        };
        // Without a viewBox a user unit is a pixel, and a physical page fixes what a pixel is.
        let pixel = if physical { 25.4 / PIXELS } else { 1.0 };
        let fit = view.map_or(Affine::scale(pixel), |v| fitted(root, v, w, h));
        let flip = Affine::new([1.0, 0.0, 0.0, -1.0, 0.0, h]);
        let area = Bounds { min: Point::ZERO, max: Point::new(w, h) };
        Self { units, transform: flip * fit, area, mm: if physical { 1.0 } else { 25.4 / PIXELS } }
    }
}

/// A viewport within the page: where its children lie, and what of them it shows.
pub(super) struct Viewport {
    pub(super) place: Affine,
    /// In the units around it; `None` where what goes beyond shows too, or it has no size.
    pub(super) shows: Option<Bounds>,
}

/// Where the children of a nested svg element lie, or of a symbol or svg that `user` shows.
pub(super) fn viewport(node: &Node, user: Option<&Node>, ruler: Ruler) -> Viewport {
    let symbol = node.tag_name().name() == "symbol";
    let (x, y) = if symbol { (0.0, 0.0) } else { (ruler.length(node, "x"), ruler.length(node, "y")) };
    let view = view_box(node);
    let of = |n: &Node, name: &str| ruler.given(n, name).filter(|l| *l > 0.0);
    // Without a size it is as large as what is around it, and of that its viewBox tells more than an unknown page.
    let size = |name: &str, own: Option<f64>| {
        user.and_then(|u| of(u, name)).or_else(|| of(node, name)).or_else(|| ruler.around(user.unwrap_or(node), name)).or(own)
    };
    let (w, h) = (size("width", view.map(|v| v.w)), size("height", view.map(|v| v.h)));
    let at = Affine::translate(Vec2::new(x, y));
    let place = match (view, w, h) {
        (Some(v), Some(w), Some(h)) => at * fitted(node, v, w, h),
        _ => at,
    };
    let open = ruler.sheet.property(node, ruler.looks, "overflow").is_some_and(|o| matches!(o.trim(), "visible" | "auto"));
    let shows = w.zip(h).filter(|_| !open).map(|(w, h)| Bounds { min: Point::new(x, y), max: Point::new(x + w, y + h) });
    Viewport { place, shows }
}

fn view_box(node: &Node) -> Option<ViewBox> {
    node.attribute("viewBox").and_then(|v| ViewBox::from_str(v).ok()).filter(|v| v.w > 0.0 && v.h > 0.0)
}

fn extent(node: &Node, name: &str) -> Option<Extent> {
    let length = Length::from_str(node.attribute(name)?).ok()?;
    if !(length.number.is_finite() && length.number > 0.0) {
        return None;
    }
    let n = length.number;
    match length.unit {
        LengthUnit::Mm => Some(Extent::Mm(n)),
        LengthUnit::Cm => Some(Extent::Mm(n * 10.0)),
        LengthUnit::In => Some(Extent::Mm(n * 25.4)),
        LengthUnit::Pt => Some(Extent::Mm(n * 25.4 / 72.0)),
        LengthUnit::Pc => Some(Extent::Mm(n * 25.4 / 6.0)),
        LengthUnit::None | LengthUnit::Px => Some(Extent::Pixels(n)),
        // A font is 16 pixels until something says otherwise.
        LengthUnit::Em => Some(Extent::Pixels(16.0 * n)),
        LengthUnit::Ex => Some(Extent::Pixels(8.0 * n)),
        LengthUnit::Percent => None,
    }
}

/// The viewBox laid into width × height as preserveAspectRatio says.
fn fitted(node: &Node, v: ViewBox, w: f64, h: f64) -> Affine {
    let (sx, sy) = (w / v.w, h / v.h);
    let rule = node.attribute("preserveAspectRatio").unwrap_or("xMidYMid meet");
    if rule.contains("none") {
        return Affine::scale_non_uniform(sx, sy) * Affine::translate(Vec2::new(-v.x, -v.y));
    }
    let s = if rule.contains("slice") { sx.max(sy) } else { sx.min(sy) };
    let share = |min: &str, max: &str| {
        if rule.contains(min) {
            0.0
        } else if rule.contains(max) {
            1.0
        } else {
            0.5
        }
    };
    let shift = Vec2::new((w - v.w * s) * share("xMin", "xMax"), (h - v.h * s) * share("YMin", "YMax"));
    Affine::translate(shift) * Affine::scale(s) * Affine::translate(Vec2::new(-v.x, -v.y))
}
