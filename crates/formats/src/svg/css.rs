//! Looks: presentation attributes, style attributes and style sheets, inherited downward.

use super::selected::Selected;
use super::style::{self, Declaration, Parts};
use roxmltree::{Document, Node};
use simplecss::Selector;
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;
use std::str::FromStr;
use svgtypes::{Color, Paint};

/// What an element is drawn with.
#[derive(Clone, Debug)]
pub(super) struct Looks {
    /// The line that shows, and the fill; what is transparent or has no width shows none.
    pub(super) stroke: Option<[u8; 3]>,
    pub(super) fill: Option<[u8; 3]>,
    /// As they are said, before anything makes them transparent.
    said: Said,
    /// Names of the gradients and patterns of the file.
    pub(super) servers: Rc<BTreeSet<String>>,
    /// `--name` and what it stands for.
    variables: Rc<BTreeMap<String, String>>,
    pub(super) dashes: String,
    /// Width of the line in user units; 0 where it is not given.
    pub(super) width: f64,
    pub(super) layer: String,
    /// `visibility: hidden` or `opacity: 0`: there, but not shown.
    pub(super) hidden: bool,
    /// `display: none`: not there.
    pub(super) gone: bool,
    pub(super) font_size: f64,
    /// Marked as letters by class or name.
    pub(super) lettering: bool,
    /// `fill-rule: nonzero`, which is the rule unless said otherwise.
    pub(super) winding: bool,
    /// `clip-rule`, likewise.
    pub(super) clip_winding: bool,
    /// `color`, which `currentColor` stands for.
    pub(super) color: [u8; 3],
}

/// What inherited properties say of line and fill.
#[derive(Clone, Copy, Debug)]
struct Said {
    stroke: Option<[u8; 3]>,
    fill: Option<[u8; 3]>,
    stroke_shows: bool,
    fill_shows: bool,
    has_width: bool,
    visible: bool,
    /// Nothing within something that is wholly transparent shows.
    opaque: bool,
}

