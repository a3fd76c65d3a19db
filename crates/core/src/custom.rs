//! What of a batch's settings is otherwise than the shop's custom has it, with the way back.

use crate::decisions::{BatchDecisions, Edit, HoldDecisions, HoldEdit, NestDecisions, NestEdit, NickWhich, OrderEdit, Strategy, Sweep};
use crate::hold::Holding;
use crate::ids::BatchId;
use crate::nest::Grain;
use crate::shop::Shop;

/// A setting that is not as usual.
#[derive(Clone, Debug, PartialEq)]
pub struct Differs {
    /// What is set, as its field is called.
    pub what: &'static str,
    /// What it is.
    pub now: String,
    /// What it would be.
    pub usual: String,
    /// The change that sets it back.
    pub back: Edit,
}

/// Notes a setting where its words differ.
fn note(out: &mut Vec<Differs>, what: &'static str, (now, usual): (String, String), back: Edit) {
    if now != usual {
        out.push(Differs { what, now, usual, back });
    }
}

fn yes(on: bool) -> String {
    if on { "yes" } else { "no" }.into()
}

fn mm(length: f64) -> String {
    format!("{length} mm")
}

/// Settings at Nest that are not as usual on the batch's machine.
pub fn at_nest(decided: &BatchDecisions, batch: BatchId, shop: &Shop) -> Vec<Differs> {
    let (nest, usual) = (&decided.nest, NestDecisions::default());
    let machine = shop.machine_or_stand_in(&decided.stock.machine);
    let distance = |set: Option<f64>, usual: f64| (mm(set.unwrap_or(usual)), mm(usual));
    let mut out = Vec::new();
    let mut of = |what, words, back: NestEdit| note(&mut out, what, words, back.on(batch));
    of("Spacing", distance(nest.spacing, machine.spacing), NestEdit::SetSpacing { spacing: None });
    of("Margin", distance(nest.margin, machine.margin), NestEdit::SetMargin { margin: None });
    of("Turns", (nest.turn.name().into(), usual.turn.name().into()), NestEdit::SetTurn { turn: usual.turn });
    let grain = |n: &NestDecisions| n.grain.map_or("any way", Grain::name).to_owned();
    of("Grain", (grain(nest), grain(&usual)), NestEdit::SetGrain { grain: None });
    of("Mirror", (yes(nest.mirror), yes(false)), NestEdit::SetMirror { mirror: false });
    of("Common edges", (yes(nest.common_edges), yes(false)), NestEdit::SetCommonEdges { on: false });
    of("Aim", (nest.aim.name().into(), usual.aim.name().into()), NestEdit::SetAim { aim: usual.aim });
    out
}

/// Settings at Order that are not as usual.
pub fn at_order(decided: &BatchDecisions, batch: BatchId) -> Vec<Differs> {
    let mut out = Vec::new();
    let words = (decided.order.strategy.name(), Strategy::default().name());
    note(&mut out, "Strategy", words, OrderEdit::SetStrategy { strategy: Strategy::default() }.on(batch));
    out
}

