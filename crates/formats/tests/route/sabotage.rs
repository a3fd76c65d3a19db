//! Programs that were changed at the machine: whatever does other work is told with its line and its figures, or refused; whatever
//! does the same work passes. What the work is, is reckoned here by a reader of its own.

mod changed;

use crate::job::Job;
use boustrophe_core::decisions::{AssignEdit, Edit, IntakeEdit, Process, Stock};
use boustrophe_core::proof::{Difference, differences};
use boustrophe_core::route::Route;
use boustrophe_core::shop::Shop;
use boustrophe_formats::bitmap;
use std::sync::LazyLock;

const SVG: &str = r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="150mm" viewBox="0 0 200 150">"#;

/// A job that is laid, with what is sent for its first sheet.
struct Sent {
    shop: Shop,
    route: Route,
    lines: Vec<String>,
}

impl Sent {
    fn of(mut job: Job) -> Self {
        job.nest(1, 1);
        let route = job.settled();
        assert!(route.released(), "{:?}", route.findings.iter().map(|f| &f.text).collect::<Vec<_>>());
        let lines = job.text(&route, 0).lines().map(str::to_owned).collect();
        Self { shop: job.shop, route, lines }
    }
    /// What is told of a program; nothing where it does the work, an error where it is refused.
    fn told(&self, lines: &[String]) -> Result<Vec<Difference>, String> {
        let meant = self.route.first().meant(0, &self.shop).expect("it was worked out");
        differences(&(lines.join("\n") + "\n"), &meant).map(|d| d.1).map_err(|e| e.to_string())
    }
}

fn plates(machine: &str, material: &str, thickness: f64) -> Job {
    let body = r#"<g fill="none" stroke="red"><path d="M10 10h80v60h-80z"/><circle cx="40" cy="40" r="14"/><path d="M100 10h60v40h-40a20 20 0 0 1 -20 -20z"/></g><path fill="none" stroke="blue" d="M62 30h20"/></svg>"#;
    let stock = Stock { machine: machine.into(), material: material.into(), thickness };
    Job::of(&[("plates.svg", format!("{SVG}{body}").into_bytes())], stock)
}

fn only_line(job: &Job) -> boustrophe_core::clean::ContourId {
    job.route().work.items.iter().find(|i| !i.contour.path.closed).expect("the line").contour.id
}

/// A laser that cuts, scores and engraves.
static LASER: LazyLock<Sent> = LazyLock::new(|| {
    let body = r#"<g fill="none" stroke="red"><path d="M10 10h80v60h-80z"/><circle cx="40" cy="40" r="14"/></g><path fill="none" stroke="blue" d="M62 30h20"/><path d="M62 44h16v4h-16z" fill="black"/></svg>"#;
    let mut job = Job::of(&[("plate.svg", format!("{SVG}{body}").into_bytes())], Stock::default());
    let route = job.route();
    let filled = route.work.items.iter().find(|i| i.contour.style.fill.is_some()).expect("the area").contour.id;
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: vec![filled], process: Some(Process::Engrave) }));
    Sent::of(job)
});
static TORCH: LazyLock<Sent> = LazyLock::new(|| Sent::of(plates("anvil", "mild-steel", 6.0)));
/// A torch with a tool that marks.
static SCRIBER: LazyLock<Sent> = LazyLock::new(|| {
    let mut job = plates("anvil", "mild-steel", 3.0);
    let line = only_line(&job);
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: vec![line], process: Some(Process::Mark) }));
    Sent::of(job)
});
static PICTURE: LazyLock<Sent> = LazyLock::new(|| {
    let side = 48;
    let rgba = (0..side * side).flat_map(|i| [(i % side * 5) as u8, (i % side * 5) as u8, (i % side * 5) as u8, 255]).collect();
    let png = bitmap::write_png(side, side, rgba).expect("a picture");
    let mut job = Job::of(&[("grey.png", png)], Stock::default());
    job.edit(&Edit::Intake(IntakeEdit::SetEngraved { drawing: 1, on: true }));
    job.edit(&Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: 96.0 }));
    Sent::of(job)
});

const JOBS: [(&str, &LazyLock<Sent>); 4] = [("laser", &LASER), ("torch", &TORCH), ("scriber", &SCRIBER), ("picture", &PICTURE)];

/// Numbers of the lines that are so, from 0.
fn where_so(lines: &[String], so: impl Fn(&str) -> bool) -> Vec<usize> {
    (0..lines.len()).filter(|i| so(&lines[*i])).collect()
}

