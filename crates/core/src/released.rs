//! A release: what was handed over, as it was. Written once; whatever is sent, gone on with, cut again, priced or booked afterwards
//! comes from here, and nothing of it is worked out again from today's job or book.

use crate::assign::Work;
use crate::cuts::SheetCuts;
use crate::decisions::{Decisions, Guest, Pose, Process, Stock};
use crate::hold::SheetPath;
use crate::ids::{BatchId, PartId};
use crate::ledger::Ledger;
use crate::nest::SheetLayout;
use crate::proof::{Meant, SheetProof};
use crate::release::{Lines, ProgramOrder};
use crate::route::BatchRoute;
use crate::shop::{Machine, Material, Rows, Shop};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// One batch of a release.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ReleasedBatch {
    /// Which it was in its job.
    pub batch: BatchId,
    /// What it is made on and of.
    pub stock: Stock,
    /// The machine as it was, with its dialect.
    pub machine: Machine,
    /// The material as it was.
    pub material: Option<Material>,
    /// What each process is done with.
    pub rows: Rows,
    /// How many times as long it takes as is reckoned from speeds and acceleration.
    pub time_factor: f64,
    /// Its lines and parts.
    pub work: Arc<Work>,
    /// Parts of other jobs among them: whose they are.
    pub guests: BTreeMap<PartId, Guest>,
    /// Its sheets, in order.
    pub sheets: Vec<ReleasedSheet>,
    /// Its figures.
    pub ledger: Ledger,
    /// Sheets are numbered through: so many are before its first, of so many.
    pub numbered: (usize, usize),
}

/// One sheet of a release.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ReleasedSheet {
    /// What lies where.
    pub layout: SheetLayout,
    /// What is cut, marked and swept.
    pub cuts: SheetCuts,
    /// What the head does.
    pub path: SheetPath,
    /// How it lies on the bed.
    pub pose: Pose,
    /// Where in its program each piece of work stands.
    pub lines: Lines,
    /// Machine seconds by the motion model.
    pub seconds: f64,
    /// The same by process, travel and waits under none.
    pub by_process: Vec<(Option<Process>, f64)>,
}

impl ReleasedSheet {
    /// A sheet of a batch as it was proved; `lines` are those of its program. `None` where it was not worked out.
    pub fn of(batch: &BatchRoute, i: usize, lines: Lines) -> Option<Self> {
        let SheetProof { seconds, by_process, .. } = batch.proofs.get(i)?;
        Some(Self {
            layout: batch.nested.layout.sheets.get(i)?.clone(),
            cuts: batch.plan.sheets.get(i)?.clone(),
            path: batch.toolpath.sheets.get(i)?.clone(),
            pose: batch.pose(i),
            lines,
            seconds: *seconds,
            by_process: by_process.iter().map(|(p, s)| (*p, *s)).collect(),
        })
    }
}

impl ReleasedBatch {
    /// A batch as it is released, its sheets as they were proved. `None` where the shop has no such machine.
    pub fn of(id: BatchId, batch: &BatchRoute, decisions: &Decisions, shop: &Shop, sheets: Vec<ReleasedSheet>) -> Option<Self> {
        let owner = |p: &crate::assign::Part| {
            let item = p.outer.or_else(|| p.items().next())?;
            let guest = decisions.drawing(batch.work.items[item].contour.drawing)?.guest.clone()?;
            Some((p.id, guest))
        };
        Some(Self {
            batch: id,
            stock: batch.stock.clone(),
            machine: shop.machine(&batch.stock.machine)?.clone(),
            material: shop.material(&batch.stock.material).cloned(),
            rows: shop.rows_for(&decisions.assign, &batch.stock),
            time_factor: shop.time_factor(&batch.stock),
            work: Arc::clone(&batch.work),
            guests: batch.work.parts.iter().filter_map(owner).collect(),
            sheets,
            ledger: batch.ledger,
            numbered: (batch.before, batch.of),
        })
    }

    /// What was meant for its sheet `i`, from 0: what a program is proved against.
    pub fn meant(&self, i: usize) -> Option<Meant<'_>> {
        let ReleasedSheet { layout, cuts, path, pose, .. } = self.sheets.get(i)?;
        Some(Meant { sheet: i, path, cuts, layout, work: &self.work, machine: &self.machine, pose: *pose })
    }

    /// The order to write a program for its sheet `i`, from 0: of all of its work, or of what is left of it.
    pub fn order<'a>(&'a self, i: usize, path: &'a SheetPath, pose: Pose) -> ProgramOrder<'a> {
        ProgramOrder { path, machine: &self.machine, sheet: (self.numbered.0 + i + 1, self.numbered.1), stock: &self.stock, pose }
    }

    /// What people call the material: name and thickness.
    pub fn material_name(&self) -> &str {
        self.material.as_ref().map_or(self.stock.material.as_str(), |m| m.name.as_str())
    }

    /// How long its sheet `i`, from 0, takes as runs have shown, s.
    pub fn seconds(&self, i: usize) -> f64 {
        self.sheets.get(i).map_or(0.0, |s| s.seconds) * self.time_factor
    }
}
