//! Curves of profiles: tables and parameters, both ways.

use crate::pixel::Transfer;
use std::sync::Arc;

/// A curve between encoded fractions and light.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Curve {
    /// One with a formula.
    Named(Transfer),
    /// Values at evenly spaced places from 0 to 1, rising, and straight lines between them.
    Table(Arc<[f32]>),
    /// One whose values are lightness (CIE 15:2018, 8.2.1), 0 to 1, instead of light.
    Lightness(Arc<Curve>),
}

/// How far a table may be from a curve with a formula that it stands for: tables of published profiles are rounded to 1/65,535, and some
/// were worked out with the formula's constants rounded.
const SAME: f64 = 5e-5;

impl Curve {
    /// The curve with a formula, where it is one or as good as one.
    pub(crate) fn transfer(&self) -> Option<Transfer> {
        match self {
            Curve::Named(transfer) => Some(*transfer),
            Curve::Lightness(_) => None,
            Curve::Table(values) => {
                let last = values.len().saturating_sub(1).max(1) as f64;
                let is = |transfer: &Transfer| {
                    let off = |(i, v): (usize, &f32)| (transfer.decode(i as f64 / last) - f64::from(*v)).abs();
                    values.iter().enumerate().map(off).all(|off| off < SAME)
                };
                let known = [
                    Transfer::Srgb,
                    Transfer::Linear,
                    Transfer::Power(563.0 / 256.0),
                    Transfer::Power(2.2),
                    Transfer::Power(1.8),
                    Transfer::Power(2.4),
                    Transfer::Bt709,
                    Transfer::Romm,
                ];
                known.into_iter().find(is)
            }
        }
    }

    /// Light of an encoded fraction; beyond a table's ends it goes on as they do.
    pub(crate) fn decode(&self, encoded: f64) -> f64 {
        match self {
            Curve::Named(transfer) => transfer.decode(encoded),
            Curve::Lightness(curve) => {
                let lightness = 100.0 * curve.decode(encoded);
                // Light under any white: the Y of 1.
                super::super::models::values::lab_to_xyz([lightness, 0.0, 0.0], [1.0; 3])[1]
            }
            Curve::Table(values) => {
                let last = values.len().saturating_sub(1);
                let along = encoded * last as f64;
                let first = (along.max(0.0) as usize).min(last.saturating_sub(1));
                let (a, b) = (f64::from(values[first]), f64::from(values[(first + 1).min(last)]));
                a + (b - a) * (along - first as f64)
            }
        }
    }

    /// The encoded fraction of light: the inverse of [`decode`](Curve::decode); of a table that is flat somewhere the least one.
    pub(crate) fn encode(&self, light: f64) -> f64 {
        match self {
            Curve::Named(transfer) => transfer.encode(light),
            Curve::Lightness(curve) => {
                let [lightness, ..] = super::super::models::values::lab_of([light; 3], [1.0; 3]);
                curve.encode(lightness / 100.0)
            }
            Curve::Table(values) => {
                let last = values.len().saturating_sub(1);
                let next = values.partition_point(|v| f64::from(*v) < light).clamp(1, last.max(1));
                let (a, b) = (f64::from(values[next - 1]), f64::from(values[next.min(last)]));
                let share = if b > a { (light - a) / (b - a) } else { 0.0 };
                (next as f64 - 1.0 + share) / last.max(1) as f64
            }
        }
    }

    /// The light of a diffuse white.
    pub(crate) fn reference_white(&self) -> f64 {
        if let Curve::Named(transfer) = self { transfer.reference_white() } else { 1.0 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_lie_on_straight_lines_and_come_back() {
        let table = Curve::Table([0.0, 0.1, 0.1, 1.0].into());
        assert!((table.decode(0.5) - 0.1).abs() < 1e-7 && (table.decode(5.0 / 6.0) - 0.55).abs() < 1e-7);
        assert!((table.encode(0.55) - 5.0 / 6.0).abs() < 1e-7 && (table.encode(0.05) - 1.0 / 6.0).abs() < 1e-7);
        assert!(
            (table.encode(table.decode(1.2)) - 1.2).abs() < 1e-6
                && (table.encode(table.decode(-0.2)) + 0.2).abs() < 1e-6
        );
        assert_eq!(table.transfer(), None);
        // A table of 1,024 words as published profiles have it.
        let words = |transfer: Transfer| -> Curve {
            let word = |i: u32| ((transfer.decode(f64::from(i) / 1023.0) * 65_535.0).round() / 65_535.0) as f32;
            Curve::Table((0..1024).map(word).collect())
        };
        for transfer in
            [Transfer::Srgb, Transfer::Power(2.2), Transfer::Power(563.0 / 256.0), Transfer::Romm, Transfer::Linear]
        {
            assert_eq!(words(transfer).transfer(), Some(transfer));
        }
        assert_eq!(words(Transfer::Power(2.3)).transfer(), None);
    }

    #[test]
    fn lightness_is_that_of_cie() {
        let curve = Curve::Lightness(Arc::new(Curve::Named(Transfer::Linear)));
        // L = 50: ((50 + 16) / 116)^3.
        assert!((curve.decode(0.5) - 0.184_186_5).abs() < 1e-6);
        assert!((curve.encode(curve.decode(0.3)) - 0.3).abs() < 1e-12);
    }
}
