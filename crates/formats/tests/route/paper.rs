//! Plans with everything that people put on paper, as three formats write it: after one click for the paper and one for the
//! notes what is left is the parts, as many and as they are meant.

use crate::job::Job;
use crate::pens::{Dxf, Outlined, Pdf, Pen, Svg};
use boustrophe_core::decisions::Stock;
use boustrophe_core::finding::Finding;
use boustrophe_core::nest::Grain;
use boustrophe_house::played;
use proptest::prelude::*;

/// How the ends of dimension lines are drawn.
#[derive(Clone, Copy, Debug)]
enum Ends {
    Heads,
    Chevrons,
    Slants,
    /// Heads, and a gap in the line that its figure stands in.
    Gapped,
}

/// What ends a line at `p` that comes along `(x, y)`.
fn end(pen: &mut dyn Pen, ends: Ends, p: (f64, f64), (x, y): (f64, f64)) {
    let at = |back: f64, side: f64| (p.0 - x * back - y * side, p.1 - y * back + x * side);
    match ends {
        Ends::Heads | Ends::Gapped => pen.ring(&[p, at(2.4, 0.45), at(2.4, -0.45)], true),
        Ends::Chevrons => [0.8, -0.8].iter().for_each(|s| pen.line(p, at(2.2, *s), false)),
        Ends::Slants => pen.line((p.0 - 1.0, p.1 - 1.0), (p.0 + 1.0, p.1 + 1.0), false),
    }
}

/// A rectangle's width above it and its height on the left, `times` as long as they are drawn.
fn dimensions(pen: &mut dyn Pen, (x, y, w, h): (f64, f64, f64, f64), times: f64, ends: Ends) {
    const HIGH: f64 = 2.5;
    let gapped = matches!(ends, Ends::Gapped);
    // Half of what a figure takes, and half of the gap round it.
    let half = |t: &str| 0.325 * HIGH * t.len() as f64;
    let lines = |from: f64, to: f64, t: &str| {
        let (middle, gap) = (f64::midpoint(from, to), half(t) + 1.0);
        if gapped { vec![(from, middle - gap), (middle + gap, to)] } else { vec![(from, to)] }
    };
    let (over, beside) = (format!("{}", w * times), format!("{} mm", h * times));
    let (mx, my) = (x + w / 2.0, y + h / 2.0);
    let above = y + h + 8.0;
    [x, x + w].iter().for_each(|x| pen.line((*x, y + h + 1.0), (*x, above + 1.5), false));
    lines(x, x + w, &over).into_iter().for_each(|(a, b)| pen.line((a, above), (b, above), false));
    end(pen, ends, (x, above), (-1.0, 0.0));
    end(pen, ends, (x + w, above), (1.0, 0.0));
    pen.text(if gapped { (mx - half(&over), above - HIGH / 2.0) } else { (mx - 3.0, above + 0.8) }, HIGH, false, &over);
    let left = x - 8.0;
    [y, y + h].iter().for_each(|y| pen.line((x - 1.0, *y), (left - 1.5, *y), false));
    lines(y, y + h, &beside).into_iter().for_each(|(a, b)| pen.line((left, a), (left, b), false));
    end(pen, ends, (left, y), (0.0, -1.0));
    end(pen, ends, (left, y + h), (0.0, 1.0));
    pen.text(if gapped { (left + HIGH / 2.0, my - half(&beside)) } else { (left - 0.8, my - 3.0) }, HIGH, true, &beside);
}

