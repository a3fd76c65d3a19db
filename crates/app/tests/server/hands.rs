//! Many hands on one thing: nothing accepted is lost, nothing is overwritten unseen, and one bad value harms one job.

use crate::client::{Shop, demo, field};

/// The chart's row of birch 3 mm, cut, as a form.
fn row<'a>(power: &'a str, revision: &'a str) -> Vec<(&'a str, &'a str)> {
    vec![
        ("machine", "lark"),
        ("material", "birch-ply"),
        ("thickness", "3"),
        ("process", "cut"),
        ("feed", "1200"),
        ("power", power),
        ("passes", "1"),
        ("kerf", "0.18"),
        ("air", "on"),
        ("person", "Odile Farrant"),
        ("revision", revision),
    ]
}

#[test]
fn the_shops_book_loses_no_change() {
    let shop = Shop::open(&[]);
    let refused: usize = std::thread::scope(|scope| {
        let writers: Vec<_> = (0..4)
            .map(|w| {
                let shop = &shop;
                scope.spawn(move || {
                    (0..15)
                        .filter(|i| {
                            let thickness = format!("{}.{:02}", 10 + w, i * 6);
                            let new = [
                                ("machine", "lark"),
                                ("material", "acrylic"),
                                ("thickness", thickness.as_str()),
                                ("process", "cut"),
                                ("feed", "300"),
                                ("power", "80"),
                                ("kerf", "0.3"),
                            ];
                            shop.post("/shop/charts", &new).status != 303
                        })
                        .count()
                })
            })
            .collect();
        writers.into_iter().map(|w| w.join().expect("answers")).sum()
    });
    assert_eq!(refused, 0);
    let csv = shop.get("/shop/charts.csv").text();
    let written = csv
        .lines()
        .filter(|l| {
            l.contains("acrylic")
                && ["10.", "11.", "12.", "13.", ",10,", ",11,", ",12,", ",13,", "10;", "11;", "12;", "13;"].iter().any(|t| l.contains(t))
        })
        .count();
    assert!(written >= 60, "{written} of 60 rows are there:\n{csv}");
    // A form that is stale is told, with both; nothing is overwritten until somebody says so.
    let page = shop.get("/shop/charts").text();
    let of =
        "value=\"birch-ply\"><input type=\"hidden\" name=\"thickness\" value=\"3\"><input type=\"hidden\" name=\"process\" value=\"cut\"";
    let before = page.find(of).expect("the row");
    let form = page[..before].rfind("name=\"revision\"").expect("its revision");
    let revision = page[form..].split("value=\"").nth(1).and_then(|t| t.split('"').next()).expect("a number").to_owned();
    assert_eq!(shop.post("/shop/charts", &row("90", &revision)).status, 303);
    let stale = shop.post("/shop/charts", &row("40", &revision));
    assert!(stale.status == 409 && stale.text().contains("90") && stale.text().contains("40"), "{} {}", stale.status, stale.text());
    let now = field(&stale.text(), "action=\"/shop/charts\"", "revision");
    assert_eq!(shop.post("/shop/charts", &row("40", &now)).status, 303, "said again it is written");
}

#[test]
fn uploads_to_one_job_wait_for_each_other() {
    let shop = Shop::open(&[]);
    let job = shop.job("Many");
    let guard = demo("mouse-guard.dxf");
    std::thread::scope(|scope| {
        for i in 0..12 {
            let (shop, guard) = (&shop, &guard);
            scope.spawn(move || {
                let answer = shop.upload(&format!("/jobs/{job}/drawings"), &[(&format!("guard-{i}.dxf"), guard)]);
                assert_eq!(answer.status, 204, "{}", answer.sentence());
            });
        }
    });
    let page = shop.get(&format!("/jobs/{job}/intake")).text();
    assert!((0..12).all(|i| page.contains(&format!("guard-{i}.dxf"))));
}

#[test]
fn a_stale_undo_takes_nothing_back() {
    let shop = Shop::open(&[]);
    let job = shop.job("Guards");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    let shown = shop.revision(job).to_string();
    let edit = |value: &str| {
        shop.post(
            &format!("/jobs/{job}/edit"),
            &[("revision", &shop.revision(job).to_string()), ("station", "nest"), ("do", "spacing"), ("value", value)],
        )
        .status
    };
    assert_eq!(edit("5"), 200);
    let stale = shop.post(&format!("/jobs/{job}/undo"), &[("revision", &shown), ("station", "nest")]);
    assert!(stale.status == 409 && stale.sentence().contains("Spacing"), "{} {}", stale.status, stale.text());
    assert_eq!(shop.post(&format!("/jobs/{job}/undo"), &[("revision", &shop.revision(job).to_string()), ("station", "nest")]).status, 200);
    assert_eq!(shop.revision(job).to_string(), shown);
}

