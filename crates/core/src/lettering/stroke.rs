//! Letters of single strokes.
//!
//! A stroke is written as points on a grid, two characters each: x, then y, in base 36, with `z`, `y`, `x` for 1, 2 and 3
//! below the base line. Between two points stands nothing for a line, `(` for a quarter turn to the left, `)` to the right,
//! `[` and `]` for half turns. A blank begins another stroke.

use crate::geometry::{Path, Point, Segment};
use unicode_normalization::UnicodeNormalization;

/// Height of capitals on the grid.
pub(super) const CAPITAL: f64 = 10.0;
/// Room between letters.
pub(super) const BETWEEN: f64 = 2.4;
/// Width of a blank.
const BLANK: f64 = 5.0;
/// tan(90° / 4).
const QUARTER: f64 = 0.414_213_562_373_095_03;

const LETTERS: &[(char, &str)] = &[
    ('0', "6367(3A(0703(30(63"),
    ('1', "083A30"),
    ('2', "07)3A)670060"),
    ('3', "0A6A36)63)30)03"),
    ('4', "4A0363 4A40"),
    ('5', "6A0A0636)63)3000"),
    ('6', "5A(0503(30(63(36(03"),
    ('7', "0A6A20"),
    ('8', "03(30(63(36(03 18(36(58(3A(18"),
    ('9', "10(6567(3A(07(34(67"),
    ('A', "003A60 1353"),
    ('B', "000A3A]3505 35]3000"),
    ('C', "67(3A(0703(30(63"),
    ('D', "000A2A)6664)2000"),
    ('E', "6A0A0060 0545"),
    ('F', "6A0A00 0545"),
    ('G', "67(3A(0703(30(636535"),
    ('H', "000A 606A 0565"),
    ('I', "101A"),
    ('J', "03(30(636A"),
    ('K', "000A 6A04 2660"),
    ('L', "0A0060"),
    ('M', "000A356A60"),
    ('N', "000A606A"),
    ('O', "6367(3A(0703(30(63"),
    ('P', "000A3A]3505"),
    ('Q', "6367(3A(0703(30(63 3360"),
    ('R', "000A3A]3505 3560"),
    ('S', "68(4A2A(0807(2545)6362)4020)02"),
    ('T', "0A6A 3A30"),
    ('U', "0A03(30(636A"),
    ('V', "0A306A"),
    ('W', "0A2036406A"),
    ('X', "006A 0A60"),
    ('Y', "0A356A 3530"),
    ('Z', "0A6A0060"),
    ('a', "63(36(03(30(63 6660"),
    ('b', "0A00 03(30(63(36(03"),
    ('c', "64(36(03(30(62"),
    ('d', "6A60 63(36(03(30(63"),
    ('e', "0363(36(03(30(61"),
    ('f', "4A(2820 0646"),
    ('g', "63(36(03(30(63 666z)4x1x"),
    ('h', "000A 03)36)6360"),
    ('i', "1016 1819"),
    ('j', "262z)0x 2829"),
    ('k', "000A 5604 2560"),
    ('l', "1A10"),
    ('m', "0006 04)26)4440 44)66)8480"),
    ('n', "0006 03)36)6360"),
    ('o', "63(36(03(30(63"),
    ('p', "060x 03(30(63(36(03"),
    ('q', "666x 63(36(03(30(63"),
    ('r', "0006 03)3646"),
    ('s', "5616(0504(1343)5251)4000"),
    ('t', "1912(3040 0646"),
    ('u', "0603(30(63 6660"),
    ('v', "063066"),
    ('w', "0620344066"),
    ('x', "0066 0660"),
    ('y', "0630 661x"),
    ('z', "06660060"),
    ('.', "1011"),
    (',', "111z"),
    ('-', "1545"),
    ('_', "0060"),
    ('/', "006A"),
    ('\\', "0A60"),
    (':', "1112 1617"),
    (';', "111z 1617"),
    ('+', "0464 3137"),
    ('=', "0363 0666"),
    ('(', "3A(15(30"),
    (')', "0A)25)00"),
    ('[', "3A1A1030"),
    (']', "0A2A2000"),
    ('<', "680562"),
    ('>', "086502"),
    ('!', "1A13 1110"),
    ('?', "08)2A)4835 3231"),
    ('\'', "1A18"),
    ('"', "1A18 3A38"),
    ('°', "29(1A(09(18(29"),
    ('×', "1155 1551"),
    ('*', "2858 3A46 4A36"),
    ('#', "102A 405A 0363 0767"),
    ('%', "006A 19(08(17(28(19 52(41(50(61(52"),
    ('&', "6018(2A(4815(03(30(63"),
    ('@', "6367(3A(0703(30"),
    ('^', "183A58"),
    ('~', "04)15)2435)64"),
    ('|', "101A"),
    ('{', "4A(2827)15 15)2322(40"),
    ('}', "0A)2827(35 35)2322)00"),
    ('`', "1A28"),
    ('$', "68(4A2A(0807(2545)6362)4020)02 3B3z"),
];

