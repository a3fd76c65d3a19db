//! Files of a release, as other programs use them.

use crate::client::{Shop, demo};
use crate::nested::nested;
use std::process::Command;

/// A released job's own file is enough to prove its programs with, and says when they are others.
#[test]
fn what_is_released_is_proved_from_its_job_file() {
    let shop = Shop::open(&[]);
    let job = nested(&shop, "Crown boards", ("crown-board.dxf", &demo("crown-board.dxf")));
    let revision = shop.revision(job).to_string();
    let released = shop.post(&format!("/jobs/{job}/released"), &[("revision", &revision), ("person", "Odile")]);
    assert!(released.status < 400, "{}", released.sentence());
    let folder = tempfile::tempdir().expect("a folder");
    let kept = |name: &str| {
        let answer = shop.get(&format!("/jobs/{job}/files/{name}"));
        assert_eq!(answer.status, 200, "{name}: {}", answer.sentence());
        let path = folder.path().join(name);
        std::fs::write(&path, &answer.body).expect("written");
        path
    };
    let (program, file) = (kept("1.nc"), kept("job.json"));
    let proved = |program: &std::path::Path| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_boustrophe"));
        command.arg("prove").arg(program).arg("--job").arg(&file).output().expect("it runs").status.code()
    };
    assert_eq!(proved(&program), Some(0));
    let text = std::fs::read_to_string(&program).expect("the program");
    let slower =
        text.lines().map(|l| if l.contains("F1200") { l.replace("F1200", "F900") } else { l.to_owned() } + "\n").collect::<String>();
    assert_ne!(slower, text);
    std::fs::write(&program, slower).expect("written");
    assert_eq!(proved(&program), Some(1));
}
