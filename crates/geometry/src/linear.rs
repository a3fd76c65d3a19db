//! Linear equations.

/// Solution of linear equations, their right side in the last column; `None` where there is none, or many.
///
/// ```
/// # use boustrophe_geometry::*;
/// // 2 x + y = 5, x - y = 1.
/// assert_eq!(solved(vec![vec![2.0, 1.0, 5.0], vec![1.0, -1.0, 1.0]]), Some(vec![2.0, 1.0]));
/// assert_eq!(solved(vec![vec![1.0, 1.0, 2.0], vec![2.0, 2.0, 4.0]]), None, "many");
/// ```
pub fn solved(mut m: Vec<Vec<f64>>) -> Option<Vec<f64>> {
    let n = m.len();
    for column in 0..n {
        let pivot = (column..n).max_by(|a, b| m[*a][column].abs().total_cmp(&m[*b][column].abs()))?;
        if m[pivot][column].abs() < 1e-14 {
            return None;
        }
        m.swap(column, pivot);
        let row = m[column].clone();
        for other in &mut m[column + 1..] {
            let factor = other[column] / row[column];
            (column..=n).for_each(|k| other[k] -= factor * row[k]);
        }
    }
    let mut x = vec![0.0; n];
    for i in (0..n).rev() {
        let known: f64 = (i + 1..n).map(|k| m[i][k] * x[k]).sum();
        x[i] = (m[i][n] - known) / m[i][i];
    }
    x.iter().all(|v| v.is_finite()).then_some(x)
}
