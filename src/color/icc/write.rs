//! Profiles of version 4 written (ICC.1:2022): the tags that are required, and no more.

use super::{ColorSpace, D50};
use crate::color::space::{Adaptation, Matrix};
use crate::error::{Error, Result};
use crate::pixel::Transfer;

pub(super) fn rgb(space: &ColorSpace) -> Result<Vec<u8>> {
    let matrix = super::under_d50(space);
    let adaptation = Adaptation::Bradford.matrix(space.white()?, D50);
    let curve = parametric(space.transfer)?;
    let column = |c: usize| xyz([matrix[0][c], matrix[1][c], matrix[2][c]]);
    let name = space.name().unwrap_or("rgb of its own");
    Ok(profile(
        b"RGB ",
        &[
            (b"desc", &text(name)),
            (b"cprt", &text("No copyright, use freely")),
            (b"wtpt", &xyz(D50)),
            (b"chad", &matrix_tag(&adaptation)),
            (b"rXYZ", &column(0)),
            (b"gXYZ", &column(1)),
            (b"bXYZ", &column(2)),
            (b"rTRC", &curve),
            (b"gTRC", &curve),
            (b"bTRC", &curve),
        ],
    ))
}

pub(super) fn gray(transfer: Transfer) -> Result<Vec<u8>> {
    let curve = parametric(transfer)?;
    let (name, rights) = (text("gray"), text("No copyright, use freely"));
    Ok(profile(b"GRAY", &[(b"desc", &name), (b"cprt", &rights), (b"wtpt", &xyz(D50)), (b"kTRC", &curve)]))
}

/// A signed number with 16 bits behind the point.
fn fixed(value: f64) -> [u8; 4] {
    ((value * 65_536.0).round() as i32).to_be_bytes()
}

fn xyz(of: [f64; 3]) -> Vec<u8> {
    [b"XYZ \0\0\0\0".as_slice(), &of.map(fixed).concat()].concat()
}

fn matrix_tag(matrix: &Matrix) -> Vec<u8> {
    [b"sf32\0\0\0\0".as_slice(), &matrix.map(|row| row.map(fixed).concat()).concat()].concat()
}

/// A text in one language (10.15).
fn text(words: &str) -> Vec<u8> {
    let units: Vec<[u8; 2]> = words.encode_utf16().map(u16::to_be_bytes).collect();
    let units = units.into_flattened();
    let mut tag = b"mluc\0\0\0\0".to_vec();
    for number in [1, 12] {
        tag.extend(u32::to_be_bytes(number));
    }
    tag.extend(b"enUS");
    tag.extend((units.len() as u32).to_be_bytes());
    tag.extend(28u32.to_be_bytes());
    tag.extend(units);
    tag
}

/// A parametric curve (10.18).
fn parametric(transfer: Transfer) -> Result<Vec<u8>> {
    // g, a, b, c, d: what lies above d, and the straight line below.
    let (kind, parameters): (u16, Vec<f64>) = match transfer {
        Transfer::Linear => (0, vec![1.0]),
        Transfer::Power(exponent) => (0, vec![exponent]),
        Transfer::Srgb => (3, vec![2.4, 1.0 / 1.055, 0.055 / 1.055, 1.0 / 12.92, 0.04045]),
        Transfer::Bt709 | Transfer::Bt2020 => {
            let (gain, from) = (1.099_296_826_809_44, 4.5 * 0.018_053_968_510_807);
            (3, vec![1.0 / 0.45, 1.0 / gain, (gain - 1.0) / gain, 1.0 / 4.5, from])
        }
        Transfer::Romm => (3, vec![1.8, 1.0, 0.0, 1.0 / 16.0, 1.0 / 32.0]),
        Transfer::Parametric(all) => (4, all.to_vec()),
        Transfer::Other => {
            return Err(Error::not_supported("a curve without a formula in an ICC profile that is made"));
        }
        Transfer::Pq | Transfer::Hlg => {
            return Err(Error::not_supported("PQ and HLG in an ICC profile of a matrix and curves"));
        }
    };
    let mut tag = b"para\0\0\0\0".to_vec();
    tag.extend(kind.to_be_bytes());
    tag.extend([0, 0]);
    parameters.into_iter().for_each(|v| tag.extend(fixed(v)));
    Ok(tag)
}

/// The header, the table of tags, and the tags; those that are alike stand there once.
fn profile(colors: &[u8; 4], tags: &[(&[u8; 4], &Vec<u8>)]) -> Vec<u8> {
    let mut body: Vec<u8> = Vec::new();
    let mut table = (tags.len() as u32).to_be_bytes().to_vec();
    let start = 128 + 4 + 12 * tags.len();
    let mut placed: Vec<(&[u8], usize)> = Vec::new();
    for (name, tag) in tags {
        let known = placed.iter().find(|(other, _)| *other == tag.as_slice()).map(|(_, at)| *at);
        let at = known.unwrap_or_else(|| {
            let at = start + body.len();
            body.extend(tag.iter());
            body.resize(body.len().next_multiple_of(4), 0);
            placed.push((tag, at));
            at
        });
        table.extend(name.iter());
        table.extend((at as u32).to_be_bytes());
        table.extend((tag.len() as u32).to_be_bytes());
    }
    let mut header = vec![0; 128];
    header[..4].copy_from_slice(&((start + body.len()) as u32).to_be_bytes());
    header[8..12].copy_from_slice(&[4, 0x40, 0, 0]);
    header[12..16].copy_from_slice(b"mntr");
    header[16..20].copy_from_slice(colors);
    header[20..24].copy_from_slice(b"XYZ ");
    // A fixed date: the same space gives the same bytes for ever.
    for (i, number) in [2026u16, 1, 1, 0, 0, 0].into_iter().enumerate() {
        header[24 + 2 * i..26 + 2 * i].copy_from_slice(&number.to_be_bytes());
    }
    header[36..40].copy_from_slice(b"acsp");
    header[68..80].copy_from_slice(&D50.map(fixed).concat());
    [header, table, body].concat()
}
