//! Pictures on the sheet: laid, cropped, toned.

use super::*;
use crate::shop::Shop;

/// A plate with a picture 10 × 6 mm at 5, 7, its left half black.
fn pictured() -> crate::drawing::Drawing {
    pictured_at(1.0)
}

/// The same, so many times as large.
fn pictured_at(scale: f64) -> crate::drawing::Drawing {
    use crate::drawing::{Bitmap, Entity, Nature, Picture, Shape, Style};
    let mut d = drawing(&[(Path::rectangle(0.0, 0.0, 40.0 * scale, 30.0 * scale), Style { stroke: Some([0; 3]), ..Style::default() })]);
    let style = d.style(&Style { nature: Nature::Picture, ..Style::default() });
    let bitmap = Bitmap { width: 100, height: 60, grey: (0..6000).map(|i| if i % 100 < 50 { 0 } else { 255 }).collect() };
    let place = Affine::scale(scale) * Affine::translate((5.0, 7.0)) * Affine::scale_non_uniform(10.0, 6.0);
    d.entities.push(Entity::new(style, Shape::Picture(Picture { bitmap: std::sync::Arc::new(bitmap), place })));
    d
}

/// Middle and area of what a picture burns on the sheet.
fn burned(op: &Op) -> (Point, f64) {
    let r = &op.picture().expect("a picture").raster;
    let spots = (0..r.height).flat_map(|y| (0..r.width).map(move |x| (x, y))).filter(|(x, y)| r.pixels(*y)[*x] > 127);
    let at = |(x, y): (usize, usize)| Vec2::new((r.column + x as i64) as f64 + 0.5, (r.row + y as i64) as f64 + 0.5) * op.pitch();
    let (n, sum) = spots.fold((0.0, Vec2::ZERO), |(n, s), p| (n + 1.0, s + at(p)));
    ((sum / n).to_point(), n * op.pitch() * op.pitch())
}

#[test]
fn a_picture_is_laid_on_the_sheet_as_its_part_lies() {
    let (cleaned, decisions) = cleaned(&pictured(), 1);
    let shop = Shop::builtin();
    let (work, _) = crate::testing::assigned(&[cleaned], &decisions, &shop);
    let part = work.parts[0].id;
    for (angle, mirrored) in [(0.0, false), (90.0, false), (180.0, true), (37.0, false)] {
        let placed = vec![Placement { copy: crate::testing::copy(part, 0), x: 200.0, y: 150.0, angle, mirrored }];
        let affine = placed[0].affine();
        let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(600.0, 400.0), placed }], ..Layout::default() };
        let (toolpath, findings) = crate::testing::held(&work, &layout, &decisions, &shop.machines[0], &shop);
        assert!(findings.is_empty(), "{findings:?}");
        let op = &toolpath.sheets[0].ops[0];
        assert_eq!(op.process, assign::Process::Picture, "pictures come first");
        let (middle, area) = burned(op);
        let meant = affine * Point::new(7.5, 10.0);
        assert!(middle.distance(meant) < 0.08 && (area - 30.0).abs() < 0.8, "{angle}: {middle:?} for {meant:?}, {area}");
        let rows: Vec<Row> = op.picture_rows().collect();
        assert!(rows.windows(2).all(|w| w[0].backward != w[1].backward && w[1].at > w[0].at));
        assert_eq!(op.start(), rows.first().map(Row::start));
        assert_eq!(op.end(), rows.last().map(Row::end));
    }
}

#[test]
fn a_picture_is_cropped_to_an_outline_and_toned() {
    use crate::picture::{Dither, Tone};
    let mut d = pictured();
    let style = d.style(&crate::drawing::Style { stroke: Some([9, 9, 9]), ..Default::default() });
    let circle = Path::circle(Point::new(7.5, 10.0), 2.0);
    let curves = circle.segments.iter().map(crate::geometry::Curve::segment).collect();
    d.entities.push(crate::drawing::Entity::new(style, crate::drawing::Shape::Path { curves, closed: true }));
    let (cleaned, _) = cleaned(&d, 1);
    let outline = cleaned.contours.iter().find(|c| (c.area.abs() - PI * 4.0).abs() < 0.1).expect("the circle").id;
    let picture = cleaned.contours.iter().find(|c| c.picture.is_some()).expect("the picture").id;
    let with = |tone: Tone| {
        let (toolpath, _, _) = laid(&d, &[(50.0, 50.0)], |d| {
            d.assign.contours.insert(outline, assign::Process::Reference);
            d.assign.pictures.insert(picture, tone);
        });
        toolpath.sheets[0].ops[0].clone()
    };
    let cropped = with(Tone { crop: Some(outline), ..Tone::default() });
    assert!((burned(&cropped).1 - PI * 4.0).abs() < 0.5, "{}", burned(&cropped).1);
    let inverted = with(Tone { invert: true, ..Tone::default() });
    assert!(burned(&inverted).0.x > burned(&with(Tone::default())).0.x + 4.0, "the other half burns");
    let faint = with(Tone { brightness: 60.0, dither: Dither::Diffused, ..Tone::default() });
    let share = faint.picture().expect("a picture").raster.burn.iter().filter(|b| **b > 0).count() as f64 * 0.01 / 30.0;
    assert!((share - 0.4).abs() < 0.05, "two fifths of the dots are left: {share}");
    assert!((faint.power_of(255) - 30.0).abs() < 1e-9 && (faint.power_of(1) - 6.0).abs() < 0.2 && faint.power_of(0) == 0.0);
}

