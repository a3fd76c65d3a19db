//! What was decided on a drawing, carried over to a revision of it that was moved or turned as a whole.
//!
//! Contours are named after what was drawn and where. A file that came back moved by 500, 300, or turned by a quarter, has
//! the same contours under other names: they are found again by their shape, and by the one motion that most of them share.

use super::{Cleaned, Contour, ContourId};
use crate::decisions::nest::turned;
use crate::decisions::{Decisions, DrawingDecisions, Edit, IntakeEdit, MovedPlace};
use crate::drawing::{Drawing, FileUnits, Unit};
use crate::geometry::{Affine, Path, Point, Tolerance, Vec2};
use crate::ids::EdgePlace;
use crate::intake;
use crate::shop::Machine;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, BTreeSet};

/// Contours of one shape that are tried against each other at most.
const MOST_ALIKE: usize = 24;
/// Places along a contour nearer than this are the same, mm.
const SAME: f64 = 0.01;
/// Another writer's circle, or inches of four decimals: places nearer than this are the same all the same, mm.
const NEAR: f64 = 0.05;

/// How contours of a revision correspond to those before.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Carried {
    /// New names by the old ones, where they differ.
    pub names: BTreeMap<ContourId, ContourId>,
    /// From where the drawing was to where it is, mm; `None` where it stayed.
    pub moved: Option<Affine>,
    /// Places that a hand set on contours which are drawn from another corner now, or the other way round.
    pub places: Vec<MovedPlace>,
    /// Contours, by their new names, that are drawn the other way round.
    pub reversed: BTreeSet<ContourId>,
}

/// A file that comes in the place of a drawing's.
pub struct Replacement<'a> {
    /// The drawing, as the job numbers it.
    pub drawing: u32,
    /// What it was.
    pub before: &'a Drawing,
    /// What is in the file.
    pub after: &'a Drawing,
    /// The file, by its hash.
    pub file: String,
    /// The file's name.
    pub name: String,
}

/// The edit that puts a file in the place of a drawing's, with what was decided on contours that only moved.
pub fn replacing(new: Replacement, decisions: &Decisions, machine: &Machine, tolerance: &Tolerance) -> Edit {
    let Replacement { drawing, before, after, file, name } = new;
    let panels = name.ends_with(crate::panels::ENDING);
    let carried = carry((before, after, panels), decisions, drawing, machine, tolerance);
    let unit = decisions.drawing(drawing).and_then(|decided| unit_now(before, after, decided));
    let replaced = Edit::Intake(IntakeEdit::ReplaceDrawing {
        drawing,
        file,
        name,
        carried: carried.names,
        moved: carried.moved.map(|m| m.as_coeffs()),
        places: carried.places,
        reversed: carried.reversed,
    });
    let Some(unit) = unit else { return replaced };
    Edit::All { edits: vec![replaced, Edit::Intake(IntakeEdit::SetUnit { drawing, unit })] }
}

