//! The actions of an invented program or library when it runs.
//!
//! Each deed is in an image twice: as machine code, which Windows runs, and as a text, which `sample-play` reads if
//! Windows programs do not run.

use serde::{Deserialize, Serialize};

use crate::code::{Code, Value};

/// The start of the actions' text in an image's data.
const MARK: &str = "sample deeds: ";

/// The file that ends a game, if it appears in its folder.
pub const STOP: &str = "stop-playing";

/// How long a program waits before it looks again, in milliseconds.
const TICK: u32 = 20;

/// One thing that a program does. Files are named relative to its working folder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum Deed {
    /// Sets a variable of the environment.
    Set {
        /// Its name.
        name: String,
        /// Its value.
        value: String,
    },
    /// Loads a library; if the name is a variable's, as in `%NAME%`, the one that it holds, if it is set.
    Load {
        /// The library.
        library: String,
    },
    /// Starts a program and does not wait for it.
    Start {
        /// The program.
        program: String,
    },
    /// Writes a text over a file.
    Write {
        /// The file.
        file: String,
        /// The text.
        text: String,
    },
    /// Does one thing if a variable has a value, and another if it has not.
    Either {
        /// The variable.
        variable: String,
        /// The value.
        value: String,
        /// The actions if it has it.
        then: Vec<Deed>,
        /// The actions if it has not.
        otherwise: Vec<Deed>,
    },
    /// Runs on until there is a file called [`STOP`], or so many milliseconds have passed.
    Play {
        /// The most that it runs on.
        milliseconds: u32,
    },
}

/// The actions of an image when it is run or loaded, and the data they need.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Deeds {
    /// The libraries that it imports from, in order.
    pub imports: Vec<String>,
    /// The actions, in order.
    pub deeds: Vec<Deed>,
}

impl Deeds {
    /// The text that is in an image.
    pub(crate) fn to_text(&self) -> String {
        // Nothing in it is a map whose keys are not texts: this cannot fail.
        format!("{MARK}{}", serde_json::to_string(self).unwrap_or_default())
    }

    /// The actions encoded in the bytes of an image.
    pub fn read(image: &[u8]) -> Option<Self> {
        let found = image.windows(MARK.len()).position(|window| window == MARK.as_bytes())?;
        let text = &image[found + MARK.len()..];
        let end = text.iter().position(|&byte| byte == 0)?;
        serde_json::from_slice(&text[..end]).ok()
    }
}

impl Deed {
    /// The functions of the system that it calls.
    pub(crate) fn calls(&self) -> Vec<&'static str> {
        match self {
            Self::Set { .. } => vec!["SetEnvironmentVariableA"],
            Self::Load { .. } => vec!["GetEnvironmentVariableA", "LoadLibraryA"],
            Self::Start { .. } => vec!["WinExec"],
            Self::Write { .. } => vec!["_lcreat", "_lwrite", "_lclose"],
            Self::Either { then, otherwise, .. } => {
                let inner = then.iter().chain(otherwise).flat_map(Self::calls);
                ["GetEnvironmentVariableA", "lstrcmpA"].into_iter().chain(inner).collect()
            }
            Self::Play { .. } => vec!["GetFileAttributesA", "Sleep"],
        }
    }

    /// The texts that the image's data must contain.
    pub(crate) fn texts(&self) -> Vec<&str> {
        match self {
            Self::Set { name, value } => vec![name, value],
            Self::Load { library } => vec![library.trim_matches('%')],
            Self::Start { program } => vec![program],
            Self::Write { file, text } => vec![file, text],
            Self::Either { variable, value, then, otherwise } => {
                let inner = then.iter().chain(otherwise).flat_map(Self::texts);
                [variable.as_str(), value].into_iter().chain(inner).collect()
            }
            Self::Play { .. } => vec![STOP],
        }
    }

    /// Writes its machine code.
    pub(crate) fn assemble(&self, code: &mut Code<'_>) {
        match self {
            Self::Set { name, value } => {
                code.call("SetEnvironmentVariableA", &[Value::Text(name), Value::Text(value)]);
            }
            Self::Load { library } => match library.strip_prefix('%') {
                None => code.call("LoadLibraryA", &[Value::Text(library)]),
                Some(variable) => {
                    code.get_variable(variable.trim_end_matches('%'));
                    let unset = code.jump_if_zero();
                    code.call("LoadLibraryA", &[Value::Buffer]);
                    code.land(unset);
                }
            },
            // The last argument shows a window normally.
            Self::Start { program } => {
                code.call("WinExec", &[Value::Text(program), Value::Number(1)]);
            }
            Self::Write { file, text } => {
                code.call("_lcreat", &[Value::Text(file), Value::Number(0)]);
                code.save();
                let len = Value::Number(text.len() as u32);
                code.call("_lwrite", &[Value::Saved, Value::Text(text), len]);
                code.call("_lclose", &[Value::Saved]);
            }
            Self::Either { variable, value, then, otherwise } => {
                code.clear_buffer();
                code.get_variable(variable);
                code.call("lstrcmpA", &[Value::Buffer, Value::Text(value)]);
                let same = code.jump_if_zero();
                for deed in otherwise {
                    deed.assemble(code);
                }
                let end = code.jump();
                code.land(same);
                for deed in then {
                    deed.assemble(code);
                }
                code.land(end);
            }
            Self::Play { milliseconds } => {
                code.count_from(milliseconds / TICK);
                let again = code.here();
                code.call("GetFileAttributesA", &[Value::Text(STOP)]);
                let stop = code.jump_unless_minus_one();
                code.call("Sleep", &[Value::Number(TICK)]);
                code.count_down_to(again);
                code.land(stop);
            }
        }
    }
}
