//! Closed outlines of one style that lie over each other. Filled ones show as one area, and are one: where they cross they are
//! welded, and what the file's fill rule fills on both sides is no edge at all. Drawn ones would be cut through each other's
//! part, which is asked about.

use super::chain::Chained;
use super::told::Told;
use crate::decisions::Mend;
use crate::drawing::Style;
use crate::geometry::{Filled, Meeting, Path, Point, Segment, alongside, meetings, shown};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeMap;

/// Pairs of segments looked at, at most; what is thicker than that is told as crowded lines.
const MOST_PAIRS: usize = 3_000_000;
/// Segments of shapes round shapes that are looked at, at most.
const MOST_LOOKS: usize = 60_000_000;
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

/// Outlines that lie over each other, one after another each over one before it, and where they cross; those that are filled
/// together with one of them belong to it too.
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
    let (mut areas, mut lines): (Vec<Group>, Vec<Group>) = groups.into_iter().partition(filled);
    let mut gone: Vec<usize> = Vec::new();
    // What cannot be welded exactly stays apart, and is asked about as lines are.
    let mut weld = |groups: Vec<Group>| -> (Vec<Group>, Vec<Group>) {
        groups.into_iter().partition(|group| {
            let Some(outlines) = welded(contours, styles, group) else { return false };
            let first = group.members[0];
            let (style, name) = (contours[first].style, contours[first].name);
            let own = contours[first].compound;
            let compound = if own == 0 && outlines.len() > 1 { name as u32 | 1 } else { own };
            contours.extend(outlines.into_iter().enumerate().map(|(k, path)| {
                let name = if k == 0 { name } else { super::identity::mixed(name ^ k as u64) };
                Chained { path, style, name, compound, from: Vec::new() }
            }));
            gone.extend(&group.members);
            true
        })
    };
    let count = |groups: &[Group]| groups.iter().map(|g| g.members.len()).sum::<usize>();
    let places = |groups: &[Group]| groups.iter().flat_map(|g| g.at.iter().copied()).collect::<Vec<_>>();
    if !told.mended(Mend::KeepOverlaps) {
        let (done, apart) = weld(std::mem::take(&mut areas));
        if !done.is_empty() {
            told.welded(count(&done), done.len(), places(&done));
        }
        lines.extend(apart);
    }
    if told.mended(Mend::WeldOverlaps) {
        lines = weld(lines).1;
    }
    if !lines.is_empty() {
        told.overlapping(count(&lines), places(&lines));
    }
    gone.sort_unstable();
    for i in gone.into_iter().rev() {
        contours.swap_remove(i);
    }
    let covered = covered(contours, styles);
    if told.mended(Mend::DropCovered) {
        covered.iter().rev().for_each(|i| drop(contours.remove(*i)));
    } else if !covered.is_empty() {
        told.covered(covered.iter().filter_map(|i| contours[*i].path.segments.first()).map(|s| s.start).collect());
    }
}

/// Filled outlines with another filled shape of their look all about them, and none of its openings, in rising order: elements of
/// their own that do not show.
fn covered(contours: &[Chained], styles: &[Style]) -> Vec<usize> {
    let filled = |c: &Chained| {
        let s = &styles[c.style];
        c.path.closed && !c.path.segments.is_empty() && is_filled(s) && !s.text && !s.aside()
    };
    let chosen: Vec<usize> = (0..contours.len()).filter(|i| filled(&contours[*i])).collect();
    let boxed = |i: &usize| {
        let b = contours[*i].path.bounds();
        GeomWithData::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), *i)
    };
    let tree = RTree::bulk_load(chosen.iter().map(boxed).collect());
    let looks = look_alikes(styles);
    let mut looked = 0;
    let is_covered = |i: &usize| {
        let c = &contours[*i];
        let p = c.path.segments[0].at(0.5);
        // How often each other element goes round it.
        let mut around: BTreeMap<(u32, usize), (i32, bool)> = BTreeMap::new();
        for j in tree.locate_all_at_point([p.x, p.y]).map(|b| b.data) {
            let other = &contours[j];
            looked += other.path.segments.len();
            if looked > MOST_LOOKS {
                return false;
            }
            let apart = j != *i && (c.compound == 0 || c.compound != other.compound);
            if apart && looks[c.style] == looks[other.style] && other.path.contains(p) && other.path.nearest(p).distance > CLEAR {
                let turns = around.entry(element(contours, j)).or_insert((0, styles[other.style].winding));
                turns.0 += if other.path.area() > 0.0 || !turns.1 { 1 } else { -1 };
            }
        }
        around.values().any(|(turns, winding)| if *winding { *turns != 0 } else { turns % 2 != 0 })
    };
    chosen.into_iter().filter(is_covered).collect()
}

/// Of each style the first that looks the same: what is filled does so whatever its rule, lines and widths.
fn look_alikes(styles: &[Style]) -> Vec<usize> {
    let look = |s: &Style| if is_filled(s) { Style { winding: false, width: 0, line_type: String::new(), ..s.clone() } } else { s.clone() };
    let looks: Vec<Style> = styles.iter().map(look).collect();
    looks.iter().map(|s| looks.iter().position(|o| o == s).unwrap_or(0)).collect()
}

