use super::*;
use crate::decisions::Decisions;
use crate::finding::Severity;
use crate::geometry::{Path, Point};
use crate::hold;
use crate::nest::{Layout, Placement, Sheet};
use crate::shop::Shop;
use crate::testing::{cleaned, outlines};
use proptest::prelude::*;
use std::fmt::Write;

/// A plate with a hole, held for the laser, and a plain program for it.
struct Job {
    work: Work,
    layout: Layout,
    sheet: SheetPath,
    cuts: SheetCuts,
}

impl Job {
    fn meant<'a>(&'a self, machine: &'a Machine) -> Meant<'a> {
        Meant {
            sheet: 0,
            path: &self.sheet,
            cuts: &self.cuts,
            layout: &self.layout.sheets[0],
            work: &self.work,
            machine,
            pose: Default::default(),
        }
    }
}

fn job() -> Job {
    let (drawing, decisions) = cleaned(&outlines(&[Path::rectangle(0.0, 0.0, 80.0, 60.0), Path::circle(Point::new(40.0, 30.0), 10.0)]), 1);
    let shop = Shop::builtin();
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &shop);
    let layout = Layout {
        sheets: vec![SheetLayout {
            sheet: Sheet::rectangle(200.0, 150.0),
            placed: vec![Placement { copy: crate::testing::copy(work.parts[0].id, 0), x: 10.0, y: 10.0, angle: 0.0, mirrored: false }],
        }],
        ..Layout::default()
    };
    let (toolpath, _) = crate::testing::held(&work, &layout, &Decisions::default(), &shop.machines[0], &shop);
    let cuts = crate::testing::planned(&work, &layout, &Decisions::default(), &shop).sheets.swap_remove(0);
    Job { work, layout, cuts, sheet: toolpath.sheets[0].clone() }
}

fn line(out: &mut String, s: &Segment) {
    let c = s.center() - s.start;
    let _ = if s.is_line() {
        writeln!(out, "G1 X{:.5} Y{:.5}", s.end.x, s.end.y)
    } else {
        writeln!(out, "{} X{:.5} Y{:.5} I{:.5} J{:.5}", if s.bulge > 0.0 { "G3" } else { "G2" }, s.end.x, s.end.y, c.x, c.y)
    };
}

/// One block of text for each op.
fn blocks(sheet: &SheetPath) -> Vec<String> {
    sheet
        .ops
        .iter()
        .map(|op| {
            let mut out = String::new();
            for run in &op.line().runs {
                let _ = writeln!(out, "G0 X{:.5} Y{:.5}\nM3 S650", run[0].start.x, run[0].start.y);
                run.iter().for_each(|s| line(&mut out, s));
                out.push_str("M5\n");
            }
            out
        })
        .collect()
}

fn verdict(job: &Job, blocks: &[String]) -> Vec<String> {
    let program = format!("G21 G90 F1200\nM5\nM8\n{}M9\nM2\n", blocks.concat());
    let (_, findings) = run(&program, &job.meant(&Shop::builtin().machines[0]));
    assert!(findings.iter().all(|f| f.severity == Severity::Stop));
    findings.into_iter().map(|f| f.code.to_string()).collect()
}

#[test]
fn a_right_program_passes_and_is_measured() {
    let job = job();
    let program = format!("G21 G90 F1200\nM5\nM8\n{}M9\nM2\n", blocks(&job.sheet).concat());
    let (proof, findings) = run(&program, &job.meant(&Shop::builtin().machines[0]));
    assert!(findings.is_empty(), "{findings:?}");
    let intended: f64 = job.sheet.ops.iter().map(hold::Op::length).sum();
    assert!((proof.cut - intended).abs() < 0.01);
    assert_eq!(proof.pierces, job.sheet.ops.iter().map(hold::Op::pierces).sum::<usize>());
    assert!(proof.seconds > intended / 20.0, "20 mm/s and more for corners and travel");
    let split: f64 = proof.by_process.values().sum();
    assert!((split - proof.seconds).abs() < 1e-6);
}

