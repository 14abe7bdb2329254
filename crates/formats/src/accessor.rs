//! Checks on accessors, made before anything is read or allocated.

use crate::ReadError;
use gltf::accessor::{DataType, Dimensions};
use gltf::Accessor;

/// An accessor without a buffer holds zeros; more of them than this is no mesh anyone drew.
const MOST_ZEROS: u64 = 16 << 20;

/// That every accessor of the file lies within its data.
pub(crate) fn check_all(document: &gltf::Document, buffers: &[Vec<u8>]) -> Result<(), ReadError> {
    for view in document.views() {
        let length = buffers[view.buffer().index()].len() as u64;
        let end = (view.offset() as u64).saturating_add(view.length() as u64);
        if end > length {
            let detail = format!("buffer view {} ends at byte {end} of {length}", view.index());
            return Err(ReadError::Truncated { detail });
        }
    }
    document.accessors().try_for_each(|a| check_extent(&a))
}

fn check_extent(accessor: &Accessor) -> Result<(), ReadError> {
    let (index, count, size) = (accessor.index(), accessor.count() as u64, accessor.size() as u64);
    // The library takes it for granted that there is one, and that sparse ones lie close.
    let sparse_is_odd = accessor.sparse().is_some_and(|s| {
        s.count() == 0 || s.indices().view().stride().is_some() || s.values().view().stride().is_some()
    });
    if count == 0 || sparse_is_odd {
        return Err(ReadError::Invalid {
            detail: format!("accessor {index} has no element where it should"),
        });
    }
    let too_long = |available| Err(ReadError::AccessorTooLong { index, count, available });
    match accessor.view() {
        Some(view) => {
            if let Some(stride) = view.stride().filter(|s| *s < accessor.size()) {
                return Err(ReadError::Stride { index, stride, size: accessor.size() });
            }
            let stride = view.stride().map_or(size, |s| s as u64);
            if !fits(accessor.offset() as u64, stride.max(1), size, count, view.length() as u64) {
                return too_long(view.length() as u64);
            }
        }
        None if count > MOST_ZEROS => return too_long(0),
        None => {}
    }
    let Some(sparse) = accessor.sparse() else { return Ok(()) };
    let entries = sparse.count() as u64;
    let (indices, values) = (sparse.indices(), sparse.values());
    let index_size = match indices.index_type() {
        gltf::accessor::sparse::IndexType::U8 => 1,
        gltf::accessor::sparse::IndexType::U16 => 2,
        gltf::accessor::sparse::IndexType::U32 => 4,
    };
    let indices_fit =
        fits(indices.offset() as u64, index_size, index_size, entries, indices.view().length() as u64);
    let values_fit = fits(values.offset() as u64, size, size, entries, values.view().length() as u64);
    if entries > count || !indices_fit || !values_fit {
        return too_long(indices.view().length() as u64);
    }
    Ok(())
}

fn fits(offset: u64, stride: u64, size: u64, count: u64, available: u64) -> bool {
    let Some(last) = count.checked_sub(1) else { return true };
    last.checked_mul(stride).and_then(|n| n.checked_add(size)).and_then(|n| n.checked_add(offset))
        <= Some(available)
        && last.checked_mul(stride).is_some()
}

/// That an accessor has one of the types its use allows.
pub(crate) fn check_type(
    accessor: &Accessor,
    what: &'static str,
    dimensions: Dimensions,
    types: &[DataType],
    wanted: &'static str,
) -> Result<(), ReadError> {
    if accessor.dimensions() == dimensions && types.contains(&accessor.data_type()) {
        return Ok(());
    }
    let found = format!("{:?} of {:?}", accessor.dimensions(), accessor.data_type());
    Err(ReadError::AccessorType { index: accessor.index(), what, found, wanted })
}
