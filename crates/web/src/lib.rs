//! Pages, fragments, static files and the viewport script.