fn is_burn(l: &str) -> bool {
    l.starts_with("G1") || l.starts_with("G2 ") || l.starts_with("G3 ")
}

/// Every word of a letter, changed.
fn words(line: &str, letter: char, change: &dyn Fn(f64) -> f64) -> String {
    if line.starts_with('(') {
        return line.to_owned();
    }
    let mut out = String::new();
    let mut rest = line;
    while let Some(at) = rest.find(letter) {
        let (before, after) = rest.split_at(at + 1);
        out += before;
        let end = after.find(|c: char| !(c.is_ascii_digit() || c == '.' || c == '-')).unwrap_or(after.len());
        match after[..end].parse::<f64>() {
            Ok(v) => out += &format!("{:.4}", change(v)),
            Err(_) => out += &after[..end],
        }
        rest = &after[end..];
    }
    out + rest
}

type Change = Box<dyn Fn(&[String]) -> Option<Vec<String>>>;

/// A change at one of the lines that are so: the n-th, counted as a share of all of them.
fn at(share: f64, so: fn(&str) -> bool, change: impl Fn(&mut Vec<String>, usize) + 'static) -> Change {
    Box::new(move |lines| {
        let all = where_so(lines, so);
        let i = *all.get((share * all.len() as f64) as usize)?;
        let mut out = lines.to_vec();
        change(&mut out, i);
        (out != lines).then_some(out)
    })
}

fn all(change: impl Fn(&str) -> String + 'static) -> Change {
    Box::new(move |lines| {
        let out: Vec<String> = lines.iter().map(|l| change(l)).collect();
        (out != lines).then_some(out)
    })
}

fn without(so: fn(&str) -> bool) -> Change {
    Box::new(move |lines| {
        let out: Vec<String> = lines.iter().filter(|l| !so(l)).cloned().collect();
        (out.len() < lines.len()).then_some(out)
    })
}

fn insert(text: &'static str) -> impl Fn(&mut Vec<String>, usize) {
    move |l, i| l.insert(i, text.into())
}

