//! Data that were damaged: they are read, never written to.

use crate::{Store, StoreError};
use boustrophe_core::decisions::Decisions;
use std::io::{Seek, SeekFrom, Write};

#[test]
fn damaged_data_are_read_and_never_written_to() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(folder.path()).expect("a shop");
    let first = store.add_job("Combs", "", None, &Decisions::default()).expect("a job").id;
    store.add_file("ab", "large.dxf", &vec![7; 400_000]).expect("kept");
    assert!(store.damage().is_none());
    drop(store);
    let path = folder.path().join("shop.sqlite");
    // A page of the large file's is overwritten.
    let length = std::fs::metadata(&path).expect("it").len();
    let mut file = std::fs::File::options().write(true).open(&path).expect("the data");
    file.seek(SeekFrom::Start(length - 3 * 4096)).expect("there");
    file.write_all(&[0x55; 3 * 4096]).expect("written");
    drop(file);
    let before = std::fs::read(&path).expect("it");
    let store = Store::open(folder.path()).expect("it opens all the same");
    assert!(store.damage().is_some(), "it is told");
    assert_eq!(store.job(first).expect("what can be read is read").name, "Combs");
    assert!(matches!(store.add_job("Lids", "", None, &Decisions::default()), Err(StoreError::OnlyRead)));
    drop(store);
    assert_eq!(std::fs::read(&path).expect("it"), before, "not a byte is changed");
}
