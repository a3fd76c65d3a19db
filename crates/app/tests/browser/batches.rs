//! A job in two batches from its drawings to its programs, and copies carried by hand.

use crate::harness::{Browser, Hand, Shop};
use std::path::{Path, PathBuf};

/// A DXF of rectangles: left, bottom, width, height.
pub fn written(folder: &Path, name: &str, rectangles: &[(f64, f64, f64, f64)]) -> PathBuf {
    let mut body = String::from("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n");
    for (x, y, w, h) in rectangles {
        body += "0\nLWPOLYLINE\n8\n0\n90\n4\n70\n1\n";
        for (px, py) in [(*x, *y), (x + w, *y), (x + w, y + h), (*x, y + h)] {
            body += &format!("10\n{px}\n20\n{py}\n");
        }
    }
    let path = folder.join(name);
    std::fs::write(&path, body + "0\nENDSEC\n0\nEOF\n").expect("written");
    path
}

#[tokio::test(flavor = "multi_thread")]
async fn two_acrylics_go_from_drawings_to_proved_programs() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let folder = shop.data.path();
    let clear = written(folder, "clear.dxf", &[(0.0, 0.0, 100.0, 60.0), (20.0, 20.0, 20.0, 20.0)]);
    let amber = written(folder, "amber.dxf", &[(0.0, 0.0, 120.0, 60.0)]);
    hand.job_with("Windows", &[clear, amber]).await;
    hand.station("3", "assign").await;
    hand.change("clear acrylic", hand.choose(".batch select", "lark/acrylic/3")).await;
    hand.click(".another summary").await;
    hand.choose("#another-batch", "lark/acrylic/5").await;
    hand.change("a second batch", hand.click("#add-batch")).await;
    hand.change("amber's batch", hand.choose("[aria-label='Batch of amber.dxf']", "2")).await;
    hand.shoot("batches-assign").await;

    // Each batch is nested on its own tab.
    hand.station("4", "nest").await;
    let tabs = hand.value("document.querySelectorAll('.batches a').length").await;
    assert_eq!(tabs.as_i64(), Some(2));
    assert!(hand.text(".parts").await.contains("clear") && !hand.text(".parts").await.contains("amber"), "{}", hand.text(".parts").await);
    hand.nest().await;
    hand.click(".batches a:not(.here)").await;
    hand.until("the other batch", "document.querySelector('.parts')?.innerText.includes('amber')").await;
    hand.drawn().await;
    hand.nest().await;
    hand.shoot("batches-nest").await;
    let seconds = |text: String| -> f64 {
        let words: Vec<&str> = text.split_whitespace().collect();
        words.chunks(2).filter_map(|w| Some(w[0].parse::<f64>().ok()? * if w.get(1) == Some(&"min") { 60.0 } else { 1.0 })).sum()
    };
    let each = hand.value("[...document.querySelectorAll('[data-figure=time] .each')].map(e => e.innerText)").await;
    let told = each.to_string();
    let each: Vec<f64> = each
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|t| t.as_str())
        .flat_map(|t| t.split('·').map(str::to_owned))
        .map(seconds)
        .collect();
    let sum = seconds(hand.text("[data-figure=time] .value").await);
    assert!(each.len() == 2 && (each.iter().sum::<f64>() - sum).abs() <= 1.0, "{each:?} ({told}) make {sum}");

    for (key, station) in [("5", "order"), ("6", "hold"), ("7", "proof")] {
        hand.station(key, station).await;
        hand.mend_all().await;
    }
    hand.station("8", "release").await;
    hand.release().await;
    hand.shoot("batches-release").await;
    for sheet in ["1.nc", "2.nc"] {
        let text = hand.value(&format!("await (await fetch(location.pathname.replace('release', 'files/{sheet}'))).text()")).await;
        let text = text.as_str().unwrap_or_default();
        assert!(text.contains("G1") && text.contains(if sheet == "1.nc" { "3 mm" } else { "5 mm" }), "{sheet}: {text}");
    }
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_copy_is_carried_slides_and_comes_back() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plates = written(shop.data.path(), "plates.dxf", &[(0.0, 0.0, 80.0, 40.0), (100.0, 0.0, 50.0, 50.0)]);
    hand.job_with("Plates", &[plates]).await;
    hand.station("4", "nest").await;
    hand.nest().await;
    // Where a copy lies: the lower left of its box on the sheet.
    let ids = hand.value("document.querySelector('#stage').stage.scene.sheets[0].sheet.copies.map(c => c.id)").await;
    let at = async |n: usize| -> (f64, f64) {
        let script = format!(
            "(() => {{ const s = document.querySelector('#stage').stage.scene, [x, y] = s.box(s.sheets[0].sheet.copies.find(c => c.id == {})); return [x, y] }})()",
            ids[n]
        );
        let v = hand.value(&script).await;
        (v[0].as_f64().expect("x"), v[1].as_f64().expect("y"))
    };
    let corner =
        hand.value("(() => { const s = document.querySelector('#stage').stage.scene.sheets[0].sheet; return [s.x, s.y] })()").await;
    let (sx, sy) = (corner[0].as_f64().expect("x"), corner[1].as_f64().expect("y"));
    let before = [at(0).await, at(1).await];

    // Into the open: it lies where it was put.
    let from = (sx + before[0].0 + 10.0, sy + before[0].1 + 10.0);
    hand.change("the carry", hand.stage_drag(from, (from.0 + 191.0, from.1 + 145.0))).await;
    let after = at(0).await;
    assert!((after.0 - before[0].0 - 191.0).abs() < 0.5 && (after.1 - before[0].1 - 145.0).abs() < 0.5, "{before:?} to {after:?}");
    assert_eq!(at(1).await, before[1], "the other stays");
    // By the arrow keys, a millimetre each.
    hand.change("a step", hand.press("\u{e014}")).await;
    let stepped = at(0).await;
    assert!((stepped.0 - after.0 - 1.0).abs() < 0.01 && (stepped.1 - after.1).abs() < 0.01, "{after:?} to {stepped:?}");
    // Typed.
    hand.until("the card", "document.querySelector('#card .copy') !== null").await;
    hand.fill("#card [name=x]", "300").await;
    hand.fill("#card [name=y]", "120").await;
    hand.fill("#card [name=angle]", "90").await;
    hand.change("typed", hand.click("#card .copy button")).await;
    let typed = at(0).await;
    assert!((typed.0 - 300.0).abs() < 0.01 && (typed.1 - 120.0).abs() < 0.01, "{typed:?}");
    hand.shoot("carry").await;
    // Half onto the other: it slides off, and the card says so.
    let from = (sx + typed.0 + 5.0, sy + typed.1 + 5.0);
    let to = (sx + before[1].0 + 30.0, sy + before[1].1 + 25.0);
    // It slides while the hand still moves, and nothing is decided by that.
    let revision = hand.revision().await;
    hand.stage_hold(from, to).await;
    let rests = "document.querySelector('#stage').stage.tools.find(t => t.rests !== undefined).rests?.[0]";
    hand.until("where it would lie", &format!("{rests} !== undefined")).await;
    let would = hand.value(&format!("{rests}[2].slice(4)")).await;
    assert_eq!(hand.revision().await, revision);
    hand.change("onto the other", hand.stage_let_go(to)).await;
    let lies = hand
        .value(&format!("document.querySelector('#stage').stage.scene.sheets[0].sheet.copies.find(c => c.id == {}).pose.slice(4)", ids[0]))
        .await;
    assert_eq!(lies, would, "it lies where it was shown");
    assert!(hand.text("#card").await.contains("slid"), "{}", hand.text("#card").await);
    assert!(hand.open_findings().await.iter().all(|c| c != "nest-overlap"));
    // Off the sheet: refused, and it lies where it was.
    let lies = at(0).await;
    let from = (sx + lies.0 + 5.0, sy + lies.1 + 5.0);
    hand.stage_drag(from, (sx - 400.0, sy - 400.0)).await;
    hand.until("the sentence", "document.querySelector('#notice').innerText.includes('cannot lie there')").await;
    assert_eq!(at(0).await, lies);
    // Each was one step: four undone, and it lies where the nest put it.
    for _ in 0..4 {
        hand.change("undo", hand.press_ctrl('z')).await;
    }
    let back = at(0).await;
    assert!((back.0 - before[0].0).abs() < 1e-6 && (back.1 - before[0].1).abs() < 1e-6, "{back:?}");
    browser.shut().await;
}
