//! Hold's docket: nicks, leads, how areas are swept.

use crate::shop::Loaded;
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::hold::Holding;
use boustrophe_core::ids::BatchId;
use boustrophe_core::shop::MachineKind;
use boustrophe_core::time::clock;

#[derive(Template)]
#[template(path = "hold/docket.html")]
pub(super) struct Hold {
    job: i32,
    revision: i32,
    batch: BatchId,
    nicks: bool,
    width: String,
    pitch: String,
    leads: bool,
    kerf: String,
    nick_count: usize,
    lead_count: usize,
    plasma: bool,
    sweep: Option<SweepView>,
}

struct SweepView {
    /// `auto`, `x`, `y` or `angle`.
    rows: &'static str,
    angle: String,
    one_way: bool,
    planned: String,
    full: String,
    saved: String,
    groups: usize,
}

/// How what is engraved is swept, and what planning it gains; nothing where nothing is engraved.
fn sweep_view(loaded: &Loaded) -> Option<SweepView> {
    let sheets = &loaded.here().toolpath.sheets;
    let (planned, full) = sheets.iter().fold((0.0, 0.0), |s, p| (s.0 + p.swept.planned, s.1 + p.swept.full));
    let s = loaded.decided().hold.sweep;
    let rows = match s.angle {
        None => "auto",
        Some(0.0) => "x",
        Some(90.0) => "y",
        Some(_) => "angle",
    };
    (full > 0.0).then(|| SweepView {
        rows,
        angle: s.angle.map_or_else(String::new, |a| format!("{a}")),
        one_way: s.one_way,
        planned: clock(planned),
        full: clock(full),
        saved: clock(full - planned),
        groups: sheets.iter().flat_map(|p| &p.ops).filter(|o| o.process == Process::Engrave).count(),
    })
}

pub(super) fn hold_body(loaded: &Loaded) -> Hold {
    let machine = &*loaded.machine();
    let holding = Holding::of(&loaded.decided().hold, machine, (loaded.shop.nick_width, loaded.shop.nick_pitch));
    let ops = || loaded.here().toolpath.sheets.iter().flat_map(|s| &s.ops);
    Hold {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        nicks: holding.nicks,
        width: format!("{}", holding.nick_width),
        pitch: format!("{}", holding.nick_pitch),
        leads: holding.leads,
        kerf: loaded.rows().get(Process::Cut, None).map_or("—".into(), |r| format!("{} mm", r.kerf)),
        nick_count: ops().map(|o| o.line().nicks.len()).sum(),
        lead_count: ops()
            .map(|o| usize::from(!o.line().lead_in.is_empty()) + o.line().restarts.iter().filter(|r| !r.is_empty()).count())
            .sum(),
        plasma: machine.kind == MachineKind::Plasma,
        sweep: sweep_view(loaded),
    }
}
