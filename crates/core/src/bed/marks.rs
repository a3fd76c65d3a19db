//! The marks of a bed: at each of its corners a white plate with five dark dots, as the five of a die.

use super::Photo;
use crate::geometry::Point;

/// From the bed's corner to the middle of its mark, and from there to the other four dots along each side, and a dot's radius: as
/// shares of the bed's longer side.
const INSET: f64 = 0.05;
const ARM: f64 = 0.018;
const DOT: f64 = 0.0055;
/// A dot is darker than what is round it by so much at least.
const DARKER: f64 = 28.0;
/// Pixels of a dot.
const SIZES: std::ops::RangeInclusive<usize> = 9..=6000;
/// Dots looked at, at most.
const MOST: usize = 4000;

/// Where the dots of the four marks are on a bed of this size, mm: lower left, lower right, upper right, upper left; of each the
/// middle first, then in the same order. Their radius is [`radius`].
pub fn dots(bed: (f64, f64)) -> [[Point; 5]; 4] {
    let side = bed.0.max(bed.1);
    let (inset, arm) = (INSET * side, ARM * side);
    let middles = [(inset, inset), (bed.0 - inset, inset), (bed.0 - inset, bed.1 - inset), (inset, bed.1 - inset)];
    middles.map(|(x, y)| [(0.0, 0.0), (-arm, -arm), (arm, -arm), (arm, arm), (-arm, arm)].map(|(a, b)| Point::new(x + a, y + b)))
}

/// Radius of a dot, mm, and half the side of the white plate round five of them.
pub fn radius(bed: (f64, f64)) -> (f64, f64) {
    let side = bed.0.max(bed.1);
    (DOT * side, (ARM + 2.2 * DOT) * side)
}

/// A dark blot.
#[derive(Clone, Copy)]
struct Blot {
    at: Point,
    size: f64,
}

/// Finds the dots of the four marks in a picture: pixels from its upper left corner, in the order of [`dots`]. The picture may be
/// turned by less than an eighth of a turn. Fails where not all four are seen.
pub fn find(picture: &Photo) -> Result<[[Point; 5]; 4], String> {
    let blots = blots(picture);
    let mut marks: Vec<[Point; 5]> = blots.iter().filter_map(|b| five(b, &blots)).collect();
    marks.dedup_by(|a, b| a[0].distance(b[0]) < 1.0);
    let corner = |sx: f64, sy: f64| {
        let of = |m: &[Point; 5]| sx * m[0].x + sy * m[0].y;
        marks.iter().max_by(|a, b| of(a).total_cmp(&of(b))).copied()
    };
    // Pixels have y down.
    let four = [corner(-1.0, 1.0), corner(1.0, 1.0), corner(1.0, -1.0), corner(-1.0, -1.0)];
    let seen: Vec<[Point; 5]> = four.into_iter().flatten().collect();
    let apart = |i: usize| (0..i).all(|j| seen[i][0].distance(seen[j][0]) > picture.width as f64 / 8.0);
    match <[[Point; 5]; 4]>::try_from(seen.clone()) {
        Ok(found) if (0..4).all(apart) => Ok(found),
        _ => Err(format!(
            "{} of the bed's four marks are seen; clear its corners, shut the lid, and take the picture again",
            marks.len().min(3)
        )),
    }
}

/// The five of a die round a blot, if it is the middle of one.
fn five(middle: &Blot, blots: &[Blot]) -> Option<[Point; 5]> {
    let reach = 6.0 * middle.size.sqrt();
    let alike = |b: &&Blot| (0.4..2.5).contains(&(b.size / middle.size)) && b.at != middle.at && b.at.distance(middle.at) < reach;
    let near: Vec<Point> = blots.iter().filter(alike).map(|b| b.at).collect();
    // One in each quarter, y down in pixels.
    let quarter = |sx: f64, sy: f64| {
        let within = near.iter().filter(|p| (p.x - middle.at.x) * sx > 0.0 && (p.y - middle.at.y) * sy > 0.0);
        within.min_by(|a, b| a.distance(middle.at).total_cmp(&b.distance(middle.at))).copied()
    };
    let (ll, lr, ur, ul) = (quarter(-1.0, 1.0)?, quarter(1.0, 1.0)?, quarter(1.0, -1.0)?, quarter(-1.0, -1.0)?);
    let arm = ll.distance(ur) / 2.0;
    let centred = |a: Point, b: Point| a.midpoint(b).distance(middle.at) < 0.14 * arm;
    let even = (0.75..1.35).contains(&(ul.distance(lr) / 2.0 / arm)) && arm * arm > middle.size * 1.6;
    (centred(ll, ur) && centred(ul, lr) && even).then_some([middle.at, ll, lr, ur, ul])
}

