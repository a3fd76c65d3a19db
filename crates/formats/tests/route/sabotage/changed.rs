//! One word of a program is changed by chance, and what that does is told by a reader of this test's own.

use super::{JOBS, where_so};
use proptest::prelude::*;
use std::collections::BTreeMap;

/// What a line of a program does, by a reader that has nothing in common with ours: points along what it burns.
#[derive(Clone, Debug, Default, PartialEq)]
struct Done {
    /// Every so far along the way, mm.
    burned: Vec<(f64, f64)>,
    feed: f64,
    power: f64,
    lit: f64,
}

/// Reads a program line by line; `None` where it has something that this reader does not know.
fn done(lines: &[String]) -> Option<Vec<Done>> {
    let (mut x, mut y, mut feed, mut power, mut lit, mut motion) = (0.0, 0.0, 0.0, 0.0, false, 0);
    let mut out = Vec::new();
    for line in lines {
        let mut done = Done::default();
        if !line.starts_with('(') {
            let mut letters: BTreeMap<char, f64> = BTreeMap::new();
            let (mut gs, mut ms) = (Vec::new(), Vec::new());
            let text = line.replace(' ', "");
            let starts: Vec<usize> = text.char_indices().filter(|(_, c)| c.is_ascii_alphabetic()).map(|(i, _)| i).collect();
            for (k, at) in starts.iter().enumerate() {
                let end = starts.get(k + 1).copied().unwrap_or(text.len());
                let value: f64 = text[at + 1..end].parse().ok()?;
                match text.as_bytes()[*at] {
                    b'G' => gs.push(value),
                    b'M' => ms.push(value),
                    letter => drop(letters.insert(char::from(letter), value)),
                }
            }
            for g in &gs {
                match *g {
                    g if g == 0.0 || g == 1.0 || g == 2.0 || g == 3.0 => motion = g as i32,
                    g if [4.0, 17.0, 21.0, 40.0, 90.0, 91.1, 94.0].contains(&g) => {}
                    _ => return None,
                }
            }
            for m in &ms {
                match *m {
                    3.0 => lit = true,
                    5.0 => lit = false,
                    m if [0.0, 2.0, 6.0, 8.0, 9.0, 62.0, 63.0, 64.0, 65.0].contains(&m) => {}
                    _ => return None,
                }
            }
            feed = letters.get(&'F').copied().unwrap_or(feed);
            power = letters.get(&'S').copied().unwrap_or(power);
            let on = lit && power > 0.0;
            if gs.contains(&4.0) && on {
                done.lit = letters.get(&'P').copied()?;
            }
            if !gs.contains(&4.0) && ["X", "Y", "I", "J"].iter().any(|l| letters.contains_key(&l.chars().next().expect("one"))) {
                let (tx, ty) = (letters.get(&'X').copied().unwrap_or(x), letters.get(&'Y').copied().unwrap_or(y));
                if on {
                    (done.feed, done.power) = (if motion == 0 { f64::INFINITY } else { feed }, power);
                    done.burned = along(
                        (x, y),
                        (tx, ty),
                        motion,
                        (letters.get(&'I').copied().unwrap_or(0.0), letters.get(&'J').copied().unwrap_or(0.0)),
                    );
                }
                (x, y) = (tx, ty);
            }
        }
        out.push(done);
    }
    Some(out)
}

fn along(from: (f64, f64), to: (f64, f64), motion: i32, center: (f64, f64)) -> Vec<(f64, f64)> {
    const LOOKS: usize = 24;
    let share = |k: usize| k as f64 / LOOKS as f64;
    if motion < 2 {
        return (0..=LOOKS).map(|k| (from.0 + (to.0 - from.0) * share(k), from.1 + (to.1 - from.1) * share(k))).collect();
    }
    let c = (from.0 + center.0, from.1 + center.1);
    let (a, b) = ((from.1 - c.1).atan2(from.0 - c.0), (to.1 - c.1).atan2(to.0 - c.0));
    let r = (from.0 - c.0).hypot(from.1 - c.1);
    let turn = std::f64::consts::TAU;
    let sweep = if motion == 3 { (b - a).rem_euclid(turn) } else { -((a - b).rem_euclid(turn)) };
    let sweep = if sweep.abs() < 1e-9 { if motion == 3 { turn } else { -turn } } else { sweep };
    (0..=LOOKS).map(|k| (c.0 + r * (a + sweep * share(k)).cos(), c.1 + r * (a + sweep * share(k)).sin())).collect()
}

