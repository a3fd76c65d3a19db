//! Lengths as people type them: `3`, `3mm`, `1/8in`, `2*35+4`.
//!
//! Grammar: sum = product (("+" | "-") product)*; product = value (("*" | "/") value)*; value = "-"? (number | "(" sum ")") unit?.
//! A unit after a bracket or a fraction's last number scales that value, so `1/8in` is an eighth of an inch.

use crate::drawing::Unit;

/// Longest text looked at: nobody types more into a field.
const LONGEST: usize = 200;
/// Deepest nesting of brackets.
const DEEPEST: usize = 20;

/// Millimetres of what was typed; bare numbers are in `unit`. The message says what is wrong and what would do.
pub fn length(text: &str, unit: Unit) -> Result<f64, String> {
    let mut parser = Parser::new(text, Some(unit))?;
    let (value, has_unit) = parser.sum(0)?;
    parser.end()?;
    Ok(if has_unit { value } else { value * unit.mm() })
}

/// A plain number or sum of numbers, such as a quantity or an angle.
pub fn number(text: &str) -> Result<f64, String> {
    let mut parser = Parser::new(text, None)?;
    let (value, _) = parser.sum(0)?;
    parser.end()?;
    Ok(value)
}

/// How many times larger than drawn something is: a factor, or a ratio as `1:20` (drawn a twentieth of its size) and `1/8" = 1'`.
pub fn ratio(text: &str) -> Result<f64, String> {
    let Some((drawn, real)) = text.split_once(['=', ':']) else { return number(text) };
    // Marks of inches and feet, as drawings write them.
    let side = |t: &str| length(&t.trim().replace(['"', '″'], "in").replace(['\'', '′'], "ft"), Unit::Mm);
    let (drawn, real) = (side(drawn)?, side(real)?);
    if drawn <= 0.0 || real <= 0.0 {
        return Err(format!("“{text}” is no ratio; type it as 1:20 or 1/8\" = 1'"));
    }
    Ok(real / drawn)
}

/// A whole number of at least `least` and at most `most`.
pub fn count(text: &str, least: u32, most: u32) -> Result<u32, String> {
    let value = number(text)?;
    if value.fract() != 0.0 || value < f64::from(least) || value > f64::from(most) {
        return Err(format!("“{}” will not do; type a whole number from {least} to {most}", text.trim()));
    }
    Ok(value as u32)
}

struct Parser<'a> {
    text: &'a str,
    rest: &'a str,
    unit: Option<Unit>,
}

impl<'a> Parser<'a> {
    fn new(text: &'a str, unit: Option<Unit>) -> Result<Self, String> {
        if text.trim().is_empty() {
            return Err("nothing was typed; type a number such as 3, 1/8in or 2*35+4".into());
        }
        if text.len() > LONGEST {
            return Err("that is too long for a number".into());
        }
        Ok(Self { text, rest: text.trim_start(), unit })
    }

    fn wrong(&self) -> String {
        let example = if self.unit.is_some() { "3, 3mm, 1/8in or 2*35+4" } else { "3 or 2*35+4" };
        format!("“{}” is not a number; type something like {example}", self.text.trim())
    }

    fn eat(&mut self, c: char) -> bool {
        if let Some(rest) = self.rest.strip_prefix(c) {
            self.rest = rest.trim_start();
            return true;
        }
        false
    }

    fn end(&self) -> Result<(), String> {
        if self.rest.is_empty() { Ok(()) } else { Err(self.wrong()) }
    }

    /// Value and whether a unit was given; once one value has a unit, bare ones beside it are in the field's unit.
    fn sum(&mut self, depth: usize) -> Result<(f64, bool), String> {
        let (mut total, mut has_unit) = self.product(depth)?;
        loop {
            let sign = if self.eat('+') {
                1.0
            } else if self.eat('-') {
                -1.0
            } else {
                break;
            };
            let (value, unit) = self.product(depth)?;
            let bare = self.unit.map_or(1.0, Unit::mm);
            match (has_unit, unit) {
                (true, false) => total += sign * value * bare,
                (false, true) => (total, has_unit) = (total * bare + sign * value, true),
                _ => total += sign * value,
            }
        }
        if total.is_finite() { Ok((total, has_unit)) } else { Err(self.wrong()) }
    }

    fn product(&mut self, depth: usize) -> Result<(f64, bool), String> {
        let (mut total, mut has_unit) = self.value(depth)?;
        loop {
            if self.eat('*') || self.eat('×') {
                let (value, unit) = self.value(depth)?;
                if unit && has_unit {
                    return Err(format!("“{}” would be an area; multiply by a plain number", self.text.trim()));
                }
                (total, has_unit) = (total * value, has_unit || unit);
            } else if self.eat('/') {
                // A unit after the divisor belongs to the whole fraction: 1/8in.
                let (value, factor) = self.bare(depth)?;
                total = total / value * factor.unwrap_or(1.0);
                has_unit |= factor.is_some();
            } else {
                return Ok((total, has_unit));
            }
        }
    }

