//! What any program, also one changed by hand at the machine, does otherwise than the job: each place a sentence with the line of
//! the program that it is about.

use super::{Meant, ProgramFault, SheetProof, compared, taken_in};
use crate::finding::Code;
use crate::geometry::Point;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use serde::Serialize;

/// So many are told at most: a program for quite another job differs everywhere.
const MOST: usize = 1000;

/// One thing that a program does otherwise.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Difference {
    /// Kind, as a finding's.
    pub code: Code,
    /// Line of the program, from 1: the one that does it, or the nearest by where nothing is done that should be.
    pub line: usize,
    /// Where on the sheet, mm.
    pub x: f64,
    /// See `x`.
    pub y: f64,
    /// What, in a sentence.
    pub text: String,
}

/// Lays a program over what was meant: how it runs, and what it does otherwise, in the order of its lines; what is alike is told once.
/// Fails where it cannot be read.
pub fn differences(program: &str, meant: &Meant) -> Result<(SheetProof, Vec<Difference>), ProgramFault> {
    let (proof, faults) = compared(taken_in(program, meant), meant)?;
    let near = Near::new(&proof);
    let mut all: Vec<Difference> = faults.into_iter().flat_map(|f| f.differences(|at| near.line(at))).collect();
    all.sort_by_key(|d| d.line);
    all.truncate(MOST);
    Ok((proof, all))
}

/// The moves of a program by where they are.
struct Near<'a> {
    proof: &'a SheetProof,
    index: RTree<GeomWithData<Rectangle<[f64; 2]>, usize>>,
}

impl<'a> Near<'a> {
    fn new(proof: &'a SheetProof) -> Self {
        let boxed = |(i, m): (usize, &super::Traced)| {
            let b = m.path.bounds();
            GeomWithData::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), i)
        };
        Self { proof, index: RTree::bulk_load(proof.moves.iter().enumerate().map(boxed).collect()) }
    }

    /// The line of what burns nearest to a place; of whatever moves there where nothing burns.
    fn line(&self, at: Point) -> usize {
        for reach in [0.1, 1.0, 10.0, 100.0, 1e5] {
            let found =
                self.index.locate_in_envelope_intersecting(AABB::from_corners([at.x - reach, at.y - reach], [at.x + reach, at.y + reach]));
            let by = |i: &usize| (self.proof.moves[*i].process.is_none(), self.proof.moves[*i].path.distance(at));
            let best = found.map(|b| b.data).min_by(|a, b| by(a).0.cmp(&by(b).0).then(by(a).1.total_cmp(&by(b).1)));
            if let Some(i) = best {
                return self.proof.moves[i].line;
            }
        }
        1
    }
}
