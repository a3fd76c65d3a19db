//! Nicks: short bridges that keep a part in its sheet.
//!
//! One per so many mm of outline, within least and most; on straight or gently curved stretches, away from corners, from the
//! start, leads and what is engraved, spread so that the part's centre of mass lies between them and it cannot hinge about two.

use crate::geometry::{Bounds, Path, Point, Segment};

/// A curve tighter than this radius, in mm, is no place for a nick.
const TIGHTEST: f64 = 4.0;
/// Shares of the pitch between nicks at which the whole pattern is tried.
const PHASES: usize = 24;
/// Places that are looked at on an outline, and eight more for each nick.
const SITES: usize = 48;
/// Nicks are not placed more finely than this, mm.
const FINEST: f64 = 0.05;
/// Rounds in which every nick may go elsewhere.
const ROUNDS: usize = 4;

/// How many nicks a contour gets, and how wide.
#[derive(Clone, Copy, Debug)]
pub(super) struct Rule {
    /// Contour for each, mm.
    pub(super) pitch: f64,
    /// Fewest and most.
    pub(super) count: (u32, u32),
    /// What is not burned of the line: material left and a kerf, mm.
    pub(super) gap: f64,
}

/// Where nicks that were set on a contour stand on the path that is cut, as lengths along it; those that would run into each
/// other are one.
pub(super) fn at(path: &Path, set: &[Point], gap: f64) -> Vec<f64> {
    let mut places: Vec<f64> = set.iter().map(|p| path.nearest(*p).along).collect();
    places.sort_by(f64::total_cmp);
    places.dedup_by(|a, b| *a - *b < gap);
    places
}

/// What nicks keep off besides corners.
#[derive(Default)]
pub(super) struct Beside {
    /// How far the leads reach along the path, from its start on and before it, mm.
    pub(super) leads: (f64, f64),
    /// What is engraved near by: a nick that is broken off there would be seen.
    pub(super) engraved: Vec<Path>,
    /// How far nicks keep off that, mm.
    pub(super) off: f64,
    /// Ends of other cuts on this one: a bridge there would be burned through.
    pub(super) ends: Vec<Point>,
    /// Other copies near by, and what is cut within its own, whose cuts would burn a bridge between them, and how far nicks keep off them, mm.
    pub(super) others: Vec<(Bounds, Path)>,
    /// Places on leads near by, which would burn it as well.
    pub(super) lit: Vec<Point>,
    /// See `others` and `lit`.
    pub(super) apart: f64,
    /// The line may run beside itself, as one round several copies does.
    pub(super) folded: bool,
}

/// A place where a nick may stand.
#[derive(Clone, Copy)]
struct Site {
    along: f64,
    at: Point,
    straight: bool,
}

impl Site {
    fn on(path: &Path, along: f64) -> Self {
        let (at, ahead) = path.at(along);
        let straight = path.at((along - 0.5).max(0.0)).1.dot(ahead) > 0.999_999 && path.at(along + 0.5).1.dot(ahead) > 0.999_999;
        Self { along, at, straight }
    }
}

impl Beside {
    /// True where another copy lies so near that its cut would burn the bridge, or a lead comes so near.
    fn is_crowded(&self, at: Point) -> bool {
        self.lit.iter().any(|p| p.distance(at) < self.apart)
            || self
                .others
                .iter()
                .any(|(b, o)| b.grown(self.apart).has(at) && (o.nearest(at).distance < self.apart || o.closed && o.contains(at)))
    }

    /// True where what is engraved is so near that a nick would be seen.
    fn shows(&self, at: Point) -> bool {
        self.engraved.iter().any(|e| e.contains(at) || e.nearest(at).distance < self.off)
    }
}

