//! What Proof says: times by sheet, what takes longest, whether it is proved.

use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::time::duration;
use boustrophe_shop::app::Loaded;

struct SheetTime {
    sheet: usize,
    total: String,
    split: Vec<(&'static str, String)>,
}

#[derive(Template)]
#[template(path = "stations/proof/docket.html")]
pub struct Proof {
    job: i32,
    sheets: Vec<SheetTime>,
    /// What takes longest, by part and by cut: name and time.
    parts: Vec<Taking>,
    longest: Vec<Taking>,
    passed: bool,
    open: usize,
    /// How many times as long it takes as runs have shown; nothing where it takes what is reckoned.
    factor: Option<f64>,
}

pub fn body(loaded: &Loaded) -> Proof {
    let (route, here) = (&loaded.route, loaded.here());
    let sheets = here.proofs.iter().enumerate().map(|(i, p)| SheetTime {
        sheet: here.before + i + 1,
        total: duration(p.seconds),
        split: p.by_process.iter().map(|(process, s)| (process.map_or("travel", Process::slug), duration(*s))).collect(),
    });
    let faults = route.findings_of(Station::Proof).filter(|f| f.severity == Severity::Stop).count();
    let open = route.findings.iter().filter(|f| f.severity != Severity::Note && f.station != Station::Proof).count();
    let (parts, longest) = longest(loaded);
    Proof {
        factor: Some(loaded.shop.time_factor(&here.stock)).filter(|f| (f - 1.0).abs() > 1e-9),
        job: loaded.job.id,
        parts,
        longest,
        sheets: sheets.collect(),
        passed: faults == 0 && !here.proofs.is_empty() && here.nested.current,
        open,
    }
}

/// What takes its time, and how long.
type Taking = (String, String);

/// Lines of the lists of what takes longest.
const LONGEST: usize = 8;

/// Time by part, and by piece of work, the longest first.
fn longest(loaded: &Loaded) -> (Vec<Taking>, Vec<Taking>) {
    let here = loaded.here();
    let mut parts: std::collections::BTreeMap<String, f64> = std::collections::BTreeMap::new();
    let mut cuts: Vec<(String, f64)> = Vec::new();
    for (i, (proof, path)) in here.proofs.iter().zip(&here.toolpath.sheets).enumerate() {
        for (n, (op, s)) in path.ops.iter().zip(proof.by_piece(path.ops.len())).enumerate() {
            let placed = here.nested.layout.sheets.get(i).and_then(|l| l.placed.get(op.placement));
            let part = placed.and_then(|p| here.work.part(p.copy.part)).map_or("", |p| p.name.as_str());
            *parts.entry(part.to_owned()).or_insert(0.0) += s;
            cuts.push((format!("sheet {}, {} {} {part}", here.before + i + 1, op.process.slug(), n + 1), s));
        }
    }
    let told = |mut all: Vec<(String, f64)>| {
        all.retain(|a| a.1 > 0.0);
        all.sort_by(|a, b| b.1.total_cmp(&a.1));
        all.into_iter().take(LONGEST).map(|(name, s)| (name, duration(s))).collect()
    };
    (told(parts.into_iter().collect()), told(cuts))
}
