//! Tests of `state/trial_plan.rs`.

use tin_cloak_model::state::trial_plan::*;

fn frames(from_s: f32, to_s: f32) -> Target {
    Target::Frames { group: "bow".to_owned(), from_s, to_s }
}

#[test]
fn of_several_rules_the_last_one_holds() {
    let clip = CountRule {
        target: Target::Group { group: "bow".to_owned() },
        counts: Counts::Aside,
        note: "never seen".to_owned(),
    };
    let middle = CountRule { target: frames(0.5, 1.0), counts: Counts::Stress, note: String::new() };
    let plan = TrialPlan::default().with_rule(clip).with_rule(middle);
    assert_eq!(plan.of_pose("bow", "bow", 0.25), Counts::Aside);
    assert_eq!(plan.of_pose("bow", "bow", 0.75), Counts::Stress);
    assert_eq!(plan.of_pose("range", "bow", 0.75), Counts::Counted);
    let back = CountRule { target: frames(0.5, 1.0), counts: Counts::Counted, note: String::new() };
    assert_eq!(plan.with_rule(back).counts.len(), 1, "what only says what holds goes");
}

/// What a layer runs into of itself is for stress only until a rule says otherwise, and the rule goes when it does not.
#[test]
fn a_layer_in_itself_counts_when_one_says_so() {
    let target = || Target::Pair { outer: "coat".to_owned(), inner: "coat".to_owned() };
    let rule = |counts| CountRule { target: target(), counts, note: String::new() };
    let plan = TrialPlan::default();
    assert_eq!(
        (plan.of_row("coat", "coat", true), plan.of_row("coat", "Wick", false)),
        (Counts::Stress, Counts::Counted)
    );
    let counted = plan.with_rule(rule(Counts::Counted));
    assert_eq!((counted.of_itself("coat"), counted.of_itself("tunic")), (Counts::Counted, Counts::Stress));
    let back = counted.with_rule(rule(Counts::Stress));
    assert!(back.counts.is_empty() && back.of_itself("coat") == Counts::Stress);
    // Two pieces of one name are two layers.
    assert_eq!(back.of_row("coat", "coat", false), Counts::Counted);
}

#[test]
fn a_plan_from_a_file_is_checked_and_says_what_is_wrong() {
    let said = |text: &str| TrialPlan::of_json("set.json", text.as_bytes()).unwrap_err().to_string();
    insta::assert_snapshot!([
        said("{"),
        said(r#"{"frames": {"some": 0}}"#),
        said(r#"{"sweeps": [{"joint": "head", "axis": "up", "steps": 9}]}"#),
        said(r#"{"sweeps": [{"joint": "head", "axis": "turn", "steps": 1}]}"#),
        said(r#"{"tolerances": [{"outer": "coat", "inner": "Wick", "tolerance_mm": -1}]}"#),
        said(r#"{"counts": [{"target": {"frames": {"group": "a", "from_s": 2, "to_s": 1}}, "counts": "aside"}]}"#),
    ]
    .join("\n"));
    let plan = TrialPlan::of_json("set.json", br#"{"frames": {"rate": 30}, "hidden_counts": true}"#).unwrap();
    assert_eq!((plan.frames, plan.hidden_counts), (Frames::Rate(30), true));
}