#[test]
fn one_bad_value_is_refused_and_harms_nobody() {
    let shop = Shop::open(&[]);
    let job = shop.job("Guards");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    let card = [("machine", "lark"), ("material", "birch-ply"), ("thickness", "-1"), ("process", "cut")];
    assert_eq!(shop.post("/shop/cards", &card).status, 422);
    let layout = r#"{"do":"keep-layout","layout":{"sheets":[{"sheet":{"width":1e308,"height":1e308},"placed":[{"part":"0000000000000001","x":1e308,"y":-1e308,"angle":1e308,"mirrored":false}]}],"unplaced":{}}}"#;
    let revision = shop.revision(job).to_string();
    for edit in [
        layout,
        r#"{"do":"propose-row","row":{"machine":"lark","material":"birch-ply","thickness":-1,"process":"cut","feed":1e400,"power":5,"passes":1,"kerf":0.1,"pitch":0,"pierce":0,"air":true}}"#,
        r#"{"do":"propose-row","row":{"machine":"lark","material":"birch-ply","thickness":3,"process":"cut","feed":-5,"power":5000,"passes":0,"kerf":-1,"pitch":0,"pierce":0,"air":true}}"#,
        r#"{"do":"set-spacing","spacing":1e308}"#,
        r#"{"do":"set-card","card":{"grid":{"process":"cut","feeds":[0],"powers":[-1]}}}"#,
    ] {
        let answer = shop.post(&format!("/jobs/{job}/edit"), &[("revision", &revision), ("station", "nest"), ("edit", edit)]);
        assert!(answer.status == 422 && !answer.sentence().is_empty(), "{edit}: {} {}", answer.status, answer.sentence());
    }
    for path in ["/", "/shop/rules", "/shop/charts", &format!("/jobs/{job}/nest")] {
        assert_eq!(shop.get(path).status, 200, "{path}");
    }
}

#[test]
fn a_job_that_cannot_be_read_stops_itself_alone() {
    use diesel::prelude::*;
    let shop = Shop::open(&[]);
    let (bad, good) = (shop.job("Bad"), shop.job("Good"));
    assert_eq!(shop.upload(&format!("/jobs/{bad}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    let head = shop.revision(bad);
    let mut db = SqliteConnection::establish(&shop.data.path().join("shop.sqlite").to_string_lossy()).expect("the data");
    diesel::sql_query(format!("UPDATE revisions SET decisions = '{{\"batch\":{{\"machine\":\"lark\",\"material\":\"card\",\"thickness\":null}}}}' WHERE id = {head}")).execute(&mut db).expect("written");
    assert_eq!(shop.get("/").status, 200);
    assert_eq!(shop.get(&format!("/jobs/{good}/intake")).status, 200);
    let page = shop.get(&format!("/jobs/{bad}/intake"));
    assert!(page.status == 500 && page.sentence().contains("its last revision is not understood"), "{}", page.text());
    assert_eq!(shop.post(&format!("/jobs/{bad}/back"), &[("revision", &head.to_string())]).status, 303);
    assert_eq!(shop.get(&format!("/jobs/{bad}/intake")).status, 200);
}

/// A place on a bed is the machine, whatever it is called: renamed, what lies there still lies there for Nest.
#[test]
fn what_lies_on_a_bed_lies_there_under_its_new_name() {
    let shop = Shop::open(&[]);
    let rings = [("rings", "[[[20,30],[220,30],[220,180],[20,180]]]"), ("material", "birch-ply"), ("thickness", "3")];
    assert_eq!(shop.post("/bed/lark/keep", &rings).status, 303);
    let names = [
        "bed_width",
        "bed_height",
        "feed_limit",
        "rapid",
        "acceleration",
        "junction",
        "power_limit",
        "lift",
        "change",
        "row_turn",
        "slat_pitch",
        "hourly",
        "spacing",
        "margin",
        "spot",
        "revision",
    ];
    let form = "action=\"/shop/machines/lark\"";
    let renamed = |name: &str| {
        let page = shop.get("/shop/machines").text();
        let known: Vec<(&str, String)> = names.iter().map(|n| (*n, field(&page, form, n))).collect();
        let mut fields: Vec<(&str, &str)> = known.iter().map(|(n, v)| (*n, v.as_str())).collect();
        fields.push(("name", name));
        let answer = shop.post("/shop/machines/lark", &fields);
        assert_eq!(answer.status, 303, "{}", answer.sentence());
        let rack = shop.get("/shop/rack").text();
        assert!(rack.contains(&format!("on the bed of {name}")), "{rack}");
        rack
    };
    let rack = renamed("Meadow pipit");
    // Changed on the rack by somebody who left its place as it was shown, it stays there too.
    let id = rack.split("action=\"/shop/rack/").nth(1).and_then(|t| t.split('"').next()).expect("its form");
    let path = format!("/shop/rack/{id}");
    let (there, saw) = (field(&rack, &path, "there"), field(&rack, &path, "saw"));
    let changed = [("there", there.as_str()), ("saw", &saw), ("price", "4"), ("place", "on the bed of Meadow pipit"), ("what", "keep")];
    assert_eq!(shop.post(&path, &changed).status, 303);
    let rack = renamed("Wheatear");
    assert!(!rack.contains("Meadow"), "{rack}");
}
