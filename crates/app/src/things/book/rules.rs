//! Standing rules: written, tried on the jobs here, put in order.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book::{CHANGES, ChangeView, change, change_view};
use askama::Template;
use axum::extract::{Form, Path};
use axum::response::{Html, Redirect};
use boustrophe_core::assign::{self, Customs, Decided, Given, Process, Wanted};
use boustrophe_core::clean::Cleaned;
use boustrophe_core::drawing::{Unit, colour_name};
use boustrophe_core::finding::counted;
use boustrophe_core::quantity::{count, length};
use boustrophe_core::shop::rules::{Trouble, TroubleKind};
use boustrophe_core::shop::{Match, Rule, Shop, rules};
use boustrophe_shop::app::App;
use boustrophe_store::Kind;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::Arc;

struct RuleView {
    number: usize,
    id: u32,
    words: String,
    process: &'static str,
    slug: &'static str,
    stroke: String,
    trouble: String,
    matched: usize,
}

#[derive(Template)]
#[template(path = "things/book/rules.html")]
struct Rules {
    rules: Vec<RuleView>,
    processes: Vec<(&'static str, &'static str)>,
    jobs: usize,
    changes: Vec<ChangeView>,
}

/// The standing rules.
pub async fn rules_page(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, shown).await
}

fn shown(app: &Shared) -> Result<Html<String>, AppError> {
    let shop = app.shop();
    let past = past(app)?;
    let troubles = rules::troubles(&shop.rules);
    let view = |(i, r): (usize, &Rule)| RuleView {
        number: i + 1,
        id: r.id,
        words: r.when.words(),
        process: r.process.name(),
        slug: r.process.slug(),
        stroke: r.when.stroke.map_or_else(String::new, |s| colour_name(s.0)),
        trouble: troubles.iter().filter(|t| t.at == i).map(|t| t.why.as_str()).collect::<Vec<_>>().join(" "),
        matched: past
            .iter()
            .flat_map(|p| &p.cleaned)
            .flat_map(|c| &c.contours)
            .filter(|c| r.when.holds(&c.style, c.path.closed, c.bounds))
            .count(),
    };
    html(&Rules {
        rules: shop.rules.iter().enumerate().map(view).collect(),
        processes: Process::ALL.iter().map(|p| (p.slug(), p.name())).collect(),
        jobs: past.len(),
        changes: app.store.setting_changes(Kind::Rule, None, CHANGES)?.iter().map(change_view).collect(),
    })
}

/// A job that rules are tried on.
struct Past {
    name: String,
    cleaned: Vec<Arc<Cleaned>>,
    decisions: boustrophe_core::decisions::Decisions,
    now: BTreeMap<boustrophe_core::clean::ContourId, Process>,
}

fn past(app: &App) -> Result<Vec<Past>, AppError> {
    let mut out = Vec::new();
    for job in app.store.jobs()? {
        // One that cannot be read closes nothing but itself.
        let Ok(loaded) = app.load(job.id) else { continue };
        out.push(Past {
            name: loaded.job.name,
            cleaned: loaded.route.drawings.iter().map(|d| Arc::clone(&d.cleaned)).collect(),
            now: loaded.route.work.items.iter().map(|i| (i.contour.id, i.process)).collect(),
            decisions: loaded.revision.decisions,
        });
    }
    Ok(out)
}

/// A rule, as it is typed; what stays empty is not looked at.
#[derive(Clone, Default, Deserialize)]
#[serde(default)]
pub struct RuleForm {
    stroke: String,
    near: String,
    layer: String,
    line_type: String,
    width: String,
    filled: String,
    text: String,
    picture: String,
    closed: String,
    size: String,
    process: String,
    person: String,
}

impl RuleForm {
    fn rule(&self, id: u32) -> Result<Rule, String> {
        let given = |text: &str| Some(text.trim().to_owned()).filter(|t| !t.is_empty());
        let flag = |text: &str| match text {
            "yes" => Some(true),
            "no" => Some(false),
            _ => None,
        };
        let range = |text: &str| -> Result<Option<(f64, f64)>, String> {
            let Some(text) = given(text) else { return Ok(None) };
            let (from, to) = text.split_once(['-', '–', ' ']).ok_or_else(|| format!("“{text}” is no range; type it like 0.1-0.5"))?;
            Ok(Some((length(from.trim(), Unit::Mm)?, length(to.trim(), Unit::Mm)?)))
        };
        let stroke = match given(&self.stroke) {
            None => None,
            Some(text) => {
                let reach = if self.near.trim().is_empty() { 0 } else { count(self.near.trim(), 0, 255)? };
                Some((colour(&text)?, reach))
            }
        };
        Ok(Rule {
            id,
            when: Match {
                stroke,
                layer: given(&self.layer),
                line_type: given(&self.line_type),
                width: range(&self.width)?,
                filled: flag(&self.filled),
                text: flag(&self.text),
                picture: flag(&self.picture),
                closed: flag(&self.closed),
                size: range(&self.size)?,
            },
            process: Process::from_slug(&self.process).ok_or("choose what the rule makes of it")?,
        })
    }
}

/// `#rrggbb`, the # left out or not.
fn colour(text: &str) -> Result<[u8; 3], String> {
    let hex = text.trim_start_matches('#');
    let part = |i: usize| hex.get(i..i + 2).and_then(|v| u8::from_str_radix(v, 16).ok());
    match (hex.len(), part(0), part(2), part(4)) {
        (6, Some(r), Some(g), Some(b)) => Ok([r, g, b]),
        _ => Err(format!("“{text}” is no colour; write it like #e4002b")),
    }
}

