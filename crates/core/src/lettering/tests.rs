use super::*;
use crate::geometry::Bounds;

fn bounds(line: &Line) -> Bounds {
    line.paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()))
}

#[test]
fn letters_have_the_height_asked_for() {
    for face in [Face::Outline, Face::Stroke] {
        let b = bounds(&line("HIVE", 10.0, face));
        assert!((b.height() - 10.0).abs() < 0.15 && b.min.y.abs() < 0.1, "{face:?} {b:?}");
        let twice = line("HIVEHIVE", 10.0, face).width;
        assert!(twice > 1.9 * line("HIVE", 10.0, face).width);
    }
}

#[test]
fn outlines_enclose_and_strokes_do_not() {
    let o = line("O", 10.0, Face::Outline);
    assert_eq!(o.paths.len(), 2, "an outline and its opening");
    assert!(o.paths.iter().all(|p| p.closed) && o.paths[0].area() * o.paths[1].area() < 0.0, "wound against each other");
    assert!(line("L", 10.0, Face::Stroke).paths.iter().all(|p| !p.closed));
    let odd = line("Ω中", 10.0, Face::Stroke);
    assert!(odd.paths.is_empty() && odd.missing == ['Ω', '中'] && odd.width > 5.0, "no box is burned for what is missing");
    assert!(line("", 5.0, Face::Outline).paths.is_empty());
}

#[test]
fn every_stroke_letter_is_whole() {
    for c in ('!'..='~').chain(['°', '×']) {
        let (paths, width) = stroke::letter(c).expect("a letter");
        assert!(!paths.is_empty() && width > 0.0, "{c}");
        for p in paths {
            assert!(p.segments.iter().all(|s| s.length() > 0.0), "{c}: {p:?}");
            let b = p.bounds();
            assert!(b.min.x > -1.5 && b.max.x < 11.0 && b.min.y > -4.0 && b.max.y < 12.0, "{c}: {b:?}");
        }
    }
}

/// Names as they are written in twenty tongues.
const NAMES: &str = "Łukasz Żółć Čeněk Ďáblice Ľuboš Nguyễn Đặng Jörg Müller Straße Ångström Ærøskøbing Œuvre Garçon Señor İstanbul \
    Şimşek Ğıcır Győző Szűcs Ștefan Țepeș Ģirts Ķēniņš Žydrūnas Šarūnas Jānis Þór Ðór Ħamrun Ġorġ Ċetta Ŵyn Ŷ Ĉiu Ŝi Ŭ";

#[test]
fn names_of_many_tongues_are_written_in_both_faces() {
    for face in [Face::Outline, Face::Stroke] {
        assert_eq!(lacks(NAMES, face), Vec::<char>::new(), "{face:?}");
        // Written with marks of their own it is the same.
        let apart: String = NAMES.nfd().collect();
        assert_eq!(line(&apart, 7.0, face), line(NAMES, 7.0, face), "{face:?}");
    }
    assert_eq!(lacks("Αθήνα Москва Київ", Face::Outline), Vec::<char>::new());
    assert_eq!(lacks("ok 東京 😀 東", Face::Outline), ['東', '京', '😀']);
}

#[test]
fn marks_stand_over_and_under_their_letters() {
    let top = |text: &str| bounds(&line(text, 10.0, Face::Stroke)).max.y;
    let foot = |text: &str| bounds(&line(text, 10.0, Face::Stroke)).min.y;
    for (plain, over) in [("e", "é"), ("E", "Ě"), ("o", "ö"), ("u", "ű"), ("s", "š"), ("ê", "ế")] {
        assert!(top(over) > top(plain) + 0.5, "{over}");
    }
    for (plain, under) in [("s", "ş"), ("e", "ę"), ("a", "ạ"), ("T", "Ț")] {
        assert!(foot(under) < foot(plain) - 0.5, "{under}");
    }
    // The dot of an i gives way.
    assert_eq!(line("í", 10.0, Face::Stroke).paths.len(), 2);
    let different = |a: &str, b: &str| line(a, 10.0, Face::Stroke).paths != line(b, 10.0, Face::Stroke).paths;
    assert!(different("l", "ł") && different("o", "ø") && different("d", "đ") && different("e", "é") && different("è", "é"));
}

#[test]
fn faces_are_set_as_they_are_meant_to_be() {
    for face in Face::SHIPPED {
        assert_eq!(Face::named(&face.name()), Some(face));
        let b = bounds(&line("HIE", 10.0, face));
        assert!((b.height() - 10.0).abs() < 0.9, "{face:?} {b:?}");
        let said = serde_json::to_string(&face).expect("it is written");
        assert_eq!(serde_json::from_str::<Face>(&said).expect("it is read"), face);
    }
    // Kerning: a V leans on an A.
    for face in [Face::Outline, Face::Condensed, Face::Serif] {
        let width = |t: &str| line(t, 10.0, face).width;
        assert!(width("AV") < width("A") + width("V") - 0.2, "{face:?}");
    }
    assert!(line("Hamburg", 10.0, Face::Condensed).width < 0.8 * line("Hamburg", 10.0, Face::Outline).width);
    // A connected script is one area from letter to letter; a stencil leaves no island.
    let joined = |text: &str, face: Face| {
        let areas = line(text, 20.0, face).paths;
        let islands = areas.iter().filter(|p| areas.iter().any(|q| !std::ptr::eq(*p, q) && q.contains(p.segments[0].start))).count();
        (
            crate::geometry::Region::union(areas.iter().filter(|p| p.area() < 0.0).map(|p| crate::geometry::Region::within(&[p])))
                .outlines()
                .len(),
            islands,
        )
    };
    assert_eq!(joined("mouse", Face::Script).0, joined("o", Face::Script).0, "the letters of a word run into each other");
    assert_eq!(joined("ABDOPQR", Face::Stencil).1, 0, "nothing falls out of a stencil");
    assert!(joined("ABDOPQR", Face::Outline).1 > 0);
}

