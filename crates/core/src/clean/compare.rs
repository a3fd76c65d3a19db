//! A new revision of a drawing against the one before it.

use super::{Cleaned, ContourId};
use crate::decisions::DrawingDecisions;
use crate::drawing::Drawing;
use crate::geometry::{Path, Tolerance};
use crate::intake;
use crate::shop::Machine;
use std::collections::BTreeSet;

/// What a new revision changed.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Compared {
    /// Contours that are as they were; what was decided on them stands.
    pub kept: usize,
    /// Contours that are new.
    pub fresh: BTreeSet<ContourId>,
    /// Contours of the file before that are gone, in mm.
    pub gone: Vec<Path>,
}

/// Compares a drawing with the file before it, both sized and cleaned by the same decisions.
pub fn compare(before: &Drawing, now: &Cleaned, decisions: &DrawingDecisions, machine: &Machine, tolerance: &Tolerance) -> Compared {
    let (sized, _) = intake::run(before, decisions, &machine.bed());
    let (before, _) = super::run(before, &sized, decisions, tolerance);
    let ids = |c: &Cleaned| c.contours.iter().map(|c| c.id).collect::<BTreeSet<ContourId>>();
    let (now, then) = (ids(now), ids(&before));
    Compared {
        kept: now.intersection(&then).count(),
        fresh: now.difference(&then).copied().collect(),
        gone: before.contours.iter().filter(|c| !now.contains(&c.id)).map(|c| c.path.clone()).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use crate::shop::Shop;
    use crate::testing::{cleaned, outlines};

    #[test]
    fn what_moved_is_new_and_gone_and_the_rest_is_kept() {
        let plate = Path::rectangle(0.0, 0.0, 50.0, 40.0);
        let before = outlines(&[plate.clone(), Path::circle(Point::new(10.0, 10.0), 3.0), Path::circle(Point::new(40.0, 10.0), 3.0)]);
        let after = outlines(&[Path::circle(Point::new(12.0, 10.0), 3.0), plate, Path::circle(Point::new(40.0, 10.0), 3.0)]);
        let (now, decisions) = cleaned(&after, 1);
        let shop = Shop::builtin();
        let found = compare(&before, &now, &decisions.drawings[0], &shop.machines[0], &shop.tolerance);
        assert_eq!((found.kept, found.fresh.len(), found.gone.len()), (2, 1, 1));
        assert!(found.gone[0].bounds().center().distance(Point::new(10.0, 10.0)) < 1e-9);
        let same = compare(&after, &now, &decisions.drawings[0], &shop.machines[0], &shop.tolerance);
        assert_eq!(same, Compared { kept: 3, ..Compared::default() });
    }
}
