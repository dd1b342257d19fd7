//! Changes that know what a file is made of: chunks, segments, directory entries, blocks and members are left out, doubled, moved,
//! lengthened, shortened, and their fields set to telling values; lengths, offsets and checksums are then made right again, so that
//! what is behind them is reached. Not a reader: whatever it does not know is one piece. The tests of the library use it too.

mod blocks;
mod chunks;
mod directories;
mod members;
mod segments;
mod words;

pub use fastrand::Rng;

/// A part of a file that can be taken out, moved or doubled, and where its numbers stand.
#[derive(Clone, Default)]
pub(crate) struct Piece {
    pub(crate) bytes: Vec<u8>,
    /// Offset and width in bytes of each number.
    pub(crate) fields: Vec<(usize, usize)>,
    pub(crate) big_endian: bool,
}

impl Piece {
    pub(crate) fn new(bytes: &[u8], fields: &[(usize, usize)], big_endian: bool) -> Self {
        let fields = fields.iter().copied().filter(|(at, width)| at + width <= bytes.len()).collect();
        Self { bytes: bytes.to_vec(), fields, big_endian }
    }
}

/// A file as its pieces.
pub(crate) struct Parts {
    pub(crate) pieces: Vec<Piece>,
    /// Puts them together; when asked for, with lengths, offsets and checksums that are right.
    pub(crate) join: fn(&[Piece], bool) -> Vec<u8>,
}

/// The pieces one after the other.
pub(crate) fn joined(pieces: &[Piece]) -> Vec<u8> {
    pieces.iter().flat_map(|piece| piece.bytes.iter().copied()).collect()
}

/// What the bytes are made of, by how they start.
fn parts(bytes: &[u8]) -> Parts {
    chunks::parts(bytes)
        .or_else(|| segments::parts(bytes))
        .or_else(|| directories::parts(bytes))
        .or_else(|| blocks::parts(bytes))
        .or_else(|| members::parts(bytes))
        .unwrap_or_else(|| words::parts(bytes))
}

/// Bytes that were taken apart, changed in one to three places and put together again; in seven of eight cases consistently.
pub fn changed(bytes: &[u8], random: &mut Rng) -> Vec<u8> {
    let Parts { mut pieces, join } = parts(bytes);
    for _ in 0..random.usize(1..=3) {
        change(&mut pieces, bytes.len(), random);
    }
    join(&pieces, random.u8(..8) != 0)
}

/// Bytes that were taken apart and put together again, with nothing changed but what stood wrong.
pub fn rebuilt(bytes: &[u8]) -> Vec<u8> {
    let Parts { pieces, join } = parts(bytes);
    join(&pieces, true)
}

/// One change.
fn change(pieces: &mut Vec<Piece>, length: usize, random: &mut Rng) {
    if pieces.is_empty() {
        return;
    }
    let (at, other) = (random.usize(..pieces.len()), random.usize(..pieces.len()));
    match random.u8(..10) {
        0 if pieces.len() > 1 => drop(pieces.remove(at)),
        1 => pieces.insert(other, pieces[at].clone()),
        2 => pieces.swap(at, other),
        3 => {
            let copies = vec![pieces[at].clone(); random.usize(2..40)];
            drop(pieces.splice(at..at, copies));
        }
        4..=6 => set_field(&mut pieces[at], length, random),
        7 => {
            let piece = &mut pieces[at].bytes;
            let place = random.usize(..=piece.len());
            let new: Vec<u8> = (0..random.usize(1..20)).map(|_| random.u8(..)).collect();
            drop(piece.splice(place..place, new));
        }
        8 => {
            let piece = &mut pieces[at].bytes;
            let place = random.usize(..=piece.len());
            let end = (place + random.usize(1..20)).min(piece.len());
            drop(piece.drain(place..end));
        }
        _ => {
            let piece = &mut pieces[at].bytes;
            if !piece.is_empty() {
                let place = random.usize(..piece.len());
                piece[place] = [random.u8(..), piece[place] ^ (1 << random.u8(..8)), 0, 0xff][random.usize(..4)];
            }
        }
    }
}

/// Gives a number of a piece another value: one at which widths, signs and bounds end, or one beside or derived from its own.
fn set_field(piece: &mut Piece, length: usize, random: &mut Rng) {
    const TELLING: [u64; 22] = [
        0,
        1,
        2,
        3,
        4,
        7,
        8,
        9,
        16,
        127,
        128,
        255,
        256,
        0x7fff,
        0x8000,
        0xffff,
        0x1_0000,
        0x7fff_ffff,
        0x8000_0000,
        0xffff_ffff,
        0x7fff_ffff_ffff_ffff,
        u64::MAX,
    ];
    let Some(&(at, width)) = random.choice(&piece.fields) else { return };
    let Some(place) = piece.bytes.get_mut(at..at + width) else { return };
    let own = place.iter().fold(0u64, |sum, byte| sum << 8 | u64::from(*byte));
    let own = if piece.big_endian { own } else { own.swap_bytes() >> (64 - 8 * width) };
    let value = match random.u8(..8) {
        0 => own.wrapping_add(1),
        1 => own.wrapping_sub(1),
        2 => own.wrapping_mul(2),
        3 => own / 2,
        4 => (length as u64).wrapping_add(random.u64(..4)).wrapping_sub(2),
        _ => TELLING[random.usize(..TELLING.len())],
    };
    if piece.big_endian {
        place.copy_from_slice(&value.to_be_bytes()[8 - width..]);
    } else {
        place.copy_from_slice(&value.to_le_bytes()[..width]);
    }
}
