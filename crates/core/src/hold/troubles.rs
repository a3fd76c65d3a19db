//! What could not be done as it should at Hold, and what would mend it.

use super::Given;
use super::sweep::ShortRunUp;
use crate::assign::Process;
use crate::clean::{ContourId, Operation};
use crate::decisions::{AssignEdit, CleanEdit, Edit, HoldEdit, JobSetting, NestEdit};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::Point;
use crate::ids::{BatchId, CutId};

/// What could not be done as it should, gathered over a sheet.
#[derive(Default)]
pub(super) struct Troubles {
    pub(super) vanished: Vec<(ContourId, Point)>,
    pub(super) narrow: Vec<(ContourId, Point)>,
    pub(super) no_lead: Vec<(ContourId, Point)>,
    /// Pierces that a hand put where their lead touches something.
    pub(super) hand_lead: Vec<(ContourId, Point)>,
    /// Pierces that would be within a kerf of an open cut.
    pub(super) in_a_cut: Vec<(ContourId, Point)>,
    /// Restarts behind nicks that would be on the finished edge.
    pub(super) on_the_edge: Vec<(ContourId, Point)>,
    /// Cuts that copies have in common and that have such nicks.
    pub(super) on_shared_edges: std::collections::BTreeSet<CutId>,
    pub(super) small_holes: Vec<(ContourId, Point)>,
    /// In which drawings those are.
    pub(super) drawn_in: std::collections::BTreeSet<(ContourId, u32)>,
    pub(super) large_pictures: Vec<(ContourId, Point)>,
    pub(super) short_run_up: Vec<ShortRunUp>,
}

impl Troubles {
    /// The lines behind whose nicks there is no place for a lead get none, whoever set them: the rule, or a hand, for one copy or all.
    fn without_nicks(&self, given: &Given) -> Edit {
        let shared: std::collections::BTreeSet<ContourId> = self.on_shared_edges.iter().map(|c| c.contour).collect();
        let contours: std::collections::BTreeSet<ContourId> =
            self.on_the_edge.iter().map(|at| at.0).filter(|c| !shared.contains(c)).collect();
        let none = || Some(Vec::new());
        let own = contours.iter().flat_map(|contour| {
            let copies = given.decisions.copy_nicks.iter().filter(|c| c.1.contains_key(contour)).map(|c| Some(*c.0));
            let all = std::iter::once(None).chain(copies).collect::<Vec<_>>();
            all.into_iter().map(|copy| HoldEdit::SetNickPlaces { contour: *contour, places: none(), copy })
        });
        let common = self.on_shared_edges.iter().map(|cut| HoldEdit::SetCommonNicks { cut: *cut, places: none() });
        Edit::All { edits: own.chain(common).map(|e| e.on(BatchId::FIRST)).collect() }
    }

