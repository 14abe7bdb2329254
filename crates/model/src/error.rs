//! What can go wrong for a person at work: one sentence each, with the cure.

use tin_cloak_core::bind::BindError;
use tin_cloak_formats::{ReadError, WriteError};

/// Why a use case could not be done. Nothing stored has changed when it is returned.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum WorkshopError {
    #[error("{file}: {source}")]
    Read { file: String, source: ReadError },
    #[error("{file} has no skin: the body needs a skeleton with weights; export it with its skin")]
    BodyWithoutSkin { file: String },
    #[error("“{mesh}” is worn as a piece here: take it off before it becomes a part of the body")]
    BodyIsWorn { mesh: String },
    #[error("nothing of “{mesh}” is left for the body: choose at least one of its parts")]
    NoBodyLeft { mesh: String },
    #[error("{file} does not say which mesh is the body: name it with --body-mesh ({meshes})")]
    WhichBody { file: String, meshes: String },
    #[error("{file} has no mesh named “{mesh}” (it has {meshes})")]
    NoSuchMesh { file: String, mesh: String, meshes: String },
    #[error("a range of motion goes from its least to its most degrees, between −180 and 180")]
    BadRange,
    #[error("there is no joint “{joint}” here: choose another")]
    NoSuchJoint { joint: String },
    #[error("“{joint}” is no limb that can be pulled: pull a hand, an elbow, a foot, a knee, the head or the hips")]
    NotPulled { joint: String },
    #[error("“{name}” cannot be used so: a motion is not a mesh, and a mesh is not a motion")]
    NotAMesh { name: String },
    #[error("{file} holds a body but no pieces: add at least one skinned garment")]
    NothingWorn { file: String },
    #[error(
        "“{piece}”: all that the new file has lies where faces were left out: leave that step out first"
    )]
    NothingNewLeft { piece: String },
    #[error("something else is called “{name}”: pieces and the body each need a name of their own")]
    NameTaken { name: String },
    #[error("{file} is no recipe: {why}")]
    BadRecipe { file: String, why: String },
    #[error(
        "nothing that is worn is in the recipe: pieces are known by their names, or by where they are worn"
    )]
    NothingOfRecipe,
    #[error("{file} is another body: {why}; bring it to the Shelf and put the outfit on it (Wear it on)")]
    OtherBody { file: String, why: String },
    #[error("{file} is no job file: {why}")]
    BadJobs { file: String, why: String },
    #[error("{folder} has no rows of a batch: run `tin-cloak batch` into it first")]
    NoRows { folder: String },
    #[error("{path} cannot be read ({source}): check the path and its permissions")]
    Open { path: String, source: std::io::Error },
    #[error("{path} cannot be written ({source}): check the folder and its permissions")]
    Save { path: String, source: std::io::Error },
    #[error("the outfit of {from} cannot be carried to {to}: {why}")]
    NoSkinMap { from: String, to: String, why: String },
    #[error("“{piece}”: {source}")]
    Bind { piece: String, source: BindError },
    #[error("the motion “{clip}” of {file} cannot be played: {why}; export it again, or try other poses")]
    UnsoundClip { file: String, clip: String, why: String },
    #[error("none of the joints match the body’s: rename them, or use another file ({file})")]
    NoMatchingJoints { file: String },
    #[error("{body} has no shapes to follow: bring in a body with morph targets")]
    NoBodyShapes { body: String },
    #[error("{file} holds no motion of a skeleton: export at least one clip")]
    NoClips { file: String },
    #[error(transparent)]
    Write(#[from] WriteError),
    #[error(transparent)]
    Store(#[from] tin_cloak_store::StoreError),
    #[error("stored data could not be understood ({0})")]
    Stored(#[from] serde_json::Error),
    #[error("stored weights or figures could not be understood ({0})")]
    StoredBinary(#[from] postcard::Error),
    #[error("there is no {what} {id} here: it may have been removed; reload the page")]
    Missing { what: &'static str, id: i64 },
    #[error(
        "“{piece}” has no mirror image on “{from}”: bring both to their places first, one on either side"
    )]
    NoOtherSide { piece: String, from: String },
    #[error(
        "several pieces have a patch “{patch}” ({pieces}): name one of them before it, as in coat:{patch}"
    )]
    SeveralPatches { patch: String, pieces: String },
    #[error("“{piece}” cannot take weights from itself: name another part")]
    FromItself { piece: String },
    #[error("nothing would be given: choose shape, weights, or both")]
    NothingGiven,
    #[error("another step was taken since: change that one, or make this one again")]
    NotTheLast,
    #[error("there is nothing to undo")]
    NothingToUndo,
    #[error("nothing was found that can be cured without losing anything: see the list at Intake")]
    NoCures,
    #[error("“{piece}” cannot lie over itself: name another piece, or none for next to the skin")]
    OverItself { piece: String },
    #[error("everything on the shelf is worn: bring files in to put on more")]
    NothingToPutOn,
    #[error("{file} is no trial set ({why}): give one as the Trials station writes it")]
    BadPlan { file: String, why: String },
    #[error("the trials cannot be set so: {0}")]
    BadTrials(String),
    #[error("there is nothing to do again")]
    NothingToRedo,
    #[error("there is no piece to bind: add one first")]
    NothingToBind,
    #[error("nothing is bound yet: bind the pieces first")]
    BindFirst,
    #[error("the numbers of the placement make no sense: sizes are above 0 %, the rest any number")]
    BadPlacement,
    #[error("all faces of “{piece}” have an area")]
    NoEmptyFaces { piece: String },
    #[error("nothing of “{piece}” lies far from the rest")]
    NothingStrayed { piece: String },
    #[error("a shape is worn between −100 and 200 %")]
    BadAmount,
    #[error("what is mended is cleared by 0 to 200 mm, and moves by 0 to 200 mm at most")]
    BadMend,
    /// More poses to mend for than anybody waits for.
    #[error("at most {most} combined poses are mended for besides: give fewer")]
    TooManyCombined { most: usize },
    #[error("a clearance is at most 200 mm, and “at most” is not below “at least”")]
    BadEase,
    #[error("“{piece}” is stiff and would bend: move or size it instead")]
    StiffIsNotEased { piece: String },
    #[error("“{piece}” covers no limb of the body: bring it near first (units, place), then find its pose")]
    NoLimbCovered { piece: String },
    #[error(
        "a brush reaches 0.5 to 500 mm and has at most 2000 dabs a pass; strength is up to 1000 mm, or 100 \
     % when smoothing"
    )]
    BadBrush,
    #[error(
        "a move is up to 2000 mm, 360°, 1 to 1000 % and 200 mm off the surface, fading over 500 mm at most; say at \
         least one of them"
    )]
    BadMove,
    #[error("no joint is left for it to follow: name at least one that it may")]
    NoJointLeft,
    #[error("“{piece}” moves as one: bind it to another joint, or file it as mixed")]
    MovesAsOne { piece: String },
    #[error("what is chosen on “{piece}” has all of it already: choose other vertices")]
    HasAllOfIt { piece: String },
    #[error(
        "on “{piece}” the weight has nowhere to come from or to go: unlock a joint, or name the one that gives \
         and takes it"
    )]
    NowhereToGo { piece: String },
    #[error("“{joint}” has no parent: name the joint that gives and takes its weight")]
    NoParent { joint: String },
    #[error("nothing is chosen on “{piece}”: choose some vertices first")]
    NothingChosen { piece: String },
    #[error("there is no patch “{patch}” on it: choose one of those kept")]
    NoSuchPatch { patch: String },
    #[error("that is no way to choose: numbers are at most 1000, a line has at most 2000 corners")]
    BadChoice,
    #[error(
        "what is chosen is no line that parts the cloth: choose a loop, or the way between two clicks, one vertex wide"
    )]
    NoLineChosen,
    #[error("a crease needs a line: click two places of the piece that are apart, one on either side")]
    BadLine,
    #[error("line {line} of the table: {why}; nothing was changed")]
    BadCsv { line: usize, why: String },
    #[error("vertex {vertex} of the table: it needs a weight of 0 to 1 for each joint that has a column")]
    BadTable { vertex: u32 },
    #[error("“{joint}” belongs to a piece, the body cannot follow it: name one of the body’s own")]
    JointOfPiece { joint: String },
    #[error("nothing else is hidden: every face is seen in some counted pose, or was hidden before")]
    NothingHidden,
    #[error("nothing of “{part}” would be left: hide less of it, or take it off (Intake)")]
    NothingLeft { part: String },
    #[error(
        "nothing of the body would be left to be handed over: take a part of it back, or wear less over it"
    )]
    NoBodySeen,
    #[error("one of the two layers is not worn: choose a pair that is on the board")]
    NoSuchPair,
    #[error("relaxing takes 1 to 100 percent, 1 to 50 times, and a clearance of 0 to 50 millimetres")]
    BadRelax,
    #[error(
        "the motion “{motion}” is {frames} frames long, more than the {most} that are written out: choose others, or \
         shorten it"
    )]
    TooLongAMotion { motion: String, frames: usize, most: usize },
    #[error("{body} has no shape “{shape}” that can be worn: choose one that no pose calls up")]
    NoSuchBodyShape { body: String, shape: String },
    #[error(
        "{body} has no shape “{shape}” to be followed: choose one of those that it has (Intake lists them)"
    )]
    NoShapeToFollow { body: String, shape: String },
    #[error("a turn that calls up a shape is of a joint about an axis, from −180° to 180°, over half a degree or more")]
    BadCallingTurn,
    #[error("“{shape}” is worn by {by}: set it to 0 % first, then let a turn call it up")]
    CalledUpIsWorn { shape: String, by: String },
    #[error(
        "“{piece}” has no shape “{shape}”: let it follow those of the body (Seating), or make correctives (Mending)"
    )]
    FollowsNoShape { piece: String, shape: String },
    #[error(
        "“{piece}” has rows that were added: leave faces out first, then add rows (undo takes them back)"
    )]
    HasRows { piece: String },
    #[error(
        "choose two vertices of “{piece}” with an edge of a face between them (no diagonal): the row goes across it"
    )]
    NoEdgeChosen { piece: String },
    #[error("1 to {most} rows can be added at once")]
    BadRows { most: usize },
    #[error("a row lies at 1 to 99 % of an edge, and is one row then")]
    BadRowPlace,
    #[error("the edge has no mirror image on “{piece}”: add to one side alone")]
    NoEdgeThere { piece: String },
    #[error("no row can be added to “{piece}” there: faces meet in an edge that more than two have")]
    NoRowThere { piece: String },
    #[error("there is no set of limits “{name}”: it was forgotten, or never kept")]
    NoSuchLimits { name: String },
    #[error("none of the {rows} places of the table lies within {mm} mm of a vertex of “{piece}”: is it of another \
     piece, size or pose?")]
    NoPlaceFits { piece: String, rows: usize, mm: f32 },
    #[error("the archive could not be written ({why})")]
    Archive { why: String },
    #[error("nothing is drawn in under anything")]
    NothingTucked,
    #[error("nothing at what is chosen on “{part}” is hidden: choose where it is (the map Hidden shows it)")]
    NothingShown { part: String },
    #[error("“{part}” is not drawn in under that: the list at Mending has what is")]
    NoSuchTuck { part: String },
    #[error(
        "no joint that moves “{part}” is turned by 8° or more in that pose: choose another pose, or turn joints by hand"
    )]
    NoTurnThere { part: String },
    #[error("a corrective begins at 0° or more and is whole further on, at 180° at most")]
    BadTurnOfShape,
    #[error("there is no corrective “{name}” here: the list at Mending has those there are")]
    NoCorrective { name: String },
    #[error("nothing that has “{name}” has a mirror image of itself on the other side")]
    NoMirrorImage { name: String },
    #[error("it is mended in one pose, or for combined poses too: take one of them")]
    OnePoseOrMore,
    #[error("“{piece}” has no corrective “{name}”: the list at Mending has those there are")]
    NoSuchCorrective { piece: String, name: String },
    #[error("{file} is no set of limits ({why}): see `tin-cloak export --help`")]
    BadLimits { file: String, why: String },
    #[error("glTF is in metres with Y up, always ({wanted} was asked for): take USD, OBJ or BVH for another frame")]
    SettledFrame { wanted: String },
    #[error("no piece is called “{name}”: there are {worn}")]
    NoSuchPiece { name: String, worn: String },
    #[error("“{piece}” is not bound: bind it (Binding), or leave it out")]
    NotBound { piece: String },
    #[error("no motion is called “{name}”: there are {motions}")]
    NoSuchMotion { name: String, motions: String },
    #[error("no trial pose is called “{name}”: there are {poses} and more")]
    NoSuchTrial { name: String, poses: String },
    #[error(
        "no twist and no turn of a wrist draws in {least_mm:.1} mm or more that is not given back already"
    )]
    NoVolumeLost { least_mm: f32 },
    #[error("there is no plan for the fitting as it stands: make one first")]
    NoPlan,
    #[error("keep 0 to {most} rings next to what is seen")]
    BadRings { most: usize },
    #[error("nothing lies beneath the body: choose on a piece, or by something else")]
    NothingBeneathBody,
    #[error("nothing on “{piece}” needs that: its weights stay as they are")]
    NothingToClean { piece: String },
    #[error(
        "joints a vertex are 1 to 8, weights and strength 0 to 1, times 1 to 100, and a blend or fade is \
     at most 500 mm wide"
    )]
    BadClean,
    #[error(
        "“{piece}” takes its weights from “{from}”, which is not bound: bind that first, or all together"
    )]
    SourceNotBound { piece: String, from: String },
    #[error("“{piece}” would take its weights from itself in the end: choose another source")]
    TakesFromItself { piece: String },
    #[error(
        "joints a vertex are 1 to 8, a match lies within 0.1 to 1000 mm and 180°, sides are mixed over at \
     most 500 mm, and stretch is 0 to 1"
    )]
    BadBinding,
    #[error("the step would make a number that is no number: nothing was changed; try smaller amounts")]
    NotFinite,
    #[error("“{piece}” came without weights: bind it in another way")]
    CameWithout { piece: String },
    #[error(
        "“{piece}” keeps its weights only where nine in ten of the joints that move it are the body's: \
         {missing} are not; say weights=new"
    )]
    CameUnmatched { piece: String, missing: String },
    #[error("nothing is left of what “{piece}” would take its weights from: choose more of it")]
    NothingOfSource { piece: String },
    #[error(
        "a joint turns from its least to its most degrees within ±180, about an axis, and reaches at most \
     2000 mm"
    )]
    BadOwnJoint,
    #[error(
        "a cage lies 1 to 200 mm off its pieces and has faces of 4 to 200 mm; for large pieces choose \
     larger faces"
    )]
    BadCage,
    #[error("“{piece}” is worn: use it as a cage first")]
    NoCage { piece: String },
    #[error("there is a joint “{joint}” already: choose another name")]
    JointThere { joint: String },
    #[error("a layer is a number from 1 (next to the skin) to 99")]
    BadLayer,
    #[error("a name has 1 to {most} letters")]
    BadName { most: usize },
    #[error("no pose of the name “{pose}” is kept here: reload the page")]
    NoSuchPose { pose: String },
    #[error("all of “{piece}” can be seen: there is nothing to leave out")]
    NothingUnseen { piece: String },
    #[error("there is nothing in this body to cure")]
    NothingToCure,
    #[error("this fitting is at work: wait for it to finish, or stop it")]
    Busy,
    #[error("{0}")]
    Job(String),
    #[error("stopped: nothing was changed")]
    Stopped,
}
