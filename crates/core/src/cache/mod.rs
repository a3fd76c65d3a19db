//! What stations made, kept by what it was made from, as long as there is room for it.
//!
//! A key is the [`Print`] of all that went in: of the whole output of the station before, of the station's own decisions, of what it
//! sees of the shop. A field that is added to any of them is in the key by itself.

use crate::assign::Work;
use crate::clean::Cleaned;
use crate::cuts::CutPlan;
use crate::finding::{Finding, Station};
use crate::hold::{Op, Toolpath};
use crate::ids::ContourId;
use crate::intake::Intake;
use crate::nest::Nested;
use crate::order::{Ordered, Sequence, SheetSequence};
use crate::print::Print;
use crate::proof::SheetProof;
use crate::release::Program;
use quick_cache::Weighter;
use quick_cache::sync;
use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Room for each station's outputs, bytes as estimated by [`Weighty`].
const ROOM: u64 = 96 << 20;
/// Outputs a shelf is laid out for. So few, the shelf is one: a shelf in pieces keeps nothing that is larger than a piece, and the
/// largest are the ones that nobody wants to work out again.
const OUTPUTS: usize = 32;

/// Outputs kept by what they were made from; the least used go when a shelf is full.
#[derive(Default)]
pub struct Cache {
    /// Names of a drawing's contours before anything is mended.
    pub(crate) names: Shelf<BTreeSet<ContourId>>,
    pub(crate) cleaned: Shelf<(Intake, Arc<Cleaned>)>,
    pub(crate) work: Shelf<Work>,
    /// The work of single batches.
    pub(crate) of_batch: Shelf<Work>,
    pub(crate) nested: Shelf<Nested>,
    pub(crate) plans: Shelf<CutPlan>,
    pub(crate) sequence: Shelf<Sequence>,
    /// The order of single sheets.
    pub(crate) ordered: Shelf<Ordered>,
    pub(crate) toolpath: Shelf<Toolpath>,
    pub(crate) proofs: Shelf<Proved>,
    /// Single sheets' programs and proofs.
    pub(crate) proved: Shelf<ProvedSheet>,
}

impl Cache {
    /// How often a station has worked since the cache was made: for whoever wants to see what a change made work again.
    pub fn made(&self, station: Station) -> usize {
        let counter = match station {
            Station::Intake | Station::Clean => &self.cleaned.made,
            Station::Assign => &self.work.made,
            Station::Nest => &self.nested.made,
            Station::Order => &self.sequence.made,
            Station::Hold => &self.toolpath.made,
            Station::Proof | Station::Release => &self.proofs.made,
        };
        counter.load(Ordering::Relaxed)
    }

    /// How many single sheets have been ordered, and how many proved.
    pub fn sheets_made(&self) -> (usize, usize) {
        (self.ordered.made.load(Ordering::Relaxed), self.proved.made.load(Ordering::Relaxed))
    }
}

/// A sheet's program and its proof.
pub(crate) type ProvedSheet = (Program, SheetProof);

/// The programs and their proofs, one a sheet.
pub(crate) type Proved = (Arc<Vec<Program>>, Arc<Vec<SheetProof>>);

/// A result with its findings, shared by all who ask for it.
pub(crate) struct Kept<T> {
    pub(crate) output: Arc<T>,
    pub(crate) findings: Arc<Vec<Finding>>,
    /// What the output comes to: the next station's key is made of it, so that what comes out the same makes nobody work.
    pub(crate) print: Print,
}

impl<T> Clone for Kept<T> {
    fn clone(&self) -> Self {
        Self { output: Arc::clone(&self.output), findings: Arc::clone(&self.findings), print: self.print }
    }
}

/// Something that takes room.
pub(crate) trait Weighty {
    /// About how many bytes it takes.
    fn weight(&self) -> u64;
    /// What it comes to for whoever goes on with it.
    fn print(&self) -> Print;
}

#[derive(Clone)]
struct ByWeight;

impl<T: Weighty> Weighter<Print, Kept<T>> for ByWeight {
    fn weight(&self, _: &Print, kept: &Kept<T>) -> u64 {
        let findings: usize = kept.findings.iter().map(|f| 500 + 16 * (f.place.points.len() + f.place.contours.len())).sum();
        kept.output.weight() + findings as u64 + 200
    }
}

