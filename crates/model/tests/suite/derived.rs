//! Tests of `dress/derived.rs`.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tin_cloak_model::dress::derived::*;
use tin_cloak_model::state::key::Key;

#[test]
fn a_value_is_made_once_and_never_for_another_key_or_kind() {
    let (derived, made) = (Derived::default(), AtomicUsize::new(0));
    let make = || {
        made.fetch_add(1, Ordering::Relaxed);
        vec![1u8, 2]
    };
    let (one, two) = (Key::hashed("bytes", &1), Key::hashed("bytes", &2));
    assert_eq!(*derived.get_or(one, make), [1, 2]);
    assert_eq!(*derived.get_or(one, make), [1, 2]);
    derived.get_or(two, make);
    assert_eq!(made.load(Ordering::Relaxed), 2);
    assert!(derived.get::<Vec<u16>>(one).is_none());
    assert_eq!(derived.try_get_or(Key::hashed("bytes", &3), || Err::<Vec<u8>, _>("no")), Err("no"));
}

#[test]
fn a_dear_value_is_made_once_by_the_first_who_asks() {
    let (derived, made) = (Derived::default(), AtomicUsize::new(0));
    let make = || {
        made.fetch_add(1, Ordering::Relaxed);
        std::thread::sleep(Duration::from_millis(60));
        Ok::<_, ()>(vec![7u8])
    };
    let key = Key::hashed("dear", &1);
    std::thread::scope(|s| {
        for _ in 0..6 {
            s.spawn(|| assert_eq!(*derived.try_get_or_once(key, make).unwrap(), [7]));
        }
    });
    assert_eq!(made.load(Ordering::Relaxed), 1);
    // One that fails, or asks for itself, leaves nobody waiting.
    let other = Key::hashed("dear", &2);
    assert!(derived.try_get_or_once(other, || Err::<Vec<u8>, ()>(())).is_err());
    let inner = || derived.try_get_or_once(other, make).map(|v| v.to_vec());
    let begun = Instant::now();
    assert_eq!(*derived.try_get_or_once(other, inner).unwrap(), [7]);
    assert!(begun.elapsed() < Duration::from_secs(1));
}

#[test]
fn it_holds_no_more_than_its_bytes() {
    let derived = Derived::of_size(1 << 20);
    let key = |i: i32| Key::hashed("bytes", &i);
    for i in 0..400 {
        derived.put(key(i), vec![0u8; 10_000]);
    }
    let held = (0..400).filter(|i| derived.get::<Vec<u8>>(key(*i)).is_some()).count();
    assert!((20..=104).contains(&held), "{held}");
}

#[test]
fn workers_that_ask_each_other_do_not_wait_for_each_other() {
    use rayon::prelude::*;
    let derived = Derived::default();
    let inner = |i: i32| derived.get_or(Key::hashed("inner", &(i % 3)), || vec![i % 3; 1000]).len();
    let outer = |i: i32| {
        let make = || (0..64).into_par_iter().map(inner).collect::<Vec<usize>>();
        derived.get_or(Key::hashed("outer", &(i % 5)), make).len()
    };
    assert_eq!((0..200).into_par_iter().map(outer).sum::<usize>(), 200 * 64);
}
