//! Hold by hand: nicks added, carried and taken off, for every copy and for one.

use crate::batches::written;
use crate::harness::{Browser, Hand, Shop};

/// The nicks of every copy of the first part's outline, on the bench, in the order of the copies' numbers.
async fn nicks(hand: &Hand<'_>) -> Vec<Vec<(f64, f64)>> {
    let script = "(() => { const s = document.querySelector('#stage').stage.scene; \
         return s.items.filter(i => i.cut).sort((a, b) => a.copy < b.copy ? -1 : 1).map(i => i.nicks.map(n => [i.dx + n[0], i.dy + n[1]])) })()";
    let all = hand.value(script).await;
    let one = |n: &serde_json::Value| Some((n[0].as_f64()?, n[1].as_f64()?));
    all.as_array().into_iter().flatten().map(|c| c.as_array().into_iter().flatten().filter_map(one).collect()).collect()
}

/// A place on the lower edge of a copy's outline as it lies.
async fn lower_edge(hand: &Hand<'_>, copy: usize, share: f64) -> (f64, f64) {
    let script = format!(
        "(() => {{ const i = document.querySelector('#stage').stage.scene.items.filter(i => i.cut).sort((a, b) => a.copy < b.copy ? -1 : 1)[{copy}]; \
         return [i.dx + i.b[0] + (i.b[2] - i.b[0]) * {share}, i.dy + i.b[1]] }})()"
    );
    let v = hand.value(&script).await;
    (v[0].as_f64().expect("x"), v[1].as_f64().expect("y"))
}

#[tokio::test(flavor = "multi_thread")]
async fn nicks_are_added_carried_and_taken_off_in_every_copy_or_in_one() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Plates", &[written(shop.data.path(), "plates.dxf", &[(0.0, 0.0, 90.0, 60.0)])]).await;
    hand.station("4", "nest").await;
    hand.change("two of them", hand.fill(".parts.list tr:nth-child(1) input[name=value]", "2")).await;
    hand.nest().await;
    hand.station("6", "hold").await;
    let begun = nicks(&hand).await;
    assert_eq!(begun.len(), 2);
    let count = begun[0].len();
    // Added in every copy.
    let mut free = (0.0, 0.1);
    for share in [0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 0.9] {
        let (x, y) = lower_edge(&hand, 0, share).await;
        let far = begun[0].iter().map(|n| (n.0 - x).hypot(n.1 - y)).fold(f64::INFINITY, f64::min);
        free = if far > free.0 { (far, share) } else { free };
    }
    let (x, y) = lower_edge(&hand, 0, free.1).await;
    hand.change("one more", hand.stage_click(x, y, false)).await;
    let added = nicks(&hand).await;
    assert!(added.iter().all(|c| c.len() == count + 1), "{added:?}");
    let near = |all: &[(f64, f64)], x: f64, y: f64| all.iter().copied().find(|n| (n.0 - x).hypot(n.1 - y) < 1.5);
    let nick = near(&added[0], x, y).expect("where it was clicked");
    hand.shoot("hold-nick").await;
    // Carried along the edge, in this copy alone.
    hand.click("#nick-reach [value=one]").await;
    // To somewhere else on that edge, where none of the others is.
    let to = (x + if free.1 < 0.5 { 9.0 } else { -9.0 }, y);
    hand.change("carried", hand.stage_drag(nick, to)).await;
    let carried = nicks(&hand).await;
    assert!(near(&carried[0], to.0, to.1).is_some() && near(&carried[0], nick.0, nick.1).is_none(), "{carried:?}");
    assert_eq!(carried[1].len(), count + 1, "the other copy has it where it was");
    assert_eq!(carried[1], added[1], "the other copy's stays");
    // Taken off, in this copy alone.
    hand.click("#nick-reach [value=one]").await;
    let there = near(&carried[0], to.0, to.1).expect("it is there");
    hand.change("taken off", hand.stage_click(there.0, there.1, false)).await;
    let left = nicks(&hand).await;
    assert_eq!((left[0].len(), left[1].len()), (count, count + 1));
    // Given back to the rule: this copy has what every copy has, then all have the rule's.
    hand.until("the card", "document.querySelector('#card [data-copy]') !== null || document.querySelector('#docket')").await;
    hand.change("undo", hand.press_ctrl('z')).await;
    assert_eq!(nicks(&hand).await, carried);
    // The rule: fewer and more, and on what.
    hand.change("at least six", hand.fill("#docket [name=value][size='8']", "6 to 9")).await;
    hand.until("it is told", "document.querySelector('#nicks-by-hand') !== null").await;
    browser.shut().await;
}

