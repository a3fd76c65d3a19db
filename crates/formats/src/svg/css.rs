//! Looks: presentation attributes, style attributes and style sheets, inherited downward.

use super::style;
use roxmltree::{Document, Node};
use simplecss::{AttributeOperator, Element, PseudoClass, StyleSheet};
use std::str::FromStr;
use svgtypes::{Color, Paint};

/// What an element is drawn with.
#[derive(Clone, Debug)]
pub(super) struct Looks {
    pub(super) stroke: Option<[u8; 3]>,
    pub(super) fill: Option<[u8; 3]>,
    pub(super) dashes: String,
    /// Width of the line in user units; 0 where it is not given.
    pub(super) width: f64,
    pub(super) layer: String,
    /// `visibility: hidden`: there, but not shown.
    pub(super) hidden: bool,
    /// `display: none`: not there.
    pub(super) gone: bool,
    pub(super) font_size: f64,
    /// Marked as letters by class or name.
    pub(super) lettering: bool,
    /// `fill-rule: nonzero`, which is the rule unless said otherwise.
    pub(super) winding: bool,
    /// `color`, which `currentColor` stands for.
    pub(super) color: [u8; 3],
}

impl Default for Looks {
    fn default() -> Self {
        Self {
            stroke: None,
            fill: Some([0, 0, 0]),
            dashes: String::new(),
            width: 0.0,
            layer: String::new(),
            hidden: false,
            gone: false,
            font_size: 16.0,
            lettering: false,
            winding: true,
            color: [0, 0, 0],
        }
    }
}

impl Looks {
    /// These looks within a group that may name a layer.
    pub(super) fn in_group(mut self, node: &Node) -> Self {
        // A label is a name that a person gave; ids of inner groups are mostly made by programs.
        let label = node.attributes().find(|a| a.name() == "label").map(|a| a.value());
        let top = node.parent().is_some_and(|p| p.tag_name().name() == "svg");
        if let Some(name) = label.or(node.attribute("id").filter(|_| top)) {
            self.layer = name.chars().take(80).collect();
        }
        self
    }

    fn set(&mut self, name: &str, value: &str) {
        let value = value.trim();
        match name {
            "stroke" => self.stroke = self.paint(value, self.stroke),
            "fill" => self.fill = self.paint(value, self.fill),
            "color" => {
                if let Ok(c) = Color::from_str(value) {
                    self.color = [c.red, c.green, c.blue];
                }
            }
            "stroke-dasharray" => {
                let plain = matches!(value, "none" | "" | "0" | "inherit");
                self.dashes = if plain { String::new() } else { format!("dashes {}", value.chars().take(40).collect::<String>()) };
            }
            "stroke-width" => {
                if let Ok(l) = svgtypes::Length::from_str(value) {
                    self.width = if l.number.is_finite() && l.number > 0.0 { l.number * in_pixels(l.unit) } else { 0.0 };
                }
            }
            "fill-rule" => self.winding = value != "evenodd",
            "visibility" => self.hidden = matches!(value, "hidden" | "collapse"),
            "display" => self.gone = value == "none",
            "stroke-opacity" if is_zero(value) => self.stroke = None,
            "fill-opacity" if is_zero(value) => self.fill = None,
            "font-size" => self.font_size = self.font(value).unwrap_or(self.font_size),
            // The short form: the size is what has a unit, perhaps with a line's height behind it.
            "font" => {
                let sizes = value.split_whitespace().map(|w| w.split('/').next().unwrap_or(w));
                let mut sizes =
                    sizes.filter(|w| w.starts_with(|c: char| c.is_ascii_digit() || c == '.') && !w.bytes().all(|b| b.is_ascii_digit()));
                self.font_size = sizes.find_map(|w| self.font(w)).unwrap_or(self.font_size);
            }
            _ => {}
        }
    }

    /// The size of a font in user units.
    fn font(&self, value: &str) -> Option<f64> {
        let l = svgtypes::Length::from_str(value).ok().filter(|l| l.number.is_finite() && l.number > 0.0)?;
        let share = l.unit == svgtypes::LengthUnit::Percent;
        Some(if share { l.number / 100.0 * self.font_size } else { by_font(l, self.font_size) })
    }

    fn paint(&self, value: &str, now: Option<[u8; 3]>) -> Option<[u8; 3]> {
        match Paint::from_str(value) {
            Ok(Paint::None) => None,
            Ok(Paint::Color(c)) => (c.alpha > 0).then_some([c.red, c.green, c.blue]),
            Ok(Paint::CurrentColor) => Some(self.color),
            Ok(Paint::FuncIRI(_, _)) => Some([128, 128, 128]),
            Ok(_) | Err(_) => now,
        }
    }
}

