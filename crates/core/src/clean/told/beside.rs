//! What is told of lines beside and over each other, and of letters.

use super::Told;
use crate::clean::Operation;
use crate::clean::operate::Odd;
use crate::decisions::{CleanEdit, Edit, IntakeEdit, Mend};
use crate::finding::{Code, Severity, counted};
use crate::geometry::Point;
use crate::lettering;

impl Told<'_> {
    /// Slits in a row: what a hinge, a perforation, a stitch consists of; or a dashed line that came as its dashes.
    pub(in crate::clean) fn slits(&mut self, (rows, slits): &(Vec<Point>, usize)) {
        if rows.is_empty() {
            return;
        }
        let rows_of = counted(rows.len(), "row", "rows");
        let text = format!(
            "{slits} slits in {} stand in {rows_of}: a hinge, a perforation, or a dashed line? They are kept as they are.",
            self.file
        );
        self.tell(Severity::Look, Code::Slits, *slits, text, rows.iter().copied());
        self.with("Keep them".into(), Edit::Accept { code: Code::Slits.to_string(), places: Default::default() }, false);
        self.with(format!("Join them to {}", counted(rows.len(), "line", "lines")), self.mend(Mend::JoinDashes), false);
    }

    /// Operations that came to nothing, to less than was asked, or to harm.
    pub(in crate::clean) fn odd(&mut self, odd: Vec<Odd>) {
        for o in odd {
            let text = format!("“{}” in {}: {}.", o.sentence, self.file, o.judged.said.join("; "));
            let n = o.judged.at.len().max(1);
            self.tell(Severity::Look, Code::OperationOdd, n, text, o.judged.at);
            let kept = self.findings.pop().map(|f| f.acceptable("It is meant"));
            self.findings.extend(kept);
            self.with("Take it back".into(), Edit::Clean(CleanEdit::TakeBack { drawing: self.decisions.id, at: o.at }), false);
        }
    }

    /// A tracing that is of a plan, by what it shows.
    pub(in crate::clean) fn scan(&mut self, shows: Option<String>) {
        let Some(shows) = shows else { return };
        let text = format!(
            "{} looks like a scan of a plan: it shows {shows}. Traced, the paper would be cut with the parts, and no figure of it is read. Make what is not to be cut reference at Assign, or draw its parts anew over it.",
            self.file
        );
        self.tell(Severity::Look, Code::ScanOfPlan, 1, text, []);
        self.with("It is no plan".into(), Edit::Accept { code: Code::ScanOfPlan.to_string(), places: Default::default() }, false);
        let drawing = self.decisions.id;
        self.with("Engrave the picture as it is".into(), Edit::Intake(IntakeEdit::SetEngraved { drawing, on: true }), false);
    }

    /// Open lines with a fill.
    pub(in crate::clean) fn filled_open(&mut self, at: Vec<Point>) {
        let n = at.len();
        if n == 0 {
            return;
        }
        let text = format!(
            "{} in {} {} filled; as {} open only the line is made, and nothing of the area.",
            counted(n, "open line", "open lines"),
            self.file,
            if n == 1 { "is" } else { "are" },
            if n == 1 { "it is" } else { "they are" },
        );
        self.tell(Severity::Look, Code::FilledOpen, n, text, at);
        self.with("Only the lines".into(), Edit::Accept { code: Code::FilledOpen.to_string(), places: Default::default() }, false);
        self.with("Close them as they are filled".into(), self.mend(Mend::CloseFilled), false);
    }

    /// Outlines that are drawn twice, up to `apart` mm from each other.
    pub(in crate::clean) fn near_twins(&mut self, at: Vec<Point>, apart: f64) {
        let n = at.len();
        let text = format!(
            "{} in {} {} drawn twice, up to {apart:.3} mm apart; as {} would be cut twice.",
            counted(n, "outline", "outlines"),
            self.file,
            if n == 1 { "is" } else { "are" },
            if n == 1 { "it stands it" } else { "they stand they" },
        );
        self.tell(Severity::Look, Code::NearTwins, n, text, at);
        self.with(format!("Keep one of {}", if n == 1 { "the two" } else { "each two" }), self.mend(Mend::DropNearTwins), true);
        self.with("Cut both".into(), Edit::Accept { code: Code::NearTwins.to_string(), places: Default::default() }, false);
    }

    /// Outlines that were not compared with those beside them.
    pub(in crate::clean) fn not_compared(&mut self, at: Vec<Point>) {
        let n = at.len();
        if n == 0 {
            return;
        }
        let text = format!(
            "{} in {} {} not compared with what lies on {}: there are too many sides. If {} drawn twice, {} would be cut twice; look at {}, or export the drawing with fewer points.",
            counted(n, "outline", "outlines"),
            self.file,
            if n == 1 { "was" } else { "were" },
            if n == 1 { "it" } else { "them" },
            if n == 1 { "it is" } else { "they are" },
            if n == 1 { "it" } else { "they" },
            if n == 1 { "it" } else { "them" },
        );
        self.tell(Severity::Look, Code::NearTwins, n, text, at);
        self.with("Cut as drawn".into(), Edit::Accept { code: Code::NearTwins.to_string(), places: Default::default() }, false);
    }

    /// Lines that were drawn as areas up to `wide` mm wide.
    pub(in crate::clean) fn lines_as_areas(&mut self, at: Vec<Point>, wide: f64) {
        let n = at.len();
        let text = format!(
            "{} in {} {} drawn as an area up to {wide:.2} mm wide, with two edges side by side all along. Cut along the middle?",
            counted(n, "line", "lines"),
            self.file,
            if n == 1 { "is" } else { "are each" },
        );
        self.tell(Severity::Look, Code::LineAsArea, n, text, at);
        self.with("Cut both edges".into(), Edit::Accept { code: Code::LineAsArea.to_string(), places: Default::default() }, false);
        self.with("Cut along the middle".into(), self.mend(Mend::TakeMiddles), false);
    }

    /// Lines drawn as areas that no middle could be made of.
    pub(in crate::clean) fn without_middle(&mut self, at: Vec<Point>) {
        let n = at.len();
        if n == 0 {
            return;
        }
        let text = format!(
            "Of {} in {} that {} drawn as an area no middle can be made: both edges stay, and would be cut side by side. Make one of them reference at Assign.",
            counted(n, "line", "lines"),
            self.file,
            if n == 1 { "is" } else { "are" },
        );
        self.tell(Severity::Look, Code::LineAsArea, n, text, at);
        self.with("Cut both edges".into(), Edit::Accept { code: Code::LineAsArea.to_string(), places: Default::default() }, false);
    }

    /// Outlines that were left out because nothing shows them.
    pub(in crate::clean) fn unseen(&mut self, at: Vec<Point>) {
        let n = at.len();
        let text = format!(
            "{} of filled shapes in {} cannot be seen, as by the file's fill rule both sides are filled; {} left out.",
            counted(n, "outline", "outlines"),
            self.file,
            if n == 1 { "it was" } else { "they were" }
        );
        self.tell(Severity::Note, Code::UnseenOutlines, n, text, at);
        self.with("Keep them".into(), self.mend(Mend::KeepUnseen), false);
    }

    /// Filled shapes that lie wholly on others of their look.
    pub(in crate::clean) fn covered(&mut self, at: Vec<Point>) {
        let n = at.len();
        let text = format!(
            "{} in {} {} wholly on others of {} colour, where {} not show; by shape {} cut as {}.",
            counted(n, "filled shape", "filled shapes"),
            self.file,
            if n == 1 { "lies" } else { "lie" },
            if n == 1 { "its" } else { "their" },
            if n == 1 { "it does" } else { "they do" },
            if n == 1 { "it is" } else { "they are" },
            if n == 1 { "an opening" } else { "openings" },
        );
        let code = Code::CoveredShapes;
        self.tell(Severity::Look, code, n, text, at);
        self.with("Cut them as openings".into(), Edit::Accept { code: code.to_string(), places: Default::default() }, false);
        self.with("Leave them out".into(), self.mend(Mend::DropCovered), false);
    }

    /// Filled shapes that were welded to so many outlines.
    pub(in crate::clean) fn welded(&mut self, shapes: usize, outlines: usize, at: Vec<Point>) {
        let text = format!(
            "{} in {} lie over others of their colour and show as one: they were welded to {}.",
            counted(shapes, "filled shape", "filled shapes"),
            self.file,
            counted(outlines, "outline", "outlines")
        );
        self.tell(Severity::Note, Code::OverlapsWelded, shapes, text, at);
        self.with("Keep them apart".into(), self.mend(Mend::KeepOverlaps), false);
    }

    /// Drawn outlines that lie over each other.
    pub(in crate::clean) fn overlapping(&mut self, outlines: usize, at: Vec<Point>) {
        let text = format!(
            "{} in {} lie partly over others of their style; cut as they are, each goes through the other's part.",
            counted(outlines, "closed outline", "closed outlines"),
            self.file
        );
        self.tell(Severity::Look, Code::OutlinesOverlap, outlines, text, at);
        // What was to be welded and is still apart cannot be.
        if !self.mended(Mend::WeldOverlaps) {
            self.with("Weld them".into(), self.mend(Mend::WeldOverlaps), true);
        }
        self.with(
            "Leave them as they are".into(),
            Edit::Accept { code: Code::OutlinesOverlap.to_string(), places: Default::default() },
            false,
        );
    }

    /// Letters of what was written at Clean that the face does not have.
    pub(in crate::clean) fn letters(&mut self, operations: &[Operation]) {
        let written = operations.iter().filter_map(|o| match o {
            Operation::Write { text, face, .. } | Operation::Reletter { text, face, .. } => Some((text, *face)),
            _ => None,
        });
        for (text, face) in written {
            let lacking = lettering::lacks(text, face);
            let short: String = text.chars().take(24).collect();
            if let Some(sentence) = lettering::told(&lacking, &format!("“{short}” in {}", self.file)) {
                self.tell(Severity::Look, Code::LettersMissing, lacking.len(), sentence, []);
                self.with(
                    "Leave those letters out".into(),
                    Edit::Accept { code: Code::LettersMissing.to_string(), places: Default::default() },
                    false,
                );
            }
        }
    }
}
