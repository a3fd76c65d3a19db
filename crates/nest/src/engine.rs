//! What an engine is.

use crate::cost::Cost;
use crate::plan::Plan;

/// One way to better plans. What it returns is checked before it is taken.
pub(crate) trait Engine {
    /// Works on for one try; a plan that costs less than the best so far, where it finds one.
    fn improve(&mut self, best: &Plan, cost: Cost, go_on: &(dyn Fn() -> bool + Sync)) -> Option<Plan>;
}

/// Lanes that work side by side. It does not follow the machine: the same seed and number of tries give the same layout on any
/// number of cores.
pub(crate) const LANES: usize = 4;