/// Kinds of sabotage that any program may suffer.
#[allow(clippy::too_many_lines)]
fn sabotage() -> Vec<(&'static str, Change)> {
    let light = |l: &str| l.starts_with("M3");
    let douse = |l: &str| l.starts_with("M5");
    let wait = |l: &str| l.starts_with("G4");
    vec![
        ("a burn is missing", at(0.6, is_burn, |l, i| drop(l.remove(i)))),
        ("another burn is missing", at(0.3, is_burn, |l, i| drop(l.remove(i)))),
        ("a burn ends elsewhere in x", at(0.6, is_burn, |l, i| l[i] = words(&l[i], 'X', &|v| v + 0.7))),
        ("a burn ends elsewhere in y", at(0.6, |l| is_burn(l) && l.contains('Y'), |l, i| l[i] = words(&l[i], 'Y', &|v| v - 0.5))),
        ("all feeds a tenth slower", all(|l| words(l, 'F', &|v| v * 0.9))),
        ("all powers a tenth less", all(|l| words(l, 'S', &|v| v * 0.9))),
        ("all powers over what there is", all(|l| words(l, 'S', &|v| if v > 0.0 { 5000.0 } else { v }))),
        ("a feed that it cannot reach", all(|l| words(l, 'F', &|_| 1e6))),
        ("it is not lit", at(0.5, |l| l.starts_with("M3"), |l, i| drop(l.remove(i)))),
        ("it is not put out", at(0.6, |l| l.starts_with("M5"), |l, i| drop(l.remove(i)))),
        ("it is never put out", without(|l| l.starts_with("M5"))),
        ("no air", without(|l| l.starts_with("M8"))),
        ("the air stays on", without(|l| l.starts_with("M9"))),
        ("no end", without(|l| l == "M2")),
        ("something behind the end", Box::new(|l| Some([l, &["G0 X5 Y5".to_owned()]].concat()))),
        ("a program behind the end", Box::new(|l| Some([l, l].concat()))),
        ("an end in the middle", at(0.5, is_burn, insert("M2"))),
        ("another end in the middle", at(0.5, is_burn, insert("M30"))),
        ("a tape mark in the middle", at(0.5, is_burn, insert("%"))),
        ("inches", all(|l| l.replacen("G21", "G20", 1))),
        ("steps for positions", all(|l| l.replacen("G90 ", "G91 ", 1))),
        ("nothing said of the state", without(|l| l.starts_with("G21"))),
        ("all of it a millimetre aside", all(|l| words(l, 'X', &|v| if v == 0.0 { v } else { v + 1.0 }))),
        ("all of it larger by one in a hundred", all(|l| "XYIJ".chars().fold(l.to_owned(), |l, c| words(&l, c, &|v| v * 1.01)))),
        ("mirrored", all(|l| words(l, 'X', &|v| if v == 0.0 { v } else { 190.0 - v }))),
        ("off the bed", at(0.4, is_burn, insert("G0 X9000 Y20"))),
        ("a word that nobody knows", at(0.4, is_burn, insert("M77"))),
        ("another tool", at(0.0, |l| l.starts_with("M3"), insert("T7 M6"))),
        ("a number that is none", at(0.5, is_burn, |l, i| l[i].push_str("5X1.2.3"))),
        ("a letter twice", at(0.5, is_burn, |l, i| l[i].push_str(" X17"))),
        ("two motions in a line", at(0.5, is_burn, |l, i| l[i] = format!("G0 {}", l[i]))),
        ("a wait and a move in a line", at(0.5, is_burn, |l, i| l[i].push_str(" G4 P0.2"))),
        ("the end and a move in a line", at(0.5, is_burn, |l, i| l[i].push_str(" M2"))),
        ("light and douse in a line", at(0.5, |l| l.starts_with("M3"), |l, i| l[i].push_str(" M5"))),
        ("twenty seconds lit at a cut's end", at(0.7, |l| l.starts_with("M5") && !l.contains('S'), insert("G4 P20"))),
        ("a second lit at the very end", at(0.99, |l| l.starts_with("M5"), insert("G4 P1"))),
        ("it stands in the middle of a burn", at(0.5, is_burn, insert("G4 P0.4"))),
        ("it halts in the middle of a burn", at(0.97, is_burn, insert("M0"))),
        ("a flash where it travels", at(0.8, |l| l.starts_with("G0 X"), |l, i| drop(l.splice(i..i, ["M3 S500", "M5"].map(str::to_owned))))),
        (
            "lit for half a second where it travels",
            at(0.8, |l| l.starts_with("G0 X"), |l, i| drop(l.splice(i..i, ["M3 S500", "G4 P0.5", "M5"].map(str::to_owned)))),
        ),
        (
            "a line across",
            at(
                0.9,
                |l| l.starts_with("G0 X"),
                |l, i| drop(l.splice(i..i, ["G0 X30 Y30", "M3 S500", "G1 X60 Y44 F1000", "M5"].map(str::to_owned))),
            ),
        ),
        ("another word for light", at(0.5, light, |l, i| l[i] = l[i].replacen("M3", "M4", 1))),
        ("another word for air", all(|l| if l == "M8" { "M7".into() } else { l.to_owned() })),
        (
            "a travel while it is lit",
            at(0.6, douse, |l, i| {
                let next = (i + 1).min(l.len() - 1);
                l.swap(i, next);
            }),
        ),
        ("a wait is missing", at(0.4, wait, |l, i| drop(l.remove(i)))),
        ("a wait is twice as long", at(0.4, wait, |l, i| l[i] = words(&l[i], 'P', &|v| v * 2.0 + 0.2))),
        ("every wait is shorter", all(|l| if l.starts_with("G4") { words(l, 'P', &|v| v * 0.4) } else { l.to_owned() })),
        ("a travel burns", at(0.5, |l| l.starts_with("G0 X"), |l, i| l[i] = l[i].replacen("G0", "G1", 1) + " F1000")),
        ("cut off", Box::new(|l| Some(l[..l.len() * 2 / 3].to_vec()))),
        ("cut off, with an end", Box::new(|l| Some([&l[..l.len() * 2 / 3], &["M5".to_owned(), "M9".into(), "M2".into()]].concat()))),
        (
            "the first burn comes last",
            Box::new(|l| {
                let remarks =
                    where_so(l, |l| l.starts_with('(') && l.ends_with(')') && l.as_bytes().get(1).is_some_and(u8::is_ascii_digit));
                let (from, to) = (*remarks.first()?, *remarks.get(1)?);
                let home = l.iter().position(|l| l == "G0 X0 Y0")?;
                let home = (0..home).rev().take_while(|i| !l[*i].starts_with('G')).last().unwrap_or(home);
                Some([&l[..from], &l[to..home], &l[from..to], &l[home..]].concat())
            }),
        ),
        (
            "the last piece of work twice",
            Box::new(|l| {
                let last = *where_so(l, |l| l.starts_with('(') && l.as_bytes().get(1).is_some_and(u8::is_ascii_digit)).last()?;
                let home = l.iter().position(|l| l == "G0 X0 Y0")?;
                let end = (last..home).rev().find(|i| l[*i].starts_with("M5"))? + 1;
                Some([&l[..end], &l[last..end], &l[end..]].concat())
            }),
        ),
        ("nothing at all", Box::new(|_| Some(Vec::new()))),
    ]
}

