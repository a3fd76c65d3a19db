//! Order by hand: clicked, typed, a start carried along its contour, a direction turned, another way over the sheet taken.

use crate::batches::written;
use crate::harness::{Browser, Hand, Shop};

/// The cuts of the first sheet by number: name, where its mark stands on the bench, and the length of its box.
async fn cuts(hand: &Hand<'_>) -> Vec<(String, f64, f64, f64)> {
    let script = "(() => { const s = document.querySelector('#stage').stage.scene; \
         return s.items.filter(i => i.cut).sort((a, b) => a.n - b.n).map(i => [i.cut, i.dx + i.start[0], i.dy + i.start[1], i.b[2] - i.b[0]]) })()";
    let all = hand.value(script).await;
    let one = |v: &serde_json::Value| Some((v[0].as_str()?.to_owned(), v[1].as_f64()?, v[2].as_f64()?, v[3].as_f64()?));
    all.as_array().into_iter().flatten().filter_map(one).collect()
}

/// A place on the lower edge of a cut's box, away from its mark.
async fn edge(hand: &Hand<'_>, cut: &str, share: f64) -> (f64, f64) {
    let script = format!(
        "(() => {{ const i = document.querySelector('#stage').stage.scene.items.find(i => i.cut === '{cut}'); \
         return [i.dx + i.b[0] + (i.b[2] - i.b[0]) * {share}, i.dy + i.b[1]] }})()"
    );
    let v = hand.value(&script).await;
    (v[0].as_f64().expect("x"), v[1].as_f64().expect("y"))
}

/// Three plates, one with a hole, laid and at Order.
async fn plates_at_order(hand: &Hand<'_>, shop: &Shop) {
    let plates = [(0.0, 0.0, 60.0, 40.0), (20.0, 10.0, 20.0, 20.0), (100.0, 0.0, 50.0, 50.0), (200.0, 0.0, 45.0, 30.0)];
    hand.job_with("Plates", &[written(shop.data.path(), "plates.dxf", &plates)]).await;
    hand.station("4", "nest").await;
    hand.nest().await;
    hand.station("5", "order").await;
    hand.until("the cuts are listed", "document.querySelectorAll('#cuts tr').length === 4").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_order_is_clicked_typed_and_given_back() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates_at_order(&hand, &shop).await;
    let begun = cuts(&hand).await;
    let rows = hand.value("[...document.querySelectorAll('#cuts tr')].map(r => [r.dataset.cut, r.innerText.trim()])").await;
    let named = |what: &str| -> Vec<String> {
        let rows =
            rows.as_array().into_iter().flatten().filter(|r| r[1].as_str().is_some_and(|t| t.starts_with(what) && t.contains("outline")));
        rows.filter_map(|r| r[0].as_str().map(str::to_owned)).collect()
    };
    // Two that lie alone are clicked, the later one first.
    let (around, alone) = (named("plates 1").remove(0), [named("plates 2").remove(0), named("plates 3").remove(0)]);
    hand.click("#sequence-start").await;
    for cut in [&alone[1], &alone[0]] {
        let (x, y) = edge(&hand, cut, 0.1).await;
        hand.stage_click(x, y, false).await;
    }
    hand.until("both have their numbers", "document.querySelector('#sequence-state').textContent.startsWith('2 clicked')").await;
    hand.shoot("order-clicked").await;
    hand.change("Enter ends", hand.press("\u{e007}")).await;
    hand.until("it is told", "document.querySelector('#by-hand')?.textContent.includes('2 places')").await;
    let clicked = cuts(&hand).await;
    assert_eq!((&clicked[0].0, &clicked[1].0), (&alone[1], &alone[0]));
    // An outline cannot come before its hole: the reason is said, and nothing changes.
    let revision = hand.revision().await;
    hand.fill(&format!("#cuts [data-cut='{around}'] [name=at]"), "3").await;
    hand.until("the reason", "document.querySelector('#notice').innerText.includes('has to come first')").await;
    assert_eq!(hand.revision().await, revision);
    // Typed: what was second is last.
    hand.change("typed", hand.fill(&format!("#cuts [data-cut='{}'] [name=at]", alone[0]), "4")).await;
    assert_eq!(cuts(&hand).await[3].0, alone[0]);
    hand.change("given back", hand.click("#free-order")).await;
    hand.until("nothing by hand", "document.querySelector('#by-hand') === null").await;
    let names = |all: Vec<(String, f64, f64, f64)>| all.into_iter().map(|c| c.0).collect::<Vec<_>>();
    assert_eq!(names(cuts(&hand).await), names(begun));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_start_is_carried_a_direction_turned_and_another_way_taken() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates_at_order(&hand, &shop).await;
    let begun = cuts(&hand).await;
    let last = begun.last().expect("cuts").clone();
    // By its mark to near the lower left corner of its contour: it keeps off the corner.
    let corner = edge(&hand, &last.0, 0.002).await;
    hand.change("the start", hand.stage_drag((last.1, last.2), corner)).await;
    let moved = cuts(&hand).await.into_iter().find(|c| c.0 == last.0).expect("it is there");
    let off = (moved.1 - corner.0).hypot(moved.2 - corner.1);
    assert!(off < 4.0 && off > 1.0, "{corner:?}, and the start {moved:?}");
    // Its direction, by the card.
    let turned = format!("document.querySelector('#stage').stage.scene.items.find(i => i.cut === '{}').turned", last.0);
    let was = hand.value(&turned).await;
    let (x, y) = edge(&hand, &last.0, 0.5).await;
    hand.stage_click(x, y, false).await;
    hand.until("the card", "document.querySelector('#card #turn-way') !== null").await;
    hand.shoot("order-card").await;
    hand.change("turned", hand.click("#card #turn-way")).await;
    hand.until("it goes the other way", &format!("{turned} !== {was}")).await;
    // Other ways beside each other, and one of them taken.
    hand.click("#ask-orders").await;
    hand.until("six ways", "document.querySelectorAll('#strategies tbody tr').length === 6").await;
    hand.shoot("order-ways").await;
    hand.change("part by part", hand.click("#strategies tbody tr:nth-child(2) button")).await;
    hand.until("it is told", "document.querySelector('#docket').innerText.includes('part by part')").await;
    // Where it is hot, at the end: what was cut last.
    hand.click("#heat summary").await;
    hand.until("a time", "/^at /.test(document.querySelector('#heat-state').textContent)").await;
    hand.shoot("order-heat").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_batch_nests_for_is_chosen_with_its_price() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates_at_order(&hand, &shop).await;
    hand.station("4", "nest").await;
    assert!(hand.text("#aims").await.contains("free in one piece, worth"), "{}", hand.text("#aims").await);
    hand.change("rows", hand.click("#aims [value=rows]")).await;
    hand.until("it is chosen", "document.querySelector('#aims [value=rows]').checked").await;
    hand.change("undo", hand.press_ctrl('z')).await;
    hand.until("as it was", "document.querySelector('#aims [value=rest]').checked").await;
    browser.shut().await;
}
