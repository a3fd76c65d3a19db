//! A batch on its way from Nest on.

use super::BatchRoute;
use crate::assign::{self, Work};
use crate::cache::{Cache, Kept, Proved, ProvedSheet};
use crate::cuts::{self, CutPlan, SheetCuts};
use crate::decisions::{Decisions, Pose, Stock};
use crate::finding::Finding;
use crate::hold::{self, SheetPath, Toolpath};
use crate::ids::BatchId;
use crate::ledger::Ledger;
use crate::nest::{self, Layout, Nested, SheetLayout, Terms};
use crate::order::{self, Ordered, Sequence};
use crate::print::Print;
use crate::proof::{self, Meant, Reader};
use crate::release::{Program, ProgramOrder, Writer};
use crate::shop::{Machine, Rows, Shop};
use rayon::prelude::*;
use std::borrow::Cow;
use std::sync::Arc;

/// What has been worked out for a batch so far.
pub(super) struct Line<'a> {
    id: BatchId,
    decisions: &'a Decisions,
    stock: &'a Stock,
    machine: Cow<'a, Machine>,
    rows: Rows,
    terms: Terms,
    work: Kept<Work>,
    nested: Option<Kept<Nested>>,
    plan: Option<Kept<CutPlan>>,
    sequence: Option<Kept<Sequence>>,
    toolpath: Option<Kept<Toolpath>>,
    proved: Option<Kept<Proved>>,
    /// Sheets of the batches before it, and of all.
    numbered: (usize, usize),
}

/// What an earlier station has made, and what it comes to; stations are run in order.
fn made<T: Default>(kept: Option<&Kept<T>>) -> (Arc<T>, Print) {
    kept.map_or_else(|| (Arc::default(), Print::default()), |k| (Arc::clone(&k.output), k.print))
}

impl<'a> Line<'a> {
    pub(super) fn new(id: BatchId, work: &Kept<Work>, decisions: &'a Decisions, shop: &'a Shop, cache: &Cache) -> Self {
        let batch = decisions.batch(id);
        let machine = shop.machine_or_stand_in(&batch.stock.machine);
        let key = Print::of(&[work.print, Print::of(&id)]);
        Self {
            id,
            decisions,
            stock: &batch.stock,
            rows: shop.rows_for(&decisions.assign, &batch.stock),
            terms: nest::terms(decisions, id, shop),
            machine,
            work: cache.of_batch.get(key, || (work.output.of_batch(id), Vec::new())),
            nested: None,
            plan: None,
            sequence: None,
            toolpath: None,
            proved: None,
            numbered: (0, 0),
        }
    }

    /// Findings with the name of their batch, where there are several.
    fn named(&self, found: impl IntoIterator<Item = Finding>) -> Vec<Finding> {
        let many = self.decisions.batches.len() > 1;
        found.into_iter().map(|f| if many { f.of_batch(self.id) } else { f }).collect()
    }

    /// What the cut chart has to say to it.
    pub(super) fn charted(&self, shop: &Shop) -> Vec<Finding> {
        self.named(assign::charted(&self.work.output, self.stock, &self.rows, shop))
    }

    pub(super) fn nest(&mut self, cache: &Cache) -> Vec<Finding> {
        let kept = self.decisions.batch(self.id).nest.layout.as_ref();
        let bed = self.machine.bed();
        let key = Print::of(&[self.work.print, Print::of(&kept), Print::of(&self.terms), Print::of(&bed)]);
        let made = cache.nested.get(key, || nest::run(&self.work.output, kept, &self.terms, &bed));
        let told = self.named(made.findings.iter().cloned());
        self.nested = Some(made);
        told
    }

    /// Sheets that it takes.
    pub(super) fn sheets(&self) -> usize {
        made(self.nested.as_ref()).0.layout.sheets.len()
    }

    /// Its sheets are numbered after so many others, of so many in all.
    pub(super) fn number(&mut self, before: usize, of: usize) {
        self.numbered = (before, of);
    }

    pub(super) fn order(&mut self, cache: &Cache) -> Vec<Finding> {
        let (nested, print) = made(self.nested.as_ref());
        let work = &self.work.output;
        let plan = cache.plans.get(Print::of(&[self.work.print, print, Print::of(&self.terms.common)]), || {
            (cuts::plan(work, &nested.layout, self.terms.common), Vec::new())
        });
        let (decided, turns) = (&self.decisions.batch(self.id).order, self.decisions.assign.turns());
        let key = Print::of(&[self.work.print, print, plan.print, Print::of(decided), Print::of(&turns)]);
        let task = order::Task { work, layout: &nested.layout, plan: &plan.output, decisions: decided, turns: &turns };
        // A sheet on which nothing was moved keeps its order.
        let of_sheet = |i: usize| Print::of(&(self.work.print, &nested.layout.sheets[i], &plan.output.sheets[i], decided, &turns));
        let kept = |i: usize, order: &dyn Fn() -> Ordered| cache.ordered.get(of_sheet(i), || (order(), Vec::new())).output;
        let sequence = cache.sequence.get(key, || order::run_kept(&task, &kept));
        self.plan = Some(plan);
        let told = self.named(sequence.findings.iter().cloned());
        self.sequence = Some(sequence);
        told
    }

