//! What any program, also one changed by hand at the machine, does otherwise than the job: each place a sentence with the line of
//! the program that it is about.

use super::{Meant, ProgramFault, SheetProof, compared, taken_in};
use crate::finding::Finding;
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
    pub code: String,
    /// Line of the program, from 1: the one that does it, or the nearest by where nothing is done that should be.
    pub line: usize,
    /// Where on the sheet, mm.
    pub x: f64,
    /// See `x`.
    pub y: f64,
    /// What, in a sentence.
    pub text: String,
}

/// Lays a program over what was meant: how it runs, and what it does otherwise, in the order of its lines. Fails where it cannot be
/// read.
pub fn differences(program: &str, meant: &Meant) -> Result<(SheetProof, Vec<Difference>), ProgramFault> {
    let (proof, findings) = compared(taken_in(program, meant), meant)?;
    let near = Near::new(&proof);
    let places = |f: &Finding| {
        let sure = f.place.points.clone();
        if sure.is_empty() { vec![Point::ZERO] } else { sure }
    };
    let mut all: Vec<Difference> = findings
        .iter()
        .flat_map(|f| places(f).into_iter().map(move |at| (f, at)))
        .take(MOST)
        .map(|(f, at)| Difference { code: f.code.clone(), line: near.line(at), x: at.x, y: at.y, text: sentence(f, at) })
        .collect();
    all.sort_by_key(|d| d.line);
    Ok((proof, all))
}

/// What is wrong at one of a finding's places.
fn sentence(f: &Finding, at: Point) -> String {
    let what = match f.code.as_str() {
        "burned-astray" => "burns where nothing is to be burned",
        "burned-twice" => "burns what is burned already",
        "not-burned" => "should burn here and does not, or not all the way",
        "picture-wrong" => "burns a row of a picture otherwise than it is toned",
        "off-bed" => "leaves the machine's bed",
        "feed-over" => "goes faster than the machine can",
        "power-over" => "asks for more power than the machine has",
        "outer-first" => "cuts an outline before what lies in it: the part may have moved by then",
        "gouge" => "comes into a part that is to stay whole",
        "wrong-feed" => "burns at another feed than chart and job say",
        "wrong-power" => "burns with another power than chart and job say",
        "wrong-tool" => "works with another tool in the holder than was meant",
        "wrong-air" => "burns with the assist air switched otherwise than chart and job say",
        "wrong-wait" => "waits longer or shorter than chart and machine ask",
        "wrong-height" => "cuts without the torch's height being held, or travels with it held",
        "wrong-stay" => "stands with the beam on for longer or shorter than was meant",
        "left-on" => "ends with the beam or the air on",
        "unsafe-start" => "moves before it has said its units, absolute positions and the beam off",
        "edges-not-once" => "makes an edge of a part never, or twice",
        "not-cut-out" => "leaves on the part what should be cut away",
        "burned-away" => "burns some of the part away",
        _ => return f.text.clone(),
    };
    format!("At {:.2}, {:.2} mm it {what}.", at.x, at.y)
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