/// Letters that are others with a stroke more, or without their dot.
const MADE: &[(char, &str)] = &[
    ('ı', "1016"),
    ('ȷ', "262z)0x"),
    ('ł', "1A10 0426"),
    ('Ł', "0A0060 0336"),
    ('ø', "63(36(03(30(63 0066"),
    ('Ø', "6367(3A(0703(30(63 006A"),
    ('đ', "6A60 63(36(03(30(63 3878"),
    ('Đ', "000A2A)6664)2000 0535"),
    ('Ð', "000A2A)6664)2000 0535"),
    ('ð', "63(36(03(30(6365)2A 183A"),
    ('þ', "0A0x 03(30(63(36(03"),
    ('Þ', "000A 0838]3303"),
    ('ħ', "000A 03)36)6360 0838"),
    ('Ħ', "000A 606A 0565 0868"),
    ('ŧ', "1912(3040 0646 0343"),
    ('Ŧ', "0A6A 3A30 1555"),
    ('ŋ', "0006 03)36)636z)4x"),
    ('Ŋ', "000A606A 606z)4x"),
    ('ß', "0007(3A(6836 36)6333(30"),
    ('ẞ', "0007(3A6A36 36)6333(3020"),
    ('æ', "63(36(03(30(63 6660 63936996"),
    ('Æ', "004AAA 2454 5090 5A50 5585"),
    ('œ', "63(36(03(30(63 6393(66 63(90"),
    ('Œ', "6367(3A(0703(30(63 6AAA 60A0 6595"),
    ('–', "0565"),
    ('—', "05A5"),
    ('’', "1A18"),
    ('‘', "1A18"),
    ('“', "1A18 3A38"),
    ('”', "1A18 3A38"),
    ('„', "111z 313z"),
    ('«', "361336 663363"),
    ('»', "063306 366336"),
    ('·', "1516"),
    ('•', "1516"),
    ('…', "0001 3031 6061"),
    ('±', "0464 3137 0060"),
    ('€', "68(4A2A(1812(2040(62 0646 0444"),
    ('£', "68(4A(280040 0545"),
    ('¿', "32)3z)0z 3638"),
    ('¡', "1013 1516"),
    ('ſ', "004A"),
];

/// A mark, whether it stands over its letter, and its strokes.
type Mark = (char, bool, &'static [&'static [(i8, i8)]]);

/// Marks over and under letters: the strokes as points about the middle of the letter in tenths of the grid, over the letter's own height
/// or under the base line.
const MARKS: &[Mark] = &[
    ('\u{300}', true, &[&[(-10, 22), (8, 8)]]),
    ('\u{301}', true, &[&[(-8, 8), (10, 22)]]),
    ('\u{302}', true, &[&[(-14, 8), (0, 22), (14, 8)]]),
    ('\u{303}', true, &[&[(-18, 10), (-8, 20), (8, 10), (18, 20)]]),
    ('\u{304}', true, &[&[(-16, 14), (16, 14)]]),
    ('\u{306}', true, &[&[(-14, 20), (-8, 9), (8, 9), (14, 20)]]),
    ('\u{307}', true, &[&[(0, 10), (0, 19)]]),
    ('\u{308}', true, &[&[(-12, 10), (-12, 19)], &[(12, 10), (12, 19)]]),
    ('\u{309}', true, &[&[(-8, 22), (6, 22), (6, 15), (0, 13), (0, 8)]]),
    ('\u{30a}', true, &[&[(-8, 14), (0, 22), (8, 14), (0, 6), (-8, 14)]]),
    ('\u{30b}', true, &[&[(-14, 8), (-4, 22)], &[(4, 8), (14, 22)]]),
    ('\u{30c}', true, &[&[(-14, 22), (0, 8), (14, 22)]]),
    ('\u{30f}', true, &[&[(-14, 22), (-4, 8)], &[(4, 22), (14, 8)]]),
    ('\u{311}', true, &[&[(-14, 9), (-8, 20), (8, 20), (14, 9)]]),
    ('\u{312}', true, &[&[(4, 22), (-4, 16), (4, 8)]]),
    ('\u{31b}', true, &[&[(22, -6), (32, 4), (32, 12)]]),
    ('\u{323}', false, &[&[(0, -12), (0, -21)]]),
    ('\u{324}', false, &[&[(-12, -12), (-12, -21)], &[(12, -12), (12, -21)]]),
    ('\u{325}', false, &[&[(-7, -15), (0, -8), (7, -15), (0, -22), (-7, -15)]]),
    ('\u{326}', false, &[&[(4, -10), (-4, -24)]]),
    ('\u{327}', false, &[&[(0, 0), (2, -9), (10, -14), (4, -24), (-8, -22)]]),
    ('\u{328}', false, &[&[(14, 0), (8, -12), (12, -22), (22, -20)]]),
    ('\u{32d}', false, &[&[(-14, -24), (0, -10), (14, -24)]]),
    ('\u{32e}', false, &[&[(-14, -10), (-8, -21), (8, -21), (14, -10)]]),
    ('\u{330}', false, &[&[(-18, -22), (-8, -12), (8, -22), (18, -12)]]),
    ('\u{331}', false, &[&[(-16, -14), (16, -14)]]),
];
/// Marks over each other stand so far apart on the grid.
const STACKED: f64 = 2.2;