/// Settings at Hold that are not as usual for the batch's machine and material.
pub fn at_hold(decided: &BatchDecisions, batch: BatchId, shop: &Shop) -> Vec<Differs> {
    let (hold, usual) = (&decided.hold, HoldDecisions::default());
    let machine = shop.machine_or_stand_in(&decided.stock.machine);
    let of = |hold: &HoldDecisions| Holding::of(hold, &machine, shop.nicks(&decided.stock.material), decided.stock.thickness);
    let (now, before) = (of(hold), of(&usual));
    let mut out = Vec::new();
    let mut of = |what, words, back: HoldEdit| note(&mut out, what, words, back.on(batch));
    of("Nicks on outlines", (yes(now.nicks), yes(before.nicks)), HoldEdit::SetNicks { on: before.nicks });
    of("Nick width", (mm(now.nick_width), mm(before.nick_width)), HoldEdit::SetNickWidth { width: None });
    of("One nick per", (mm(now.nick_pitch), mm(before.nick_pitch)), HoldEdit::SetNickPitch { pitch: None });
    let count = |h: &Holding| format!("{} to {}", h.nick_count.0, h.nick_count.1);
    of("Fewest and most nicks", (count(&now), count(&before)), HoldEdit::SetNickCount { count: None });
    let which = NickWhich::default();
    of("Nicks on", (hold.nick_which.name().into(), which.name().into()), HoldEdit::SetNickWhich { which });
    of("Leads in the scrap", (yes(now.leads), yes(before.leads)), HoldEdit::SetLeads { on: before.leads });
    let lead = |h: &HoldDecisions| {
        let (rule, length) = (h.lead, h.lead.length.map_or_else(String::new, |l| format!(", {l} mm")));
        let more = if rule.overlap == 0.0 { String::new() } else { format!(", overlap {} mm", rule.overlap) };
        let lit = if rule.chain == 0.0 { String::new() } else { format!(", lit over {} mm", rule.chain) };
        format!("{} from {}, ends {}{length}{more}{lit}", rule.shape.name(), rule.from.name(), rule.end.name())
    };
    of("Leads", (lead(hold), lead(&usual)), HoldEdit::SetLead { lead: usual.lead });
    let corners = |h: &HoldDecisions| format!("inner {}, outer {}", h.corners.inner.name(), h.corners.outer.name());
    of("Corners", (corners(hold), corners(&usual)), HoldEdit::SetCorners { corners: usual.corners });
    let rows = |s: Sweep| {
        s.angle.map_or_else(|| "whichever is faster".to_owned(), |a| format!("at {a}°")) + if s.one_way { ", one way" } else { "" }
    };
    of("Engraved rows", (rows(hold.sweep), rows(usual.sweep)), HoldEdit::SetSweep { sweep: usual.sweep });
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::decisions::{Decisions, LeadRule, Stock, Strategy};
    use crate::nest::{Aim, Turn};
    use proptest::prelude::*;

    fn all(decisions: &Decisions) -> Vec<Differs> {
        let (shop, batch) = (Shop::builtin(), BatchId::FIRST);
        let decided = decisions.batch(batch);
        let at = [at_nest(decided, batch, &shop), at_order(decided, batch), at_hold(decided, batch, &shop)];
        at.into_iter().flatten().collect()
    }

    #[test]
    fn what_is_set_is_told_until_it_is_set_back() {
        let steel = Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 };
        for stock in [Stock::default(), steel] {
            assert_eq!(all(&Decisions::on(stock)), vec![]);
        }
        let on = |e: HoldEdit| e.on(BatchId::FIRST);
        let mut decisions = Decisions::on(Stock::default());
        for edit in [
            on(HoldEdit::SetNickWidth { width: Some(2.25) }),
            NestEdit::SetTurn { turn: Turn::None }.on(BatchId::FIRST),
            on(HoldEdit::SetLead { lead: LeadRule { chain: 3.0, ..LeadRule::default() } }),
        ] {
            decisions = edit.apply(&decisions).expect("it can be");
        }
        let told = all(&decisions);
        assert_eq!(told.iter().map(|d| d.what).collect::<Vec<_>>(), ["Turns", "Nick width", "Leads"]);
        assert!(told[1].now == "2.25 mm" && told[1].usual != told[1].now && told[2].now.ends_with("lit over 3 mm"), "{told:?}");
    }

    proptest! {
        /// Whatever is set, the ways back lead to the custom, each one step nearer.
        #[test]
        fn every_way_back_leads_there(width in 0.1..5.0_f64, spacing in 0.0..9.0_f64, nicks: bool, leads: bool, mirror: bool, turn in 0..4_usize, aim in 0..3_usize, way in 0..6_usize, angle in 0.0..90.0_f64, plasma: bool) {
            let stock = if plasma { Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 } } else { Stock::default() };
            let mut decisions = Decisions::on(stock);
            let b = BatchId::FIRST;
            for edit in [
                HoldEdit::SetNickWidth { width: Some(width) }.on(b), HoldEdit::SetNicks { on: nicks }.on(b), HoldEdit::SetLeads { on: leads }.on(b),
                HoldEdit::SetSweep { sweep: Sweep { angle: Some(angle), one_way: nicks } }.on(b), NestEdit::SetSpacing { spacing: Some(spacing) }.on(b),
                NestEdit::SetMirror { mirror }.on(b), NestEdit::SetTurn { turn: Turn::ALL[turn] }.on(b), NestEdit::SetAim { aim: Aim::ALL[aim] }.on(b),
                OrderEdit::SetStrategy { strategy: Strategy::ALL[way] }.on(b),
            ] {
                decisions = edit.apply(&decisions).expect("it can be");
            }
            let mut told = all(&decisions);
            while let Some(first) = told.first() {
                decisions = first.back.apply(&decisions).expect("it can be set back");
                let now = all(&decisions);
                prop_assert_eq!(&now, &told[1..].to_vec());
                told = now;
            }
        }
    }
}
