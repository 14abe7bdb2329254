//! What can be asked on the command line.

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;
use std::str::FromStr;
use tin_cloak_workshop::core::intake::Up;
use tin_cloak_workshop::{Frames, MeansKind, Method, PieceKind, Shard, StiffSize};

/// Fits clothing, armour and accessories to a rigged body so that they move with it and
/// nothing shows through that should not.
#[derive(Parser)]
#[command(name = "tin-cloak", version, about, after_help = EXAMPLES)]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub command: Command,
}

const EXAMPLES: &str = "Examples:
  tin-cloak demo
      the application with made-up clothes to try, on http://127.0.0.1:8610
  tin-cloak fit --body body.glb --piece shirt.glb --piece plate.glb@layer=2,kind=stiff,weights=new --out dressed.glb
      bind two pieces to a body and write one skinned GLB
  tin-cloak check dressed.glb --report report.json
      measure poke-through in every trial pose; exit status 1 when there is any
  tin-cloak mend dressed.glb --out mended.glb
      push cloth out of the way in all trial poses at once
  tin-cloak wear dressed.glb --body other.glb --out other_dressed.glb
      the outfit on another body, bound there and measured
  tin-cloak batch jobs.json --out results
      every outfit on every body, with a table of what is left, the worst first
  tin-cloak export dressed.glb --to outfit.usda
      the outfit in another form
  tin-cloak report dressed.glb --out report.html
      one page with pictures, the board and what is left

Exit status: 0 done, 1 `check` or `report` found poke-through beyond the tolerance, or `export` a limit that is not
kept, 2 bad input.";

#[derive(Subcommand)]
pub(crate) enum Command {
    /// Serve the application with fresh demo data
    Demo(Serve),
    /// Serve the application
    Serve(Serve),
    /// Bind pieces to a body and write one GLB
    Fit(FitArgs),
    /// Measure poke-through of a dressed GLB in trial poses
    Check(Check),
    /// Push cloth off what pokes through it, and write a new GLB
    Mend(Mend),
    /// Put the outfit of a dressed GLB on another body
    Wear(WearArgs),
    /// Give pieces of a dressed GLB, or its body, the meshes of files that came back
    Replace(ReplaceArgs),
    /// Put many outfits on many bodies, each job by itself
    Batch(BatchArgs),
    /// Write it, or some of its pieces, in another form
    Export(Export),
    /// Write a report: one HTML page that needs nothing else
    Report(ReportArgs),
}

#[derive(Args)]
pub(crate) struct Serve {
    /// Port to listen on
    #[arg(long, default_value_t = 8610)]
    pub port: u16,
    /// Address to listen on; anything but a loopback address lets others in
    #[arg(long, default_value = "127.0.0.1")]
    pub address: std::net::IpAddr,
    /// Further names this server answers to, besides localhost and its address
    #[arg(long = "host", value_name = "NAME")]
    pub hosts: Vec<String>,
    /// Where fittings are kept [default: serve ./tin-cloak-data, demo a temporary folder]
    #[arg(long, value_name = "DIR")]
    pub data: Option<PathBuf>,
    /// Megabytes of memory for what can be made again [default: a quarter of the machine's, at least 512]
    #[arg(long, value_name = "MB", value_parser = clap::value_parser!(u64).range(64..=1 << 24))]
    pub memory: Option<u64>,
    /// First let go of what nothing leads to any more: fittings thrown away, steps gone back on
    #[arg(long)]
    pub compact: bool,
}

