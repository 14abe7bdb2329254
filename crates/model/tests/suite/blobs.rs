//! Tests of `state/blobs.rs`.

use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;
use tin_cloak_model::state::blobs::*;
use tin_cloak_model::state::bound::Bound;

#[test]
fn weights_come_back_to_the_bit_from_binary_and_from_what_older_builds_kept() {
    let rows = vec![vec![(JointId(3), 0.1), (JointId(700), 0.7)], vec![(JointId(0), 1.0)]];
    let skin = Skin::from_rows(&rows, 701).unwrap();
    let bound = Bound { filled: vec![1], ..Bound::by("inpaint", skin.clone()) };
    assert_eq!(unpack_bound(&pack_bound(&bound).unwrap()).unwrap(), bound);
    assert_eq!(unpack_bound(&serde_json::to_vec(&bound).unwrap()).unwrap(), bound);
    assert_eq!(unpack_skin(&pack_skin(&skin).unwrap()).unwrap(), skin);
    assert_eq!(unpack_skin(&serde_json::to_vec(&skin).unwrap()).unwrap(), skin);
    let cut = &pack_bound(&bound).unwrap()[..30];
    assert!(unpack_bound(cut).is_err());
}
