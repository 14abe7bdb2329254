//! The least change that meets demands, against a quadratic programme.

use serde_json::Value;
use tin_cloak_core::mend::{least_change, Demands, Lower};

fn numbers(v: &Value) -> Vec<f64> {
    v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect()
}

fn rows(v: &Value) -> Vec<Vec<f64>> {
    v.as_array().unwrap().iter().map(numbers).collect()
}

/// Made by `tests/suite/reference/least_change.py` with OSQP (Stellato et al. 2020): demands with squared slack.
#[test]
fn the_cost_is_that_of_the_quadratic_programme() {
    let all: Value = serde_json::from_str(include_str!("reference/least_change.json")).unwrap();
    let weight = all["weight"].as_f64().unwrap();
    for problem in all["problems"].as_array().unwrap() {
        let (q, g, need) = (rows(&problem["q"]), rows(&problem["g"]), numbers(&problem["need"]));
        let n = q.len();
        let lower = |i: usize| (0..=i).map(move |k| (i, k));
        let cost: Lower = (0..n).flat_map(lower).map(|(i, k)| (i as u32, k as u32, q[i][k])).collect();
        let mut demands = Demands::default();
        for (row, need) in g.iter().zip(&need) {
            let entries: Vec<(u32, f64)> = (0..n as u32).map(|k| (k, row[k as usize])).collect();
            demands.push(&entries, *need);
        }
        let x = least_change(&cost, &demands, weight, vec![0.0; n]).unwrap();
        let dot = |a: &[f64]| a.iter().zip(&x).map(|(a, x)| a * x).sum::<f64>();
        let own: f64 = (0..n).map(|i| x[i] * dot(&q[i])).sum::<f64>() * 0.5;
        let slack: f64 = (0..need.len()).map(|i| demands.short(i, &x).max(0.0).powi(2)).sum();
        let (told, wished) = (own + 0.5 * weight * slack, problem["cost"].as_f64().unwrap());
        assert!((told - wished).abs() <= wished * 0.01 + 1e-9, "{told} for {wished}, {n} unknowns");
    }
}

/// What changes cost, the rows of two demands, and what these need.
type Problem = (Lower, [[(u32, f64); 2]; 2], [f64; 2]);

/// Two problems that nothing links, as one, have the answers that each has by itself; what nothing is demanded of stays
/// at its least.
#[test]
fn what_nothing_links_is_as_by_itself() {
    let problem = |from: u32, needs: [f64; 2]| -> Problem {
        let cost: Lower = vec![(from, from, 2.0), (from + 1, from, 0.5), (from + 1, from + 1, 1.0)];
        let rows = [[1.0, 0.25], [-0.5, 1.0]].map(|row| [(from, row[0]), (from + 1, row[1])]);
        (cost, rows, needs)
    };
    let solved = |problems: &[Problem], unknowns: usize| {
        let mut demands = Demands::default();
        let mut cost: Lower = problems.iter().flat_map(|p| p.0.clone()).collect();
        cost.push((unknowns as u32 - 1, unknowns as u32 - 1, 1.0));
        // One after the other in turn, so that those of the two lie mixed.
        (0..2).for_each(|i| problems.iter().for_each(|(_, rows, needs)| demands.push(&rows[i], needs[i])));
        least_change(&cost, &demands, 100.0, vec![0.1; unknowns]).unwrap()
    };
    let together = solved(&[problem(0, [1.0, 2.0]), problem(2, [-1.0, 0.5])], 5);
    let (first, second) = (solved(&[problem(0, [1.0, 2.0])], 3), solved(&[problem(0, [-1.0, 0.5])], 3));
    assert_eq!(together[..2], first[..2]);
    assert_eq!(together[2..4], second[..2]);
    assert!(together[4].abs() < 1e-12);
}
