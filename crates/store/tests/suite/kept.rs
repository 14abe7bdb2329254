//! Tests of `kept.rs`.

use tin_cloak_store::Store;

#[test]
fn what_is_kept_comes_back_by_its_key() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    store.keep(&[([1; 32], vec![1, 2]), ([2; 32], Vec::new())]).unwrap();
    store.keep(&[([1; 32], vec![9])]).unwrap();
    let found = store.kept(&[[2; 32], [3; 32], [1; 32]]).unwrap();
    assert_eq!(found, [Some(Vec::new()), None, Some(vec![1, 2])]);
    drop(store);
    let store = Store::open(folder.path()).unwrap();
    assert_eq!(store.kept(&[[1; 32]]).unwrap(), [Some(vec![1, 2])]);
}