/// Results of one station with their findings, by key.
pub(crate) struct Shelf<T> {
    kept: sync::Cache<Print, Kept<T>, ByWeight>,
    made: AtomicUsize,
}

impl<T: Weighty> Default for Shelf<T> {
    fn default() -> Self {
        Self { kept: sync::Cache::with_weighter(OUTPUTS, ROOM, ByWeight), made: AtomicUsize::new(0) }
    }
}

impl<T: Weighty> Shelf<T> {
    /// True where something was made under this key and is still there.
    pub(crate) fn has(&self, key: Print) -> bool {
        self.kept.contains_key(&key)
    }
    /// What was made under this key, made now where it is not there. Two who ask at once may both make it: nobody waits for
    /// another's work, which could need the very thread that waits.
    pub(crate) fn get(&self, key: Print, make: impl FnOnce() -> (T, Vec<Finding>)) -> Kept<T> {
        if let Some(found) = self.kept.get(&key) {
            return found;
        }
        let (made, findings) = make();
        self.made.fetch_add(1, Ordering::Relaxed);
        let entry = Kept { print: made.print(), output: Arc::new(made), findings: Arc::new(findings) };
        self.kept.insert(key, entry.clone());
        entry
    }
}

/// Bytes of a segment, and of what stands around it.
const SEGMENT: u64 = 40;
const AROUND: u64 = 300;

impl Weighty for BTreeSet<ContourId> {
    fn weight(&self) -> u64 {
        self.len() as u64 * 12
    }
    fn print(&self) -> Print {
        Print::of(self)
    }
}

impl Weighty for (Intake, Arc<Cleaned>) {
    fn weight(&self) -> u64 {
        self.1.contours.iter().map(|c| AROUND + SEGMENT * c.path.segments.len() as u64).sum()
    }
    fn print(&self) -> Print {
        // Assign gets to see what is clean, and nothing of how its size was found.
        Print::of(&self.1)
    }
}

impl Weighty for Work {
    fn weight(&self) -> u64 {
        // Contours are shared with Clean; outlines of parts are their own.
        60 * self.items.len() as u64 + self.parts.iter().map(|p| AROUND + SEGMENT * p.outline.segments.len() as u64).sum::<u64>()
    }
    fn print(&self) -> Print {
        Print::of(self)
    }
}

impl Weighty for Nested {
    fn weight(&self) -> u64 {
        self.layout.sheets.iter().map(|s| AROUND + 60 * s.placed.len() as u64).sum()
    }
    fn print(&self) -> Print {
        Print::of(self)
    }
}

impl Weighty for CutPlan {
    fn weight(&self) -> u64 {
        let cut = |c: &crate::cuts::Cut| AROUND + SEGMENT * c.path.segments.len() as u64;
        self.sheets.iter().flat_map(|s| &s.cuts).map(cut).sum()
    }
    fn print(&self) -> Print {
        Print::of(self)
    }
}

fn of_sequence(sheet: &SheetSequence) -> u64 {
    AROUND + 48 * sheet.steps.len() as u64
}

impl Weighty for Ordered {
    fn weight(&self) -> u64 {
        of_sequence(&self.0) + self.1.iter().map(|r| 40 + r.1.len() as u64).sum::<u64>()
    }
    fn print(&self) -> Print {
        // What is made of it is made of all sheets together.
        Print::default()
    }
}

impl Weighty for Sequence {
    fn weight(&self) -> u64 {
        self.sheets.iter().map(of_sequence).sum()
    }
    fn print(&self) -> Print {
        Print::of(self)
    }
}

impl Weighty for Toolpath {
    fn weight(&self) -> u64 {
        let op = |o: &Op| {
            let segments: usize = o.line().runs.iter().map(Vec::len).sum::<usize>() + o.leads().count();
            let rows: u64 = o.rows().iter().map(|r| 80 + 16 * r.spans.len() as u64).sum();
            AROUND + SEGMENT * segments as u64 + rows + o.picture().map_or(0, |p| (p.raster.width * p.raster.height) as u64)
        };
        self.sheets.iter().flat_map(|s| &s.ops).map(op).sum()
    }
    fn print(&self) -> Print {
        Print::of(self)
    }
}