    fn value(&mut self, depth: usize) -> Result<(f64, bool), String> {
        let (value, factor) = self.bare(depth)?;
        Ok((value * factor.unwrap_or(1.0), factor.is_some()))
    }

    /// A number or bracket, and the mm of the unit behind it.
    fn bare(&mut self, depth: usize) -> Result<(f64, Option<f64>), String> {
        if depth > DEEPEST {
            return Err(self.wrong());
        }
        if self.eat('-') {
            let (value, unit) = self.bare(depth + 1)?;
            return Ok((-value, unit));
        }
        let (value, inner) = if self.eat('(') {
            let (value, has_unit) = self.sum(depth + 1)?;
            if !self.eat(')') {
                return Err(self.wrong());
            }
            (value, has_unit)
        } else {
            let end = self.rest.find(|c: char| !c.is_ascii_digit() && c != '.' && c != ',').unwrap_or(self.rest.len());
            let typed = &self.rest[..end];
            if is_either(typed) {
                let (comma, none) = (typed.replace(',', "."), typed.replace(',', ""));
                return Err(format!("“{typed}” could be {comma} or {none}; type the one that is meant"));
            }
            let value: f64 = typed.replace(',', ".").parse().map_err(|_| self.wrong())?;
            self.rest = self.rest[end..].trim_start();
            (value, false)
        };
        if inner {
            return Ok((value, Some(1.0)));
        }
        let unit =
            [("mm", Unit::Mm), ("cm", Unit::Cm), ("in", Unit::In), ("ft", Unit::Ft), ("\"", Unit::In), ("'", Unit::Ft), ("m", Unit::M)]
                .into_iter()
                .find(|(name, _)| self.unit.is_some() && self.rest.starts_with(name));
        if let Some((name, unit)) = unit {
            self.rest = self.rest[name.len()..].trim_start();
            return Ok((value, Some(unit.mm())));
        }
        Ok((value, None))
    }
}

/// True where a comma could part the whole from its fraction, or thousands: `1,100`.
fn is_either(typed: &str) -> bool {
    let Some((whole, behind)) = typed.split_once(',') else { return false };
    let digits = |t: &str| t.bytes().all(|b| b.is_ascii_digit());
    (1..=3).contains(&whole.len()) && !whole.starts_with('0') && digits(whole) && behind.len() == 3 && digits(behind)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_comma_that_could_be_either_is_asked_about() {
        for typed in ["1,100", "12,500", "2*1,100", "999,000"] {
            let told = number(typed).expect_err(typed);
            assert!(told.contains("could be") && told.contains("type the one"), "{told}");
        }
        for (typed, is) in [("1,1", 1.1), ("0,125", 0.125), ("1,25", 1.25), ("1234,567", 1234.567), ("3,0005", 3.0005)] {
            assert_eq!(number(typed), Ok(is), "{typed}");
        }
    }

    #[test]
    fn lengths_as_typed() {
        let cases = [
            ("3", 3.0),
            ("3mm", 3.0),
            ("1/8in", 3.175),
            ("2*35+4", 74.0),
            ("1in+2", 27.4),
            ("2+1in", 27.4),
            ("(2+3)*2", 10.0),
            ("-4", -4.0),
            ("1,5", 1.5),
            ("1/2\"", 12.7),
            ("2cm", 20.0),
        ];
        for (text, mm) in cases {
            assert!((length(text, Unit::Mm).expect(text) - mm).abs() < 1e-9, "{text}");
        }
        assert!((length("2", Unit::In).expect("2 in") - 50.8).abs() < 1e-9);
        assert!((length("2*35+4", Unit::In).expect("sum in inch") - 74.0 * 25.4).abs() < 1e-9);
    }

    #[test]
    fn ratios_as_drawings_write_them() {
        for (text, times) in [("1:20", 20.0), ("2 : 1", 0.5), ("1/8\" = 1'", 96.0), ("1/8\"=1'", 96.0), ("1in = 1ft", 12.0), ("0.5", 0.5)] {
            assert!((ratio(text).expect(text) - times).abs() < 1e-9, "{text}");
        }
        assert!(["0:1", "1:0", ":", "="].iter().all(|t| ratio(t).is_err()));
    }

    #[test]
    fn nonsense_is_named() {
        for text in ["", "abc", "3mm mm", "2in*2in", "1/0", "((((", "9e999", "1..2", &"(".repeat(100)] {
            assert!(length(text, Unit::Mm).is_err(), "{text}");
        }
        assert!(count("0", 1, 500).expect_err("0 is too few").contains("1 to 500"));
        assert!(count("-1", 1, 500).is_err() && count("2.5", 1, 500).is_err());
    }

    proptest! {
        #[test]
        fn never_panics(text in ".{0,40}") {
            let _ = length(&text, Unit::Mm);
        }
        #[test]
        fn a_sum_is_a_sum(a in 0.0..1000.0_f64, b in 0.0..1000.0_f64) {
            let sum = length(&format!("{a}+{b}"), Unit::Mm).expect("a sum");
            prop_assert!((sum - a - b).abs() < 1e-6);
        }
    }
}
