//! The camera over a simulated machine's bed: what lies there, drawn as a lens would see it, with shade and noise.
//!
//! A pinhole over the bed, tilted a little, with a lens that bends what is far from the middle inward. Every pixel's ray is followed
//! back to the bed.

use boustrophe_core::bed::{dots, radius};
use boustrophe_core::geometry::{Path, Point, ring_contains};
use boustrophe_core::shop::{Machine, MachineKind};

/// Size of the picture, pixels.
const SIZE: (usize, usize) = (1600, 1200);
/// How far the camera is tilted about the bed's two directions, radians, and how strongly its lens bends.
const TILT: (f64, f64) = (0.045, -0.03);
const BEND: f64 = -0.11;

/// Something that lies on the bed.
struct Piece {
    ring: Vec<Point>,
    colour: [f64; 3],
    /// Strokes of grain, in a hundredth of the colour.
    grain: f64,
}

/// Corners of the pieces that lie on a machine's bed, mm, each counterclockwise.
pub fn lying(machine: &Machine) -> Vec<Path> {
    let (w, h) = (machine.bed_width, machine.bed_height);
    let at = |x: f64, y: f64| Point::new(x * w, y * h);
    vec![
        // The rest of a crown board: a corner of it has been cut away.
        Path::polygon(&[at(0.16, 0.22), at(0.56, 0.18), at(0.575, 0.47), at(0.36, 0.49), at(0.375, 0.76), at(0.185, 0.77)]),
        Path::polygon(&[at(0.66, 0.56), at(0.86, 0.60), at(0.84, 0.83), at(0.64, 0.79)]),
    ]
}

/// The bed as the camera sees it now: width, height, and red, green, blue row by row from the top.
pub fn picture(machine: &Machine) -> (usize, usize, Vec<u8>) {
    let bed = (machine.bed_width, machine.bed_height);
    let tones: [[f64; 3]; 2] = if machine.kind == MachineKind::Plasma {
        [[150.0, 152.0, 156.0], [172.0, 168.0, 160.0]]
    } else {
        [[220.0, 195.0, 151.0], [196.0, 166.0, 120.0]]
    };
    let pieces: Vec<Piece> = lying(machine)
        .iter()
        .zip(tones)
        .map(|(p, colour)| Piece {
            ring: p.segments.iter().map(|s| s.start).collect(),
            colour,
            grain: if machine.kind == MachineKind::Plasma { 0.0 } else { 3.0 },
        })
        .collect();
    let marks = dots(bed);
    let (dot, plate) = radius(bed);
    let colour = |p: Point| -> [f64; 3] {
        if p.x < 0.0 || p.y < 0.0 || p.x > bed.0 || p.y > bed.1 {
            return [44.0, 43.0, 42.0];
        }
        for mark in &marks {
            if (p.x - mark[0].x).abs() < plate && (p.y - mark[0].y).abs() < plate {
                return if mark.iter().any(|d| d.distance(p) < dot) { [24.0; 3] } else { [236.0, 234.0, 228.0] };
            }
        }
        if let Some(piece) = pieces.iter().find(|q| ring_contains(&q.ring, p)) {
            let stroke = (p.y * 0.9 + (p.x * 0.013).sin() * 4.0).sin() * piece.grain;
            return piece.colour.map(|c| c * (1.0 + stroke / 100.0));
        }
        let slat = (p.x / machine.slat_pitch.max(5.0)).fract() < 0.14;
        if slat { [104.0, 102.0, 99.0] } else { [62.0, 60.0, 58.0] }
    };
    let (w, h) = SIZE;
    let mut rgb = Vec::with_capacity(3 * w * h);
    for y in 0..h {
        for x in 0..w {
            // Four rays a pixel, so that edges are as soft as a lens leaves them.
            let mut sum = [0.0; 3];
            for (dx, dy) in [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)] {
                let c = colour(ray(x as f64 + dx, y as f64 + dy, bed));
                (0..3).for_each(|k| sum[k] += c[k] / 4.0);
            }
            // The lamp hangs over the left half; corners are darker.
            let (u, v) = (x as f64 / w as f64 - 0.38, y as f64 / h as f64 - 0.5);
            let light = 1.06 - 0.55 * (u * u + v * v);
            let noise = f64::from((x as u32).wrapping_mul(7919).wrapping_add((y as u32).wrapping_mul(104_729)) % 97) / 96.0 * 6.0 - 3.0;
            rgb.extend(sum.map(|c| (c * light + noise).clamp(0.0, 255.0) as u8));
        }
    }
    (w, h, rgb)
}

