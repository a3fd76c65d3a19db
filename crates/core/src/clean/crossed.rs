//! Closed outlines of one style that lie over each other. Filled ones show as one area, and are one: where they cross they are
//! welded, and what the file's fill rule fills on both sides is no edge at all. Drawn ones would be cut through each other's
//! part, which is asked about.

use super::chain::Chained;
use super::told::Told;
use crate::decisions::Mend;
use crate::drawing::Style;
use crate::geometry::{Path, Point, Region, Segment, meetings};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::{FxHashMap, FxHashSet};

/// Pairs of segments looked at, at most; what is thicker than that is told as crowded lines.
const MOST_PAIRS: usize = 3_000_000;
/// Outlines of one shape that are looked at, at most.
const MOST_WOUND: usize = 2000;
/// Outlines that come this near to each other meet, mm.
const MET: f64 = 1e-6;
/// So far along an outline from where it meets another, it has to lie within it on one side and without on the other, mm: the first
/// of these ways at whose end it is clear. What crosses at five degrees is not clear after the first.
const STEPS: [f64; 5] = [0.2, 0.5, 1.2, 3.0, 6.0];
/// It lies clear of the other's edge then, mm: edges that run on each other do not cross.
const CLEAR: f64 = 0.02;
/// What is filled and narrower than this on the whole shows nothing, mm.
const NOTHING: f64 = 1e-4;
/// An opening that is narrower than this on the whole is none, mm.
const SLIVER: f64 = 0.05;
/// An outline of outlines has their area to this share, or they are left alone.
const EXACT: f64 = 1e-3;

/// Outlines that lie over each other, one after another each over one before it, and where they cross.
struct Group {
    members: Vec<usize>,
    at: Vec<Point>,
}

/// Welds what is to be welded, and tells of what is to be asked.
pub(super) fn run(contours: &mut Vec<Chained>, styles: &[Style], told: &mut Told, same: f64) {
    let unseen = unseen(contours, styles);
    if !unseen.is_empty() && !told.mended(Mend::KeepUnseen) {
        told.unseen(unseen.iter().filter_map(|i| contours[*i].path.segments.first()).map(|s| s.start).collect());
        unseen.iter().rev().for_each(|i| {
            contours.remove(*i);
        });
    }
    let groups = find(contours, styles, same);
    let filled = |g: &Group| is_filled(&styles[contours[g.members[0]].style]);
    let (areas, lines): (Vec<Group>, Vec<Group>) = groups.into_iter().partition(filled);
    let count = |groups: &[Group]| groups.iter().map(|g| g.members.len()).sum::<usize>();
    let places = |groups: &[Group]| groups.iter().flat_map(|g| g.at.iter().copied()).collect::<Vec<_>>();
    let mut gone: Vec<usize> = Vec::new();
    let mut weld = |groups: Vec<Group>| -> Vec<Group> {
        let mut done = Vec::new();
        for group in groups {
            let Some(outlines) = welded(contours, &group) else { continue };
            let first = group.members[0];
            let (style, name) = (contours[first].style, contours[first].name);
            let compound = if outlines.len() > 1 { name as u32 | 1 } else { contours[first].compound };
            contours.extend(outlines.into_iter().enumerate().map(|(k, path)| {
                let name = if k == 0 { name } else { super::identity::mixed(name ^ k as u64) };
                Chained { path, style, name, compound }
            }));
            gone.extend(&group.members);
            done.push(group);
        }
        done
    };
    if !told.mended(Mend::KeepOverlaps) {
        // What could not be welded exactly stays apart.
        let areas = weld(areas);
        if !areas.is_empty() {
            told.welded(count(&areas), areas.len(), places(&areas));
        }
    }
    if told.mended(Mend::WeldOverlaps) {
        weld(lines);
    } else if !lines.is_empty() {
        told.overlapping(count(&lines), places(&lines));
    }
    gone.sort_unstable();
    for i in gone.into_iter().rev() {
        contours.swap_remove(i);
    }
}

fn is_filled(style: &Style) -> bool {
    style.fill.is_some() && style.stroke.is_none()
}

/// Outlines of shapes that are filled by winding number which have the fill on both sides, and filled outlines that enclose nothing; in
/// rising order. Where those of one
/// shape cross each other it cannot be said of a whole outline.
fn unseen(contours: &[Chained], styles: &[Style]) -> Vec<usize> {
    let mut elements: FxHashMap<u32, Vec<usize>> = FxHashMap::default();
    let wound = |c: &Chained| c.compound != 0 && c.path.closed && is_filled(&styles[c.style]) && styles[c.style].winding;
    contours.iter().enumerate().filter(|(_, c)| wound(c)).for_each(|(i, c)| elements.entry(c.compound).or_default().push(i));
    let sense = |i: usize| if contours[i].path.area() > 0.0 { 1 } else { -1 };
    let mut all = Vec::new();
    for element in elements.values().filter(|e| (2..=MOST_WOUND).contains(&e.len())) {
        for i in element {
            let mut around = 0;
            let mut crossed = false;
            for j in element.iter().filter(|j| *j != i && contours[**j].path.bounds().meets(&contours[*i].path.bounds())) {
                let other = &contours[*j].path;
                let inside = contours[*i].path.segments.iter().map(|s| other.contains(s.at(0.5)));
                let (mut within, mut without) = (0, 0);
                inside.for_each(|is| if is { within += 1 } else { without += 1 });
                let mut pairs = contours[*i].path.segments.iter().flat_map(|s| other.segments.iter().map(move |o| (s, o)));
                // A corner may lie beyond where both of its sides have their middles within.
                crossed |=
                    within > 0 && without > 0 || pairs.any(|(s, o)| s.bounds().meets(&o.bounds()) && !meetings(s, o, MET).is_empty());
                around += if within > 0 { sense(*j) } else { 0 };
            }
            if !crossed && (around != 0) == (around + sense(*i) != 0) {
                all.push(*i);
            }
        }
    }
    // A line that goes there and comes back on itself encloses nothing to fill.
    let empty = |c: &Chained| c.path.closed && is_filled(&styles[c.style]) && 2.0 * c.path.area().abs() < NOTHING * c.path.length();
    all.extend((0..contours.len()).filter(|i| empty(&contours[*i])));
    all.sort_unstable();
    all.dedup();
    all
}