type Stroke = ((f64, f64), (f64, f64));

/// True where a changed program burns elsewhere by more than 0.02 mm, at another feed or power by more than 2 %, or stands lit for
/// another time by more than 0.1 s: on any of its lines.
fn does_other_work(before: &[Done], after: &[Done]) -> bool {
    let segments =
        |all: &[Done]| -> Vec<Stroke> { all.iter().flat_map(|d| d.burned.windows(2).map(|w| (w[0], w[1])).collect::<Vec<_>>()).collect() };
    let off = |p: &(f64, f64), all: &[Stroke]| {
        let distance = |(a, b): &Stroke| {
            let (dx, dy) = (b.0 - a.0, b.1 - a.1);
            let l = dx * dx + dy * dy;
            let t = if l > 0.0 { (((p.0 - a.0) * dx + (p.1 - a.1) * dy) / l).clamp(0.0, 1.0) } else { 0.0 };
            (p.0 - a.0 - t * dx).hypot(p.1 - a.1 - t * dy)
        };
        all.iter().map(distance).fold(f64::INFINITY, f64::min) > 0.02
    };
    let (was, is) = (segments(before), segments(after));
    before.iter().zip(after).filter(|(a, b)| a != b).any(|(a, b)| {
        let share = |a: f64, b: f64| (a - b).abs() > 0.02 * a.max(b) || a.is_finite() != b.is_finite();
        let figures = !a.burned.is_empty() && !b.burned.is_empty() && (share(a.feed, b.feed) || share(a.power, b.power));
        figures || (a.lit - b.lit).abs() > 0.1 || a.burned.iter().any(|p| off(p, &is)) || b.burned.iter().any(|p| off(p, &was))
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: boustrophe_house::played(2000), max_shrink_iters: 0, ..ProptestConfig::default() })]
    /// One word of a program is changed, by whatever somebody's finger does: where that does other work it is told or refused.
    #[test]
    fn a_changed_word_is_told(on in 0..3_usize, line in any::<prop::sample::Index>(), word in any::<prop::sample::Index>(), by in 0..6_usize, share in 0.0..1.0_f64) {
        let (name, sent) = JOBS[on];
        let worded = where_so(&sent.lines, |l| !l.starts_with('(') && !l.is_empty());
        let i = worded[line.index(worded.len())];
        let mut parts: Vec<String> = sent.lines[i].split(' ').map(str::to_owned).collect();
        let k = word.index(parts.len());
        let (letter, number) = parts[k].split_at(1);
        let Ok(value) = number.parse::<f64>() else { return Ok(()) };
        let to = match by {
            0 => value + (share - 0.5) * 0.3,
            1 => value * (1.0 + (share - 0.5) * 0.2),
            2 => -value,
            3 => value * 10.0,
            4 => (value / 10.0).trunc(),
            _ => value + (share * 9.0).floor() - 4.0,
        };
        let whole = matches!(letter, "G" | "M" | "T");
        parts[k] = if whole { format!("{letter}{}", to.round().abs()) } else { format!("{letter}{to:.4}") };
        let mut changed = sent.lines.clone();
        changed[i] = parts.join(" ");
        let told = sent.told(&changed);
        let Some(before) = done(&sent.lines) else { return Err(TestCaseError::fail("the reader of this test does not know our programs")) };
        let Some(after) = done(&changed) else { return Ok(()) };
        if does_other_work(&before, &after) {
            prop_assert!(told.as_ref().map_or(true, |d| !d.is_empty()), "{name}, line {}: “{}” for “{}”", i + 1, changed[i], sent.lines[i]);
        }
    }
}
