//! The stock rack: put on it, nested on, run, and what is left comes back.

use crate::batches::written;
use crate::harness::{Browser, Hand, Shop};
use std::path::PathBuf;

/// An L of 400 × 300 with a hole, as a drawing program writes it.
fn offcut(folder: &std::path::Path) -> PathBuf {
    let path = folder.join("ell.svg");
    let outline = "M0,0 L400,0 L400,120 L160,120 L160,300 L0,300 Z";
    let body = format!("<path d=\"{outline}\"/><circle cx=\"60\" cy=\"60\" r=\"30\"/>");
    let svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"400mm\" height=\"300mm\" viewBox=\"0 0 400 300\" fill=\"none\" stroke=\"#000\">{body}</svg>"
    );
    std::fs::write(&path, svg).expect("written");
    path
}

async fn put(hand: &Hand<'_>, fields: &[(&str, &str)], file: Option<&PathBuf>) {
    hand.go("/shop/rack").await;
    for (name, value) in fields {
        hand.page_type(&format!("#rack-form [name={name}]"), value).await;
    }
    if let Some(file) = file {
        hand.pick(std::slice::from_ref(file)).await;
    }
    hand.click("#rack-form .first").await;
    hand.until("it is there", "document.querySelector('[data-stock]') || document.querySelector('#sentence')").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_offcut_is_nested_on_run_and_its_rest_comes_back() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    put(&hand, &[("thickness", "3"), ("place", "by the door"), ("price", "4.50")], Some(&offcut(shop.data.path()))).await;
    put(&hand, &[("thickness", "3"), ("width", "600"), ("height", "400"), ("count", "7")], None).await;
    hand.until("both are there", "document.querySelectorAll('[data-stock]').length == 2").await;
    let shelf = hand.text("[data-stock='1']").await;
    assert!(shelf.contains("400 × 300") && shelf.contains("by the door") && shelf.contains("% of it there"), "{shelf}");

    let plates = written(shop.data.path(), "plates.dxf", &[(0.0, 0.0, 100.0, 60.0), (0.0, 80.0, 70.0, 40.0)]);
    hand.job_with("Plates", std::slice::from_ref(&plates)).await;
    hand.mend_all().await;
    hand.station("4", "nest").await;
    hand.change("the offcut", hand.click("#rack [name=stock][value='1']")).await;
    hand.nest().await;
    hand.shoot("nest-offcut").await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    let outline = hand.value("document.querySelector('#stage').stage.scene.sheets[0].sheet.outline.length").await;
    assert_eq!(outline.as_i64(), Some(2), "its edge and its hole");

    // Another job is told that it is reserved, and cannot have it.
    hand.job_with("Other plates", std::slice::from_ref(&plates)).await;
    hand.mend_all().await;
    hand.station("4", "nest").await;
    let taken = hand.text("#rack li:first-child").await;
    assert!(taken.contains("reserved for “Plates”"), "{taken}");
    assert_eq!(hand.value("document.querySelector('#rack [name=stock][value=\"1\"]').disabled").await.as_bool(), Some(true));

    // The run takes it off, and what is left is on the rack with the holes that were cut.
    hand.run_of(1).await;
    hand.until(
        "the rest is there",
        "fetch('/shop/rack').then(r => r.text()).then(t => { window.rack = t }), /rest of offcut 1/.test(window.rack)",
    )
    .await;
    hand.go("/shop/rack").await;
    assert_eq!(hand.value("document.querySelector('[data-stock=\"1\"]')").await, serde_json::Value::Null, "the offcut is used up");
    let rest = hand.text("[data-stock='3']").await;
    assert!(rest.contains("400 × 300") && rest.contains("after run 1 of “Plates”") && rest.contains("by the door"), "{rest}");
    // The edge, its own hole and two new ones, unless those lie at its edge.
    let rings = hand.value("document.querySelector('[data-stock=\"3\"] path').getAttribute('d').split('M').length - 1").await;
    assert!(rings.as_i64().is_some_and(|n| (2..=4).contains(&n)), "{rings}");
    hand.shoot("rack").await;
    // The other job may have the rest.
    hand.go("/jobs/2/nest").await;
    hand.drawn().await;
    hand.change("the rest", hand.click("#rack [name=stock][value='3']")).await;
    hand.nest().await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    // Its own job is done with it, and is held up by nothing.
    hand.go("/jobs/1/nest").await;
    hand.drawn().await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_go_on_the_rack_is_said() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let bow = shop.data.path().join("bow.svg");
    let svg = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"100mm\" height=\"100mm\" viewBox=\"0 0 100 100\"><path d=\"M0,0 L90,90 L90,0 L0,80 Z\" fill=\"none\" stroke=\"#000\"/></svg>";
    std::fs::write(&bow, svg).expect("written");
    let open = shop.data.path().join("open.svg");
    std::fs::write(&open, svg.replace(" Z", "")).expect("written");
    for (fields, file, told) in [
        (vec![("thickness", "3")], Some(&bow), "crosses itself"),
        (vec![("thickness", "3")], Some(&open), "closed outline"),
        (vec![("thickness", "3"), ("width", "0"), ("height", "100")], None, "cannot be"),
        (vec![("thickness", "900"), ("width", "300"), ("height", "100")], None, "thickness"),
        (vec![("thickness", "3"), ("width", "300"), ("height", "100"), ("price", "-2")], None, "price"),
    ] {
        put(&hand, &fields, file).await;
        let sentence = hand.text("#sentence").await;
        assert!(sentence.contains(told), "{told}: {sentence}");
    }
    // A picture of an offcut is traced, at the width that it truly has: an L, as in the drawing of it.
    let picture = shop.data.path().join("ell.png");
    let drawn = "(() => { const c = document.createElement('canvas'); c.width = 600; c.height = 500; const x = c.getContext('2d'); \
         x.fillStyle = '#fff'; x.fillRect(0, 0, 600, 500); x.fillStyle = '#5b3a1e'; x.fillRect(50, 50, 500, 160); x.fillRect(50, 50, 200, 400); \
         return Array.from(atob(c.toDataURL('image/png').split(',')[1]), (b) => b.charCodeAt(0)) })()";
    let bytes: Vec<u8> = hand.value(drawn).await.as_array().into_iter().flatten().filter_map(|b| u8::try_from(b.as_u64()?).ok()).collect();
    std::fs::write(&picture, bytes).expect("written");
    put(&hand, &[("thickness", "3")], Some(&picture)).await;
    assert!(hand.text("#sentence").await.contains("how wide"), "{}", hand.text("#sentence").await);
    put(&hand, &[("thickness", "3"), ("known", "250")], Some(&picture)).await;
    hand.until("it is on the rack", "document.querySelector('[data-stock]') !== null").await;
    let told = hand.text("[data-stock]").await;
    assert!(told.contains("250 × 200") || told.contains("250 × 199.") || told.contains("250 × 200."), "{told}");
    let corners = hand.value("document.querySelector('[data-stock] path').getAttribute('d').split(/[LHVA]/).length").await;
    assert!(corners.as_i64().is_some_and(|n| (5..=16).contains(&n)), "six corners and little else: {corners}");
    browser.shut().await;
}
