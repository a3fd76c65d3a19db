//! Hold's docket: nicks, leads, how areas are swept.

use crate::stations::assign::docket::Choice;
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{CornerRule, Edit, HoldEdit, InnerCorner, LeadEnd, LeadFrom, LeadRule, LeadShape, NickWhich, OuterCorner};
use boustrophe_core::hold::{Fate, Holding};
use boustrophe_core::ids::BatchId;
use boustrophe_core::shop::MachineKind;
use boustrophe_core::time::duration;
use boustrophe_shop::app::Loaded;

#[derive(Template)]
#[template(path = "stations/hold/docket.html")]
pub struct Hold {
    job: i32,
    revision: i32,
    batch: BatchId,
    nicks: bool,
    width: String,
    pitch: String,
    count: String,
    which: Vec<Choice>,
    /// Contours whose nicks or pierce a hand set.
    by_hand: usize,
    leads: bool,
    /// How leads are laid: a name, and choices whose values are whole changes.
    lead_ways: Vec<(&'static str, Vec<Choice>)>,
    lead_length: String,
    overlap: String,
    chain: String,
    /// What is done at corners: a name, and choices whose values are whole changes.
    corner_ways: Vec<(&'static str, Vec<Choice>)>,
    /// How far loops reach, mm, and how long the head stands, s; empty where it does neither.
    corner_reach: String,
    corner_seconds: String,
    kerf: String,
    /// Parts that fall, and pieces that tip.
    falls: usize,
    tips: usize,
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
        planned: duration(planned),
        full: duration(full),
        saved: duration(full - planned),
        groups: sheets.iter().flat_map(|p| &p.ops).filter(|o| o.process == Process::Engrave).count(),
    })
}

/// A choice whose value is a whole change.
fn choice(loaded: &Loaded, name: &str, edit: HoldEdit, chosen: bool) -> Choice {
    Choice { slug: serde_json::to_string::<Edit>(&edit.on(loaded.batch)).unwrap_or_default(), name: name.into(), chosen }
}

/// What can be said of how leads are laid.
fn lead_ways(loaded: &Loaded) -> Vec<(&'static str, Vec<Choice>)> {
    let now = loaded.decided().hold.lead;
    let choice = |name: &str, lead: LeadRule| choice(loaded, name, HoldEdit::SetLead { lead }, lead == now);
    vec![
        ("In by", LeadShape::ALL.map(|shape| choice(shape.name(), LeadRule { shape, ..now })).into()),
        ("From", LeadFrom::ALL.map(|from| choice(from.name(), LeadRule { from, ..now })).into()),
        ("Ends", LeadEnd::ALL.map(|end| choice(end.name(), LeadRule { end, ..now })).into()),
    ]
}

/// What can be said of sharp corners.
fn corner_ways(loaded: &Loaded) -> Vec<(&'static str, Vec<Choice>)> {
    let now = loaded.decided().hold.corners;
    let choice = |name: &str, corners: CornerRule| choice(loaded, name, HoldEdit::SetCorners { corners }, corners == now);
    vec![
        ("Inner corners", InnerCorner::ALL.map(|inner| choice(inner.name(), CornerRule { inner, ..now })).into()),
        ("Outer corners", OuterCorner::ALL.map(|outer| choice(outer.name(), CornerRule { outer, ..now })).into()),
    ]
}

pub fn body(loaded: &Loaded) -> Hold {
    let machine = &*loaded.machine();
    let holding =
        Holding::of(&loaded.decided().hold, machine, loaded.shop.nicks(&loaded.here().stock.material), loaded.here().stock.thickness);
    let corners = loaded.decided().hold.corners;
    let loops = corners.inner == InnerCorner::Loop || corners.outer == OuterCorner::Loop;
    let pieces = || loaded.here().toolpath.sheets.iter().flat_map(|s| &s.pieces);
    let fates = |fate: Fate| pieces().filter(|p| p.fate == fate && (fate == Fate::Tips || !p.slug)).count();
    let ops = || loaded.here().toolpath.sheets.iter().flat_map(|s| &s.ops);
    Hold {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        nicks: holding.nicks,
        width: format!("{}", holding.nick_width),
        pitch: format!("{}", holding.nick_pitch),
        count: format!("{} to {}", holding.nick_count.0, holding.nick_count.1),
        which: NickWhich::ALL
            .map(|w| Choice { slug: w.slug().into(), name: w.name().into(), chosen: loaded.decided().hold.nick_which == w })
            .into(),
        by_hand: loaded.decided().hold.nicked() + loaded.decided().hold.pierced(),
        falls: fates(Fate::Falls),
        tips: fates(Fate::Tips),
        leads: holding.leads,
        lead_ways: lead_ways(loaded),
        lead_length: loaded.decided().hold.lead.length.map_or_else(String::new, |l| l.to_string()),
        overlap: loaded.decided().hold.lead.overlap.to_string(),
        chain: loaded.decided().hold.lead.chain.to_string(),
        corner_ways: corner_ways(loaded),
        corner_reach: if loops { corners.reach.to_string() } else { String::new() },
        corner_seconds: if corners.inner == InnerCorner::Dwell { corners.seconds.to_string() } else { String::new() },
        kerf: loaded.rows().get(Process::Cut, None).map_or("—".into(), |r| format!("{} mm", r.kerf)),
        nick_count: ops().map(|o| o.line().nicks.len()).sum(),
        lead_count: ops()
            .map(|o| usize::from(!o.line().lead_in.is_empty()) + o.line().restarts.iter().filter(|r| !r.is_empty()).count())
            .sum(),
        plasma: machine.kind == MachineKind::Plasma,
        sweep: sweep_view(loaded),
    }
}
