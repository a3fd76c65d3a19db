//! All safe remedies by one key, groups that stay folded, a header that follows what is changed.

use crate::drawings::{dxf, file, rectangle};
use crate::harness::{Browser, Hand, Shop};

#[tokio::test(flavor = "multi_thread")]
async fn one_key_takes_what_is_safe_and_what_was_folded_stays_so() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    // A plate drawn twice, and specks.
    let speck = |x: f64| format!("0 LINE 8 0 10 {x} 20 5 11 {} 21 5 ", x + 0.01);
    let entities = [rectangle(0.0, 0.0, 100.0, 60.0), rectangle(0.0, 0.0, 100.0, 60.0), speck(130.0), speck(140.0)].concat();
    hand.job_with("Twice", &[file(shop.data.path(), "twice.dxf", dxf(&entities).as_bytes())]).await;
    hand.station("2", "clean").await;
    let open = hand.open_findings().await.len();
    assert!(open > 1, "{:?}", hand.open_findings().await);
    hand.change("all that is safe", hand.press("A")).await;
    hand.until("it is told", "document.querySelectorAll('.taken li').length > 1").await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    hand.change("taken back", hand.press_ctrl('z')).await;
    assert_eq!(hand.open_findings().await.len(), open, "by one undo");
    hand.change("and again", hand.press("A")).await;
    // The header follows an edit, and the title says where one is.
    hand.station("3", "assign").await;
    assert!(hand.value("document.title").await.as_str().is_some_and(|t| t.starts_with("Assign · Twice")));
    let before = hand.text("#job-stock").await;
    let other = "document.querySelector('.made-on select option:not([selected])').value";
    let other = hand.value(other).await.as_str().map(str::to_owned).expect("another stock");
    hand.change("made of something else", hand.choose(".made-on select", &other)).await;
    assert_ne!(hand.text("#job-stock").await, before, "the header says so at once");
    // A group that is folded stays so over changes and pages.
    hand.station("4", "nest").await;
    assert_eq!(hand.value("document.querySelector('[data-remember=nest-aim]').open").await.as_bool(), Some(true));
    hand.click("[data-remember=nest-aim] summary").await;
    hand.until("it is remembered", "localStorage.getItem('folded:nest-aim') === 'yes'").await;
    hand.nest().await;
    assert_eq!(hand.value("document.querySelector('[data-remember=nest-aim]').open").await.as_bool(), Some(false));
    hand.station("5", "order").await;
    hand.station("4", "nest").await;
    assert_eq!(hand.value("document.querySelector('[data-remember=nest-aim]').open").await.as_bool(), Some(false));
    hand.shoot("nest-groups").await;
    browser.shut().await;
}
