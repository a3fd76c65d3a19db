//! Places in the order that a hand has given: what is pinned has its place, the rest fills in around it, and every contour still
//! comes after what lies inside it.

use super::tour::Stop;
use std::collections::BTreeMap;

/// Stops that have their place.
#[derive(Clone, Debug, Default)]
pub(super) struct Pins {
    /// By place, from 0.
    at: BTreeMap<usize, usize>,
    /// How many of them come before each place.
    before: Vec<usize>,
}

/// Why a stop cannot have its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Refusal {
    /// There are fewer places.
    Beyond,
    /// Another has that place.
    Taken(usize),
    /// This stop has to come first, and there is no room for it before.
    First(usize),
    /// This stop has to come later, and there is no room for it behind.
    Later(usize),
}

impl Pins {
    /// Those of the wishes that can be had, in the order of their places, and those that cannot.
    pub(super) fn of(stops: &[Stop], wishes: &[(usize, usize)]) -> (Self, Vec<(usize, Refusal)>) {
        let mut pins = Self { at: BTreeMap::new(), before: vec![0; stops.len() + 1] };
        let mut refused = Vec::new();
        let mut sorted = wishes.to_vec();
        sorted.sort_by_key(|w| w.1);
        for (stop, place) in sorted {
            let why = match pins.at.get(&place) {
                _ if place >= stops.len() => Some(Refusal::Beyond),
                Some(other) => Some(Refusal::Taken(*other)),
                None => {
                    pins.at.insert(place, stop);
                    let why = pins.laid(stops, 0..stops.len()).err();
                    if why.is_some() {
                        pins.at.remove(&place);
                    }
                    why
                }
            };
            refused.extend(why.map(|w| (stop, w)));
        }
        let mut sum = 0;
        for (place, before) in pins.before.iter_mut().enumerate() {
            *before = sum;
            sum += usize::from(pins.at.contains_key(&place));
        }
        (pins, refused)
    }

    /// True where none of them is among the places from..to.
    pub(super) fn are_beyond(&self, from: usize, to: usize) -> bool {
        self.at.is_empty() || self.before[to.min(self.before.len() - 1)] == self.before[from]
    }

    /// An order with every pin in its place; the others as they were, but for what has to come before a pin.
    pub(super) fn merged(&self, stops: &[Stop], order: Vec<(usize, usize)>) -> Vec<(usize, usize)> {
        if self.at.is_empty() {
            return order;
        }
        let entries: BTreeMap<usize, usize> = order.iter().copied().collect();
        let laid = self.laid(stops, order.iter().map(|o| o.0));
        // What can be had was looked at when the pins were made.
        laid.map_or(order, |all| all.into_iter().map(|stop| (stop, entries[&stop])).collect())
    }

    /// All stops in their places, the free ones as they come; or the stop that stands in the way.
    fn laid(&self, stops: &[Stop], order: impl IntoIterator<Item = usize>) -> Result<Vec<usize>, Refusal> {
        let n = stops.len();
        let mut waits = vec![0_usize; n];
        stops.iter().flat_map(|s| &s.after).for_each(|a| waits[*a] += 1);
        let due = self.due(stops);
        let mut pinned = vec![false; n];
        self.at.values().for_each(|s| pinned[*s] = true);
        let mut owed: Vec<usize> = (0..n).filter(|s| due[*s] < usize::MAX && !pinned[*s]).collect();
        let mut rest: Vec<usize> = order.into_iter().filter(|s| !pinned[*s]).collect();
        let mut out: Vec<usize> = Vec::with_capacity(n);
        for place in 0..n {
            let next = match self.at.get(&place) {
                Some(stop) if waits[*stop] > 0 => {
                    let first = (0..n).find(|i| stops[*i].after.contains(stop) && !out.contains(i));
                    return Err(Refusal::First(first.unwrap_or(*stop)));
                }
                Some(stop) => *stop,
                None => {
                    let until = self.pressing(place, &owed, &due);
                    let ready = |s: &usize| waits[*s] == 0 && until.is_none_or(|u| due[*s] <= u);
                    let Some(k) = rest.iter().position(ready) else {
                        // All that are left wait for a pin that comes later.
                        let later = rest.first().copied().unwrap_or_default();
                        return Err(if until.is_some() { Refusal::First(later) } else { Refusal::Later(later) });
                    };
                    owed.retain(|s| *s != rest[k]);
                    rest.remove(k)
                }
            };
            stops[next].after.iter().for_each(|a| waits[*a] -= 1);
            out.push(next);
        }
        Ok(out)
    }

    /// For each stop the place before which it has to come, for the sake of a pin behind it.
    fn due(&self, stops: &[Stop]) -> Vec<usize> {
        let mut due = vec![usize::MAX; stops.len()];
        let mut before: Vec<Vec<usize>> = vec![Vec::new(); stops.len()];
        stops.iter().enumerate().for_each(|(i, s)| s.after.iter().for_each(|a| before[*a].push(i)));
        for (place, stop) in &self.at {
            let mut open = vec![*stop];
            while let Some(at) = open.pop() {
                for b in before[at].iter().filter(|b| due[**b] > *place).copied().collect::<Vec<_>>() {
                    due[b] = *place;
                    open.push(b);
                }
            }
        }
        due
    }

    /// The nearest pin that has no free place to spare for what has to come before it and is still owed.
    fn pressing(&self, place: usize, owed: &[usize], due: &[usize]) -> Option<usize> {
        let last = owed.iter().map(|s| due[*s]).max()?;
        self.at.range(place..=last).map(|p| *p.0).enumerate().find_map(|(pins, pin)| {
            let needed = owed.iter().filter(|s| due[**s] <= pin).count();
            (needed > 0 && needed >= pin - place - pins).then_some(pin)
        })
    }
}
