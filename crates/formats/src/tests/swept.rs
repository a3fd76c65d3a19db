//! Pictures in programs: swept with their powers, and what tampering with them is told as.

use super::*;
use boustrophe_core::hold::PictureSweep;

#[test]
fn a_picture_is_swept_there_and_back_with_its_powers() {
    use boustrophe_core::picture::Raster;
    let raster = Raster { column: 100, row: 50, width: 5, height: 3, burn: vec![0, 255, 255, 128, 0, 0, 0, 0, 0, 0, 64, 0, 0, 0, 255] };
    let op = Op {
        process: Process::Picture,
        doing: Doing::Picture(PictureSweep {
            raster: std::sync::Arc::new(raster),
            pitch: 0.1,
            least_power: 10.0,
            run_up: 3.0,
            ..PictureSweep::default()
        }),
        feed: 6000.0,
        power: 50.0,
        passes: 1,
        ..Op::default()
    };
    let text = program(0, vec![op]);
    let lines: Vec<&str> = text.lines().skip(4).collect();
    assert_eq!(
        lines,
        [
            "(1 Picture)",
            "G0 X7.1 Y5.05",
            "M3 S0",
            "G1 X10.1 Y5.05 F6000",
            "G1X10.3S500",
            "X10.4S300.7843",
            "S0",
            "G1 X13.4 Y5.05",
            "G4 P0.01",
            "G0 X13.5 Y5.25",
            "G1 X10.5 Y5.25",
            "G1X10.4S500",
            "X10.1S0",
            "X10S200.3922",
            "S0",
            "G1 X7 Y5.25",
            "G4 P0.01",
            "M5",
            "G0 X0 Y0",
            "M2"
        ]
    );
}

#[test]
fn a_controller_without_arcs_gets_chords_and_its_own_words_for_the_air() {
    let shop = Shop::builtin();
    let mut machine = shop.machines[0].clone();
    machine.arcs = false;
    machine.dialect.words.air_on = vec!["M7".parse().expect("a word")];
    let path = SheetPath {
        width: 300.0,
        height: 200.0,
        ops: vec![op(Process::Cut, &Path::circle(Point::new(50.0, 50.0), 10.0))],
        ..SheetPath::default()
    };
    let mut text = Vec::new();
    release::write(
        &ProgramOrder { path: &path, machine: &machine, sheet: (1, 1), stock: &Stock::default(), pose: Default::default() },
        &mut text,
    )
    .expect("written");
    let text = String::from_utf8(text).expect("ASCII");
    assert!(!text.contains("\nG2 ") && !text.contains("\nG3 ") && text.contains("\nM7\n"), "{text}");
    let actions = boustrophe_core::proof::interpret(&text).expect("it reads");
    let burned: f64 = actions
        .iter()
        .filter_map(|a| {
            if let boustrophe_core::proof::Action::Move { path, power, .. } = a { (*power > 0.0).then(|| path.length()) } else { None }
        })
        .sum();
    assert!((burned - std::f64::consts::TAU * 10.0).abs() < 0.1, "{burned}");
}

/// What the proof says of a program for a sheet with this picture alone.
fn verdict(path: &SheetPath, text: &str) -> Vec<String> {
    use boustrophe_core::{assign::Work, cuts::SheetCuts, nest, proof};
    let machine = &Shop::builtin().machines[0];
    let layout = nest::SheetLayout { sheet: nest::Sheet::rectangle(300.0, 200.0), placed: Vec::new() };
    let (told, findings) = proof::run(
        text,
        &proof::Meant {
            sheet: 0,
            path,
            cuts: &SheetCuts::default(),
            layout: &layout,
            work: &Work::default(),
            machine,
            pose: Default::default(),
        },
    );
    assert!(findings.iter().any(|f| f.code == "program-unreadable") || told.seconds > 0.0);
    findings.into_iter().map(|f| f.code.to_string()).collect()
}

fn picture_sheet(width: usize, burn: Vec<u8>, passes: u32) -> (SheetPath, String) {
    use boustrophe_core::picture::Raster;
    let raster = Raster { column: 300, row: 200, width, height: burn.len() / width, burn };
    let op = Op {
        process: Process::Picture,
        doing: Doing::Picture(PictureSweep {
            raster: std::sync::Arc::new(raster),
            pitch: 0.1,
            least_power: 5.0,
            run_up: 4.0,
            ..PictureSweep::default()
        }),
        feed: 6000.0,
        power: 80.0,
        passes,
        ..Op::default()
    };
    let path = SheetPath { width: 300.0, height: 200.0, ops: vec![op], ..SheetPath::default() };
    let shop = Shop::builtin();
    let mut text = Vec::new();
    release::write(
        &ProgramOrder { path: &path, machine: &shop.machines[0], sheet: (1, 1), stock: &Stock::default(), pose: Default::default() },
        &mut text,
    )
    .expect("written");
    (path, String::from_utf8(text).expect("ASCII"))
}

