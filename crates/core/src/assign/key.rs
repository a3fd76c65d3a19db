//! The drawing key: one row per style, and what decides a contour's process.

use super::{Customs, Decided, Given, Process, Why};
use crate::clean::{Cleaned, Contour};
use crate::decisions::{AssignEdit, Edit};
use crate::drawing::{Nature, Style, colour_name};
use crate::finding::{Code, Finding, Severity, Station};
use crate::ids::ContourId;
use crate::shop::rules::{loosely, steps};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// One row of the drawing key.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct KeyRow {
    /// The key decisions are kept under.
    pub key: String,
    /// The style itself.
    pub style: Style,
    /// Contours in it.
    pub count: usize,
    /// Closed ones among them.
    pub closed: usize,
    /// Their length, mm.
    pub length: f64,
    /// How many of it are what, the most first: by shape or by hand a row may be several things.
    pub mixed: Vec<(Process, usize)>,
    /// What a person chose for the row.
    pub chosen: Option<Process>,
    /// What most of it is, and why.
    pub process: Process,
    /// Why most of it is that.
    pub why: Why,
    /// The longest contour, for the row's picture.
    pub sample: Arc<Contour>,
}

/// What a contour is: by hand, by key, by the shop's rules, and at last by its shape.
pub(super) fn process_of(contour: &Contour, given: &Given) -> (Process, Why) {
    let (decisions, rules) = (&given.decisions, given.customs.rules);
    if let Some(process) = decisions.contours.get(&contour.id).or_else(|| decisions.contours.get(&contour.source)) {
        return (*process, Why::Hand);
    }
    let earlier = || contour.style.key_without_width().and_then(|k| decisions.keys.get(&k));
    if let Some(process) = decisions.keys.get(&contour.style.key()).or_else(earlier) {
        return (*process, Why::Key);
    }
    if contour.style.added {
        return (added(contour), Why::Added);
    }
    if contour.style.hidden {
        return (Process::Reference, Why::Hidden);
    }
    if contour.style.nature == Nature::Annotation {
        return (Process::Reference, Why::Annotation);
    }
    if contour.style.nature == Nature::Centre {
        let tool = given.customs.stock(given.wanted.batch(contour.drawing)).marks;
        return (if tool { Process::Mark } else { Process::Score }, Why::Centre);
    }
    if let Some(n) = rules.iter().position(|r| r.when.holds(&contour.style, contour.path.closed, contour.bounds)) {
        return (rules[n].process, Why::Rule(n + 1));
    }
    if contour.style.nature == Nature::Picture {
        return (Process::Picture, Why::Picture);
    }
    if contour.style.text {
        return (Process::Engrave, Why::Letters);
    }
    if contour.style.nature == Nature::Writing {
        return (Process::Score, Why::Writing);
    }
    if contour.style.nature == Nature::Area {
        return (Process::Engrave, Why::Area);
    }
    if contour.path.closed { (Process::Cut, Why::Closed) } else { (Process::Score, Why::Open) }
}

/// What something is that an operation added: openings are cut, marks and strokes of writing scored, areas of writing
/// engraved. No rule for the colour it was given makes a cut of a mark.
fn added(contour: &Contour) -> Process {
    match contour.style.nature {
        Nature::Writing => Process::Score,
        _ if contour.style.text || contour.style.nature == Nature::Area => Process::Engrave,
        _ if contour.path.closed => Process::Cut,
        _ => Process::Score,
    }
}

/// Which of the job's settings a contour is done with: by hand, then by key; none that is for another process.
pub(super) fn setting_of(contour: &Contour, process: Process, decisions: &Decided) -> Option<u32> {
    if decisions.settings.is_empty() {
        return None;
    }
    let own = |id: &ContourId| decisions.contour_settings.get(id);
    let chosen = own(&contour.id).or_else(|| own(&contour.source)).or_else(|| decisions.key_settings.get(&contour.style.key()));
    chosen.copied().filter(|id| decisions.settings.contains(&(*id, process)))
}

