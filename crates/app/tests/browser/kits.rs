//! Copies that belong together, lie along each other, are cleared away; two nests beside each other; the way along a contour.

use crate::hands::{Lying, all, one, plates, settled};
use crate::harness::{Browser, Hand, Shop};
use thirtyfour::Key;

/// A copy of each of the two parts, a large one and a small one, on one sheet where there are such.
fn two(copies: &[Lying]) -> (Lying, Lying) {
    let large = |l: &&Lying| (l.high.0 - l.low.0) * (l.high.1 - l.low.1) > 2000.0;
    let a = copies.iter().find(large).expect("a large one");
    let small = || copies.iter().filter(|l| !large(l));
    let b = small().find(|l| l.sheet == a.sheet).or_else(|| small().next()).expect("a small one");
    (a.clone(), b.clone())
}

async fn kits(hand: &Hand<'_>) -> String {
    hand.value("document.querySelector('#stage').stage.scene.parts.map(p => p.slip).join()").await.as_str().unwrap_or_default().into()
}

#[tokio::test(flavor = "multi_thread")]
async fn parts_are_kept_together_and_laid_side_to_side() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    // A sheet of 150 x 70 holds two large plates, one large and two small, or one of each with room left.
    plates(&hand, &shop, "2", "150x70").await;
    hand.change("three of the small", hand.fill(".parts.list tr:nth-child(2) input[name=value]", "3")).await;
    hand.change("and of the large", hand.fill(".parts.list tr:nth-child(1) input[name=value]", "3")).await;
    hand.nest().await;
    let (a, b) = two(&all(&hand).await);
    hand.mouse_click(a.middle(), None).await;
    hand.mouse_click(b.middle(), Some(Key::Control)).await;
    hand.until("two of them", "document.querySelector('#card .what')?.textContent.includes('2 copies')").await;
    hand.change("together", hand.click("#card [data-hand=kit]")).await;
    settled(&hand).await;
    assert_eq!(kits(&hand).await, "kit A,kit A");
    assert!(hand.text("#part-rows").await.contains("kit A"), "{}", hand.text("#part-rows").await);
    hand.change("nested again", async {
        hand.click("#nest-start").await;
        let paired = "document.querySelector('#stage').stage.scene.sheets.every(({ sheet }) => sheet.copies.length === 2)";
        hand.until("one of each to a sheet", paired).await;
        hand.click("#nest-stop").await;
    })
    .await;
    let copies = all(&hand).await;
    let sheets: Vec<u64> = copies.iter().map(|l| l.sheet).collect();
    for sheet in 0..3 {
        assert_eq!(sheets.iter().filter(|s| **s == sheet).count(), 2, "one of each to a sheet: {copies:?}");
    }
    assert!(hand.open_findings().await.iter().all(|c| !c.starts_with("kit")), "{:?}", hand.open_findings().await);
    hand.shoot("kits").await;
    // Torn by hand it is told; taken back it is not.
    let (_, b) = two(&copies);
    hand.press("\u{e00c}").await;
    hand.mouse_click(b.middle(), None).await;
    hand.until("the card", "document.querySelector('#card:not([hidden]) [data-hand=sheet]') !== null").await;
    hand.change("away", hand.click("#card [data-hand=sheet]")).await;
    assert!(hand.open_findings().await.contains(&"kit-torn".to_owned()), "{:?}", hand.open_findings().await);
    hand.change("taken back", hand.press_ctrl('z')).await;
    assert!(hand.open_findings().await.iter().all(|c| !c.starts_with("kit")), "{:?}", hand.open_findings().await);

    // This nest is set aside; a sheet is cleared: both are drawn beside each other, with what differs.
    hand.change("set aside", hand.click("#docket button[value=set]")).await;
    let copies = all(&hand).await;
    hand.mouse_click(copies[0].middle(), None).await;
    hand.until("the card", "document.querySelector('#card:not([hidden]) [data-hand=clear]') !== null").await;
    hand.change("cleared", hand.click("#card [data-hand=clear]")).await;
    let left = all(&hand).await;
    assert_eq!((left.len(), left.iter().map(|l| l.sheet).max()), (4, Some(1)), "the sheet is put back, its copies wait");
    let drawn =
        hand.value("[...document.querySelectorAll('#beside path.laid')].map(p => p.getAttribute('d').split('M').length - 1).join()").await;
    assert_eq!(drawn.as_str(), Some("6,4"), "six parts aside, four now");
    assert!(hand.text("#compare").await.contains("rest"), "{}", hand.text("#compare").await);
    hand.shoot("beside").await;
    browser.shut().await;
}

