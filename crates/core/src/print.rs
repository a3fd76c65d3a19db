//! What a value comes to: one short mark for the whole of it. Keys of the cache are made of these, and names that are stored.
//!
//! A value is written down in one form that only it has (every part with its kind, lists with their end, fields with their names,
//! numbers bit by bit), and that is hashed by BLAKE3 (O'Connor, Aumasson, Neves, Wilcox-O'Hearn, 2020), whose output is fixed. Nobody
//! lists fields by hand: what `Serialize` sees counts.

use serde::ser::{self, Serialize};
use std::fmt::{self, Display};
use std::hash::Hasher;
use std::sync::atomic::{AtomicU64, Ordering};

/// What a value comes to. Equal values have equal prints; of different ones nobody will find two that have.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
pub struct Print {
    /// BLAKE3 over what was written, its first 16 bytes.
    digest: [u8; 16],
    /// Bytes that were written.
    length: u64,
    /// SipHash over the same: a check that has nothing in common with the first.
    check: u64,
}

/// Prints of values that could not be saved so far: none is like another.
static UNWRITTEN: AtomicU64 = AtomicU64::new(0);

impl Print {
    /// Of any value. One that cannot be saved gets a print that nothing else has.
    pub fn of(value: &(impl Serialize + ?Sized)) -> Self {
        let mut writer = Writer::default();
        if value.serialize(&mut writer).is_err() {
            writer.word(b'!', UNWRITTEN.fetch_add(1, Ordering::Relaxed));
        }
        writer.done()
    }
}

/// A name for bytes: the first eight of BLAKE3 over them, as a number.
pub fn name(bytes: &[u8]) -> u64 {
    blake3::hash(bytes).as_bytes().iter().take(8).fold(0, |sum, b| sum << 8 | u64::from(*b))
}

/// Hashed at once, bytes.
const BLOCK: usize = 1 << 16;

#[derive(Default)]
struct Writer {
    out: Vec<u8>,
    digest: blake3::Hasher,
    check: std::hash::DefaultHasher,
    length: u64,
}

impl Writer {
    fn hand_on(&mut self) {
        self.digest.update(&self.out);
        self.check.write(&self.out);
        self.length += self.out.len() as u64;
        self.out.clear();
    }
    fn kind(&mut self, kind: u8) {
        if self.out.len() >= BLOCK {
            self.hand_on();
        }
        self.out.push(kind);
    }
    fn word(&mut self, kind: u8, word: u64) {
        self.kind(kind);
        self.out.extend_from_slice(&word.to_le_bytes());
    }
    fn bytes(&mut self, kind: u8, bytes: &[u8]) {
        self.word(kind, bytes.len() as u64);
        self.out.extend_from_slice(bytes);
    }
    fn done(mut self) -> Print {
        self.hand_on();
        let whole = self.digest.finalize();
        let mut digest = [0; 16];
        digest.copy_from_slice(&whole.as_bytes()[..16]);
        Print { digest, length: self.length, check: self.check.finish() }
    }
}

/// What a value said that could not be saved.
#[derive(Debug)]
struct Unwritten(String);

impl Display for Unwritten {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for Unwritten {}

impl ser::Error for Unwritten {
    fn custom<T: Display>(what: T) -> Self {
        Self(what.to_string())
    }
}

type Done = Result<(), Unwritten>;

impl ser::Serializer for &mut Writer {
    type Ok = ();
    type Error = Unwritten;
    type SerializeSeq = Self;
    type SerializeTuple = Self;
    type SerializeTupleStruct = Self;
    type SerializeTupleVariant = Self;
    type SerializeMap = Self;
    type SerializeStruct = Self;
    type SerializeStructVariant = Self;

