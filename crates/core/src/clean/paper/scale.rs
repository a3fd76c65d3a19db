//! The scale that a plan is drawn to, by what it says itself: figures of its dimensions against the lines that they stand by,
//! and the scale in its title block.

use super::dimension::is_figure;
use super::{MOST, Plan};
use crate::clean::{Cleaned, views::region_at};
use crate::decisions::{DrawingDecisions, Edit, IntakeEdit, View};
use crate::drawing::Unit;
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Affine, Bounds, Point};
use crate::intake::Intake;
use crate::quantity::{length, ratio};
use std::collections::BTreeMap;

/// Figures agree within this share, and with a usual scale.
const AGREE: f64 = 0.012;
/// Figures that must agree, and the share of all that they are at least.
const ENOUGH: (usize, f64) = (2, 0.6);
/// Scales that plans are drawn to: so many times smaller than true, or larger.
const USUAL: [f64; 22] =
    [1.0, 2.0, 2.5, 3.0, 4.0, 5.0, 8.0, 10.0, 12.0, 15.0, 16.0, 20.0, 24.0, 25.0, 32.0, 40.0, 48.0, 50.0, 64.0, 96.0, 100.0, 200.0];
/// What a plan's scale is called.
const NAMES: [&str; 9] = ["scale", "maßstab", "massstab", "échelle", "echelle", "escala", "scala", "schaal", "skala"];
/// The ratio stands no further from its name than so many heights.
const BY_NAME: f64 = 8.0;
/// Pages that are told one by one.
const LISTED: usize = 8;
/// Greatest scale that is taken at its word, either way.
const GREATEST: f64 = 1000.0;

/// A figure by its line.
struct Figure {
    /// How many times longer it says its line is.
    times: f64,
    /// It names its unit.
    unit: bool,
    at: Point,
}

/// What a page, a region or the whole drawing says of itself.
struct Told {
    /// How many times larger than it is now it ought to be.
    times: f64,
    /// What it ought to be altogether: true size for size on paper.
    scale: f64,
    /// Figures that say so; none where its title does.
    figures: usize,
    at: Vec<Point>,
}

/// What is drawn to one scale each: regions where there are some, else pages, else the whole drawing.
struct Areas<'a> {
    drawing: &'a Cleaned,
    decided: &'a DrawingDecisions,
    to_drawing: Affine,
}

