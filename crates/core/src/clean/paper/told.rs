//! What is said of the paper among the parts.

use super::super::{Cleaned, Contour, told};
use super::{Kind, found_by_area};
use crate::decisions::{AssignEdit, Edit, Process};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::ids::ContourId;
use std::sync::Arc;

/// Paper, and what lies far from the rest, among the contours of a drawing that are to be made: it came along. Looked for
/// once processes are known, so that what is reference already is not told again.
pub fn leftovers(drawing: &Cleaned, made: &[Arc<Contour>]) -> Vec<Finding> {
    let paper = found_by_area(drawing, made);
    let mut is_paper = vec![false; made.len()];
    paper.iter().for_each(|(_, i)| is_paper[*i] = true);
    let rest: Vec<Arc<Contour>> = made.iter().zip(&is_paper).filter(|(_, p)| !**p).map(|(c, _)| Arc::clone(c)).collect();
    of_paper(drawing, made, &paper).into_iter().chain(told::far_off(drawing, &rest)).collect()
}

/// One finding for all that is paper, with a remedy for all of it at once and one for each kind.
fn of_paper(drawing: &Cleaned, made: &[Arc<Contour>], paper: &[(Kind, usize)]) -> Option<Finding> {
    let of = |kind: Kind| paper.iter().filter(move |(k, _)| *k == kind).map(|(_, i)| *i);
    let kinds: Vec<(Kind, usize)> = Kind::ALL.into_iter().map(|k| (k, of(k).count())).filter(|(_, n)| *n > 0).collect();
    let n = paper.len();
    if n == 0 {
        return None;
    }
    let list: Vec<String> = kinds.iter().map(|(k, n)| format!("{n} {}", k.words())).collect();
    let (is, stands) = if n == 1 { ("is", "it stands it") } else { ("are", "they stand they") };
    let text = format!(
        "{} in {} {is} of the paper and not of the parts: {}. As {stands} would be cut or scored.",
        counted(n, "line", "lines"),
        drawing.name,
        list.join(", "),
    );
    // What cannot be read is not taken as a note.
    let unread = if of(Kind::Writing).any(|i| !made[i].style.text) {
        " Its writing came as outlines and cannot be read: what it says of counts and thickness is typed."
    } else {
        ""
    };
    let text = text + unread;
    let reference = |at: &mut dyn Iterator<Item = usize>| {
        let contours: Vec<ContourId> = at.map(|i| made[i].id).collect();
        Edit::Assign(AssignEdit::SetContours { contours, process: Some(Process::Reference) })
    };
    let all = reference(&mut paper.iter().map(|(_, i)| *i));
    let mut finding = Finding::new(Station::Clean, Severity::Look, Code::PaperBorder, n, text)
        .at(drawing.drawing, paper.iter().map(|(_, i)| made[*i].bounds.center()))
        .mend(if n == 1 { "Make it reference" } else { "Make them reference" }, all);
    if kinds.len() > 1 {
        for (kind, n) in &kinds {
            finding = finding.choice(format!("Only the {n} {}", kind.words()), reference(&mut of(*kind)));
        }
    }
    finding = finding.acceptable("They belong to it");
    finding.place.contours = paper.iter().map(|(_, i)| made[*i].id).collect();
    Some(finding)
}