#[test]
fn every_sabotage_is_found() {
    let job = job();
    let good = blocks(&job.sheet);
    assert!(good.len() == 2 && verdict(&job, &good).is_empty());
    let check = |what: &str, blocks: &[String], code: &str| {
        let found = verdict(&job, blocks);
        assert!(found.iter().any(|f| f == code), "{what}: {found:?}");
    };
    check("the outline first", &[good[1].clone(), good[0].clone()], "outer-first");
    check("the hole is missing", &good[1..], "not-burned");
    check("the hole twice", &[good[0].clone(), good[0].clone(), good[1].clone()], "burned-twice");
    check(
        "a stray line through the part",
        &[good[0].clone(), "G0 X20 Y20\nM3 S650\nG1 X60 Y20\nM5\n".into(), good[1].clone()],
        "burned-astray",
    );
    check("a line left lit", &[good[0].replacen("M5\n", "", 1), good[1].clone()], "burned-astray");
    check("too fast", &[good[0].replacen("G3", "F90000 G3", 1).replacen("G2 ", "F90000 G2 ", 1), good[1].clone()], "feed-over");
    check("too strong", &[good[0].replace("S650", "S6500"), good[1].clone()], "power-over");
    check("off the bed", &[good[0].clone(), good[1].clone(), "G0 X901 Y5\n".into()], "off-bed");
    check("cut off", &[], "not-burned");
}

#[test]
fn what_rounding_leaves_is_no_fault() {
    let job = job();
    let mut good = blocks(&job.sheet);
    // A hair's breadth across the way, before a cut ends.
    let end = good[1].find("\nM5").expect("a cut");
    let place = good[1][..end].rsplit('\n').next().expect("a move").to_owned();
    let at = |axis: char| place.split(' ').find_map(|w| w.strip_prefix(axis)).and_then(|v| v.parse::<f64>().ok()).expect("a place");
    good[1].insert_str(end, &format!("\nG1 X{:.5} Y{:.5}", at('X') + 0.0001, at('Y') + 0.0001));
    assert!(verdict(&job, &good).is_empty());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    /// One word changed, one move left out, one repeated, one hop cut through: whatever a machine would do otherwise than
    /// was meant is found.
    #[test]
    fn any_change_to_a_program_is_found(which in any::<prop::sample::Index>(), by in 0.2..9.0_f64, back in any::<bool>(), axis in 0..2_usize, how in 0..4_usize) {
        let job = job();
        let mut lines: Vec<String> = blocks(&job.sheet).concat().lines().map(str::to_owned).collect();
        let burning: Vec<usize> = (0..lines.len()).filter(|i| lines[*i].starts_with(['G']) && !lines[*i].starts_with("G0")).collect();
        let i = burning[which.index(burning.len())];
        // The last line may run on over where the outline was begun: that harms nothing.
        prop_assume!(!(how == 0 && axis == 0 && !back && i == burning[burning.len() - 1]));
        match how {
            0 => {
                let mut words: Vec<String> = lines[i].split(' ').map(str::to_owned).collect();
                let value: f64 = words[1 + axis][1..].parse().expect("a number");
                words[1 + axis] = format!("{}{:.5}", ["X", "Y"][axis], value + if back { -by } else { by });
                lines[i] = words.join(" ");
            }
            1 => drop(lines.remove(i)),
            2 => {
                // Back in the dark, and once more.
                let before = lines[..i].iter().rev().find(|l| l.contains('X')).expect("a place").split(' ').skip(1).take(2).collect::<Vec<_>>().join(" ");
                let again = [format!("M5\nG0 {before}\nM3 S650"), lines[i].clone()];
                lines.splice(i + 1..=i, again);
            }
            _ => {
                // Light before a hop, not after it.
                let hop = lines.iter().rposition(|l| l.starts_with("G0")).expect("a hop");
                lines.swap(hop, hop + 1);
                lines[hop + 1] = lines[hop + 1].replace("G0", "G1");
            }
        }
        prop_assert!(!verdict(&job, &[lines.join("\n") + "\n"]).is_empty(), "{}", lines.join("\n"));
    }
}