/// Finds the contours of `before` again in `after`, both sized and cleaned by the same decisions on the drawing. Where `parts_by_layer`
/// each part has a layer of its own, which says what it is whatever its figures are.
pub fn carry(
    (before, after, parts_by_layer): (&Drawing, &Drawing, bool),
    decisions: &Decisions,
    drawing: u32,
    machine: &Machine,
    tolerance: &Tolerance,
) -> Carried {
    let Some(decided) = decisions.drawing(drawing) else { return Carried::default() };
    // Since the figures are in another unit, as the file says itself, what was said of the unit before is over.
    let of = unit_now(before, after, decided).map_or(decided.unit, Some);
    let since = |decided: &DrawingDecisions| DrawingDecisions { unit: of, ..decided.clone() };
    let cleaned = |d: &Drawing, decided: &DrawingDecisions| super::run(d, &intake::run(d, decided, &machine.bed()).0, decided, tolerance).0;
    // As drawn first: what was deleted by hand is there to be found, and stays deleted under its new name.
    let bare = |decided: &DrawingDecisions| DrawingDecisions { operations: Vec::new(), ..decided.clone() };
    let (then, now) = (cleaned(before, &bare(decided)), cleaned(after, &since(&bare(decided))));
    let mut carried = matched(&then, &now);
    let mut pairs = paired(&then, &now, &carried.names);
    if parts_by_layer {
        by_layer(&then, &now, &mut carried.names);
    }
    if !decided.operations.is_empty() && !carried.names.is_empty() {
        // What operations made is named after what they were done to: done again to the new names, it is matched as well.
        let again = decisions.renamed(&carried.names);
        if let Some(renamed) = again.drawing(drawing) {
            let (then, now) = (cleaned(before, decided), cleaned(after, &since(renamed)));
            let made = matched(&then, &now);
            pairs.extend(paired(&then, &now, &made.names));
            for (was, is) in made.names {
                carried.names.entry(was).or_insert(is);
            }
        }
    }
    let moved = carried.moved.unwrap_or_default();
    carried.places = places(decisions, &pairs, moved);
    carried.reversed = pairs.values().filter(|(_, was, is)| runs_back(&was.transformed(moved), is)).map(|p| p.0).collect();
    carried
}

/// The unit that a revision is in, where a hand had said the unit of the file before and the revision says another than that file did.
pub fn unit_now(before: &Drawing, after: &Drawing, decided: &DrawingDecisions) -> Option<Unit> {
    match after.units {
        FileUnits::Known(unit) if decided.unit.is_some() && before.units != after.units => Some(unit),
        _ => None,
    }
}

/// The paths of contours before and after, by their names.
type Pairs = FxHashMap<ContourId, (ContourId, Path, Path)>;

fn paired(before: &Cleaned, after: &Cleaned, names: &BTreeMap<ContourId, ContourId>) -> Pairs {
    let now: FxHashMap<ContourId, &Contour> = after.contours.iter().map(|c| (c.id, AsRef::as_ref(c))).collect();
    let of = |c: &Contour| {
        let is = names.get(&c.id)?;
        Some((c.id, (*is, c.path.clone(), now.get(is)?.path.clone())))
    };
    before.contours.iter().filter_map(|c| of(c)).collect()
}

/// True where a path runs the other way round than another that lies on it.
fn runs_back(was: &Path, is: &Path) -> bool {
    if was.closed {
        return (was.area() > 0.0) != (is.area() > 0.0);
    }
    let (Some(a), Some(b)) = (was.segments.first(), is.segments.first()) else { return false };
    let end = is.segments.last().map_or(b.end, |s| s.end);
    a.start.distance(end) < a.start.distance(b.start)
}

/// Places that a hand set, on contours that are drawn otherwise now.
fn places(decisions: &Decisions, pairs: &Pairs, moved: Affine) -> Vec<MovedPlace> {
    let mut out: Vec<MovedPlace> = Vec::new();
    decisions.clone().each_place(|contour, at| {
        let Some((name, was, is)) = pairs.get(&contour) else { return };
        let there = is.nearest(moved * was.at(at.along(was)).0).along;
        let to = EdgePlace::at(is, there);
        let known = out.iter().any(|p| p.contour == *name && p.was == *at);
        if !known && (to.along(is) - at.along(is)).abs() > SAME {
            out.push(MovedPlace { contour: *name, was: *at, is: to });
        }
    });
    out
}

/// Outlines that are no more, by the layers that they alone have: a box's panels, whatever its figures are.
fn by_layer(before: &Cleaned, after: &Cleaned, names: &mut BTreeMap<ContourId, ContourId>) {
    let outlines = |c: &Cleaned| {
        let mut out: BTreeMap<String, &Contour> = BTreeMap::new();
        for c in c.contours.iter().filter(|c| c.path.closed).map(AsRef::as_ref) {
            let largest = out.entry(c.style.layer.clone()).or_insert(c);
            if c.area.abs() > largest.area.abs() {
                *largest = c;
            }
        }
        out.into_iter().map(|(layer, c)| (layer, c.id)).collect::<BTreeMap<String, ContourId>>()
    };
    let (then, now) = (outlines(before), outlines(after));
    for (layer, was) in then {
        if let Some(is) = now.get(&layer).filter(|is| **is != was) {
            names.insert(was, *is);
        }
    }
}

