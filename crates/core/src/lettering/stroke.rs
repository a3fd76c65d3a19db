//! Letters of single strokes.
//!
//! A stroke is written as points on a grid, two characters each: x, then y, in base 36, with `z`, `y`, `x` for 1, 2 and 3
//! below the base line. Between two points stands nothing for a line, `(` for a quarter turn to the left, `)` to the right,
//! `[` and `]` for half turns. A blank begins another stroke.

use crate::geometry::{Path, Point, Segment};

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

/// A letter's strokes on the grid and its advance with the room behind it.
pub(super) fn letter(c: char) -> (Vec<Path>, f64) {
    if c == ' ' {
        return (Vec::new(), BLANK);
    }
    let strokes = LETTERS.iter().find(|l| l.0 == c).map_or("00606A0A00", |l| l.1);
    let paths: Vec<Path> = strokes.split(' ').filter_map(path).collect();
    let width = paths.iter().map(|p| p.bounds().max.x).fold(1.0, f64::max);
    (paths, width + BETWEEN)
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