    pub(super) fn findings(self, sheet: usize, given: &Given) -> Vec<Finding> {
        let thickness = given.thickness;
        let place = |f: Finding, at: &[(ContourId, Point)]| f.on(at.iter().map(|a| a.0)).on_sheet(sheet, at.iter().map(|a| a.1));
        let mut out = Vec::new();
        let on = format!("on sheet {}", sheet + 1);
        if let n @ 1.. = self.vanished.len() {
            let text = format!("{} {on} {} narrower than the kerf and would vanish.", counted(n, "hole", "holes"), are(n));
            let drop = Edit::Assign(AssignEdit::SetContours {
                contours: self.vanished.iter().map(|v| v.0).collect(),
                process: Some(Process::Reference),
            });
            out.push(
                place(Finding::new(Station::Hold, Severity::Stop, Code::HoleVanishes, n, text), &self.vanished)
                    .leaving_out("Leave them out", drop),
            );
        }
        if let n @ 1.. = self.large_pictures.len() {
            let text = format!(
                "{} {on} cannot be swept at this pitch: {} of over {} million pixels, or no picture any more.",
                counted(n, "picture", "pictures"),
                if n == 1 { "it would be one" } else { "they would be ones" },
                crate::picture::MOST_PIXELS / 1_000_000
            );
            let drop = Edit::Assign(AssignEdit::SetContours {
                contours: self.large_pictures.iter().map(|v| v.0).collect(),
                process: Some(Process::Reference),
            });
            let finding = Finding::new(Station::Hold, Severity::Stop, Code::PictureTooLarge, n, text);
            out.push(place(finding, &self.large_pictures).leaving_out("Leave them out", drop));
        }
        if let n @ 1.. = self.narrow.len() {
            let text = format!(
                "{} {on} {} a neck narrower than the kerf; the piece beyond it would be lost.",
                counted(n, "contour", "contours"),
                has(n)
            );
            out.push(place(Finding::new(Station::Hold, Severity::Look, Code::NarrowNeck, n, text), &self.narrow).acceptable("Cut it so"));
        }
        if let n @ 1.. = self.no_lead.len() {
            let text =
                format!("{} {on} {} no free place for a lead and would pierce on the line.", counted(n, "contour", "contours"), has(n));
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, Code::NoLead, n, text), &self.no_lead).acceptable("Pierce on the line"),
            );
        }
        if let n @ 1.. = self.hand_lead.len() {
            let text = format!(
                "{} {on} cannot be led in from where a hand put {} pierce: the lead touches a part, a cut, another lead or the edge. {} led in elsewhere.",
                counted(n, "contour", "contours"),
                if n == 1 { "its" } else { "their" },
                if n == 1 { "It is" } else { "They are" },
            );
            let back = |contour: &ContourId| {
                let copies = given.decisions.copy_pierces.iter().filter(|c| c.1.contains_key(contour)).map(|c| Some(*c.0));
                let all = std::iter::once(None).chain(copies).collect::<Vec<_>>();
                all.into_iter()
                    .map(|copy| HoldEdit::SetPierce { contour: *contour, pierce: None, copy }.on(BatchId::FIRST))
                    .collect::<Vec<_>>()
            };
            let edits = self.hand_lead.iter().flat_map(|p| back(&p.0)).collect();
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, Code::PierceNotKept, n, text), &self.hand_lead)
                    .mend("Leave the pierce to the rule", Edit::All { edits }),
            );
        }
        if let n @ 1.. = self.in_a_cut.len() {
            let text = format!(
                "{} {on} {} no free place for a lead and would pierce within a kerf of a line that is cut by then: the arc blows out there.",
                counted(n, "contour", "contours"),
                has(n)
            );
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, Code::PierceInCut, n, text), &self.in_a_cut).acceptable("Pierce there"),
            );
        }
        if let n @ 1.. = self.on_the_edge.len() {
            let text = format!(
                "Behind {} {on} there is no free place for a lead: the torch would be lit on the finished edge.",
                counted(n, "nick", "nicks")
            );
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, Code::NickPierce, n, text), &self.on_the_edge)
                    .choice("Leave those nicks off", self.without_nicks(given))
                    .acceptable("Light it there"),
            );
        }
        out.extend(self.slow_rows(sheet, given));
        if let n @ 1.. = self.small_holes.len() {
            let text = format!(
                "{} {on} {} narrower than the plate is thick ({thickness} mm) and would come out ragged.",
                counted(n, "hole", "holes"),
                are(n)
            );
            let contours: Vec<ContourId> = self.small_holes.iter().map(|v| v.0).collect();
            let mut drawings: std::collections::BTreeMap<u32, Vec<ContourId>> = std::collections::BTreeMap::new();
            for (contour, drawing) in &self.drawn_in {
                drawings.entry(*drawing).or_default().push(*contour);
            }
            let centre = |(drawing, contours): (u32, Vec<ContourId>)| {
                Edit::Clean(CleanEdit::Operate { drawing, operation: Operation::Centre { contours } })
            };
            let marked = Edit::All { edits: drawings.into_iter().map(centre).collect() };
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, Code::SmallHoles, n, text), &self.small_holes)
                    .acceptable("Cut them all the same")
                    .choice("Mark their centres", marked)
                    .leaving_out("Leave them out", Edit::Assign(AssignEdit::SetContours { contours, process: Some(Process::Reference) })),
            );
        }
        out
    }

    /// Engraving so near the bed's edge that the head is not up to speed where it burns.
    fn slow_rows(&self, sheet: usize, given: &Given) -> Option<Finding> {
        let worst = self.short_run_up.iter().min_by(|a, b| a.share.total_cmp(&b.share))?;
        let n = self.short_run_up.len();
        let text = format!(
            "{} on sheet {} {} so near the edge of {}'s bed that rows begin or end at {:.0} of {:.0} mm/s: too deep there at full power.",
            counted(n, "engraving", "engravings"),
            sheet + 1,
            if n == 1 { "lies" } else { "lie" },
            given.machine.name,
            worst.share * worst.feed / 60.0,
            worst.feed / 60.0
        );
        let id = given.next_setting;
        // Slower the run-up is shorter (v² / 2a), and the power falls with the feed so that as much is burned per mm.
        let feed = (worst.share * worst.feed * 0.98 / 10.0).floor() * 10.0;
        let power = (worst.power * feed / worst.feed * 10.0).round() / 10.0;
        let setting = JobSetting {
            id,
            name: format!("{} near the edge", worst.process.name()),
            process: worst.process,
            feed: Some(feed.max(1.0)),
            power: Some(power.max(0.1)),
            passes: None,
            pitch: None,
            tool: None,
            kerf: None,
        };
        let contours = self.short_run_up.iter().filter(|s| s.process == worst.process).flat_map(|s| s.contours.iter().copied()).collect();
        let slower = Edit::All {
            edits: vec![
                Edit::Assign(AssignEdit::SetSetting { setting }),
                Edit::Assign(AssignEdit::UseForContours { contours, setting: Some(id) }),
            ],
        };
        let margin = (worst.run_up + given.terms.margin).ceil();
        Some(
            Finding::new(Station::Hold, Severity::Look, Code::ShortRunUp, n, text)
                .on(self.short_run_up.iter().flat_map(|s| s.contours.iter().copied()))
                .on_sheet(sheet, self.short_run_up.iter().map(|s| s.at))
                .choice(format!("Sweep them at {feed:.0} mm/min, {power} %"), slower)
                .choice(format!("Nest again {margin} mm from the edge"), NestEdit::SetMargin { margin: Some(margin) }.on(BatchId::FIRST))
                .acceptable("Leave it so"),
        )
    }
}

fn are(n: usize) -> &'static str {
    if n == 1 { "is" } else { "are" }
}

fn has(n: usize) -> &'static str {
    if n == 1 { "has" } else { "have" }
}
