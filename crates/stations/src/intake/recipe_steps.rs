//! A recipe that is applied to what is worn: what of it could not be is told with its reason.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::clean::Cleaned;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::outfit_recipe::{OutfitRecipe, PieceRecipe, TakesByName};
use tin_cloak_model::state::recipe::{FollowWish, Recipe, SourcePart, Takes};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::trial_plan::TrialPlan;

/// How what could not be applied begins.
pub const NOT_APPLIED: &str = "not applied: ";

impl Doing<'_> {
    /// Files and binds what is worn as a recipe says. What was bound is bound again, from the skin outwards.
    pub fn apply_recipe(&mut self, recipe: &OutfitRecipe) -> Result<String, WorkshopError> {
        let wrong = |why: String| WorkshopError::BadRecipe { file: "the recipe".to_owned(), why };
        recipe.checked().map_err(wrong)?;
        let found = matched(&recipe.pieces, &self.draft.state.pieces);
        if found.iter().all(Option::is_none) {
            return Err(WorkshopError::NothingOfRecipe);
        }
        let mut notes = Vec::new();
        for (piece, id) in recipe.pieces.iter().zip(&found) {
            match id {
                None => notes.push(format!("{NOT_APPLIED}{}: nothing that is worn is called so", piece.name)),
                Some(id) => self.file_by(piece, *id, &by_name(recipe, &found), &mut notes)?,
            }
        }
        let is_there = |joint: &str| self.room.dress.body.skeleton.find(joint).is_some();
        let (known, unknown): (Vec<_>, Vec<_>) =
            recipe.ranges.iter().cloned().partition(|r| is_there(&r.joint));
        if !unknown.is_empty() {
            let names: Vec<&str> = unknown.iter().map(|r| &*r.joint).collect();
            notes.push(format!("{NOT_APPLIED}ranges of {}: the body has no such joint", names.join(", ")));
        }
        self.draft.state.ranges = known;
        self.draft.state.plan = self.trials_by(recipe, &found)?;
        self.draft.state.tolerance_mm = recipe.tolerance_mm;
        self.draft.notes.extend(notes);
        let mut bound: Vec<(u16, PieceId)> =
            self.draft.state.pieces.iter().map(|p| (p.layer, p.id)).collect();
        bound.sort_unstable();
        for (_, id) in bound.into_iter().filter(|(_, id)| found.contains(&Some(*id))) {
            self.bound_again(id)?;
        }
        Ok(format!("Apply a recipe to {} pieces", found.iter().flatten().count()))
    }

    /// What it is tried in: rules about pairs by what body and pieces are called here.
    fn trials_by(
        &mut self,
        recipe: &OutfitRecipe,
        found: &[Option<PieceId>],
    ) -> Result<TrialPlan, WorkshopError> {
        let mut names = vec![(recipe.body.clone(), self.room.dress.body.name.clone())];
        for (piece, id) in recipe.pieces.iter().zip(found) {
            if let Some(id) = id {
                names.push((piece.name.clone(), self.draft.piece(*id)?.name().to_owned()));
            }
        }
        let mut trials = recipe.trials.clone();
        // By names that nothing has first: two pieces may have changed theirs.
        let between = |n: usize| format!("\u{0}{n}");
        names.iter().enumerate().for_each(|(n, name)| trials.rename(&name.0, &between(n)));
        names.iter().enumerate().for_each(|(n, name)| trials.rename(&between(n), &name.1));
        Ok(trials)
    }

    fn file_by(
        &mut self,
        from: &PieceRecipe,
        id: PieceId,
        known: &dyn Fn(&str) -> Option<PieceId>,
        notes: &mut Vec<String>,
    ) -> Result<(), WorkshopError> {
        let skeleton = &self.room.dress.body.skeleton;
        let is_joint = |joint: &String| skeleton.find(joint).is_some();
        let mut lost: Vec<String> = Vec::new();
        let mut only_known = |list: &[String]| -> Vec<String> {
            let (there, not): (Vec<_>, Vec<_>) = list.iter().cloned().partition(is_joint);
            lost.extend(not);
            there
        };
        let from_joints = only_known(&from.from_joints);
        let mut options = from.bind.clone();
        for end in &mut options.ends {
            *end = only_known(&end.iter().cloned().collect::<Vec<_>>()).pop();
        }
        let joints = from.joints.clone().map(|mut choice| {
            choice.joints = only_known(&choice.joints);
            choice
        });
        let joints = joints.filter(|choice| !choice.joints.is_empty());
        let follows = from.follows.clone().filter(|follow| match follow {
            FollowWish::Joint(joint) => only_known(std::slice::from_ref(joint)).len() == 1,
            _ => true,
        });
        let cleaning = from.cleaning.iter().filter(|clean| {
            let mut clean = (*clean).clone();
            let names: Vec<String> = clean.joints_mut().into_iter().map(|j| j.clone()).collect();
            only_known(&names).len() == names.len()
        });
        let cleaned = cleaning.map(|clean| Cleaned {
            clean: clean.clone(),
            chosen: Chosen::Everything,
            locked: Vec::new(),
        });
        let cleaned: Vec<Cleaned> = cleaned.collect();
        let limits = from.limits.iter().filter(|r| only_known(std::slice::from_ref(&r.joint)).len() == 1);
        let limits = limits.cloned().collect();
        let mut missing = Vec::new();
        let mut piece_of = |name: &String| {
            let found = known(name).filter(|other| *other != id);
            if found.is_none() {
                missing.push(name.clone());
            }
            found
        };
        let takes = match &from.takes {
            TakesByName::Body => Takes::Body,
            TakesByName::Beneath => Takes::Beneath,
            TakesByName::Pieces(list) => {
                let list: Vec<PieceId> = list.iter().filter_map(&mut piece_of).collect();
                if list.is_empty() {
                    Takes::Body
                } else {
                    Takes::Pieces(list)
                }
            }
            TakesByName::Cage(name) => piece_of(name).map_or(Takes::Body, Takes::Cage),
        };
        let piece = self.draft.piece(id)?;
        let part = if from_joints.is_empty() { SourcePart::Whole } else { SourcePart::Joints(from_joints) };
        let follows = follows.into_iter().map(|follow| (None, follow)).collect();
        let Recipe { sides, came, .. } = std::mem::take(&mut piece.recipe);
        piece.recipe = Recipe { options, takes, part, joints, follows, sides, came };
        (piece.layer, piece.kind) = (from.layer, from.kind);
        (piece.place, piece.cleaned, piece.limits) = (from.place.or(piece.place), cleaned, limits);
        lost.sort();
        lost.dedup();
        let name = piece.name().to_owned();
        if !lost.is_empty() {
            notes.push(format!("{NOT_APPLIED}{name}: the body has no joint {}", lost.join(", ")));
        }
        if !missing.is_empty() {
            notes.push(format!("{NOT_APPLIED}{name}: {} is not worn", missing.join(", ")));
        }
        Ok(())
    }
}

