//! The turns of a shape: those that every engine may try, and a few that a lattice has found for itself.

use crate::geometry::Polygon;
use crate::nofit::Oriented;
use std::ops::{Deref, Index};
use std::sync::OnceLock;

/// Turns that lattices may add to a shape that lies at any angle.
const ADDED: usize = 12;

/// As a slice it is the turns that every engine may try; by its number an added one is had too.
pub(crate) struct Turns {
    every: Vec<Oriented>,
    added: Vec<OnceLock<Oriented>>,
}

impl Turns {
    /// With room for turns of their own for lattices, or without.
    pub(crate) fn new(every: Vec<Oriented>, room: bool) -> Self {
        Self { every, added: (0..if room { ADDED } else { 0 }).map(|_| OnceLock::new()).collect() }
    }

    /// One more that every engine may try; its number. For a problem that is not searched yet: it moves the numbers of those added.
    pub(crate) fn push(&mut self, turn: Oriented) -> usize {
        self.every.push(turn);
        self.every.len() - 1
    }

    /// Numbers that are given, or may be.
    pub(crate) fn numbers(&self) -> usize {
        self.every.len() + self.added.len()
    }

    /// The number of a turn, degrees and mirrored or not, if there is such a one.
    pub(crate) fn number(&self, (angle, mirrored): (f64, bool)) -> Option<usize> {
        let there = self.every.iter().map(Some).chain(self.added.iter().map(OnceLock::get)).enumerate();
        there.filter_map(|(i, t)| Some((i, t?))).find(|(_, t)| t.mirrored == mirrored && same_turn(t.angle, angle)).map(|t| t.0)
    }

    /// The number of a turn, which is added where it is not there; `None` where there is no room for it.
    pub(crate) fn add(&self, pose: (f64, bool), polygon: &Polygon, spacing: f64) -> Option<usize> {
        self.number(pose).or_else(|| {
            let fresh = Oriented::new(polygon, pose, spacing);
            let slot = self.added.iter().position(|slot| slot.get().is_none())?;
            self.added[slot].set(fresh).ok().map(|()| self.every.len() + slot)
        })
    }
}

/// Degrees that come to the same.
fn same_turn(a: f64, b: f64) -> bool {
    ((a - b + 180.0).rem_euclid(360.0) - 180.0).abs() < 1e-9
}

impl Deref for Turns {
    type Target = [Oriented];
    fn deref(&self) -> &[Oriented] {
        &self.every
    }
}

impl Index<usize> for Turns {
    type Output = Oriented;
    /// Panics for a number that was never given.
    fn index(&self, number: usize) -> &Oriented {
        self.every.get(number).or_else(|| self.added[number - self.every.len()].get()).expect("a number that was given")
    }
}
