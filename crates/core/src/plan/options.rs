//! The user's options for a fit.

/// The user's options for a fit, if the tool should not decide.
#[derive(Debug, Clone, Default)]
pub struct FitOptions {
    /// The chosen build of several: its name, or its variant alone.
    pub variant: Option<String>,
    /// The name to give the library in the game.
    pub as_name: Option<String>,
    /// The chosen place of several.
    pub place: Option<String>,
    /// Parts that this game is not to have.
    pub without: Vec<String>,
    /// Whether an older one under another name stays.
    pub beside: bool,
    /// Whether what an installation by hand left goes.
    pub clear: bool,
    /// Whether the data part is packed for a mod manager instead of put into the game.
    pub hand_off: bool,
    /// Whether the values are set that the build's `.reg` files name.
    pub registry: bool,
    /// Whether these values are not set, but written to a file.
    pub to_reg_file: bool,
    /// Whether what an older build, installed by hand, has set in the registry is taken back by its undo file.
    pub undo_old: bool,
    /// Codes of findings that the user continues despite.
    pub despite: Vec<String>,
}
