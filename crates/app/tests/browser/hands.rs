//! Copies under the hand, by mouse and keys alone: choosing, moving, lining up, laying again, measuring.

use crate::batches::written;
use crate::harness::{Browser, Hand, Shop};
use thirtyfour::Key;

/// A copy as the stage shows it: its name, its sheet, and the box round it, mm of the bench.
#[derive(Clone, Debug)]
pub(crate) struct Lying {
    pub(crate) id: String,
    pub(crate) sheet: u64,
    pub(crate) low: (f64, f64),
    pub(crate) high: (f64, f64),
}

impl Lying {
    pub(crate) fn middle(&self) -> (f64, f64) {
        (f64::midpoint(self.low.0, self.high.0), f64::midpoint(self.low.1, self.high.1))
    }
}

pub(crate) async fn all(hand: &Hand<'_>) -> Vec<Lying> {
    let script = "(() => { const s = document.querySelector('#stage').stage.scene; return s.sheets.flatMap(({ sheet: g }, n) => g.copies.map(c => { const b = s.box(c); return [c.id, n, g.x + b[0], g.y + b[1], g.x + b[2], g.y + b[3]] })) })()";
    let rows = hand.value(script).await;
    let of = |v: &serde_json::Value| {
        let f = |n: usize| v[n].as_f64().expect("a figure");
        Lying { id: v[0].as_str().expect("a name").into(), sheet: v[1].as_u64().expect("a sheet"), low: (f(2), f(3)), high: (f(4), f(5)) }
    };
    rows.as_array().expect("copies").iter().map(of).collect()
}

pub(crate) async fn one(hand: &Hand<'_>, id: &str) -> Lying {
    all(hand).await.into_iter().find(|l| l.id == id).expect("the copy")
}

async fn chosen(hand: &Hand<'_>) -> usize {
    hand.value("document.querySelector('#stage').stage.tools.find(t => t.twin).chosen.length").await.as_u64().unwrap_or(0) as usize
}

/// Everything that a hand has begun is stored.
pub(crate) async fn settled(hand: &Hand<'_>) {
    hand.value("document.querySelector('#stage').stage.settled().then(() => { document.body.dataset.settled = Date.now() }), 1").await;
    hand.until("it is stored", "document.body.dataset.settled !== undefined").await;
    hand.value("delete document.body.dataset.settled").await;
}

/// A job of plates 60 × 40 and 30 × 30 mm, so many of the first, on sheets of this size.
pub(crate) async fn plates(hand: &Hand<'_>, shop: &Shop, count: &str, sheet: &str) {
    let file = written(shop.data.path(), "plates.dxf", &[(0.0, 0.0, 60.0, 40.0), (100.0, 0.0, 30.0, 30.0)]);
    hand.job_with("Plates", &[file]).await;
    hand.station("4", "nest").await;
    hand.change("so many", hand.fill(".parts.list tr:nth-child(1) input[name=value]", count)).await;
    if !sheet.is_empty() {
        hand.change("the sheet", hand.fill("#docket .fields form:nth-of-type(1) input[name=value]", sheet)).await;
    }
    hand.nest().await;
}

/// Presses that follow each other quickly are one move and one revision, and are undone at once; two sheets' copies stay each on its own.
#[tokio::test(flavor = "multi_thread")]
async fn quick_presses_add_up_and_each_copy_keeps_its_sheet() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates(&hand, &shop, "4", "100x70").await;
    let begun = all(&hand).await;
    let (a, b) =
        (begun.iter().find(|l| l.sheet == 0).expect("one on the first"), begun.iter().find(|l| l.sheet == 1).expect("one on the second"));
    hand.mouse_click(a.middle(), None).await;
    hand.mouse_click(b.middle(), Some(Key::Control)).await;
    assert_eq!(chosen(&hand).await, 2);
    let before = hand.revision().await;
    for _ in 0..3 {
        hand.press("\u{e013}\u{e013}\u{e013}\u{e013}").await;
    }
    settled(&hand).await;
    let (now_a, now_b) = (one(&hand, &a.id).await, one(&hand, &b.id).await);
    assert_eq!((now_a.sheet, now_b.sheet), (0, 1), "each on its own sheet");
    for (was, now) in [(a, &now_a), (b, &now_b)] {
        assert!((now.low.1 - was.low.1 - 12.0).abs() < 1e-6, "twelve presses: {was:?} to {now:?}, {}", hand.text("#notice").await);
    }
    assert!(hand.revision().await <= before + 3, "and not twelve revisions");
    assert!(hand.open_findings().await.iter().all(|c| c != "nest-overlap"), "{:?}", hand.open_findings().await);
    browser.shut().await;
}

