//! Copies laid by a hand that knows nothing of what it may: whatever it does, no copy lies on another, beside its sheet or as it may
//! not be turned, and the job is the same when it is loaded again. The sums are the test's own, of rectangles alone.

use crate::client::Shop;
use serde_json::Value;

/// Plates of these sizes side by side, mm.
fn plates(sizes: &[(f64, f64)]) -> String {
    let mut x = 0.0;
    let mut out = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n".to_owned();
    for (w, h) in sizes {
        out.push_str("0\nLWPOLYLINE\n8\n0\n90\n4\n70\n1\n");
        for (px, py) in [(x, 0.0), (x + w, 0.0), (x + w, *h), (x, *h)] {
            out.push_str(&format!("10\n{px}\n20\n{py}\n"));
        }
        x += w + 20.0;
    }
    out + "0\nENDSEC\n0\nEOF\n"
}

/// A copy: its name, its pose, and the box that its corners come to, mm of its sheet.
#[derive(Clone, Debug, PartialEq)]
struct Copy {
    name: String,
    sheet: usize,
    pose: [f64; 6],
    low: [f64; 2],
    high: [f64; 2],
}

/// All copies, and the sheets' sizes.
fn lying(shop: &Shop, job: u32) -> (Vec<Copy>, Vec<(f64, f64)>) {
    let stage: Value = serde_json::from_str(&shop.get(&format!("/jobs/{job}/stage/nest?batch=1")).text()).expect("a stage");
    let figures = |v: &Value| -> Vec<f64> { v.as_array().into_iter().flatten().filter_map(Value::as_f64).collect() };
    let outlines: Vec<Vec<f64>> = stage["parts"].as_array().expect("parts").iter().map(|p| figures(&p["outline"])).collect();
    let sheets = stage["sheets"].as_array().expect("sheets");
    let copy = |sheet: usize, c: &Value| {
        let pose: [f64; 6] = figures(&c["pose"]).try_into().expect("a pose");
        let outline = &outlines[c["part"].as_u64().expect("a part") as usize];
        let corners = outline.chunks(3).map(|p| [pose[0] * p[0] + pose[2] * p[1] + pose[4], pose[1] * p[0] + pose[3] * p[1] + pose[5]]);
        let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
        for corner in corners {
            for k in 0..2 {
                low[k] = low[k].min(corner[k]);
                high[k] = high[k].max(corner[k]);
            }
        }
        Copy { name: c["id"].as_str().expect("a name").into(), sheet, pose, low, high }
    };
    let copies = sheets.iter().enumerate().flat_map(|(n, s)| s["copies"].as_array().into_iter().flatten().map(move |c| (n, c)));
    let copies = copies.map(|(n, c)| copy(n, c)).collect();
    (copies, sheets.iter().map(|s| (s["w"].as_f64().expect("w"), s["h"].as_f64().expect("h"))).collect())
}

/// What is wrong with how copies lie: on each other, beside the sheet, across the grain, face down.
fn wrong(copies: &[Copy], sheets: &[(f64, f64)]) -> Option<String> {
    const SPACING: f64 = 1.99;
    for (k, a) in copies.iter().enumerate() {
        let (w, h) = sheets[a.sheet];
        if a.low.iter().any(|v| *v < 4.99) || a.high[0] > w - 4.99 || a.high[1] > h - 4.99 {
            return Some(format!("{a:?} lies beside its sheet"));
        }
        let [p, q, r, s, ..] = a.pose;
        if q.abs() > 1e-6 || p * s - q * r < 0.0 {
            return Some(format!("{a:?} lies as it may not"));
        }
        let near = |b: &&Copy| {
            let gap = |k: usize| (a.low[k] - b.high[k]).max(b.low[k] - a.high[k]);
            b.sheet == a.sheet && gap(0).max(0.0).hypot(gap(1).max(0.0)) < SPACING
        };
        if let Some(b) = copies[k + 1..].iter().find(near) {
            return Some(format!("{a:?} lies too near to {b:?}"));
        }
    }
    None
}

/// Numbers that look like chance, always the same.
struct Dice(u64);

impl Dice {
    fn below(&mut self, n: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % n.max(1)
    }
    fn between(&mut self, from: f64, to: f64) -> f64 {
        from + self.below(10_000) as f64 / 10_000.0 * (to - from)
    }
}