/// Where the outermost cut is pierced, on the bench.
async fn pierce(hand: &Hand<'_>) -> (f64, f64) {
    let script = "(() => { const s = document.querySelector('#stage').stage.scene; \
         const i = s.items.filter(i => i.cut).sort((a, b) => (b.b[2] - b.b[0]) - (a.b[2] - a.b[0]))[0]; return [i.dx + i.start[0], i.dy + i.start[1]] })()";
    let v = hand.value(script).await;
    (v[0].as_f64().expect("x"), v[1].as_f64().expect("y"))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pierce_is_carried_and_its_ghost_tells_what_it_would_touch() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Feet", &[written(shop.data.path(), "foot.dxf", &[(0.0, 0.0, 160.0, 120.0), (40.0, 40.0, 60.0, 40.0)])]).await;
    hand.station("3", "assign").await;
    hand.change("steel", hand.choose(".batch select", "anvil/mild-steel/6")).await;
    hand.station("4", "nest").await;
    hand.nest().await;
    hand.station("6", "hold").await;
    hand.until("there are leads", "document.querySelector('.lead-ways') !== null").await;
    hand.change("lines", hand.click(".lead-ways form:nth-child(1) select option:nth-child(2)")).await;
    let begun = pierce(&hand).await;
    let sheet = hand.value("(() => { const s = document.querySelector('#stage').stage.scene.sheets[0].sheet, c = s.copies[0], b = document.querySelector('#stage').stage.scene.box(c); return [s.x + b[0], s.y + b[1], s.x + b[2], s.y + b[3]] })()").await;
    let side = |i: usize| sheet[i].as_f64().expect("a box");
    let (right, top) = (side(2), side(3));
    // Into the part itself: the ghost says that it cannot be.
    let free = "document.querySelector('#stage').stage.tools.find(t => t.free !== undefined).free";
    hand.stage_hold(begun, (f64::midpoint(side(0), right), top - 12.0)).await;
    hand.until("it touches", &format!("{free} === false")).await;
    hand.shoot("hold-pierce").await;
    // Out into the scrap beside the upper edge: it can, and there it is pierced.
    let to = (f64::midpoint(side(0), right), top + 9.0);
    hand.stage_on(to).await;
    hand.until("it is free", &format!("{free} === true")).await;
    hand.change("let go", hand.stage_let_go(to)).await;
    let moved = pierce(&hand).await;
    assert!((moved.0 - to.0).hypot(moved.1 - to.1) < 0.5, "{to:?}, and it is pierced at {moved:?}");
    assert!(hand.open_findings().await.iter().all(|c| c != "pierce-not-kept"), "{:?}", hand.open_findings().await);
    hand.until("it is told", "document.querySelector('#nicks-by-hand') !== null").await;
    // It outlives another nest.
    hand.station("4", "nest").await;
    hand.change("two", hand.fill(".parts.list tr:nth-child(1) input[name=value]", "2")).await;
    hand.nest().await;
    hand.station("6", "hold").await;
    hand.until("it is told still", "document.querySelector('#nicks-by-hand') !== null").await;
    // Outer corners looped in the scrap: longer cuts; inner ones stood in: a field for how long.
    let plain = hand.text("[data-figure=cut] .value").await;
    hand.change("loops", hand.click(".corner-ways form:nth-child(2) select option:nth-child(2)")).await;
    assert_ne!(hand.text("[data-figure=cut] .value").await, plain, "loops are cut");
    hand.change("stays", hand.click(".corner-ways form:nth-child(1) select option:nth-child(2)")).await;
    hand.change("how long", hand.fill(".corner-ways form:has([value=corner-seconds]) input[name=value]", "0.3")).await;
    hand.change("over its begin", hand.fill(".lead-ways form:has([value=overlap]) input[name=value]", "4")).await;
    hand.change("lit to the next", hand.fill(".lead-ways form:has([value=chain]) input[name=value]", "40")).await;
    hand.click("#thin summary").await;
    hand.until("nothing is thin", "document.querySelector('#thin').dataset.places === '0'").await;
    hand.fill("#thin-kerfs", "40").await;
    hand.until("all is thin", "Number(document.querySelector('#thin').dataset.places) > 0").await;
    hand.shoot("hold-thin").await;
    hand.click("#thin summary").await;
    hand.station("7", "proof").await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    browser.shut().await;
}
