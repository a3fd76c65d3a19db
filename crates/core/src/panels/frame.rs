//! Frames for an opening: two rails run through, two stand between them with fingers in their edges; and rails behind, the
//! other way round, that leave room for what lies in the frame.

use super::outline::{largest, stretches};
use super::{BoxSpec, Panel, Stands};
use crate::geometry::{Affine, Path, Region};

/// Fingers reach this share of a rail's width into the one that runs through.
const DEEP: f64 = 0.5;

/// One layer of four rails.
struct Layer {
    opening: (f64, f64),
    rail: f64,
    /// Its face.
    low: f64,
    /// The rails along x run through; else those along y.
    lying: bool,
}

pub(super) fn panels(spec: &BoxSpec) -> Vec<Panel> {
    let (w, d, _) = spec.size;
    let (rail, back) = spec.rails;
    let mut out = layer(spec, "", &Layer { opening: (w, d), rail, low: 0.0, lying: true });
    if back > 0.0 {
        // As large outside and set back all round; no joint lies on a joint.
        let opening = (w + 2.0 * back, d + 2.0 * back);
        out.extend(layer(spec, "behind, ", &Layer { opening, rail: rail - back, low: spec.thickness.0, lying: false }));
    }
    out
}

/// Four rails round an opening; the frame's lower left corner is at 0, 0.
fn layer(spec: &BoxSpec, of: &str, l: &Layer) -> Vec<Panel> {
    // Drawn as if the lying ones ran through, and turned over where the standing ones do.
    let over = if l.lying { Affine::IDENTITY } else { Affine::new([0.0, 1.0, 1.0, 0.0, 0.0, 0.0]) };
    let (w, d) = if l.lying { l.opening } else { (l.opening.1, l.opening.0) };
    let (rail, gap) = (l.rail, spec.clearance / 2.0);
    let (right, top) = (w + 2.0 * rail, d + 2.0 * rail);
    let n = stretches(rail, spec.finger.min(rail / 3.0));
    let (step, deep) = (rail / n as f64, rail * DEEP);
    let rect = |x0: f64, y0: f64, x1: f64, y1: f64| Path::rectangle(x0.min(x1), y0.min(y1), (x1 - x0).abs(), (y1 - y0).abs());
    // Every second stretch is a finger, the outermost are none; `more` is how much wider than the stretch.
    let comb = |x: f64, more: f64| -> Vec<(f64, f64)> {
        (1..n).step_by(2).map(|i| (x + step * i as f64 - more, x + step * (i + 1) as f64 + more)).collect()
    };
    let names = if l.lying {
        ["lower rail", "upper rail", "left rail", "right rail"]
    } else {
        ["left rail", "right rail", "lower rail", "upper rail"]
    };
    let within = |all: &[Path]| Region::union(all.iter().map(|p| Region::within(&[p])));
    let mut rails = Vec::new();
    for (edge, inner) in [(0.0, rail), (top, top - rail)] {
        let body = within(&[rect(0.0, edge, right, inner)]);
        let to = if edge == 0.0 { inner - deep - gap } else { inner + deep + gap };
        let notches: Vec<Path> =
            [0.0, right - rail].iter().flat_map(|x| comb(*x, gap)).map(|(a, b)| rect(a, to, b, inner + (inner - edge).signum())).collect();
        rails.push(body.minus(&within(&notches)));
    }
    for x in [0.0, right - rail] {
        let mut all = vec![rect(x, rail, x + rail, top - rail)];
        // A little into its own body, so that it hangs together.
        all.extend(
            comb(x, -gap)
                .into_iter()
                .flat_map(|(a, b)| [rect(a, rail - deep, b, rail + 1.0), rect(a, top - rail - 1.0, b, top - rail + deep)]),
        );
        rails.push(within(&all));
    }
    let stands = Stands { at: [0.0, 0.0, l.low], x: 0, y: 1, thick: spec.thickness.0 };
    let panel = |(name, area): (&str, Region)| {
        let outline = largest(&area).transformed(over);
        let outline = if outline.area() < 0.0 { outline.reversed() } else { outline };
        Panel { name: format!("{of}{name}"), outline, holes: Vec::new(), numbers: Vec::new(), stands }
    };
    names.into_iter().zip(rails).map(panel).collect()
}
