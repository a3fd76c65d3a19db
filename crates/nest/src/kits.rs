//! Kits: parts that belong together, so many of each to one of it. One kit's parts lie on one sheet, or side by side on it.

use crate::geometry::Bounds;
use crate::ids::PartId;
use crate::layout::Layout;
use crate::parts::Parts;
use crate::terms::Terms;
use crate::ways::Kit;
use std::collections::BTreeMap;
use std::iter::Sum;

/// A kit as often as it is wanted.
#[derive(Clone, Debug, PartialEq)]
pub struct Kits {
    /// Which.
    pub kit: Kit,
    /// Its parts, and how many of each belong to one.
    pub each: Vec<(PartId, u32)>,
    /// How many there are of it: the greatest number that divides the quantities of all its parts.
    pub count: u32,
}

/// A copy on a sheet: its part and its box.
type Lying = (PartId, Bounds);

impl Kits {
    /// All kits of the parts that are wanted, by number. A kit of a single part, one of it to each, holds nothing together.
    pub fn of(work: &dyn Parts, terms: &Terms) -> Vec<Self> {
        let mut all: BTreeMap<u32, Self> = BTreeMap::new();
        for part in work.parts().into_iter().filter(|p| p.quantity > 0) {
            let Some(kit) = terms.parts.get(&part.id).filter(|p| !p.filler).and_then(|p| p.kit) else { continue };
            let kits = all.entry(kit.number).or_insert(Self { kit, each: Vec::new(), count: 0 });
            kits.count = divisor(kits.count, part.quantity);
            kits.each.push((part.id, part.quantity));
        }
        for kits in all.values_mut() {
            kits.each.iter_mut().for_each(|e| e.1 /= kits.count);
        }
        all.into_values().filter(|k| k.each.iter().map(|e| e.1).sum::<u32>() > 1).collect()
    }

    /// How many whole ones there are among copies of these parts.
    pub fn whole(&self, copies: impl Iterator<Item = PartId> + Clone) -> u32 {
        let of = |part: PartId| copies.clone().filter(|c| *c == part).count() as u32;
        self.each.iter().map(|(part, each)| of(*part) / each).min().unwrap_or(0)
    }

    /// How many lie neither whole on one sheet, nor, where they shall, side by side; by what lies on each sheet. Boxes that are no
    /// further from each other than `reach`, mm, are side by side.
    fn torn(&self, sheets: &[Vec<Lying>], reach: f64) -> Torn {
        let (mut whole, mut together) = (0, 0);
        for sheet in sheets {
            let mut of: Vec<Lying> = sheet.iter().filter(|c| self.each.iter().any(|e| e.0 == c.0)).copied().collect();
            whole += self.whole(of.iter().map(|c| c.0));
            while self.kit.near && !of.is_empty() {
                let mut beside = vec![of.swap_remove(0)];
                let mut k = 0;
                while k < beside.len() {
                    let near = beside[k].1.grown(reach);
                    beside.extend(of.extract_if(.., |c| near.meets(&c.1)));
                    k += 1;
                }
                together += self.whole(beside.iter().map(|c| c.0));
            }
        }
        Torn { sheets: self.count.saturating_sub(whole), apart: if self.kit.near { whole.saturating_sub(together) } else { 0 } }
    }
}

/// How many of a kit are not as they should be.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Torn {
    /// Those that lie on more than one sheet, or not wholly on any.
    pub sheets: u32,
    /// Those on one sheet that should lie side by side there, and do not.
    pub apart: u32,
}

impl Sum for Torn {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        all.fold(Self::default(), |sum, t| Self { sheets: sum.sheets + t.sheets, apart: sum.apart + t.apart })
    }
}

/// The same of several kits.
pub(crate) fn all_torn(kits: &[Kits], sheets: &[Vec<Lying>], spacing: f64) -> Torn {
    kits.iter().map(|k| k.torn(sheets, reach(spacing))).sum()
}

/// Kits of a layout, each with how many are torn.
pub fn torn(work: &dyn Parts, layout: &Layout, terms: &Terms) -> Vec<(Kits, Torn)> {
    let kits = Kits::of(work, terms);
    if kits.is_empty() {
        return Vec::new();
    }
    let sheets = lying(work, layout);
    kits.into_iter().map(|k| (k.torn(&sheets, reach(terms.spacing)), k)).map(|(torn, kits)| (kits, torn)).collect()
}

/// Boxes of what lies on each sheet of a layout.
fn lying(work: &dyn Parts, layout: &Layout) -> Vec<Vec<Lying>> {
    let bounds = |p: &crate::layout::Placement| Some((p.copy.part, work.part(p.copy.part)?.outline.transformed(p.affine()).bounds()));
    layout.sheets.iter().map(|s| s.placed.iter().filter_map(bounds).collect()).collect()
}

/// How far apart boxes may be that lie side by side, mm.
fn reach(spacing: f64) -> f64 {
    2.0 * spacing + 5.0
}

/// The greatest common divisor (Euclid); that of 0 and a number is the number.
fn divisor(a: u32, b: u32) -> u32 {
    if a == 0 { b } else { divisor(b % a, a) }
}