/// Pixels of one such unit, as CSS has them; a number without unit is in user units.
pub(super) fn in_pixels(unit: svgtypes::LengthUnit) -> f64 {
    use svgtypes::LengthUnit as U;
    match unit {
        U::Mm => 96.0 / 25.4,
        U::Cm => 96.0 / 2.54,
        U::In => 96.0,
        U::Pt => 96.0 / 72.0,
        U::Pc => 16.0,
        _ => 1.0,
    }
}

/// A length in user units where a font has this size in them.
pub(super) fn by_font(length: svgtypes::Length, font: f64) -> f64 {
    use svgtypes::LengthUnit as U;
    length.number
        * match length.unit {
            U::Em => font,
            U::Ex => font / 2.0,
            unit => in_pixels(unit),
        }
}

fn is_zero(value: &str) -> bool {
    value.trim_end_matches('%').parse::<f64>().is_ok_and(|v| v == 0.0)
}

/// What tells looks.
const LOOKS: [&str; 12] = [
    "color",
    "display",
    "visibility",
    "font",
    "font-size",
    "stroke",
    "fill",
    "stroke-dasharray",
    "stroke-width",
    "stroke-opacity",
    "fill-opacity",
    "fill-rule",
];
/// What else is asked of an element.
const OWN: [&str; 4] = ["clip-path", "mask", "text-anchor", "dominant-baseline"];

/// All style sheets of the file.
pub(super) struct Sheet<'a> {
    sheet: StyleSheet<'a>,
}

impl<'a> Sheet<'a> {
    /// The texts of a file's style sheets, as they are read.
    pub(super) fn texts(document: &Document) -> Vec<String> {
        let nodes = document.descendants().filter(|n| n.tag_name().name() == "style");
        nodes.flat_map(|n| n.children()).filter_map(|c| c.text()).map(|text| style::plain(text, &[&LOOKS[..], &OWN].concat())).collect()
    }
    pub(super) fn of(texts: &'a [String]) -> Self {
        let mut sheet = StyleSheet::new();
        texts.iter().for_each(|text| sheet.parse_more(text));
        Self { sheet }
    }

    /// One property of the element itself: its style attribute, then sheets, then the attribute.
    pub(super) fn property(&self, node: &Node, name: &str) -> Option<String> {
        let styled = || style::declarations(node.attribute("style")?).filter(|d| d.0 == name).last().map(|d| d.1.to_owned());
        let in_sheet = || {
            let rules = self.sheet.rules.iter().filter(|r| r.selector.matches(&Selected(*node)));
            rules.flat_map(|r| &r.declarations).rfind(|d| d.name == name).map(|d| d.value.to_owned())
        };
        styled().or_else(in_sheet).or_else(|| node.attribute(name).map(str::to_owned))
    }

    /// The element's looks: inherited, then attributes, then sheets, then its style attribute.
    pub(super) fn looks(&self, node: &Node, outer: &Looks) -> Looks {
        let mut looks = outer.clone();
        for name in LOOKS {
            if let Some(value) = node.attribute(name) {
                looks.set(name, value);
            }
        }
        for rule in self.sheet.rules.iter().filter(|r| r.selector.matches(&Selected(*node))) {
            rule.declarations.iter().for_each(|d| looks.set(d.name, d.value));
        }
        if let Some(style) = node.attribute("style") {
            style::declarations(style).for_each(|(name, value)| looks.set(name, value));
        }
        let marked = |name: &str| node.attribute(name).is_some_and(|v| v.to_ascii_lowercase().contains("lettering"));
        looks.lettering |= marked("class") || marked("id");
        looks
    }
}

struct Selected<'a, 'd>(Node<'a, 'd>);

impl Element for Selected<'_, '_> {
    fn parent_element(&self) -> Option<Self> {
        self.0.parent_element().map(Selected)
    }
    fn prev_sibling_element(&self) -> Option<Self> {
        self.0.prev_sibling_element().map(Selected)
    }
    fn has_local_name(&self, name: &str) -> bool {
        self.0.tag_name().name() == name
    }
    fn attribute_matches(&self, name: &str, operator: AttributeOperator<'_>) -> bool {
        self.0.attribute(name).is_some_and(|v| operator.matches(v))
    }
    fn pseudo_class_matches(&self, class: PseudoClass<'_>) -> bool {
        class == PseudoClass::FirstChild && self.prev_sibling_element().is_none()
    }
}