/// Border, frame with zones, title block, and a list of parts: items with how many there are of each.
fn paper(pen: &mut dyn Pen, page: usize, scale: u32, listed: &[(usize, u32)]) {
    let frame = |pen: &mut dyn Pen, x: f64, y: f64, w: f64, h: f64| pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
    pen.border((5.0, 5.0, 287.0, 200.0));
    pen.border((10.0, 10.0, 277.0, 190.0));
    for k in 1..4 {
        let x = 5.0 + 71.75 * f64::from(k);
        pen.line((x, 5.0), (x, 10.0), false);
        pen.text((x - 30.0, 6.0), 2.5, false, &k.to_string());
    }
    frame(pen, 187.0, 10.0, 100.0, 30.0);
    [20.0, 30.0].iter().for_each(|y| pen.line((187.0, *y), (287.0, *y), false));
    pen.line((237.0, 10.0), (237.0, 30.0), false);
    let (sheet, scale) = (format!("Sheet {} of 3", page + 1), format!("Scale 1:{scale}"));
    for (x, y, t) in [
        (189.0, 32.0, "Smoker shelf"),
        (189.0, 23.0, scale.as_str()),
        (239.0, 23.0, sheet.as_str()),
        (189.0, 13.0, "O.F."),
        (239.0, 13.0, "Rev B"),
    ] {
        pen.text((x, y), 3.0, false, t);
    }
    if !listed.is_empty() {
        let high = 6.0 * (listed.len() + 1) as f64;
        frame(pen, 14.0, 14.0, 90.0, high);
        (1..=listed.len()).for_each(|k| pen.line((14.0, 14.0 + 6.0 * k as f64), (104.0, 14.0 + 6.0 * k as f64), false));
        [29.0, 74.0].iter().for_each(|x| pen.line((*x, 14.0), (*x, 14.0 + high), false));
        let rows = listed.iter().map(|(item, n)| [item.to_string(), format!("shelf {item}"), n.to_string()]);
        for (row, words) in rows.chain([["No".into(), "name".into(), "off".into()]]).enumerate() {
            words.iter().zip([16.0, 31.0, 76.0]).for_each(|(t, x)| pen.text((x, 15.7 + 6.0 * row as f64), 2.5, false, t));
        }
    }
}

/// A plate: size, a hole with its centre lines, how many, thickness in mm, which way an arrow of the grain points, hatched.
#[derive(Clone, Debug)]
struct Plate {
    size: (u32, u32),
    hole: Option<u32>,
    count: u32,
    thick: bool,
    grain: Option<bool>,
    hatched: bool,
    numbered: bool,
}

/// Something sawn through, with its name under it.
fn section(pen: &mut dyn Pen, (x, y): (f64, f64)) {
    pen.ring(&[(x, y), (x + 8.0, y), (x + 8.0, y + 40.0), (x, y + 40.0)], false);
    for k in 0..10 {
        let y = y + 1.0 + 3.0 * f64::from(k);
        pen.line((x, y), (x + 8.0, y + 8.0), false);
    }
    pen.text((x - 8.0, y - 6.0), 3.0, false, "SECTION A-A");
}

fn plate(pen: &mut dyn Pen, (x, y): (f64, f64), plate: &Plate, (item, listed): (usize, bool), scale: u32, ends: Ends) {
    let (w, h) = (f64::from(plate.size.0), f64::from(plate.size.1));
    pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
    dimensions(pen, (x, y, w, h), f64::from(scale), ends);
    if let Some(r) = plate.hole.map(f64::from) {
        let c = (x + w - 16.0, y + h - 16.0);
        pen.circle(c, r);
        pen.line((c.0 - r - 2.5, c.1), (c.0 + r + 2.5, c.1), true);
        pen.line((c.0, c.1 - r - 2.5), (c.0, c.1 + r + 2.5), true);
    }
    let words =
        [format!("x{}", plate.count), format!("{} off", plate.count), format!("{} REQ'D", plate.count), format!("qty {}", plate.count)];
    // How many is said by the plate, or by the list alone.
    if plate.count > 1 && !(plate.numbered && listed) {
        pen.text((x + 4.0, y + 3.0), 3.0, false, &words[plate.count as usize % 4]);
    }
    if plate.thick {
        pen.text((x + 24.0, y + 3.0), 3.0, false, "6 mm birch ply");
    }
    if let Some(up) = plate.grain {
        let (a, b) = if up { ((x + 8.0, y + 9.0), (x + 8.0, y + 24.0)) } else { ((x + 8.0, y + 12.0), (x + 23.0, y + 12.0)) };
        let along = if up { (0.0, 1.0) } else { (1.0, 0.0) };
        pen.line(a, b, false);
        end(pen, Ends::Heads, b, along);
        end(pen, Ends::Heads, a, (-along.0, -along.1));
        pen.text((x + 10.0, y + 14.0), 2.5, false, "grain");
    }
    if plate.numbered {
        let c = (x + w + 9.0, y + h - 8.0);
        pen.circle(c, 4.0);
        pen.text((c.0 - 0.8, c.1 - 1.2), 2.5, false, &item.to_string());
        pen.line((c.0 - 4.0, c.1), (x + w - 4.0, y + h - 6.0), false);
    }
    if plate.hatched {
        let (x, y, w, h) = (x + 30.0, y + 10.0, 18.0, 12.0);
        pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
        let mut k = 2.0 - h;
        while k < w {
            let (x0, x1) = (k.max(0.0), (k + h).min(w));
            pen.line((x + x0, y + x0 - k), (x + x1, y + x1 - k), false);
            k += 2.0;
        }
    }
}