/// Alone on a wide sheet: ten presses are ten millimetres; Escape lets go; a box takes what it touches or holds; copies again.
#[tokio::test(flavor = "multi_thread")]
async fn copies_are_chosen_moved_doubled_and_pasted() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates(&hand, &shop, "2", "").await;
    let begun = all(&hand).await;
    assert_eq!(begun.len(), 3);
    let high = begun.iter().map(|l| l.high.0).fold(0.0, f64::max);
    let first = begun.iter().find(|l| (l.high.0 - high).abs() < 1e-6).expect("the rightmost").clone();
    hand.mouse_click(first.middle(), None).await;
    let before = hand.revision().await;
    hand.press("\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}").await;
    settled(&hand).await;
    let now = one(&hand, &first.id).await;
    assert!((now.low.0 - first.low.0 - 10.0).abs() < 1e-6, "{first:?} to {now:?}");
    assert_eq!(hand.revision().await, before + 1, "one gesture, one revision");
    // Undone right behind another move: it waits for that.
    hand.press("\u{e014}\u{e014}").await;
    hand.press_ctrl('z').await;
    hand.until("taken back", &format!("Math.abs((() => {{ const s = document.querySelector('#stage').stage.scene, g = s.sheets[0].sheet; return g.x + s.box(g.copies.find(c => c.id === {:?}))[0] }})() - {}) < 1e-6", first.id, now.low.0)).await;
    hand.drawn().await;
    assert!(hand.text("#notice").await.is_empty(), "{}", hand.text("#notice").await);

    // A box that touches all; drawn the other way it takes what is within.
    hand.press("\u{e00c}").await;
    assert_eq!(chosen(&hand).await, 0, "Escape lets go");
    let copies = all(&hand).await;
    let (low, top) = (copies.iter().map(|l| l.low.0).fold(f64::MAX, f64::min), copies.iter().map(|l| l.high.1).fold(0.0, f64::max));
    let across = (one(&hand, &first.id).await.middle().0, copies.iter().map(|l| l.low.1).fold(f64::MAX, f64::min) - 3.0);
    hand.mouse_drag((low - 3.0, top + 3.0), across, &[Key::Shift]).await;
    assert_eq!(chosen(&hand).await, 3, "what it touches");
    hand.press("\u{e00c}").await;
    hand.mouse_drag(across, (low - 3.0, top + 3.0), &[Key::Shift]).await;
    assert!(chosen(&hand).await < 3, "only what lies within");
    hand.press("\u{e00c}").await;

    // With Alt it stays, and one more is laid; by keys too, at the pointer.
    let lies = one(&hand, &first.id).await;
    hand.change("one more", hand.mouse_drag(lies.middle(), (lies.middle().0 + 130.0, lies.middle().1 + 120.0), &[Key::Alt])).await;
    assert_eq!(all(&hand).await.len(), 4);
    assert!((one(&hand, &first.id).await.low.0 - lies.low.0).abs() < 1e-6, "the first stays");
    hand.mouse_click(lies.middle(), None).await;
    hand.press_ctrl('c').await;
    let (x, y) = hand.on_screen((lies.low.0 + 200.0, lies.low.1 + 40.0)).await;
    hand.page.action_chain().move_to(x, y).perform().await.expect("the mouse");
    hand.change("pasted", hand.press_ctrl('v')).await;
    let five = all(&hand).await;
    assert_eq!(five.len(), 5);
    assert!(five.iter().any(|l| (l.low.0 - lies.low.0 - 200.0).abs() < 3.0 && (l.low.1 - lies.low.1 - 40.0).abs() < 3.0), "{five:?}");
    assert!(hand.open_findings().await.iter().all(|c| c != "nest-overlap" && c != "nest-stale"), "{:?}", hand.open_findings().await);
    // All of the sheet, all of a kind, and narrowed by a click.
    hand.mouse_click(one(&hand, &first.id).await.middle(), None).await;
    hand.press_ctrl('a').await;
    assert_eq!(chosen(&hand).await, 5);
    hand.until("what is chosen", "document.querySelectorAll('#card [data-narrow]').length === 2").await;
    hand.click("#card [data-narrow]:nth-child(1)").await;
    let narrowed = chosen(&hand).await;
    assert!((1..5).contains(&narrowed), "{narrowed}");
    hand.shoot("hands").await;
    browser.shut().await;
}