fn strokes_of(c: char) -> Option<&'static str> {
    LETTERS.iter().chain(MADE).find(|l| l.0 == c).map(|l| l.1)
}

/// A letter's strokes on the grid and its advance with the room behind it; `None` for one that the face lacks. What stands over and
/// under letters is set to them.
pub(super) fn letter(c: char) -> Option<(Vec<Path>, f64)> {
    if c.is_whitespace() || c == '\u{2011}' {
        return Some((Vec::new(), BLANK));
    }
    let own = |c: char| -> Option<Vec<Path>> { Some(strokes_of(c)?.split(' ').filter_map(path).collect()) };
    if let Some(paths) = own(c) {
        let width = paths.iter().map(|p| p.bounds().max.x).fold(1.0, f64::max);
        return Some((paths, width + BETWEEN));
    }
    let mut parts = c.nfd();
    // A dot gives way to what stands over its letter.
    let base = match (parts.next()?, c) {
        ('i', c) if over(c) => 'ı',
        ('j', c) if over(c) => 'ȷ',
        (base, _) => base,
    };
    let mut paths = own(base).filter(|_| base != c)?;
    let (left, right) = paths.iter().fold((f64::INFINITY, 1.0_f64), |(l, r), p| (l.min(p.bounds().min.x), r.max(p.bounds().max.x)));
    let (middle, mut top) = ((left + right) / 2.0, paths.iter().map(|p| p.bounds().max.y).fold(0.0, f64::max));
    for mark in parts {
        let (_, above, strokes) = MARKS.iter().find(|m| m.0 == mark)?;
        let at = |p: &(i8, i8)| Point::new(middle + f64::from(p.0) / 10.0, f64::from(p.1) / 10.0 + if *above { top } else { 0.0 });
        let lines = |s: &[(i8, i8)]| s.windows(2).map(|w| Segment::line(at(&w[0]), at(&w[1]))).collect::<Vec<_>>();
        paths.extend(strokes.iter().map(|s| Path::new(lines(s), s.first() == s.last())));
        top += if *above { STACKED } else { 0.0 };
    }
    Some((paths, right + BETWEEN))
}

/// True where a mark stands over a letter.
fn over(c: char) -> bool {
    c.nfd().skip(1).any(|m| MARKS.iter().any(|k| k.0 == m && k.1))
}

fn path(stroke: &str) -> Option<Path> {
    let mut segments: Vec<Segment> = Vec::new();
    let mut at: Option<Point> = None;
    let mut bulge = 0.0;
    let mut chars = stroke.chars();
    while let Some(c) = chars.next() {
        match c {
            '(' => bulge = QUARTER,
            ')' => bulge = -QUARTER,
            '[' => bulge = 1.0,
            ']' => bulge = -1.0,
            x => {
                let to = Point::new(grid(x)?, grid(chars.next()?)?);
                if let Some(from) = at {
                    segments.push(Segment { start: from, end: to, bulge });
                }
                (at, bulge) = (Some(to), 0.0);
            }
        }
    }
    let closed = segments.len() > 1 && segments[0].start == segments[segments.len() - 1].end;
    (!segments.is_empty()).then(|| Path::new(segments, closed))
}

fn grid(c: char) -> Option<f64> {
    match c {
        'z' => Some(-1.0),
        'y' => Some(-2.0),
        'x' => Some(-3.0),
        _ => c.to_digit(36).map(f64::from),
    }
}
