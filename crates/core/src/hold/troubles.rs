//! What could not be done as it should at Hold, and what would mend it.

use super::Given;
use super::sweep::ShortRunUp;
use crate::assign::Process;
use crate::clean::{ContourId, Operation};
use crate::decisions::{AssignEdit, CleanEdit, Edit, HoldEdit, JobSetting, NestEdit};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::Point;
use crate::ids::{BatchId, CutId};

/// Lines, each with the place on the sheet where it is in trouble.
type Places = Vec<(ContourId, Point)>;

/// What could not be done as it should, gathered over a sheet.
#[derive(Default)]
pub(super) struct Troubles {
    pub(super) vanished: Places,
    pub(super) narrow: Places,
    pub(super) no_lead: Places,
    /// Pierces that a hand put where their lead touches something.
    pub(super) hand_lead: Places,
    /// Pierces that would be within a kerf of an open cut.
    pub(super) in_a_cut: Places,
    /// Restarts behind nicks that would be on the finished edge.
    pub(super) on_the_edge: Places,
    /// Cuts that copies have in common and that have such nicks.
    pub(super) on_shared_edges: std::collections::BTreeSet<CutId>,
    /// Outlines that should have nicks and have no room for any.
    pub(super) unheld: Places,
    pub(super) small_holes: Places,
    /// In which drawings those are.
    pub(super) drawn_in: std::collections::BTreeSet<(ContourId, u32)>,
    pub(super) large_pictures: Places,
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
        let on = format!("on sheet {}", sheet + 1);
        let to_reference = |at: &Places| {
            Edit::Assign(AssignEdit::SetContours { contours: at.iter().map(|a| a.0).collect(), process: Some(Process::Reference) })
        };
        // Each by its code and severity, how it reads for so many, and what can be done.
        let tell = |at: &Places, severity: Severity, code: Code, text: &dyn Fn(usize) -> String| {
            let found = || Finding::new(Station::Hold, severity, code, at.len(), text(at.len()));
            (!at.is_empty()).then(|| found().on(at.iter().map(|a| a.0)).on_sheet(sheet, at.iter().map(|a| a.1)))
        };
        let holes = |n| counted(n, "hole", "holes");
        let contours = |n| counted(n, "contour", "contours");

        let vanished = tell(&self.vanished, Severity::Stop, Code::HoleVanishes, &|n| {
            format!("{} {on} {} narrower than the kerf and would vanish.", holes(n), are(n))
        });
        let pictures = tell(&self.large_pictures, Severity::Stop, Code::PictureTooLarge, &|n| {
            format!(
                "{} {on} cannot be swept at this pitch: {} of over {} million pixels, or no picture any more.",
                counted(n, "picture", "pictures"),
                if n == 1 { "it would be one" } else { "they would be ones" },
                crate::picture::MOST_PIXELS / 1_000_000
            )
        });
        let narrow = tell(&self.narrow, Severity::Look, Code::NarrowNeck, &|n| {
            format!("{} {on} {} a neck narrower than the kerf; the piece beyond it would be lost.", contours(n), has(n))
        });
        let no_lead = tell(&self.no_lead, Severity::Look, Code::NoLead, &|n| {
            format!("{} {on} {} no free place for a lead and would pierce on the line.", contours(n), has(n))
        });
        let hand_lead = tell(&self.hand_lead, Severity::Look, Code::PierceNotKept, &|n| {
            format!(
                "{} {on} cannot be led in from where a hand put {} pierce: the lead touches a part, a cut, another lead or the edge. {} led in elsewhere.",
                contours(n),
                if n == 1 { "its" } else { "their" },
                if n == 1 { "It is" } else { "They are" },
            )
        });
        let in_a_cut = tell(&self.in_a_cut, Severity::Look, Code::PierceInCut, &|n| {
            format!(
                "{} {on} {} no free place for a lead and would pierce within a kerf of a line that is cut by then: the arc blows out there.",
                contours(n),
                has(n)
            )
        });
        let on_the_edge = tell(&self.on_the_edge, Severity::Look, Code::NickPierce, &|n| {
            let nicks = counted(n, "nick", "nicks");
            format!("Behind {nicks} {on} there is no free place for a lead: the torch would be lit on the finished edge.")
        });
        let unheld = tell(&self.unheld, Severity::Look, Code::NotHeld, &|n| {
            format!(
                "{} {on} {} no room for a nick: {} cut free and may tip or fall.",
                counted(n, "outline", "outlines"),
                has(n),
                if n == 1 { "the part is" } else { "the parts are" }
            )
        });
        let small = tell(&self.small_holes, Severity::Look, Code::SmallHoles, &|n| {
            format!("{} {on} {} narrower than the plate is thick ({thickness} mm) and would come out ragged.", holes(n), are(n))
        });
        [
            vanished.map(|f| f.leaving_out("Leave them out", to_reference(&self.vanished))),
            pictures.map(|f| f.leaving_out("Leave them out", to_reference(&self.large_pictures))),
            narrow.map(|f| f.acceptable("Cut anyway")),
            no_lead.map(|f| f.acceptable("Pierce on the line")),
            hand_lead.map(|f| f.mend("Reset the pierce to the rule", self.pierces_by_rule(given))),
            in_a_cut.map(|f| f.acceptable("Pierce there")),
            on_the_edge.map(|f| f.choice("Leave those nicks off", self.without_nicks(given)).acceptable("Pierce there anyway")),
            unheld.map(|f| f.acceptable("Cut them free")),
            self.slow_rows(sheet, given),
            small.map(|f| {
                f.acceptable("Cut them all the same")
                    .choice("Mark their centres", self.marked())
                    .leaving_out("Leave them out", to_reference(&self.small_holes))
            }),
        ]
        .into_iter()
        .flatten()
        .collect()
    }

    /// The pierces that a hand put where they cannot be, for one copy or all, are the rule's again.
    fn pierces_by_rule(&self, given: &Given) -> Edit {
        let back = |contour: &ContourId| {
            let copies = given.decisions.copy_pierces.iter().filter(|c| c.1.contains_key(contour)).map(|c| Some(*c.0));
            let all = std::iter::once(None).chain(copies).collect::<Vec<_>>();
            let set = |copy| HoldEdit::SetPierce { contour: *contour, pierce: None, copy }.on(BatchId::FIRST);
            all.into_iter().map(set).collect::<Vec<_>>()
        };
        Edit::All { edits: self.hand_lead.iter().flat_map(|p| back(&p.0)).collect() }
    }

    /// Small holes are marks at their centres, to be drilled.
    fn marked(&self) -> Edit {
        let mut drawings: std::collections::BTreeMap<u32, Vec<ContourId>> = std::collections::BTreeMap::new();
        for (contour, drawing) in &self.drawn_in {
            drawings.entry(*drawing).or_default().push(*contour);
        }
        let centre = |(drawing, contours): (u32, Vec<ContourId>)| {
            Edit::Clean(CleanEdit::Operate { drawing, operation: Operation::Centre { contours } })
        };
        Edit::All { edits: drawings.into_iter().map(centre).collect() }
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
                .acceptable("Leave as it is"),
        )
    }
}

fn are(n: usize) -> &'static str {
    if n == 1 { "is" } else { "are" }
}

fn has(n: usize) -> &'static str {
    if n == 1 { "has" } else { "have" }
}
