//! How soon the stage shows what a hand does, and how soon the figures stand, by real keys and clicks in headless Chromium, at 10 to
//! 2,000 copies. `cargo bench -p boustrophe --bench hands`.

#[path = "../tests/browser/harness.rs"]
#[allow(dead_code)]
mod harness;
#[path = "../tests/browser/pointer.rs"]
#[allow(dead_code)]
mod pointer;

use harness::{Browser, Hand, Shop};

/// A plate: however it is turned, its lower edge is one straight side.
const PLATE: &str = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n8\n0\n90\n4\n70\n1\n10\n0\n20\n0\n10\n60\n20\n0\n10\n60\n20\n40\n10\n0\n20\n40\n0\nENDSEC\n0\nEOF\n";
/// Copies on the stage.
const COPIES: [usize; 4] = [10, 100, 500, 2000];
/// Presses that are timed, and clicks.
const PRESSES: usize = 7;

/// Notes when a key or a click comes, when the next frame is drawn, and when the figures of a new revision stand.
const WATCH: &str = "(() => {
    const times = window.times = [];
    const docket = () => document.querySelector('#docket').dataset.revision;
    const begun = () => {
        const at = performance.now(), was = docket(), one = { painted: 0, figures: 0 };
        times.push(one);
        requestAnimationFrame(() => requestAnimationFrame(() => { one.painted = performance.now() - at; }));
        const look = () => { if (docket() !== was && !document.querySelector('.htmx-request')) one.figures = performance.now() - at; else setTimeout(look, 4); };
        look();
    };
    addEventListener('keydown', begun, true);
    addEventListener('pointerup', begun, true);
})(), 1";

/// The middle of what was noted since, ms: to the frame, to the figures.
async fn middles(hand: &Hand<'_>) -> (f64, f64) {
    hand.until("all figures stand", "window.times.every(t => t.figures > 0)").await;
    let script = "(() => { const m = of => { const all = window.times.map(of).sort((a, b) => a - b); return all[all.length >> 1]; }; const out = [m(t => t.painted), m(t => t.figures)]; window.times.length = 0; return out; })()";
    let v = hand.value(script).await;
    (v[0].as_f64().unwrap_or(-1.0), v[1].as_f64().unwrap_or(-1.0))
}

/// Once more and so often: each waits until the one before stands.
async fn each<F: Future<Output = ()>>(hand: &Hand<'_>, doing: impl Fn(usize) -> F) -> (f64, f64) {
    hand.value("window.times.length = 0, 1").await;
    for n in 0..PRESSES {
        doing(n).await;
        hand.until("it stands", &format!("window.times.length > {n} && window.times.every(t => t.figures > 0)")).await;
    }
    middles(hand).await
}

fn main() {
    tokio::runtime::Builder::new_multi_thread().enable_all().build().expect("a runtime").block_on(async {
        let (shop, browser) = (Shop::open("serve"), Browser::open().await);
        let hand = Hand { page: &browser.page, shop: &shop.address };
        let file = shop.data.path().join("plate.dxf");
        std::fs::write(&file, PLATE).expect("written");
        for copies in COPIES {
            hand.job_with(&format!("Plates {copies}"), std::slice::from_ref(&file)).await;
            hand.station("4", "nest").await;
            hand.change("so many", hand.fill(".parts.list tr:nth-child(1) input[name=value]", &copies.to_string())).await;
            hand.nest().await;
            hand.drawn().await;
            // The last copy of the last sheet has room to its right or above it.
            let script = "(() => { const s = document.querySelector('#stage').stage.scene, { sheet: g } = s.sheets.at(-1), c = g.copies.at(-1), b = s.box(c); return [g.x + b[0] + 4, g.y + (b[1] + b[3]) / 2, g.x + b[0] + 4, g.y + b[3] - 4, s.sheets.length] })()";
            let v = hand.value(script).await;
            let at = |k: usize| v[k].as_f64().unwrap_or(0.0);
            hand.mouse_click((at(0), at(1)), None).await;
            hand.value(WATCH).await;
            let arrow = each(&hand, |n| hand.press(if n % 2 == 0 { "\u{e014}" } else { "\u{e012}" })).await;
            println!("{copies:5} copies on {:2} sheets: an arrow key, drawn after {:5.0} ms, figures after {:6.0} ms", at(4), arrow.0, arrow.1);
            hand.station("6", "hold").await;
            hand.drawn().await;
            let edge = hand.value("(() => { const i = document.querySelector('#stage').stage.scene.items.find(i => i.cut); return [i.dx + i.b[0], i.dy + i.b[1], i.b[2] - i.b[0]] })()").await;
            let e = |k: usize| edge[k].as_f64().unwrap_or(0.0);
            // From far away no edge can be met: near enough for this copy to be a hand wide.
            hand.value("(() => { const st = document.querySelector('#stage').stage, i = st.scene.items.find(i => i.cut); st.fit([i.dx + i.b[0] - 20, i.dy + i.b[1] - 20, i.dx + i.b[2] + 20, i.dy + i.b[3] + 20]); return 1 })()").await;
            hand.value(WATCH).await;
            let click = each(&hand, |n| hand.stage_click(e(0) + e(2) * (0.2 + 0.08 * n as f64), e(1), false)).await;
            println!("{copies:5} copies: a nick by a click in all, drawn after {:5.0} ms, figures after {:6.0} ms", click.0, click.1);
            for station in ["nest", "order", "hold"] {
                let bytes = hand.value(&format!("fetch(location.pathname.replace(/[a-z]+$/, '{station}') + '?part=docket').then(r => r.text()).then(t => t.length)")).await;
                println!("{copies:5} copies: {station}'s docket is {bytes} bytes");
            }
        }
        browser.shut().await;
    });
}
