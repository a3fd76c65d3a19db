use super::*;
use boustrophe_core::decisions::{AssignEdit, Edit};

#[test]
fn what_is_typed_becomes_a_setting_a_tone_and_numbers() {
    let form = |feed: &str, passes: &str| SettingForm {
        revision: 1,
        name: " deep ".into(),
        process: "engrave".into(),
        feed: feed.into(),
        power: String::new(),
        passes: passes.into(),
        pitch: "0.2".into(),
        tool: String::new(),
    };
    let setting = form("6000*2", "2").setting(4).expect("a setting");
    assert_eq!(
        (setting.id, setting.name.as_str(), setting.feed, setting.power, setting.passes, setting.pitch),
        (4, "deep", Some(12_000.0), None, Some(2), Some(0.2))
    );
    assert!(form("fast", "2").setting(1).is_err() && form("", "0").setting(1).is_err());
    let tone = |dither: &str, gamma: &str, crop: &str| ToneForm {
        revision: 1,
        dither: dither.into(),
        brightness: "0".into(),
        contrast: "10".into(),
        gamma: gamma.into(),
        invert: "on".into(),
        crop: crop.into(),
    };
    let Ok(Edit::Assign(AssignEdit::SetTone { tone: Some(t), .. })) = tone("crisp", "1.2", "").edit("00000000000000ff") else {
        panic!("a tone")
    };
    assert!(t.invert && t.dither == Dither::Crisp && t.gamma == 1.2 && t.crop.is_none());
    assert!(
        tone("rough", "1", "").edit("00000000000000ff").is_err()
            && tone("crisp", "x", "").edit("00000000000000ff").is_err()
            && tone("crisp", "1", "zz").edit("00000000000000ff").is_err()
    );
    let numbers = |face: &str, first: &str| NumbersForm {
        revision: 1,
        face: face.into(),
        prefix: "H".into(),
        first: first.into(),
        smallest: "2".into(),
        tallest: "1/4in".into(),
    };
    assert_eq!(numbers("off", "x").numbers(), Ok(None));
    assert!(
        numbers("engraved", "7")
            .numbers()
            .is_ok_and(|n| n.is_some_and(|n| n.tallest == 6.35 && n.first == 7 && n.process == Process::Engrave))
    );
    assert!(numbers("scored", "-1").numbers().is_err());
}