#[test]
fn a_picture_that_is_tampered_with_is_not_released() {
    let (path, text) = picture_sheet(6, vec![0, 200, 200, 0, 90, 0, 10, 10, 10, 10, 10, 10, 0, 0, 0, 0, 0, 0, 255, 0, 0, 0, 0, 255], 1);
    assert!(verdict(&path, &text).is_empty(), "{text}");
    let lines: Vec<&str> = text.lines().collect();
    let with = |edit: &dyn Fn(&mut Vec<String>)| {
        let mut all: Vec<String> = lines.iter().map(|l| (*l).to_owned()).collect();
        edit(&mut all);
        verdict(&path, &(all.join("\n") + "\n"))
    };
    let at = |what: &str| lines.iter().position(|l| l.contains(what)).expect("the line");
    // A tone too strong, a stretch too long, a row left out, a row done twice, one at another height.
    let strong = at("S638.2353");
    assert_eq!(with(&|l| l[strong] = l[strong].replace("S638.2353", "S700")), ["picture-wrong"]);
    let long = at("X30.3S");
    assert_eq!(with(&|l| l[long] = l[long].replace("X30.3", "X30.35")), ["picture-wrong"]);
    let (first, second) = (at("Y20.05"), at("Y20.15"));
    assert!(with(&|l| drop(l.drain(second..second + 7))).contains(&"not-burned".to_owned()));
    let again = with(&|l| {
        let row: Vec<String> = l[first..second].to_vec();
        l.splice(second..second, row);
    });
    assert!(again.contains(&"burned-twice".to_owned()), "{again:?}");
    assert!(with(&|l| l.iter_mut().for_each(|l| *l = l.replace("Y20.05", "Y20.08"))).contains(&"burned-astray".to_owned()));
    assert_eq!(verdict(&path, &text[..text.len() / 2]), ["program-unreadable"]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Any picture's program reads back as that picture; with any one tone changed it does not.
    #[test]
    fn pictures_read_back_as_they_were_meant(width in 1..24_usize, burn in prop::collection::vec(prop::sample::select(vec![0_u8, 0, 1, 40, 128, 255]), 24..200), passes in 1..3_u32, which in any::<prop::sample::Index>()) {
        let rows = burn.len() / width;
        let burn = burn[..rows * width].to_vec();
        let burned = burn.iter().any(|b| *b > 0);
        let (path, text) = picture_sheet(width, burn, passes);
        prop_assert!(!burned || verdict(&path, &text).is_empty(), "{text}");
        let tones: Vec<usize> = text.lines().enumerate().filter(|(_, l)| l.contains('X') && l.contains('S') && !l.ends_with("S0")).map(|l| l.0).collect();
        if !tones.is_empty() {
            let at = tones[which.index(tones.len())];
            let other: Vec<String> = text.lines().enumerate().map(|(i, l)| if i == at { format!("{}S777", l.split('S').next().unwrap_or("")) } else { l.to_owned() }).collect();
            prop_assert!(!verdict(&path, &(other.join("\n") + "\n")).is_empty());
        }
    }

    /// Numbers are written with four decimals at most and read as what they were rounded to.
    #[test]
    fn numbers_read_back(v in -2000.0..2000.0_f64) {
        let (path, _) = picture_sheet(1, vec![255], 1);
        let mut moved = path.clone();
        let to = Point::new(v.abs() % 290.0, (v * 7.3).abs() % 190.0);
        moved.ops = vec![op(Process::Score, &Path::new(vec![Segment::line(Point::new(1.0, 1.0), to)], false))];
        let shop = Shop::builtin();
        let mut text = Vec::new();
        release::write(&ProgramOrder { path: &moved, machine: &shop.machines[0], sheet: (1, 1), stock: &Stock::default(), pose: Default::default() }, &mut text).expect("written");
        let actions = boustrophe_core::proof::interpret(&String::from_utf8(text).expect("ASCII")).expect("it reads");
        let burned = actions.iter().find_map(|a| if let boustrophe_core::proof::Action::Move { path, power, .. } = a { (*power > 0.0).then_some(path.end) } else { None });
        prop_assert!(burned.is_some_and(|e| e.distance(to) < 0.000_08), "{burned:?} for {to:?}");
    }
}
