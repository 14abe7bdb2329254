//! A file and those that came along with it, kept as one blob.

use crate::error::WorkshopError;
use tin_cloak_formats::Companions;

const MAGIC: &[u8; 8] = b"tcbundle";

/// `bytes` alone when nothing came along; else the magic, the length of a list as eight bytes,
/// the list (name and length of each file, JSON), and the files, the main one first.
pub fn pack(name: &str, bytes: &[u8], companions: &Companions) -> Result<Vec<u8>, WorkshopError> {
    if companions.is_empty() {
        return Ok(bytes.to_vec());
    }
    let along = companions.iter().map(|(name, data)| (name.as_str(), data.len()));
    let list: Vec<(&str, usize)> = std::iter::once((name, bytes.len())).chain(along).collect();
    let list = serde_json::to_vec(&list)?;
    let mut out = MAGIC.to_vec();
    out.extend((list.len() as u64).to_le_bytes());
    out.extend(list);
    out.extend(bytes);
    companions.values().for_each(|data| out.extend(data));
    Ok(out)
}

/// The main file and those that came along.
pub fn unpack(blob: Vec<u8>) -> Result<(Vec<u8>, Companions), WorkshopError> {
    if !blob.starts_with(MAGIC) {
        return Ok((blob, Companions::new()));
    }
    let cut = || WorkshopError::Job("a stored file is cut short: bring it in again".to_owned());
    let mut rest = &blob[MAGIC.len()..];
    let mut take = |n: usize| {
        let (head, tail) = rest.split_at_checked(n).ok_or_else(cut)?;
        rest = tail;
        Ok::<_, WorkshopError>(head)
    };
    let length = u64::from_le_bytes(take(8)?.try_into().map_err(|_| cut())?);
    let list: Vec<(String, usize)> =
        serde_json::from_slice(take(usize::try_from(length).map_err(|_| cut())?)?)?;
    let mut files = Vec::new();
    for (name, length) in list {
        files.push((name, take(length)?.to_vec()));
    }
    let mut files = files.into_iter();
    let (_, main) = files.next().ok_or_else(cut)?;
    Ok((main, files.collect()))
}