/// What may not be turned or mirrored is not, unless that is said; then it stays a finding. Sums and inches are typed in the card.
#[tokio::test(flavor = "multi_thread")]
async fn face_down_is_asked_lined_up_and_typed_with_sums() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    plates(&hand, &shop, "3", "").await;
    let begun = all(&hand).await;
    let before = hand.revision().await;
    hand.mouse_click(begun[0].middle(), None).await;
    hand.press("x").await;
    hand.until("it is refused", "document.querySelector('#notice').innerText.includes('face down')").await;
    assert_eq!(hand.revision().await, before, "nothing is done yet");
    hand.change("all the same", hand.click("#notice button")).await;
    hand.until("it is told", "document.querySelector('.finding[data-code=laid-against], .finding.look') !== null").await;
    assert!(hand.open_findings().await.contains(&"laid-against".to_owned()), "{:?}", hand.open_findings().await);
    // Typed as people type.
    hand.press("\u{e00c}").await;
    let again = all(&hand).await;
    hand.mouse_click(again[1].middle(), None).await;
    hand.until("the card", "document.querySelector('#card:not([hidden]) .copy') !== null").await;
    hand.fill("#card [name=x]", "200+50").await;
    hand.fill("#card [name=y]", "8in").await;
    hand.change("typed", hand.click("#card .copy .places button")).await;
    let typed = one(&hand, &again[1].id).await;
    let corner =
        hand.value("(() => { const s = document.querySelector('#stage').stage.scene.sheets[0].sheet; return [s.x, s.y] })()").await;
    let (sx, sy) = (corner[0].as_f64().expect("x"), corner[1].as_f64().expect("y"));
    assert!((typed.low.0 - sx - 250.0).abs() < 1e-3 && (typed.low.1 - sy - 203.2).abs() < 1e-3, "{typed:?}");
    // Two lined up by their upper edges, by the card.
    let other = one(&hand, &again[2].id).await;
    hand.mouse_click(other.middle(), Some(Key::Control)).await;
    hand.until("two", "document.querySelector('#card .what')?.textContent.includes('2 copies')").await;
    hand.change("lined up", hand.click("#card [data-align=top]")).await;
    let (a, b) = (one(&hand, &again[1].id).await, one(&hand, &again[2].id).await);
    assert!((a.high.1 - b.high.1).abs() < 1e-6, "{a:?} {b:?}");
    // Turned by the handle, which snaps to fifteen degrees.
    hand.press("\u{e00c}").await;
    hand.mouse_click(a.middle(), None).await;
    let handle = hand.value("(() => { const s = document.querySelector('#stage').stage, t = s.tools.find(t => t.twin), r = s.canvas.getBoundingClientRect(), [x, y] = t.handle(); return [r.left + x, r.top + y] })()").await;
    let at = |n: usize| handle[n].as_f64().expect("a place").round() as i64;
    let (mx, my) = hand.on_screen(a.middle()).await;
    // A quarter to the left, a little off.
    let far = my - at(1);
    let turn =
        hand.page.action_chain().move_to(at(0), at(1)).click_and_hold().move_to(mx - far / 2, my - far).move_to(mx - far, my + 4).release();
    hand.change("turned", async { turn.perform().await.expect("the mouse") }).await;
    let angle = hand.value(&format!("(() => {{ const s = document.querySelector('#stage').stage, c = s.scene.sheets[0].sheet.copies.find(c => c.id === {:?}); return s.tools.find(t => t.twin).figures(c).angle }})()", a.id)).await;
    let off = angle.as_f64().expect("an angle") % 15.0;
    assert!(off.min(15.0 - off) < 1e-6, "{angle}");
    // Measured, at this station too; Escape ends it.
    hand.press("m").await;
    let b = one(&hand, &again[2].id).await;
    hand.mouse_click(b.low, None).await;
    hand.mouse_click((b.high.0, b.low.1), None).await;
    let words = hand.value("document.querySelector('#stage').stage.tools[0].words().join()").await;
    assert!(words.as_str().is_some_and(|w| w.contains(&format!("{:.3} mm", b.high.0 - b.low.0))), "{words}");
    hand.shoot("measure").await;
    hand.press("\u{e00c}").await;
    assert!(hand.value("document.querySelector('#stage').stage.tools[0].points").await.is_null());
    // On to a sheet of its own, and back it is one sheet again.
    hand.mouse_click(b.middle(), None).await;
    hand.until("the card", "document.querySelector('#card:not([hidden]) [data-hand=sheet]') !== null").await;
    hand.change("its own sheet", hand.click("#card [data-hand=sheet]")).await;
    assert_eq!(one(&hand, &b.id).await.sheet, 1);
    browser.shut().await;
}