    fn serialize_bool(self, v: bool) -> Done {
        self.kind(if v { b'T' } else { b'F' });
        Ok(())
    }
    fn serialize_i8(self, v: i8) -> Done {
        self.serialize_i64(v.into())
    }
    fn serialize_i16(self, v: i16) -> Done {
        self.serialize_i64(v.into())
    }
    fn serialize_i32(self, v: i32) -> Done {
        self.serialize_i64(v.into())
    }
    fn serialize_i64(self, v: i64) -> Done {
        self.word(b'i', v.cast_unsigned());
        Ok(())
    }
    fn serialize_u8(self, v: u8) -> Done {
        self.serialize_u64(v.into())
    }
    fn serialize_u16(self, v: u16) -> Done {
        self.serialize_u64(v.into())
    }
    fn serialize_u32(self, v: u32) -> Done {
        self.serialize_u64(v.into())
    }
    fn serialize_u64(self, v: u64) -> Done {
        self.word(b'u', v);
        Ok(())
    }
    fn serialize_f32(self, v: f32) -> Done {
        self.serialize_f64(v.into())
    }
    fn serialize_f64(self, v: f64) -> Done {
        self.word(b'f', v.to_bits());
        Ok(())
    }
    fn serialize_char(self, v: char) -> Done {
        self.word(b'c', u32::from(v).into());
        Ok(())
    }
    fn serialize_str(self, v: &str) -> Done {
        self.bytes(b's', v.as_bytes());
        Ok(())
    }
    fn serialize_bytes(self, v: &[u8]) -> Done {
        self.bytes(b'b', v);
        Ok(())
    }
    fn serialize_none(self) -> Done {
        self.kind(b'n');
        Ok(())
    }
    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Done {
        self.kind(b'o');
        value.serialize(self)
    }
    fn serialize_unit(self) -> Done {
        self.kind(b'0');
        Ok(())
    }
    fn serialize_unit_struct(self, _: &'static str) -> Done {
        self.serialize_unit()
    }
    fn serialize_unit_variant(self, _: &'static str, _: u32, variant: &'static str) -> Done {
        self.bytes(b'v', variant.as_bytes());
        Ok(())
    }
    fn serialize_newtype_struct<T: Serialize + ?Sized>(self, _: &'static str, value: &T) -> Done {
        value.serialize(self)
    }
    fn serialize_newtype_variant<T: Serialize + ?Sized>(self, _: &'static str, _: u32, variant: &'static str, value: &T) -> Done {
        self.bytes(b'w', variant.as_bytes());
        value.serialize(self)
    }
    fn serialize_seq(self, _: Option<usize>) -> Result<Self, Unwritten> {
        self.kind(b'[');
        Ok(self)
    }
    fn serialize_tuple(self, _: usize) -> Result<Self, Unwritten> {
        self.kind(b'[');
        Ok(self)
    }
    fn serialize_tuple_struct(self, _: &'static str, _: usize) -> Result<Self, Unwritten> {
        self.kind(b'[');
        Ok(self)
    }
    fn serialize_tuple_variant(self, _: &'static str, _: u32, variant: &'static str, _: usize) -> Result<Self, Unwritten> {
        self.bytes(b'<', variant.as_bytes());
        Ok(self)
    }
    fn serialize_map(self, _: Option<usize>) -> Result<Self, Unwritten> {
        self.kind(b'(');
        Ok(self)
    }
    fn serialize_struct(self, _: &'static str, _: usize) -> Result<Self, Unwritten> {
        self.kind(b'{');
        Ok(self)
    }
    fn serialize_struct_variant(self, _: &'static str, _: u32, variant: &'static str, _: usize) -> Result<Self, Unwritten> {
        self.bytes(b'}', variant.as_bytes());
        Ok(self)
    }
    fn is_human_readable(&self) -> bool {
        false
    }
}

/// What has elements one after the other: each is written, and at last that there is none any more.
macro_rules! elements {
    ($($kind:ident $add:ident),*) => {$(
        impl ser::$kind for &mut Writer {
            type Ok = ();
            type Error = Unwritten;
            fn $add<T: Serialize + ?Sized>(&mut self, value: &T) -> Done {
                value.serialize(&mut **self)
            }
            fn end(self) -> Done {
                self.kind(b']');
                Ok(())
            }
        }
    )*};
}
elements!(SerializeSeq serialize_element, SerializeTuple serialize_element, SerializeTupleStruct serialize_field, SerializeTupleVariant serialize_field);

impl ser::SerializeMap for &mut Writer {
    type Ok = ();
    type Error = Unwritten;
    fn serialize_key<T: Serialize + ?Sized>(&mut self, key: &T) -> Done {
        key.serialize(&mut **self)
    }
    fn serialize_value<T: Serialize + ?Sized>(&mut self, value: &T) -> Done {
        value.serialize(&mut **self)
    }
    fn end(self) -> Done {
        self.kind(b']');
        Ok(())
    }
}

/// Fields with their names: one that is left out is not taken for the next.
macro_rules! fields {
    ($($kind:ident),*) => {$(
        impl ser::$kind for &mut Writer {
            type Ok = ();
            type Error = Unwritten;
            fn serialize_field<T: Serialize + ?Sized>(&mut self, key: &'static str, value: &T) -> Done {
                self.kind(b'=');
                self.out.extend_from_slice(key.as_bytes());
                value.serialize(&mut **self)
            }
            fn end(self) -> Done {
                self.kind(b']');
                Ok(())
            }
        }
    )*};
}
fields!(SerializeStruct, SerializeStructVariant);

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::{BTreeMap, HashSet};

