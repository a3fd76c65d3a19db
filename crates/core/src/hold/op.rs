//! What is burned for one step.

use super::{Approach, Row};
use crate::assign::Process;
use crate::geometry::{Point, Segment, Vec2};
use crate::ids::ContourId;
use crate::order::Step;
use crate::picture::Raster;
use crate::shop::ChartRow;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// What is burned for one step, in sheet mm.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Op {
    /// The contour; for a sweep the first of those it sweeps.
    pub contour: ContourId,
    /// Index into the sheet's cuts; for a sweep that of the first that it sweeps.
    pub cut: usize,
    /// Index into the sheet's placements.
    pub placement: usize,
    /// Index into the work's items.
    pub item: usize,
    /// Process.
    pub process: Process,
    /// Number of the tool, where another than beam or torch is used.
    pub tool: Option<u32>,
    /// Feed, mm/min.
    pub feed: f64,
    /// Power, percent of full.
    pub power: f64,
    /// Times round.
    pub passes: u32,
    /// What is left of several passes, or of a line with its begin once more: its lines and rows stand as often as they are burned.
    pub written_out: bool,
    /// Wait after piercing, s.
    pub pierce: f64,
    /// Kerf, mm.
    pub kerf: f64,
    /// Assist air.
    pub air: bool,
    /// What the head does.
    pub doing: Doing,
}

/// The three kinds of work.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub enum Doing {
    /// Along a line.
    Line(Track),
    /// Over areas, in rows.
    Sweep(AreaSweep),
    /// Over a picture, in rows.
    Picture(PictureSweep),
}

impl Default for Doing {
    fn default() -> Self {
        Self::Line(Track::NONE)
    }
}

/// A line that is followed.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Track {
    /// How the head comes there.
    pub approach: Approach,
    /// From the pierce to the contour, in the scrap.
    pub lead_in: Vec<Segment>,
    /// The contour after kerf, in pieces between nicks.
    pub runs: Vec<Vec<Segment>>,
    /// From the pierce to the contour for each run after the first: where the torch is lit again behind a nick.
    pub restarts: Vec<Vec<Segment>>,
    /// From the contour back into the scrap.
    pub lead_out: Vec<Segment>,
    /// Middles of the nicks and the direction across them.
    pub nicks: Vec<(Point, Vec2)>,
    /// Lit from the end of the cut before to its lead, through the scrap: it is not pierced.
    pub bridge: Vec<Segment>,
    /// What is burned once more at its end, over its begin.
    pub again: Vec<Segment>,
    /// Pieces of runs, by run and number in it, at whose end the head stands for `dwell`.
    pub dwells: Vec<(usize, usize)>,
    /// How long, s.
    pub dwell: f64,
}

impl Track {
    const NONE: Self = Self {
        approach: Approach { by: Vec::new(), lifted: false },
        lead_in: Vec::new(),
        runs: Vec::new(),
        restarts: Vec::new(),
        lead_out: Vec::new(),
        nicks: Vec::new(),
        bridge: Vec::new(),
        again: Vec::new(),
        dwells: Vec::new(),
        dwell: 0.0,
    };
}

/// Areas that are swept in rows.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct AreaSweep {
    /// All contours of it.
    pub swept: Vec<ContourId>,
    /// The rows, in order.
    pub rows: Vec<Row>,
    /// Distance of rows, mm.
    pub pitch: f64,
    /// Length without beam before and after each row, mm.
    pub run_up: f64,
    /// Swept area, mm².
    pub area: f64,
}

/// A picture that is swept in rows.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct PictureSweep {
    /// The picture as it burns.
    pub raster: Arc<Raster>,
    /// Distance of rows, mm.
    pub pitch: f64,
    /// Length without beam before and after each row, mm.
    pub run_up: f64,
    /// Swept area, mm².
    pub area: f64,
    /// Power at which its lightest tone burns, percent of full.
    pub least_power: f64,
    /// [`Row::reach`] of its rows.
    pub reaches: Vec<(f64, f64)>,
    /// What stays dark for so long within a row is crossed at travel speed, mm; 0 where nothing is.
    pub fast_gap: f64,
    /// Rows that were burned before, from the first on: of the first pass they are left out.
    pub done: usize,
}

