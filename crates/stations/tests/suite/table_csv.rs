//! Tests of `binding/table_csv.rs`.

use tin_cloak_model::state::by_hand::HandChange;
use tin_cloak_stations::binding::table_csv::table_of_csv;

#[test]
fn what_is_wrong_with_a_table_is_said_by_line() {
    let wrong = [
        "",
        "x,hips\n1,0.5",
        "vertex,hips",
        "vertex,hips\n\n1,0.5,0.2",
        "vertex,hips\n1,2",
        "vertex,hips\n1,NaN",
        "vertex;hips\none;0.5",
        "x,y,z,hips\n0,0,inf,0.5",
    ];
    let told: Vec<String> = wrong.iter().map(|w| table_of_csv(w).unwrap_err().to_string()).collect();
    insta::assert_snapshot!(told.join("\n"));
    let read = table_of_csv("x,y,z,hips\n0.5,1,-2,0.25").unwrap();
    let rows = vec![([0.5, 1.0, -2.0], vec![0.25])];
    assert_eq!(read, HandChange::Placed { joints: vec!["hips".into()], rows });
    let read = table_of_csv("vertex\thips\tspine\n7\t0.25\t0.75\n").unwrap();
    let rows = vec![(7, vec![0.25, 0.75])];
    assert_eq!(read, HandChange::Table { joints: vec!["hips".into(), "spine".into()], rows });
    // Names that hold what stands between cells (RFC 4180).
    let read = table_of_csv("vertex,\"a,b\",\"c;d\",\"say \"\"e\"\"\"\r\n3,0.1,0.2,0.7\r\n").unwrap();
    let joints = vec!["a,b".to_owned(), "c;d".to_owned(), "say \"e\"".to_owned()];
    assert_eq!(read, HandChange::Table { joints, rows: vec![(3, vec![0.1, 0.2, 0.7])] });
}
