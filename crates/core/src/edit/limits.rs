//! What a change may ask for, and the sentence for what it may not.

use crate::assign::Process;
use crate::card::Card;
use crate::clean::ContourId;
use crate::decisions::{Acceptance, Decisions, DrawingDecisions, JobSetting};
use crate::geometry::{Affine, LARGEST_COORDINATE};
use crate::nest::{Layout, Placement};
use crate::shop::ChartRow;
use std::collections::{BTreeMap, BTreeSet};

/// Greatest quantity of one part.
pub const MOST_COPIES: u32 = 5000;

pub(super) fn find(d: &mut Decisions, id: u32) -> Result<&mut DrawingDecisions, String> {
    d.drawings.iter_mut().find(|x| x.id == id).ok_or_else(|| format!("there is no drawing {id} in this job any more; load the page again"))
}

pub(super) fn set_or_clear<K: Ord, V>(map: &mut std::collections::BTreeMap<K, V>, key: K, value: Option<V>) {
    match value {
        Some(v) => map.insert(key, v),
        None => map.remove(&key),
    };
}

/// Settings of one job at most.
const MOST_SETTINGS: usize = 400;

pub(super) fn set_setting(d: &mut Decisions, setting: &JobSetting) -> Result<(), String> {
    if setting.name.trim().is_empty() || setting.name.chars().count() > 40 {
        return Err("give the setting a name of 1 to 40 letters".into());
    }
    let number = |what: &str, v: Option<f64>, least: f64, most: f64| v.map_or(Ok(0.0), |v| within(what, v, least, most)).map(|_| ());
    number("a feed in mm/min", setting.feed, 1.0, 200_000.0)?;
    number("a power in percent", setting.power, 0.1, 100.0)?;
    number("a row pitch in mm", setting.pitch, 0.02, 5.0)?;
    number("a kerf in mm", setting.kerf, 0.0, 10.0)?;
    if setting.passes.is_some_and(|p| p == 0 || p > 50) {
        return Err("use 1 to 50 passes".into());
    }
    if let Some(known) = d.settings.iter_mut().find(|s| s.id == setting.id) {
        known.clone_from(setting);
    } else if d.settings.len() >= MOST_SETTINGS {
        return Err(format!("{MOST_SETTINGS} settings are the most for one job"));
    } else {
        d.settings.push(setting.clone());
    }
    Ok(())
}

/// Figures of a chart row that no machine could have.
pub(super) fn sane_row(row: &ChartRow) -> Result<(), String> {
    within("a thickness in mm", row.thickness, 0.05, 200.0)?;
    within("a feed in mm/min", row.feed, 1.0, 200_000.0)?;
    within("a power in percent", row.power, 0.1, 100.0)?;
    within("a least power in percent", row.least_power, 0.0, 100.0)?;
    within("passes", f64::from(row.passes), 1.0, 50.0)?;
    within("a kerf in mm", row.kerf, 0.0, 10.0)?;
    within("a row pitch in mm", row.pitch, 0.0, 5.0)?;
    within("a pierce delay in s", row.pierce, 0.0, 60.0)?;
    Ok(())
}

pub(super) fn sane_card(card: &Card) -> Result<(), String> {
    if let Card::Grid { feeds, powers, .. } = card {
        feeds.iter().try_for_each(|f| within("a feed in mm/min", *f, 1.0, 200_000.0).map(drop))?;
        powers.iter().try_for_each(|p| within("a power in percent", *p, 0.1, 100.0).map(drop))?;
    }
    Ok(())
}

/// Copies of one layout at most.
const MOST_PLACED: usize = 200_000;

pub(super) fn sane_layout(layout: &Layout) -> Result<(), String> {
    layout.sheets.iter().try_for_each(|s| s.sheet.checked())?;
    let placed = || layout.sheets.iter().flat_map(|s| &s.placed);
    if placed().count() > MOST_PLACED {
        return Err(format!("{MOST_PLACED} copies are the most for one layout"));
    }
    for p in placed() {
        for v in [p.x, p.y] {
            within("a place in mm", v, -LARGEST_COORDINATE, LARGEST_COORDINATE)?;
        }
        within("an angle in degrees", p.angle, -3600.0, 3600.0)?;
    }
    Ok(())
}

/// Another file in the place of a drawing's, with what was decided on contours that are there again under other names.
pub(super) fn replace(
    d: &mut Decisions,
    drawing: u32,
    (file, name): (&str, &str),
    carried: &BTreeMap<ContourId, ContourId>,
    moved: Option<[f64; 6]>,
) -> Result<(), String> {
    find(d, drawing)?;
    if !carried.is_empty() {
        *d = d.renamed(carried);
        carry_copies(d, carried, moved);
    }
    let found = find(d, drawing)?;
    found.before = Some((std::mem::replace(&mut found.file, file.into()), std::mem::replace(&mut found.name, name.into())));
    Ok(())
}

/// Copies of parts that a revision moved within their drawing stay where they lie on their sheets.
fn carry_copies(d: &mut Decisions, carried: &BTreeMap<ContourId, ContourId>, moved: Option<[f64; 6]>) {
    let Some(back) = moved.map(|m| Affine::new(m).inverse()).filter(Affine::is_finite) else { return };
    let new: BTreeSet<&ContourId> = carried.values().collect();
    let copies = d.nest.layout.iter_mut().flat_map(|l| &mut l.sheets).flat_map(|s| &mut s.placed);
    for p in copies.filter(|p| new.contains(&p.part)) {
        *p = Placement::of(p.part, p.affine() * back);
    }
}

/// Places of one acceptance at most.
const MOST_PLACES: usize = 4000;

/// Accepts findings at places, besides those that were accepted before.
pub(super) fn accept(d: &mut Decisions, code: &str, places: &BTreeMap<String, u32>) -> Result<(), String> {
    if places.is_empty() {
        return Err(format!("say at which places “{code}” is accepted; the button of the finding does"));
    }
    if places.len() > MOST_PLACES {
        return Err(format!("{} places are too many to accept at once; mend some first", places.len()));
    }
    let known = d.accepted.iter_mut().find_map(|a| match a {
        Acceptance::At { code: known, places } if known == code => Some(places),
        _ => None,
    });
    match known {
        Some(known) => places.iter().for_each(|(p, n)| {
            let m = known.entry(p.clone()).or_default();
            *m = (*m).max(*n);
        }),
        None => d.accepted.push(Acceptance::At { code: code.into(), places: places.clone() }),
    }
    Ok(())
}

/// The process of a setting that is there.
pub(super) fn known_setting(d: &Decisions, id: Option<u32>) -> Result<Option<Process>, String> {
    let Some(id) = id else { return Ok(None) };
    let found = d.settings.iter().find(|s| s.id == id).map(|s| s.process);
    found.map(Some).ok_or_else(|| "that setting is not there any more; load the page again".into())
}

pub(super) fn copies(quantity: u32) -> Result<u32, String> {
    if quantity > MOST_COPIES {
        Err(format!("{quantity} copies are too many for one job; use at most {MOST_COPIES}"))
    } else {
        Ok(quantity)
    }
}

pub(super) fn within(what: &str, value: f64, least: f64, most: f64) -> Result<f64, String> {
    if value.is_finite() && (least..=most).contains(&value) {
        Ok(value)
    } else {
        Err(format!("{value} will not do as {what}; use {least} to {most}"))
    }
}
