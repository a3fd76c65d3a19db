use super::*;
use crate::geometry::Path;
use proptest::prelude::*;

fn flat(width: usize, height: usize, grey: u8) -> Bitmap {
    Bitmap { width, height, grey: vec![grey; width * height] }
}

#[test]
fn tones_go_where_they_are_sent() {
    let plain = Tone::default().curve();
    assert_eq!((plain[0], plain[128], plain[255]), (255, 127, 0), "black burns, white does not");
    let inverted = Tone { invert: true, ..Tone::default() }.curve();
    assert_eq!((inverted[0], inverted[255]), (0, 255));
    let darker = Tone { gamma: 2.0, ..Tone::default() }.curve();
    assert!(darker[128] > 180 && darker[0] == 255 && darker[255] == 0, "{}", darker[128]);
    let lighter = Tone { brightness: 20.0, ..Tone::default() }.curve();
    assert_eq!((lighter[128], lighter[204]), (76, 0));
    let hard = Tone { contrast: 100.0, ..Tone::default() }.curve();
    assert_eq!((hard[120], hard[135]), (255, 0));
    let none = Tone { contrast: -100.0, ..Tone::default() }.curve();
    assert!(none.iter().all(|b| *b == 128 || *b == 127));
}

#[test]
fn a_picture_lies_where_it_is_put_whichever_way_it_is_turned() {
    // Its upper left quarter is black.
    let mut b = flat(40, 40, 255);
    (0..20).for_each(|y| b.grey[y * 40..y * 40 + 20].fill(0));
    let middle = |place: Affine| {
        let r = raster(&b, place, &Tone::default(), None, 0.5).expect("it fits");
        let sum = (0..r.height).flat_map(|y| (0..r.width).map(move |x| (x, y))).filter(|(x, y)| r.pixels(*y)[*x] > 127);
        let spots: Vec<Point> =
            sum.map(|(x, y)| Point::new(((r.column + x as i64) as f64 + 0.5) * 0.5, ((r.row + y as i64) as f64 + 0.5) * 0.5)).collect();
        let n = spots.len() as f64;
        (spots.iter().map(|p| p.x).sum::<f64>() / n, spots.iter().map(|p| p.y).sum::<f64>() / n, n * 0.25)
    };
    let near = |a: (f64, f64, f64), b: (f64, f64, f64)| (a.0 - b.0).abs() < 0.1 && (a.1 - b.1).abs() < 0.1 && (a.2 - b.2).abs() < 2.0;
    let upright = Affine::translate((30.0, 50.0)) * Affine::scale(20.0);
    assert!(near(middle(upright), (35.0, 65.0, 100.0)), "{:?}", middle(upright));
    let turned = upright * Affine::rotate_about(std::f64::consts::FRAC_PI_2, Point::new(0.5, 0.5));
    assert!(near(middle(turned), (35.0, 55.0, 100.0)), "{:?}", middle(turned));
    let mirrored = upright * Affine::new([-1.0, 0.0, 0.0, 1.0, 1.0, 0.0]);
    assert!(near(middle(mirrored), (45.0, 65.0, 100.0)));
    let askew = Affine::translate((40.0, 60.0)) * Affine::rotate(0.3) * Affine::scale(20.0) * Affine::translate((-0.5, -0.5));
    assert!((middle(askew).2 - 100.0).abs() < 3.0);
}

#[test]
fn what_is_cropped_burns_nothing() {
    let clip = Clip::new([Path::circle(Point::new(10.0, 10.0), 5.0)]);
    for dither in Dither::ALL {
        let tone = Tone { dither, ..Tone::default() };
        let r = raster(&flat(20, 20, 60), Affine::scale(20.0), &tone, Some(&clip), 0.2).expect("it fits");
        let mut burned = 0.0;
        for y in 0..r.height {
            for (x, b) in r.pixels(y).iter().enumerate() {
                let p = Point::new((x as f64 + 0.5) * 0.2, (y as f64 + 0.5) * 0.2);
                assert!(*b == 0 || p.distance(Point::new(10.0, 10.0)) < 5.0, "{dither:?}");
                burned += f64::from(*b) / 255.0 * 0.04;
            }
        }
        // Crisp dots drop a quarter of each error, so dark tones fill up.
        let slack = if dither == Dither::Crisp { 8.0 } else { 3.0 };
        assert!((burned - std::f64::consts::PI * 25.0 * 195.0 / 255.0).abs() < slack, "{dither:?}: {burned}");
    }
}

#[test]
fn too_large_a_picture_is_refused_and_runs_cover_their_row() {
    assert!(raster(&flat(2, 2, 0), Affine::scale(20_000.0), &Tone::default(), None, 0.1).is_none());
    let r = Raster { column: 0, row: 0, width: 8, height: 2, burn: vec![0, 5, 5, 0, 9, 9, 9, 0, 0, 0, 0, 0, 0, 0, 0, 0] };
    assert_eq!(r.runs(0).collect::<Vec<_>>(), [(1, 3, 5), (3, 4, 0), (4, 7, 9)]);
    assert_eq!((r.burned(0), r.burned(1), r.runs(1).count()), (Some((1, 7)), None, 0));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    /// Every way of setting dots keeps the tone: on a flat grey the share of dots is the burn, within what its pattern can show.
    #[test]
    fn dots_are_as_many_as_the_tone_is_dark(grey in 20..=235_u8, which in 0..6_usize) {
        let dither = Dither::ALL[which];
        let r = raster(&flat(64, 64, grey), Affine::scale(64.0), &Tone { dither, ..Tone::default() }, None, 0.5).expect("it fits");
        let share = r.burn.iter().map(|b| f64::from(*b)).sum::<f64>() / 255.0 / r.burn.len() as f64;
        let meant = f64::from(255 - grey) / 255.0;
        // What is dropped of the error is dropped in the darkest and lightest tones only.
        let slack = if dither == Dither::Crisp { 0.13 } else { 0.02 };
        prop_assert!((share - meant).abs() <= slack, "{dither:?}: {share} for {meant}");
        prop_assert!(dither == Dither::Grey || r.burn.iter().all(|b| *b == 0 || *b == 255));
    }
}
