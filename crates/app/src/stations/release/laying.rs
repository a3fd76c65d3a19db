//! Zeros and places on the bed, as they are typed at Release.

use boustrophe_core::decisions::{ReleaseEdit, Zero};
use boustrophe_core::drawing::Unit;
use boustrophe_core::geometry::Point;
use boustrophe_core::quantity::{count, length, number};

/// Where a sheet lies: `x, y` and, where it is turned, degrees.
pub fn laid(on: &str, value: &str) -> Result<ReleaseEdit, String> {
    let sheet = count(on, 1, 1_000_000)?;
    let wrong = || format!("“{value}” is no place; type x, y and, where it is turned, degrees: 120, 80, 1.5");
    let parts: Vec<&str> = value.split([',', ';']).map(str::trim).collect();
    let [x, y, degrees] = match parts[..] {
        [x, y] => [x, y, "0"],
        [x, y, degrees] => [x, y, degrees.trim_end_matches('°')],
        _ => return Err(wrong()),
    };
    Ok(ReleaseEdit::Lay { sheet, x: length(x, Unit::Mm)?, y: length(y, Unit::Mm)?, degrees: number(degrees)? })
}

/// Two points of a sheet and where they were found: eight figures.
pub fn aligned(on: &str, value: &str) -> Result<ReleaseEdit, String> {
    let sheet = count(on, 1, 1_000_000)?;
    let figures: Vec<f64> =
        value.split([',', ';', ' ']).filter(|t| !t.trim().is_empty()).map(|t| length(t.trim(), Unit::Mm)).collect::<Result<_, _>>()?;
    let [a, b, c, d, e, f, g, h] = figures[..] else {
        return Err("two points of the sheet and where each lies on the bed are needed: take or type all four".into());
    };
    let at = Point::new;
    Ok(ReleaseEdit::Align { sheet, on_sheet: [at(a, b), at(e, f)], on_bed: [at(c, d), at(g, h)] })
}

/// A zero by its name, or a point of the sheet as `x, y`.
pub fn zero(value: &str) -> Result<Zero, String> {
    if let Some(named) = Zero::NAMED.iter().find(|n| n.1 == value) {
        return Ok(named.0);
    }
    let (x, y) = value.split_once(',').ok_or_else(|| format!("“{value}” is no zero; choose a corner, or type x, y in mm"))?;
    Ok(Zero::At(Point::new(length(x.trim(), Unit::Mm)?, length(y.trim(), Unit::Mm)?)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_and_zeros_are_typed() {
        assert_eq!(zero("centre"), Ok(Zero::Centre));
        assert_eq!(zero("12, 1in"), Ok(Zero::At(Point::new(12.0, 25.4))));
        assert!(zero("middle").is_err() && zero("12, x").is_err());
        assert_eq!(laid("2", "120, 80"), Ok(ReleaseEdit::Lay { sheet: 2, x: 120.0, y: 80.0, degrees: 0.0 }));
        assert_eq!(laid("1", "10cm; 8; -1.5°"), Ok(ReleaseEdit::Lay { sheet: 1, x: 100.0, y: 8.0, degrees: -1.5 }));
        assert!(laid("0", "1, 2").is_err() && laid("1", "1").is_err() && laid("1", "1, 2, 3, 4").is_err());
        assert!(aligned("1", "0, 0, 100, 50, 300, 0, 400, 50").is_ok() && aligned("1", "0, 0, 100, 50, , , 400, 50").is_err());
    }
}
