//! Nothing accepted is lost, whatever happens to the shop.

use crate::harness::{Browser, Hand, Shop, demo_file};

#[tokio::test(flavor = "multi_thread")]
async fn changes_and_history_outlive_a_power_cut() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Combs", &[demo_file("comb-tiles.svg")]).await;
    hand.mend_all().await;
    hand.station("4", "nest").await;
    hand.change("many", hand.fill(".parts.list input[name=value]", "30")).await;
    hand.nest().await;
    let spacing = "#docket .fields form:has([value=spacing]) input[name=value]";
    hand.change("the spacing", hand.fill(spacing, "3mm+1/8in")).await;
    // A search under way when the power goes.
    hand.click("#nest-start").await;
    hand.until("it runs", "!document.querySelector('#nest-running').hidden").await;
    hand.until("it has found something", "/yield/.test(document.querySelector('#search-shown').textContent)").await;
    tokio::time::sleep(std::time::Duration::from_millis(500)).await;

    let shop = shop.killed_and_opened("serve");
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.go("/jobs/1/nest").await;
    hand.drawn().await;
    assert_eq!(hand.value(&format!("document.querySelector('{spacing}').value")).await.as_str(), Some("6.175"));
    assert!(hand.text("#search").await.contains("The shop was shut down while it was nesting"), "{}", hand.text("#search").await);
    // What it had found by then is offered, and can be taken.
    assert!(hand.open_findings().await.contains(&"nest-overlap".to_owned()), "{:?}", hand.open_findings().await);
    hand.change("what was found", hand.click("#nest-take")).await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    hand.change("undo", hand.click("#undo")).await;
    hand.change("undo", hand.click("#undo")).await;
    assert_eq!(hand.value(&format!("document.querySelector('{spacing}').value")).await.as_str(), Some("2"));
    hand.change("redo", hand.click("#redo")).await;
    hand.change("redo", hand.click("#redo")).await;

    // History: every revision with its figures; any of them can be gone back to.
    hand.press("h").await;
    hand.until("history", "document.querySelectorAll('#history tbody tr').length >= 5").await;
    let history = hand.text("#history").await;
    assert!(history.contains("Added comb-tiles.svg") && history.contains("Nested on 1 sheet"), "{history}");
    hand.change("an earlier revision", hand.click("#history tbody tr:nth-child(3) .acts form:first-child button")).await;
    assert_eq!(hand.value(&format!("document.querySelector('{spacing}').value")).await.as_str(), Some("2"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn two_hands_on_one_job_do_not_overwrite_each_other() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Guards", &[demo_file("mouse-guard.dxf")]).await;
    hand.station("4", "nest").await;
    let first = browser.page.window().await.expect("a window");
    let second = browser.page.new_tab().await.expect("a tab");
    browser.page.switch_to_window(second).await.expect("there");
    hand.go("/jobs/1/nest").await;
    hand.drawn().await;
    hand.change("the other's quantity", hand.fill(".parts input[name=value]", "7")).await;
    browser.page.switch_to_window(first).await.expect("back");
    hand.fill(".parts input[name=value]", "4").await;
    hand.until("both are told", "/You wanted Quantity 4.*meanwhile: Quantity 7/.test(document.querySelector('#notice').innerText)").await;
    hand.change("mine on top", hand.click("#notice button")).await;
    assert_eq!(hand.value("document.querySelector('.parts input[name=value]').value").await.as_str(), Some("4"));
    browser.shut().await;
}
