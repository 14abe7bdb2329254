//! One set of features for every build; there is no code here.
