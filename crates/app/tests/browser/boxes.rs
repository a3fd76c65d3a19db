//! A box from its figures: made, nested, and changed afterwards; and what a plan says, taken with one key.

use crate::harness::{Browser, Hand, Shop};

#[tokio::test(flavor = "multi_thread")]
async fn a_box_is_made_nested_and_changed_with_its_decisions_kept() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.begin("Nucleus").await;
    hand.click("#new-box > summary").await;
    hand.fill("#new-box [name=name]", "Nucleus").await;
    hand.fill("#new-box [name=width]", "160").await;
    hand.until("it is seen put together", "document.querySelector('#new-box .put svg') !== null").await;
    hand.fill("#new-box [name=across]", "30").await;
    hand.until("it is said why not", "/no room between/.test(document.querySelector('#new-box .put').innerText)").await;
    hand.fill("#new-box [name=across]", "1").await;
    hand.until("it is seen again", "document.querySelector('#new-box .put svg') !== null").await;
    hand.shoot("box-figures").await;
    // A tray with a sloped front, and a frame, are seen in the same place; then it is a box again.
    hand.choose("#new-box [name=kind]", "sloped").await;
    hand.fill("#new-box [name=low]", "25").await;
    hand.until("it is sloped", "document.querySelectorAll('#new-box .put svg .near').length === 6").await;
    hand.choose("#new-box [name=kind]", "frame").await;
    hand.fill("#new-box [name=rail]", "24").await;
    hand.until("eight rails", "document.querySelectorAll('#new-box .put svg .near').length === 8").await;
    hand.shoot("frame-figures").await;
    hand.choose("#new-box [name=kind]", "box").await;
    hand.until("a box again", "document.querySelectorAll('#new-box .put svg .near').length === 6").await;
    hand.click("#new-box button").await;
    hand.until("its panels", "document.querySelector('article.drawing') !== null").await;
    hand.drawn().await;
    hand.station("4", "nest").await;
    let parts = "[...document.querySelectorAll('.parts.list tr')].map(r => r.innerText).join('|')";
    let listed = hand.value(parts).await.to_string();
    assert!(
        ["Nucleus, base", "Nucleus, left", "Nucleus, back", "Nucleus, divider across 1"].iter().all(|n| listed.contains(n)),
        "{listed}"
    );
    hand.change("two bases", hand.fill(".parts.list tr:nth-child(1) input[name=value]", "2")).await;
    hand.nest().await;
    hand.shoot("box-nested").await;
    // A coupon says how much room its joints want; the next box begins with that.
    hand.station("2", "clean").await;
    hand.click(".coupon button").await;
    hand.until("its slots", "document.querySelectorAll('.fits button').length === 9").await;
    hand.drawn().await;
    hand.click(".fits button:nth-of-type(7)").await;
    hand.until("it is written down", "/0\\.1 mm of room/.test(document.querySelector('.fits')?.innerText ?? '')").await;
    hand.drawn().await;
    // The same with a comb for fingers: what stands under the notch is the room, also where it is less than nothing.
    hand.click(".coupon:has([value=fingers]) button").await;
    hand.until("its notches", "document.querySelectorAll('.fits.fingers button').length === 9").await;
    hand.drawn().await;
    hand.click(".fits.fingers button:nth-of-type(2)").await;
    hand.until("less than nothing", "/-0\\.1 mm of room/.test(document.querySelector('.fits.fingers')?.innerText ?? '')").await;
    hand.drawn().await;
    hand.click(".fits.fingers button:nth-of-type(6)").await;
    hand.until("it is written down", "/ 0\\.1 mm of room/.test(document.querySelector('.fits.fingers')?.innerText ?? '')").await;
    hand.drawn().await;
    // A handle later: it is the same box with the same base, wanted twice.
    hand.station("1", "intake").await;
    hand.click("article .box > summary").await;
    hand.fill("article .box [name=handle]", "40x15").await;
    hand.click("article .box-form button").await;
    hand.until("it is changed", "document.querySelector('.compared') !== null").await;
    hand.station("4", "nest").await;
    assert_eq!(hand.value("document.querySelector('.parts.list tr:nth-child(1) input[name=value]').value").await.as_str(), Some("2"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_plan_says_is_taken_with_one_key() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let body = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
    let rect = |x: f64| {
        let corners: String = [(x, 0.0), (x + 80.0, 0.0), (x + 80.0, 50.0), (x, 50.0)].map(|(x, y)| format!("10\n{x}\n20\n{y}\n")).concat();
        format!("0\nLWPOLYLINE\n8\nparts\n90\n4\n70\n1\n{corners}")
    };
    let note = |x: f64, text: &str| format!("0\nTEXT\n8\nnotes\n10\n{x}\n20\n12\n40\n4\n1\n{text}\n");
    let file = shop.data.path().join("plan.dxf");
    let text = format!("{body}{}{}{}{}0\nENDSEC\n0\nEOF\n", rect(0.0), note(6.0, "6 off"), rect(120.0), note(126.0, "2 REQ'D"));
    std::fs::write(&file, text).expect("written");
    hand.job_with("Plan", &[file]).await;
    hand.station("3", "assign").await;
    assert_eq!(hand.open_findings().await, ["plan-says"]);
    hand.press("g").await;
    hand.change("the notes", hand.press("a")).await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    hand.station("4", "nest").await;
    let wanted = hand.value("[...document.querySelectorAll('.parts.list input[name=value]')].map(i => i.value).sort().join()").await;
    assert_eq!(wanted.as_str(), Some("2,6"));
    browser.shut().await;
}
