//! How pieces of the shelf would be put on, by their geometry.

use crate::intake::of_piece::kind_of;
use glam::Vec3;
use rayon::prelude::*;
use tin_cloak_core::clearance::BodySurface;
use tin_cloak_core::intake::{guess_layers, guess_units, shells, Piled};
use tin_cloak_core::mesh::Topology;
use tin_cloak_formats::PieceKind;
use tin_cloak_model::dress::assets::AssetFacts;
use tin_cloak_model::dress::decode::Decoder;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::FileRef;
use tin_cloak_model::state::step::PutOn;
use tin_cloak_store::{Asset, Store};

/// A piece of the shelf, read.
struct Read {
    source: FileRef,
    kind: PieceKind,
    layer: Option<u16>,
    /// Welded, where it would lie in metres, Y up.
    rest: Vec<Vec3>,
    topology: Topology,
}

/// The pieces of some assets with the layer and kind of each: what its file says, else what the geometry
/// does; from the inside out.
///
/// # Errors
/// When a file cannot be read.
pub fn suggested(
    store: &Store,
    decoder: &Decoder,
    room: &Room,
    assets: &[Asset],
) -> Result<Vec<PutOn>, WorkshopError> {
    let body = &room.dress.body;
    let one = |asset: &Asset| -> Result<Read, WorkshopError> {
        let (file, file_name, mesh) = (asset.file.clone(), asset.file_name.clone(), asset.mesh.clone());
        let source = FileRef { file, file_name, mesh };
        let part = decoder.rigged_part(&|id| Ok(store.blob(id)?), &source)?.0;
        let facts = AssetFacts::new(asset);
        let topology = Topology::new(&part.mesh);
        let mut rest = topology.weld.gather(&part.mesh.positions);
        let guess = guess_units(&rest, &body.rest, &body.topology.triangles);
        if !guess.is_as_it_is() {
            rest.iter_mut().for_each(|p| *p = guess.apply(*p));
        }
        let kind = facts.kind.unwrap_or_else(|| kind_of(&shells(&topology, &rest)));
        Ok(Read { source, kind, layer: facts.layer, rest, topology })
    };
    let read: Vec<Read> = assets.par_iter().map(one).collect::<Result<_, _>>()?;
    let worn = room.dress.pieces.iter().filter(|p| !p.cage);
    let mut piled: Vec<Piled> =
        read.iter().map(|r| (r.rest.as_slice(), r.topology.triangles.as_slice())).collect();
    let mut known: Vec<Option<u16>> = read.iter().map(|r| r.layer).collect();
    for piece in worn {
        piled.push((&piece.rest, &piece.topology.triangles));
        known.push(Some(piece.layer));
    }
    let layers = guess_layers(&BodySurface::new(&body.rest, &body.topology.triangles), &piled, &known);
    let put_on = |(read, layer): (Read, u16)| {
        let FileRef { file, file_name, mesh } = read.source;
        PutOn { file, file_name, mesh, layer, kind: read.kind }
    };
    let mut list: Vec<PutOn> = read.into_iter().zip(layers).map(put_on).collect();
    list.sort_by_key(|p| p.layer);
    Ok(list)
}
