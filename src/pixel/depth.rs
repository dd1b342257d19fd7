//! Which of the three sample types, at run time.

/// Sample type of a picture, at run time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "lowercase"))]
pub enum Depth {
    /// 8-bit integers, full = 255.
    U8,
    /// 16-bit integers, full = 65,535.
    U16,
    /// 32-bit floats, full = 1.0.
    F32,
}

impl Depth {
    /// All three, from the narrowest.
    pub const ALL: [Depth; 3] = [Depth::U8, Depth::U16, Depth::F32];

    /// The name used in reports and on the command line: `u8`, `u16`, `f32`.
    pub fn name(self) -> &'static str {
        match self {
            Depth::U8 => "u8",
            Depth::U16 => "u16",
            Depth::F32 => "f32",
        }
    }

    /// Bytes one sample takes: 1, 2 or 4.
    pub fn bytes(self) -> usize {
        match self {
            Depth::U8 => 1,
            Depth::U16 => 2,
            Depth::F32 => 4,
        }
    }

    /// The same type among all number types.
    pub fn number_kind(self) -> super::NumberKind {
        match self {
            Depth::U8 => super::NumberKind::U8,
            Depth::U16 => super::NumberKind::U16,
            Depth::F32 => super::NumberKind::F32,
        }
    }

    /// The largest code of an integer depth: 255 or 65,535; `None` for floats.
    pub fn max_code(self) -> Option<u16> {
        match self {
            Depth::U8 => Some(255),
            Depth::U16 => Some(65_535),
            Depth::F32 => None,
        }
    }
}

impl std::fmt::Display for Depth {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}
