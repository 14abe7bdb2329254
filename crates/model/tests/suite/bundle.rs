//! Tests of `state/bundle.rs`.

use tin_cloak_formats::Companions;
use tin_cloak_model::state::bundle::*;

#[test]
fn what_is_packed_comes_out_again() {
    let along: Companions = [("a.bin".to_owned(), vec![1, 2, 3]), ("b.png".to_owned(), vec![])].into();
    let blob = pack("x.gltf", b"{}", &along).unwrap();
    assert_eq!(unpack(blob.clone()).unwrap(), (b"{}".to_vec(), along));
    assert_eq!(unpack(b"glTF alone".to_vec()).unwrap().0, b"glTF alone");
    assert!((0..blob.len()).skip(8).all(|end| unpack(blob[..end].to_vec()).is_err()));
}
