//! The stack by hand, and what is done or not.

use super::machine::{Done, MOST_OBJECTS, Machine, Stop};
use super::scan::Object;
use std::rc::Rc;

impl Machine {
    pub(super) fn shuffle(&mut self, name: &str) -> Done {
        match name {
            "pop" => self.pop().map(drop),
            "clear" => {
                self.stack.clear();
                Ok(())
            }
            "cleartomark" => {
                let from = self.stack.iter().rposition(|o| *o == Object::Mark).unwrap_or(0);
                self.stack.truncate(from);
                Ok(())
            }
            "dup" => {
                let top = self.pop()?;
                self.push(top.clone())?;
                self.push(top)
            }
            "exch" => {
                let (b, a) = (self.pop()?, self.pop()?);
                self.push(b)?;
                self.push(a)
            }
            "count" => self.set(self.stack.len() as f64),
            "counttomark" => {
                let n = self.stack.iter().rev().take_while(|o| **o != Object::Mark).count();
                self.set(n as f64)
            }
            "copy" if matches!(self.stack.last(), Some(Object::Array(_) | Object::Dict(_))) => {
                // One row of values over another: what comes of it is the first.
                self.pop().map(drop)
            }
            "copy" => {
                let n = self.whole(MOST_OBJECTS)?;
                let from = self.stack.len().checked_sub(n).ok_or_else(|| Stop::Fault("it copies more than there is".into()))?;
                if self.stack.len() + n > MOST_OBJECTS {
                    return Err(Stop::Fault("it puts down more than it takes up again".into()));
                }
                self.stack.extend_from_within(from..);
                Ok(())
            }
            "index" => {
                let n = self.whole(MOST_OBJECTS)?;
                let at = self.stack.len().checked_sub(n + 1).ok_or_else(|| Stop::Fault("it looks deeper than there is anything".into()))?;
                self.push(self.stack[at].clone())
            }
            _ => {
                let by = self.number()?;
                let n = self.whole(MOST_OBJECTS)?;
                let from = self.stack.len().checked_sub(n).ok_or_else(|| Stop::Fault("it rolls more than there is".into()))?;
                if n > 0 {
                    self.stack[from..].rotate_right((by as i64).rem_euclid(n as i64) as usize);
                }
                Ok(())
            }
        }
    }

    pub(super) fn flow(&mut self, name: &str) -> Done {
        match name {
            "if" => {
                let body = self.procedure()?;
                if self.bool()? { self.call(&body) } else { Ok(()) }
            }
            "ifelse" => {
                let (otherwise, body) = (self.procedure()?, self.procedure()?);
                let which = if self.bool()? { body } else { otherwise };
                self.call(&which)
            }
            "exec" => match self.pop()? {
                Object::Procedure(body) => self.call(&body),
                Object::Name(n) => self.name(&n),
                other => self.push(other),
            },
            "exit" => Err(Stop::Exit),
            "stop" | "quit" => Err(Stop::End),
            "stopped" => {
                let body = self.procedure()?;
                let ended = match self.call(&body) {
                    Ok(()) => false,
                    Err(Stop::End) => true,
                    Err(other) => return Err(other),
                };
                self.push(Object::Bool(ended))
            }
            "for" => {
                let body = self.procedure()?;
                let [from, by, to] = self.numbers()?;
                if by == 0.0 {
                    return Err(Stop::Fault("a loop goes nowhere".into()));
                }
                let mut v = from;
                while if by > 0.0 { v <= to } else { v >= to } {
                    self.set(v)?;
                    if self.round(&body)? {
                        break;
                    }
                    v += by;
                }
                Ok(())
            }
            "repeat" => {
                let body = self.procedure()?;
                let n = self.whole(100_000_000)?;
                for _ in 0..n {
                    if self.round(&body)? {
                        break;
                    }
                }
                Ok(())
            }
            "loop" => {
                let body = self.procedure()?;
                while !self.round(&body)? {}
                Ok(())
            }
            _ => {
                let body = self.procedure()?;
                let rounds: Vec<Vec<Object>> = match self.pop()? {
                    Object::Array(a) | Object::Procedure(a) => a.iter().map(|v| vec![v.clone()]).collect(),
                    Object::Dict(d) => {
                        let mut pairs: Vec<(Rc<str>, Object)> = self.dicts[d].iter().map(|(k, v)| (Rc::clone(k), v.clone())).collect();
                        pairs.sort_by(|a, b| a.0.cmp(&b.0));
                        pairs.into_iter().map(|(k, v)| vec![Object::Literal(k), v]).collect()
                    }
                    // A font that is not there has nothing in it.
                    _ => Vec::new(),
                };
                for values in rounds {
                    values.into_iter().try_for_each(|v| self.push(v))?;
                    if self.round(&body)? {
                        break;
                    }
                }
                Ok(())
            }
        }
    }

    /// Once through a loop's body; true where it is left.
    pub(super) fn round(&mut self, body: &Rc<Vec<Object>>) -> Result<bool, Stop> {
        // An empty body is a step too.
        self.steps += 1;
        if self.steps > self.most {
            return Err(Stop::Fault("it runs on and on; it is a program and not a drawing".into()));
        }
        match self.call(body) {
            Ok(()) => Ok(false),
            Err(Stop::Exit) => Ok(true),
            Err(other) => Err(other),
        }
    }
}