    #[derive(serde::Serialize)]
    struct Two {
        #[serde(skip_serializing_if = "Option::is_none")]
        left: Option<u8>,
        #[serde(skip_serializing_if = "Option::is_none")]
        right: Option<u8>,
    }

    /// Values that come to the same bytes where somebody writes them down carelessly.
    #[test]
    fn what_differs_in_anything_has_another_print() {
        let all = [
            Print::of(&Two { left: Some(1), right: None }),
            Print::of(&Two { left: None, right: Some(1) }),
            Print::of(&("ab", "c")),
            Print::of(&("a", "bc")),
            Print::of(&(vec![1, 2], vec![3])),
            Print::of(&(vec![1], vec![2, 3])),
            Print::of(&(vec![vec![1, 2], vec![]], 0)),
            Print::of(&(vec![vec![1], vec![2]], 0)),
            Print::of(&0.0),
            Print::of(&-0.0),
            Print::of(&f64::NAN),
            Print::of(&f64::INFINITY),
            Print::of(&0_u8),
            Print::of(&0_i8),
            Print::of(&None::<u8>),
            Print::of(&()),
            Print::of(&Some(())),
            Print::of(&""),
            Print::of(&BTreeMap::from([(1, 2)])),
            Print::of(&[(1, 2)]),
        ];
        assert_eq!(all.iter().collect::<HashSet<_>>().len(), all.len());
        assert_eq!(Print::of(&vec![1.5, 2.5]), Print::of(&vec![1.5, 2.5]));
    }

    #[test]
    fn what_cannot_be_written_down_is_like_nothing() {
        struct Never;
        impl Serialize for Never {
            fn serialize<S: ser::Serializer>(&self, _: S) -> Result<S::Ok, S::Error> {
                Err(ser::Error::custom("never"))
            }
        }
        assert_ne!(Print::of(&Never), Print::of(&Never));
    }

    /// Whole millimetres leave most bits of their numbers at nought: prints of them are all different all the same.
    #[test]
    fn places_in_whole_millimetres_are_told_apart() {
        let places = (0..400).flat_map(|x| (0..400).map(move |y| (f64::from(x), f64::from(y))));
        let seen: HashSet<(u64, [u8; 16])> = places.map(|p| Print::of(&p)).map(|p| (p.check, p.digest)).collect();
        assert_eq!(seen.len(), 160_000);
        let short: HashSet<u64> = seen.iter().map(|(_, d)| d.iter().take(8).fold(0, |sum, b| sum << 8 | u64::from(*b))).collect();
        assert_eq!(short.len(), 160_000);
    }

    proptest! {
        /// However long a value is, all of it counts.
        #[test]
        fn every_byte_counts(mut bytes in prop::collection::vec(any::<u8>(), 1..200_000), at in any::<prop::sample::Index>(), bit in 0..8_u8) {
            let before = Print::of(&String::from_utf8_lossy(&bytes));
            let raw = Print::of(&bytes);
            let at = at.index(bytes.len());
            bytes[at] ^= 1 << bit;
            prop_assert_ne!(raw, Print::of(&bytes));
            prop_assert_eq!(before.length > 0, true);
        }
    }

    /// Names that are stored are made of it: its output never changes.
    #[test]
    fn its_output_is_fixed() {
        // The first bytes of the hash's own test vectors, for no input and for three bytes.
        assert_eq!((name(b""), name(&[0, 1, 2])), (0xaf13_49b9_f5f9_a1a6, 0xe1be_4d7a_8ab5_560a));
    }
}
