//! Coupons to find by hand which fit holds: a comb with slots of rising width for the sheet that was bought, and one with notches
//! for a finger.

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
    /// A tongue to be tried in its notches, where it is a comb for fingers.
    pub tongue: Option<Path>,
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
    let widths: Vec<f64> = (0..count).map(|i| narrowest + step * f64::from(i)).collect();
    Ok(comb(&widths.iter().map(|w| (*w, format!("{w:.2}"))).collect::<Vec<_>>()))
}

/// A comb of notches for a tongue of one finger's width, mm: the first with `from` mm of room, each other with `step` more, the
/// room written under each. Refuses what no comb can be made of.
pub fn fingers(finger: f64, from: f64, step: f64, count: u32) -> Result<Coupon, String> {
    let narrowest = finger + from;
    if !(2..=25).contains(&count) || !(0.01..=2.0).contains(&step) || !(2.0..=60.0).contains(&finger) || !(0.5..=120.0).contains(&narrowest)
    {
        return Err(format!(
            "a comb of {count} notches for fingers of {finger} mm from {from} mm of room on in steps of {step} mm cannot be made; use 2 to 25 notches and fingers of 2 to 60 mm"
        ));
    }
    let rooms = (0..count).map(|i| from + step * f64::from(i));
    let coupon = comb(&rooms.map(|room| (finger + room, format!("{room:.2}").replace("-0.00", "0.00"))).collect::<Vec<_>>());
    // A handle with the tongue on its right, longer than the notches are deep.
    let (y, p) = (-HEIGHT, Point::new);
    let wide = (finger + 2.0 * BETWEEN).max(24.0);
    let low = y + (wide - finger) / 2.0 - wide;
    let tongue = [
        p(0.0, y - wide),
        p(HEIGHT, y - wide),
        p(HEIGHT, low),
        p(HEIGHT + DEPTH + 2.0, low),
        p(HEIGHT + DEPTH + 2.0, low + finger),
        p(HEIGHT, low + finger),
        p(HEIGHT, y),
        p(0.0, y),
    ];
    Ok(Coupon { tongue: Some(Path::polygon(&tongue)), ..coupon })
}

/// A comb with notches of these widths, each with its words under it.
fn comb(notches: &[(f64, String)]) -> Coupon {
    let mut points = vec![Point::new(0.0, 0.0)];
    let (mut numbers, mut labels) = (Vec::new(), Vec::new());
    let mut tops = vec![Point::new(0.0, HEIGHT)];
    let mut x = BETWEEN;
    for (width, words) in notches {
        let width = *width;
        tops.extend([(x, HEIGHT), (x, HEIGHT - DEPTH), (x + width, HEIGHT - DEPTH), (x + width, HEIGHT)].map(|(x, y)| Point::new(x, y)));
        let label = strokes(words, NUMBERS);
        let at = Affine::translate(Vec2::new(x + (width - label.width) / 2.0, 6.0));
        labels.push((words.clone(), NUMBERS, Point::new(x + (width - label.width) / 2.0, 6.0)));
        numbers.extend(label.paths.iter().map(|p| p.transformed(at)));
        x += width + BETWEEN;
    }
    points.push(Point::new(x, 0.0));
    points.push(Point::new(x, HEIGHT));
    points.extend(tops.into_iter().rev());
    points.pop();
    points.push(Point::new(0.0, HEIGHT));
    Coupon { outline: Path::polygon(&points), tongue: None, numbers, labels }
}

/// The room that slots in a material want, mm, from the slot that holds a sheet and how thick that measured: in thousandths.
pub fn room(slot: f64, measured: f64) -> f64 {
    ((slot - measured) * 1000.0).round() / 1000.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn notches_have_the_room_that_stands_under_them() {
        let coupon = fingers(10.0, -0.1, 0.05, 7).expect("a comb");
        let widths: Vec<f64> = coupon
            .outline
            .segments
            .iter()
            .filter(|s| (s.start.y - (HEIGHT - DEPTH)).abs() < 1e-9 && s.start.y == s.end.y)
            .map(boustrophe_geometry::Segment::length)
            .collect();
        let mut meant: Vec<f64> = coupon.labels.iter().map(|l| 10.0 + l.0.parse::<f64>().expect("a figure")).collect();
        meant.reverse();
        assert!(widths.len() == 7 && widths.iter().zip(&meant).all(|(a, b)| (a - b).abs() < 1e-9), "{widths:?} {meant:?}");
        let tongue = coupon.tongue.expect("a tongue");
        let ends: Vec<f64> = tongue
            .segments
            .iter()
            .filter(|s| s.start.x == s.end.x && s.start.x > HEIGHT + 1.0)
            .map(boustrophe_geometry::Segment::length)
            .collect();
        assert!(ends.len() == 1 && (ends[0] - 10.0).abs() < 1e-9 && tongue.area() > 0.0);
        assert!(!tongue.bounds().meets(&coupon.outline.bounds()));
        assert!(fingers(1.0, 0.0, 0.05, 7).is_err() && fingers(f64::NAN, 0.0, 0.05, 7).is_err());
    }

    #[test]
    fn slots_rise_in_steps_round_the_middle() {
        let coupon = slots(3.0, 0.1, 7).expect("a coupon");
        let widths: Vec<f64> = coupon
            .outline
            .segments
            .iter()
            .filter(|s| (s.start.y - (HEIGHT - DEPTH)).abs() < 1e-9 && (s.end.y - s.start.y).abs() < 1e-9)
            .map(boustrophe_geometry::Segment::length)
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
