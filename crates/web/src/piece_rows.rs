//! Pieces as the Binding card shows them.

use crate::looked_over::kind_key;
use tin_cloak_workshop::core::units::to_mm;
use tin_cloak_workshop::{
    stiff_shells, BindOptions, FollowWish, Method, OpenFitting, OwnJoint, PieceKind, Recipe, SourcePart,
    Takes,
};

pub(crate) struct PieceRow {
    pub id: u32,
    pub name: String,
    pub kind: &'static str,
    pub layer: u16,
    pub bound: bool,
    pub cage: bool,
    /// What its button does.
    pub cage_hint: &'static str,
    /// `ok`, `doubt` or `none`, with the reason.
    pub pip: (&'static str, String),
    pub words: String,
    pub influences: usize,
    /// The piece it takes its weights from; `beneath`, or nothing for the body.
    pub from: String,
    pub takes_pieces: bool,
    /// Pieces besides that one.
    pub also: Vec<u32>,
    /// Which part of it: key, and joints or numbers.
    pub part: (&'static str, String),
    /// Joints named, with commas, and whether it follows these alone.
    pub joints: String,
    pub only: bool,
    pub options: OptionsRow,
    /// What its stiff parts follow, a line each; empty when it has none.
    pub follows: Vec<FollowRow>,
    /// How many parts are stiff, and how many there are.
    pub stiff: (usize, usize),
    /// How often its weights were cleaned.
    pub cleaned: usize,
    pub marks: usize,
    /// Of the joints that move it in its file, how many are matched and how many there are.
    pub came: Option<(usize, usize)>,
    pub own: Vec<OwnRow>,
}

pub(crate) struct OptionsRow {
    pub method: &'static str,
    pub influences: usize,
    pub match_mm: String,
    pub match_deg: f32,
    pub apart: bool,
    pub apart_mm: f32,
    pub first: String,
    pub second: String,
    pub stretch: f32,
    pub stiff_first: bool,
    pub bend_mm: f32,
}

pub(crate) struct FollowRow {
    /// Counted from one; nothing for all of them.
    pub shell: String,
    pub words: String,
}

pub(crate) struct OwnRow {
    pub name: String,
    pub parent: String,
    pub place: [String; 3],
    pub tip: [String; 3],
    /// `left`, `up` or `forward`: nearest to its axis.
    pub axis: &'static str,
    pub least: f32,
    pub most: f32,
    pub reach: f32,
}

/// The methods to choose from: word and sentence.
pub(crate) fn methods() -> Vec<(&'static str, &'static str)> {
    Method::ALL.into_iter().map(|m| (m.word(), m.sentence())).collect()
}

pub(crate) fn piece_row(open: &OpenFitting, index: usize) -> PieceRow {
    let piece = &open.room.dress.pieces[index];
    let bound = piece.bound.as_deref();
    let state = open.room.piece_state(index);
    let recipe = &state.recipe;
    let choice = recipe.joints.as_ref();
    let stiff = stiff_shells(piece);
    let stiff_count = stiff.iter().filter(|s| **s).count();
    let own = open.room.state.joints.iter().filter(|j| j.piece == state.id).map(own_row).collect();
    let filled = |b: &&tin_cloak_workshop::Bound| Method::of_word(&b.method).is_some_and(Method::fills);
    let share = bound.filter(filled).map(|b| b.matched_share);
    PieceRow {
        id: state.id,
        name: piece.name.clone(),
        kind: kind_key(piece.kind),
        layer: piece.layer,
        bound: bound.is_some(),
        cage: piece.cage,
        cage_hint: match piece.cage {
            true => "It is worn and measured again",
            false => "Other pieces may hang in it; it is not worn",
        },
        pip: match (bound, share) {
            (None, _) => ("none", "Not bound".to_owned()),
            (_, Some(s)) if s < 0.5 => ("doubt", "Most of it found no match and was filled in".to_owned()),
            _ => ("ok", "Bound".to_owned()),
        },
        words: words(bound, share, piece.is_double_walled()),
        influences: bound.map_or(0, |b| b.skin.max_influences()),
        from: match &recipe.takes {
            Takes::Body => String::new(),
            Takes::Beneath => "beneath".to_owned(),
            Takes::Template(file) => format!("template:{}", file.mesh),
            Takes::Cage(id) => format!("cage:{id}"),
            Takes::Pieces(list) => list.first().map_or(String::new(), u32::to_string),
        },
        takes_pieces: matches!(recipe.takes, Takes::Pieces(_)),
        also: match &recipe.takes {
            Takes::Pieces(list) => list.iter().skip(1).copied().collect(),
            _ => Vec::new(),
        },
        part: part_row(&recipe.part),
        joints: choice.map_or(String::new(), |c| c.joints.join(", ")),
        only: choice.is_none_or(|c| c.only),
        options: options_row(&recipe.options),
        follows: if stiff_count > 0 { follow_rows(recipe, piece.kind) } else { Vec::new() },
        stiff: (stiff_count, stiff.len()),
        marks: recipe.sides.len(),
        cleaned: state.cleaned.len(),
        came: piece.came.as_ref().map(|c| (recipe.came.len(), c.carrying().len())),
        own,
    }
}

fn words(bound: Option<&tin_cloak_workshop::Bound>, share: Option<f32>, double_walled: bool) -> String {
    let Some(bound) = bound else { return "not bound".to_owned() };
    let mut parts = vec![method_words(&bound.method).to_owned()];
    parts.extend(share.map(|s| format!("{:.1} % matched", s * 100.0)));
    let joints = bound.skin.max_influences();
    parts.extend((joints > 1).then(|| format!("{joints} joints")));
    parts.extend(double_walled.then(|| "double-walled".to_owned()));
    parts.join(", ")
}

fn method_words(word: &str) -> &str {
    match word {
        "stiff" => "as one",
        "cage" => "in a cage",
        "file" => "as in its file",
        other => Method::of_word(other).map_or("in another way", Method::sentence),
    }
}

fn options_row(options: &BindOptions) -> OptionsRow {
    let [first, second] = options.ends.clone().map(Option::unwrap_or_default);
    OptionsRow {
        method: options.method.word(),
        influences: options.max_influences,
        match_mm: options.match_mm.map_or(String::new(), |mm| mm.to_string()),
        match_deg: options.match_deg,
        apart: options.apart_mm.is_some(),
        apart_mm: options.apart_mm.unwrap_or(10.0),
        first,
        second,
        stretch: options.stretch,
        stiff_first: options.bend_mm.is_some(),
        bend_mm: options.bend_mm.unwrap_or(1.0),
    }
}

fn part_row(part: &SourcePart) -> (&'static str, String) {
    use tin_cloak_workshop::core::bind::sides::BodySide;
    match part {
        SourcePart::Whole | SourcePart::Side(BodySide::Centre) => ("whole", String::new()),
        SourcePart::Joints(list) => ("joints", list.join(", ")),
        SourcePart::Shells(list) => {
            ("shells", list.iter().map(|s| (s + 1).to_string()).collect::<Vec<_>>().join(", "))
        }
        SourcePart::Side(BodySide::Left) => ("left", String::new()),
        SourcePart::Side(BodySide::Right) => ("right", String::new()),
        SourcePart::Patch(_) | SourcePart::Vertices(_) => ("patch", String::new()),
        SourcePart::Kept(name) => ("kept", name.clone()),
    }
}

fn follow_rows(recipe: &Recipe, kind: PieceKind) -> Vec<FollowRow> {
    let row = |shell: Option<u32>, follow: &FollowWish| FollowRow {
        shell: shell.map_or(String::new(), |s| (s + 1).to_string()),
        words: match follow {
            FollowWish::Main => "the joint beneath".to_owned(),
            FollowWish::Joint(name) => name.clone(),
            FollowWish::Blend => "the blend beneath".to_owned(),
            FollowWish::Patch => "the cloth beneath".to_owned(),
        },
    };
    let mut rows: Vec<FollowRow> = recipe.follows.iter().map(|(s, f)| row(*s, f)).collect();
    if recipe.follows.iter().all(|f| f.0.is_some()) {
        let words = if kind == PieceKind::Mixed {
            "the cloth beneath"
        } else {
            "the joint beneath, buttons by the cloth"
        };
        rows.insert(0, FollowRow { shell: String::new(), words: words.to_owned() });
    }
    rows
}

fn own_row(joint: &OwnJoint) -> OwnRow {
    let mm = |p: [f32; 3]| p.map(|x| format!("{:.1}", to_mm(x)));
    let [x, y, z] = joint.axis.abs().to_array();
    OwnRow {
        name: joint.name.clone(),
        parent: joint.parent.clone(),
        place: mm(joint.place.to_array()),
        tip: mm(joint.tip.to_array()),
        axis: if x >= y && x >= z {
            "left"
        } else if y >= z {
            "up"
        } else {
            "forward"
        },
        least: joint.range[0],
        most: joint.range[1],
        reach: joint.reach_mm,
    }
}
