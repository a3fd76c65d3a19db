//! Clean's docket: contours, gaps, slots, what was done.

use crate::stations::changes::{COUPON, FINGERS};
use crate::stations::dockets::MOST_LISTED;
use askama::Template;
use boustrophe_core::clean::Operation;
use boustrophe_core::clean::operate::slots::{Kind, find};
use boustrophe_core::clean::operate::words;
use boustrophe_core::finding::counted;
use boustrophe_core::ids::BatchId;
use boustrophe_core::route::DrawingState;
use boustrophe_shop::app::Loaded;

struct CleanRow {
    id: u32,
    name: String,
    closed: usize,
    open: usize,
    segments: usize,
    gap: String,
    /// Sentences of what was done, in order.
    operations: Vec<String>,
    /// Gaps by width: how many, and the height of a bar in a box 100 wide and 24 high.
    gaps: Vec<GapBar>,
    /// Where the tolerance lies on the same scale.
    gap_at: f64,
    refit: Option<f64>,
    /// Slots and tabs as wide as the sheet is meant to be thick, by the contour they are in.
    slots: Vec<SlotView>,
}

struct SlotView {
    contour: String,
    words: String,
}

fn slot_views(d: &DrawingState, nominal: f64) -> Vec<SlotView> {
    let found = find(&d.cleaned.contours, nominal);
    let mut out: Vec<SlotView> = Vec::new();
    for c in &d.cleaned.contours {
        let n = |kind| found.iter().filter(|f| f.contour == c.id && f.kind == kind).count();
        let (slots, tabs) = (n(Kind::Slot), n(Kind::Tab));
        if slots + tabs == 0 || out.len() >= MOST_LISTED {
            continue;
        }
        let mut words = Vec::new();
        if slots > 0 {
            words.push(counted(slots, "slot end", "slot ends"));
        }
        if tabs > 0 {
            words.push(counted(tabs, "tab", "tabs"));
        }
        let b = c.bounds;
        out.push(SlotView {
            contour: c.id.to_string(),
            words: format!("{} in {:.1} × {:.1} at {:.0}, {:.0}", words.join(", "), b.width(), b.height(), b.min.x, b.min.y),
        });
    }
    out
}

struct GapBar {
    x: f64,
    height: f64,
    count: usize,
    upto: String,
}

#[derive(Template)]
#[template(path = "stations/clean/docket.html")]
pub struct Clean {
    job: i32,
    revision: i32,
    drawings: Vec<CleanRow>,
    thickness: f64,
    /// Room in slots of the material, mm.
    clearance: f64,
    /// Widths of the slots of a coupon that is in the job, and what it is of.
    fits: Vec<String>,
    /// Room in the notches of a finger coupon that is in the job.
    finger_fits: Vec<String>,
    material: String,
    verbs: &'static [(&'static str, &'static str)],
}

/// Bins of the gap histogram: from a micrometre to a millimetre, three a decade.
const GAP_BINS: usize = 9;

/// Place of a width on the histogram's scale, 0 to 100.
fn gap_scale(width: f64) -> f64 {
    ((width.max(0.001).log10() + 3.0) / 3.0 * 100.0).clamp(0.0, 100.0)
}

/// Fewer gaps than this are told in words well enough.
const FEW_GAPS: usize = 3;

fn gap_bars(gaps: &[f64]) -> Vec<GapBar> {
    let mut counts = [0_usize; GAP_BINS];
    for g in gaps {
        counts[((gap_scale(*g) / 100.0 * GAP_BINS as f64) as usize).min(GAP_BINS - 1)] += 1;
    }
    let most = counts.iter().copied().max().unwrap_or(0).max(1) as f64;
    let bar = |(i, n): (usize, &usize)| GapBar {
        x: i as f64 * 100.0 / GAP_BINS as f64 + 0.6,
        height: (*n as f64 / most * 22.0).max(2.0),
        count: *n,
        upto: format!("{:.3}", 10_f64.powf((i + 1) as f64 / 3.0 - 3.0)),
    };
    counts.iter().enumerate().filter(|c| *c.1 > 0).map(bar).collect()
}

pub fn body(loaded: &Loaded) -> Clean {
    let decisions = &loaded.revision.decisions;
    let row = |d: &DrawingState| {
        let (closed, open) = d.cleaned.counts();
        let decided = decisions.drawing(d.id);
        let gap = decided.and_then(|d| d.gap).unwrap_or(loaded.shop.tolerance.gap);
        CleanRow {
            id: d.id,
            name: d.cleaned.name.clone(),
            closed,
            open,
            segments: d.cleaned.contours.iter().map(|c| c.path.segments.len()).sum(),
            gap: format!("{gap}"),
            operations: decided.map_or_else(Vec::new, |d| d.operations.iter().map(Operation::sentence).collect()),
            gaps: if d.cleaned.gaps.len() < FEW_GAPS { Vec::new() } else { gap_bars(&d.cleaned.gaps) },
            gap_at: gap_scale(gap),
            refit: decided.and_then(|d| d.refit),
            slots: slot_views(d, decisions.batch(decided.map_or(BatchId::FIRST, |d| d.batch)).stock.thickness),
        }
    };
    let material = loaded.shop.material(&decisions.first().stock.material);
    // A coupon's numbers are what was written on it.
    let written = |o: &Operation| if let Operation::Write { text, .. } = o { text.parse::<f64>().ok().map(|_| text.clone()) } else { None };
    let fits = |name: &str| -> Vec<String> {
        decisions.drawings.iter().filter(|d| d.name == name).flat_map(|d| &d.operations).filter_map(written).collect()
    };
    Clean {
        job: loaded.job.id,
        revision: loaded.revision.id,
        drawings: loaded.route.drawings.iter().map(row).collect(),
        thickness: decisions.first().stock.thickness,
        clearance: material.and_then(|m| m.clearance).unwrap_or(0.05),
        material: material.map_or_else(String::new, |m| m.name.clone()),
        fits: fits(COUPON),
        finger_fits: fits(FINGERS),
        verbs: words::VERBS,
    }
}
