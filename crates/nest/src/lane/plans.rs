//! Plans as lanes, and back.

use super::{Lane, Piece, Room};
use crate::geometry::Point;
use crate::plan::{Filled, Plan, Put};
use crate::problem::Problem;

impl Plan {
    /// The sheets as rooms with their parts.
    pub(crate) fn rooms(&self, problem: &Problem) -> (Vec<Room>, Vec<Piece>) {
        let rooms = self.sheets.iter().map(|s| Room::whole(problem, s.kind)).collect();
        let piece = |room: usize| move |p: &Put| Piece { demand: p.demand, turn: p.turn, room, at: p.at };
        (rooms, self.sheets.iter().enumerate().flat_map(|(r, s)| s.put.iter().map(piece(r))).collect())
    }

    /// What lies apart in a lane's rooms; rooms of one kind by how full they are, empty ones left out.
    pub(crate) fn of(lane: &Lane, problem: &Problem, unplaced: Vec<usize>) -> Self {
        let mut sheets: Vec<Filled> = lane.rooms.iter().map(|r| Filled { kind: r.kind, put: Vec::new() }).collect();
        for p in &lane.pieces {
            sheets[p.room].put.push(Put { demand: p.demand, turn: p.turn, at: p.at });
        }
        let free = |s: &Filled| problem.held[s.kind].is_empty();
        sheets.retain(|s| !s.put.is_empty() || !free(s));
        sheets.sort_by(|a, b| free(a).cmp(&free(b)).then(a.kind.cmp(&b.kind)).then(b.area(problem).total_cmp(&a.area(problem))));
        Self { sheets, unplaced }
    }
}

impl Room {
    /// All of a sheet, less its margin.
    pub(crate) fn whole(problem: &Problem, kind: usize) -> Self {
        let (sheet, margin) = (&problem.sheets[kind], problem.distances.margin);
        Self { kind, end: Point::new(sheet.width - margin, sheet.height - margin) }
    }
}
