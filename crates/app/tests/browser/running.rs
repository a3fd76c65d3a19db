//! The operator's page: the truth about the line, and one run at a time.

use crate::controller::Controller;
use crate::harness::{Browser, Hand, Shop, demo_file};

/// A job of guards in ply, nested and settled, at Release.
pub async fn released(hand: &Hand<'_>, name: &str) {
    hand.job_with(name, &[demo_file("comb-tiles.svg")]).await;
    for (key, slug) in [("1", "intake"), ("2", "clean"), ("3", "assign")] {
        hand.station(key, slug).await;
        hand.mend_all().await;
    }
    hand.station("4", "nest").await;
    hand.nest().await;
    for (key, slug) in [("6", "hold"), ("7", "proof")] {
        hand.station(key, slug).await;
        hand.mend_all().await;
    }
    hand.station("8", "release").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_that_hears_nothing_says_so_and_comes_back() {
    let machine = Controller::lark("1");
    let shop = Shop::with("serve", tempfile::tempdir().expect("a folder"), "127.0.0.1:0", &["--connect", &machine.link]);
    let browser = Browser::open().await;
    let address = shop.address.clone();
    let hand = Hand { page: &browser.page, shop: &address };
    released(&hand, "Combs").await;
    hand.click(".send").await;
    hand.run_state("ready").await;
    hand.tick_all().await;
    hand.click("#start").await;
    hand.run_state("running").await;
    let small = "[...document.querySelectorAll('main.run button, main.run input, main.run label.tick')].filter(e => e.type != 'checkbox' && e.getBoundingClientRect().height < 44).length";
    assert_eq!(hand.value(small).await.as_i64(), Some(0), "nothing to tap under 44 px");

    // The shop is cut off: the page says so, and since when; a word that does not get there is told.
    shop.frozen(true);
    hand.until("it says so", "!document.querySelector('#unheard').hidden && /Nothing heard from the shop since \\d\\d:\\d\\d:\\d\\d/.test(document.querySelector('#unheard').innerText)").await;
    hand.click("#stop").await;
    hand.until("Stop did not get there", "/did not reach the shop/.test(document.querySelector('#notice').innerText)").await;
    shop.frozen(false);
    hand.until("it is back", "document.querySelector('#unheard').hidden").await;

    // The shop is shut and opened again at its address; the machine has gone on, unless the late Stop got there after all.
    let listen = shop.address.trim_start_matches("http://").to_owned();
    let data = shop.killed();
    hand.until("it says so again", "!document.querySelector('#unheard').hidden").await;
    let _shop = Shop::with("serve", data, &listen, &["--connect", &machine.link]);
    hand.until("it is back", "document.querySelector('#unheard').hidden && !document.querySelector('.silence')").await;
    hand.click("#stop").await;
    hand.run_state("stopped").await;
    assert!(hand.text("#run-progress").await.contains("pieces of work finished"));
    // It goes on from where it stopped, once the list of the new run is gone through.
    hand.until(
        "the ways on",
        "document.querySelectorAll('#onward button').length >= 2 && document.querySelector('.run-ways .stopped') !== null",
    )
    .await;
    hand.shoot("run-onward").await;
    let first = hand.text("h1").await;
    hand.click("#onward [value=here]").await;
    hand.until("the next run", &format!("document.querySelector('h1').innerText !== {first:?}")).await;
    assert!(hand.text("h1").await.contains("-from-"), "{}", hand.text("h1").await);
    hand.run_state("ready").await;
    assert!(hand.text("#checklist").await.contains("nothing was moved"));
    hand.tick_all().await;
    hand.click("#start").await;
    hand.run_state("running").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_not_cut_through_is_cut_again_or_nested_again() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    released(&hand, "Combs").await;
    let job = hand
        .value("Number(document.querySelector('#docket').dataset.job)")
        .await
        .as_i64()
        .and_then(|n| i32::try_from(n).ok())
        .expect("a job");
    hand.run_of(job).await;
    hand.until("it is asked", "document.querySelectorAll('#through .copies input').length > 1").await;
    hand.shoot("run-through").await;
    let copies = hand.value("document.querySelectorAll('#through .copies input').length").await.as_i64().unwrap_or(0);
    hand.click("#through .copies label:nth-child(2) input").await;
    hand.page_type("#through [name=person]", "Bram Teck").await;
    hand.click("#through [value=again]").await;
    hand.until("its cuts again", "/-again/.test(document.querySelector('h1').innerText)").await;
    hand.run_state("ready").await;
    hand.tick_all().await;
    hand.click("#start").await;
    hand.run_state("done").await;
    // Of another one the operator wants a new one: the job wants one more.
    hand.until("it is asked again", "document.querySelectorAll('#through .copies input').length > 1").await;
    hand.click(".hangs:nth-child(1)").await;
    assert_eq!(hand.value("document.querySelectorAll('#through input:checked').length").await.as_i64(), Some(1), "tapped in the picture");
    hand.page_type("#through [name=person]", "Bram Teck").await;
    hand.click("#through [value=nest]").await;
    hand.until("at Nest", "document.querySelector('#docket')?.dataset.station === 'nest'").await;
    let wanted = "[...document.querySelectorAll('.parts.list input[name=value]')].reduce((n, i) => n + Number(i.value), 0)";
    assert_eq!(hand.value(wanted).await.as_i64(), Some(copies + 1));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_starts_its_own_program_or_nothing() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    released(&hand, "Combs one").await;
    hand.click(".send").await;
    hand.run_state("ready").await;
    let first = hand.value("location.pathname").await.as_str().unwrap_or_default().to_owned();
    hand.tick_all().await;
    released(&hand, "Combs two").await;
    hand.click(".send").await;
    hand.run_state("waiting").await;
    let second = hand.value("location.pathname").await.as_str().unwrap_or_default().to_owned();
    assert!(hand.text("#run-status").await.contains("combs-one"), "{}", hand.text("#run-status").await);
    hand.tick_all().await;
    hand.go(&first).await;
    hand.click("#start").await;
    hand.run_state("done").await;
    // Its sheet lies on the bed: the second comes when somebody has said that it may go.
    hand.through().await;
    hand.go(&second).await;
    hand.run_state("ready").await;
    assert!(hand.text("#run-progress").await.contains("0 %"), "the first one's start was none of its own");
    hand.click("#start").await;
    hand.run_state("done").await;
    browser.shut().await;
}