#[test]
fn a_cut_that_enters_a_neighbour_is_a_gouge() {
    let mut job = job();
    // A second copy lies half a kerf too near, over the cut of the first.
    let first = job.layout.sheets[0].placed[0];
    job.layout.sheets[0].placed.push(Placement { x: first.x + 80.02, ..first });
    assert!(verdict(&job, &blocks(&job.sheet)).iter().any(|f| f == "gouge"));
}

/// A plate of 300 mm, and below its long side a needle that points at it from so far, at so much along it; only the plate is cut.
fn needle(at: f64, gap: f64) -> Job {
    let thin = Path::polygon(&[(0.0, -100.0), (4.0, -100.0), (2.0, -70.0)].map(Point::from));
    let (drawing, decisions) = cleaned(&outlines(&[Path::rectangle(0.0, 0.0, 300.0, 40.0), thin]), 1);
    let shop = Shop::builtin();
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &shop);
    let place = |part: &crate::assign::Part| {
        let b = part.outline.bounds();
        let (x, y) = if b.width() > 100.0 { (10.0, 50.0) } else { (10.0 + at - 2.0, 50.0 - gap - 30.0) };
        Placement { copy: crate::testing::copy(part.id, 0), x: x - b.min.x, y: y - b.min.y, angle: 0.0, mirrored: false }
    };
    let placed: Vec<Placement> = work.parts.iter().map(place).collect();
    let plate = work.parts.iter().position(|p| p.outline.bounds().width() > 100.0).expect("the plate");
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(400.0, 200.0), placed }], ..Layout::default() };
    let (toolpath, _) = crate::testing::held(&work, &layout, &Decisions::default(), &shop.machines[0], &shop);
    let cuts = crate::testing::planned(&work, &layout, &Decisions::default(), &shop).sheets.swap_remove(0);
    let mut sheet = toolpath.sheets[0].clone();
    sheet.ops.retain(|op| op.placement == plate);
    Job { work, layout, cuts, sheet }
}

/// However little reaches into a long cut, and wherever: no place of it lies between two looks.
#[test]
fn a_hair_of_a_neighbour_in_a_long_cut_is_a_gouge() {
    for at in [7.1, 77.7, 151.3, 201.9, 263.4] {
        let kerf = needle(at, 20.0).sheet.ops[0].kerf;
        let gouged = |gap: f64| {
            let job = needle(at, gap);
            verdict(&job, &blocks(&job.sheet)).iter().any(|f| f == "gouge")
        };
        assert!(gouged(0.9 * kerf - 0.05) && !gouged(kerf), "at {at}, kerf {kerf}");
    }
}

/// Where a cut turns it may come nearer to a neighbour's corner, but does not touch it.
#[test]
fn a_neighbour_is_not_touched_where_a_cut_turns() {
    for at in [0.1, 299.9] {
        let gouged = |gap: f64| {
            let job = needle(at, gap);
            verdict(&job, &blocks(&job.sheet)).iter().any(|f| f == "gouge")
        };
        assert!(gouged(0.03) && !gouged(0.3), "at {at}");
    }
}

