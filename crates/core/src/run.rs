//! A program on a machine: where its run stands, what may come next, and what somebody has to say when it has ended.

use strum::IntoEnumIterator;

/// Where a run stands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, strum::Display, strum::EnumString, strum::EnumIter)]
#[strum(serialize_all = "lowercase")]
pub enum RunState {
    /// In its machine's queue.
    #[default]
    Waiting,
    /// On its way to the machine.
    Sending,
    /// The machine holds its program and waits for its start.
    Ready,
    /// The machine goes round it with the beam off.
    Walking,
    /// It burns.
    Running,
    /// It was told to hold still.
    Paused,
    /// It came to its end.
    Done,
    /// Somebody stopped it.
    Stopped,
    /// The machine stopped by itself, or did not take the program.
    Fault,
    /// The machine does not know of it any more.
    Lost,
    /// It was taken out of the queue.
    Withdrawn,
}

impl RunState {
    /// What may come behind it: the one table of all changes.
    pub fn next(self) -> &'static [RunState] {
        use RunState::{Done, Fault, Lost, Paused, Ready, Running, Sending, Stopped, Waiting, Walking, Withdrawn};
        match self {
            Waiting => &[Sending, Withdrawn],
            // The shop may have been shut meanwhile: then the machine has gone on by itself.
            Sending => &[Waiting, Ready, Walking, Running, Paused, Done, Stopped, Fault],
            Ready | Walking => &[Waiting, Ready, Walking, Running, Paused, Done, Stopped, Fault],
            Running | Paused => &[Running, Paused, Done, Stopped, Fault, Lost],
            Done | Stopped | Fault | Lost | Withdrawn => &[],
        }
    }

    /// True where it may become `to`, or stay as it is and only its figures change.
    pub fn may_become(self, to: Self) -> bool {
        self.next().contains(&to) || self == to && !self.is_ended()
    }

    /// All that may become `to`.
    pub fn before(to: Self) -> impl Iterator<Item = Self> {
        Self::iter().filter(move |s| s.may_become(to))
    }

    /// Nothing more comes of it.
    pub fn is_ended(self) -> bool {
        self.next().is_empty()
    }

    /// It has burned nothing yet.
    pub fn is_before_start(self) -> bool {
        matches!(self, Self::Waiting | Self::Sending | Self::Ready | Self::Walking)
    }

    /// It is at the machine with work begun.
    pub fn is_under_way(self) -> bool {
        matches!(self, Self::Running | Self::Paused)
    }

    /// It ended before its work did.
    pub fn broke_off(self) -> bool {
        matches!(self, Self::Stopped | Self::Fault | Self::Lost)
    }
}

/// What somebody said of a sheet when its run had ended. Until then it lies on the bed, and nothing else comes on that machine.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, strum::Display, strum::EnumString, strum::EnumIter)]
#[strum(serialize_all = "lowercase")]
pub enum Answer {
    /// Nothing yet.
    #[default]
    None,
    /// All is cut through; the sheet may be moved.
    Through,
    /// Another run goes on behind where it broke off.
    On,
    /// Another run cuts again what hangs.
    Again,
    /// What is lost is nested again on another sheet.
    Nest,
    /// The sheet is given up.
    Gone,
    /// It ended at a time when nobody was asked.
    Earlier,
}

#[cfg(test)]
mod tests {
    use super::*;

    /// From everywhere there is a way to an end, and from an end none on.
    #[test]
    fn every_state_has_a_way_to_an_end() {
        for state in RunState::iter() {
            let mut reached = vec![state];
            let mut k = 0;
            while let Some(now) = reached.get(k).copied() {
                reached.extend(now.next().iter().filter(|n| !reached.contains(n)).copied().collect::<Vec<_>>());
                k += 1;
            }
            assert!(reached.iter().any(|s| s.is_ended()), "{state}");
            assert_eq!(state.to_string().parse(), Ok(state));
            assert!(!state.is_ended() || !RunState::iter().any(|to| state.may_become(to)), "{state}");
        }
    }

    /// What was taken out of the queue never comes to the machine, and what has begun never goes back into the queue.
    #[test]
    fn nothing_that_burned_is_sent_again() {
        assert_eq!(RunState::before(RunState::Withdrawn).collect::<Vec<_>>(), [RunState::Waiting]);
        assert!(RunState::before(RunState::Waiting).all(RunState::is_before_start));
        assert!(RunState::before(RunState::Lost).all(RunState::is_under_way));
    }
}
