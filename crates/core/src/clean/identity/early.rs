//! The sums and products by which the first version named contours, as that version made them: names of that time stand in stored
//! decisions. Nothing else is named so: of whole millimetres some twenty bits are left.

const STEP: u64 = 0xf135_7aea_2e62_a9c5;
const TURN: u32 = 26;

/// Of numbers, one after the other.
pub(super) fn of_words(words: impl IntoIterator<Item = u64>) -> u64 {
    words.into_iter().fold(0_u64, |sum, w| sum.wrapping_add(w).wrapping_mul(STEP)).rotate_left(TURN)
}

fn word(bytes: &[u8], at: usize) -> u64 {
    bytes[at..at + 8].iter().rev().fold(0, |sum, b| sum << 8 | u64::from(*b))
}

fn folded(x: u64, y: u64) -> u64 {
    let product = u128::from(x) * u128::from(y);
    product as u64 ^ (product >> 64) as u64
}

/// Of bytes.
pub(super) fn of_bytes(bytes: &[u8]) -> u64 {
    const AGAINST_NOUGHT: u64 = 0xa409_3822_299f_31d0;
    let n = bytes.len();
    let (mut a, mut b) = (0x243f_6a88_85a3_08d3_u64, 0x1319_8a2e_0370_7344_u64);
    match n {
        0 => {}
        1..=3 => {
            a ^= u64::from(bytes[0]);
            b ^= u64::from(bytes[n - 1]) << 8 | u64::from(bytes[n / 2]);
        }
        4..=7 => {
            let half = |at: usize| bytes[at..at + 4].iter().rev().fold(0, |sum, b| sum << 8 | u64::from(*b));
            (a, b) = (a ^ half(0), b ^ half(n - 4));
        }
        8..=16 => (a, b) = (a ^ word(bytes, 0), b ^ word(bytes, n - 8)),
        _ => {
            for at in (0..n - 16).step_by(16) {
                (a, b) = (b, folded(a ^ word(bytes, at), AGAINST_NOUGHT ^ word(bytes, at + 8)));
            }
            (a, b) = (a ^ word(bytes, n - 16), b ^ word(bytes, n - 8));
        }
    }
    of_words([folded(a, b) ^ n as u64])
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Names as the first version wrote them.
    #[test]
    fn names_of_before_are_as_they_were() {
        assert_eq!(of_words([1]), 12_157_901_119_326_311_915);
        assert_eq!(of_words([100]), 16_751_747_135_202_103_309);
        let all: [&[u8]; 6] = [b"", b"ab", b"abcde", b"abcdefghij", b"abcdefghijklmnop", b"abcdefghijklmnopqrstuvwxyz0123456789"];
        let was = [
            17_606_491_139_363_777_937_u64,
            11_378_079_396_794_398_350,
            11_767_186_728_377_781_620,
            9_190_865_364_069_829_264,
            10_351_046_906_961_340_585,
            16_912_392_592_941_839_396,
        ];
        assert_eq!(all.map(of_bytes), was);
        let of_length = |n: usize| of_bytes(&(0..n).map(|i| (i * 7 + 3) as u8).collect::<Vec<u8>>()).rotate_left(n as u32 % 64);
        assert_eq!((0..300).map(of_length).fold(0, |all, one| all ^ one), 15_527_765_605_602_370_352);
    }
}
