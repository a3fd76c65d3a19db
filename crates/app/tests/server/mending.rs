//! All safe remedies of a station by one order: in their turn until none is left, told, and taken back by one undo.

use crate::client::Shop;

/// A frame drawn twice, one side of it a third time; a plate whose outline has a gap of 0.05 mm; three specks.
const MESSY: &str = r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="0 0 200 100"><g fill="none" stroke="black">
<path d="M10 10h80v60h-80z"/><path d="M10 10h80v60h-80z"/><path d="M10 10h80"/>
<path d="M110 10h70v60h-70v-59.95"/><path d="M120 20h0.01"/><path d="M130 20h0.01"/><path d="M140 20h0.01"/></g></svg>"#;

/// How many findings of a page are to be looked at.
fn looks(page: &str) -> usize {
    page.matches("class=\"finding look\"").count()
}

#[test]
fn all_safe_remedies_are_taken_by_one_order_and_back_by_one_undo() {
    let shop = Shop::open(&[]);
    let job = shop.job("Messy");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("messy.svg", MESSY.as_bytes())]).status, 204);
    let page = || shop.get(&format!("/jobs/{job}/clean")).text();
    let before = page();
    assert!(looks(&before) > 1 && before.contains("id=\"mend-all\""), "{before}");
    let order = |what: &str| {
        let revision = shop.revision(job).to_string();
        shop.post(&format!("/jobs/{job}/{what}"), &[("revision", &revision), ("station", "clean"), ("batch", "1")])
    };
    let answer = order("mend");
    assert_eq!(answer.status, 200, "{}", answer.sentence());
    let told = answer.text();
    assert!(told.contains("remedies taken; Undo takes all of them back"), "{told}");
    let list = told.split("class=\"taken\"").nth(1).and_then(|t| t.split("</details>").next()).unwrap_or_default();
    assert!(list.matches("<li>").count() > 1 && list.contains("messy.svg"), "{list}");
    let after = page();
    assert!(looks(&after) < looks(&before) && !after.contains("id=\"mend-all\""), "{after}");
    assert!(!after.contains("class=\"taken\""), "it is told once");
    // Nothing is left to take; what a page from before asks for is a conflict.
    let again = order("mend");
    assert_eq!(again.status, 422);
    assert!(again.sentence().contains("safe to take unseen"), "{}", again.sentence());
    assert_eq!(order("undo").status, 200);
    assert_eq!(looks(&page()), looks(&before), "one undo takes all of it back");
}

/// A colour that is named in the key is shown beside its name, as a drawing: the pages' policy lets nothing style itself.
#[test]
fn a_colour_that_is_named_is_shown() {
    let shop = Shop::open(&[]);
    let job = shop.job("Blue");
    let blue = MESSY.replace("stroke=\"black\"", "stroke=\"#3355aa\"");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("blue.svg", blue.as_bytes())]).status, 204);
    let page = shop.get(&format!("/jobs/{job}/assign")).text();
    let key = page.split("class=\"key\"").nth(1).expect("the key");
    assert!(key.contains("fill=\"#3355aa\"/></svg>#3355aa"), "{key}");
    for station in ["intake", "clean", "assign", "nest", "order", "hold", "proof", "release"] {
        assert!(!shop.get(&format!("/jobs/{job}/{station}")).text().contains(" style=\""), "{station} styles itself, which is not let");
    }
}