impl Op {
    /// The line that it follows; none of anything where it follows none.
    pub fn line(&self) -> &Track {
        static NONE: Track = Track::NONE;
        if let Doing::Line(line) = &self.doing { line } else { &NONE }
    }
    /// The picture that it burns.
    pub fn picture(&self) -> Option<&PictureSweep> {
        if let Doing::Picture(picture) = &self.doing { Some(picture) } else { None }
    }
    /// Its rows, for a sweep.
    pub fn rows(&self) -> &[Row] {
        if let Doing::Sweep(sweep) = &self.doing { &sweep.rows } else { &[] }
    }
    /// All contours that it works on.
    pub fn contours(&self) -> Vec<ContourId> {
        match &self.doing {
            Doing::Sweep(sweep) if !sweep.swept.is_empty() => sweep.swept.clone(),
            _ => vec![self.contour],
        }
    }
    /// Distance of rows, mm; 0 for a line.
    pub fn pitch(&self) -> f64 {
        self.in_rows().0
    }
    /// Length without beam before and after each row, mm.
    pub fn run_up(&self) -> f64 {
        self.in_rows().1
    }
    /// Swept area, mm².
    pub fn area(&self) -> f64 {
        self.in_rows().2
    }
    fn in_rows(&self) -> (f64, f64, f64) {
        match &self.doing {
            Doing::Line(_) => (0.0, 0.0, 0.0),
            Doing::Sweep(s) => (s.pitch, s.run_up, s.area),
            Doing::Picture(p) => (p.pitch, p.run_up, p.area),
        }
    }
    /// Where the head first burns.
    pub fn start(&self) -> Option<Point> {
        let l = self.line();
        let line = l.lead_in.first().or_else(|| l.runs.first().and_then(|r| r.first()));
        line.map(|s| s.start)
            .or_else(|| self.rows().first().map(Row::start))
            .or_else(|| self.picture_rows().nth(self.done()).map(|r| r.start()))
    }
    /// Where the head last burns.
    pub fn end(&self) -> Option<Point> {
        let l = self.line();
        let line = l.lead_out.last().or(l.again.last()).or_else(|| l.runs.last().and_then(|r| r.last()));
        let picture = || self.picture_rows().last().map(|r| r.end());
        line.map(|s| s.end).or_else(|| self.rows().last().map(Row::end)).or_else(picture)
    }
    /// Rows of a picture from the lowest up, there and back, without those in which nothing burns. Each has one stretch,
    /// from its first to its last burned pixel.
    pub fn picture_rows(&self) -> impl Iterator<Item = Row> + '_ {
        self.numbered_picture_rows().map(|r| r.1)
    }
    /// The same, each with its number in the raster.
    pub fn numbered_picture_rows(&self) -> impl Iterator<Item = (usize, Row)> + '_ {
        let burned = self.picture().into_iter().flat_map(|p| (0..p.raster.height).filter_map(move |k| Some((p, k, p.raster.burned(k)?))));
        burned.enumerate().map(move |(i, (p, k, (from, to)))| {
            let (r, pitch) = (&p.raster, p.pitch);
            let x = |c: usize| (r.column + c as i64) as f64 * pitch;
            let at = ((r.row + k as i64) as f64 + 0.5) * pitch;
            let span = (x(from), x(to));
            let reach = p.reaches.get(i).copied().unwrap_or(span);
            (k, Row { way: Vec2::new(1.0, 0.0), at, spans: vec![span], reach, backward: i % 2 == 1, fast: Vec::new() })
        })
    }
    /// Rows of a picture that were burned before.
    pub fn done(&self) -> usize {
        self.picture().map_or(0, |p| p.done)
    }
    /// Times that a row is swept, all passes together.
    pub fn sweeps(&self) -> usize {
        (self.rows().len() + self.picture_rows().count()) * self.passes as usize - self.done()
    }
    /// Share of full power, in percent, for a picture's burn of 0 to 255.
    pub fn power_of(&self, burn: u8) -> f64 {
        let least = self.picture().map_or(0.0, |p| p.least_power);
        if burn == 0 { 0.0 } else { least + (self.power - least) * f64::from(burn) / 255.0 }
    }
    /// True for what is swept in rows.
    pub fn is_swept(&self) -> bool {
        !matches!(self.doing, Doing::Line(_))
    }
    /// The lead before a run, by its number; empty where it begins on the line.
    pub fn lead_before(&self, run: usize) -> &[Segment] {
        match run.checked_sub(1) {
            None => &self.line().lead_in,
            Some(i) => self.line().restarts.get(i).map_or(&[], Vec::as_slice),
        }
    }
    /// All leads.
    pub fn leads(&self) -> impl Iterator<Item = &Segment> {
        let l = self.line();
        l.bridge.iter().chain(&l.lead_in).chain(l.restarts.iter().flatten()).chain(&l.lead_out)
    }
    /// Burned length of the contour itself, one pass, leads apart, mm.
    pub fn length(&self) -> f64 {
        self.line().runs.iter().flatten().map(Segment::length).sum()
    }
    /// Times the beam is lit, one pass.
    pub fn pierces(&self) -> usize {
        self.line().runs.len().saturating_sub(usize::from(!self.line().bridge.is_empty()))
    }
    /// How long the head stands in corners where it burns this piece of a run, s.
    pub fn dwell_after(&self, run: usize, piece: usize) -> f64 {
        if self.line().dwells.contains(&(run, piece)) { self.line().dwell } else { 0.0 }
    }
}

/// Work with the settings of a row and nothing to do yet.
pub(super) fn blank(step: &Step, contour: ContourId, row: &ChartRow) -> Op {
    Op {
        contour,
        cut: step.cut,
        placement: step.placement,
        item: step.item,
        process: step.process,
        tool: row.tool,
        feed: row.feed,
        power: row.power,
        passes: row.passes.max(1),
        written_out: false,
        pierce: row.pierce,
        kerf: row.kerf,
        air: row.air,
        doing: Doing::default(),
    }
}
