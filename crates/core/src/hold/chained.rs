//! Cuts that share a pierce: the torch stays lit from the end of one to the lead of the next, through the scrap.

use super::leads::Yard;
use super::{Doing, Op};
use crate::geometry::{Segment, meetings};

/// Two places that are no further apart are one, mm.
const SAME: f64 = 1e-6;

/// Lights fewer times: where the next cut begins near to where one ended, with nothing between that must stay whole, and is done
/// with the same settings. Neither goes round more than once. `most` is the longest such way, mm.
pub(super) fn lay(ops: &mut [Op], yard: &Yard, most: f64) {
    for i in 1..ops.len() {
        let (before, now) = ops.split_at_mut(i);
        let (before, now) = (&before[i - 1], &mut now[0]);
        let same = before.process.frees()
            && now.process.frees()
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
            let far = |s: &Segment| {
                s.start.distance(from) > SAME && s.end.distance(from) > SAME && s.start.distance(to) > SAME && s.end.distance(to) > SAME
            };
            far(l) && !meetings(l, &way, SAME).is_empty()
        });
        if let (false, Doing::Line(line)) = (crossed, &mut now.doing) {
            line.bridge = vec![way];
        }
    }
}