/// What tells shapes apart wherever they lie and however they are turned by quarters.
fn print(c: &Contour) -> (i64, bool, i64, i64) {
    let rounded = |v: f64| (v / NEAR).round() as i64;
    let (w, h) = (c.bounds.width(), c.bounds.height());
    (rounded(c.length), c.path.closed, rounded(w.min(h)), rounded(w.max(h)))
}

fn matched(before: &Cleaned, after: &Cleaned) -> Carried {
    let stayed: FxHashSet<ContourId> = after.contours.iter().map(|c| c.id).collect();
    let lost: Vec<&Contour> = before.contours.iter().map(AsRef::as_ref).filter(|c| !stayed.contains(&c.id)).collect();
    let kept = before.contours.len() - lost.len();
    let mut shapes: FxHashMap<_, Vec<&Contour>> = FxHashMap::default();
    for c in &after.contours {
        shapes.entry(print(c)).or_default().push(c);
    }
    let alike = |c: &Contour| {
        let (l, closed, w, h) = print(c);
        let near = |v: i64| [v, v - 1, v + 1];
        let all = near(l).into_iter().flat_map(move |l| near(w).into_iter().flat_map(move |w| near(h).map(move |h| (l, closed, w, h))));
        // Sides that differ by so little differ in area by so much.
        let as_large = |other: &&Contour| (other.area.abs() - c.area.abs()).abs() < NEAR * c.length.max(1.0);
        all.filter_map(|p| shapes.get(&p)).flatten().copied().filter(as_large).take(MOST_ALIKE).collect::<Vec<_>>()
    };
    // Each pair of equal shapes speaks for the motions that would carry one onto the other; the most spoken for is taken.
    let mut voices: FxHashMap<(u32, i64, i64), (usize, Vec2)> = FxHashMap::default();
    for c in &lost {
        for other in alike(c) {
            for quarter in 0..4_u32 {
                let by = other.bounds.center() - turned(90.0 * f64::from(quarter)) * c.bounds.center();
                let voice = voices.entry((quarter, (by.x / NEAR).round() as i64, (by.y / NEAR).round() as i64)).or_insert((0, by));
                voice.0 += 1;
            }
        }
    }
    let best = voices.iter().max_by(|a, b| a.1.0.cmp(&b.1.0).then((b.0.0, b.0.1, b.0.2).cmp(&(a.0.0, a.0.1, a.0.2))));
    let Some((&(quarter, _, _), &(n, by))) = best else { return Carried::default() };
    // A drawing that stayed has single contours that moved: those are new ones, as they always were.
    if n <= kept {
        return Carried::default();
    }
    let moved = Affine::translate(by) * turned(90.0 * f64::from(quarter));
    let mut used: FxHashSet<ContourId> = FxHashSet::default();
    let mut names = BTreeMap::new();
    for c in lost {
        let path = c.path.transformed(moved);
        let middle = |p: &crate::geometry::Path, share: f64| p.at(share * p.length()).0;
        let same = |other: &&&Contour| {
            let on = |p: Point| other.path.nearest(p).distance < 2.0 * NEAR;
            !used.contains(&other.id) && [0.1, 0.45, 0.8].iter().all(|s| on(middle(&path, *s)))
        };
        if let Some(other) = alike(c).iter().find(same) {
            used.insert(other.id);
            names.insert(c.id, other.id);
        }
    }
    Carried { names, moved: Some(moved), ..Carried::default() }
}
