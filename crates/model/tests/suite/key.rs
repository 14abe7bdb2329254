//! Tests of `state/key.rs`.

use tin_cloak_model::state::key::Key;

#[test]
fn kinds_and_parts_are_told_apart() {
    let all = [
        Key::hashed("walls", &1),
        Key::hashed("tree", &1),
        Key::hashed("walls", &2),
        Key::hashed("walls", &(1, 2)),
        Key::begin("walls").and(&1).and(&2).end(),
        Key::begin("walls").and_key(Key::hashed("walls", &1)).end(),
        Key::begin("walls").and_bytes(&[1]).end(),
    ];
    for (i, key) in all.iter().enumerate() {
        assert_eq!(all.iter().position(|k| k == key), Some(i));
    }
    assert_eq!(Key::hashed("walls", &1), all[0]);
}
