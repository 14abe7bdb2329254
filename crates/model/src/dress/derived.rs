//! The one cache of what is derived: welds, walls, trees, coverage, findings, gaps, posed maps,
//! measured cells. By content, bounded in bytes.
//!
//! Nothing is computed inside a lock: two who ask for the same value at once may both make it, and
//! get equal ones. What is dear and asked for by many at once, as a room after a restart, is made by
//! the first of them; the others wait a while, but never for ever: workers that wait for each other
//! would.

use crate::state::key::Key;
use quick_cache::sync::{Cache, GuardResult};
use quick_cache::{OptionsBuilder, Weighter};
use std::any::Any;
use std::cell::RefCell;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tin_cloak_core::clearance::{Buffers, Outfit};

/// A value that says how large it is.
pub trait Weighed {
    /// Bytes it takes up, about.
    fn bytes(&self) -> usize;
}

impl<T> Weighed for Vec<T> {
    fn bytes(&self) -> usize {
        std::mem::size_of::<T>() * self.len()
    }
}

impl Weighed for tin_cloak_core::deform::Morph {
    fn bytes(&self) -> usize {
        64 + self.vertices.len() * 16
    }
}

impl Weighed for tin_cloak_core::clearance::AtRest {
    fn bytes(&self) -> usize {
        tin_cloak_core::clearance::AtRest::bytes(self)
    }
}

impl Weighed for tin_cloak_core::clearance::Sight {
    fn bytes(&self) -> usize {
        self.buried.len() + 96
    }
}

impl<T: Weighed> Weighed for Arc<T> {
    fn bytes(&self) -> usize {
        T::bytes(self)
    }
}

impl<T: Weighed> Weighed for Option<T> {
    fn bytes(&self) -> usize {
        self.as_ref().map_or(0, Weighed::bytes)
    }
}

#[derive(Clone)]
struct Entry {
    bytes: u64,
    value: Arc<dyn Any + Send + Sync>,
}

impl Entry {
    fn new<T: Weighed + Send + Sync + 'static>(value: T) -> (Self, Arc<T>) {
        let value = Arc::new(value);
        let bytes = value.bytes() as u64 + OVERHEAD;
        (Self { bytes, value: Arc::clone(&value) as Arc<dyn Any + Send + Sync> }, value)
    }
}

#[derive(Clone)]
struct ByBytes;

impl Weighter<Key, Entry> for ByBytes {
    fn weight(&self, _: &Key, entry: &Entry) -> u64 {
        entry.bytes
    }
}

/// Derived values by their keys.
pub struct Derived {
    values: Cache<Key, Entry, ByBytes>,
    /// Posed layers to work in, used last by one room or another: each having its own would be kept for every step.
    buffers: Mutex<Option<Buffers>>,
}

thread_local! {
    /// Dear values that this thread is making. A worker that has taken up other work while it waits for its own may
    /// come upon one of them; it does not wait for itself then.
    static MAKING: RefCell<Vec<Key>> = const { RefCell::new(Vec::new()) };
}

/// Who waits for another's value waits no longer than this, then makes it too.
const LONGEST_WAIT: Duration = Duration::from_secs(5);

/// What is kept in memory at most, bytes.
const MOST_BYTES: u64 = 1 << 30;
/// A guess of how many values that is.
const VALUES: usize = 20_000;
/// What a value costs besides its own bytes.
const OVERHEAD: u64 = 128;

impl Default for Derived {
    fn default() -> Self {
        Self::of_size(MOST_BYTES)
    }
}

impl Derived {
    /// Room for so many bytes.
    pub fn of_size(bytes: u64) -> Self {
        // Few shards: the largest value must fit into one.
        let options = OptionsBuilder::new()
            .estimated_items_capacity(VALUES)
            .weight_capacity(bytes)
            .shards(4)
            .build()
            .unwrap_or_else(|e| unreachable!("every option is given: {e}"));
        let values = Cache::with_options(options, ByBytes, Default::default(), Default::default());
        Self { values, buffers: Mutex::default() }
    }

    /// Layers to pose an outfit in, those used last if nobody has them.
    pub fn lend_buffers(&self, outfit: &Outfit) -> Buffers {
        let kept = self.buffers.lock().unwrap_or_else(PoisonError::into_inner).take();
        let mut buffers = kept.unwrap_or_else(|| outfit.buffers());
        outfit.take_over(&mut buffers);
        buffers
    }

    /// Keeps them for the next.
    pub fn take_back(&self, buffers: Buffers) {
        *self.buffers.lock().unwrap_or_else(PoisonError::into_inner) = Some(buffers);
    }

    /// The value of a key, when it is here.
    pub fn get<T: Send + Sync + 'static>(&self, key: Key) -> Option<Arc<T>> {
        self.values.get(&key).and_then(|entry| entry.value.downcast().ok())
    }

    /// Puts a value in.
    pub fn put<T: Weighed + Send + Sync + 'static>(&self, key: Key, value: T) -> Arc<T> {
        let (entry, value) = Entry::new(value);
        self.values.insert(key, entry);
        value
    }

    /// Lets go of every value.
    pub fn forget_all(&self) {
        self.values.clear();
    }

    /// The value of a key; made now when it is not here.
    pub fn get_or<T: Weighed + Send + Sync + 'static>(&self, key: Key, make: impl FnOnce() -> T) -> Arc<T> {
        self.get(key).unwrap_or_else(|| self.put(key, make()))
    }

    /// The same for a dear value: made once, however many ask at once.
    ///
    /// # Errors
    /// Those of `make`; nothing is kept then.
    pub fn try_get_or_once<T: Weighed + Send + Sync + 'static, E>(
        &self,
        key: Key,
        make: impl FnOnce() -> Result<T, E>,
    ) -> Result<Arc<T>, E> {
        if MAKING.with_borrow(|own| own.contains(&key)) {
            return self.try_get_or(key, make);
        }
        let guard = match self.values.get_value_or_guard(&key, Some(LONGEST_WAIT)) {
            GuardResult::Value(entry) => match entry.value.downcast() {
                Ok(known) => return Ok(known),
                Err(_) => return self.try_get_or(key, make),
            },
            GuardResult::Guard(guard) => guard,
            GuardResult::Timeout => return self.try_get_or(key, make),
        };
        MAKING.with_borrow_mut(|own| own.push(key));
        let made = make();
        MAKING.with_borrow_mut(|own| own.retain(|other| *other != key));
        let (entry, value) = Entry::new(made?);
        // Refused where another has put it in meanwhile: an equal one.
        let _ = guard.insert(entry);
        Ok(value)
    }

    /// The same where making may fail.
    ///
    /// # Errors
    /// Those of `make`; nothing is kept then.
    pub fn try_get_or<T: Weighed + Send + Sync + 'static, E>(
        &self,
        key: Key,
        make: impl FnOnce() -> Result<T, E>,
    ) -> Result<Arc<T>, E> {
        match self.get(key) {
            Some(known) => Ok(known),
            None => Ok(self.put(key, make()?)),
        }
    }
}
