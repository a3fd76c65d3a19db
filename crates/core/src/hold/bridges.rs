//! Bridges that are to stay: what leads keep off.

use super::leads::SLACK;
use crate::geometry::{Point, Segment};

/// The bridges of all cuts laid so far: their middles, and how far leads keep off them, mm.
#[derive(Default)]
pub(super) struct Bridges(Vec<(Point, f64)>);

impl Bridges {
    /// Notes bridges: leads that come later keep so far off their middles, mm.
    pub(super) fn keep(&mut self, bridges: impl Iterator<Item = Point>, room: f64) {
        self.0.extend(bridges.map(|p| (p, room)));
    }

    /// Lets go of those that were noted last: their own cut is led to beside them.
    pub(super) fn let_go(&mut self, of: usize) {
        self.0.truncate(self.0.len().saturating_sub(of));
    }

    /// True where what is burned at a place would burn one.
    pub(super) fn are_burned_at(&self, p: Point) -> bool {
        self.0.iter().any(|(bridge, room)| bridge.distance(p) < *room)
    }
}

/// The bridges that a lead behind a nick keeps off.
pub(super) struct Room<'a> {
    /// What else is burned of the cut.
    pub(super) others: &'a [Segment],
    /// What is not burned for a nick, mm.
    pub(super) gap: f64,
}

impl Room<'_> {
    /// True where a lead comes no nearer to the rest of its cut than a bridge is wide.
    pub(super) fn is_kept(&self, lead: &[Point]) -> bool {
        lead.iter().all(|p| {
            self.others.iter().all(|s| s.bounds().grown(self.gap).has(*p).then(|| s.distance(*p)).is_none_or(|d| d > self.gap - SLACK))
        })
    }
}
