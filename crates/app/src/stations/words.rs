//! Changes as forms post them: a whole edit, or the word of a station with what it is on and what was typed. Which words there
//! are and what they make stands with each station, in its `edits.rs`.

use super::form::Form;
use super::{assign, clean, hold, intake, nest, order, release};
use boustrophe_core::decisions::Edit;
use std::str::FromStr;

/// The edit of a station that has the form's word.
fn of<W: FromStr>(form: &Form, edit: impl Fn(W, &Form) -> Result<Edit, String>) -> Option<Result<Edit, String>> {
    form.r#do.parse().ok().map(|word| edit(word, form))
}

impl Form {
    /// The edit, or what is wrong with what was typed.
    pub fn edit(&self) -> Result<Edit, String> {
        if !self.edit.is_empty() {
            return serde_json::from_str(&self.edit).map_err(|e| format!("this change is not understood: {e}"));
        }
        let made = of(self, intake::edits::Word::edit)
            .or_else(|| of(self, clean::edits::Word::edit))
            .or_else(|| of(self, assign::edits::Word::edit))
            .or_else(|| of(self, nest::edits::Word::edit))
            .or_else(|| of(self, order::edits::Word::edit))
            .or_else(|| of(self, hold::edits::Word::edit))
            .or_else(|| of(self, release::edits::Word::edit));
        let none = || Err(format!("“{}” is no change that can be made here", self.r#do));
        made.unwrap_or_else(none).map(|edit| edit.on(self.batch))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use boustrophe_core::decisions::{IntakeEdit, NestEdit, OnBatch};
    use boustrophe_core::ids::BatchId;

    fn form(name: &str, on: &str, value: &str) -> Result<Edit, String> {
        Form { r#do: name.into(), on: on.into(), value: value.into(), ..Form::default() }.edit()
    }

    #[test]
    fn what_is_typed_becomes_an_edit() {
        assert_eq!(form("spacing", "", "1/8in"), Ok(NestEdit::SetSpacing { spacing: Some(3.175) }.on(BatchId::FIRST)));
        assert_eq!(form("spacing", "", ""), Ok(NestEdit::SetSpacing { spacing: None }.on(BatchId::FIRST)));
        assert_eq!(form("scale", "1", "1:20"), Ok(Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale: 20.0 })));
        let Ok(Edit::Nest(OnBatch { edit: NestEdit::SetSheets { sheets }, .. })) = form("sheet", "", "2@600x400, 900x600") else {
            panic!("two kinds")
        };
        assert_eq!((sheets[0].count, sheets[1].width), (Some(2), 900.0));
        let Ok(Edit::Nest(OnBatch { edit: NestEdit::SetClamps { clamps }, .. })) = form("clamps", "", "0,0 50x30; 550,1in 20x20") else {
            panic!("two clamps")
        };
        assert_eq!((clamps[0].max.x, clamps[1].min.y, clamps[1].height()), (50.0, 25.4, 20.0));
        assert_eq!(form("grain", "", ""), Ok(NestEdit::SetGrain { grain: None }.on(BatchId::FIRST)));
        assert_eq!(form("aside", "", "swap"), Ok(NestEdit::SwapAside.on(BatchId::FIRST)));
    }

    #[test]
    fn what_makes_no_sense_is_said() {
        for (name, on, value) in [
            ("sheet", "", "0x0"),
            ("sheet", "", "wide"),
            ("quantity", "zz", "1"),
            ("quantity", "0000000000000001", "-1"),
            ("spacing", "", "abc"),
            ("turn", "", "45"),
            ("none", "", ""),
            ("clamps", "", "0,0"),
            ("clamps", "", "0,0 axb"),
            ("clamps", "", "10 5x5"),
            ("grain", "", "sideways"),
            ("aside", "", "burn"),
            ("key", "layer=", "burn"),
            ("batch", "", "lark"),
        ] {
            assert!(form(name, on, value).is_err(), "{name} {value}");
        }
        assert!(Form { edit: "{".into(), ..Form::default() }.edit().is_err());
    }

    fn pages(folder: &std::path::Path) -> String {
        let all = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|e| e.path());
        let text = |p: std::path::PathBuf| match p.extension().and_then(|e| e.to_str()) {
            None => pages(&p),
            Some("html" | "js") => std::fs::read_to_string(&p).unwrap_or_default(),
            Some(_) => String::new(),
        };
        all.map(text).collect()
    }

    #[test]
    fn every_word_is_posted_by_some_page_and_is_one_stations_alone() {
        fn of<W: strum::IntoEnumIterator + Into<&'static str>>() -> Vec<&'static str> {
            W::iter().map(Into::into).collect()
        }
        let all = [
            of::<intake::edits::Word>(),
            of::<clean::edits::Word>(),
            of::<assign::edits::Word>(),
            of::<nest::edits::Word>(),
            of::<order::edits::Word>(),
            of::<hold::edits::Word>(),
            of::<release::edits::Word>(),
        ]
        .concat();
        let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR"));
        let pages = ["src", "templates", "static/js"].map(|f| pages(&root.join(f))).concat();
        for word in &all {
            assert_eq!(all.iter().filter(|w| *w == word).count(), 1, "{word}");
            // What only whoever writes to the shop from outside asks for by its word; pages offer each way with its figures.
            let outside = *word == "strategy";
            let posted = outside || pages.contains(&format!("\"{word}\"")) || pages.contains(&format!("'{word}'"));
            assert!(posted, "no page posts {word}");
        }
        assert!(all.len() > 50 && form("nonsense", "", "").is_err());
    }
}
