//! No module imports what stands above it.

use boustrophe_house::{circles, imports, modules, root};
use std::collections::BTreeMap;

#[test]
fn no_modules_import_each_other_in_a_circle() {
    let crates = std::fs::read_dir(root().join("crates")).expect("the crates");
    let mut looked_at = 0;
    for one in crates.flatten() {
        let all = modules(&one.path().join("src"));
        looked_at += all.len();
        assert_eq!(circles(&all), Vec::<std::collections::BTreeSet<String>>::new(), "{}", one.path().display());
    }
    assert!(looked_at > 60, "{looked_at} modules");
}

#[test]
fn a_circle_is_found_however_it_is_written() {
    let named = |text: &str| imports(text).into_iter().collect::<Vec<_>>();
    assert_eq!(named("use crate::{assets, nest::{Layout, Sheet}, order};\nuse mycrate::x;"), ["assets", "nest", "order"]);
    assert_eq!(named("fn f() -> crate::proof::Verdict { crate::time::duration() }"), ["proof", "time"]);
    let of = |ties: &[(&str, &str)]| -> Vec<Vec<String>> {
        let all: BTreeMap<String, String> = ties.iter().map(|(m, text)| ((*m).to_owned(), (*text).to_owned())).collect();
        circles(&all).into_iter().map(|c| c.into_iter().collect()).collect()
    };
    assert!(of(&[("a", "use crate::b;"), ("b", "use crate::c::d;"), ("c", "")]).is_empty());
    assert_eq!(of(&[("a", "use crate::b;"), ("b", "use crate::{c};"), ("c", "crate::a::f()"), ("d", "use crate::a;")]), [["a", "b", "c"]]);
}
