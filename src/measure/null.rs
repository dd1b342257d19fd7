//! Serialising what plain formats have no number for: NaN and infinity as null, integers beyond 64 bits as digits.

use serde::{Deserialize, Deserializer, Serialize, Serializer};

pub(crate) fn serialize<S: Serializer>(value: &f64, out: S) -> Result<S::Ok, S::Error> {
    value.is_finite().then_some(*value).serialize(out)
}

pub(crate) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<f64, D::Error> {
    Ok(Option::<f64>::deserialize(from)?.unwrap_or(f64::NAN))
}

/// Wide integers as digits.
pub(super) mod whole {
    use super::*;

    pub(in super::super) fn serialize<S: Serializer>(value: &u128, out: S) -> Result<S::Ok, S::Error> {
        value.to_string().serialize(out)
    }

    pub(in super::super) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<u128, D::Error> {
        String::deserialize(from)?.parse().map_err(serde::de::Error::custom)
    }
}
