//! The outline of a piece that lies on the bed, from where it was touched in the flat picture.
//!
//! From there everything is taken that is reached in small steps of colour, so that shade across the piece does no harm, while its
//! edge, a large step, ends it.

use super::Flat;
use crate::clean::trace::{Trace, trace};
use crate::drawing::Bitmap;
use crate::geometry::{Path, Point};
use crate::nest::Sheet;
use crate::shop::Machine;

/// The largest step of colour from a pixel to its neighbour within a piece, of 255 in each of three colours together.
const STEP: f64 = 13.0;
/// The largest difference of a pixel's colour from that where it was touched.
const APART: f64 = 95.0;
/// Smallest piece, and smallest hole in one that is kept, mm².
const SMALLEST: f64 = 400.0;
const HOLE: f64 = 60.0;
/// How closely the outline is followed, mm.
const CLOSE: f64 = 0.6;
/// Corners of an outline at most.
const MOST_CORNERS: usize = 400;

/// How far a piece may reach beyond the bed, mm: so exactly it was outlined.
const BEYOND: f64 = 1.0;

/// The offcut that rings of corners (mm on the bed) tell, its edge the largest of them, lying where it lies. Fails where they tell
/// none, or one that does not lie on the machine's bed.
pub fn offcut(rings: &[Vec<[f64; 2]>], machine: &Machine) -> Result<Sheet, String> {
    if rings.iter().map(Vec::len).sum::<usize>() > MOST_CORNERS || rings.iter().flatten().flatten().any(|v| !v.is_finite()) {
        return Err(format!("an outline has {MOST_CORNERS} corners at most; take some off"));
    }
    let path = |r: &Vec<[f64; 2]>| Path::polygon(&r.iter().map(|p| Point::new(p[0], p[1])).collect::<Vec<_>>());
    let paths: Vec<Path> = rings.iter().filter(|r| r.len() >= 3).map(path).collect();
    let edge = paths.iter().max_by(|a, b| a.area().abs().total_cmp(&b.area().abs()));
    let at = edge.map(|p| p.bounds().min).ok_or("the outline is not understood; outline the piece again")?;
    let on_bed = |p: &[f64; 2]| {
        let within = |v: f64, bed: f64| (-BEYOND..=bed + BEYOND).contains(&v);
        within(p[0], machine.bed_width) && within(p[1], machine.bed_height)
    };
    if !rings.iter().flatten().all(on_bed) {
        return Err(format!("it reaches beyond {}'s bed; draw in its corners", machine.name));
    }
    Ok(Sheet { count: None, on_bed: Some(at), ..Sheet::offcut(paths)? })
}

/// The outline of the piece at a place of the bed (mm), as a polygon in mm on the bed, counterclockwise, and its holes. Fails where
/// there is none, or where it cannot be told from the bed.
pub fn outline(flat: &Flat, at: Point) -> Result<Vec<Path>, String> {
    let (w, h) = (flat.photo.width, flat.photo.height);
    let (x, y) = ((at.x * flat.per_mm) as usize, h.saturating_sub(1 + (at.y * flat.per_mm) as usize));
    if at.x < 0.0 || at.y < 0.0 || x >= w || y >= h {
        return Err("that is beside the bed; touch the piece itself".into());
    }
    let soft = softened(flat);
    let apart = |a: &[f32; 3], b: &[f32; 3]| (0..3).map(|c| f64::from(a[c] - b[c]).powi(2)).sum::<f64>().sqrt();
    let seed = soft[y * w + x];
    let mut within = vec![false; w * h];
    let mut open = vec![y * w + x];
    within[y * w + x] = true;
    let mut size = 0_usize;
    while let Some(i) = open.pop() {
        size += 1;
        let (x, y) = (i % w, i / w);
        for (nx, ny) in [(x.wrapping_sub(1), y), (x + 1, y), (x, y.wrapping_sub(1)), (x, y + 1)] {
            let n = ny.wrapping_mul(w).wrapping_add(nx);
            if nx < w && ny < h && !within[n] && apart(&soft[i], &soft[n]) <= STEP && apart(&soft[n], &seed) <= APART {
                within[n] = true;
                open.push(n);
            }
        }
    }
    let mm2 = |pixels: usize| pixels as f64 / (flat.per_mm * flat.per_mm);
    if mm2(size) < SMALLEST {
        return Err("there is no piece that could be told from the bed there; touch its middle, or draw its corners by hand".into());
    }
    // What reaches from one side of the bed to the other is the bed, or a slit between its slats.
    let (along, up) = (
        (0..w).any(|x| within[x]) && (0..w).any(|x| within[(h - 1) * w + x]),
        (0..h).any(|y| within[y * w]) && (0..h).any(|y| within[y * w + w - 1]),
    );
    if along || up || size > w * h * 4 / 5 {
        return Err("that is the bed itself; touch the piece that lies on it".into());
    }
    // The steps end where the edge begins: what was softened is given back.
    let grey = (0..w * h)
        .map(|i| {
            let (x, y) = (i % w, i / w);
            let near = |dx: isize, dy: isize| {
                let (nx, ny) = (x.wrapping_add_signed(dx), y.wrapping_add_signed(dy));
                nx < w && ny < h && within[ny * w + nx]
            };
            let inside = within[i] || near(1, 0) || near(-1, 0) || near(0, 1) || near(0, -1);
            if inside { 0 } else { 255 }
        })
        .collect();
    let settings = Trace { threshold: Some(127), smooth: 0.9, ..Trace::default() };
    let found = trace(&Bitmap { width: w, height: h, grey }, &settings).ok_or("the picture is all noise there; take it again")?;
    let mut rings: Vec<Path> = found.iter().map(|p| simple(&p.transformed(flat.to_bed()))).filter(|p| p.area().abs() >= HOLE).collect();
    rings.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
    if rings.first().is_none_or(|r| r.area().abs() < SMALLEST) {
        return Err("there is no piece that could be told from the bed there; touch its middle, or draw its corners by hand".into());
    }
    Ok(rings)
}

