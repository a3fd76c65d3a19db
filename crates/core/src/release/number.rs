//! Numbers as programs write them.

use crate::geometry::Point;
use std::fmt::Write;

/// Four decimals: a tenth of a micrometre.
pub(super) fn rounded(p: Point) -> Point {
    let r = |v: f64| (v * 1e4).round() / 1e4;
    Point::new(r(p.x), r(p.y))
}

pub(super) fn number(v: f64) -> String {
    let mut out = String::new();
    push_number(&mut out, v);
    out
}

/// Four decimals at most, without needless noughts.
pub(super) fn push_number(out: &mut String, v: f64) {
    push_number_to(out, v, 4);
}

/// So many decimals at most, without needless noughts.
pub(super) fn push_number_to(out: &mut String, v: f64, decimals: u8) {
    let one = 10_u64.pow(u32::from(decimals));
    let parts = (v * one as f64).round() as i64;
    if parts < 0 {
        out.push('-');
    }
    let all = parts.unsigned_abs();
    let _ = write!(out, "{}", all / one);
    let mut rest = all % one;
    if rest > 0 {
        out.push('.');
        let mut place = one / 10;
        while rest > 0 {
            out.push(char::from(b'0' + (rest / place) as u8));
            rest %= place;
            place /= 10;
        }
    }
}