#[test]
fn whatever_a_hand_does_nothing_lies_where_it_may_not() {
    let mut shop = Shop::open(&[]);
    let job = shop.job("Plates");
    assert_eq!(
        shop.upload(&format!("/jobs/{job}/drawings"), &[("plates.dxf", plates(&[(70.0, 40.0), (30.0, 55.0)]).as_bytes())]).status,
        204
    );
    let edit = |what: &str, on: &str, value: &str| {
        let revision = shop.revision(job).to_string();
        let fields = [("revision", revision.as_str()), ("station", "nest"), ("batch", "1"), ("do", what), ("on", on), ("value", value)];
        let answer = shop.post(&format!("/jobs/{job}/edit"), &fields);
        assert_eq!(answer.status, 200, "{what}: {}", answer.sentence());
    };
    edit("grain", "", "along");
    edit("sheet", "", "200x110");
    let page = shop.get(&format!("/jobs/{job}/nest")).text();
    for part in page.split("data-quantity=\"").skip(1).filter_map(|t| t.split('"').next()) {
        edit("quantity", part, "6");
    }
    assert_eq!(shop.post(&format!("/jobs/{job}/search/start"), &[("batch", "1"), ("seconds", "1")]).status, 204);
    crate::nested::until("it is laid", || shop.get(&format!("/jobs/{job}/nest")).text().contains("data-has-layout=\"true\""));
    let (begun, sheets) = lying(&shop, job);
    assert!(sheets.len() > 1 && begun.len() == 12 && wrong(&begun, &sheets).is_none(), "{begun:?}");
    let mut dice = Dice(20_231);
    let (mut done, mut refused, mut depth) = (0, 0, 0);
    for step in 0..200 {
        let (copies, sheets) = lying(&shop, job);
        let some: Vec<&Copy> = (0..1 + dice.below(4)).map(|_| &copies[dice.below(copies.len())]).collect();
        let mut names: Vec<&str> = some.iter().map(|c| c.name.as_str()).collect();
        names.dedup();
        let mine: Vec<&Copy> = names.iter().filter_map(|n| copies.iter().find(|c| c.name == *n)).collect();
        let (dx, dy) = (dice.between(-90.0, 90.0), dice.between(-70.0, 70.0));
        let turn = [0.0, 0.0, 0.0, 90.0, 180.0, 37.0][dice.below(6)];
        let flipped = dice.below(8) == 0;
        let other = dice.below(sheets.len() + 1);
        let places: Vec<String> = mine
            .iter()
            .map(|c| {
                format!(
                    "{},{},{turn},{},{}",
                    c.pose[4] + dx,
                    c.pose[5] + dy,
                    u8::from(flipped),
                    if dice.below(3) == 0 { other } else { c.sheet }
                )
            })
            .collect();
        let (copies_field, to) = (names.join(","), places.join(";"));
        let revision = shop.revision(job).to_string();
        let way = ["1,0", "-1,0", "0,1", "0,-1"][dice.below(4)];
        let align = ["left", "right", "top", "bottom", "upright", "level", "across", "up"][dice.below(8)];
        let deed = ["lay", "lay", "lay", "push", "line", "double", "more", "sheet", "lift", "undo"][dice.below(10)];
        let answer = if deed == "undo" {
            if depth == 0 {
                continue;
            }
            shop.post(&format!("/jobs/{job}/undo"), &[("revision", &revision), ("station", "nest")])
        } else if deed == "lift" && copies.len() < 8 {
            continue;
        } else {
            let fields = [
                ("revision", revision.as_str()),
                ("batch", "1"),
                ("do", deed),
                ("copies", &copies_field),
                ("to", &to),
                ("way", way),
                ("align", align),
            ];
            shop.post(&format!("/jobs/{job}/copies"), &fields)
        };
        match answer.status {
            200 => {
                done += 1;
                depth = if deed == "undo" { depth - 1 } else { depth + 1 };
            }
            422 => refused += 1,
            other => panic!("step {step}, {deed}: {other} {}", answer.sentence()),
        }
        let (now, sheets) = lying(&shop, job);
        assert_eq!(wrong(&now, &sheets), None, "step {step}, {deed} of {copies_field} to {to}");
        if answer.status == 422 {
            assert_eq!(now, copies, "step {step}: what is refused changes nothing");
        }
    }
    assert!(done > 60 && refused > 20, "{done} done, {refused} refused");
    // A part of the list, dropped on a sheet by its middle: its copies need not lie anywhere.
    let (copies, _) = lying(&shop, job);
    let part = copies[0].name.split('-').next().expect("its part").to_owned();
    let all: Vec<&str> = copies.iter().filter(|c| c.name.starts_with(&part)).map(|c| c.name.as_str()).collect();
    let now = || shop.revision(job).to_string();
    let lifted =
        shop.post(&format!("/jobs/{job}/copies"), &[("revision", &now()), ("batch", "1"), ("do", "lift"), ("copies", &all.join(","))]);
    assert_eq!(lifted.status, 200, "{}", lifted.sentence());
    let name = format!("{part}-1");
    let drop =
        [("revision", &*now()), ("batch", "1"), ("do", "drop"), ("copies", &name), ("to", "100,55,0,0,0")].map(|(k, v)| (k, v.to_owned()));
    let fields: Vec<(&str, &str)> = drop.iter().map(|(k, v)| (*k, v.as_str())).collect();
    let answer = shop.post(&format!("/jobs/{job}/copies"), &fields);
    let (copies, sheets) = lying(&shop, job);
    assert!(matches!(answer.status, 200 | 422), "{}", answer.sentence());
    assert_eq!((wrong(&copies, &sheets), copies.iter().any(|c| c.name.starts_with(&part))), (None, answer.status == 200));
    // The same when the shop is opened again.
    let last = lying(&shop, job).0;
    let findings = shop.get(&format!("/jobs/{job}/nest")).text().matches("class=\"finding").count();
    shop.reopen();
    assert_eq!(lying(&shop, job).0, last);
    assert_eq!(shop.get(&format!("/jobs/{job}/nest")).text().matches("class=\"finding").count(), findings);
}