    pub(super) fn hold(&mut self, cache: &Cache, shop: &Shop) -> Vec<Finding> {
        let poses = self.poses(&made(self.nested.as_ref()).0.layout);
        let given = hold::Given {
            decisions: &self.decisions.batch(self.id).hold,
            thickness: self.stock.thickness,
            pictures: &self.decisions.assign.pictures,
            next_setting: self.decisions.assign.next_setting(),
            rows: &self.rows,
            terms: &self.terms,
            poses: &poses,
            machine: &self.machine,
            nick: shop.nicks(&self.stock.material),
            web: (shop.web_kerfs, shop.web_share),
        };
        let ((nested, lies), (plan, cut), (sequence, order)) =
            (made(self.nested.as_ref()), made(self.plan.as_ref()), made(self.sequence.as_ref()));
        let key = Print::of(&[self.work.print, lies, cut, order, Print::of(&given)]);
        let held = cache.toolpath.get(key, || hold::run(&self.work.output, &nested.layout, &plan, &sequence, &given));
        let told = self.named(held.findings.iter().cloned());
        self.toolpath = Some(held);
        told
    }

    /// How each of its sheets lies on the bed.
    fn poses(&self, layout: &Layout) -> Vec<Pose> {
        let release = &self.decisions.batch(self.id).release;
        layout.sheets.iter().enumerate().map(|(i, s)| release.pose(i, &s.sheet)).collect()
    }

    pub(super) fn prove(&mut self, cache: &Cache, write: &Writer) -> Vec<Finding> {
        let ((nested, lies), (plan, cut), (toolpath, print)) =
            (made(self.nested.as_ref()), made(self.plan.as_ref()), made(self.toolpath.as_ref()));
        let numbered = (self.numbered, self.decisions.assign.next_setting(), self.poses(&nested.layout));
        let key = Print::of(&[self.work.print, lies, cut, print, Print::of(&*self.machine), Print::of(self.stock), Print::of(&numbered)]);
        let proved = cache.proofs.get(key, || self.proofs((&nested.layout, &plan, &toolpath), cache, write));
        let told = self.named(proved.findings.iter().cloned());
        self.proved = Some(proved);
        told
    }

    fn proofs(&self, (layout, plan, toolpath): (&Layout, &CutPlan, &Toolpath), cache: &Cache, write: &Writer) -> (Proved, Vec<Finding>) {
        let (work, machine) = (&self.work.output, &*self.machine);
        let poses = self.poses(layout);
        let one = |(i, ((path, lying), cuts)): (usize, ((&SheetPath, &SheetLayout), &SheetCuts))| {
            let meant = Meant { sheet: i, path, cuts, layout: lying, work, machine, pose: poses[i] };
            let order =
                ProgramOrder { path, machine, sheet: (self.numbered.0 + i + 1, self.numbered.1), stock: self.stock, pose: poses[i] };
            let offered = |found| proof::offered(found, &meant, self.decisions.assign.next_setting());
            if path.ops.iter().any(|o| o.picture().is_some()) {
                let mut reader = Reader::new(path, machine, poses[i]);
                // The reader takes everything; a fault of the text is told when it is asked.
                let _ = write(&order, &mut reader);
                let (proof, findings) = proof::run_read(reader, &meant);
                return (Program::Streamed, proof, offered(findings));
            }
            let mut text = Vec::new();
            let _ = write(&order, &mut text);
            let text = String::from_utf8_lossy(&text);
            let (proof, findings) = proof::run(&text, &meant);
            (Program::Kept(Arc::from(text.as_ref())), proof, offered(findings))
        };
        // A sheet on which nothing has changed is proved already.
        let next = self.decisions.assign.next_setting();
        let of_all = Print::of(&(self.work.print, machine, self.stock, self.numbered, next));
        let kept = |(i, all): (usize, ((&SheetPath, &SheetLayout), &SheetCuts))| {
            let ((path, lying), cuts) = all;
            cache.proved.get(Print::of(&(of_all, i, path, lying, cuts, poses[i])), || {
                let (program, proof, findings) = one((i, all));
                ((program, proof), findings)
            })
        };
        let done: Vec<Kept<ProvedSheet>> = toolpath.sheets.par_iter().zip(&layout.sheets).zip(&plan.sheets).enumerate().map(kept).collect();
        let findings = done.iter().flat_map(|d| d.findings.iter().cloned()).collect();
        let (programs, proofs) = done.iter().map(|d| (*d.output).clone()).unzip();
        ((Arc::new(programs), Arc::new(proofs)), findings)
    }

    pub(super) fn done(self, shop: &Shop) -> (BatchId, BatchRoute) {
        let nested = made(self.nested.as_ref()).0;
        let poses = self.poses(&nested.layout);
        let (programs, proofs) = (*made(self.proved.as_ref()).0).clone();
        let ledger = Ledger::of(&nested.layout, super::placed_area(&self.work.output, &nested.layout), &proofs, self.stock, shop);
        let route = BatchRoute {
            stock: self.stock.clone(),
            nested,
            plan: made(self.plan.as_ref()).0,
            sequence: made(self.sequence.as_ref()).0,
            toolpath: made(self.toolpath.as_ref()).0,
            programs,
            proofs,
            poses,
            ledger,
            before: self.numbered.0,
            of: self.numbered.1,
            work: self.work.output,
        };
        (self.id, route)
    }
}