#[derive(Template)]
#[template(path = "things/book/tried.html")]
struct Tried {
    words: String,
    trouble: String,
    matched: usize,
    jobs: usize,
    lines: Vec<String>,
}

/// What a rule would change in the jobs that are there, before it is kept.
pub async fn try_rule(app: Shared, Form(form): Form<RuleForm>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| tried(app, &form)).await
}

fn tried(app: &Shared, form: &RuleForm) -> Result<Html<String>, AppError> {
    let mut draft = (*app.shop()).clone();
    let rule = form.rule(next_id(&draft))?;
    draft.rules.push(rule.clone());
    let trouble =
        rules::troubles(&draft.rules).into_iter().filter(|t| t.at + 1 == draft.rules.len()).map(|t| t.why).collect::<Vec<_>>().join(" ");
    let past = past(app)?;
    let matched = past
        .iter()
        .flat_map(|p| &p.cleaned)
        .flat_map(|c| &c.contours)
        .filter(|c| rule.when.holds(&c.style, c.path.closed, c.bounds))
        .count();
    let lines = past.iter().filter_map(|p| would_change(p, &draft)).collect();
    html(&Tried { words: rule.words(), trouble, matched, jobs: past.len(), lines })
}

/// What becomes something else in a job under other rules, in a sentence; `None` for nothing.
fn would_change(past: &Past, draft: &Shop) -> Option<String> {
    let (wanted, customs) = (Wanted::of(&past.decisions), Customs::of(&past.decisions, draft));
    let given = Given { decisions: Decided::of(&past.decisions.assign), wanted: &wanted, customs: &customs };
    let (work, _) = assign::run(&past.cleaned, &given);
    let mut moved: BTreeMap<(Process, Process), usize> = BTreeMap::new();
    for item in work.items.iter() {
        if let Some(before) = past.now.get(&item.contour.id).filter(|p| **p != item.process) {
            *moved.entry((*before, item.process)).or_insert(0) += 1;
        }
    }
    let told: Vec<String> = moved
        .iter()
        .map(|((from, to), n)| format!("{} from {} to {}", counted(*n, "contour", "contours"), from.name(), to.name()))
        .collect();
    (!told.is_empty()).then(|| format!("{}: {}", past.name, told.join(", ")))
}

fn next_id(shop: &Shop) -> u32 {
    shop.rules.iter().map(|r| r.id).max().unwrap_or(0) + 1
}

/// Keeps a rule, as the last.
pub async fn add_rule(app: Shared, Form(form): Form<RuleForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| rule_added(app, &form)).await?;
    Ok(Redirect::to("/shop/rules"))
}

fn rule_added(app: &Arc<App>, form: &RuleForm) -> Result<usize, AppError> {
    change(app, Kind::Rule, None, (&form.person, ""), |shop| {
        let rule = form.rule(next_id(shop))?;
        if rule.when.is_empty() {
            return Err("this rule matches everything, so no rule after it and no shape would say anything. Give it a colour, a layer or another condition.".into());
        }
        shop.rules.push(rule);
        // Rules that disagree are told on the page; what can match nothing is refused.
        let last = shop.rules.len() - 1;
        let impossible = |t: &Trouble| t.at == last && t.kind == TroubleKind::Senseless;
        rules::troubles(&shop.rules).into_iter().find(impossible).map_or(Ok(()), |t| Err(t.why))
    })
}

/// What is done with a rule.
#[derive(Deserialize)]
pub struct Move {
    /// `up`, `down` or `remove`.
    what: String,
    #[serde(default)]
    person: String,
}

/// Moves a rule, or takes it away.
pub async fn move_rule(app: Shared, Path(id): Path<u32>, Form(form): Form<Move>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| moved(app, id, &form)).await?;
    Ok(Redirect::to("/shop/rules"))
}

fn moved(app: &Shared, id: u32, form: &Move) -> Result<usize, AppError> {
    change(app, Kind::Rule, None, (&form.person, ""), |shop| {
        let at = shop.rules.iter().position(|r| r.id == id).ok_or("that rule is not there any more; load the page again")?;
        match form.what.as_str() {
            "up" if at > 0 => shop.rules.swap(at, at - 1),
            "down" if at + 1 < shop.rules.len() => shop.rules.swap(at, at + 1),
            "remove" => drop(shop.rules.remove(at)),
            _ => {}
        }
        Ok(())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_typed_becomes_a_rule_or_is_refused_with_a_reason() {
        let form = RuleForm {
            stroke: "e4002b".into(),
            near: "6".into(),
            size: "0-10".into(),
            closed: "yes".into(),
            process: "cut".into(),
            ..RuleForm::default()
        };
        let rule = form.rule(9).expect("a rule");
        assert_eq!(rule.words(), "line #e4002b within 6, closed, 0 to 10 mm large: Cut");
        for (wrong, said) in [
            (RuleForm { stroke: "red".into(), ..form.clone() }, "no colour"),
            (RuleForm { size: "10".into(), ..form.clone() }, "no range"),
            (RuleForm { near: "300".into(), ..form.clone() }, "300"),
            (RuleForm { process: String::new(), ..form.clone() }, "choose"),
        ] {
            assert!(wrong.rule(1).expect_err("refused").contains(said), "{said}");
        }
    }
}
