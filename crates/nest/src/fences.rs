//! All fences of a problem, each made when it is first asked for, for all lanes of the search.

use crate::fence::Fence;
use crate::geometry::Vec2;
use crate::problem::Problem;
use std::sync::OnceLock;

/// Shapes in all their turns that one search can keep fences for.
pub(crate) const MOST_TURNED: usize = 2000;

/// Fences between any two shapes in any turn, and between obstacles of sheets and shapes.
pub(crate) struct Fences<'p> {
    pub(crate) problem: &'p Problem<'p>,
    /// The number of a shape's first turn.
    first: Vec<usize>,
    /// Shape and turn, by number.
    turned: Vec<(usize, usize)>,
    between: Vec<OnceLock<Box<Fence>>>,
    /// By kind of sheet, obstacle and number.
    walls: Vec<Vec<Vec<OnceLock<Box<Fence>>>>>,
}

impl<'p> Fences<'p> {
    /// `None` where there are too many shapes and turns to ask for each pair of them.
    pub(crate) fn new(problem: &'p Problem<'p>) -> Option<Self> {
        let mut first = Vec::new();
        let mut turned = Vec::new();
        for (shape, s) in problem.shapes.iter().enumerate() {
            first.push(turned.len());
            turned.extend((0..s.turns.numbers()).map(|t| (shape, t)));
        }
        if turned.len() > MOST_TURNED {
            return None;
        }
        let locks = |n: usize| (0..n).map(|_| OnceLock::new()).collect::<Vec<_>>();
        let walls = problem.blocked.iter().map(|b| b.iter().map(|_| locks(turned.len())).collect()).collect();
        Some(Self { problem, first, between: locks(turned.len() * turned.len()), turned, walls })
    }

    /// The number of a shape in a turn.
    pub(crate) fn number(&self, shape: usize, turn: usize) -> usize {
        self.first[shape] + turn
    }

    /// Width and height of a shape in a turn, mm.
    pub(crate) fn size(&self, number: usize) -> Vec2 {
        let (shape, turn) = self.turned[number];
        self.problem.shapes[shape].turns[turn].size
    }

    /// How far beyond their boxes two parts may touch, mm.
    pub(crate) fn reach(&self) -> Vec2 {
        // Grown by a dodecagon, which is a little more than the disc between its corners.
        let by = self.problem.spacing * 1.05 + 1e-3;
        Vec2::new(by, by)
    }

    /// Where a moving one may not be, seen from a fixed one.
    pub(crate) fn between(&self, fixed: usize, moving: usize) -> &Fence {
        self.between[moving * self.turned.len() + fixed]
            .get_or_init(|| Box::new(Fence::new(&self.problem.region(self.turned[fixed], self.turned[moving]))))
    }

    /// Where a moving one may not be on a kind of sheet, for its obstacles.
    pub(crate) fn walls(&self, kind: usize, moving: usize) -> impl Iterator<Item = &Fence> {
        let at = self.turned[moving];
        let make = move |n: usize| Box::new(Fence::new(&self.problem.obstacle(kind, n, at)));
        self.walls[kind].iter().enumerate().map(move |(n, w)| &**w[moving].get_or_init(|| make(n)))
    }
}