#[derive(Args)]
pub(crate) struct FitArgs {
    /// The rigged body (GLB or glTF with a skin)
    #[arg(long, value_name = "FILE")]
    pub body: PathBuf,
    /// Which mesh of the file is the body, when it is not marked
    #[arg(long, value_name = "NAME")]
    pub body_mesh: Option<String>,
    /// A piece: FILE[@layer=N,kind=soft|stiff|mixed,joint=NAME]; repeat for each, inside out
    #[arg(long = "piece", value_name = "FILE[@…]", required = true)]
    pub pieces: Vec<PieceArg>,
    /// How cloth takes its weights
    #[arg(long, value_enum, default_value_t = MethodArg::Both)]
    pub method: MethodArg,
    /// Most joints that may move a vertex
    #[arg(long, default_value_t = 4, value_parser = clap::value_parser!(u8).range(1..=8))]
    pub max_influences: u8,
    /// Which of the body's shapes pieces follow: all, none, or a shape by name; repeat for each
    #[arg(long, value_name = "SHAPE")]
    pub follow: Vec<String>,
    /// Layers, kinds, ways to bind and trials by a recipe (JSON, from Handover); it overrides what is said here
    #[arg(long, value_name = "RECIPE.json")]
    pub recipe: Option<PathBuf>,
    /// Where to write the dressed body (GLB)
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,
    /// Where to write a report (JSON)
    #[arg(long, value_name = "FILE")]
    pub report: Option<PathBuf>,
}

#[derive(Args)]
pub(crate) struct Check {
    /// A dressed body: one GLB with the body and skinned pieces
    #[arg(value_name = "DRESSED.glb")]
    pub dressed: PathBuf,
    #[command(flatten)]
    pub trial: TrialArgs,
    /// Where to write a report (JSON)
    #[arg(long, value_name = "FILE")]
    pub report: Option<PathBuf>,
    /// Where to write it as JUnit XML, a pair of layers a test, for a build server
    #[arg(long, value_name = "FILE")]
    pub junit: Option<PathBuf>,
}

#[derive(Args)]
pub(crate) struct Mend {
    /// A dressed body: one GLB with the body and skinned pieces
    #[arg(value_name = "DRESSED.glb")]
    pub dressed: PathBuf,
    /// Where to write the mended GLB
    #[arg(long, value_name = "FILE", required_unless_present = "plan")]
    pub out: Option<PathBuf>,
    /// Try what may help and tell what it brings; with --out, do it, too
    #[arg(long, conflicts_with_all = ["margin_mm", "limit_mm"])]
    pub plan: bool,
    /// A plan of these means alone; repeat for each
    #[arg(long, value_enum, value_name = "MEANS", conflicts_with_all = ["margin_mm", "limit_mm"])]
    pub only: Vec<MeansArg>,
    #[command(flatten)]
    pub trial: TrialArgs,
    /// Clearance wished where cloth is moved, millimetres
    #[arg(long, default_value_t = 1.0, allow_negative_numbers = true)]
    pub margin_mm: f32,
    /// Furthest any vertex may move, millimetres
    #[arg(long, default_value_t = 20.0, allow_negative_numbers = true)]
    pub limit_mm: f32,
    /// What is done to one side of a piece is done to the other
    #[arg(long, conflicts_with_all = ["plan", "only"])]
    pub alike: bool,
    /// Rows of vertices stay straight: moves change evenly along them
    #[arg(long, conflicts_with_all = ["plan", "only"])]
    pub keep_rows: bool,
    /// So many poses of an arm, a leg and the trunk at once are mended for too, besides those that are tried
    #[arg(long, value_name = "N", default_value_t = 0, conflicts_with_all = ["plan", "only", "pose"])]
    pub combined: usize,
    /// Only where one layer is through another, by name: the outer one, the inner one
    #[arg(long, value_name = "OUTER:INNER", value_parser = pair, conflicts_with_all = ["plan", "only"])]
    pub pair: Option<(String, String)>,
    /// Only in one pose, by its name in a report
    #[arg(long, value_name = "NAME", conflicts_with_all = ["plan", "only"])]
    pub pose: Option<String>,
    /// Only what a piece keeps under a name, as `hem` or `coat:hem`
    #[arg(long, value_name = "NAME", conflicts_with_all = ["plan", "only"])]
    pub patch: Option<String>,
    /// Where to write a report of the mended state (JSON)
    #[arg(long, value_name = "FILE")]
    pub report: Option<PathBuf>,
}