impl Default for Looks {
    fn default() -> Self {
        let fill = Some([0, 0, 0]);
        let said = Said { stroke: None, fill, stroke_shows: true, fill_shows: true, has_width: true, visible: true, opaque: true };
        Self {
            stroke: None,
            fill,
            said,
            servers: Rc::default(),
            variables: Rc::default(),
            dashes: String::new(),
            width: 0.0,
            layer: String::new(),
            hidden: false,
            gone: false,
            font_size: 16.0,
            lettering: false,
            winding: true,
            clip_winding: true,
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

    /// Those of a file's root.
    pub(super) fn of(document: &Document) -> Self {
        let serves =
            |n: &Node| matches!(n.tag_name().name(), "linearGradient" | "radialGradient" | "pattern" | "meshgradient" | "solidcolor");
        let servers = document.descendants().filter(serves).filter_map(|n| n.attribute("id")).map(str::to_owned).collect();
        Self { servers: Rc::new(servers), ..Self::default() }
    }

    fn set(&mut self, name: &str, value: &str) {
        let value = value.trim();
        match name {
            "stroke" => self.said.stroke = self.paint(value, self.said.stroke),
            "fill" => self.said.fill = self.paint(value, self.said.fill),
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
                    self.width = if l.number.is_finite() && l.number > 0.0 { by_font(l, self.font_size) } else { 0.0 };
                    self.said.has_width = l.number != 0.0;
                }
            }
            "fill-rule" => self.winding = value != "evenodd",
            "clip-rule" => self.clip_winding = value != "evenodd",
            "visibility" => self.said.visible = !matches!(value, "hidden" | "collapse"),
            "display" => self.gone = value == "none",
            "stroke-opacity" => self.said.stroke_shows = !is_zero(value),
            "fill-opacity" => self.said.fill_shows = !is_zero(value),
            "opacity" => self.said.opaque &= !is_zero(value),
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

    /// What shows of what is said.
    fn settled(mut self) -> Self {
        let Said { stroke, fill, stroke_shows, fill_shows, has_width, visible, opaque } = self.said;
        self.fill = fill.filter(|_| fill_shows);
        self.stroke = stroke.filter(|_| stroke_shows && has_width);
        self.hidden = !visible || !opaque;
        // A line that does not show is there all the same, where nothing else of the shape is.
        if self.fill.is_none() && self.stroke.is_none() && (stroke.is_some() || fill.is_some()) {
            (self.fill, self.stroke, self.hidden) = (fill, stroke, true);
        }
        self
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
            Ok(Paint::FuncIRI(id, otherwise)) => match otherwise {
                _ if self.servers.contains(id) => Some([128, 128, 128]),
                Some(svgtypes::PaintFallback::CurrentColor) => Some(self.color),
                Some(svgtypes::PaintFallback::Color(c)) => Some([c.red, c.green, c.blue]),
                // What is painted with something that is not there is not painted.
                Some(svgtypes::PaintFallback::None) | None => None,
            },
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
    value.trim_end_matches('%').parse::<f64>().is_ok_and(|v| v <= 0.0)
}

/// What tells looks, what all others stand on first.
const LOOKS: [&str; 14] = [
    "color",
    "font",
    "font-size",
    "display",
    "visibility",
    "opacity",
    "stroke",
    "fill",
    "stroke-dasharray",
    "stroke-width",
    "stroke-opacity",
    "fill-opacity",
    "fill-rule",
    "clip-rule",
];
/// True for what lies within having it as well, unless it says otherwise.
fn is_inherited(name: &str) -> bool {
    !matches!(name, "display" | "opacity")
}

/// What tells where things are and how large, besides attributes of other names.
const GEOMETRY: [&str; 15] =
    ["x", "y", "width", "height", "cx", "cy", "r", "rx", "ry", "d", "transform", "transform-origin", "translate", "rotate", "scale"];

/// Stands for all that tells looks.
const ALL_LOOKS: &str = "*";

/// A rule of a style sheet.
struct Rule<'a> {
    selector: Selector<'a>,
    declarations: Vec<Declaration<'a>>,
}

/// All style sheets of the file.
pub(super) struct Sheet<'a> {
    /// The weaker first.
    rules: Vec<Rule<'a>>,
    /// Which of them say a property; those that say anything of looks under [`ALL_LOOKS`].
    saying: BTreeMap<&'a str, Vec<usize>>,
    /// Selectors that are not understood.
    pub(super) unread: Vec<&'a str>,
}

impl<'a> Sheet<'a> {
    /// The style sheets of a file in their parts.
    pub(super) fn parts(document: &Document) -> Vec<Parts> {
        let nodes = document.descendants().filter(|n| n.tag_name().name() == "style");
        let for_screens = |n: &Node| n.attribute("media").is_none_or(|m| !m.contains("print"));
        nodes.filter(for_screens).flat_map(|n| n.children()).filter_map(|c| c.text()).map(Parts::of).collect()
    }

    pub(super) fn of(parts: &'a [Parts]) -> Self {
        let mut sheet = Self { rules: Vec::new(), saying: BTreeMap::new(), unread: Vec::new() };
        for (selector, block) in parts.iter().flat_map(|p| &p.rules) {
            match Selector::parse(selector).filter(|_| !selector.is_empty()) {
                Some(read) => sheet.rules.push(Rule { selector: read, declarations: style::declarations(block).collect() }),
                None => sheet.unread.push(selector),
            }
        }
        // Where two are as strong the later counts: the sort keeps their order.
        sheet.rules.sort_by_key(|r| r.selector.specificity());
        for (i, rule) in sheet.rules.iter().enumerate() {
            let looks = rule.declarations.iter().any(|d| LOOKS.contains(&d.name) || d.name.starts_with("--"));
            for name in rule.declarations.iter().map(|d| d.name).chain(looks.then_some(ALL_LOOKS)) {
                let known = sheet.saying.entry(name).or_default();
                if known.last() != Some(&i) {
                    known.push(i);
                }
            }
        }
        sheet
    }