#[test]
fn a_hundred_and_thirty_kinds_of_sabotage_are_told() {
    let (mut kinds, mut silent) = (0, Vec::new());
    for (on, sent) in JOBS {
        assert_eq!(sent.told(&sent.lines).map(|d| d.len()), Ok(0), "{on}: {:?}", sent.told(&sent.lines));
        for (what, change) in sabotage() {
            let Some(changed) = change(&sent.lines) else { continue };
            // A picture's last row ends with the power at nothing: whether it is doused before or behind the next line is the same.
            if on == "picture" && what == "a travel while it is lit" {
                continue;
            }
            kinds += 1;
            match sent.told(&changed) {
                Ok(found) if found.is_empty() => silent.push(format!("{on}: {what}")),
                Ok(found) => {
                    let whole = found.iter().all(|d| d.line > 0 && d.text.ends_with('.') && d.text.contains(" mm it "));
                    assert!(whole, "{on}: {what}: {found:?}");
                    // Rows of a picture are told one by one, as far as anybody reads.
                    assert!(found.len() < if on == "picture" { 1001 } else { 250 }, "{on}: {what}: {} differences", found.len());
                }
                Err(refused) => assert!(refused.contains("line ") || refused.contains("end"), "{on}: {what}: {refused}"),
            }
        }
    }
    assert!(silent.is_empty() && kinds >= 130, "{kinds} kinds; nothing was told of {silent:#?}");
}

#[test]
fn figures_that_differ_are_told_with_the_ones_that_were_meant() {
    let feed = LASER.lines.iter().find_map(|l| l.split(" F").nth(1)).expect("a feed").to_owned();
    let slow: Vec<String> = LASER.lines.iter().map(|l| l.replace(&format!(" F{feed}"), " F777")).collect();
    let told = LASER.told(&slow).expect("it reads");
    let first = told.iter().find(|d| d.code == "wrong-feed").expect("the feed");
    assert!(first.text.contains(&format!("feed 777, {feed} mm/min were meant")), "{}", first.text);
    assert!(slow[..first.line].iter().any(|l| l.contains("F777")));
}

/// Rewrites after which the machine does the same.
fn harmless() -> Vec<(&'static str, Change)> {
    let numbered = |l: &[String]| Some(l.iter().enumerate().map(|(i, l)| format!("N{} {l}", 10 * i)).collect());
    vec![
        ("small letters", all(|l| if l.starts_with('(') { l.to_owned() } else { l.to_lowercase() })),
        ("a mark of its encoding", Box::new(|l| Some([&[format!("\u{feff}{}", l[0])], &l[1..]].concat()))),
        ("tape marks round it", Box::new(|l| Some([&["%".to_owned()], l, &["%".to_owned()]].concat()))),
        ("numbered lines", Box::new(numbered)),
        ("no remarks", Box::new(|l| Some(l.iter().filter(|l| !l.starts_with('(')).cloned().collect()))),
        ("remarks behind semicolons", all(|l| if l.starts_with('(') { l.to_owned() } else { format!("{l} ; looked at") })),
        ("no blanks", all(|l| if l.starts_with('(') { l.to_owned() } else { l.replace(' ', "") })),
        ("blanks", all(|l| format!("  {l}\t"))),
        ("words that change nothing", Box::new(|l| Some([&["G54 G64 G17 G40 G91.1 G49 G80".to_owned()], l].concat()))),
        ("another end", all(|l| if l == "M2" { "M30".into() } else { l.to_owned() })),
        ("more digits", all(|l| "XYIJ".chars().fold(l.to_owned(), |l, c| words(&l, c, &|v| v)))),
        ("empty lines", Box::new(|l| Some(l.iter().flat_map(|l| [l.clone(), String::new()]).collect()))),
        ("ends of lines as elsewhere", all(|l| format!("{l}\r"))),
    ]
}

#[test]
fn forty_harmless_rewrites_pass() {
    let mut kinds = 0;
    for (on, sent) in JOBS {
        for (what, change) in harmless() {
            let Some(changed) = change(&sent.lines) else { continue };
            kinds += 1;
            let told = sent.told(&changed);
            assert_eq!(told.as_ref().map(Vec::len), Ok(0), "{on}: {what}: {told:?}");
        }
    }
    assert!(kinds >= 40, "{kinds}");
}