/// The mean of every pixel with its eight neighbours: noise of the camera goes, edges stay edges.
fn softened(flat: &Flat) -> Vec<[f32; 3]> {
    let (w, h) = (flat.photo.width, flat.photo.height);
    (0..w * h)
        .map(|i| {
            let (x, y) = (i % w, i / w);
            let (mut sum, mut n) = ([0.0_f64; 3], 0.0);
            for ny in y.saturating_sub(1)..=(y + 1).min(h - 1) {
                for nx in x.saturating_sub(1)..=(x + 1).min(w - 1) {
                    let c = flat.photo.at(nx, ny);
                    (0..3).for_each(|k| sum[k] += c[k]);
                    n += 1.0;
                }
            }
            sum.map(|s| (s / n) as f32)
        })
        .collect()
}

/// The corners that matter: a point that lies within [`CLOSE`] of the line between those kept goes (Douglas and Peucker, 1973).
fn simple(path: &Path) -> Path {
    let points = path.points(CLOSE / 4.0);
    let mut close = CLOSE;
    loop {
        // From two points far apart, so that both halves have ends that are kept.
        let far = (0..points.len()).max_by(|a, b| points[0].distance(points[*a]).total_cmp(&points[0].distance(points[*b]))).unwrap_or(0);
        let mut kept = thinned(&points[..=far], close);
        let mut back = points[far..].to_vec();
        back.push(points[0]);
        kept.extend(thinned(&back, close).into_iter().skip(1));
        kept.pop();
        if kept.len() <= MOST_CORNERS {
            let ring = Path::polygon(&kept);
            return if ring.area() < 0.0 { ring.reversed() } else { ring };
        }
        close *= 1.6;
    }
}

fn thinned(points: &[Point], close: f64) -> Vec<Point> {
    let [first, .., last] = points else { return points.to_vec() };
    let line = *last - *first;
    let away = |p: &Point| if line.hypot() < 1e-9 { p.distance(*first) } else { ((*p - *first).cross(line) / line.hypot()).abs() };
    let (i, most) = points.iter().enumerate().map(|(i, p)| (i, away(p))).max_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or((0, 0.0));
    if most <= close || i == 0 || i + 1 == points.len() {
        return vec![*first, *last];
    }
    let mut out = thinned(&points[..=i], close);
    out.extend(thinned(&points[i..], close).into_iter().skip(1));
    out
}

#[cfg(test)]
mod tests {
    use super::super::Photo;
    use super::*;
    use proptest::prelude::*;