/// Middles of the nicks, as lengths along the closed path; fewer, or none, where the outline has no room for them.
pub(super) fn places(path: &Path, rule: &Rule, beside: &Beside) -> Vec<f64> {
    let Rule { pitch, count, gap } = *rule;
    let total = path.length();
    let free = free_stretches(path, gap, beside);
    let room: f64 = free.iter().map(|f| f.1 - f.0).sum();
    let wanted = ((total / pitch).ceil() as usize).clamp(count.0 as usize, count.1.max(count.0) as usize);
    // Bridges may take a third of the outline at most.
    let most = (total / 3.0 / gap) as usize;
    if free.is_empty() || room <= 0.0 || most == 0 {
        return Vec::new();
    }
    let n = wanted.min(most);
    let step = (room / (SITES + 8 * n) as f64).max(FINEST);
    let sites = sites(path, &free, beside, step);
    let plate = Plate { total, center: path.centroid(), half: path.bounds().width().min(path.bounds().height()) / 2.0, gap };
    if sites.is_empty() {
        return Vec::new();
    }
    let nearest = |at: f64| sites.iter().min_by(|a, b| plate.round(a.along, at).total_cmp(&plate.round(b.along, at))).copied();
    let mut best: Option<(f64, Vec<Site>)> = None;
    for phase in 0..PHASES {
        let offset = (phase as f64 + 0.5) / PHASES as f64;
        let mut found: Vec<Site> = (0..n).filter_map(|k| nearest(total * ((k as f64 + offset) / n as f64))).collect();
        found.sort_by(|a, b| a.along.total_cmp(&b.along));
        found.dedup_by(|a, b| a.along - b.along < 2.0 * gap);
        let score = plate.quality(&found);
        if best.as_ref().is_none_or(|b| score > b.0) {
            best = Some((score, found));
        }
    }
    let Some((mut score, mut nicks)) = best else { return Vec::new() };
    // Then each in turn goes where all hold best.
    for _ in 0..ROUNDS {
        let before = score;
        for k in 0..nicks.len() {
            for site in &sites {
                let was = std::mem::replace(&mut nicks[k], *site);
                let now = plate.quality(&nicks);
                if now > score + 1e-9 { score = now } else { nicks[k] = was }
            }
        }
        if score - before < 1e-9 {
            break;
        }
    }
    // And at last a little to and fro.
    let mut step = step / 2.0;
    while step > FINEST {
        for k in 0..nicks.len() {
            for by in [step, -step] {
                let along = nicks[k].along + by;
                let site = Site::on(path, along);
                if !free.iter().any(|f| (f.0..=f.1).contains(&along))
                    || beside.is_crowded(site.at)
                    || beside.shows(site.at) && !beside.shows(nicks[k].at)
                {
                    continue;
                }
                let was = std::mem::replace(&mut nicks[k], site);
                let now = plate.quality(&nicks);
                if now > score + 1e-9 { score = now } else { nicks[k] = was }
            }
        }
        step /= 2.0;
    }
    let mut places: Vec<f64> = nicks.iter().map(|s| s.along).collect();
    places.sort_by(f64::total_cmp);
    places
}

/// Places along the free stretches, as many as tell the stretches apart, without those too near to what is engraved where there
/// are others.
fn sites(path: &Path, free: &[(f64, f64)], beside: &Beside, step: f64) -> Vec<Site> {
    let mut out = Vec::new();
    for (from, to) in free {
        let steps = ((to - from) / step).ceil().max(1.0) as usize;
        let mut along: Vec<f64> = (0..=steps).map(|k| from + (to - from) * k as f64 / steps as f64).collect();
        along.dedup_by(|a, b| *a - *b < 1e-9);
        out.extend(along.into_iter().map(|along| Site::on(path, along)));
    }
    out.retain(|s| !(beside.is_crowded(s.at) || beside.folded && runs_beside(path, s, beside.apart)));
    if !beside.engraved.is_empty() {
        let clear: Vec<Site> = out.iter().filter(|s| !beside.shows(s.at)).copied().collect();
        if !clear.is_empty() {
            return clear;
        }
    }
    out
}

