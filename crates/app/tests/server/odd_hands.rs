//! Order and Hold by hand, as no page would post it: every answer is a sentence, nothing is decided by it, and nothing breaks.

use crate::client::Shop;

pub const PLATE: &str = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n8\n0\n90\n4\n70\n1\n10\n0\n20\n0\n10\n80\n20\n0\n10\n80\n20\n50\n10\n0\n20\n50\n0\nCIRCLE\n8\n0\n10\n40\n20\n25\n40\n8\n0\nENDSEC\n0\nEOF\n";

/// A job with one plate that has a hole, laid on a sheet; its number.
fn laid(shop: &Shop) -> u32 {
    let job = shop.job("Plate");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("plate.dxf", PLATE.as_bytes())]).status, 204);
    assert_eq!(shop.post(&format!("/jobs/{job}/search/start"), &[("batch", "1"), ("seconds", "2")]).status, 204);
    for _ in 0..200 {
        if shop.get(&format!("/jobs/{job}/order")).text().contains("data-cut=") {
            return job;
        }
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    panic!("it was not laid");
}

/// The names of the cuts as the page lists them.
fn cuts(shop: &Shop, job: u32) -> Vec<String> {
    let page = shop.get(&format!("/jobs/{job}/order")).text();
    page.split("data-cut=\"").skip(1).filter_map(|rest| rest.split('"').next()).map(str::to_owned).collect()
}

#[test]
fn what_no_page_would_post_is_answered_in_a_sentence() {
    let shop = Shop::open(&[]);
    let job = laid(&shop);
    // What is sent without being booked is told before.
    assert!(shop.get(&format!("/jobs/{job}/release")).text().contains("Not on the rack"));
    let all = cuts(&shop, job);
    assert_eq!(all.len(), 2, "a hole and an outline: {all:?}");
    let (hole, outline) = (all[0].as_str(), all[1].as_str());
    let revision = shop.revision(job);
    let now = revision.to_string();
    let other = "00000000000000aa@00000000000000aa-1";
    type Fields<'a> = Vec<(&'a str, &'a str)>;
    let posts: Vec<(&str, Fields, u16)> = vec![
        // The order: nothing, what is gone, numbers that are none, an outline before its hole.
        ("places", vec![("cuts", ""), ("at", "1")], 422),
        ("places", vec![("cuts", other), ("at", "1")], 422),
        ("places", vec![("cuts", "nonsense"), ("at", "1")], 422),
        ("places", vec![("cuts", outline), ("at", "0")], 422),
        ("places", vec![("cuts", outline), ("at", "-3")], 422),
        ("places", vec![("cuts", outline), ("at", "1e9")], 422),
        ("places", vec![("cuts", outline), ("at", "1")], 422),
        ("places", vec![("cuts", hole), ("at", "7")], 422),
        // Nicks and pierces: places that are none, cuts that are gone.
        ("nick", vec![("cut", other), ("to", "1,1")], 422),
        ("nick", vec![("cut", outline), ("to", "NaN,1")], 422),
        ("nick", vec![("cut", outline), ("to", "1")], 422),
        ("nick", vec![("cut", hole), ("from", "10,10"), ("to", "")], 422),
        ("pierce", vec![("cut", other), ("to", "1,1")], 422),
        ("pierce", vec![("cut", outline), ("to", "")], 422),
        ("pierce", vec![("cut", outline), ("to", "1e300,1e300")], 422),
        ("pierce", vec![("cut", outline), ("to", "inf,0")], 422),
    ];
    for (what, mut fields, status) in posts {
        fields.extend([("revision", now.as_str()), ("batch", "1")]);
        let answer = shop.post(&format!("/jobs/{job}/{what}"), &fields);
        let said = answer.text();
        assert!(answer.status == status && said.len() > 10 && !said.contains("panicked"), "{what} {fields:?}: {} {said}", answer.status);
        assert_eq!(shop.revision(job), revision, "nothing is decided by {fields:?}");
    }
    // What a page does post: a place, a nick, a direction, and all of it given back.
    let post = |what: &str, more: &[(&str, &str)]| {
        let now = shop.revision(job).to_string();
        let fields: Vec<(&str, &str)> =
            more.iter().copied().chain([("revision", now.as_str()), ("batch", "1"), ("station", "order")]).collect();
        shop.post(&format!("/jobs/{job}/{what}"), &fields).status
    };
    assert_eq!(post("places", &[("cuts", outline), ("at", "2")]), 200);
    assert_eq!(post("places", &[("cuts", outline), ("at", "")]), 200);
    assert_eq!(post("edit", &[("do", "way"), ("on", outline.split('@').next().unwrap_or("")), ("value", "against")]), 200);
    assert_eq!(post("edit", &[("do", "strategy"), ("value", "spread:35")]), 200);
    assert_eq!(post("edit", &[("do", "strategy"), ("value", "spread:1e99")]), 422);
    assert_eq!(post("edit", &[("do", "nick-count"), ("value", "9 to 2")]), 422);
    assert_eq!(post("edit", &[("do", "lead-length"), ("value", "4000")]), 422);
    assert_eq!(post("edit", &[("do", "free-order"), ("value", "")]), 200);
    // A stale page is told that the job has moved on.
    let stale = shop.post(&format!("/jobs/{job}/places"), &[("cuts", hole), ("at", "1"), ("revision", now.as_str()), ("batch", "1")]);
    assert_eq!(stale.status, 409, "{}", stale.text());
    // The way with a figure of its own stands first; the six others are asked for one after the other.
    let mut ways = shop.get(&format!("/jobs/{job}/orders?batch=1")).text();
    for n in 0..6 {
        let next = format!("way={n}\"");
        assert!(ways.contains(&next) && ways.contains("calculating"), "{ways}");
        ways = shop.get(&format!("/jobs/{job}/orders?batch=1&way={n}")).text();
        assert_eq!(ways.matches("<form").count(), 1, "{ways}");
    }
    assert!(!ways.contains("calculating"));
    assert_eq!(shop.get(&format!("/jobs/{job}/orders?batch=1&way=6")).status, 404);
}

#[test]
fn odd_figures_for_the_machines_are_answered_in_a_sentence() {
    let shop = Shop::open(&[]);
    let job = laid(&shop);
    let runs = format!("/jobs/{job}/runs");
    let mut posts: Vec<(&str, Vec<(&str, &str)>)> = Vec::new();
    for figure in ["", "x", "-1", "0", "51", "1e9", "1;2"] {
        posts.push((&runs, vec![("sheet", "1"), ("times", figure)]));
    }
    for figure in ["", "x", "-1", "1e9", "NaN"] {
        posts.push((&runs, vec![("sheet", figure), ("times", "1")]));
        posts.push(("/machines/lark/pace", vec![("row", "lark/birch-ply/3/cut"), ("factor", figure)]));
        posts.push(("/bed/lark/touched", vec![("x", figure), ("y", "1")]));
    }
    posts.extend([
        ("/machines/lark/order", vec![("runs", "1,x")]),
        ("/machines/lark/order", vec![]),
        ("/bed/lark/known", vec![("px", "1")]),
        ("/bed/lark/keep", vec![("rings", "[[[0,0],[1e308,0],[0,1e308]]]"), ("material", "birch-ply"), ("thickness", "3")]),
        ("/runs/1/tick", vec![]),
    ]);
    for (path, fields) in posts {
        let answer = shop.post(path, &fields);
        let said = answer.sentence();
        assert!(answer.status == 422 && (10..200).contains(&said.len()), "{path} {fields:?}: {} {said} {}", answer.status, answer.text());
    }
}
