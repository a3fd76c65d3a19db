//! The contours of a drawing while operations work on them.

use crate::clean::identity::mixed;
use crate::clean::{Contour, ContourId};
use crate::drawing::Style;
use crate::geometry::{Affine, Bounds, Path};
use std::sync::Arc;

/// Contours being worked on.
pub(in crate::clean) struct Work {
    pub(in crate::clean) contours: Vec<Arc<Contour>>,
    /// Seed for the names of what the operation at hand makes.
    pub(super) seed: u64,
    /// How many contours it has made so far.
    pub(super) made: u64,
}

impl Work {
    pub(super) fn find(&self, id: ContourId) -> Option<usize> {
        self.contours.iter().position(|c| c.id == id)
    }
    /// Places of the contours that are still there, in the order given.
    pub(super) fn all(&self, ids: &[ContourId]) -> Vec<usize> {
        ids.iter().filter_map(|id| self.find(*id)).collect()
    }
    pub(super) fn paths(&self, at: &[usize]) -> Vec<Path> {
        at.iter().map(|i| self.contours[*i].path.clone()).collect()
    }
    /// Another path for a contour, which keeps its name.
    pub(super) fn set(&mut self, at: usize, path: Path) {
        self.contours[at] = Arc::new(self.contours[at].with(path));
    }
    pub(super) fn transform(&mut self, at: &[usize], by: Affine) {
        for i in at {
            let path = self.contours[*i].path.transformed(by);
            self.set(*i, path);
        }
    }
    /// A new contour with the looks of `like`.
    pub(super) fn add(&mut self, like: usize, path: Path) {
        let style = Arc::clone(&self.contours[like].style);
        self.add_styled(like, path, style);
    }
    pub(super) fn add_styled(&mut self, like: usize, path: Path, style: Arc<Style>) {
        self.made += 1;
        let id = ContourId(mixed(self.seed ^ mixed(self.made)));
        self.contours.push(Arc::new(Contour { id, style, ..self.contours[like].with(path) }));
    }
    /// A new contour like one that was made already.
    pub(super) fn add_made(&mut self, made: Contour) {
        self.made += 1;
        self.contours.push(Arc::new(Contour { id: ContourId(mixed(self.seed ^ mixed(self.made))), ..made }));
    }
    /// Replaces contours by paths: the first keeps the first contour's name and looks.
    pub(super) fn replace(&mut self, at: &[usize], paths: Vec<Path>) {
        let Some(first) = at.first().copied() else { return };
        let mut paths = paths.into_iter();
        if let Some(path) = paths.next() {
            self.set(first, path);
            for path in paths {
                self.add(first, path);
            }
            self.remove(&at[1..]);
        } else {
            self.remove(at);
        }
    }
    pub(super) fn remove(&mut self, at: &[usize]) {
        let gone: Vec<ContourId> = at.iter().map(|i| self.contours[*i].id).collect();
        self.contours.retain(|c| !gone.contains(&c.id));
    }
    pub(super) fn bounds(&self, at: &[usize]) -> Bounds {
        at.iter().fold(Bounds::EMPTY, |b, i| b.union(self.contours[*i].bounds))
    }
}
