//! Tests of `measuring/missing.rs`.

use tin_cloak_core::bind::{nearest_surface, BindTarget, Source};
use tin_cloak_core::deform::Morph;
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mend::PoseCache;
use tin_cloak_formats::{read, Companions, PieceKind};
use tin_cloak_measure::measuring::at_rest::AtRestOfRoom;
use tin_cloak_measure::measuring::board::rows;
use tin_cloak_measure::measuring::cells::{board_of, CountPlan, Counts, Kept, Known};
use tin_cloak_measure::measuring::missing::{measure_missing, wanted, Batch, CellPlace, Measuring, Wanted};
use tin_cloak_model::dress::decode::Decoder;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::blobs::{pack_bound, pack_positions};
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::fitting::{FittingState, PieceState};
use tin_cloak_model::state::names::FileRef;
use tin_cloak_store::{BlobId, NewAsset, Store};
use tin_cloak_testkit::wardrobe;

fn bring(store: &Store, name: &str) -> FileRef {
    let bytes = &wardrobe().iter().find(|f| f.name == name).unwrap().bytes;
    let mesh = read(name, bytes, &Companions::new()).unwrap().meshes[0].name.clone();
    let (role, summary) = ("piece".to_owned(), "{}".to_owned());
    let new = NewAsset { name: mesh.clone(), role, mesh: mesh.clone(), summary };
    let file = store.add_assets(name, bytes, &[new]).unwrap().remove(0).file;
    FileRef { file, file_name: name.to_owned(), mesh }
}

/// Wick in two pairs of breeches, the outer one too narrow, which the poses of his arms do not
/// move, and a tunic, which they do.
fn dressed(store: &Store) -> Room {
    let decoder = Decoder::default();
    let mut state = FittingState::of_body(bring(store, "wick.glb"));
    let body = decoder.body(store, &state.body, &[]).unwrap();
    let source = Source::new(&body.rest, &body.topology.triangles, &body.welded_skin, body.skeleton.len());
    let mut blobs: Vec<(BlobId, Vec<u8>)> = Vec::new();
    let mut keep = |bytes: Vec<u8>| {
        let id = BlobId::hashed(&bytes);
        blobs.push((id.clone(), bytes));
        Some(id)
    };
    for (id, name, wide) in
        [(1, "breeches.glb", 1.0), (2, "breeches.glb", 0.97), (3, "quilted tunic.glb", 1.0)]
    {
        let mut piece = PieceState::new(id, bring(store, name), id as u16, PieceKind::Soft);
        let made = decoder.piece(&|blob| Ok(store.blob(blob)?), &piece).unwrap();
        let rest: Vec<Vec3> = made.rest.iter().map(|p| *p * Vec3::new(wide, 1.0, wide)).collect();
        let skin = nearest_surface(&source, &BindTarget::new(&rest, &made.topology)).unwrap();
        piece.rest = keep(pack_positions(&rest));
        piece.bound = keep(pack_bound(&Bound::by("surface", skin)).unwrap());
        state.pieces.push(piece);
    }
    let blob = |id: &BlobId| match blobs.iter().find(|b| b.0 == *id) {
        Some((_, bytes)) => Ok(bytes.clone()),
        None => Ok(store.blob(id)?),
    };
    decoder.build(store, state, &blob).unwrap()
}

/// Poses share what is through of layers they do not move. Here each pose is measured before the
/// one that was to measure what they share, which is what two threads may do.
#[test]
fn a_pose_measures_what_another_was_to_and_has_not_yet() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let room = dressed(&store);
    let kept = Kept { derived: &room.derived, store: &store, counts: &Counts::default() };
    let plan = CountPlan::new(&room, kept).unwrap();
    let known = Known::new(&plan, kept).unwrap();
    let order: Vec<usize> = (0..12).collect();
    let list = wanted(&plan, &known, &order);
    let leans = |w: &Wanted| w.sight.iter().any(|row| !w.through.contains(row));
    assert!(list.iter().any(leans), "some pose relies on another for what is through");
    let worn = room.worn();
    let pairs = rows(&worn.outfit);
    let rest = room.at_rest(&worn, &plan.rows);
    let at = CellPlace { plan: &plan, outfit: &worn.outfit, pairs: &pairs, rest: &rest };
    let batch = Batch::new(kept);
    let mut buffers = worn.outfit.buffers();
    for wanted in list.iter().rev() {
        at.measure(wanted, &mut buffers, &batch).unwrap();
    }
    batch.flush().unwrap();
    let board = board_of(&room, kept).unwrap();
    assert!(order.iter().all(|&pose| board.cells[pose].iter().all(Option::is_some)));
}

/// What was posed there before, by other shapes, changes no figure.
#[test]
fn measured_in_layers_that_were_posed_before_it_is_the_same() {
    let go_on = |_: usize| true;
    let board = |used: bool| {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let room = dressed(&store);
        let poses = room.trials.poses(&room.dress.body);
        let outfit = &room.worn().outfit;
        let cache = PoseCache::new(poses.len());
        let mut dented = outfit.clone();
        let up: Vec<Vec3> = dented.layers[1].rest.iter().map(|p| Vec3::Y * p.x * 0.1).collect();
        dented.layers[1].morphs = vec![Morph::from_dense("dent".into(), &up)];
        for (number, pose) in poses.iter().enumerate() {
            cache.lend(number, outfit, |buffers| buffers.pose(&dented, &pose.matrices, &[1.0]));
        }
        let kept = Kept { derived: &room.derived, store: &store, counts: &Counts::default() };
        let cache = if used { &cache } else { &PoseCache::none() };
        measure_missing(&room, kept, &Measuring { first: &[], go_on: &go_on, cache }).unwrap();
        board_of(&room, kept).unwrap()
    };
    let (afresh, again) = (board(false), board(true));
    assert!(afresh.is_whole() && afresh.cells == again.cells);
    assert!(afresh.cells.iter().flatten().flatten().any(|cell| cell.poking > 0));
}
