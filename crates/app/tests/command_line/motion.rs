//! The time model against machines that are simulated in other ways: a head pushed along in small steps of time, which
//! knows nothing of the planner, and the simulated controller with its clock.

use crate::{demo, prep};
use boustrophe_core::shop::{Machine, Shop};
use boustrophe_machine::Simulated;
use std::f64::consts::{PI, TAU};

/// One piece of a program: a way, or a wait.
#[derive(Clone, Copy)]
enum Piece {
    Way { length: f64, speed: f64, into: f64, out: f64, radius: f64 },
    Wait(f64),
}

/// Reads a program of ours by its words alone.
fn pieces(program: &str, rapid: f64) -> Vec<Piece> {
    let (mut x, mut y, mut feed, mut motion) = (0.0_f64, 0.0_f64, 0.0, 0);
    let mut out = Vec::new();
    for line in program.lines().map(|l| l.split('(').next().unwrap_or_default()) {
        let mut words: Vec<(char, f64)> = Vec::new();
        let mut rest = line.trim();
        while let Some(letter) = rest.chars().next() {
            let end = rest[1..].find(|c: char| c.is_ascii_uppercase() || c == ' ').map_or(rest.len(), |e| e + 1);
            words.push((letter, rest[1..end].parse().unwrap_or(0.0)));
            rest = rest[end..].trim_start();
        }
        let get = |l: char| words.iter().find(|w| w.0 == l).map(|w| w.1);
        match get('G').map(|g| g as i32) {
            Some(4) => {
                out.push(Piece::Wait(get('P').unwrap_or(0.0)));
                continue;
            }
            Some(g @ 0..=3) => motion = g,
            _ => {}
        }
        feed = get('F').unwrap_or(feed);
        if get('X').is_none() && get('Y').is_none() {
            continue;
        }
        let (nx, ny) = (get('X').unwrap_or(x), get('Y').unwrap_or(y));
        let speed = if motion == 0 { rapid } else { feed } / 60.0;
        if motion < 2 {
            let way = (ny - y).atan2(nx - x);
            out.push(Piece::Way { length: (nx - x).hypot(ny - y), speed, into: way, out: way, radius: f64::INFINITY });
        } else {
            let (cx, cy) = (x + get('I').unwrap_or(0.0), y + get('J').unwrap_or(0.0));
            let (a, b) = ((y - cy).atan2(x - cx), (ny - cy).atan2(nx - cx));
            let turn = if motion == 3 { (b - a).rem_euclid(TAU) } else { (a - b).rem_euclid(TAU) };
            let quarter = if motion == 3 { PI / 2.0 } else { -PI / 2.0 };
            let radius = (x - cx).hypot(y - cy);
            out.push(Piece::Way { length: radius * turn, speed, into: a + quarter, out: b + quarter, radius });
        }
        (x, y) = (nx, ny);
    }
    out
}

/// Seconds that a head takes which is pushed along in steps of a fifth of a millisecond: faster while it can still brake
/// for everything ahead, slower when it cannot.
fn pushed(pieces: &[Piece], machine: &Machine) -> f64 {
    const STEP: f64 = 0.0002;
    let a = machine.acceleration;
    let mut time: f64 = pieces.iter().map(|p| if let Piece::Wait(s) = p { *s } else { 0.0 }).sum();
    // Ways between two waits are one run, from standstill to standstill.
    for run in pieces.split(|p| matches!(p, Piece::Wait(_))) {
        let ways: Vec<(f64, f64, f64, f64)> = run
            .iter()
            .filter_map(|p| {
                if let Piece::Way { length, speed, into, out, radius } = *p {
                    Some((length, speed.min((a * radius).sqrt()), into, out))
                } else {
                    None
                }
            })
            .filter(|w| w.0 > 1e-9)
            .collect();
        // Speed through the corner before each way: that of the circle which touches both and cuts the corner by d.
        let corner = |i: usize| -> f64 {
            if i == 0 || i >= ways.len() {
                return 0.0;
            }
            let turn = ((ways[i].2 - ways[i - 1].3 + PI).rem_euclid(TAU) - PI).abs();
            let cos = (turn / 2.0).cos();
            if cos > 0.999_999 { f64::INFINITY } else { (a * machine.junction * cos / (1.0 - cos)).sqrt() }
                .min(ways[i].1)
                .min(ways[i - 1].1)
        };
        let limits: Vec<f64> = (0..=ways.len()).map(corner).collect();
        let (mut i, mut gone, mut v) = (0, 0.0, 0.0_f64);
        while i < ways.len() {
            // Everything ahead that could be reached before standing still.
            let may = |speed: f64| {
                let mut ahead = ways[i].0 - gone - speed * STEP;
                let mut j = i + 1;
                while ahead < speed * speed / (2.0 * a) {
                    let slowest = limits[j.min(ways.len())].min(ways.get(j).map_or(0.0, |w| w.1));
                    if speed * speed > slowest * slowest + 2.0 * a * ahead.max(0.0) {
                        return false;
                    }
                    if j >= ways.len() {
                        break;
                    }
                    ahead += ways[j].0;
                    j += 1;
                }
                true
            };
            let faster = (v + a * STEP).min(ways[i].1);
            v = if may(faster) {
                faster
            } else if may(v) {
                v
            } else {
                (v - a * STEP).max(a * STEP / 2.0)
            };
            gone += v * STEP;
            time += STEP;
            while i < ways.len() && gone >= ways[i].0 {
                gone -= ways[i].0;
                i += 1;
            }
        }
    }
    time
}