/// The rows in order of first appearance; proposes a process where a colour nearly is that of a rule.
pub(super) fn rows(drawings: &[Arc<Cleaned>], given: &Given, findings: &mut Vec<Finding>) -> Vec<KeyRow> {
    let mut index: BTreeMap<String, usize> = BTreeMap::new();
    let mut rows: Vec<KeyRow> = Vec::new();
    // Contours of one drawing share their styles, so keys are made once a style and not once a contour.
    let mut key_of: rustc_hash::FxHashMap<*const Style, usize> = rustc_hash::FxHashMap::default();
    for contour in drawings.iter().flat_map(|d| &d.contours) {
        let at = *key_of.entry(Arc::as_ptr(&contour.style)).or_insert_with(|| {
            let key = contour.style.key();
            *index.entry(key.clone()).or_insert_with(|| {
                let (process, why) = process_of(contour, given);
                let chosen = given.decisions.keys.get(&key).copied();
                rows.push(KeyRow {
                    key,
                    style: (*contour.style).clone(),
                    count: 0,
                    closed: 0,
                    length: 0.0,
                    mixed: Vec::new(),
                    chosen,
                    process,
                    why,
                    sample: Arc::clone(contour),
                });
                rows.len() - 1
            })
        });
        let row = &mut rows[at];
        row.count += 1;
        row.closed += usize::from(contour.path.closed);
        row.length += contour.length;
        let process = process_of(contour, given).0;
        match row.mixed.iter_mut().find(|m| m.0 == process) {
            Some(m) => m.1 += 1,
            None => row.mixed.push((process, 1)),
        }
        if contour.length > row.sample.length {
            row.sample = Arc::clone(contour);
        }
    }
    for row in &mut rows {
        row.mixed.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
        let usual = rows_process(row);
        (row.process, row.why) = row.chosen.map_or_else(|| process_of(&usual, given), |p| (p, Why::Key));
        findings.extend(near_miss(row, given.customs));
    }
    rows
}

/// The row's longest contour without what a hand chose for it alone.
fn rows_process(row: &KeyRow) -> Contour {
    let mut usual = (*row.sample).clone();
    usual.id = crate::clean::ContourId(0);
    usual
}

/// Proposes what a rule nearly says of a look: by a colour that is a little off, or a layer whose name is written otherwise.
fn near_miss(row: &KeyRow, customs: &Customs) -> Option<Finding> {
    if row.chosen.is_some() || matches!(row.why, Why::Rule(_)) {
        return None;
    }
    let (distance, process, code) = near_colour(row, customs).or_else(|| near_layer(row, customs))?;
    let text = format!("{} {distance}; as it stands it goes by shape.", row.style.words());
    let finding = Finding::new(Station::Assign, Severity::Look, code, row.count, text).on([row.sample.id]);
    let make = |p: Process| Edit::Assign(AssignEdit::SetKey { key: row.key.clone(), process: Some(p) });
    // By shape it may already be what the rule would make it: then there is nothing to choose, only to confirm.
    if process == row.process {
        return Some(finding.choice(format!("It is {}", process.name().to_lowercase()), make(process)));
    }
    Some(
        finding
            .choice(format!("Make it {}", process.name()), make(process))
            .choice(format!("Keep it {}", row.process.name()), make(row.process)),
    )
}

fn near_colour(row: &KeyRow, customs: &Customs) -> Option<(String, Process, Code)> {
    let stroke = row.style.stroke?;
    let near = customs.rules.iter().filter_map(|r| r.when.stroke.map(|(colour, reach)| (steps(colour, stroke), reach, colour, r.process)));
    let (off, _, colour, process) = near.filter(|n| n.0 > n.1 && n.0 <= n.1 + customs.near_colour).min_by_key(|n| n.0)?;
    let words = format!("is {off} steps of colour from {}, the shop's colour for {}", colour_name(colour), process.name().to_lowercase());
    Some((words, process, Code::NearColour))
}

fn near_layer(row: &KeyRow, customs: &Customs) -> Option<(String, Process, Code)> {
    let name = loosely(&row.style.layer);
    let near = customs.rules.iter().find_map(|r| {
        let pattern = r.when.layer.as_ref()?;
        (!name.is_empty() && *pattern != row.style.layer && crate::shop::rules::fits(&loosely(pattern), &name))
            .then_some((pattern, r.process))
    });
    let (pattern, process) = near?;
    let words = format!(
        "differs from the layer “{pattern}”, which the shop's rule makes {}, only by spaces or hyphens",
        process.name().to_lowercase()
    );
    Some((words, process, Code::NearLayer))
}
