//! Zeros other than the sheet's corner, and sheets that lie anywhere on the bed: what is burned stays the same on the sheet. Checked
//! on the program's points alone, with the turning and shifting worked out here.

use crate::job::Job;
use crate::jobs::{drawn, job, plate};
use boustrophe_core::decisions::{Edit, IntakeEdit, NestEdit, ReleaseEdit, Stock, Zero};
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::geometry::Point;
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::Sheet;
use boustrophe_core::proof::{Action, differences, interpret};
use boustrophe_formats::bitmap;
use boustrophe_house::played;
use proptest::prelude::*;

/// Ends of all lit moves, in the order of the program.
fn lit(program: &str) -> Vec<Point> {
    let actions = interpret(program).expect("it reads");
    actions
        .iter()
        .filter_map(|a| if let Action::Move { path, power, .. } = a { (*power > 0.0).then_some(path.end) } else { None })
        .collect()
}

/// What stops a job at Proof or Release.
fn stops(job: &Job) -> Vec<String> {
    let route = job.route();
    let late = route.findings.iter().filter(|f| f.station >= Station::Proof && f.severity == Severity::Stop);
    late.map(|f| format!("{} {}", f.code, f.text)).collect()
}

fn zero() -> impl Strategy<Value = Zero> {
    prop_oneof![
        Just(Zero::LowerLeft),
        Just(Zero::LowerRight),
        Just(Zero::UpperRight),
        Just(Zero::UpperLeft),
        Just(Zero::Centre),
        (5.0..80.0_f64, 5.0..80.0_f64).prop_map(|(x, y)| Zero::At(Point::new(x, y))),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(60)))]
    /// However a sheet lies and wherever its zero is: proved, and every point burned lies on the sheet where it lay without.
    #[test]
    fn what_is_burned_stays_on_the_sheet(plates in prop::collection::vec(plate(), 1..3), plasma in any::<bool>(), zero in zero(), at in (150.0..260.0_f64, 100.0..200.0_f64), degrees in prop_oneof![Just(0.0), -12.0..12.0_f64]) {
        let stock = if plasma { Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 } } else { Stock::default() };
        let mut job = job(&drawn(&plates), stock, 1);
        job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(400.0, 300.0)] }.on(BatchId::FIRST));
        job.nest(1, 1);
        job.settled();
        let plain = lit(&job.text(&job.route(), 0));
        job.edit(&ReleaseEdit::SetZero { zero }.on(BatchId::FIRST));
        job.edit(&ReleaseEdit::Lay { sheet: 1, x: at.0, y: at.1, degrees }.on(BatchId::FIRST));
        job.settled();
        prop_assert!(stops(&job).is_empty(), "{:?}", stops(&job));
        let text = job.text(&job.route(), 0);
        let posed = lit(&text);
        prop_assert_eq!(posed.len(), plain.len());
        let from = match zero {
            Zero::LowerLeft => (0.0, 0.0),
            Zero::LowerRight => (400.0, 0.0),
            Zero::UpperRight => (400.0, 300.0),
            Zero::UpperLeft => (0.0, 300.0),
            Zero::Centre => (200.0, 150.0),
            Zero::At(p) => (p.x, p.y),
        };
        let (sin, cos) = degrees.to_radians().sin_cos();
        for (p, q) in plain.iter().zip(&posed) {
            let (x, y) = (p.x - from.0, p.y - from.1);
            prop_assert!((x * cos - y * sin - q.x).abs() < 0.002 && (x * sin + y * cos - q.y).abs() < 0.002, "{p:?} became {q:?}");
        }
        // The same program for a sheet that lies a millimetre off is another one.
        let route = job.route();
        let meant = route.first().meant(0, &job.shop).expect("meant");
        prop_assert!(differences(&text, &meant).expect("it reads").1.is_empty());
        let mut other = meant;
        other.pose.zero.x += 1.0;
        prop_assert!(!differences(&text, &other).expect("it reads").1.is_empty());
    }
}