impl Areas<'_> {
    fn are_regions(&self) -> bool {
        !self.decided.regions.is_empty()
    }
    fn count(&self) -> usize {
        if self.are_regions() { self.decided.regions.len() } else { self.drawing.pages.len().max(1) }
    }
    /// The area of a place; `None` beside all of them.
    fn of(&self, p: Point) -> Option<usize> {
        if self.are_regions() {
            return region_at(self.decided, self.to_drawing * p);
        }
        let pages = &self.drawing.pages;
        pages.iter().position(|b| b.has(p)).or(pages.is_empty().then_some(0))
    }
    fn view(&self, i: usize) -> View {
        self.decided.views.get(i).cloned().unwrap_or_default()
    }
    /// The scale that an area is taken at.
    fn now(&self, i: usize) -> f64 {
        self.decided.scale * if self.are_regions() { self.view(i).scale } else { 1.0 }
    }
    /// `page 2 `, for what is said of it; nothing where there is only one.
    fn called(&self, i: usize) -> String {
        match (self.are_regions(), self.count()) {
            (true, _) => format!("region {} ", i + 1),
            (false, 1) => String::new(),
            (false, _) => format!("page {} ", i + 1),
        }
    }

    /// What each area says, by its number.
    fn told(&self) -> BTreeMap<usize, Told> {
        let mut figures: BTreeMap<usize, Vec<Figure>> = BTreeMap::new();
        let mut titles: BTreeMap<usize, Vec<(f64, Point)>> = BTreeMap::new();
        for (scale, at) in titled(self.drawing) {
            if let Some(i) = self.of(at) {
                titles.entry(i).or_default().push((scale, at));
            }
        }
        if self.drawing.texts.iter().any(|t| figure(&t.value).is_some()) {
            let mut plan = Plan::new(&self.drawing.contours, &self.drawing.pages, &[], &self.drawing.texts);
            plan.borders();
            plan.spelled();
            for f in plan.figures() {
                if let Some(i) = self.of(f.at) {
                    figures.entry(i).or_default().push(f);
                }
            }
        }
        let of = |i: usize| {
            let (figures, titles) = (figures.get(&i).map_or(&[][..], Vec::as_slice), titles.get(&i).map_or(&[][..], Vec::as_slice));
            Some((i, told(figures, titles, self.now(i))?))
        };
        (0..self.count()).filter_map(of).collect()
    }

    /// What takes the areas that are `wrong` at their scale: the whole drawing where nothing on it says otherwise.
    fn taken(&self, told: &BTreeMap<usize, Told>, wrong: &[(usize, &Told)]) -> Option<(String, Edit)> {
        let (drawing, first) = (self.decided.id, wrong.first()?.1);
        let set = |(i, t): &(usize, &Told)| {
            let view = if self.are_regions() { self.view(*i) } else { View::default() };
            Edit::Intake(IntakeEdit::SetView { drawing, region: *i, view: View { scale: view.scale * t.times, ..view } })
        };
        if self.are_regions() {
            return Some(("Take each region at its scale".into(), Edit::All { edits: wrong.iter().map(set).collect() }));
        }
        if told.values().all(|t| near(t.times, first.times)) {
            let edit = IntakeEdit::SetScale { drawing, scale: self.decided.scale * first.times };
            return Some((format!("Take it at {}", as_ratio(first.scale)), Edit::Intake(edit)));
        }
        let page = |p: &Bounds| {
            let corners = [p.min, p.max, Point::new(p.min.x, p.max.y), Point::new(p.max.x, p.min.y)];
            Bounds::of(corners.map(|c| self.to_drawing * c))
        };
        let regions = self.drawing.pages.iter().map(page).collect();
        let mut edits = vec![Edit::Intake(IntakeEdit::SetRegions { drawing, regions })];
        edits.extend(wrong.iter().map(set));
        Some(("Take each page at its scale".into(), Edit::All { edits }))
    }
}

/// A finding where a plan says that it is drawn to another scale than it is taken at, page by page, with what takes it so.
pub fn scale_said(drawing: &Cleaned, intake: &Intake, decided: &DrawingDecisions) -> Option<Finding> {
    if drawing.texts.len() > MOST.1 || drawing.contours.len() > MOST.0 || drawing.texts.is_empty() || drawing.bounds.is_empty() {
        return None;
    }
    let areas = Areas { drawing, decided, to_drawing: intake.transform.inverse() };
    let told = areas.told();
    let wrong: Vec<(usize, &Told)> = told.iter().filter(|(_, t)| !near(t.times, 1.0)).map(|(i, t)| (*i, t)).collect();
    let (label, edit) = areas.taken(&told, &wrong)?;
    let words = |(i, t): &(usize, &Told)| {
        let figures = counted(t.figures, "figure beside its lines", "figures beside their lines");
        format!("{}to {} by {}", areas.called(*i), as_ratio(t.scale), if t.figures > 0 { &figures } else { "its title" })
    };
    let list: Vec<String> = wrong.iter().take(LISTED).map(words).collect();
    let text = format!(
        "{} says that it is drawn to a scale: {}. As it stands its parts come out as large as they are on paper.",
        drawing.name,
        list.join("; ")
    );
    let points: Vec<Point> = wrong.iter().flat_map(|(_, t)| t.at.iter().copied()).collect();
    let found = Finding::new(Station::Intake, Severity::Look, Code::ScaleSaid, wrong.len(), text).at(drawing.drawing, points);
    Some(found.choice(label, edit).acceptable("The size is right"))
}