#[test]
fn a_picture_too_large_for_its_pitch_is_told() {
    let with = |scale: f64, pitch: f64| {
        laid(&pictured_at(scale), &[(50.0, 50.0)], |d| {
            d.assign.settings = vec![crate::decisions::JobSetting {
                id: 1,
                name: "fine".into(),
                process: assign::Process::Picture,
                feed: None,
                power: None,
                passes: None,
                pitch: Some(pitch),
                tool: None,
                kerf: None,
            }];
            d.assign.key_settings.insert("layer=|picture=yes".into(), 1);
        })
    };
    let (toolpath, findings, _) = with(1.0, 0.02);
    assert!(findings.is_empty() && (toolpath.sheets[0].ops[0].pitch() - 0.02).abs() < 1e-12, "fine, but not too fine");
    assert_eq!(toolpath.sheets[0].ops[0].picture().map(|p| (p.raster.width, p.raster.height)), Some((500, 300)));
    // 400 × 240 mm in rows of a fiftieth: 20,000 × 12,000 pixels are over the limit.
    let (toolpath, findings, _) = with(40.0, 0.02);
    let told = findings.iter().find(|f| f.code == "picture-too-large").expect("it is told");
    assert!(told.severity == crate::finding::Severity::Stop && told.text.contains("1 picture on sheet 1"), "{}", told.text);
    assert!(toolpath.sheets[0].ops.iter().all(|o| o.picture().is_none()), "and not swept");
}

#[test]
fn what_stays_dark_for_long_in_a_picture_is_crossed_at_travel_speed() {
    use crate::drawing::{Bitmap, Entity, Nature, Picture, Shape, Style};
    use crate::release::{ProgramOrder, write};
    // Black at both ends of 400 mm, white between.
    let mut d = drawing(&[(Path::rectangle(0.0, 0.0, 420.0, 30.0), Style { stroke: Some([0; 3]), ..Style::default() })]);
    let style = d.style(&Style { nature: Nature::Picture, ..Style::default() });
    let bitmap = Bitmap { width: 400, height: 10, grey: (0..4000).map(|i| if (20..380).contains(&(i % 400)) { 255 } else { 0 }).collect() };
    let place = Affine::translate((10.0, 10.0)) * Affine::scale_non_uniform(400.0, 10.0);
    d.entities.push(Entity::new(style, Shape::Picture(Picture { bitmap: std::sync::Arc::new(bitmap), place })));
    let (cleaned, decisions) = cleaned(&d, 1);
    let shop = Shop::builtin();
    let (work, _) = crate::testing::assigned(&[cleaned], &decisions, &shop);
    let placed = vec![Placement { copy: crate::testing::copy(work.parts[0].id, 1), x: 60.0, y: 50.0, angle: 0.0, mirrored: false }];
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(600.0, 400.0), placed }], ..Layout::default() };
    let done = |fast: bool| {
        let mut machine = shop.machines[0].clone();
        // Slow enough at its rows that travel is much faster.
        machine.fast_gaps = fast;
        machine.rapid = 60_000.0;
        let (path, _) = crate::testing::held(&work, &layout, &decisions, &machine, &shop);
        let plan = crate::cuts::plan(&work, &layout, None);
        let mut program = Vec::new();
        write(
            &ProgramOrder {
                path: &path.sheets[0],
                machine: &machine,
                sheet: (1, 1),
                stock: &decisions.first().stock,
                pose: Default::default(),
            },
            &mut program,
        )
        .expect("written");
        let program = String::from_utf8(program).expect("ASCII");
        let meant = crate::proof::Meant {
            pose: Default::default(),
            sheet: 0,
            path: &path.sheets[0],
            cuts: &plan.sheets[0],
            layout: &layout.sheets[0],
            work: &work,
            machine: &machine,
        };
        let (proof, findings) = crate::proof::run(&program, &meant);
        assert!(findings.is_empty(), "{findings:?}");
        // A fault within such a row is found: a gap that begins too late leaves something burned that should be dark.
        if fast {
            let at = program.find("G0X").expect("a gap at travel speed");
            let broken = format!("{}G1X{}", &program[..at], &program[at + 3..]).replacen("S0\nG1", "S200\nG1", 1);
            assert!(!crate::proof::run(&broken, &meant).1.is_empty());
        }
        (proof.seconds, proof.by_process.get(&Some(assign::Process::Picture)).copied().unwrap_or(0.0), proof.travel)
    };
    let (slow, fast) = (done(false), done(true));
    assert!(fast.0 < 0.9 * slow.0 && fast.1 < slow.1, "{fast:?} and {slow:?}");
    assert!((fast.2 - slow.2).abs() < 1.0, "what is crossed within rows is engraving, not travel: {fast:?} and {slow:?}");
}