    /// What is said of an element in its own attribute, sheets and style attribute, the weaker first; attributes only of `names`.
    ///
    /// `of` is the property that is asked for, or [`ALL_LOOKS`].
    fn declared<'n>(&'n self, node: &Node<'n, '_>, names: &[&'n str], of: &str) -> Vec<(&'n str, &'n str)> {
        let mut all: Vec<(&str, &str)> = names.iter().filter_map(|n| Some((*n, node.attribute(*n)?))).collect();
        let asked = self.saying.get(of).into_iter().flatten().map(|i| &self.rules[*i]);
        let rules: Vec<&Declaration> = asked.filter(|r| r.selector.matches(&Selected(*node))).flat_map(|r| &r.declarations).collect();
        let own: Vec<Declaration> = node.attribute("style").map(|s| style::declarations(s).collect()).unwrap_or_default();
        for important in [false, true] {
            all.extend(rules.iter().filter(|d| d.important == important).map(|d| (d.name, d.value)));
            all.extend(own.iter().filter(|d| d.important == important).map(|d| (d.name, d.value)));
        }
        all
    }

    /// One property of the element itself, `None` where nothing is said of it.
    pub(super) fn property(&self, node: &Node, looks: &Looks, name: &str) -> Option<String> {
        let all = self.declared(node, &[name], name);
        all.iter().rev().filter(|d| d.0 == name).find_map(|d| looks.meant(d.1))
    }

    /// What says where an element is or how large; attributes do, and in newer files style sheets.
    pub(super) fn geometry(&self, node: &Node, looks: &Looks, name: &str) -> Option<String> {
        let styled = || node.attribute("style").is_some_and(|s| GEOMETRY.iter().any(|g| s.contains(g)));
        if self.saying.contains_key(name) || styled() { self.property(node, looks, name) } else { node.attribute(name).map(str::to_owned) }
    }

    /// The element's looks: inherited, then attributes, then sheets, then its style attribute, then what is marked as important.
    pub(super) fn looks(&self, node: &Node, outer: &Looks) -> Looks {
        let mut looks = outer.clone();
        let all = self.declared(node, &LOOKS, ALL_LOOKS);
        let mut variables = all.iter().filter(|d| d.0.starts_with("--")).peekable();
        if variables.peek().is_some() {
            let known = Rc::make_mut(&mut looks.variables);
            variables.for_each(|d| drop(known.insert(d.0.into(), d.1.into())));
        }
        // Of each property the strongest that means something, those first that others go by.
        for name in LOOKS {
            let said = all.iter().rev().filter(|d| d.0 == name).find_map(|d| looks.meant(d.1));
            let Some(value) = said else { continue };
            match value.trim() {
                "inherit" => looks.take(name, outer),
                "unset" | "revert" if is_inherited(name) => looks.take(name, outer),
                "initial" | "unset" | "revert" => looks.take(name, &Looks::default()),
                value => looks.set(name, value),
            }
        }
        let marked = |name: &str| node.attribute(name).is_some_and(|v| v.to_ascii_lowercase().contains("lettering"));
        looks.lettering |= marked("class") || marked("id");
        looks.settled()
    }
}

impl Looks {
    /// A value with its variables; `None` where they stand for nothing: then it counts as not said.
    fn meant(&self, value: &str) -> Option<String> {
        style::substituted(value, &|name| self.variables.get(name).cloned(), 0)
    }

    /// Takes one property over.
    fn take(&mut self, name: &str, from: &Self) {
        match name {
            "color" => self.color = from.color,
            "font" | "font-size" => self.font_size = from.font_size,
            "display" => self.gone = from.gone,
            "visibility" => self.said.visible = from.said.visible,
            "opacity" => {}
            "stroke" => self.said.stroke = from.said.stroke,
            "fill" => self.said.fill = from.said.fill,
            "stroke-dasharray" => self.dashes.clone_from(&from.dashes),
            "stroke-width" => (self.width, self.said.has_width) = (from.width, from.said.has_width),
            "stroke-opacity" => self.said.stroke_shows = from.said.stroke_shows,
            "fill-opacity" => self.said.fill_shows = from.said.fill_shows,
            "fill-rule" => self.winding = from.winding,
            "clip-rule" => self.clip_winding = from.clip_winding,
            _ => {}
        }
    }
}