/// A picture's rows lie askew in the program of a turned sheet, and are proved row by row all the same.
#[test]
fn a_picture_is_engraved_on_a_turned_sheet() {
    let grey = |x: u32, y: u32| u8::try_from((x * 7 + y * 3) % 250).expect("a grey");
    let rgba = (0..40 * 30).flat_map(|i| [grey(i % 40, i / 40), grey(i % 40, i / 40), grey(i % 40, i / 40), 255]).collect();
    let png = bitmap::write_png(40, 30, rgba).expect("a picture");
    let mut job = Job::of(&[("bee.png", png)], Stock::default());
    job.edit(&Edit::Intake(IntakeEdit::SetEngraved { drawing: 1, on: true }));
    job.edit(&Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: 25.4 }));
    job.nest(1, 1);
    job.settled();
    assert!(stops(&job).is_empty(), "{:?}", stops(&job));
    for degrees in [0.0, 90.0, 7.5, -33.0] {
        job.edit(&ReleaseEdit::SetZero { zero: Zero::Centre }.on(BatchId::FIRST));
        job.edit(&ReleaseEdit::Lay { sheet: 1, x: 250.0, y: 260.0, degrees }.on(BatchId::FIRST));
        job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(120.0, 100.0)] }.on(BatchId::FIRST));
        job.nest(1, 1);
        job.settled();
        assert!(stops(&job).is_empty(), "{degrees}: {:?}", stops(&job));
        let route = job.route();
        let meant = route.first().meant(0, &job.shop).expect("meant");
        let text = job.text(&route, 0);
        assert!(differences(&text, &meant).expect("it reads").1.is_empty(), "{degrees}");
        // One tone of one row is another one: told.
        let at = text.match_indices("S6").nth(40).expect("a tone").0;
        let spoilt = format!("{}S9{}", &text[..at], &text[at + 2..]);
        assert!(!differences(&spoilt, &meant).expect("it reads").1.is_empty(), "{degrees}: a tone that is changed is found");
    }
}

/// A sheet that is laid over the bed's edge stops the job, and comes back by the first remedy; rows have more room where it lies
/// away from the edge.
#[test]
fn what_lies_over_the_edge_is_told() {
    let svg = r#"<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60"><rect fill="none" stroke="red" x="5" y="5" width="60" height="40"/></svg>"#;
    let mut job = job(svg, Stock::default(), 1);
    job.nest(1, 1);
    job.settled();
    job.edit(&ReleaseEdit::Lay { sheet: 1, x: 870.0, y: 10.0, degrees: 0.0 }.on(BatchId::FIRST));
    let route = job.route();
    let off = route.findings.iter().find(|f| f.code == "off-bed").expect("it is told");
    assert!(off.severity == Severity::Stop && off.remedies[0].label.contains("bed's corner"));
    job.edit(&off.remedies[0].edit);
    assert!(stops(&job).is_empty());
    // Aligned by two points: what was found there is where it lies.
    let on_sheet = [Point::new(10.0, 10.0), Point::new(300.0, 10.0)];
    let on_bed = [Point::new(110.0, 60.0), Point::new(399.0, 84.06)];
    job.edit(&ReleaseEdit::Align { sheet: 1, on_sheet, on_bed }.on(BatchId::FIRST));
    let pose = job.route().first().pose(0);
    assert!((pose.turn.to_degrees() - 4.76).abs() < 0.02 && (pose.to_bed() * on_sheet[0]).distance(on_bed[0]) < 0.2, "{pose:?}");
    let wrong = ReleaseEdit::Align { sheet: 1, on_sheet, on_bed: [on_bed[0], Point::new(420.0, 60.0)] }.on(BatchId::FIRST);
    assert!(wrong.apply(&job.decisions).expect_err("not the same two").to_string().contains("not the same two"));
}
