//! A batch: its job file, its rows and tables, jobs that go on where they were.

use std::path::Path;
use tin_cloak_testkit::{kept_folder, wearing_coarse_bound};
use tin_cloak_workshop::{
    junit, write_whole, Batch, BatchFolder, JobRow, JobVerdict, JobsFile, PairRow, Shard,
};

fn row(body: &str, verdict: JobVerdict, cells_out: usize) -> JobRow {
    let out = (cells_out > 0).then(|| ("squat".to_owned(), 3.25)).into_iter().collect();
    let pairs = vec![PairRow { outer: "coat".into(), inner: "tunic".into(), out }];
    JobRow {
        outfit: "night \"round\"".into(),
        body: body.into(),
        verdict,
        cells_out,
        pairs,
        ..JobRow::default()
    }
}

#[test]
fn a_build_server_reads_pairs_as_tests() {
    let mut failed = row("A & B", JobVerdict::Failed, 0);
    failed.error = "no <skin>".to_owned();
    failed.pairs.clear();
    insta::assert_snapshot!(junit(&[
        failed,
        row("Tib", JobVerdict::Out, 1),
        row("Wick", JobVerdict::Clear, 0)
    ]));
}

#[test]
fn what_is_written_is_there_whole_and_read_worst_first() {
    let folder = tempfile::tempdir().unwrap();
    let of = |n: usize, row: &JobRow| {
        let path = folder.path().join("rows").join(format!("{n}.json"));
        write_whole(&path, &serde_json::to_vec(row).unwrap()).unwrap();
    };
    of(0, &row("clear", JobVerdict::Clear, 0));
    of(1, &row("some", JobVerdict::Out, 2));
    of(2, &row("many", JobVerdict::Out, 9));
    of(3, &row("failed", JobVerdict::Failed, 0));
    std::fs::write(folder.path().join("rows").join("5.json.part"), b"{").unwrap();
    std::fs::write(folder.path().join("rows").join("6.quick.json"), b"{}").unwrap();
    let rows = BatchFolder(folder.path().to_owned()).rows().unwrap();
    let bodies: Vec<&str> = rows.iter().map(|r| r.body.as_str()).collect();
    assert_eq!(bodies, ["failed", "many", "some", "clear"]);
    let empty = tempfile::tempdir().unwrap();
    assert!(BatchFolder(empty.path().to_owned()).rows().is_err());
}

fn refused(json: &str) -> String {
    JobsFile::of_json("jobs.json", json.as_bytes()).unwrap_err().to_string()
}

#[test]
fn a_faulty_job_file_is_refused_in_one_line() {
    let refusals = [
        "[1]",
        r#"{"bodies": [], "outfits": ["a.glb"]}"#,
        r#"{"bodies": ["a.glb"], "outfits": []}"#,
        r#"{"bodies": ["a.glb", "b/a.glb"], "outfits": ["o.glb"]}"#,
        r#"{"bodies": ["..."], "outfits": ["o.glb"]}"#,
        r#"{"bodies": ["a.glb"], "outfits": ["o.glb"], "mends": "plan"}"#,
        r#"{"bodies": ["a.glb"], "outfits": ["o.glb"], "tolerance_mm": -1}"#,
    ];
    let said: Vec<String> = refusals.iter().map(|json| refused(json)).collect();
    assert!(said.iter().all(|line| !line.contains('\n')));
    insta::assert_snapshot!(said.join("\n"));
}

#[test]
fn shards_share_the_jobs_and_leave_none() {
    let json = r#"{"bodies": ["a.glb", "b.glb", "c.glb"], "outfits": ["o.glb", "p.glb"]}"#;
    let jobs = JobsFile::of_json("jobs.json", json.as_bytes()).unwrap();
    let of = |at: usize| jobs.jobs(Shard { at, of: 4 });
    let all: usize = (1..=4).map(|at| of(at).len()).sum();
    assert_eq!((all, jobs.jobs(Shard::WHOLE).len()), (6, 6));
    assert!((1..=4).all(|at| (1..=4).filter(|n| *n != at).all(|n| of(at).iter().all(|j| !of(n).contains(j)))));
}

/// A folder with a body to go to, and a dressed one.
fn files() -> std::path::PathBuf {
    kept_folder("batch files", |folder| {
        let tib = tin_cloak_demo::tib().unwrap();
        std::fs::write(folder.join("tib.glb"), &tib.bytes).unwrap();
        let bench = wearing_coarse_bound(&[("breeches", 1)]);
        std::fs::write(folder.join("breeches.glb"), bench.shop.export(1, true).unwrap().1).unwrap();
    })
}

fn run(out: &Path, json: &str) -> Vec<JobRow> {
    let jobs = JobsFile::of_json("jobs.json", json.as_bytes()).unwrap();
    let (from, out) = (files(), BatchFolder(out.to_owned()));
    let batch = Batch { jobs: &jobs, from: &from, out, shard: Shard::WHOLE };
    batch.run(&|_| Ok(vec![("besides.txt".to_owned(), b"there".to_vec())]), &|_, _| {}).unwrap()
}

#[test]
fn a_job_that_fails_is_told_and_the_others_are_done_once() {
    let out = tempfile::tempdir().unwrap();
    let json =
        r#"{"bodies": ["tib.glb", {"name": "nobody", "file": "nowhere.glb"}], "outfits": ["breeches.glb"]}"#;
    let rows = run(out.path(), json);
    let done = rows.iter().find(|r| r.body == "tib").unwrap();
    let failed =
        BatchFolder(out.path().to_owned()).rows().unwrap().into_iter().find(|r| r.body == "nobody").unwrap();
    assert_ne!(done.verdict, JobVerdict::Failed, "{done:?}");
    assert!(failed.verdict == JobVerdict::Failed && failed.error.contains("nowhere.glb"), "{failed:?}");
    let file = |name: &str| out.path().join("breeches").join("tib").join(name);
    for name in ["dressed.glb", "report.json", "besides.txt"] {
        assert!(file(name).is_file(), "{name}");
    }
    assert!(!file("carried.glb").exists(), "what was on the way is taken away");
    assert!(done.pairs.iter().any(|p| p.outer == "breeches" && p.inner == "Tib"), "{:?}", done.pairs);

    // Begun again it is not done again; of another wish it is.
    let written = || std::fs::metadata(file("dressed.glb")).unwrap().modified().unwrap();
    let first = written();
    assert_eq!(run(out.path(), json).iter().find(|r| r.body == "tib"), Some(done));
    assert_eq!(written(), first);
    run(out.path(), &json.replacen('{', r#"{"tolerance_mm": 2.5, "#, 1));
    assert_ne!(written(), first);
}