/// What figures and titles of one area come to; `None` where they say nothing or contradict each other.
fn told(figures: &[Figure], titles: &[(f64, Point)], now: f64) -> Option<Told> {
    let title = titles.first().filter(|f| titles.iter().all(|t| near(t.0, f.0))).map(|t| t.0);
    let agreeing = |f: &Figure| figures.iter().filter(|g| near(g.times, f.times)).count();
    let best = figures.iter().map(agreeing).max().unwrap_or(0);
    if best < ENOUGH.0 || (best as f64) < ENOUGH.1 * figures.len() as f64 {
        let scale = title?;
        return Some(Told { times: scale / now, scale, figures: 0, at: titles.iter().map(|t| t.1).collect() });
    }
    let first = figures.iter().find(|f| agreeing(f) == best)?;
    let mut agreed: Vec<&Figure> = figures.iter().filter(|g| near(g.times, first.times)).collect();
    let at = agreed.iter().map(|f| f.at).collect();
    agreed.sort_by(|a, b| a.times.total_cmp(&b.times));
    let times = agreed[agreed.len() / 2].times;
    // Figures without a unit are mm or inch: whichever is a scale that plans are drawn to.
    let readings = if agreed.iter().any(|f| f.unit) { vec![times] } else { vec![times, times * 25.4] };
    let which = |fits: &dyn Fn(f64) -> bool| readings.iter().copied().find(|r| fits(*r));
    let as_titled = which(&|r| title.is_some_and(|t| near(r * now, t)));
    let times = as_titled.or(which(&|r| near(r, 1.0))).or(which(&|r| usual(r * now).is_some())).unwrap_or(times);
    let scale = usual(times * now).unwrap_or(times * now);
    Some(Told { times: scale / now, scale, figures: agreed.len(), at })
}

fn near(a: f64, b: f64) -> bool {
    (a / b - 1.0).abs() < AGREE
}

/// The scale that plans are drawn to next to this one, where it is one.
fn usual(scale: f64) -> Option<f64> {
    USUAL.iter().flat_map(|u| [*u, 1.0 / u]).find(|u| near(scale, *u))
}

/// `1:20`, `2:1`.
fn as_ratio(scale: f64) -> String {
    let short = |v: f64| format!("{v:.2}").trim_end_matches('0').trim_end_matches('.').to_owned();
    if scale >= 1.0 { format!("1:{}", short(scale)) } else { format!("{}:1", short(1.0 / scale)) }
}

impl Plan<'_> {
    /// Figures of lengths by lines that have something at both their ends.
    fn figures(&self) -> Vec<Figure> {
        let by = |(of, stroke): (usize, super::dimension::Stroke)| {
            let line = &self.lines[of];
            let (mm, unit) = figure(line.says?)?;
            let ended = self.ended_both_ways(&stroke, line.height);
            ended.then(|| Figure { times: mm / stroke.1.chord(), unit, at: line.middle })
        };
        let whole = self.measured().into_iter().filter_map(by);
        let halved = (0..self.lines.len()).filter_map(|of| {
            let line = &self.lines[of];
            let (mm, unit) = figure(line.says?)?;
            Some(Figure { times: mm / self.halved(line)?, unit, at: line.middle })
        });
        whole.chain(halved).collect()
    }
}

/// The length that a figure says, mm, and whether it names its unit: `120`, `40 mm`, `3 1/2"`, `1'-6"`, `(60)`, `80 TYP`. No
/// radius, diameter or angle.
fn figure(says: &str) -> Option<(f64, bool)> {
    if !is_figure(says) {
        return None;
    }
    let mut text = says.to_lowercase().replace(['(', ')', '[', ']', '~', '≈', '='], " ");
    for (mark, word) in
        [('″', "\""), ('′', "'"), ('½', " 1/2"), ('¼', " 1/4"), ('¾', " 3/4"), ('⅛', " 1/8"), ('⅜', " 3/8"), ('⅝', " 5/8"), ('⅞', " 7/8")]
    {
        text = text.replace(mark, word);
    }
    for word in ["typ", "ref", "max", "min"] {
        text = text.replace(word, " ");
    }
    if text.contains(['ø', '⌀', '°', 'x', '×', '*', 'r', 'd']) {
        return None;
    }
    let text = text.split('±').next().unwrap_or_default().trim().replace("'-", "'+").replace('-', " ");
    // A whole number before a fraction: 3 1/2.
    let words: Vec<&str> = text.split_whitespace().collect();
    let mut joined = String::new();
    for (i, w) in words.iter().enumerate() {
        let follows = i > 0 && w.starts_with(|c: char| c.is_ascii_digit()) && !joined.ends_with('+');
        if follows && !w.contains('/') && !words[i - 1].ends_with('\'') {
            return None;
        }
        if follows {
            joined.push('+');
        }
        joined.push_str(w);
    }
    let unit = joined.contains(['m', 'c', 'i', '"', '\'', 'f']);
    // An inch mark behind a fraction is of the whole: 3 1/2".
    let inches = joined.contains('"') && !joined.contains('\'');
    let mm = if inches { length(&joined.replace('"', ""), Unit::In) } else { length(&joined, Unit::Mm) }.ok()?;
    (mm > 0.0 && mm.is_finite()).then_some((mm, unit))
}

