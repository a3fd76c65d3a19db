//! What is safe to mend unseen, taken in its order until nothing of it is left.

use super::Route;
use crate::decisions::{Decisions, Edit, EditError};
use crate::finding::{Code, Finding, Severity};

/// Mends taken at most: one that does not settle its finding must not go round for ever.
const MOST: usize = 200;

/// What was mended.
pub struct Mended {
    /// All that was changed, in order.
    pub edits: Vec<Edit>,
    /// The findings that it settled, with the remedy that was taken of each: its first.
    pub settled: Vec<Finding>,
    /// How the job stands then.
    pub decisions: Decisions,
    /// What it comes to.
    pub route: Route,
}

/// The findings among `of` that are mended next: those of the first station that has any whose first remedy is safe. Paper goes by
/// itself, for what gaps and dashes its lines have is not mended.
pub fn safe_now<'r>(route: &'r Route, of: &dyn Fn(&Finding) -> bool) -> Vec<&'r Finding> {
    let safe = |f: &&Finding| f.severity == Severity::Look && of(f) && f.remedies.first().is_some_and(|r| r.safe);
    let open: Vec<&Finding> = route.findings.iter().filter(safe).collect();
    let station = open.iter().map(|f| f.station).min();
    let paper = open.iter().any(|f| f.code == Code::PaperBorder && Some(f.station) == station);
    open.into_iter().filter(|f| Some(f.station) == station && (!paper || f.code == Code::PaperBorder)).collect()
}

/// Takes the safe remedies of findings among `of` until there are none; `run` works a job out. Fails where a remedy cannot be taken, or
/// `run` fails.
pub fn mended<E: From<EditError>>(
    route: Route,
    decisions: &Decisions,
    of: &dyn Fn(&Finding) -> bool,
    run: &mut dyn FnMut(&Decisions) -> Result<Route, E>,
) -> Result<Mended, E> {
    let mut done = Mended { edits: Vec::new(), settled: Vec::new(), decisions: decisions.clone(), route };
    while done.edits.len() <= MOST {
        let open: Vec<Finding> = safe_now(&done.route, of).into_iter().cloned().collect();
        if open.is_empty() {
            break;
        }
        for finding in open {
            let edit = finding.remedies[0].edit.clone();
            done.decisions = edit.apply(&done.decisions)?;
            done.edits.push(edit);
            done.settled.push(finding);
        }
        done.route = run(&done.decisions)?;
    }
    Ok(done)
}