    /// A piece on a dark bed with slats, light falling off to one side, noise of a camera.
    fn flat(piece: &Path, hole: Option<&Path>, shade: f64, seed: u32) -> Flat {
        let (w, h, per_mm) = (800_usize, 600_usize, 2.0);
        let within = |ring: &Path, p: Point| crate::geometry::ring_contains(&ring.points(0.05), p);
        let mut photo = Photo::plain(w, h, [0; 3]);
        for y in 0..h {
            for x in 0..w {
                let p = Point::new((x as f64 + 0.5) / per_mm, (h - y) as f64 / per_mm - 0.25);
                let on = within(piece, p) && !hole.is_some_and(|r| within(r, p));
                let slat = if (p.x / 20.0).fract() < 0.15 { 26.0 } else { 0.0 };
                let base = if on { [214.0, 190.0, 146.0] } else { [62.0 + slat, 60.0 + slat, 58.0 + slat] };
                let light = 1.0 - shade * p.x / 400.0;
                let noise = f64::from((x as u32 * 7919 + y as u32 * 104_729 + seed * 31) % 101) / 100.0 * 8.0 - 4.0;
                (0..3).for_each(|c| photo.rgb[3 * (y * w + x) + c] = (base[c] * light + noise).clamp(0.0, 255.0) as u8);
            }
        }
        Flat { photo, per_mm }
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: boustrophe_house::played(24), ..ProptestConfig::default() })]
        /// Whatever lies there, in whatever light: its outline is found to a millimetre, with its hole.
        #[test]
        fn a_piece_is_found_as_it_lies(cx in 130.0..260.0_f64, cy in 120.0..180.0_f64, sides in prop::collection::vec(60.0..100.0_f64, 4..9), shade in 0.0..0.45_f64, seed in 0..500_u32, holed: bool) {
            let n = sides.len();
            let corner = |i: usize| Point::new(cx, cy) + crate::geometry::Vec2::from_angle(i as f64 / n as f64 * std::f64::consts::TAU) * sides[i];
            let piece = Path::polygon(&(0..n).map(corner).collect::<Vec<_>>());
            let hole = holed.then(|| Path::rectangle(cx - 14.0, cy - 9.0, 28.0, 18.0));
            let flat = flat(&piece, hole.as_ref(), shade, seed);
            let found = outline(&flat, Point::new(cx + 25.0, cy + 18.0)).expect("it is there");
            prop_assert_eq!(found.len(), 1 + usize::from(holed));
            prop_assert!((found[0].area() / piece.area() - 1.0).abs() < 0.03, "{} for {}", found[0].area(), piece.area());
            for p in found[0].points(0.5) {
                let off = piece.segments.iter().map(|s| s.distance(p)).fold(f64::INFINITY, f64::min);
                prop_assert!(off < 1.2, "{off} mm off at {p:?}");
            }
            for i in 0..n {
                let off = found[0].segments.iter().map(|s| s.distance(corner(i))).fold(f64::INFINITY, f64::min);
                prop_assert!(off < 3.0, "a corner is {off} mm off");
            }
        }
    }

    #[test]
    fn an_outline_goes_to_the_rack_where_it_lies() {
        let machine = &crate::shop::Shop::builtin().machines[0];
        let ring = |x: f64, y: f64| vec![[x, y], [x + 200.0, y], [x + 200.0, y + 100.0], [x, y + 150.0]];
        let hole = vec![[150.0, 120.0], [170.0, 120.0], [160.0, 140.0]];
        let sheet = offcut(&[hole, ring(100.0, 80.0)], machine).expect("an offcut");
        assert_eq!((sheet.on_bed, sheet.width, sheet.height), (Some(Point::new(100.0, 80.0)), 200.0, 150.0));
        assert!(offcut(&[ring(machine.bed_width - 190.0, 80.0)], machine).expect_err("too far").contains("beyond"));
        let far = offcut(&[vec![[0.0, 0.0], [1e308, 0.0], [0.0, 1e308]]], machine).expect_err("too far");
        assert!(far.len() < 80, "{far}");
        let loop_of_two = vec![[10.0, 10.0], [300.0, 10.0], [60.0, 200.0], [250.0, 220.0]];
        assert!(offcut(&[loop_of_two], machine).expect_err("it crosses itself").contains("crosses"));
        assert!(offcut(&[ring(f64::NAN, 0.0)], machine).is_err() && offcut(&[vec![[0.0; 2]; 2]], machine).is_err());
        assert!(offcut(&[vec![[1.0; 2]; MOST_CORNERS + 1]], machine).expect_err("many").contains("corners at most"));
    }

    #[test]
    fn what_is_no_piece_is_said() {
        let flat = flat(&Path::rectangle(150.0, 100.0, 90.0, 70.0), None, 0.2, 1);
        for (at, why) in [(Point::new(-5.0, 5.0), "beside the bed"), (Point::new(900.0, 5.0), "beside the bed")] {
            assert!(outline(&flat, at).expect_err("nothing").contains(why));
        }
        // Between two slats of the bed nothing lies.
        assert!(outline(&flat, Point::new(52.0, 280.0)).is_err());
    }
}
