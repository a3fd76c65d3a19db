//! What another version wrote and this one does not know is carried over from revision to revision, not dropped.

use serde_json::Value;

/// Puts into `after` what stands in `stored` but not in `known`, the same read and written by this version. Things in lists
/// are told apart by their `id`, where they have one, else by their place in lists of one length.
pub(crate) fn carry_over(stored: &Value, known: &Value, after: &mut Value) {
    match (stored, known, after) {
        (Value::Object(stored), Value::Object(known), Value::Object(after)) => {
            for (key, value) in stored {
                match (known.get(key), after.get_mut(key)) {
                    (Some(known), Some(after)) => carry_over(value, known, after),
                    (None, None) => drop(after.insert(key.clone(), value.clone())),
                    _ => {}
                }
            }
        }
        (Value::Array(stored), Value::Array(known), Value::Array(after)) => {
            let alike = stored.len() == after.len();
            for (i, (value, known)) in stored.iter().zip(known).enumerate() {
                let place = match value.get("id") {
                    Some(id) => after.iter_mut().find(|a| a.get("id") == Some(id)),
                    None if alike => after.get_mut(i),
                    None => None,
                };
                if let Some(place) = place {
                    carry_over(value, known, place);
                }
            }
        }
        _ => {}
    }
}

#[cfg(test)]
mod tests {
    use super::carry_over;
    use serde_json::json;

    #[test]
    fn what_is_not_known_stays_where_it_was() {
        let stored = json!({"a": 1, "later": [1], "d": [{"id": 1, "x": 1, "shade": "dark"}, {"id": 2, "x": 2, "shade": "light"}], "r": {"b": 1, "c": 2}});
        let known = json!({"a": 1, "d": [{"id": 1, "x": 1}, {"id": 2, "x": 2}], "r": {"b": 1}});
        // The first of the list has gone, and a figure has changed.
        let mut after = json!({"a": 5, "d": [{"id": 2, "x": 9}], "r": {"b": 1}});
        carry_over(&stored, &known, &mut after);
        assert_eq!(after, json!({"a": 5, "later": [1], "d": [{"id": 2, "x": 9, "shade": "light"}], "r": {"b": 1, "c": 2}}));
        // What this version knows and took out stays out.
        let mut cleared = json!({"d": [], "r": {}});
        carry_over(&stored, &known, &mut cleared);
        assert_eq!(cleared, json!({"d": [], "r": {"c": 2}, "later": [1]}));
    }
}