/// Round dark blots: darker than the mean of what is round them, so that shade does not matter.
fn blots(picture: &Photo) -> Vec<Blot> {
    let (w, h) = (picture.width, picture.height);
    let grey: Vec<f64> = (0..w * h).map(|i| picture.grey(i % w, i / w)).collect();
    // Sums of everything above and to the left: the mean of any box in four looks (Crow, 1984).
    let mut sums = vec![0.0; (w + 1) * (h + 1)];
    for y in 0..h {
        let mut row = 0.0;
        for x in 0..w {
            row += grey[y * w + x];
            sums[(y + 1) * (w + 1) + x + 1] = sums[y * (w + 1) + x + 1] + row;
        }
    }
    let reach = (w.max(h) / 60).max(4);
    let dark = |x: usize, y: usize| {
        let (x0, y0, x1, y1) = (x.saturating_sub(reach), y.saturating_sub(reach), (x + reach + 1).min(w), (y + reach + 1).min(h));
        let sum = sums[y1 * (w + 1) + x1] - sums[y0 * (w + 1) + x1] - sums[y1 * (w + 1) + x0] + sums[y0 * (w + 1) + x0];
        sum / ((x1 - x0) * (y1 - y0)) as f64 - grey[y * w + x]
    };
    let depth: Vec<f64> = (0..w * h).map(|i| dark(i % w, i / w)).collect();
    let mut seen = vec![false; w * h];
    let mut out = Vec::new();
    for start in 0..w * h {
        if seen[start] || depth[start] < DARKER {
            continue;
        }
        let (mut open, mut pixels) = (vec![start], Vec::new());
        seen[start] = true;
        while let Some(i) = open.pop() {
            pixels.push(i);
            let (x, y) = (i % w, i / w);
            for (nx, ny) in [(x.wrapping_sub(1), y), (x + 1, y), (x, y.wrapping_sub(1)), (x, y + 1)] {
                if nx < w && ny < h && !seen[ny * w + nx] && depth[ny * w + nx] >= DARKER {
                    seen[ny * w + nx] = true;
                    open.push(ny * w + nx);
                }
            }
        }
        out.extend(round(&pixels, &depth, w));
        if out.len() >= MOST {
            break;
        }
    }
    out
}

/// A blot as round as a dot is, its middle weighed by how dark it is.
fn round(pixels: &[usize], depth: &[f64], w: usize) -> Option<Blot> {
    if !SIZES.contains(&pixels.len()) {
        return None;
    }
    let (mut x0, mut y0, mut x1, mut y1) = (usize::MAX, usize::MAX, 0, 0);
    let (mut sum, mut sx, mut sy) = (0.0, 0.0, 0.0);
    for i in pixels {
        let (x, y) = (i % w, i / w);
        (x0, y0, x1, y1) = (x0.min(x), y0.min(y), x1.max(x), y1.max(y));
        let d = depth[*i];
        (sum, sx, sy) = (sum + d, sx + d * (x as f64 + 0.5), sy + d * (y as f64 + 0.5));
    }
    let (bw, bh) = ((x1 - x0 + 1) as f64, (y1 - y0 + 1) as f64);
    let full = pixels.len() as f64 / (bw * bh);
    ((0.6..1.67).contains(&(bw / bh)) && (0.6..0.96).contains(&full))
        .then(|| Blot { at: Point::new(sx / sum, sy / sum), size: pixels.len() as f64 })
}