/// True where another stretch of the path runs nearer to a place on it than `room`, mm.
fn runs_beside(path: &Path, site: &Site, room: f64) -> bool {
    let total = path.length();
    let away = |along: f64| {
        let d = (along - site.along).abs();
        d.min(total - d) > 2.0 * room
    };
    let mut before = 0.0;
    path.segments.iter().any(|s| {
        let begin = before;
        before += s.length();
        s.bounds().grown(room).has(site.at) && s.distance(site.at) < room && away(begin + s.nearest(site.at) * s.length())
    })
}

/// The part that is held.
struct Plate {
    /// Its outline, mm.
    total: f64,
    center: Point,
    /// Half its smaller side, mm.
    half: f64,
    gap: f64,
}

impl Plate {
    /// Distance of two places round the outline, mm.
    fn round(&self, a: f64, b: f64) -> f64 {
        let d = (a - b).abs();
        d.min(self.total - d)
    }

    /// How well nicks hold: far apart along the outline, all round the centre of mass, on straight stretches.
    fn quality(&self, nicks: &[Site]) -> f64 {
        let n = nicks.len();
        if n == 0 {
            return 0.0;
        }
        let mut closest = f64::INFINITY;
        for i in 0..n {
            for j in i + 1..n {
                closest = closest.min(self.round(nicks[i].along, nicks[j].along));
            }
        }
        if n > 1 && closest < 2.0 * self.gap {
            return 0.0;
        }
        let apart = if n > 1 { closest / self.total * n as f64 } else { 1.0 };
        let straight = nicks.iter().filter(|s| s.straight).count() as f64 / n as f64;
        let points: Vec<Point> = nicks.iter().map(|s| s.at).collect();
        // Where the centre lies outside what the nicks span, the part swings about the line between two of them.
        let held = (margin(&points, self.center) / self.half.max(1e-9)).clamp(-2.0, 0.4);
        4.0 * n as f64 + apart + 4.0 * held.min(0.0) + held.max(0.0) + 0.3 * straight
    }
}

/// How far a point lies within what points span, mm; less than nothing outside.
pub(super) fn margin(points: &[Point], p: Point) -> f64 {
    let [first, ..] = points else { return f64::NEG_INFINITY };
    let mut out = f64::INFINITY;
    let mut outside = f64::INFINITY;
    for (i, a) in points.iter().enumerate() {
        for b in &points[i + 1..] {
            outside = outside.min(Segment::line(*a, *b).distance(p));
            // An edge of the hull has all points on one side.
            let side = |q: &Point| (*b - *a).cross(*q - *a);
            let length = a.distance(*b).max(1e-12);
            let (most, least) = points.iter().map(side).fold((0.0_f64, 0.0_f64), |m, s| (m.0.max(s), m.1.min(s)));
            let slack = 1e-9 * length;
            if most <= slack || least >= -slack {
                let sense = if most <= slack { -1.0 } else { 1.0 };
                out = out.min(side(&p) * sense / length);
            }
        }
    }
    if points.len() < 2 {
        return -first.distance(p);
    }
    if points.len() == 2 || out < 0.0 { -outside } else { out }
}

/// What is too rough for a nick: judged over a length, for an edge of many short lines is as smooth as the curve that it stands for.
#[derive(Clone, Copy)]
struct Rough {
    /// A curve tighter than this, mm.
    radius: f64,
    /// A bend at one place of more than this, radians.
    bend: f64,
    /// The length over which what turns is added up, mm.
    over: f64,
}

/// A bend, or an arc: where it begins and ends along the outline, mm, and how far it turns, radians.
struct Turning {
    from: f64,
    to: f64,
    by: f64,
}

impl Rough {
    /// What is rough where there is room; and, for a small or scalloped part, what is rough in any case.
    fn of(gap: f64) -> [Self; 2] {
        [Self { radius: TIGHTEST, bend: 0.1415, over: 2.0 }, Self { radius: gap.max(1.0), bend: 0.6, over: gap }]
    }