fn compare(files: &[&str], options: &str, machine: &Machine) {
    let paths: Vec<_> = files.iter().map(|f| demo(f)).collect();
    let run = prep(&paths, options);
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let report = run.report();
    for sheet in report["sheets"].as_array().expect("sheets") {
        let program = run.file(sheet["program"].as_str().expect("a name"));
        let told = sheet["seconds"].as_f64().expect("a time");
        let pushed = pushed(&pieces(&program, machine.rapid), machine);
        assert!((told - pushed).abs() < 0.02 * pushed, "{files:?}: {told} s told, {pushed} s pushed along");
        // The controller runs the program on its own clock, tick by tick.
        let controller = Simulated::new(machine.clone(), 1.0, "beeswax");
        let sum = boustrophe_machine::checksum(&program);
        let lines: Vec<&str> = program.lines().collect();
        assert!(controller.answer(&format!("load x {} {sum} 1", lines.len())).starts_with("ok"));
        for (i, line) in lines.iter().enumerate() {
            let answer = controller.answer(&format!("{} {line}", i + 1));
            assert!(answer.starts_with("ok"), "{answer}");
        }
        assert!(controller.answer("end").starts_with("ok") && controller.answer(&format!("start 1 {sum}")).starts_with("ok"));
        let mut clock = 0.0;
        while !controller.answer("status").contains("done") && clock < told * 2.0 {
            controller.pass(0.25);
            clock += 0.25;
        }
        assert!((clock - told).abs() < 0.02 * told + 0.5, "{told} s told, {clock} s on the controller");
    }
}

#[test]
fn engraving_takes_as_long_as_it_is_told() {
    compare(
        &["number-plates.svg"],
        "--nest-seconds 1 --accept --machine lark --material acrylic --thickness 3 --ppi 96",
        &Shop::builtin().machines[0],
    );
}

#[test]
fn cutting_takes_as_long_as_it_is_told() {
    compare(&["queen-excluder.dxf", "frame-bars.dxf"], "--units mm --nest-seconds 1 --accept", &Shop::builtin().machines[0]);
    compare(
        &["stand-gusset.dxf", "mouse-guard.dxf"],
        "--nest-seconds 1 --accept --machine anvil --material mild-steel --thickness 6",
        &Shop::builtin().machines[1],
    );
}

#[test]
fn a_picture_takes_as_long_as_it_is_told_and_its_program_is_read_back() {
    // A picture of its own: greys in steps, in a drawing beside its plate.
    let out = tempfile::tempdir().expect("a folder");
    let svg = out.path().join("plate.svg");
    let picture = std::fs::read(demo("bee.png")).expect("the bee");
    let body = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60"><rect x="1" y="1" width="78" height="58" fill="none" stroke="red"/><image x="20" y="15" width="30" height="24" href="data:image/png;base64,{}"/></svg>"#,
        encoded(&picture)
    );
    std::fs::write(&svg, body).expect("written");
    let run = prep(&[svg], "--nest-seconds 1 --accept");
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let (report, program) = (run.report(), run.file("sheet-01.nc"));
    let machine = &Shop::builtin().machines[0];
    let (told, pushed) = (report["sheets"][0]["seconds"].as_f64().expect("a time"), pushed(&pieces(&program, machine.rapid), machine));
    assert!((told - pushed).abs() < 0.02 * pushed, "{told} s told, {pushed} s pushed along");
    assert!(report["totals"]["engrave_area"].as_f64() > Some(50.0) && program.contains("Picture)"));
    assert!(report["findings"].as_array().expect("findings").iter().all(|f| f["station"] != "proof"), "the program says what was meant");
}

/// Base 64.
fn encoded(bytes: &[u8]) -> String {
    const LETTERS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    bytes
        .chunks(3)
        .flat_map(|c| {
            let bits = u32::from(c[0]) << 16 | u32::from(*c.get(1).unwrap_or(&0)) << 8 | u32::from(*c.get(2).unwrap_or(&0));
            (0..4).map(move |i| if i <= c.len() { char::from(LETTERS[(bits >> (18 - 6 * i) & 63) as usize]) } else { '=' })
        })
        .collect()
}