#[test]
fn the_interpreter_reads_the_standard_and_nothing_else() {
    let length = |program: &str| -> Result<f64, ProgramFault> {
        Ok(interpret(program)?.iter().map(|a| if let Action::Move { path, .. } = a { path.length() } else { 0.0 }).sum())
    };
    let full = std::f64::consts::TAU * 10.0;
    for (program, expected) in [
        ("G0 X3 Y4\nM2", 5.0),
        ("(a comment) G1 X10 F600 ; and one more\nM30", 10.0),
        ("G20\nG0 X1\nM2", 25.4),
        ("G91\nG0 X5\nX5\nG90\nX0\nM2", 20.0),
        ("F100\nG2 X0 Y0 I10 J0\nM2", full),
        ("F100\nG3 X20 Y0 I10 J0\nM2", full / 2.0),
    ] {
        assert!((length(program).expect(program) - expected).abs() < 1e-6, "{program}");
    }
    for (program, at, why) in [
        ("G0 X1\n", 1, "no end"),
        ("G0 X1\nG7\nM2", 2, "not understood"),
        ("G1 X1\nM2", 1, "before any feed"),
        ("F100\nG2 X5 Y5 I1 J0\nM2", 2, "centre"),
        ("G4\nM2", 1, "G4 needs P"),
        ("X\nM2", 1, "no number"),
        ("(open\nM2", 1, "not closed"),
        ("M2\nG0 X1", 2, "after the end"),
    ] {
        let fault = interpret(program).expect_err(program);
        assert!(fault.line == at && fault.what.contains(why), "{program}: {fault}");
    }
}

proptest! {
    #[test]
    fn the_interpreter_never_panics(program in "[GMXYIJFSP0-9 .()\n;%-]{0,200}") {
        let _ = interpret(&program);
    }
}

#[test]
fn numbers_are_read_as_they_are_written() {
    let read = |words: &str| {
        let program = format!("G21 G90\nF600\nM3 S10\nG1 {words}\nM2\n");
        match interpret(&program) {
            Ok(actions) => {
                actions.iter().find_map(|a| if let Action::Move { path, .. } = a { Some((path.end.x, path.end.y)) } else { None })
            }
            Err(fault) => panic!("{words}: {fault}"),
        }
    };
    for (words, x, y) in [
        ("X10 Y20", 10.0, 20.0),
        ("X10.5Y-.25", 10.5, -0.25),
        ("X+7. Y0.0001", 7.0, 0.0001),
        ("X 3 Y\t4", 3.0, 4.0),
        ("X123456.7891 Y0", 123_456.789_1, 0.0),
        ("X1 (a comment) Y2 ; and what is behind", 1.0, 2.0),
        ("X0.30000000000000004 Y1", 0.300_000_000_000_000_04, 1.0),
    ] {
        assert_eq!(read(words), Some((x, y)), "{words}");
    }
    for wrong in ["X1.2.3", "X--1", "X", "X1e3", "X1 X2", "Xé1", "(open", "X1 ÷2"] {
        let fault = interpret(&format!("G21 G90\nF600\nG1 {wrong}\nM2\n")).expect_err(wrong);
        assert_eq!(fault.line, 3, "{wrong}: {fault}");
    }
    let many = "X1".repeat(40);
    assert!(interpret(&format!("G21\nF600\nG1 {many}\nM2\n")).expect_err("too many").what.contains("words"));
}

proptest! {
    /// Any decimal of a program is the number that the standard library reads.
    #[test]
    fn decimals_are_exact(whole in 0..99_999_u32, fraction in "[0-9]{0,9}", negative in any::<bool>()) {
        let text = format!("{}{whole}.{fraction}", if negative { "-" } else { "" });
        let program = format!("G21 G90\nF600\nG1 X{text}\nM2\n");
        let actions = interpret(&program).expect("it reads");
        let end = actions.iter().find_map(|a| if let Action::Move { path, .. } = a { Some(path.end.x) } else { None }).unwrap_or(0.0);
        let known: f64 = text.parse().expect("a number");
        prop_assert!(end == known || known == 0.0, "{end} for {text}");
    }
}

