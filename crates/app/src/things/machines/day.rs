//! A machine's day as a line of time: runs that were made, the one that goes on, and those to come, as far as they are known.

use super::time_left;
use crate::asking::escaped;
use crate::error::AppError;
use boustrophe_core::run::RunState;
use boustrophe_shop::app::App;
use boustrophe_store::{PastRun, Run, seconds_since};
use std::fmt::Write;

/// Hours before and after now that the line shows.
const HOURS: f64 = 6.0;
/// Its size, in its own units.
const SIZE: (f64, f64) = (720.0, 34.0);

/// The line as an SVG; empty where there is nothing to show.
pub fn line(app: &App, past: &[PastRun], queue: &[&Run]) -> Result<String, AppError> {
    let mut bars: Vec<(f64, f64, &str, String)> = Vec::new();
    for run in past {
        let Some(ago) = run.ended_at.as_deref().and_then(seconds_since) else { continue };
        let kind = if run.state == RunState::Done { "done" } else { "broke" };
        bars.push((-ago - run.seconds, -ago, kind, format!("{}, sheet {}: {}", run.job, run.sheet, run.state)));
    }
    let mut at = 0.0;
    for run in queue {
        let left = time_left(app, run)?;
        let job = app.store.job(run.job_id)?.name;
        let begun = if run.state == RunState::Running { -run.seconds } else { at };
        let kind = if run.state == RunState::Running { "runs" } else { "comes" };
        bars.push((begun, at + left, kind, format!("{job}, sheet {}: {}", run.sheet, run.state)));
        at += left;
    }
    bars.retain(|b| b.1 > -HOURS * 3600.0 && b.0 < HOURS * 3600.0);
    Ok(if bars.is_empty() { String::new() } else { drawn(&bars) })
}

/// Bars from and to so many seconds from now.
fn drawn(bars: &[(f64, f64, &str, String)]) -> String {
    let x = |seconds: f64| (seconds / 3600.0 / HOURS).clamp(-1.0, 1.0).mul_add(0.5, 0.5) * SIZE.0;
    let (w, h) = SIZE;
    let mut out = format!(
        "<svg class=\"day\" viewBox=\"0 0 {w} {h}\" role=\"img\" aria-label=\"Runs from {HOURS} hours before now to {HOURS} after\">"
    );
    for hour in (-5..=5).filter(|h| *h != 0) {
        let at = x(f64::from(hour) * 3600.0);
        let sign = if hour < 0 { "−" } else { "+" };
        let _ = write!(out, "<path class=\"hour\" d=\"M{at:.1} 0V22\"/><text x=\"{at:.1}\" y=\"32\">{sign}{} h</text>", i32::abs(hour));
    }
    for (from, to, kind, words) in bars {
        let (left, wide) = (x(*from), (x(*to) - x(*from)).max(2.0));
        let _ = write!(
            out,
            "<rect class=\"{kind}\" x=\"{left:.1}\" y=\"4\" width=\"{wide:.1}\" height=\"16\"><title>{}</title></rect>",
            escaped(words)
        );
    }
    let now = x(0.0);
    let _ = write!(out, "<path class=\"now\" d=\"M{now:.1} 0V24\"/><text x=\"{now:.1}\" y=\"32\">now</text></svg>");
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_lie_where_their_time_is() {
        let svg = drawn(&[(-3600.0, -1800.0, "done", "A <b>, sheet 1: done".into()), (0.0, 7200.0, "comes", "B".into())]);
        // An hour is a twelfth of 720: 60. Now is at 360.
        assert!(svg.contains(r#"class="done" x="300.0" y="4" width="30.0""#), "{svg}");
        assert!(svg.contains(r#"class="comes" x="360.0" y="4" width="120.0""#) && svg.contains("A &lt;b&gt;, sheet 1"), "{svg}");
    }
}
