//! Cuts that share a pierce: the torch stays lit from the end of one to the lead of the next, through the scrap.

use super::leads::Yard;
use super::{Doing, Op};
use crate::assign::Process;
use crate::geometry::{Path, Segment};

/// Lights fewer times: where the next cut begins near to where one ended, with nothing between that must stay whole, and is done
/// with the same settings. Neither goes round more than once. `most` is the longest such way, mm.
pub(super) fn lay(ops: &mut [Op], yard: &Yard, most: f64) {
    for i in 1..ops.len() {
        let (before, now) = ops.split_at_mut(i);
        let (before, now) = (&before[i - 1], &mut now[0]);
        let same = before.process == Process::Cut
            && now.process == Process::Cut
            && (before.feed, before.power, before.air, before.kerf) == (now.feed, now.power, now.air, now.kerf)
            && before.passes == 1
            && now.passes == 1
            && before.line().dwells.is_empty();
        let (Some(from), Some(to)) = (before.end(), now.line().lead_in.first().map(|s| s.start)) else { continue };
        let way = Segment::line(from, to);
        let straight = before.line().lead_out.is_empty() && !before.line().runs.is_empty();
        if !same || straight || way.length() > most || way.length() < 1e-3 || !yard.has_way(&way, now.kerf) {
            continue;
        }
        // Neither of the leads may be crossed by it.
        let crossed = before.leads().chain(now.leads()).any(|l| {
            let far = |s: &Segment| s.start.distance(from) > 1e-6 && s.end.distance(to) > 1e-6;
            far(l) && crosses(l, &way)
        });
        if let (false, Doing::Line(line)) = (crossed, &mut now.doing) {
            line.bridge = vec![way];
        }
    }
}

fn crosses(a: &Segment, b: &Segment) -> bool {
    let steps = 16;
    let points: Vec<_> = (0..=steps).map(|k| b.at(f64::from(k) / f64::from(steps))).collect();
    let path = Path::new(vec![*a], false);
    points[1..points.len() - 1].iter().any(|p| path.nearest(*p).distance < b.length() / f64::from(steps))
}
