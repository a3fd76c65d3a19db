//! A slot coupon: a comb with slots of rising width, to find by hand which one holds the sheet that was bought.

use crate::geometry::{Affine, Path, Point, Vec2};
use crate::lettering::strokes;

/// Material between two slots and at the ends, depth of the slots, and height of the comb, mm.
const BETWEEN: f64 = 10.0;
const DEPTH: f64 = 14.0;
const HEIGHT: f64 = 30.0;
/// Height of the numbers, mm.
const NUMBERS: f64 = 2.6;

/// Outline to cut and numbers to score, mm.
#[derive(Clone, Debug, PartialEq)]
pub struct Coupon {
    /// The comb.
    pub outline: Path,
    /// Width of each slot under it.
    pub numbers: Vec<Path>,
    /// The same as text, its height and where it begins, mm.
    pub labels: Vec<(String, f64, Point)>,
}

/// A comb of `count` slots round `middle` mm, `step` mm apart. Refuses what no comb can be made of.
pub fn slots(middle: f64, step: f64, count: u32) -> Result<Coupon, String> {
    let narrowest = middle - step * f64::from(count.saturating_sub(1)) / 2.0;
    if !(2..=25).contains(&count) || !(0.01..=2.0).contains(&step) || !(0.2..=60.0).contains(&narrowest) || !middle.is_finite() {
        return Err(format!(
            "a coupon of {count} slots round {middle} mm in steps of {step} mm cannot be made; use 2 to 25 slots, all wider than 0.2 mm"
        ));
    }
    let mut points = vec![Point::new(0.0, 0.0)];
    let (mut numbers, mut labels) = (Vec::new(), Vec::new());
    let mut tops = vec![Point::new(0.0, HEIGHT)];
    let mut x = BETWEEN;
    for i in 0..count {
        let width = narrowest + step * f64::from(i);
        tops.extend([(x, HEIGHT), (x, HEIGHT - DEPTH), (x + width, HEIGHT - DEPTH), (x + width, HEIGHT)].map(|(x, y)| Point::new(x, y)));
        let label = strokes(&format!("{width:.2}"), NUMBERS);
        let at = Affine::translate(Vec2::new(x + (width - label.width) / 2.0, 6.0));
        labels.push((format!("{width:.2}"), NUMBERS, Point::new(x + (width - label.width) / 2.0, 6.0)));
        numbers.extend(label.paths.iter().map(|p| p.transformed(at)));
        x += width + BETWEEN;
    }
    points.push(Point::new(x, 0.0));
    points.push(Point::new(x, HEIGHT));
    points.extend(tops.into_iter().rev());
    points.pop();
    points.push(Point::new(0.0, HEIGHT));
    Ok(Coupon { outline: Path::polygon(&points), numbers, labels })
}

/// The room that slots in a material want, mm, from the slot that holds a sheet and how thick that measured: in thousandths.
pub fn room(slot: f64, measured: f64) -> f64 {
    ((slot - measured) * 1000.0).round() / 1000.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slots_rise_in_steps_round_the_middle() {
        let coupon = slots(3.0, 0.1, 7).expect("a coupon");
        let widths: Vec<f64> = coupon
            .outline
            .segments
            .iter()
            .filter(|s| (s.start.y - (HEIGHT - DEPTH)).abs() < 1e-9 && (s.end.y - s.start.y).abs() < 1e-9)
            .map(|s| s.length())
            .collect();
        assert_eq!(widths.len(), 7);
        let (low, high) = widths.iter().fold((f64::INFINITY, 0.0_f64), |(l, h), w| (l.min(*w), h.max(*w)));
        assert!((low - 2.7).abs() < 1e-9 && (high - 3.3).abs() < 1e-9);
        let slots_area: f64 = widths.iter().map(|w| w * DEPTH).sum();
        let b = coupon.outline.bounds();
        assert!((coupon.outline.area().abs() - (b.width() * b.height() - slots_area)).abs() < 1e-6, "nothing crosses");
        assert!(coupon.numbers.iter().all(|n| b.holds(&n.bounds())));
        assert!(slots(0.3, 0.2, 9).is_err() && slots(f64::NAN, 0.1, 5).is_err());
    }
}