#[test]
fn names_of_twenty_tongues_are_written_or_told() {
    for face in Face::SHIPPED {
        for text in [
            "Łukasz Żółć",
            "Čeněk Ďáblice",
            "Jörg Müller Straße",
            "Ærøskøbing Ångström",
            "Œuvre Garçon Señor",
            "İstanbul Şimşek",
            "Őrség Szűcs",
            "Țepeș",
            "Ķēniņš",
        ] {
            assert_eq!(lacks(text, face), Vec::<char>::new(), "{face:?} {text}");
        }
        let all = lacks("Ω Ж ế 東 😀", face);
        assert!(all.contains(&'東') && all.contains(&'😀'), "{face:?}");
        // What is missing has room and nothing in it.
        assert_eq!(line("A東B", 10.0, face).missing, ['東'], "{face:?}");
        let (with, without) = (line("A東B", 10.0, face), line("AB", 10.0, face));
        assert!(with.width > without.width && with.paths.len() == without.paths.len(), "{face:?}");
    }
}

#[test]
fn writing_is_set_as_it_is_asked_for() {
    let size = |s: Setting, text: &str| {
        let l = set(text, 10.0, Face::Outline, &s);
        (bounds(&l), l.width)
    };
    let plain = Setting::default();
    let (b, w) = size(plain, "HIVE");
    // Three letters' gaps are wider.
    let (wide, _) = size(Setting { spaced: 2.0, ..plain }, "HIVE");
    assert!((wide.width() - b.width() - 6.0).abs() < 1e-6);
    // Two lines, 16 mm apart; the shorter one to each side.
    let (two, _) = size(plain, "HIVE|H");
    assert!((two.height() - b.height() - 16.0).abs() < 0.1);
    let foot = |align: Align| {
        let l = set("HIVE|I", 10.0, Face::Outline, &Setting { align, lines: 20.0, ..plain });
        l.paths.iter().map(Path::bounds).filter(|b| b.max.y < -5.0).fold(Bounds::EMPTY, Bounds::union).center().x
    };
    assert!(foot(Align::Left) < foot(Align::Middle) && foot(Align::Middle) < foot(Align::Right));
    assert!((foot(Align::Middle) - w / 2.0).abs() < 0.3);
    // Fitted to a width and to a box.
    for (fit, text) in [((80.0, 0.0), "HIVE"), ((80.0, 12.0), "HIVE"), ((30.0, 40.0), "HIVE|HIVES"), ((30.0, 4.0), "I")] {
        let (b, _) = size(Setting { fit, ..plain }, text);
        assert!(b.width() <= fit.0 + 1e-6 && (fit.1 == 0.0 || b.height() <= fit.1 + 1e-6), "{text} {b:?}");
        assert!((b.width() - fit.0).abs() < 0.05 || (b.height() - fit.1).abs() < 0.05, "{text} {b:?}");
    }
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig::with_cases(60))]
    /// Round a circle every letter stands on it, as large as it was: over the top outside, along the foot inside.
    #[test]
    fn letters_stand_on_their_circle(text in "[A-Z]{1,10}", r in 25.0..200.0_f64, over in proptest::bool::ANY, face in proptest::sample::select(&Face::SHIPPED[..])) {
        let round = if over { r } else { -r };
        let bent = set(&text, 8.0, face, &Setting { round, ..Setting::default() });
        let flat = line(&text, 8.0, face);
        proptest::prop_assert_eq!(bent.paths.len(), flat.paths.len());
        let area = |l: &Line| l.paths.iter().map(Path::area).sum::<f64>();
        proptest::prop_assert!((area(&bent) - area(&flat)).abs() < 1e-6);
        let far = |l: &Line| l.paths.iter().flat_map(|p| p.points(0.05)).map(|p| p.to_vec2().hypot()).fold((f64::INFINITY, 0.0_f64), |(a, b), d| (a.min(d), b.max(d)));
        let (near, most) = far(&bent);
        if over {
            proptest::prop_assert!(near > r - 4.5 && most < r + 13.0, "{near} {most} of {r}");
        } else {
            proptest::prop_assert!(near > r - 13.0 && most < r + 8.0, "{near} {most} of {r}");
        }
        let middle = bent.paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds())).center();
        proptest::prop_assert!(flat.width > r || (middle.y > 0.0) == over);
    }
}

#[test]
fn a_shops_own_face_is_known_by_what_is_in_it() {
    assert!(learn("Bees", b"no face").expect_err("refused").contains(".ttf"));
    assert!(learn("serif", FONT).expect_err("refused").contains("serif"));
    let own = learn("Bee sans", FONT).expect("a face");
    assert_eq!((Face::named("bee SANS"), learn("Bee sans", FONT)), (Some(Face::Own(own)), Ok(own)));
    assert_eq!(line("Hive", 7.0, Face::Own(own)), line("Hive", 7.0, Face::Outline));
    let gone = Face::Own(OwnFace(7));
    assert!(lacks("Hive", gone) == ['H', 'i', 'v', 'e'] && line("Hive", 7.0, gone).paths.is_empty());
}
