//! Nest by hand: several at once, pushed, held while the rest is nested, repeated, lifted off, and two nests compared.

use crate::batches::written;
use crate::harness::{Browser, Hand, Shop};
use serde_json::Value;

/// Names of the copies with the lower left of their boxes, on the first sheet.
async fn copies(hand: &Hand<'_>) -> Vec<(String, f64, f64)> {
    let script = "(() => { const s = document.querySelector('#stage').stage.scene, g = s.sheets[0].sheet; return g.copies.map(c => [c.id, g.x + s.box(c)[0], g.y + s.box(c)[1]]) })()";
    let all = hand.value(script).await;
    let one = |v: &Value| Some((v[0].as_str()?.to_owned(), v[1].as_f64()?, v[2].as_f64()?));
    all.as_array().into_iter().flatten().filter_map(one).collect()
}

fn place(all: &[(String, f64, f64)], id: &str) -> (f64, f64) {
    all.iter().find(|c| c.0 == id).map_or_else(|| panic!("{id} in {all:?}"), |c| (c.1, c.2))
}

#[tokio::test(flavor = "multi_thread")]
async fn copies_are_pushed_held_repeated_and_lifted_off() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plates = written(shop.data.path(), "plates.dxf", &[(0.0, 0.0, 80.0, 40.0), (100.0, 0.0, 50.0, 50.0)]);
    hand.job_with("Plates", &[plates]).await;
    hand.station("4", "nest").await;
    hand.nest().await;
    let begun = copies(&hand).await;
    let (a, b) = (begun[0].0.clone(), begun[1].0.clone());
    // Both at once, by Shift: they move together.
    hand.stage_click(begun[0].1 + 8.0, begun[0].2 + 8.0, false).await;
    hand.stage_click(begun[1].1 + 8.0, begun[1].2 + 8.0, true).await;
    hand.until("two are chosen", "document.querySelector('#card .what')?.textContent.includes('2 copies')").await;
    hand.change("the carry", hand.stage_drag((begun[0].1 + 8.0, begun[0].2 + 8.0), (begun[0].1 + 158.0, begun[0].2 + 108.0))).await;
    let moved = copies(&hand).await;
    for id in [&a, &b] {
        let (was, is) = (place(&begun, id), place(&moved, id));
        assert!((is.0 - was.0 - 150.0).abs() < 1.0 && (is.1 - was.1 - 100.0).abs() < 1.0, "{was:?} to {is:?}");
    }
    hand.shoot("nest-hands").await;
    // One alone, pushed left until it touches: the margin, or the other.
    hand.press("\u{e00c}").await;
    let (x, y) = place(&moved, &a);
    hand.stage_click(x + 300.0, y + 100.0, false).await;
    hand.stage_click(x + 8.0, y + 8.0, false).await;
    hand.until("one is chosen", "document.querySelector('#card .what')?.textContent.includes('this copy')").await;
    hand.change("the push", hand.click("#card [data-way='-1,0']")).await;
    let pushed = place(&copies(&hand).await, &a);
    assert!(pushed.0 < x - 5.0 && (pushed.1 - y).abs() < 0.01, "{x} to {pushed:?}");
    assert!(hand.open_findings().await.iter().all(|c| c != "nest-overlap"), "{:?}", hand.open_findings().await);
    // It is held; the rest is nested round it, and it stays.
    hand.change("held", hand.click("#card [data-hand=hold]")).await;
    hand.until("it is shown held", "document.querySelector('#stage').stage.scene.sheets[0].sheet.copies.some(c => c.held)").await;
    hand.change("three of each", hand.fill(".parts.list tr:nth-child(1) input[name=value]", "3")).await;
    hand.nest().await;
    let nested = copies(&hand).await;
    assert_eq!(nested.len(), 4);
    let is = place(&nested, &a);
    assert!((is.0 - pushed.0).abs() < 0.01 && (is.1 - pushed.1).abs() < 0.01, "held: {pushed:?} and {is:?}");
    // Rows and columns of the other part, in the open; the quantity follows.
    let (bx, by) = place(&nested, &b);
    hand.stage_click(bx + 8.0, by + 8.0, false).await;
    hand.change("into the open", hand.stage_drag((bx + 8.0, by + 8.0), (308.0, 208.0))).await;
    hand.click("#card .repeat summary").await;
    hand.fill("#card [name=columns]", "3").await;
    hand.fill("#card [name=rows]", "2").await;
    hand.change("the pattern", hand.click("#card [data-hand=repeat]")).await;
    assert_eq!(copies(&hand).await.len(), 9);
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    // One is lifted off: it waits for a place, and is told.
    let last = copies(&hand).await.last().cloned().expect("copies");
    hand.stage_click(last.1 + 8.0, last.2 + 8.0, false).await;
    hand.change("lifted", hand.click("#card [data-hand=lift]")).await;
    assert_eq!(copies(&hand).await.len(), 8);
    assert!(hand.open_findings().await.contains(&"lifted-off".to_owned()), "{:?}", hand.open_findings().await);
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn two_nests_are_compared_and_either_is_kept() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plates = written(shop.data.path(), "plates.dxf", &[(0.0, 0.0, 180.0, 140.0), (200.0, 0.0, 150.0, 150.0)]);
    hand.job_with("Plates", &[plates]).await;
    hand.station("4", "nest").await;
    hand.change("smaller sheets", hand.fill("input[aria-describedby=sheet-hint]", "200x200")).await;
    hand.nest().await;
    assert_eq!(hand.text("[data-figure=sheets] .value").await, "2");
    hand.change("set aside", hand.click("button[value=set]")).await;
    hand.change("larger sheets", hand.fill("input[aria-describedby=sheet-hint]", "600x400")).await;
    hand.nest().await;
    assert!(
        hand.text("#compare").await.contains('2') && hand.text("#compare .change").await.starts_with('−'),
        "{}",
        hand.text("#compare").await
    );
    hand.shoot("nest-compare").await;
    hand.change("the other", hand.click("button[value=swap]")).await;
    assert_eq!(hand.text("[data-figure=sheets] .value").await, "2");
    hand.change("and back", hand.press_ctrl('z')).await;
    assert_eq!(hand.text("[data-figure=sheets] .value").await, "1");
    hand.change("given up", hand.click("button[value=drop]")).await;
    assert_eq!(hand.value("document.querySelector('#compare')").await, Value::Null);
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn neighbours_share_their_cuts_and_the_program_is_proved() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plates = written(shop.data.path(), "tile.dxf", &[(0.0, 0.0, 60.0, 60.0)]);
    hand.job_with("Tiles", &[plates]).await;
    hand.station("4", "nest").await;
    hand.change("twelve", hand.fill(".parts.list input[name=value]", "12")).await;
    hand.nest().await;
    let apart = hand.text("[data-figure=cut] .value").await;
    hand.change("common edges", hand.click("form:has([value=common]) input[type=checkbox]")).await;
    hand.nest().await;
    assert!(hand.text("#common-saved").await.contains("saves"), "{}", hand.text("#common-saved").await);
    let metres = |text: &str| text.split_whitespace().next().and_then(|v| v.parse::<f64>().ok()).unwrap_or_else(|| panic!("{text}"));
    let together = hand.text("[data-figure=cut] .value").await;
    assert!(metres(&together) < metres(&apart) * 0.75, "{apart} and {together}");
    hand.shoot("nest-common").await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    hand.station("5", "order").await;
    hand.shoot("order-common").await;
    // A nick on an edge that two tiles have in common, by a click.
    hand.station("6", "hold").await;
    let shared = "(() => { const s = document.querySelector('#stage').stage.scene; \
         const i = s.items.filter(i => i.cut && (i.b[2] - i.b[0] < 0.1 || i.b[3] - i.b[1] < 0.1))[0]; \
         return { n: i.nicks.length, cut: i.cut, at: [i.dx + i.b[0] + (i.b[2] - i.b[0]) * 0.13, i.dy + i.b[1] + (i.b[3] - i.b[1]) * 0.13] } })()";
    let edge = hand.value(shared).await;
    let at = |i: usize| edge["at"][i].as_f64().expect("a place");
    hand.change("a nick on a common edge", hand.stage_click(at(0), at(1), false)).await;
    let same = format!("document.querySelector('#stage').stage.scene.items.find(i => i.cut === {}).nicks.length", edge["cut"]);
    assert_eq!(hand.value(&same).await.as_u64(), edge["n"].as_u64().map(|n| n + 1));
    hand.stage_click(at(0), at(1), true).await;
    hand.change("given back", hand.click("#card form:has([value=common-nicks-back]) button")).await;
    assert_eq!(hand.value(&same).await.as_u64(), edge["n"].as_u64());
    hand.station("7", "proof").await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn parts_of_two_jobs_lie_on_one_sheet_and_each_counts_in_its_own() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let guest = written(shop.data.path(), "lids.dxf", &[(0.0, 0.0, 120.0, 80.0), (130.0, 0.0, 60.0, 60.0)]);
    hand.job_with("Lids", &[guest]).await;
    hand.station("4", "nest").await;
    hand.change("three lids", hand.fill(".parts.list tr:nth-child(1) input[name=value]", "3")).await;
    let host = written(shop.data.path(), "floors.dxf", &[(0.0, 0.0, 200.0, 140.0)]);
    hand.job_with("Floors", &[host]).await;
    hand.station("4", "nest").await;
    hand.click("#ask-guests").await;
    hand.until("the offer", "/Lids/.test(document.querySelector('#guests').innerText)").await;
    hand.change("taken in", hand.click("#guests .remedy")).await;
    let list = hand.text(".parts.list").await;
    assert!(list.matches("Lids").count() == 2, "{list}");
    hand.nest().await;
    assert_eq!(copies(&hand).await.len(), 5, "a floor, three lids and a square");
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    hand.shoot("nest-guests").await;
    // Their own job says where they lie, and has nothing left to nest.
    hand.go("/jobs/1/nest").await;
    hand.drawn().await;
    let places = hand.text(".parts.list .elsewhere").await;
    assert_eq!(places, "3 in “Floors”");
    // Run there, they are made here.
    hand.run_of(2).await;
    hand.go("/jobs/1/nest").await;
    hand.until(
        "they are made",
        "/3 in “Floors”, 3 made/.test(document.querySelector('.parts.list .elsewhere').innerText) || (location.reload(), false)",
    )
    .await;
    // The host gives one up: both are told, and there is a way on.
    hand.go("/jobs/2/intake").await;
    hand.drawn().await;
    hand.change("undone", hand.press_ctrl('z')).await;
    hand.change("undone", hand.press_ctrl('z')).await;
    hand.change("undone", hand.press_ctrl('z')).await;
    hand.go("/jobs/1/nest").await;
    hand.drawn().await;
    assert!(hand.open_findings().await.contains(&"elsewhere-gone".to_owned()), "{:?}", hand.open_findings().await);
    for _ in 0..2 {
        hand.change("made here", hand.click("[data-code=elsewhere-gone] .remedy")).await;
    }
    assert!(!hand.open_findings().await.contains(&"elsewhere-gone".to_owned()), "{:?}", hand.open_findings().await);
    browser.shut().await;
}