/// A search stands still and goes on, is followed from another station, and what it finds after a hand has moved a copy is set aside.
#[tokio::test(flavor = "multi_thread")]
async fn a_nest_goes_on_behind_other_stations_and_is_offered() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates(&hand, &shop, "9", "200x150").await;
    // More than one sheet holds, however it is nested: the last one is nearly empty, and one of its copies is pushed into the far corner.
    hand.change("some more", hand.fill(".parts.list tr:nth-child(2) input[name=value]", "12")).await;
    hand.nest().await;
    let last =
        all(&hand).await.into_iter().max_by(|a, b| (a.sheet, a.high.0).partial_cmp(&(b.sheet, b.high.0)).expect("figures")).expect("one");
    let corner =
        hand.value("(({ sheet }) => [sheet.x + 160, sheet.y + 120])(document.querySelector('#stage').stage.scene.sheets.at(-1))").await;
    let away = (corner[0].as_f64().expect("mm"), corner[1].as_f64().expect("mm"));
    hand.change("apart", hand.mouse_drag(last.middle(), away, &[])).await;
    hand.fill("#nest-start-form [name=seconds]", "600").await;
    hand.click("#nest-start").await;
    hand.until("it is shown", "/shown: .*yield/.test(document.querySelector('#search-shown').textContent)").await;
    hand.click("#nest-pause").await;
    hand.until(
        "it stands",
        "document.querySelector('#search-state').textContent.startsWith('paused') && !document.querySelector('#nest-resume').hidden",
    )
    .await;
    let words = |text: &str| text.split(" s left").next().and_then(|t| t.rsplit(' ').next()).and_then(|t| t.parse::<u64>().ok());
    let before = words(&hand.text("#search-state").await);
    tokio::time::sleep(std::time::Duration::from_millis(2500)).await;
    assert_eq!(words(&hand.text("#search-state").await), before, "its time stands still too");
    hand.click("#nest-resume").await;
    hand.until("it goes on", "!document.querySelector('#search-state').textContent.startsWith('paused')").await;
    // From another station a hand changes the layout meanwhile; the search is stopped there by a second page.
    hand.station("5", "order").await;
    hand.until("it is followed", "document.querySelector('#docket').dataset.nesting === 'true'").await;
    let taken = hand.value(&format!(
        "(async () => {{ const d = document.querySelector('#docket').dataset; for (const way of ['1,0', '0,1']) {{ const b = new URLSearchParams({{ revision: d.revision, batch: d.batch, copies: {:?}, do: 'push', way }}); const a = await fetch('/jobs/1/copies', {{ method: 'POST', body: b }}); document.body.dataset.pushed = a.status; if (a.ok) break; }} await fetch('/jobs/1/search/stop', {{ method: 'POST' }}) }})(), 1",
        last.id
    )).await;
    assert_eq!(taken.as_u64(), Some(1));
    hand.until("pushed", "document.body.dataset.pushed === '200'").await;
    hand.until("it is told", "document.querySelector('#notice').innerText.includes('The nest has ended')").await;
    hand.click("#notice button").await;
    hand.drawn().await;
    let told = hand.text("#beside").await;
    assert!(told.contains("set aside") && told.contains("this one"), "{told}");
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_side_goes_along_a_side_and_a_contour_is_measured_along() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates(&hand, &shop, "2", "").await;
    let (a, b) = two(&all(&hand).await);
    // The small one is turned by 30 degrees in the middle of the sheet.
    hand.mouse_click(b.middle(), None).await;
    hand.until("the card", "document.querySelector('#card:not([hidden]) .copy') !== null").await;
    for (field, value) in [("x", "300"), ("y", "200"), ("angle", "30")] {
        hand.fill(&format!("#card [name={field}]"), value).await;
    }
    hand.change("turned", hand.click("#card .copy .places button")).await;
    let turned = one(&hand, &b.id).await;
    // Its lower left side along the right side of the large one.
    hand.mouse_click(turned.middle(), None).await;
    hand.until("the card", "document.querySelector('#card:not([hidden]) [data-hand=sides]') !== null").await;
    hand.click("#card [data-hand=sides]").await;
    let side = (turned.middle().0 - 10.0, turned.middle().1 - 2.0);
    hand.mouse_click(side, None).await;
    hand.change("along it", hand.mouse_click((a.high.0 - 3.0, a.low.1 + 12.0), None)).await;
    settled(&hand).await;
    let (now, large) = (one(&hand, &b.id).await, one(&hand, &a.id).await);
    assert_eq!(large.low, a.low, "what it goes along stays");
    assert!((now.high.0 - now.low.0 - 30.0).abs() < 1e-3 && (now.high.1 - now.low.1 - 30.0).abs() < 1e-3, "upright: {now:?}");
    let spacing: f64 =
        hand.value("document.querySelector('#copy-template').dataset.spacing").await.as_str().unwrap_or("").parse().expect("mm");
    assert!((now.low.0 - large.high.0 - spacing).abs() < 0.02, "{spacing}: {now:?} by {large:?}");
    assert!((now.low.1 - large.low.1).abs() < 1e-3, "flush at the end that was clicked near: {now:?} by {large:?}");

    // From one corner of a plate of 60 x 40 to the opposite one: 100 mm both ways round.
    hand.press("\u{e00c}").await;
    hand.press("m").await;
    hand.mouse_click(large.low, None).await;
    hand.mouse_click(large.high, None).await;
    let words = hand.value("document.querySelector('#stage').stage.tools[0].words().join()").await;
    let words = words.as_str().unwrap_or_default();
    assert!(words.contains("along it 100.000 mm") && words.contains("the other way 100.000 mm"), "{words}");
    // To another contour there is no way along.
    hand.press("m").await;
    hand.press("m").await;
    hand.mouse_click(large.low, None).await;
    hand.mouse_click(now.low, None).await;
    let words = hand.value("document.querySelector('#stage').stage.tools[0].words().join()").await;
    assert!(words.as_str().is_some_and(|w| w.contains("mm") && !w.contains("along")), "{words}");
    browser.shut().await;
}