fn find(contours: &[Chained], styles: &[Style], same: f64) -> Vec<Group> {
    // What is filled looks the same whatever its rule, lines and widths.
    let looks =
        |s: &Style| if is_filled(s) { Style { winding: false, width: 0, line_type: String::new(), ..s.clone() } } else { s.clone() };
    let looks: Vec<Style> = styles.iter().map(looks).collect();
    let alike: Vec<usize> = looks.iter().map(|s| looks.iter().position(|o| o == s).unwrap_or(0)).collect();
    // What is one path with openings is its own affair.
    let mut elements: FxHashMap<u32, usize> = FxHashMap::default();
    contours.iter().for_each(|c| *elements.entry(c.compound).or_insert(0) += 1);
    let alone = |c: &Chained| c.compound == 0 || elements[&c.compound] == 1;
    let asked = |c: &Chained| {
        let s = &styles[c.style];
        c.path.closed && !s.aside() && alone(c) && (is_filled(s) || !s.text && s.stroke.is_some())
    };
    let chosen: Vec<usize> = (0..contours.len()).filter(|i| asked(&contours[*i])).collect();
    let of = |s: &Segment| {
        let b = s.bounds();
        ([b.min.x, b.min.y], [b.max.x, b.max.y])
    };
    let boxed = |i: usize| {
        let segments = contours[i].path.segments.iter().enumerate();
        segments.map(move |(k, s)| GeomWithData::new(Rectangle::from_corners(of(s).0, of(s).1), (i, k)))
    };
    let tree = RTree::bulk_load(chosen.iter().flat_map(|i| boxed(*i)).collect());
    let mut over: FxHashMap<usize, Vec<(usize, Point)>> = FxHashMap::default();
    let mut pairs = 0;
    for i in &chosen {
        let mine = &contours[*i];
        let mut known: FxHashSet<usize> = FxHashSet::default();
        let mut along = 0.0;
        for s in &mine.path.segments {
            for (j, k) in tree.locate_in_envelope_intersecting(AABB::from_corners(of(s).0, of(s).1)).map(|f| f.data) {
                let other = &contours[j];
                pairs += 1;
                if j <= *i || alike[mine.style] != alike[other.style] || known.contains(&j) {
                    continue;
                }
                if pairs > MOST_PAIRS {
                    return Vec::new();
                }
                let met = meetings(s, &other.path.segments[k], same);
                if let Some(m) = met.iter().find(|m| goes_in(&mine.path, along + m.on_first * s.length(), &other.path)) {
                    known.insert(j);
                    over.entry(*i).or_default().push((j, m.point));
                    over.entry(j).or_default().push((*i, m.point));
                }
            }
            along += s.length();
        }
    }
    let mut groups = Vec::new();
    let mut seen = vec![false; contours.len()];
    for i in chosen.iter().filter(|i| over.contains_key(i)) {
        if std::mem::replace(&mut seen[*i], true) {
            continue;
        }
        let mut group = Group { members: vec![*i], at: Vec::new() };
        let mut next = 0;
        while let Some(member) = group.members.get(next).copied() {
            next += 1;
            for (j, at) in &over[&member] {
                if !std::mem::replace(&mut seen[*j], true) {
                    group.members.push(*j);
                    group.at.push(*at);
                }
            }
        }
        groups.push(group);
    }
    groups
}

/// True where a closed path goes, so far along it, into another closed one or out of it: it does not only touch it, nor run on it.
fn goes_in(path: &Path, along: f64, other: &Path) -> bool {
    let length = path.length();
    let side = |sense: f64| {
        let ways = STEPS.iter().take_while(|step| **step == STEPS[0] || 4.0 * **step < length);
        ways.map(|step| path.at((along + sense * step).rem_euclid(length)).0)
            .find(|p| other.nearest(*p).distance > CLEAR)
            .map(|p| other.contains(p))
    };
    matches!((side(-1.0), side(1.0)), (Some(before), Some(behind)) if before != behind)
}

/// The outline round all of a group, and the openings that they leave among them; `None` where it cannot be told exactly.
fn welded(contours: &[Chained], group: &Group) -> Option<Vec<Path>> {
    let path = |i: &usize| &contours[*i].path;
    let mut whole = path(&group.members[0]).clone();
    let mut openings: Vec<Path> = Vec::new();
    for next in group.members[1..].iter().map(path) {
        let mut found = whole.welded(next)?;
        found.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
        // What was left open is taken up by what comes later.
        openings = openings.iter().flat_map(|o| o.without(next).unwrap_or_else(|| vec![o.clone()])).collect();
        let mut found = found.into_iter();
        whole = found.next()?;
        openings.extend(found);
    }
    let all = Region::union(group.members.iter().map(|i| Region::within(&[path(i)]))).area();
    let area = whole.area().abs() - openings.iter().map(|o| o.area().abs()).sum::<f64>();
    // What two nearly equal edges leave between them is no opening.
    openings.retain(|o| 2.0 * o.area().abs() > SLIVER * o.length());
    ((area - all).abs() < EXACT * all).then(|| std::iter::once(whole).chain(openings).collect())
}