#[derive(Args)]
pub(crate) struct WearArgs {
    /// A dressed body: one GLB with the body and its pieces
    #[arg(value_name = "DRESSED.glb")]
    pub dressed: PathBuf,
    /// The other body: rigged, of any mesh, size and joint names
    #[arg(long, value_name = "OTHER.glb")]
    pub body: PathBuf,
    /// Where to write the other body, dressed (GLB)
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,
    /// How large stiff parts become: as what they sit on (buttons and what hangs keep their size), or as they are
    #[arg(long, value_enum, default_value_t = StiffArg::Region)]
    pub stiff: StiffArg,
    /// Which mesh of the other body's file is the body, when it is not marked
    #[arg(long, value_name = "NAME")]
    pub body_mesh: Option<String>,
    /// Which mesh of the dressed file is its body, when it is not marked
    #[arg(long, value_name = "NAME")]
    pub dressed_mesh: Option<String>,
    /// Where to write a report (JSON)
    #[arg(long, value_name = "FILE")]
    pub report: Option<PathBuf>,
}

#[derive(Args)]
pub(crate) struct ReplaceArgs {
    /// A dressed body: one GLB with the body and its pieces
    #[arg(value_name = "DRESSED.glb")]
    pub dressed: PathBuf,
    /// What is replaced, by its name, and the file whose mesh takes its place; may be given again
    #[arg(long, value_name = "NAME=FILE", required = true)]
    pub replace: Vec<String>,
    /// Where to write the result (GLB)
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,
    /// Which mesh of the dressed file is its body, when it is not marked
    #[arg(long, value_name = "NAME")]
    pub body_mesh: Option<String>,
    /// Where to write a report (JSON)
    #[arg(long, value_name = "FILE")]
    pub report: Option<PathBuf>,
}

#[derive(Args)]
pub(crate) struct BatchArgs {
    /// Bodies and outfits (JSON: see docs/reference.md); only needed to do jobs, not to merge
    #[arg(value_name = "JOBS.json", required_unless_present = "merge")]
    pub jobs: Option<PathBuf>,
    /// Folder for all that is written; jobs that are done there already are not done again
    #[arg(long, value_name = "DIR")]
    pub out: PathBuf,
    /// A part of the jobs: 3/16 is the third of sixteen; instead of the 3 the name of an environment variable that
    /// has it, as where a scheduler counts the tasks of an array
    #[arg(long, value_name = "I/N", value_parser = shard)]
    pub shard: Option<Shard>,
    /// Only make the table of the rows that are there
    #[arg(long)]
    pub merge: bool,
}

