//! Areas put together, taken apart, moved aside.

use super::Work;
use crate::clean::ContourId;
use crate::geometry::{Corners, Path, Region, Segment, Vec2};

/// A corner sharper than this is where a contour is taken apart: 20°.
const APART: f64 = 0.349;

pub(super) fn take_apart(work: &mut Work, contours: &[ContourId]) -> bool {
    let at = work.all(contours);
    for i in &at {
        let path = work.contours[*i].path.clone();
        let pieces = at_corners(&path);
        if pieces.len() > 1 {
            work.replace(&[*i], pieces);
        }
    }
    !at.is_empty()
}

fn at_corners(path: &Path) -> Vec<Path> {
    let n = path.segments.len();
    let corner = |i: usize| {
        let (a, b) = (path.segments[(i + n - 1) % n].direction(1.0), path.segments[i].direction(0.0));
        a.cross(b).atan2(a.dot(b)).abs() > APART
    };
    let first = if path.closed { (0..n).find(|i| corner(*i)) } else { Some(0) };
    let Some(first) = first else { return vec![path.clone()] };
    let mut out: Vec<Vec<Segment>> = Vec::new();
    for k in 0..n {
        let i = (first + k) % n;
        match out.last_mut() {
            Some(run) if k > 0 && !corner(i) => run.push(path.segments[i]),
            _ => out.push(vec![path.segments[i]]),
        }
    }
    if out.len() < 2 {
        return vec![path.clone()];
    }
    out.into_iter().map(|run| Path::new(run, false)).collect()
}

/// Open lines to one: from the first on, the nearest free end each time; closed where the ends then meet.
pub(super) fn combine(work: &mut Work, contours: &[ContourId]) -> bool {
    let at: Vec<usize> = work.all(contours).into_iter().filter(|i| !work.contours[*i].path.closed).collect();
    if at.len() < 2 {
        return false;
    }
    let mut rest = work.paths(&at);
    let mut chain = rest.remove(0).segments;
    while !rest.is_empty() {
        let end = chain[chain.len() - 1].end;
        let ends = |p: &Path| (p.segments[0].start, p.segments[p.segments.len() - 1].end);
        let nearest = (0..rest.len())
            .flat_map(|i| [(i, false, ends(&rest[i]).0.distance(end)), (i, true, ends(&rest[i]).1.distance(end))])
            .min_by(|a, b| a.2.total_cmp(&b.2));
        let Some((i, turned, gap)) = nearest else { break };
        let next = rest.remove(i);
        let next = if turned { next.reversed() } else { next };
        if gap > 1e-9 {
            chain.push(Segment::line(end, next.segments[0].start));
        }
        chain.extend(next.segments);
    }
    let closed = chain[chain.len() - 1].end.distance(chain[0].start) < 0.05;
    if closed {
        let start = chain[0].start;
        if let Some(last) = chain.last_mut() {
            last.end = start;
        }
    }
    work.replace(&at, vec![Path::new(chain, closed)]);
    true
}

pub(super) fn weld(work: &mut Work, contours: &[ContourId]) -> bool {
    fold(work, contours, |all, next| {
        // Openings stay what they are; the outlines among `all` take the next one in, one after the other.
        let mut grown = next.clone();
        let mut out = Vec::new();
        for p in all {
            match p.welded(&grown) {
                Some(found) if found.len() == 1 => grown = found[0].clone(),
                Some(found) if touched(p, &grown, &found) => {
                    let mut found = found;
                    found.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
                    grown = found.remove(0);
                    out.extend(found);
                }
                _ => out.push(p.clone()),
            }
        }
        out.insert(0, grown);
        out
    })
}

/// True when a weld did more than lay two outlines side by side.
fn touched(a: &Path, b: &Path, found: &[Path]) -> bool {
    let area = |p: &Path| p.area().abs();
    let same = |x: f64, y: f64| (x - y).abs() < 1e-6 * x.max(y).max(1e-9);
    !(found.len() == 2 && found.iter().any(|f| same(area(f), area(a))) && found.iter().any(|f| same(area(f), area(b))))
}

pub(super) fn intersect(work: &mut Work, contours: &[ContourId]) -> bool {
    fold(work, contours, |all, next| all.iter().flat_map(|p| p.shared_with(next).unwrap_or_default()).collect())
}

pub(super) fn subtract(work: &mut Work, from: ContourId, contours: &[ContourId]) -> bool {
    let (Some(whole), what) = (work.find(from), work.all(contours)) else { return false };
    let what: Vec<usize> = what.into_iter().filter(|i| *i != whole && work.contours[*i].path.closed).collect();
    if what.is_empty() || !work.contours[whole].path.closed {
        return false;
    }
    let mut left = vec![work.contours[whole].path.clone()];
    for cut in work.paths(&what) {
        left = left.iter().flat_map(|p| p.without(&cut).unwrap_or_else(|| vec![p.clone()])).collect();
    }
    left.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
    let mut at = vec![whole];
    at.extend(what);
    work.replace(&at, left);
    true
}

