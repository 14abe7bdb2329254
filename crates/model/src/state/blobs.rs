//! Large values as bytes: how positions, numbers and weights are kept.

use crate::error::WorkshopError;
use crate::state::bound::Bound;
use glam::Vec3;
use serde::de::DeserializeOwned;
use serde::Serialize;
use tin_cloak_core::skin::Skin;
use tin_cloak_store::BlobId;

/// Where blobs come from: the store, or a step in the making.
pub type ReadBlob<'a> = &'a dyn Fn(&BlobId) -> Result<Vec<u8>, WorkshopError>;

/// Positions as little-endian floats.
pub fn pack_positions(positions: &[Vec3]) -> Vec<u8> {
    bytemuck::cast_slice(positions).to_vec()
}

pub fn unpack_positions(bytes: &[u8]) -> Vec<Vec3> {
    let float = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
    bytes.chunks_exact(12).map(|c| Vec3::new(float(&c[..4]), float(&c[4..8]), float(&c[8..]))).collect()
}

/// Numbers as little-endian integers.
pub fn pack_indices(indices: &[u32]) -> Vec<u8> {
    indices.iter().flat_map(|i| i.to_le_bytes()).collect()
}

pub fn unpack_indices(bytes: &[u8]) -> Vec<u32> {
    bytes.chunks_exact(4).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
}

/// Edges, as the numbers of their ends.
pub fn pack_edges(edges: &[[u32; 2]]) -> Vec<u8> {
    pack_indices(edges.as_flattened())
}

pub fn unpack_edges(bytes: &[u8]) -> Vec<[u32; 2]> {
    unpack_indices(bytes).chunks_exact(2).map(|e| [e[0], e[1]]).collect()
}

/// In front of weights that are kept as binary; those without were kept as JSON.
const BINARY: &[u8; 8] = b"tcbinary";

/// Weights of a piece and how they were found, as binary.
///
/// # Errors
/// Never in practice: everything in it can be written out.
pub fn pack_bound(bound: &Bound) -> Result<Vec<u8>, WorkshopError> {
    pack(bound)
}

/// The same, read again.
///
/// # Errors
/// When it cannot be understood.
pub fn unpack_bound(bytes: &[u8]) -> Result<Bound, WorkshopError> {
    unpack(bytes)
}

/// Weights of a body, as binary.
///
/// # Errors
/// Never in practice: everything in it can be written out.
pub fn pack_skin(skin: &Skin) -> Result<Vec<u8>, WorkshopError> {
    pack(skin)
}

/// The same, read again.
///
/// # Errors
/// When it cannot be understood.
pub fn unpack_skin(bytes: &[u8]) -> Result<Skin, WorkshopError> {
    unpack(bytes)
}

fn pack(value: &impl Serialize) -> Result<Vec<u8>, WorkshopError> {
    Ok(postcard::to_extend(value, BINARY.to_vec())?)
}

fn unpack<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, WorkshopError> {
    match bytes.strip_prefix(BINARY) {
        Some(binary) => Ok(postcard::from_bytes(binary)?),
        None => Ok(serde_json::from_slice(bytes)?),
    }
}