fn says(job: &Job, code: &str) -> Option<Finding> {
    job.route().findings.into_iter().find(|f| f.code == code)
}

fn plates() -> impl Strategy<Value = Vec<Vec<Plate>>> {
    let one = (
        (60..90_u32, 40..57_u32),
        prop::option::of(4..9_u32),
        1..9_u32,
        any::<bool>(),
        prop::option::of(any::<bool>()),
        any::<(bool, bool)>(),
    );
    let one =
        one.prop_map(|(size, hole, count, thick, grain, (hatched, numbered))| Plate { size, hole, count, thick, grain, hatched, numbered });
    prop::collection::vec(prop::collection::vec(one, 1..4), 1..4)
}

/// A plotted plan: a frame with marks and figures along two sides and its grid, and plates in it, however it is written.
#[test]
fn a_frame_with_a_scale_is_paper() {
    for mut pen in
        [Box::new(Dxf::default()) as Box<dyn Pen>, Box::new(Svg::default()), Box::new(Pdf::default()), Box::new(Outlined::default())]
    {
        let ring = |pen: &mut dyn Pen, x: f64, y: f64, w: f64, h: f64| pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
        ring(&mut *pen, 30.0, 30.0, 200.0, 120.0);
        for k in 0..=10 {
            let (x, y) = (30.0 + 20.0 * f64::from(k), 30.0 + 20.0 * f64::from(k));
            pen.line((x, 30.0), (x, 28.8), false);
            pen.text((x - 2.0, 25.0), 2.5, false, &(20 * k).to_string());
            if k > 0 && k < 10 {
                pen.line((x, 30.0), (x, 150.0), false);
            }
            if y <= 150.0 {
                pen.line((30.0, y), (28.8, y), false);
                pen.text((22.0, y - 1.2), 2.5, false, &(20 * k).to_string());
            }
        }
        ring(&mut *pen, 42.0, 42.0, 90.0, 50.0);
        pen.circle((60.0, 60.0), 7.0);
        ring(&mut *pen, 145.0, 42.0, 60.0, 50.0);
        let (name, bytes) = pen.done();
        let mut job = Job::of(&[(name, bytes)], Stock::default());
        let paper = says(&job, "paper-border").expect("there is paper");
        job.edit(&paper.remedies[0].edit);
        let mut made: Vec<(i64, usize)> = job.route().work.parts.iter().map(|p| (p.bounds.width().round() as i64, p.holes.len())).collect();
        made.sort_unstable();
        assert_eq!(made, [(60, 0), (90, 1)], "{name}: {}", paper.text);
        assert!(says(&job, "outside-parts").is_none(), "{name}: {}", paper.text);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(150)))]
    /// Whatever is drawn, to whatever scale and however: one click for the scale, one for the paper and one for the notes, and
    /// only the parts are left, at their size.
    #[test]
    fn what_is_left_of_a_plan_is_its_parts(
        pages in plates(),
        scales in prop::array::uniform3(prop::sample::select(vec![1, 2, 5])),
        ends in prop_oneof![Just(Ends::Heads), Just(Ends::Chevrons), Just(Ends::Slants), Just(Ends::Gapped)],
        writer in 0..4,
        listed in any::<bool>(),
        sawn in any::<bool>(),
    ) {
        let mut pen: Box<dyn Pen> = match writer {
            0 => Box::new(Pdf::default()),
            1 => Box::new(Dxf::default()),
            2 => Box::new(Svg::default()),
            _ => Box::new(Outlined::default()),
        };
        // What has no pages has one scale; what cannot be read has its own size.
        let (read, scale) = (writer < 3, |page: usize| [scales[page], scales[0], scales[0], 1][writer as usize]);
        for (i, page) in pages.iter().enumerate() {
            if i > 0 {
                pen.page();
            }
            let item = |k: usize| 3 * i + k + 1;
            let rows: Vec<(usize, u32)> = page.iter().enumerate().filter(|(_, p)| listed && p.numbered).map(|(k, p)| (item(k), p.count)).collect();
            paper(&mut *pen, i, scale(i), &rows);
            let places = [(40.0, 130.0), (170.0, 130.0), (40.0, 55.0)];
            page.iter().zip(places).enumerate().for_each(|(k, (p, at))| plate(&mut *pen, at, p, (item(k), listed), scale(i), ends));
            if sawn && read {
                section(&mut *pen, (230.0, 62.0));
            }
        }
        let (name, bytes) = pen.done();
        let mut job = Job::of(&[(name, bytes)], Stock::default());
        let scaled = says(&job, "scale-said");
        prop_assert_eq!(scaled.is_some(), (0..pages.len()).any(|i| scale(i) > 1), "{:?}", scaled);
        if let Some(scaled) = scaled {
            job.edit(&scaled.remedies[0].edit);
        }
        prop_assert!(says(&job, "scale-said").is_none(), "{:?}", says(&job, "scale-said"));
        let paper = says(&job, "paper-border").expect("there is paper");
        prop_assert_eq!(paper.text.contains("cannot be read"), !read);
        job.edit(&paper.remedies[0].edit);
        prop_assert!(says(&job, "paper-border").is_none() && says(&job, "outside-parts").is_none(), "{}\n{:?}", paper.text, says(&job, "outside-parts"));
        if let Some(notes) = says(&job, "plan-says") {
            job.edit(&notes.remedies[0].edit);
        }
        prop_assert!(says(&job, "plan-says").is_none());
        let mm = |v: f64| (v * 10.0).round() as i64;
        let route = job.route();
        let mut made = Vec::new();
        for (id, batch) in &route.batches {
            for p in &batch.work.parts {
                let grain = job.decisions.batches[id].nest.parts.get(&p.id).and_then(|n| n.grain).map(|g| g == Grain::Across);
                made.push((mm(p.bounds.width()), mm(p.bounds.height()), p.holes.len(), p.inside.len(), p.quantity, batch.stock.thickness == 6.0, grain));
            }
        }
        made.sort_unstable();
        // What is hatched is a pocket's outline: closed inside a plate, it is cut.
        let meant = pages.iter().enumerate().flat_map(|(i, page)| page.iter().map(move |p| (f64::from(scale(i)), p)));
        let mut meant: Vec<_> = meant
            .map(|(k, p)| {
                let holes = usize::from(p.hole.is_some()) + usize::from(p.hatched);
                let size = (mm(k * f64::from(p.size.0)), mm(k * f64::from(p.size.1)));
                (size.0, size.1, holes, 0, if read { p.count } else { 1 }, read && p.thick, p.grain.filter(|_| read))
            })
            .collect();
        meant.sort_unstable();
        prop_assert_eq!(made, meant, "{}", paper.text);
    }

    /// Plates side by side with writing in them, tiles that touch, a scale with its figures, rows of slots: none is paper.
    #[test]
    fn parts_are_not_taken_for_paper(
        tiles in (2..6_usize, 2..5_usize, 20..60_u32, 20..50_u32, any::<bool>()),
        marks in 4..40_usize,
        pitch in 2..9_u32,
        labelled in any::<bool>(),
        lettered in any::<bool>(),
    ) {
        let mut pen: Box<dyn Pen> = if lettered { Box::new(Svg::default()) } else { Box::new(Dxf::default()) };
        let (nx, ny, w, h, apart) = tiles;
        let (w, h, gap) = (f64::from(w), f64::from(h), if apart { 6.0 } else { 0.0 });
        for (i, j) in (0..nx).flat_map(|i| (0..ny).map(move |j| (i, j))) {
            let (x, y) = (i as f64 * (w + gap), j as f64 * (h + gap));
            pen.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
            pen.circle((x + 6.0, y + 6.0), 2.0);
            if labelled {
                pen.text((x + 10.0, y + h / 2.0), 4.0, false, &format!("{}", i * ny + j));
            }
        }
        // A scale on a plate of its own, below.
        let long = marks as f64 * f64::from(pitch);
        pen.ring(&[(-10.0, -60.0), (long + 10.0, -60.0), (long + 10.0, -30.0), (-10.0, -30.0)], false);
        pen.line((0.0, -50.0), (long, -50.0), false);
        for k in 0..=marks {
            let x = k as f64 * f64::from(pitch);
            pen.line((x, -50.0), (x, if k % 5 == 0 { -42.0 } else { -46.0 }), false);
            if k % 5 == 0 {
                pen.text((x - 1.0, -41.0), 2.5, false, &k.to_string());
            }
        }
        let (name, bytes) = pen.done();
        let job = Job::of(&[(name, bytes)], Stock::default());
        prop_assert!(says(&job, "paper-border").is_none(), "{:?}", says(&job, "paper-border"));
    }
}