/// The scales that titles say, true size for size on paper, and where they stand.
fn titled(drawing: &Cleaned) -> Vec<(f64, Point)> {
    let mut out = Vec::new();
    for text in &drawing.texts {
        let lower = text.value.to_lowercase();
        let Some(name) = NAMES.iter().find(|n| lower.split(|c: char| !c.is_alphabetic()).any(|w| w == **n)) else { continue };
        let behind = lower.split_once(name).map_or("", |(_, rest)| rest);
        if let Some(scale) = scale_of(behind) {
            out.push((scale, text.middle()));
        } else if behind.chars().all(|c| !c.is_alphanumeric()) {
            // The name is in one line and the ratio in another: the nearest that says nothing else.
            let near = drawing.texts.iter().filter_map(|t| {
                let d = t.at.distance(text.at);
                (d <= BY_NAME * text.height.max(t.height)).then_some(())?;
                Some((d, scale_of(&t.value)?))
            });
            if let Some((_, scale)) = near.min_by(|a, b| a.0.total_cmp(&b.0)) {
                out.push((scale, text.middle()));
            }
        }
    }
    out
}

/// `1:20`, `1/20`, `2 : 1`, `1/8" = 1'-0"`; nothing that goes on in words.
fn scale_of(text: &str) -> Option<f64> {
    let text = text.trim_matches(|c: char| c.is_whitespace() || ":=.()".contains(c)).trim_start_matches(|c: char| !c.is_ascii_digit());
    let end = text.find(|c: char| !(c.is_ascii_digit() || c.is_whitespace() || ":/=.,'\"′″-".contains(c))).unwrap_or(text.len());
    let text = text[..end].trim().replace("'-", "'+").replace("′-", "'+");
    let plain = text.chars().all(|c| c.is_ascii_digit() || c.is_whitespace() || ":/.,".contains(c));
    // A fraction is a ratio where no inches are: 1/20.
    let text = if plain && !text.contains(':') { text.replacen('/', ":", 1) } else { text };
    if !text.contains([':', '=']) {
        return None;
    }
    ratio(&text).ok().filter(|s| (1.0 / GREATEST..=GREATEST).contains(s))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn scales_as_titles_say_them() {
        for (text, scale) in [
            ("1:20", 20.0),
            (" : 1:5", 5.0),
            ("1/10", 10.0),
            ("2 : 1", 0.5),
            ("1/8\" = 1'-0\"", 96.0),
            ("= 1:2.5", 2.5),
            ("1:50 (A3)", 50.0),
        ] {
            assert_eq!(scale_of(text).map(|s| (s * 1e6).round()), Some((scale * 1e6_f64).round()), "{text}");
        }
        for text in ["", "drawing", "3", "0:5", "1:99999", "A-A"] {
            assert_eq!(scale_of(text), None, "{text}");
        }
    }

    #[test]
    fn lengths_as_figures_say_them() {
        for (text, mm, unit) in [
            ("120", 120.0, false),
            ("12,5", 12.5, false),
            ("40 mm", 40.0, true),
            ("(60)", 60.0, false),
            ("80 TYP", 80.0, false),
            ("3 1/2\"", 88.9, true),
            ("3½\"", 88.9, true),
            ("1'-6\"", 457.2, true),
            ("120 ±0.1", 120.0, false),
            ("2 in", 50.8, true),
        ] {
            let (is, said) = figure(text).unwrap_or_else(|| panic!("{text}"));
            assert!((is - mm).abs() < 1e-9 && said == unit, "{text}: {is} {said}");
        }
        for text in ["R12", "ø6", "4x ø6", "2 x 45°", "x6", "shelf", "", "12 34"] {
            assert_eq!(figure(text), None, "{text}");
        }
    }
}