fn fold(work: &mut Work, contours: &[ContourId], step: impl Fn(&[Path], &Path) -> Vec<Path>) -> bool {
    let at: Vec<usize> = work.all(contours).into_iter().filter(|i| work.contours[*i].path.closed).collect();
    if at.len() < 2 {
        return false;
    }
    let paths = work.paths(&at);
    let mut all = vec![paths[0].clone()];
    for next in &paths[1..] {
        all = step(&all, next);
    }
    all.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
    work.replace(&at, all);
    true
}

/// Outlines at a distance from others.
pub(super) struct Rings {
    /// Outward, mm, from each to the next.
    pub(super) by: f64,
    pub(super) corners: Corners,
    pub(super) count: u32,
    /// What they are made from stays.
    pub(super) keep: bool,
}

pub(super) fn offset(work: &mut Work, contours: &[ContourId], rings: &Rings) -> bool {
    let Rings { by, corners, count, keep } = *rings;
    let at = work.all(contours);
    let mut emptied = Vec::new();
    for i in &at {
        let path = work.contours[*i].path.clone();
        let mut made: Vec<Path> = Vec::new();
        for ring in 1..=count {
            let by = by * f64::from(ring);
            made.extend(if path.closed { path.grown(by, corners) } else { round_an_open_line(&path, by, corners) });
        }
        if keep {
            made.into_iter().for_each(|p| work.add(*i, p));
        } else if made.is_empty() {
            emptied.push(*i);
        } else {
            work.replace(&[*i], made);
        }
    }
    work.remove(&emptied);
    !at.is_empty()
}

/// An open line offset is the outline of a stroke that is twice as wide: there, round the end, and back.
fn round_an_open_line(path: &Path, by: f64, corners: Corners) -> Vec<Path> {
    const HAIR: f64 = 1e-4;
    let n = path.segments.len();
    let side: Vec<Vec2> = vec![path.segments[0].direction(0.0).turn_90() * HAIR, path.segments[n - 1].direction(1.0).turn_90() * HAIR];
    let mut there = path.segments.clone();
    let mut back: Vec<Segment> = path.reversed().segments;
    // A hair's breadth apart, so that it has an inside.
    there[0].start += side[0];
    there[n - 1].end += side[1];
    back[0].start -= side[1];
    back[n - 1].end -= side[0];
    let mut all = there;
    all.push(Segment::line(all[n - 1].end, back[0].start));
    let first = all[0].start;
    all.extend(back);
    all.push(Segment::line(all[all.len() - 1].end, first));
    Path::new(all, true).grown(by.abs(), corners)
}

/// Edges of a widened area are followed within this, mm; what is no further from its old outline is that.
const FOLLOWED: f64 = 0.01;

/// What is thinner than `width` becomes that wide. Outlines that nothing happens to stay exactly as they are.
pub(super) fn thicken(work: &mut Work, contours: &[ContourId], width: f64) -> bool {
    let mut at: Vec<usize> = work.all(contours).into_iter().filter(|i| work.contours[*i].path.closed).collect();
    if at.is_empty() {
        return false;
    }
    let paths = work.paths(&at);
    let whole = Region::within(&paths.iter().collect::<Vec<_>>());
    let mut new: Vec<Path> = whole.thickened(width).outlines();
    let same = |a: &Path, b: &Path| {
        let (p, q) = (a.bounds(), b.bounds());
        let near = p.min.distance(q.min).max(p.max.distance(q.max)) <= 2.0 * FOLLOWED;
        near && b.segments.iter().all(|s| a.nearest(s.start).distance <= FOLLOWED)
            && a.segments.iter().all(|s| b.nearest(s.at(0.5)).distance <= FOLLOWED)
    };
    at.retain(|i| {
        let found = new.iter().position(|n| same(&work.contours[*i].path, n));
        found.map(|k| new.remove(k)).is_none()
    });
    // The rest take the outline that lies most where they lay.
    let mut gone = Vec::new();
    for i in &at {
        let c = work.contours[*i].bounds;
        let off = |p: &Path| p.bounds().center().distance(c.center()) + (p.bounds().width() - c.width()).abs();
        let nearest = new.iter().enumerate().min_by(|a, b| off(a.1).total_cmp(&off(b.1))).map(|n| n.0);
        match nearest {
            Some(k) => work.set(*i, new.remove(k).refitted(FOLLOWED)),
            None => gone.push(*i),
        }
    }
    if let Some(first) = at.first().copied() {
        new.into_iter().for_each(|p| work.add(first, p.refitted(FOLLOWED)));
    }
    work.remove(&gone);
    true
}
