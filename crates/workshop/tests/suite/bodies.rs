//! Looking over bodies that have something wrong with them, made from the demo's own.

use tin_cloak_testkit::wardrobe;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{look_over_body, read, sort_document, Body, Companions, Document, Grade};

fn wick() -> Document {
    read("wick.glb", &wardrobe()[0].bytes, &Companions::new()).unwrap()
}

fn body(document: Document) -> Body {
    sort_document("wick.glb", document, None).unwrap().0
}

/// The grade of the finding that says so, and whether it has a place.
fn told(body: &Body, part: &str) -> Option<(Grade, bool)> {
    let list = look_over_body(body);
    list.iter().find(|f| f.sentence.contains(part)).map(|f| (f.grade, f.place.is_some()))
}

/// Wick with the weights of each vertex changed.
fn reweighted(change: impl Fn(usize, &mut Vec<(JointId, f32)>)) -> Body {
    let mut document = wick();
    let joints = document.skeleton.as_ref().unwrap().len();
    let part = &mut document.meshes[0];
    let skin = part.skin.take().unwrap();
    let row = |v: usize| {
        let mut row: Vec<(JointId, f32)> = skin.row(v).collect();
        change(v, &mut row);
        row
    };
    let rows: Vec<_> = (0..skin.vertices()).map(row).collect();
    part.skin = Some(Skin::from_rows(&rows, joints).unwrap());
    body(document)
}

#[test]
fn wick_has_what_is_known_of_him_and_no_more() {
    let body = body(wick());
    for absent in
        ["the body is open", "more than 4 joints", "no weight", "did not sum", "no weight on", "inward"]
    {
        assert_eq!(told(&body, absent), None, "{absent}");
    }
    assert_eq!(told(&body, "control joints should move no skin"), Some((Grade::Trouble, true)));
    assert_eq!(told(&body, "shapes that the pose calls up"), Some((Grade::Note, false)));
    assert_eq!(told(&body, "have a partner on the other side"), Some((Grade::Note, false)));
}

#[test]
fn a_missing_head_is_an_opening_named_with_its_width() {
    let mut document = wick();
    let mesh = &document.meshes[0].mesh;
    let above = |t: &[u32; 3]| t.iter().all(|&v| mesh.positions[v as usize].y > 1.47);
    let head: Vec<u32> =
        (0..mesh.triangles.len() as u32).filter(|&f| above(&mesh.triangles[f as usize])).collect();
    assert!(head.len() > 500);
    document.meshes[0] = document.meshes[0].without(&head).0;
    let body = body(document);
    assert_eq!(told(&body, "the body is open: a hole about 1"), Some((Grade::Doubt, true)));
}

#[test]
fn faces_turned_inward_are_trouble() {
    let mut document = wick();
    document.meshes[0].mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    assert_eq!(told(&body(document), "faces look inward"), Some((Grade::Trouble, false)));
}

#[test]
fn one_side_dented_is_told_by_the_partners() {
    let mut document = wick();
    let all = document.meshes[0].mesh.positions.len();
    document.meshes[0].mesh.positions.iter_mut().filter(|p| p.x > 0.3).for_each(|p| *p += Vec3::Y * 0.004);
    let text = look_over_body(&body(document)).into_iter().find(|f| f.sentence.contains("partner")).unwrap();
    let paired: usize = text.sentence.split(' ').next().unwrap().parse().unwrap();
    assert!(paired < all && paired > all / 2, "{}", text.sentence);
}

#[test]
fn crowded_weights_and_idle_limbs_are_notes() {
    let few = |j: u16| (JointId(j), 0.01);
    let body = reweighted(|v, row| row.extend(if v < 7 { (1..10).map(few).collect() } else { Vec::new() }));
    assert_eq!(told(&body, "vertices follow more than 4 joints"), Some((Grade::Note, false)));

    // All of the upper arm's weight on its twist joint.
    let skeleton = wick().skeleton.unwrap();
    let joint = |name: &str| skeleton.find(name).unwrap();
    let twist =
        skeleton.names.iter().position(|n| n.contains("upper_arm_twist") && n.contains("left")).unwrap();
    let arm = joint("upper_arm_left");
    let body = reweighted(|_, row| {
        row.iter_mut().filter(|e| e.0 == arm).for_each(|e| e.0 = JointId(twist as u16));
    });
    assert_eq!(
        told(&body, "no weight on upper_arm_left: their twist joints carry it"),
        Some((Grade::Note, false))
    );
}

#[test]
fn weights_that_are_missing_or_do_not_sum_to_one_are_mended_and_told() {
    let mut document = wick();
    document.meshes[0].weight_faults.weightless = vec![5, 9];
    document.meshes[0].weight_faults.unnormalised = 1;
    document.meshes[0].look.not_kept = vec!["tangents".into(), "attribute _WIND".into()];
    let body = body(document);
    let lost = "not kept, and not in the file that goes out: tangents, attribute _WIND";
    assert_eq!(told(&body, lost), Some((Grade::Doubt, false)));
    assert_eq!(told(&body, "2 vertices had no weight at all"), Some((Grade::Doubt, true)));
    assert_eq!(told(&body, "weights at 1 vertex did not sum to one"), Some((Grade::Note, false)));
}