fn of_proved(program: &Program, proof: &SheetProof) -> u64 {
    let text = if let Program::Kept(t) = program { t.len() as u64 } else { 0 };
    text + AROUND + 90 * proof.moves.len() as u64
}

impl Weighty for ProvedSheet {
    fn weight(&self) -> u64 {
        of_proved(&self.0, &self.1)
    }
    fn print(&self) -> Print {
        // Nothing is made of a proof.
        Print::default()
    }
}

impl Weighty for Proved {
    fn weight(&self) -> u64 {
        self.0.iter().zip(self.1.iter()).map(|(program, proof)| of_proved(program, proof)).sum()
    }
    fn print(&self) -> Print {
        // Nothing is made of a proof.
        Print::default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{Path, Point};
    use crate::shop::Shop;
    use crate::testing;

    /// What is kept is bounded by its weight: that is about what it takes, whatever it is, and grows with it.
    #[test]
    fn what_is_kept_weighs_what_it_takes() {
        let shop = Shop::builtin();
        let made = |n: usize| {
            let plates: Vec<Path> = (0..n).map(|i| Path::circle(Point::new(70.0 * i as f64, 0.0), 20.0 + i as f64 * 0.1)).collect();
            let (cleaned, decisions) = testing::cleaned(&testing::outlines(&plates), 1);
            let contours: BTreeSet<ContourId> = cleaned.contours.iter().map(|c| c.id).collect();
            let (work, _) = testing::assigned(&[cleaned], &decisions, &shop);
            let at = |(i, p): (usize, &crate::assign::Part)| crate::nest::Placement {
                copy: testing::copy(p.id, 1),
                x: 90.0 * i as f64 - p.bounds.min.x,
                y: 10.0 - p.bounds.min.y,
                angle: 0.0,
                mirrored: false,
            };
            let sheet = crate::nest::SheetLayout {
                sheet: crate::nest::Sheet::rectangle(9000.0, 90.0),
                placed: work.parts.iter().enumerate().map(at).collect(),
            };
            let layout = crate::nest::Layout { sheets: vec![sheet], ..crate::nest::Layout::default() };
            let plan = testing::planned(&work, &layout, &decisions, &shop);
            let sequence = testing::ordered(&work, &layout, &decisions);
            let (toolpath, _) = testing::held(&work, &layout, &decisions, &shop.machines[0], &shop);
            // As text every figure has some ten to twenty bytes, where it takes eight.
            let told = |text: Result<Vec<u8>, serde_json::Error>| text.expect("it is written").len() as u64;
            [
                ("contours", contours.weight(), told(serde_json::to_vec(&contours))),
                ("work", work.weight(), told(serde_json::to_vec(&work.parts))),
                ("plan", plan.weight(), told(serde_json::to_vec(&plan))),
                ("sequence", sequence.weight(), told(serde_json::to_vec(&sequence))),
                ("toolpath", toolpath.weight(), told(serde_json::to_vec(&toolpath))),
            ]
        };
        let (few, many) = (made(10), made(80));
        for ((name, less, _), (_, more, text)) in few.into_iter().zip(many) {
            assert!(more > 5 * less && more < 12 * less, "{name}: eight times as many weigh {more} and not {less}");
            assert!(more * 6 > text && more < text * 6, "{name} weighs {more}, and is {text} bytes of text");
        }
    }

    struct Large(u64);

    impl Weighty for Large {
        fn weight(&self) -> u64 {
            self.0
        }
        fn print(&self) -> Print {
            Print::of(&self.0)
        }
    }

    /// What takes half of a shelf is kept as long as there is room: it is what nobody wants to work out again.
    #[test]
    fn what_is_large_is_kept_too() {
        let shelf: Shelf<Large> = Shelf::default();
        for _ in 0..3 {
            for key in 0..3_u64 {
                shelf.get(Print::of(&key), || (Large(ROOM / 4), Vec::new()));
            }
        }
        assert_eq!(shelf.made.load(Ordering::Relaxed), 3, "each was worked out once");
        (10..40_u64).for_each(|key| drop(shelf.get(Print::of(&key), || (Large(ROOM / 4), Vec::new()))));
        assert!(shelf.kept.weight() <= ROOM, "and no more is kept than there is room for");
    }
}
