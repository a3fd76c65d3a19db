//! What Clean tells: each trouble in a sentence, where it is, and what mends it.

mod beside;

use super::chain::Outcome;
use super::crossings::Crossing;
use super::operate::Lost;
use super::overlaps::Overlaps;
use super::{Cleaned, Contour, ContourId, Piece, scan, strays, trace};
use crate::decisions::{AssignEdit, CleanEdit, DrawingDecisions, Edit, IntakeEdit, Mend};
use crate::drawing::{Bitmap, Nature, Style};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Path, Point, Segment, Tolerance, Vec2};
use crate::intake::Intake;
use crate::process::Process;
use rayon::prelude::*;
use std::sync::Arc;

/// A drawing is dense when following its polylines saves at least this share of its edges, and this many.
const DENSE: (f64, usize) = (0.5, 60);

/// Half the width of the cross that marks a centre, mm.
const CROSS: f64 = 1.0;

/// The findings of one drawing as they gather.
pub(super) struct Told<'a> {
    pub(super) file: &'a str,
    pub(super) decisions: &'a DrawingDecisions,
    pub(super) findings: Vec<Finding>,
}

impl Told<'_> {
    /// True when this trouble was decided to be mended.
    pub(super) fn mended(&self, mend: Mend) -> bool {
        self.decisions.mends.contains(&mend)
    }

    pub(super) fn mend(&self, mend: Mend) -> Edit {
        Edit::Clean(CleanEdit::Mend { drawing: self.decisions.id, mend })
    }

    pub(super) fn tell(
        &mut self,
        severity: Severity,
        code: Code,
        count: usize,
        text: String,
        at: impl IntoIterator<Item = Point>,
    ) -> &mut Finding {
        let finding = Finding::new(Station::Clean, severity, code, count, text).at(self.decisions.id, at);
        self.findings.push(finding);
        let last = self.findings.len() - 1;
        &mut self.findings[last]
    }

    pub(super) fn with(&mut self, label: String, edit: Edit, safe: bool) {
        if let Some(last) = self.findings.pop() {
            self.findings.push(if safe { last.mend(label, edit) } else { last.choice(label, edit) });
        }
    }

    /// Outlines of a picture, as pieces of the traced style.
    pub(super) fn traced(&mut self, bitmap: &Bitmap, intake: &Intake, style: usize, pieces: &mut Vec<Piece>) {
        let Some(outlines) = trace::trace(bitmap, &self.decisions.trace) else {
            let text = format!("{} is nothing but specks at this threshold; choose another.", self.file);
            self.tell(Severity::Stop, Code::TraceNoise, 1, text, []);
            let (drawing, usual) = (self.decisions.id, trace::Trace::default());
            if self.decisions.trace != usual {
                self.with("Take the usual settings".into(), Edit::Clean(CleanEdit::SetTrace { drawing, trace: usual }), false);
            }
            self.with("Engrave the picture as it is".into(), Edit::Intake(IntakeEdit::SetEngraved { drawing, on: true }), false);
            self.with("Remove it".into(), Edit::Intake(IntakeEdit::RemoveDrawing { drawing }), false);
            return;
        };
        for (i, path) in outlines.into_iter().enumerate() {
            let start = path.segments[0].start;
            let source = super::identity::mixed(start.x.to_bits() ^ start.y.to_bits().rotate_left(17) ^ i as u64);
            pieces.push(Piece { path: path.transformed(intake.transform), style, source, compound: 1, from: Vec::new() });
        }
        let n = pieces.len();
        let text =
            format!("{} traced from {}. Threshold, specks and smoothness are set at Intake.", counted(n, "outline", "outlines"), self.file);
        self.tell(Severity::Note, Code::Traced, n, text, []);
        self.scan(scan::of_plan(pieces));
    }

    pub(super) fn zero_length(&mut self, at: Vec<Point>) {
        let n = at.len();
        if n == 0 {
            return;
        }
        let text = format!(
            "{} in {} {} no length; each would burn a dot.",
            counted(n, "piece", "pieces"),
            self.file,
            if n == 1 { "has" } else { "have" }
        );
        self.tell(Severity::Look, Code::ZeroLength, n, text, at);
        self.with(format!("Drop the {n}"), self.mend(Mend::DropZero), true);
    }

    pub(super) fn overlaps(&mut self, overlaps: &Overlaps) {
        let n = overlaps.whole + overlaps.part;
        if n > 0 && !self.mended(Mend::RemoveDoubles) {
            let text = if overlaps.part == 0 {
                format!("{} exactly on another in {}; each would be burned twice.", counted(n, "line lies", "lines lie"), self.file)
            } else {
                let part = if overlaps.part == n { "in part".to_owned() } else { format!("{} of them in part", overlaps.part) };
                format!(
                    "{} on another in {}, {part}; what lies on another would be burned twice.",
                    counted(n, "line lies", "lines lie"),
                    self.file
                )
            };
            self.tell(Severity::Look, Code::DoubledLines, n, text, overlaps.places.iter().copied());
            self.with(format!("Remove the {n}"), self.mend(Mend::RemoveDoubles), true);
        }
        if overlaps.crowded {
            let text = format!(
                "Lines in {} lie so thick on each other that not all could be searched for doubles. Thin them out in the drawing, and read it again.",
                self.file
            );
            self.tell(Severity::Look, Code::CrowdedLines, 1, text, []);
            self.with("Go on".into(), Edit::Accept { code: Code::CrowdedLines.to_string(), places: Default::default() }, false);
        }
        let n = overlaps.shared;
        if n > 0 {
            let are = if n == 1 { "is" } else { "are" };
            let text = format!(
                "{} in {} {are} shared by two outlines; they move apart when they are nested.",
                counted(n, "edge", "edges"),
                self.file
            );
            self.tell(Severity::Note, Code::SharedEdges, n, text, overlaps.shared_places.iter().copied());
        }
    }

    pub(super) fn chaining(&mut self, chained: &Outcome) {
        self.nicked(&chained.nicked);
        let largest = |gaps: &[super::chain::Gap]| gaps.iter().map(|g| g.width).fold(0.0, f64::max);
        if let n @ 1.. = chained.joined.len() {
            let text = format!("{} in {} closed, the largest {:.3} mm.", counted(n, "gap", "gaps"), self.file, largest(&chained.joined));
            self.tell(Severity::Note, Code::GapsClosed, n, text, chained.joined.iter().map(|g| g.at));
        }
        if let n @ 1.. = chained.open.len() {
            let largest = largest(&chained.open);
            let text = format!(
                "{} in {} up to {largest:.3} mm wide; an outline with a gap is open and cannot be nested or offset.",
                counted(n, "gap", "gaps"),
                self.file
            );
            let wide = (largest * 1.01 * 1000.0).ceil() / 1000.0;
            self.tell(Severity::Look, Code::Gaps, n, text, chained.open.iter().map(|g| g.at));
            self.with(
                format!("Close gaps up to {wide:.3} mm"),
                Edit::Clean(CleanEdit::SetGap { drawing: self.decisions.id, gap: wide }),
                true,
            );
            self.with("Leave them open".into(), Edit::Accept { code: Code::Gaps.to_string(), places: Default::default() }, false);
        }
        if let n @ 1.. = chained.branches.len() {
            let text = format!(
                "At {} in {} three or more lines meet; the straightest way on was taken.",
                counted(n, "place", "places"),
                self.file
            );
            self.tell(Severity::Note, Code::Branches, n, text, chained.branches.iter().copied());
        }
        if let n @ 1.. = chained.across.len() {
            let text = format!(
                "{} in {} {} only together with lines of another style; {} taken as one outline in the style of {} longest line.",
                counted(n, "outline", "outlines"),
                self.file,
                if n == 1 { "closes" } else { "close" },
                if n == 1 { "it is" } else { "each is" },
                if n == 1 { "its" } else { "its own" },
            );
            self.tell(Severity::Note, Code::TwoStyles, n, text, chained.across.iter().copied());
            self.with("Keep the styles apart".into(), self.mend(Mend::KeepStylesApart), false);
        }
        let (rows, dashes) = &chained.dashes;
        if !rows.is_empty() {
            let text = format!(
                "{dashes} dashes in {} stand in {}; each dash would be a cut or score of its own.",
                self.file,
                counted(rows.len(), "row", "rows")
            );
            let label = format!("Join them to {}", counted(rows.len(), "line", "lines"));
            self.tell(Severity::Look, Code::Dashes, *dashes, text, rows.iter().copied());
            self.with(label, self.mend(Mend::JoinRows), true);
        }
        self.slits(&chained.slits);
    }

    pub(super) fn crossings(&mut self, found: &[Vec<Crossing>]) {
        let outlines = found.iter().filter(|f| !f.is_empty()).count();
        let at: Vec<Point> = found.iter().flatten().map(|c| c.at).collect();
        let text = format!(
            "{} in {} {} in {}; inside and outside change over there.",
            counted(outlines, "outline", "outlines"),
            self.file,
            if outlines == 1 { "crosses itself" } else { "cross themselves" },
            counted(at.len(), "place", "places")
        );
        self.tell(Severity::Look, Code::SelfCrossing, outlines, text, at);
        self.with("Split them into loops".into(), self.mend(Mend::SplitCrossings), true);
    }

    /// Joints that were meant to be smooth; smooth afterwards where that was decided.
    pub(super) fn kinks(&mut self, contours: &mut [super::chain::Chained], swept: &[bool], tolerance: f64) {
        let kinks: Vec<Vec<usize>> =
            contours.par_iter().map(|c| if swept[c.style] { Vec::new() } else { super::kinks::find(&c.path) }).collect();
        let found = || contours.iter().zip(&kinks).filter(|(_, k)| !k.is_empty());
        if self.mended(Mend::SmoothKinks) {
            contours
                .par_iter_mut()
                .zip(&kinks)
                .filter(|(_, k)| !k.is_empty())
                .for_each(|(c, k)| c.path = super::kinks::smoothed(&c.path, k, tolerance));
            return;
        }
        let at: Vec<Point> = found().flat_map(|(c, k)| super::kinks::places(&c.path, k)).collect();
        if let n @ 1.. = at.len() {
            let text = format!(
                "{} in {} {} nearly smooth but {} by a few degrees; the machine brakes there and may leave a mark.",
                counted(n, "joint", "joints"),
                self.file,
                if n == 1 { "is" } else { "are" },
                if n == 1 { "bends" } else { "bend" },
            );
            self.tell(Severity::Note, Code::Kinks, n, text, at);
            self.with(format!("Smooth the {n}"), self.mend(Mend::SmoothKinks), true);
        }
    }

    /// Points of the drawing, and the crosses that they become where that was decided.
    pub(super) fn centres(&mut self, pieces: &mut Vec<Piece>, styles: &[Style]) {
        let points: Vec<Piece> = pieces.extract_if(.., |p| styles[p.style].nature == Nature::Centre).collect();
        let at: Vec<Point> = points.iter().filter_map(super::start_of).collect();
        if self.mended(Mend::MarkCentres) {
            for (p, point) in points.iter().zip(&at) {
                for (k, arm) in [Vec2::new(CROSS, 0.0), Vec2::new(0.0, CROSS)].into_iter().enumerate() {
                    let path = Path::new(vec![Segment::line(*point - arm, *point + arm)], false);
                    let source = super::identity::mixed(p.source ^ (k as u64 + 1));
                    pieces.push(Piece { path, style: p.style, source, compound: 0, from: Vec::new() });
                }
            }
        } else if let n @ 1.. = at.len() {
            let text = format!(
                "{} in {} could be marked as centres; as {} they are not sent.",
                counted(n, "point", "points"),
                self.file,
                "points"
            );
            self.tell(Severity::Note, Code::Points, n, text, at);
            self.with(
                format!("Mark {} with a cross", if n == 1 { "it".into() } else { format!("the {n}") }),
                self.mend(Mend::MarkCentres),
                false,
            );
        }
    }

    pub(super) fn lost(&mut self, lost: &[Lost]) {
        for l in lost {
            let text = format!("“{}” has nothing left to work on in {}: its contours are gone from the drawing.", l.sentence, self.file);
            self.tell(Severity::Look, Code::OperationLost, 1, text, []);
            self.with("Take it back".into(), Edit::Clean(CleanEdit::TakeBack { drawing: self.decisions.id, at: l.at }), false);
        }
    }

    /// Contours too small to be meant.
    pub(super) fn specks(&mut self, contours: &mut Vec<Arc<Contour>>, tolerance: &Tolerance) {
        let mut specks = strays::specks(contours, tolerance.speck);
        // What has no length at all is told by itself.
        specks.retain(|i| !contours[*i].style.aside() && !contours[*i].style.added && contours[*i].length >= tolerance.same);
        if self.mended(Mend::DropSpecks) {
            let mut at = 0;
            contours.retain(|_| {
                at += 1;
                specks.binary_search(&(at - 1)).is_err()
            });
        } else if let n @ 1.. = specks.len() {
            let text = format!(
                "{} in {} {} smaller than {} mm; a burn there is a dot.",
                counted(n, "contour", "contours"),
                self.file,
                if n == 1 { "is" } else { "are" },
                tolerance.speck
            );
            let at: Vec<Point> = specks.iter().map(|i| contours[*i].bounds.center()).collect();
            self.tell(Severity::Look, Code::Specks, n, text, at);
            self.with(format!("Drop the {n}"), self.mend(Mend::DropSpecks), true);
        }
    }

    /// Polylines that lines and arcs would follow with far fewer pieces.
    pub(super) fn dense(&mut self, contours: &[Arc<Contour>], tolerance: f64) {
        let long: Vec<&Arc<Contour>> = contours
            .iter()
            .filter(|c| c.path.segments.len() > 12 && c.path.segments.iter().all(crate::geometry::Segment::is_line))
            .collect();
        let edges: usize = long.iter().map(|c| c.path.segments.len()).sum();
        if edges < DENSE.1 {
            return;
        }
        let fitted = |t: f64| -> usize { long.par_iter().map(|c| c.path.refitted(t).segments.len()).sum() };
        // Stairs from a tracing need half their step.
        let step = long.iter().map(|c| c.length / c.path.segments.len() as f64).sum::<f64>() / long.len() as f64;
        let wide = (step * 0.75 * 1000.0).ceil() / 1000.0;
        let found = [tolerance, wide]
            .into_iter()
            .filter(|t| (0.001..=0.5).contains(t))
            .map(|t| (t, fitted(t)))
            .find(|(_, n)| (*n as f64) < DENSE.0 * edges as f64);
        let Some((within, after)) = found else { return };
        let text = format!(
            "{} are drawn as {edges} short lines in {}; {after} lines and arcs follow them within {within} mm, and the machine runs smoothly.",
            counted(long.len(), "curve", "curves"),
            self.file
        );
        let text = if long.len() == 1 { text.replacen("1 curve are", "1 curve is", 1) } else { text };
        self.tell(Severity::Note, Code::Dense, edges, text, long.iter().map(|c| c.path.segments[0].start));
        self.with(
            format!("Follow them: {edges} to {after}"),
            Edit::Clean(CleanEdit::Refit { drawing: self.decisions.id, tolerance: Some(within) }),
            false,
        );
    }
}

/// What lies far from the rest among the contours of a drawing that are to be made: it may have come along. Looked for once
/// processes are known, so that what is reference already is not told again.
pub(super) fn far_off(drawing: &Cleaned, made: &[Arc<Contour>]) -> Option<Finding> {
    let at = strays::far(made);
    let ids: Vec<ContourId> = at.iter().map(|i| made[*i].id).collect();
    let text = format!(
        "{} in {} {} far from the rest, perhaps left over.",
        counted(at.len(), "contour", "contours"),
        drawing.name,
        if at.len() == 1 { "lies" } else { "lie" }
    );
    let mut finding = Finding::new(Station::Clean, Severity::Look, Code::FarOff, at.len(), text)
        .at(drawing.drawing, at.iter().map(|i| made[*i].bounds.center()))
        .mend("Make them reference", Edit::Assign(AssignEdit::SetContours { contours: ids.clone(), process: Some(Process::Reference) }))
        .acceptable("They belong to it");
    finding.place.contours = ids;
    (finding.count > 0).then_some(finding)
}
