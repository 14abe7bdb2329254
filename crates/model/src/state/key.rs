//! Names for values: a hash of all that a value depends on.

use serde::Serialize;
use tin_cloak_store::KeptKey;

/// The BLAKE3 hash of what a value depends on, and of what kind of value it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Key(KeptKey);

impl Key {
    /// The key of a value of the named kind that depends on `parts`.
    pub fn hashed(kind: &str, parts: &impl Serialize) -> Self {
        Self::begin(kind).and(parts).end()
    }

    /// A key to which parts are added one by one.
    pub fn begin(kind: &str) -> KeyMaker {
        let mut hasher = blake3::Hasher::new();
        hasher.update(kind.as_bytes());
        KeyMaker(hasher)
    }

    /// Enough of it to tell states of one fitting apart, in letters.
    pub fn short(self) -> String {
        self.0.iter().take(12).map(|b| format!("{b:02x}")).collect()
    }

    /// As the store has it.
    pub fn bytes(self) -> KeptKey {
        self.0
    }
}

/// A key in the making.
pub struct KeyMaker(blake3::Hasher);

impl KeyMaker {
    /// Adds a plain value: file references, blob names, options.
    pub fn and(mut self, part: &impl Serialize) -> Self {
        self.0.update(b"\0");
        // What cannot be written out has no content of its own to tell apart.
        if let Err(error) = serde_json::to_writer(&mut self.0, part) {
            tracing::error!(%error, "a key could not be made");
        }
        self
    }

    /// Adds another value by its key.
    pub fn and_key(mut self, key: Key) -> Self {
        self.0.update(&key.0);
        self
    }

    /// Adds raw bytes: matrices, numbers.
    pub fn and_bytes(mut self, bytes: &[u8]) -> Self {
        self.0.update(&(bytes.len() as u64).to_le_bytes());
        self.0.update(bytes);
        self
    }

    /// The key.
    pub fn end(self) -> Key {
        Key(*self.0.finalize().as_bytes())
    }
}
