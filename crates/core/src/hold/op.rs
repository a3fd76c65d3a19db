//! What is burned for one step.

use super::Row;
use crate::assign::Process;
use crate::clean::ContourId;
use crate::geometry::{Point, Segment, Vec2};
use crate::order::Step;
use crate::picture::Raster;
use crate::shop::ChartRow;
use std::sync::Arc;

/// What is burned for one step, in sheet mm.
#[derive(Clone, Debug, Default)]
pub struct Op {
    /// The contour; for a sweep the first of those it sweeps.
    pub contour: ContourId,
    /// All contours of a sweep.
    pub swept: Vec<ContourId>,
    /// Index into the sheet's cuts; for a sweep that of the first that it sweeps.
    pub cut: usize,
    /// Index into the sheet's placements.
    pub placement: usize,
    /// Index into the work's items.
    pub item: usize,
    /// Process.
    pub process: Process,
    /// From the pierce to the contour, in the scrap.
    pub lead_in: Vec<Segment>,
    /// The contour after kerf, in pieces between nicks.
    pub runs: Vec<Vec<Segment>>,
    /// From the pierce to the contour for each run after the first: where the torch is lit again behind a nick.
    pub restarts: Vec<Vec<Segment>>,
    /// From the contour back into the scrap.
    pub lead_out: Vec<Segment>,
    /// Engraved rows, for a sweep.
    pub rows: Vec<Row>,
    /// The picture as it burns, for a picture.
    pub raster: Option<Arc<Raster>>,
    /// Distance of rows, mm.
    pub pitch: f64,
    /// Number of the tool, where another than beam or torch is used.
    pub tool: Option<u32>,
    /// Middles of the nicks and the direction across them.
    pub nicks: Vec<(Point, Vec2)>,
    /// Feed, mm/min.
    pub feed: f64,
    /// Power, percent of full.
    pub power: f64,
    /// Power at which a picture's lightest tone burns, percent of full.
    pub least_power: f64,
    /// Times round.
    pub passes: u32,
    /// Wait after piercing, s.
    pub pierce: f64,
    /// Kerf, mm.
    pub kerf: f64,
    /// Assist air.
    pub air: bool,
    /// Length without beam before and after each row, mm.
    pub run_up: f64,
    /// [`Row::reach`] of a picture's rows.
    pub reaches: Vec<(f64, f64)>,
    /// Swept area, mm².
    pub area: f64,
}

impl Op {
    /// Where the head first burns.
    pub fn start(&self) -> Option<Point> {
        let line = self.lead_in.first().or_else(|| self.runs.first().and_then(|r| r.first()));
        line.map(|s| s.start).or_else(|| self.rows.first().map(Row::start)).or_else(|| self.picture_rows().next().map(|r| r.start()))
    }
    /// Where the head last burns.
    pub fn end(&self) -> Option<Point> {
        let line = self.lead_out.last().or_else(|| self.runs.last().and_then(|r| r.last()));
        let picture = || self.picture_rows().last().map(|r| r.end());
        line.map(|s| s.end).or_else(|| self.rows.last().map(Row::end)).or_else(picture)
    }
    /// Rows of a picture from the lowest up, there and back, without those in which nothing burns. Each has one stretch,
    /// from its first to its last burned pixel.
    pub fn picture_rows(&self) -> impl Iterator<Item = Row> + '_ {
        self.numbered_picture_rows().map(|r| r.1)
    }
    /// The same, each with its number in the raster.
    pub fn numbered_picture_rows(&self) -> impl Iterator<Item = (usize, Row)> + '_ {
        let pitch = self.pitch;
        let burned = self.raster.iter().flat_map(|r| (0..r.height).filter_map(move |k| Some((r, k, r.burned(k)?))));
        burned.enumerate().map(move |(i, (r, k, (from, to)))| {
            let x = |c: usize| (r.column + c as i64) as f64 * pitch;
            let at = ((r.row + k as i64) as f64 + 0.5) * pitch;
            let span = (x(from), x(to));
            let reach = self.reaches.get(i).copied().unwrap_or(span);
            (k, Row { way: Vec2::new(1.0, 0.0), at, spans: vec![span], reach, backward: i % 2 == 1 })
        })
    }
    /// Share of full power, in percent, for a picture's burn of 0 to 255.
    pub fn power_of(&self, burn: u8) -> f64 {
        if burn == 0 { 0.0 } else { self.least_power + (self.power - self.least_power) * f64::from(burn) / 255.0 }
    }
    /// True for what is swept in rows.
    pub fn is_swept(&self) -> bool {
        matches!(self.process, Process::Engrave | Process::Picture)
    }
    /// The lead before a run, by its number; empty where it begins on the line.
    pub fn lead_before(&self, run: usize) -> &[Segment] {
        match run.checked_sub(1) {
            None => &self.lead_in,
            Some(i) => self.restarts.get(i).map_or(&[], Vec::as_slice),
        }
    }
    /// All leads.
    pub fn leads(&self) -> impl Iterator<Item = &Segment> {
        self.lead_in.iter().chain(self.restarts.iter().flatten()).chain(&self.lead_out)
    }
    /// Burned length of the contour itself, one pass, leads apart, mm.
    pub fn length(&self) -> f64 {
        self.runs.iter().flatten().map(Segment::length).sum()
    }
    /// Times the beam is lit, one pass.
    pub fn pierces(&self) -> usize {
        self.runs.len()
    }
}

/// Work with the settings of a row and nothing to do yet.
pub(super) fn blank(step: &Step, contour: ContourId, row: &ChartRow) -> Op {
    Op {
        contour,
        swept: Vec::new(),
        cut: step.cut,
        placement: step.placement,
        item: step.item,
        process: step.process,
        lead_in: Vec::new(),
        runs: Vec::new(),
        restarts: Vec::new(),
        lead_out: Vec::new(),
        rows: Vec::new(),
        raster: None,
        pitch: 0.0,
        tool: row.tool,
        nicks: Vec::new(),
        feed: row.feed,
        power: row.power,
        least_power: row.least_power.min(row.power),
        passes: row.passes.max(1),
        pierce: row.pierce,
        kerf: row.kerf,
        air: row.air,
        run_up: 0.0,
        reaches: Vec::new(),
        area: 0.0,
    }
}
