//! A batch: its job file, its rows and tables, jobs that go on where they were.

use std::path::Path;
use tin_cloak_testkit::{coarse_wardrobe, kept_folder, wearing_coarse_bound};
use tin_cloak_workshop::{
    junit, write_whole, Batch, BatchFolder, DressedFile, Frames, JobRow, JobVerdict, JobsFile, NamedFile,
    PairRow, Shard, TrialSays, TrialWish,
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
        let wick = coarse_wardrobe().iter().find(|f| f.name == "wick.glb").unwrap();
        std::fs::write(folder.join("wick.glb"), &wick.bytes).unwrap();
        let both: &[(&str, u16)] = &[("breeches", 1), ("quilted tunic", 2)];
        for (name, worn) in [("breeches", &both[..1]), ("tunic", &both[1..]), ("both", both)] {
            let bench = wearing_coarse_bound(worn);
            let file = folder.join(format!("{name}.glb"));
            std::fs::write(file, bench.shop.export(1, true).unwrap().1).unwrap();
        }
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

/// Both lamplighters in three outfits: what goes back on its own body is what it was, and what is mended is better.
#[test]
fn two_bodies_wear_three_outfits() {
    let out = tempfile::tempdir().unwrap();
    let json = r#"{"bodies": ["wick.glb", "tib.glb"], "outfits": ["breeches.glb", "tunic.glb", "both.glb"],
        "trial": "kept", "frames": {"some": 3}, "mend": "push"}"#;
    run(out.path(), json);
    let rows = BatchFolder(out.path().to_owned()).rows().unwrap();
    assert_eq!(rows.len(), 6);
    assert!(rows.iter().all(|r| r.verdict != JobVerdict::Failed), "{rows:?}");
    let of = |body: &str, outfit: &str| rows.iter().find(|r| r.body == body && r.outfit == outfit).unwrap();
    for outfit in ["breeches", "tunic", "both"] {
        let (own, other) = (of("wick", outfit), of("tib", outfit));
        assert_eq!(own.pairs.len(), other.pairs.len(), "{outfit}");
        for row in [own, other] {
            let file = out.path().join(outfit).join(&row.body).join("dressed.glb");
            let bytes = std::fs::read(&file).unwrap();
            let named = NamedFile { name: file.display().to_string(), bytes };
            let says = TrialSays { frames: Some(Frames::Some(3)), ..TrialSays::default() };
            let open = DressedFile::open(&named, None, &TrialWish::AsTheFileSays, &says).unwrap();
            // The row tells what a check of its file says.
            assert_eq!(open.measured(&|_| true).unwrap().1, row.cells_out, "{outfit} on {}", row.body);
        }
    }
    // Worst first.
    assert!(rows.windows(2).all(|r| r[0].cells_out >= r[1].cells_out), "{rows:?}");
}
