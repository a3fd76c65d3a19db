//! What the shop as a whole says of itself.

use serde::{Deserialize, Serialize};

/// Longest sign or code of a currency, characters.
const LONGEST: usize = 6;

/// Figures and words that go for everything in the shop.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct House {
    /// What prices and costs are in.
    pub currency: Currency,
}

/// A currency by its sign or its code (ISO 4217); nothing is converted.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Currency(String);

impl Default for Currency {
    fn default() -> Self {
        Self("€".into())
    }
}

impl Currency {
    /// As somebody typed it.
    ///
    /// # Errors
    /// A sentence, where that is no sign and no code: nothing at all, more than six characters, or anything but letters, signs of
    /// currencies and a full stop at the end.
    pub fn typed(text: &str) -> Result<Self, String> {
        let sign = text.trim();
        let plain = |c: char| c.is_alphabetic() || matches!(c, '$' | '\u{a2}'..='\u{a5}' | '\u{20a0}'..='\u{20cf}');
        let word = sign.strip_suffix('.').unwrap_or(sign);
        if word.is_empty() || sign.chars().count() > LONGEST || !word.chars().all(plain) {
            let shown: String = sign.chars().take(2 * LONGEST).collect();
            return Err(format!("“{shown}” is no currency; type its sign or code, such as € or CHF"));
        }
        Ok(Self(sign.into()))
    }

    /// Its sign or code.
    pub fn sign(&self) -> &str {
        &self.0
    }

    /// An amount as it is read: two decimals, thousands set apart, never broken over two lines.
    ///
    /// ```
    /// use boustrophe_core::shop::Currency;
    /// let money = |amount| Currency::typed("CHF").map(|c| c.told(amount).replace(['\u{202f}', '\u{a0}'], " "));
    /// assert_eq!(money(1234.5), Ok("1 234.50 CHF".to_owned()));
    /// ```
    pub fn told(&self, amount: f64) -> String {
        let figures = format!("{:.2}", amount.abs());
        let (whole, part) = figures.split_once('.').unwrap_or((&figures, "00"));
        let mut grouped = String::new();
        for (i, c) in whole.chars().enumerate() {
            if i > 0 && (whole.len() - i).is_multiple_of(3) {
                grouped.push('\u{202f}');
            }
            grouped.push(c);
        }
        let minus = if amount < 0.0 && figures != "0.00" { "−" } else { "" };
        format!("{minus}{grouped}.{part}\u{a0}{}", self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_have_two_decimals_and_their_currency() {
        let told = |amount: f64| Currency::default().told(amount).replace(['\u{202f}', '\u{a0}'], " ");
        assert_eq!([0.0, 0.004, 12.345, 999.999, 1_234_567.8].map(told), ["0.00 €", "0.00 €", "12.35 €", "1 000.00 €", "1 234 567.80 €"]);
        assert_eq!([-0.001, -12.5].map(told), ["0.00 €", "−12.50 €"]);
    }

    #[test]
    fn what_is_no_currency_is_said() {
        for wrong in ["", "  ", "12", "1.50", "far too long", "a b", "-", ".", "<b>", "\u{202e}$", "\"", "\0"] {
            assert!(Currency::typed(wrong).expect_err(wrong).contains("is no currency"));
        }
        assert!(Currency::typed(&"a".repeat(100_000)).is_err_and(|told| told.len() < 200), "what is said stays short");
        for right in ["€", "EUR", "kr", "Kč", "US$", "Fr.", "zł", "₿"] {
            assert_eq!(Currency::typed(right).expect(right).sign(), right);
        }
    }
}
