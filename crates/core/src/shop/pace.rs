//! How long runs took against what was reckoned for them: the factor of time of a cut's row.

use super::Stock;
use super::{ChartRow, Shop};
use crate::process::Process;

/// Runs that a factor of time is reckoned from: fewer say little.
const FEWEST: usize = 3;
/// A factor that differs by less is not worth a word.
const WORTH: f64 = 0.02;

/// Runs on one stock that took another time than the chart has them reckoned with.
pub struct Pace<'a> {
    /// The stock.
    pub stock: Stock,
    /// Runs that it is reckoned from.
    pub runs: usize,
    /// How many times as long as reckoned they took, in hundredths.
    pub factor: f64,
    /// The row of the chart that has another factor.
    pub row: &'a ChartRow,
}

/// Stocks whose finished runs took another time than the chart says, from each run's stock, the seconds that it took and those
/// that its program was planned to take.
pub fn paces(runs: impl Iterator<Item = (Stock, f64, f64)>, shop: &Shop) -> Vec<Pace<'_>> {
    let mut of: Vec<(Stock, f64, f64, usize)> = Vec::new();
    for (stock, taken, planned) in runs {
        match of.iter_mut().find(|o| o.0 == stock) {
            Some(o) => (o.1, o.2, o.3) = (o.1 + taken, o.2 + planned, o.3 + 1),
            None => of.push((stock, taken, planned, 1)),
        }
    }
    let worth = |(stock, taken, planned, runs): (Stock, f64, f64, usize)| {
        let factor = (taken / planned * 100.0).round() / 100.0;
        let row = shop.row(&stock.machine, &stock.material, stock.thickness, Process::Cut)?;
        (runs >= FEWEST && (factor - row.time_factor).abs() >= WORTH).then_some(Pace { stock, runs, factor, row })
    };
    of.into_iter().filter_map(worth).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn three_runs_that_took_longer_are_worth_a_word() {
        let shop = Shop::builtin();
        let runs = |each: &[f64]| each.iter().map(|took| (Stock::default(), *took, 100.0)).collect::<Vec<_>>().into_iter();
        let said = paces(runs(&[110.0, 120.0, 106.0]), &shop);
        assert_eq!((said.len(), said[0].runs, said[0].factor), (1, 3, 1.12));
        assert_eq!(said[0].row.process, Process::Cut);
        assert!(paces(runs(&[110.0, 120.0]), &shop).is_empty(), "two say little");
        assert!(paces(runs(&[101.0, 100.0, 102.0]), &shop).is_empty(), "that is as reckoned");
        let unknown = Stock { material: "felt".into(), ..Stock::default() };
        assert!(paces(vec![(unknown, 150.0, 100.0); 3].into_iter(), &shop).is_empty(), "no row to change");
    }
}
