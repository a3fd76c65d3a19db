//! Fields and figures: sent once, read exactly.

use crate::harness::{Browser, Hand, Shop, demo_file};

#[tokio::test(flavor = "multi_thread")]
async fn enter_in_a_field_is_one_change_and_no_conflict() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Guards", &[demo_file("mouse-guard.dxf")]).await;
    hand.station("4", "nest").await;
    let count = "fetch('/jobs/1/history/nest').then(r => r.text()).then(t => (t.match(/Quantity/g) ?? []).length)";
    for n in 2..6 {
        hand.change("the quantity", hand.page_type(".parts input[name=value]", &format!("{n}\u{e007}"))).await;
        assert_eq!(hand.text("#notice").await, "", "no conflict with oneself");
        assert_eq!(hand.value(count).await.as_i64(), Some(n - 1), "one change each");
    }
    browser.shut().await;
}

/// Boxes, distances and crossings of random lines and arcs, against points sampled on them.
const SAMPLED: &str = "import('/static/js/measures.js').then(({ boundsOf, nearest, meetsBox }) => {
    let seed = 7; const rnd = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    const wrong = [];
    for (let n = 0; n < 3000; n += 1) {
        const [x0, y0, x1, y1] = [rnd(), rnd(), rnd(), rnd()].map((v) => v * 100 - 50), bulge = n % 3 ? (rnd() - 0.5) * 3 : 0;
        const d = [x0, y0, bulge, x1, y1], points = [];
        // The point at a share of an arc, by turning the chord's start about the centre: complex numbers, no angles of ends.
        const h = (1 - bulge * bulge) / (4 * bulge), cx = (x0 + x1) / 2 - (y1 - y0) * h, cy = (y0 + y1) / 2 + (x1 - x0) * h;
        for (let i = 0; i <= 2000; i += 1) {
            const s = i / 2000, a = 4 * Math.atan(bulge) * s;
            points.push(bulge ? [cx + (x0 - cx) * Math.cos(a) - (y0 - cy) * Math.sin(a), cy + (x0 - cx) * Math.sin(a) + (y0 - cy) * Math.cos(a)] : [x0 + (x1 - x0) * s, y0 + (y1 - y0) * s]);
        }
        const b = boundsOf(d), xs = points.map((p) => p[0]), ys = points.map((p) => p[1]);
        const box = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
        if (b.some((v, i) => Math.abs(v - box[i]) > 0.01)) wrong.push(['box', d, b, box]);
        const p = [rnd() * 140 - 70, rnd() * 140 - 70], least = Math.min(...points.map((q) => Math.hypot(q[0] - p[0], q[1] - p[1])));
        if (Math.abs(nearest(d, ...p).distance - least) > 0.05) wrong.push(['distance', d, nearest(d, ...p).distance, least]);
        const c = [rnd() * 120 - 60, rnd() * 120 - 60], s = rnd() * 30, window = [c[0], c[1], c[0] + s, c[1] + s];
        const has = (w, by) => points.some((q) => q[0] >= w[0] - by && q[1] >= w[1] - by && q[0] <= w[2] + by && q[1] <= w[3] + by);
        const met = meetsBox(d, window);
        if (met !== has(window, 0) && (met ? !has(window, 0.1) : has(window, -0.1))) wrong.push(['crossing', d, window, met]);
    }
    return JSON.stringify(wrong.slice(0, 3));
})";

#[tokio::test(flavor = "multi_thread")]
async fn sizes_and_boxes_on_the_stage_are_exact() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let circle = shop.data.path().join("ring.svg");
    std::fs::write(&circle, r#"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100"><circle fill="none" stroke="red" cx="50" cy="50" r="20"/></svg>"#).expect("written");
    hand.job_with("Rings", &[circle]).await;
    assert_eq!(hand.value(SAMPLED).await.as_str(), Some("[]"));
    hand.station("3", "assign").await;
    hand.stage_click(0.0, 20.0, false).await;
    hand.until("its size", "/40.00 × 40.00 mm/.test(document.querySelector('#card .what').innerText)").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_shops_own_coupon_is_scored_and_released() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Coupon", &[demo_file("comb-tiles.svg")]).await;
    let made = "fetch('/jobs/1/coupon', { method: 'POST', body: new URLSearchParams({ middle: '3', step: '0.1' }) }).then(r => r.status)";
    assert_eq!(hand.value(made).await.as_i64(), Some(200));
    hand.go("/jobs/1/clean").await;
    hand.drawn().await;
    assert!(!hand.text("#docket").await.contains("slot-coupon.dxf up to"), "no gap of its own is told");
    hand.station("3", "assign").await;
    let key = hand.text(".key").await;
    assert!(key.contains("single-stroke writing") && key.contains("Score"), "{key}");
    browser.shut().await;
}