/// What is filled together with a contour: its element's number, and its own where it has no element.
fn element(contours: &[Chained], i: usize) -> (u32, usize) {
    let compound = contours[i].compound;
    (compound, if compound == 0 { i } else { 0 })
}

fn is_filled(style: &Style) -> bool {
    style.fill.is_some() && style.stroke.is_none()
}

/// Outlines of shapes that are filled by winding number which have the fill on both sides, and filled outlines that enclose nothing; in
/// rising order. Where those of one shape cross each other it cannot be said of a whole outline.
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
    let alike = look_alikes(styles);
    let mut elements: FxHashMap<u32, Vec<usize>> = FxHashMap::default();
    contours.iter().enumerate().for_each(|(i, c)| elements.entry(c.compound).or_default().push(i));
    // What is drawn as one path with openings is its own affair.
    let alone = |c: &Chained| c.compound == 0 || elements[&c.compound].len() == 1;
    let asked = |c: &Chained| {
        let s = &styles[c.style];
        c.path.closed && !s.aside() && (is_filled(s) || alone(c) && !s.text && s.stroke.is_some())
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
                let runs = || {
                    is_filled(&styles[mine.style])
                        && covers(&mine.path, &other.path)
                        && alongside(s, &other.path.segments[k], CLEAR).is_some()
                };
                let crosses = |m: &&Meeting| goes_in(&mine.path, along + m.on_first * s.length(), &other.path);
                let at = met.iter().find(crosses).map(|m| m.point).or_else(|| runs().then(|| s.at(0.5)));
                if let Some(at) = at {
                    known.insert(j);
                    over.entry(*i).or_default().push((j, at));
                    over.entry(j).or_default().push((*i, at));
                }
            }
            along += s.length();
        }
    }
    for i in &chosen {
        let (path, style) = (&contours[*i].path, &styles[contours[*i].style]);
        let crossing = (is_filled(style) && !style.text).then(|| crosses_itself(path, style.winding, same)).flatten();
        over.entry(*i).or_default().extend(crossing.map(|at| (*i, at)));
    }
    over.retain(|_, met| !met.is_empty());
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
            for (j, at) in over.get(&member).into_iter().flatten() {
                let is_new = !std::mem::replace(&mut seen[*j], true);
                if is_new {
                    group.members.push(*j);
                }
                if is_new || *j == member {
                    group.at.push(*at);
                }
            }
            let c = &contours[member];
            let with_it = elements.get(&c.compound).filter(|_| c.compound != 0 && is_filled(&styles[c.style]));
            for j in with_it.into_iter().flatten().filter(|j| contours[**j].path.closed) {
                if !std::mem::replace(&mut seen[*j], true) {
                    group.members.push(*j);
                }
            }
        }
        groups.push(group);
    }
    groups
}

/// Where a filled outline crosses itself so that something else shows than lies within it.
fn crosses_itself(path: &Path, winding: bool, same: f64) -> Option<Point> {
    let at = super::crossings::find(path, same).first()?.at;
    let shows = shown(&[Filled { outlines: vec![path], winding }])?;
    let alike = |o: &Path| (o.area() - path.area().abs()).abs() < SLIVER * path.length();
    (!matches!(shows.as_slice(), [one] if alike(one))).then_some(at)
}

/// True where one of two closed paths, which run along each other somewhere, lies all within the other: it can be no opening there.
fn covers(a: &Path, b: &Path) -> bool {
    let (outer, inner) = if a.bounds().grown(CLEAR).holds(&b.bounds()) { (a, b) } else { (b, a) };
    let within = |s: &Segment| outer.contains(s.at(0.5)) || outer.nearest(s.at(0.5)).distance < CLEAR;
    outer.bounds().grown(CLEAR).holds(&inner.bounds())
        && inner.segments.iter().all(within)
        && inner.area().abs() < outer.area().abs() - NOTHING
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

/// The outlines round all that shows of a group, the largest first, and the openings that are left; `None` where they cannot be told
/// exactly.
fn welded(contours: &[Chained], styles: &[Style], group: &Group) -> Option<Vec<Path>> {
    let mut elements: BTreeMap<(u32, usize), Vec<usize>> = BTreeMap::new();
    group.members.iter().for_each(|i| elements.entry(element(contours, *i)).or_default().push(*i));
    let filled = |members: &Vec<usize>| {
        let style = &styles[contours[members[0]].style];
        // What is drawn and not filled is all within its line.
        Filled { outlines: members.iter().map(|i| &contours[*i].path).collect(), winding: !is_filled(style) || style.winding }
    };
    let mut outlines = shown(&elements.values().map(filled).collect::<Vec<_>>())?;
    // What two nearly equal edges leave between them is no opening.
    outlines.retain(|o| o.area() > 0.0 || 2.0 * o.area().abs() > SLIVER * o.length());
    outlines.sort_by(|a, b| b.area().total_cmp(&a.area()));
    Some(outlines)
}
