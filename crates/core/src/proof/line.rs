//! The words of a program's line, and their numbers.

/// Words of one line at most.
pub(super) const MOST_WORDS: usize = 16;

/// The words of a line, in place: programs have tens of millions of lines.
#[derive(Default)]
pub(super) struct Words {
    words: [(char, f64); MOST_WORDS],
    count: usize,
}

impl Words {
    /// False when there is no room.
    pub(super) fn push(&mut self, word: (char, f64)) -> bool {
        let Some(place) = self.words.get_mut(self.count) else { return false };
        *place = word;
        self.count += 1;
        true
    }
    pub(super) fn as_slice(&self) -> &[(char, f64)] {
        &self.words[..self.count]
    }
}

/// A decimal number. Up to fifteen digits, which is all that programs have, its digits and its power of ten are exact, and
/// so is their quotient; what is longer goes the slow way.
pub(super) fn number(text: &str) -> Option<f64> {
    let (sign, digits) = match text.as_bytes() {
        [b'-', rest @ ..] => (-1.0, rest),
        [b'+', rest @ ..] => (1.0, rest),
        all => (1.0, all),
    };
    if digits.len() > 15 {
        return text.parse().ok();
    }
    let (mut value, mut scale, mut point, mut any) = (0_u64, 1_u64, false, false);
    for b in digits {
        match b {
            b'0'..=b'9' => {
                value = value * 10 + u64::from(b - b'0');
                scale *= if point { 10 } else { 1 };
                any = true;
            }
            b'.' if !point => point = true,
            _ => return None,
        }
    }
    any.then(|| sign * (value as f64 / scale as f64))
}