/// The place of the bed, mm, that the ray through a place of the picture meets.
fn ray(x: f64, y: f64, bed: (f64, f64)) -> Point {
    let size = (SIZE.0 as f64, SIZE.1 as f64);
    let half = size.0.hypot(size.1) / 2.0;
    let (u, v) = ((x - size.0 / 2.0) / half, (size.1 / 2.0 - y) / half);
    // Unbent: r (1 + k r²) is what is seen; r by turns.
    let seen = u.hypot(v);
    let mut r = seen;
    for _ in 0..12 {
        r = seen / (1.0 + BEND * r * r);
    }
    let by = if seen > 1e-12 { r / seen } else { 1.0 };
    let (u, v) = (u * by, v * by);
    let height = 1.1 * bed.0.max(bed.1);
    let across = bed.0.hypot(bed.1) / 2.0 * 1.12;
    // The direction before the tilt, then turned about y and about x; the camera looks down.
    let (dx, dy, dz) = (u * across, v * across, -height);
    let (s, c) = TILT.1.sin_cos();
    let (dx, dz) = (dx * c + dz * s, -dx * s + dz * c);
    let (s, c) = TILT.0.sin_cos();
    let (dy, dz) = (dy * c - dz * s, dy * s + dz * c);
    let t = -height / dz;
    // It stands a little beside the bed's middle, so that the middle of the bed is about that of the picture.
    Point::new(bed.0 / 2.0 - TILT.1.tan() * -height + dx * t, bed.1 / 2.0 - TILT.0.tan() * height + dy * t)
}

#[cfg(test)]
mod tests {
    use super::*;
    use boustrophe_core::bed::{Flat, Photo, find, outline};
    use boustrophe_core::shop::Shop;

    #[test]
    fn four_marks_lay_the_bed_flat_and_what_lies_on_it_is_outlined() {
        let shop = Shop::builtin();
        for machine in &shop.machines {
            let bed = (machine.bed_width, machine.bed_height);
            let (width, height, rgb) = picture(machine);
            let photo = Photo { width, height, rgb };
            let flat = Flat::by_marks(&photo, bed).expect("all four marks");
            for piece in lying(machine) {
                let n = piece.segments.len() as f64;
                let middle = piece.segments.iter().fold(Point::ZERO, |m, s| m + s.start.to_vec2() / n);
                let touched = if ring_contains(&piece.points(0.1), middle) {
                    middle
                } else {
                    piece.segments[0].start.midpoint(piece.segments[2].start)
                };
                let found = outline(&flat, touched).unwrap_or_else(|e| panic!("{}: {e}", machine.name));
                // Where a light slat runs along the edge of steel, it is taken for some of it until a hand mends the corner.
                let most = bed.0.max(bed.1) / if machine.kind == MachineKind::Plasma { 150.0 } else { 250.0 };
                for s in &piece.segments {
                    let off = found[0].segments.iter().map(|f| f.distance(s.start)).fold(f64::INFINITY, f64::min);
                    assert!(off < most, "{}: a corner is {off} mm off", machine.name);
                }
                for p in found[0].points(1.0) {
                    let off = piece.segments.iter().map(|s| s.distance(p)).fold(f64::INFINITY, f64::min);
                    assert!(off < most, "{}: an edge is {off} mm off", machine.name);
                }
            }
        }
    }

    #[test]
    fn a_covered_mark_is_missed() {
        let machine = &Shop::builtin().machines[0];
        let (width, height, mut rgb) = picture(machine);
        // Something lies over the upper left corner.
        for y in 0..height / 4 {
            rgb[3 * y * width..3 * (y * width + width / 4)].fill(120);
        }
        let told = find(&Photo { width, height, rgb }).expect_err("three");
        assert!(told.contains("of the bed's four marks"), "{told}");
    }
}