/// What each piece of a recipe is here: that of its name; else the only one that is worn there and that no name means.
fn matched(recipe: &[PieceRecipe], worn: &[PieceState]) -> Vec<Option<PieceId>> {
    let same = |p: &PieceState, name: &str| p.name().eq_ignore_ascii_case(name);
    let named = |of: &PieceRecipe| worn.iter().find(|p| same(p, &of.name)).map(|p| p.id);
    let mut found: Vec<Option<PieceId>> = recipe.iter().map(named).collect();
    let taken = found.clone();
    let is_free = |p: &&PieceState| !taken.contains(&Some(p.id));
    for (of, id) in recipe.iter().zip(&mut found).filter(|(of, id)| id.is_none() && of.place.is_some()) {
        let rivals = recipe.iter().zip(&taken).filter(|(r, t)| t.is_none() && r.place == of.place);
        let mut there = worn.iter().filter(is_free).filter(|p| p.place == of.place);
        if let (1, Some(one), None) = (rivals.count(), there.next(), there.next()) {
            *id = Some(one.id);
        }
    }
    found
}

/// What pieces of a recipe are here, by the names that the recipe has for them.
fn by_name<'a>(
    recipe: &'a OutfitRecipe,
    found: &'a [Option<PieceId>],
) -> impl Fn(&str) -> Option<PieceId> + 'a {
    move |name| recipe.pieces.iter().zip(found).find(|(p, _)| p.name == name).and_then(|(_, id)| *id)
}