#[test]
fn a_plan_that_makes_an_edge_twice_or_not_at_all_is_found_and_can_be_lifted() {
    let machine = &Shop::builtin().machines[0];
    let spoiled = |spoil: &dyn Fn(&mut SheetCuts)| {
        let mut job = job();
        let program = format!("G21 G90 F1200\nM5\nM8\n{}M9\nM2\n", blocks(&job.sheet).concat());
        spoil(&mut job.cuts);
        let meant = job.meant(machine);
        let (_, findings) = run(&program, &meant);
        let offered = offered(findings, &meant, 1);
        offered.into_iter().find(|f| f.code == "edges-not-once")
    };
    assert!(spoiled(&|_| {}).is_none());
    // A hole whose edge nobody makes; the outline that two cuts make.
    let none = spoiled(&|cuts| {
        cuts.cuts.iter_mut().for_each(|c| {
            if c.path.length() < 100.0 {
                c.pieces.clear();
            }
        });
    });
    let twice = spoiled(&|cuts| {
        let outline = cuts.cuts.iter().position(|c| c.path.length() > 200.0).expect("the outline");
        let again = cuts.cuts[outline].pieces[0].clone();
        cuts.cuts[outline].pieces.push(again);
    });
    for found in [none, twice] {
        let found = found.expect("it is told");
        assert!(found.severity == Severity::Stop && found.remedies[0].label == "Cut each part by itself", "{found:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    /// An arc is the same arc whether its centre is said from its begin, as a position, or by the radius, in steps or positions, in
    /// mm or inches.
    #[test]
    fn arcs_are_read_alike_however_they_are_said(
        cx in -50.0..50.0_f64, cy in -50.0..50.0_f64, r in 0.5..60.0_f64, from in 0.0..6.2_f64, sweep in 0.2..6.0_f64, clockwise in any::<bool>()
    ) {
        prop_assume!((sweep - std::f64::consts::PI).abs() > 0.1);
        let on = |a: f64| (cx + r * a.cos(), cy + r * a.sin());
        let (a, b) = (on(from), on(if clockwise { from - sweep } else { from + sweep }));
        let g = if clockwise { "G2" } else { "G3" };
        let head = |unit: &str| format!("{unit} G90\nM5 S0\nF1000\n");
        let signed = if sweep > std::f64::consts::PI { -r } else { r };
        let inch = |v: f64| v / 25.4;
        let programs = [
            format!("{}G0 X{:.6} Y{:.6}\nM3 S500\n{g} X{:.6} Y{:.6} I{:.6} J{:.6}\nM5\nM2", head("G21"), a.0, a.1, b.0, b.1, cx - a.0, cy - a.1),
            format!("{}G0 X{:.6} Y{:.6}\nG90.1\nM3 S500\n{g} X{:.6} Y{:.6} I{:.6} J{:.6}\nM5\nM2", head("G21"), a.0, a.1, b.0, b.1, cx, cy),
            format!("{}G0 X{:.6} Y{:.6}\nM3 S500\n{g} X{:.6} Y{:.6} R{:.6}\nM5\nM2", head("G21"), a.0, a.1, b.0, b.1, signed),
            format!("{}G0 X{:.6} Y{:.6}\nG91\nM3 S500\n{g} X{:.6} Y{:.6} R{:.6}\nM5\nM2", head("G21"), a.0, a.1, b.0 - a.0, b.1 - a.1, signed),
            format!("{}G0 X{:.8} Y{:.8}\nM3 S500\n{g} X{:.8} Y{:.8} I{:.8} J{:.8}\nM5\nM2", head("G20"), inch(a.0), inch(a.1), inch(b.0), inch(b.1), inch(cx - a.0), inch(cy - a.1)),
        ];
        let length = |program: &String| -> f64 {
            let actions = interpret(program).expect("it reads");
            actions.iter().map(|m| if let Action::Move { path, power, .. } = m { if *power > 0.0 { path.length() } else { 0.0 } } else { 0.0 }).sum()
        };
        for program in &programs {
            prop_assert!((length(program) - r * sweep).abs() < 0.02 + r * 1e-3, "{} for {}: {program}", length(program), r * sweep);
        }
    }
}

#[test]
fn arcs_that_cannot_be_are_told() {
    for (arc, says) in [("G3 X10 Y0 R2", "does not reach"), ("G3 X0 Y0 R5", "centre cannot be told"), ("G3 X10 Y0 I1 J1", "centre is")] {
        let told = interpret(&format!("G21 G90\nM5 S0\nF100\nG0 X0 Y0\n{arc}\nM2")).expect_err(arc);
        assert!(told.to_string().contains(says), "{arc}: {told}");
    }
}
