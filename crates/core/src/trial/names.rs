//! What a joint's name says: which part of the body and which side.

/// A side of the body.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum SideOfBody {
    /// The character's left.
    Left,
    /// The character's right.
    Right,
}

/// The part of the body a joint turns.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum Role {
    Hips,
    Spine,
    Neck,
    Head,
    Shoulder,
    UpperArm,
    LowerArm,
    Hand,
    UpperLeg,
    LowerLeg,
    Foot,
    Toe,
}

/// Joints that carry a part's name without turning it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Helper {
    /// Twist, roll and corrective joints.
    Twist,
    /// Handles, poles and targets.
    Control,
    /// Ends of chains.
    End,
    /// Places to hang things on.
    Attachment,
}

/// What could be read from a name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NameParts {
    /// The part, when the name says one.
    pub role: Option<Role>,
    /// The side, when the name says one.
    pub side: Option<SideOfBody>,
    /// What kind of helper it is, when it carries a part's name without turning it.
    pub helper: Option<Helper>,
}

/// Reads a joint name in the common spellings (`leftUpperArm`, `upper_arm.L`, `L_UpArm_01`,
/// `Spine2`); a namespace before the last `:` is ignored.
///
/// ```
/// use tin_cloak_core::trial::{read_name, Role, SideOfBody};
///
/// let parts = read_name("rig:upper_arm.L");
/// assert_eq!((parts.role, parts.side), (Some(Role::UpperArm), Some(SideOfBody::Left)));
/// ```
pub fn read_name(name: &str) -> NameParts {
    let tokens = tokens(name.rsplit(':').next().unwrap_or(name));
    let mut side = None;
    let mut helper = None;
    let mut rest = String::new();
    for token in &tokens {
        match token.as_str() {
            "l" | "left" | "lft" => side = Some(SideOfBody::Left),
            "r" | "right" | "rgt" => side = Some(SideOfBody::Right),
            "twist" | "roll" | "helper" | "corrective" => helper = Some(Helper::Twist),
            "ik" | "fk" | "pole" | "target" | "ctrl" | "control" | "handle" => helper = Some(Helper::Control),
            "end" | "tip" => helper = Some(Helper::End),
            "socket" | "attach" | "attachment" | "prop" => helper = Some(Helper::Attachment),
            "bone" | "joint" | "jnt" | "def" | "bip" | "bind" | "skin" => {}
            t if t.bytes().all(|b| b.is_ascii_digit()) => {}
            t => rest.push_str(t),
        }
    }
    NameParts { role: role_of(&rest), side, helper }
}

fn role_of(s: &str) -> Option<Role> {
    let has = |parts: &[&str]| parts.iter().any(|p| s.contains(p));
    let is = |parts: &[&str]| parts.contains(&s);
    let role = if has(&["upperleg", "upleg", "thigh", "femur"]) {
        Role::UpperLeg
    } else if has(&["lowerleg", "lowleg", "shin", "calf", "knee", "tibia"]) || is(&["leg"]) {
        Role::LowerLeg
    } else if has(&["toe", "ballfoot", "football"]) || is(&["ball"]) {
        Role::Toe
    } else if has(&["foot", "ankle"]) {
        Role::Foot
    } else if has(&["forearm", "lowerarm", "lowarm", "elbow", "ulna"]) {
        Role::LowerArm
    } else if has(&["upperarm", "uparm", "humerus"]) || is(&["arm"]) {
        Role::UpperArm
    } else if is(&["hand", "wrist"]) {
        Role::Hand
    } else if has(&["clavicle", "collar", "shoulder"]) {
        Role::Shoulder
    } else if is(&["hips", "pelvis", "hip"]) {
        Role::Hips
    } else if has(&["spine", "chest", "torso", "abdomen", "ribcage"]) || is(&["waist", "back"]) {
        Role::Spine
    } else if is(&["neck"]) {
        Role::Neck
    } else if is(&["head", "skull"]) {
        Role::Head
    } else {
        return None;
    };
    Some(role)
}

/// Lower-case words of a name: split at punctuation, at a capital after a small letter and
/// between letters and digits.
fn tokens(name: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let mut last = ' ';
    for c in name.chars() {
        if !c.is_alphanumeric() {
            last = ' ';
            continue;
        }
        let new_word = last == ' '
            || (c.is_uppercase() && last.is_lowercase())
            || (c.is_ascii_digit() != last.is_ascii_digit());
        if new_word {
            out.push(String::new());
        }
        if let Some(word) = out.last_mut() {
            word.extend(c.to_lowercase());
        }
        last = c;
    }
    out
}