    /// The rough stretches of a closed path, in order; those of no length are corners.
    fn stretches(self, path: &Path) -> Vec<(f64, f64)> {
        let mut turnings: Vec<Turning> = Vec::new();
        let mut before = 0.0;
        let mut last: Option<&Segment> = None;
        for s in &path.segments {
            let length = s.length();
            if let Some(l) = last {
                let (a, b) = (l.direction(1.0), s.direction(0.0));
                turnings.push(Turning { from: before, to: before, by: a.cross(b).atan2(a.dot(b)).abs() });
            }
            if !s.is_line() {
                turnings.push(Turning { from: before, to: before + length, by: s.sweep().abs() });
            }
            before += length;
            last = Some(s);
        }
        turnings.retain(|t| t.by > 1e-9);
        let alone = |t: &Turning| t.by > self.bend && t.to - t.from < t.by * self.radius;
        let mut rough: Vec<(f64, f64)> = turnings.iter().filter(|t| alone(t)).map(|t| (t.from, t.to)).collect();
        // Many small ones within a length: a window that begins with each.
        let most = self.over / self.radius + self.bend / 2.0;
        let (mut end, mut sum) = (0, 0.0);
        for (begin, first) in turnings.iter().enumerate() {
            while end < turnings.len() && turnings[end].to <= first.from + self.over {
                sum += turnings[end].by;
                end += 1;
            }
            if end > begin {
                if sum > most {
                    rough.push((first.from, turnings[end - 1].to));
                }
                sum -= first.by;
            } else {
                end = begin + 1;
            }
        }
        rough.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
        rough
    }

    /// The stretches between what is rough.
    fn smooth(self, path: &Path) -> Vec<(f64, f64)> {
        let mut out = Vec::new();
        let mut from = 0.0;
        for (a, b) in self.stretches(path) {
            if a > from {
                out.push((from, a));
            }
            from = b.max(from);
        }
        out.push((from, path.length()));
        out
    }
}

/// Stretches without what is nearer to some places on the path than `room`, mm.
fn apart_from(stretches: Vec<(f64, f64)>, path: &Path, places: &[Point], room: f64) -> Vec<(f64, f64)> {
    let on = |p: &Point| Some(path.nearest(*p)).filter(|n| n.distance < room).map(|n| n.along);
    places.iter().filter_map(on).fold(stretches, |stretches, at| {
        let parts = |f: (f64, f64)| [(f.0, f.1.min(at - room)), (f.0.max(at + room), f.1)];
        stretches.into_iter().flat_map(parts).filter(|f| f.1 > f.0).collect()
    })
}

/// Stretches where the middle of a nick may lie.
fn free_stretches(path: &Path, gap: f64, beside: &Beside) -> Vec<(f64, f64)> {
    let total = path.length();
    let away = gap / 2.0 + (total * 0.01).clamp(0.3, 3.0);
    let start_room = away.max(total * 0.02);
    let (begin, end) = (start_room.max(beside.leads.0 + gap), total - start_room.max(beside.leads.1 + gap));
    let inner = |f: &(f64, f64), away: f64| ((f.0 + away).max(begin), (f.1 - away).min(end));
    let [usual, any] = Rough::of(gap);
    // On a small part half the gap from a corner has to do; at last a tighter curve.
    let tries = [(usual, away), (usual, gap * 0.5), (any, gap * 0.5)];
    let found = tries.into_iter().map(|(rough, away)| -> Vec<(f64, f64)> {
        let free = rough.smooth(path).iter().map(|f| inner(f, away)).filter(|f| f.1 > f.0).collect();
        apart_from(free, path, &beside.ends, gap)
    });
    found.into_iter().find(|f| !f.is_empty()).unwrap_or_default()
}

/// The closed path without its nicks: the pieces that are burned, from the start round.
pub(super) fn split(path: &Path, places: &[f64], gap: f64) -> Vec<Vec<Segment>> {
    let total = path.length();
    let mut from = 0.0;
    let mut runs = Vec::new();
    for at in places {
        runs.push(path.piece(from, at - gap / 2.0));
        from = at + gap / 2.0;
    }
    runs.push(path.piece(from, total));
    runs.retain(|r| !r.is_empty());
    runs
}
