//! Jobs as cards: what is told of each, in which order they lie, and which are found by a word.

use boustrophe_shop::cards::Figures;
use boustrophe_store::{Job, OnFloor};
use std::collections::BTreeMap;

/// A job on the floor.
pub struct Card {
    pub job: Job,
    pub due: String,
    pub figures: Figures,
    /// The revision that its miniature shows.
    pub revision: i32,
    /// Parts that its runs have made.
    pub made: i64,
    /// It should have been made by today.
    pub overdue: bool,
}

impl Card {
    /// A card that cannot be read, or is not there yet, shows the job's name alone.
    pub fn of((job, stored): OnFloor, made: &BTreeMap<i32, i64>, today: &str) -> Self {
        let (revision, body) = stored.unwrap_or_default();
        let figures = serde_json::from_str(&body).unwrap_or_default();
        let made = made.get(&job.id).copied().unwrap_or(0);
        let due = job.due.clone().unwrap_or_default();
        let mut card = Self { overdue: false, due, figures, revision, made, job };
        card.overdue = !card.due.is_empty() && card.due.as_str() < today && !card.is_made();
        card
    }

    /// All parts that are wanted are made.
    pub fn is_made(&self) -> bool {
        self.made > 0 && self.made >= i64::from(self.figures.parts)
    }

    /// Overdue first, then what is to be decided, then by date; what is made last.
    pub fn order(&self) -> (bool, bool, bool, bool, String, i32) {
        let open = self.figures.stops + self.figures.looks > 0;
        (self.is_made(), !self.overdue, !open, self.due.is_empty(), self.due.clone(), -self.job.id)
    }

    /// True where every word is part of its name, number, customer, material, person, files or dates.
    pub fn has(&self, words: &[String]) -> bool {
        let job = &self.job;
        let files = self.figures.files.join(" ");
        let all = format!(
            "{} #{} {} {} {} {files} {} {}",
            job.name, job.id, job.customer, self.figures.batch, job.person, self.due, job.created_at
        );
        let all = all.to_lowercase();
        words.iter().all(|w| all.contains(w.as_str()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn card(id: i32, due: Option<&str>, open: usize, made: i64) -> Card {
        let job = Job {
            id,
            name: format!("Job {id}"),
            person: "Odile Farrant".into(),
            due: due.map(str::to_owned),
            head: None,
            baseline: None,
            created_at: "2026-12-01T08:00:00Z".into(),
            archived: false,
            customer: "Heath apiary".into(),
            quantity: 1,
        };
        let figures =
            Figures { stops: open, parts: 4, files: vec!["plates.dxf".into()], batch: "Birch plywood 3 mm".into(), ..Figures::default() };
        let body = serde_json::to_string(&figures).expect("json");
        Card::of((job, Some((1, body))), &[(id, made)].into(), "2026-12-10")
    }

    #[test]
    fn what_is_overdue_lies_first_and_what_is_made_last() {
        let mut all = [
            card(1, None, 0, 0),
            card(2, Some("2026-12-12"), 0, 0),
            card(3, Some("2026-12-09"), 0, 0),
            card(4, Some("2026-12-01"), 0, 4),
            card(5, None, 2, 0),
            card(6, Some("2026-12-11"), 1, 0),
        ];
        all.sort_by_key(Card::order);
        assert_eq!(all.each_ref().map(|c| c.job.id), [3, 6, 5, 2, 1, 4]);
        assert_eq!(all.each_ref().map(|c| c.overdue), [true, false, false, false, false, false], "what is made is not overdue");
    }

    #[test]
    fn a_job_is_found_by_whatever_is_told_of_it() {
        let found = |words: &str| card(7, Some("2026-12-24"), 0, 0).has(&words.split(' ').map(str::to_lowercase).collect::<Vec<_>>());
        assert!(["job", "#7", "HEATH birch", "plates.dxf", "12-24", "odile 3 mm"].into_iter().all(found));
        assert!(!found("heath steel") && !found("#71"));
    }
}