fn shard(text: &str) -> Result<Shard, String> {
    let wrong = || format!("{text}: give a part as 3/16, or NAME/16 where the variable NAME is 3");
    let (at, of) = text.split_once('/').ok_or_else(wrong)?;
    let at = at.parse().ok().or_else(|| std::env::var(at).ok()?.parse().ok()).ok_or_else(wrong)?;
    let of = of.parse().map_err(|_| wrong())?;
    (1..=of).contains(&at).then_some(Shard { at, of }).ok_or_else(wrong)
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum StiffArg {
    Region,
    Kept,
}

impl From<StiffArg> for StiffSize {
    fn from(arg: StiffArg) -> Self {
        match arg {
            StiffArg::Region => Self::ByRegion,
            StiffArg::Kept => Self::Kept,
        }
    }
}

#[derive(Args)]
pub(crate) struct Export {
    /// A dressed body: one GLB with the body and skinned pieces
    #[arg(value_name = "DRESSED.glb")]
    pub dressed: PathBuf,
    /// Where to write it; the form is told by the ending: glb, usda, usdz (with its pictures), obj (with its
    /// mtl beside), zip for glTF in files, csv or json for the weights of one piece, bvh for a motion
    #[arg(long, value_name = "FILE")]
    pub to: PathBuf,
    /// These pieces alone, by name; repeat for each
    #[arg(long = "piece", value_name = "NAME")]
    pub pieces: Vec<String>,
    /// Leave the body out
    #[arg(long)]
    pub without_body: bool,
    /// These motions alone, by name; repeat for each
    #[arg(long = "clip", value_name = "NAME")]
    pub clips: Vec<String>,
    /// Have what the body is drawn in as a change of it instead of a shape
    #[arg(long)]
    pub tucks_in: bool,
    /// An OBJ of this trial pose instead of rest
    #[arg(long, value_name = "NAME")]
    pub pose: Option<String>,
    /// The clip, or the group of trial poses (`range`), that a BVH has
    #[arg(long, value_name = "NAME")]
    pub motion: Option<String>,
    /// What the other side can take (JSON): joints_a_vertex, joints_a_mesh, vertices_a_mesh, shapes_a_mesh,
    /// picture_pixels (numbers), no_joint_scale (true or false), unit, up (as below), name
    #[arg(long, value_name = "FILE")]
    pub limits: Option<PathBuf>,
    /// Unit of a USD, OBJ or BVH: m, cm, mm, in or ft [default: as the limits say, or m; of a BVH cm]
    #[arg(long, value_name = "UNIT")]
    pub unit: Option<String>,
    /// Upward axis of a USD, OBJ or BVH [default: as the limits say, or y]
    #[arg(long, value_name = "AXIS")]
    pub up: Option<UpArg>,
    /// Which mesh of the file is the body, when it is not marked
    #[arg(long, value_name = "NAME")]
    pub body_mesh: Option<String>,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum UpArg {
    Y,
    Z,
}

impl From<UpArg> for Up {
    fn from(arg: UpArg) -> Self {
        match arg {
            UpArg::Y => Self::Y,
            UpArg::Z => Self::Z,
        }
    }
}

#[derive(Args)]
pub(crate) struct ReportArgs {
    /// A dressed body: one GLB with the body and skinned pieces
    #[arg(value_name = "DRESSED.glb")]
    pub dressed: PathBuf,
    /// Where to write the report (HTML)
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,
    /// Limits of the other side (JSON) that it tells of [default: what most take]
    #[arg(long, value_name = "FILE.json")]
    pub limits: Option<PathBuf>,
    /// A trial set (JSON, as the Trials station writes it) [default: as the file says]
    #[arg(long, value_name = "FILE")]
    pub trial: Option<PathBuf>,
    /// Poke-through up to this depth is let pass, millimetres
    #[arg(long, value_name = "MM", default_value_t = 0.5, allow_negative_numbers = true)]
    pub tolerance_mm: f32,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum MeansArg {
    Seat,
    Shapes,
    Bind,
    Beneath,
    Loosen,
    Rows,
    Push,
    Smooth,
    Tuck,
    Hide,
    Corrective,
    Leave,
}

impl From<MeansArg> for MeansKind {
    fn from(m: MeansArg) -> Self {
        match m {
            MeansArg::Seat => Self::Seat,
            MeansArg::Shapes => Self::Shapes,
            MeansArg::Bind => Self::Bind,
            MeansArg::Beneath => Self::Beneath,
            MeansArg::Loosen => Self::Loosen,
            MeansArg::Rows => Self::Rows,
            MeansArg::Push => Self::Push,
            MeansArg::Smooth => Self::Smooth,
            MeansArg::Tuck => Self::Tuck,
            MeansArg::Hide => Self::Hide,
            MeansArg::Corrective => Self::Corrective,
            MeansArg::Leave => Self::Leave,
        }
    }
}

#[derive(Args)]
pub(crate) struct TrialArgs {
    /// Poses to try: `range` (built in), `clips` (of the file), `kept` (all that the file says), a BVH or GLB with
    /// motion, or a trial set (JSON, as the Trials station writes it) [default: range; of a plan kept]
    #[arg(long, value_name = "range|clips|kept|FILE")]
    pub trial: Option<String>,
    /// Frames tried of each clip: a number, or `all` at its own rate [default: as the file says, else 12]
    #[arg(long, value_name = "all|N", value_parser = frames)]
    pub frames: Option<Frames>,
    /// Report every two layers, of those too that no pose brings together
    #[arg(long)]
    pub every_pair: bool,
    /// Which mesh of the file is the body, when it is not marked
    #[arg(long, value_name = "NAME")]
    pub body_mesh: Option<String>,
    /// Poke-through up to this depth is let pass, millimetres: for all (0.5 when nothing is said), or for
    /// what is through between two layers; repeat for each
    #[arg(long = "tolerance-mm", value_name = "MM|OUTER:INNER=MM", allow_negative_numbers = true)]
    pub tolerances: Vec<ToleranceArg>,
}

/// A tolerance for all, or for two layers by name.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct ToleranceArg {
    pub pair: Option<(String, String)>,
    pub mm: f32,
}

impl FromStr for ToleranceArg {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (pair, mm) = match text.rsplit_once('=') {
            Some((pair, mm)) => (Some(pair), mm),
            None => (None, text),
        };
        let wrong = || format!("{text}: give millimetres, or OUTER:INNER=MM");
        let mm: f32 = mm.parse().map_err(|_| wrong())?;
        let names = |p: &str| pair_of(p).ok_or_else(wrong);
        let pair = pair.map(names).transpose()?;
        Ok(Self { pair, mm })
    }
}

fn pair_of(text: &str) -> Option<(String, String)> {
    text.split_once(':').map(|(outer, inner)| (outer.to_owned(), inner.to_owned()))
}

fn pair(text: &str) -> Result<(String, String), String> {
    pair_of(text).ok_or_else(|| format!("{text}: give the names of two layers, OUTER:INNER"))
}

fn frames(text: &str) -> Result<Frames, String> {
    match text {
        "all" => Ok(Frames::All),
        n => match n.parse() {
            Ok(n @ 1..=5000) => Ok(Frames::Some(n)),
            _ => Err("give a number from 1 to 5000, or all".to_owned()),
        },
    }
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum MethodArg {
    Both,
    Inpaint,
    Normal,
    Surface,
    Vertex,
    Heat,
    Ends,
}

impl From<MethodArg> for Method {
    fn from(m: MethodArg) -> Self {
        match m {
            MethodArg::Both => Self::Both,
            MethodArg::Inpaint => Self::Inpaint,
            MethodArg::Normal => Self::Normal,
            MethodArg::Heat => Self::Heat,
            MethodArg::Ends => Self::Ends,
            MethodArg::Surface => Self::Surface,
            MethodArg::Vertex => Self::Vertex,
        }
    }
}

/// `FILE[@layer=2,kind=stiff,joint=NAME,weights=keep,mesh=NAME]`.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct PieceArg {
    pub file: PathBuf,
    pub layer: Option<u16>,
    pub kind: Option<PieceKind>,
    pub joint: Option<String>,
    pub keeps: Option<bool>,
    pub mesh: Option<String>,
}

impl FromStr for PieceArg {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        // An @ may be part of a path: options follow the last one only if they look like options.
        let split = text.rsplit_once('@').filter(|(_, o)| o.split(',').all(|p| p.contains('=')));
        let (file, options) = split.unwrap_or((text, ""));
        let mut piece =
            Self { file: file.into(), layer: None, kind: None, joint: None, keeps: None, mesh: None };
        for option in options.split(',').filter(|o| !o.is_empty()) {
            let (key, value) = option.split_once('=').unwrap_or((option, ""));
            match key {
                "layer" => {
                    let layer = value.parse().ok().filter(|l: &u16| *l >= 1);
                    piece.layer =
                        Some(layer.ok_or_else(|| format!("layer={value}: give a number from 1 up"))?);
                }
                "kind" => {
                    piece.kind = Some(match value {
                        "soft" => PieceKind::Soft,
                        "stiff" => PieceKind::Stiff,
                        "mixed" => PieceKind::Mixed,
                        _ => return Err(format!("kind={value}: give soft, stiff or mixed")),
                    });
                }
                "joint" => piece.joint = Some(value.to_owned()),
                "mesh" => piece.mesh = Some(value.to_owned()),
                "weights" => {
                    piece.keeps = Some(match value {
                        "keep" => true,
                        "new" => false,
                        _ => return Err(format!("weights={value}: give keep or new")),
                    });
                }
                _ => {
                    let known = "layer, kind, joint, weights or mesh";
                    return Err(format!("“{key}” is not an option of a piece: give {known}"));
                }
            }
        }
        Ok(piece)
    }
}
