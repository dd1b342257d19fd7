//! Errors of drawing and of terminal views.

/// `Result` with this crate's [`enum@Error`].
pub type Result<T, E = Error> = std::result::Result<T, E>;

/// Errors of drawing and of terminal views.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// An error of the library.
    #[error(transparent)]
    Rahmen(#[from] rahmen::Error),
    /// A plot that could not be drawn.
    #[error("the plot cannot be drawn: {0}")]
    Drawing(String),
    /// A file name whose extension is no form of plots.
    #[error("{0}: plots are written as .png, .svg, or another picture format that can be written")]
    Extension(std::path::PathBuf),
}
