//! Bringing files in, and saying what they are.

use tin_cloak_formats::{read, Companions};
use tin_cloak_model::dress::assets::{found_in, AssetFacts, AssetRole};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::bundle;
use tin_cloak_store::{Asset, Store};

/// An asset by number.
///
/// # Errors
/// When it is not there.
pub fn asset_of(store: &Store, id: i64) -> Result<Asset, WorkshopError> {
    let found = store.assets()?.into_iter().find(|a| a.id == id);
    found.ok_or(WorkshopError::Missing { what: "body or piece", id })
}

/// Brings a file in: each of its meshes becomes a body or a piece, or is left out, by a guess
/// that [`sort`] can change; a file with nothing but motions becomes one. Those of
/// `companions` that it refers to are kept with it.
///
/// # Errors
/// When the file cannot be read; nothing is kept then.
pub fn bring_in(
    store: &Store,
    file_name: &str,
    bytes: &[u8],
    companions: &Companions,
) -> Result<Vec<Asset>, WorkshopError> {
    let fail = |source| WorkshopError::Read { file: file_name.to_owned(), source };
    let companions = tin_cloak_formats::wanted(bytes, companions);
    let document = read(file_name, bytes, &companions).map_err(fail)?;
    if document.meshes.is_empty() && document.clips.is_empty() {
        return Err(fail(tin_cloak_formats::ReadError::NoMesh));
    }
    let stem = file_name.rsplit_once('.').map_or(file_name, |(stem, _)| stem);
    let found = found_in(stem, &document)?;
    Ok(store.add_assets(file_name, &bundle::pack(file_name, bytes, &companions)?, &found)?)
}

/// Says what an asset is used as.
///
/// # Errors
/// When it is not there, or a mesh without a skin is to be a body.
pub fn sort(store: &Store, asset: i64, role: AssetRole) -> Result<(), WorkshopError> {
    let asset = asset_of(store, asset)?;
    let facts = AssetFacts { why: String::new(), ..AssetFacts::new(&asset) };
    let is_motion = facts.vertices == 0;
    if is_motion != (role == AssetRole::Motion) && role != AssetRole::LeftOut {
        return Err(WorkshopError::NotAMesh { name: asset.name });
    }
    if role == AssetRole::Body && facts.joints.is_none() {
        return Err(WorkshopError::BodyWithoutSkin { file: asset.name });
    }
    let summary = serde_json::to_string(&facts)?;
    Ok(store.sort_assets(&[(asset.id, role.word().to_owned(), summary)])?)
}

/// Says whether the groups of a file are one piece of many parts, or several pieces.
///
/// # Errors
/// When the asset is not there or has no groups.
pub fn sort_groups(store: &Store, asset: i64, several: bool) -> Result<(), WorkshopError> {
    let whole = asset_of(store, asset)?;
    let facts = AssetFacts { groups_to_sort: 0, ..AssetFacts::new(&whole) };
    let role = |piece: bool| (if piece { AssetRole::Piece } else { AssetRole::LeftOut }).word().to_owned();
    let mut sorted = vec![(whole.id, role(!several), serde_json::to_string(&facts)?)];
    for group in store.assets()? {
        let own = AssetFacts::new(&group);
        if group.file == whole.file && own.group_of.as_ref() == Some(&whole.name) {
            sorted.push((group.id, role(several), serde_json::to_string(&own)?));
        }
    }
    Ok(store.sort_assets(&sorted)?)
}
