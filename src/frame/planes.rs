//! Named planes of any number type: split channels, multispectral data, wide numbers, other colour models.

use super::{AnyNumbers, AnyNumbersMut, Frame, Size};
use crate::error::{Error, ErrorKind, Result};
use crate::memory::{Account, MemoryBudget};
use crate::pixel::{Gray, Number, NumberKind};

/// Any number of named planes of one size and number type, one buffer a plane.
#[derive(Debug, Clone, PartialEq)]
pub struct Planes<T: Number> {
    size: Size,
    planes: Vec<(String, Frame<Gray<T>>)>,
}

impl<T: Number> Planes<T> {
    /// Empty set of planes, for frames of this size.
    pub fn new(size: Size) -> Planes<T> {
        Planes { size, planes: Vec::new() }
    }

    /// Appends a plane. No copy.
    ///
    /// # Errors
    /// A frame of another size, or a name that is there already.
    pub fn push(&mut self, name: impl Into<String>, frame: Frame<Gray<T>>) -> Result<()> {
        self.push_named(name.into(), frame)
    }

    fn push_named(&mut self, name: String, frame: Frame<Gray<T>>) -> Result<()> {
        check_new(&name, self.size, frame.size(), self.get(&name).is_some())?;
        self.planes.push((name, frame));
        Ok(())
    }

    /// Appends a plane and gives the planes back: [`push`](Planes::push) as a chain.
    ///
    /// # Errors
    /// As [`push`](Planes::push).
    pub fn with(mut self, name: impl Into<String>, frame: Frame<Gray<T>>) -> Result<Planes<T>> {
        self.push(name, frame)?;
        Ok(self)
    }

    /// The size that every plane has.
    pub fn size(&self) -> Size {
        self.size
    }

    /// Number of planes.
    pub fn len(&self) -> usize {
        self.planes.len()
    }

    /// Whether it is empty.
    pub fn is_empty(&self) -> bool {
        self.planes.is_empty()
    }

    /// The place of a name. A loop: it is compiled for each type of numbers.
    fn find(&self, name: &str) -> Option<usize> {
        for (place, (own, _)) in self.planes.iter().enumerate() {
            if own == name {
                return Some(place);
            }
        }
        None
    }

    /// The plane of this name.
    pub fn get(&self, name: &str) -> Option<&Frame<Gray<T>>> {
        let place = self.find(name)?;
        Some(&self.planes[place].1)
    }

    /// The plane of this name, mutable.
    pub fn get_mut(&mut self, name: &str) -> Option<&mut Frame<Gray<T>>> {
        let place = self.find(name)?;
        Some(&mut self.planes[place].1)
    }

    /// The plane at a place, counted from 0.
    pub fn at(&self, place: usize) -> Option<&Frame<Gray<T>>> {
        self.planes.get(place).map(|(_, frame)| frame)
    }

    /// Takes a plane out. No copy.
    ///
    /// # Errors
    /// A name that is not there; the error lists those that are.
    pub fn remove(&mut self, name: &str) -> Result<Frame<Gray<T>>> {
        let place = self.place(name)?;
        Ok(self.planes.remove(place).1)
    }

    /// Gives a plane another name.
    ///
    /// # Errors
    /// A name that is not there, or a new one that another plane has.
    pub fn rename(&mut self, name: &str, new: impl Into<String>) -> Result<()> {
        let (place, new) = (self.place(name)?, new.into());
        if new != name {
            check_new(&new, self.size, self.size, self.get(&new).is_some())?;
            self.planes[place].0 = new;
        }
        Ok(())
    }

    /// Puts the planes in this order. No copy.
    ///
    /// # Errors
    /// Names that are not those of the planes, each once.
    pub fn reorder(&mut self, names: &[&str]) -> Result<()> {
        let places = names.iter().map(|name| self.place(name)).collect::<Result<Vec<_>>>()?;
        let mut seen = vec![false; self.planes.len()];
        places.iter().for_each(|&place| seen[place] = true);
        if places.len() != self.planes.len() || seen.contains(&false) {
            let (given, there) = (names.join(", "), self.list());
            return Err(Error::invalid("names", format!("{given} do not name each of the planes {there} once")));
        }
        let mut old: Vec<_> = std::mem::take(&mut self.planes).into_iter().map(Some).collect();
        self.planes = places.into_iter().filter_map(|place| old[place].take()).collect();
        Ok(())
    }

    fn list(&self) -> String {
        self.names().collect::<Vec<_>>().join(", ")
    }

    fn place(&self, name: &str) -> Result<usize> {
        match self.find(name) {
            Some(place) => Ok(place),
            None => Err(no_plane(name, &self.list())),
        }
    }

    /// The names, in order.
    pub fn names(&self) -> impl ExactSizeIterator<Item = &str> {
        self.planes.iter().map(|(name, _)| name.as_str())
    }

    /// Names and planes, in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (&str, &Frame<Gray<T>>)> {
        self.planes.iter().map(|(name, frame)| (name.as_str(), frame))
    }

    /// Names and planes, in order, mutable.
    pub fn iter_mut(&mut self) -> impl ExactSizeIterator<Item = (&str, &mut Frame<Gray<T>>)> {
        self.planes.iter_mut().map(|(name, frame)| (name.as_str(), frame))
    }

    /// Splits the planes into pairs of name and plane. No copy.
    pub fn into_vec(self) -> Vec<(String, Frame<Gray<T>>)> {
        self.planes
    }

    /// The budget that the planes are charged to, and that what is made of them is.
    pub(crate) fn account(&self) -> Account<'_> {
        self.planes.iter().find_map(|(_, frame)| frame.account())
    }

    /// Maps every plane to another, all of one new size.
    ///
    /// # Errors
    /// What `change` gives, or results of different sizes.
    pub fn map<U: Number>(
        &self,
        size: Size,
        mut change: impl FnMut(&Frame<Gray<T>>) -> Result<Frame<Gray<U>>>,
    ) -> Result<Planes<U>> {
        let mut out = Planes::new(size);
        for (name, frame) in self.iter() {
            out.push(name, change(frame)?)?;
        }
        Ok(out)
    }
}

impl<T: Number> std::ops::Index<usize> for Planes<T> {
    type Output = Frame<Gray<T>>;

    /// The plane at a place, counted from 0; panics where there is none.
    #[track_caller]
    fn index(&self, place: usize) -> &Frame<Gray<T>> {
        &self.planes[place].1
    }
}

impl<T: Number> std::ops::Index<&str> for Planes<T> {
    type Output = Frame<Gray<T>>;

    /// The plane of a name; panics where there is none.
    #[track_caller]
    fn index(&self, name: &str) -> &Frame<Gray<T>> {
        match self.get(name) {
            Some(plane) => plane,
            None => panic!("there is no plane {name}; there are {}", self.list()),
        }
    }
}

#[cold]
fn no_plane(name: &str, there: &str) -> Error {
    Error::invalid("name", format!("there is no plane {name}; there are {there}"))
}

fn check_new(name: &str, wanted: Size, found: Size, is_there: bool) -> Result<()> {
    if found != wanted {
        return Err(Error::sizes(format!("plane {name}"), wanted, found));
    }
    if is_there {
        return Err(Error::invalid("name", format!("there is a plane {name} already; names tell planes apart")));
    }
    Ok(())
}

/// Planes whose number type is known at run time: one arm a type.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)] // each arm is named after its number type
pub enum AnyPlanes {
    U8(Planes<u8>),
    U16(Planes<u16>),
    U32(Planes<u32>),
    U64(Planes<u64>),
    I8(Planes<i8>),
    I16(Planes<i16>),
    I32(Planes<i32>),
    I64(Planes<i64>),
    F32(Planes<f32>),
    F64(Planes<f64>),
}

/// Does the same with the typed planes of every arm.
macro_rules! each_arm {
    ($any:expr, mut $planes:ident => $body:expr) => {
        match $any {
            AnyPlanes::U8(mut $planes) => $body,
            AnyPlanes::U16(mut $planes) => $body,
            AnyPlanes::U32(mut $planes) => $body,
            AnyPlanes::U64(mut $planes) => $body,
            AnyPlanes::I8(mut $planes) => $body,
            AnyPlanes::I16(mut $planes) => $body,
            AnyPlanes::I32(mut $planes) => $body,
            AnyPlanes::I64(mut $planes) => $body,
            AnyPlanes::F32(mut $planes) => $body,
            AnyPlanes::F64(mut $planes) => $body,
        }
    };
    ($any:expr, $planes:ident => $body:expr) => {
        match $any {
            AnyPlanes::U8($planes) => $body,
            AnyPlanes::U16($planes) => $body,
            AnyPlanes::U32($planes) => $body,
            AnyPlanes::U64($planes) => $body,
            AnyPlanes::I8($planes) => $body,
            AnyPlanes::I16($planes) => $body,
            AnyPlanes::I32($planes) => $body,
            AnyPlanes::I64($planes) => $body,
            AnyPlanes::F32($planes) => $body,
            AnyPlanes::F64($planes) => $body,
        }
    };
}
pub(super) use each_arm;

impl AnyPlanes {
    /// The size that every plane has.
    pub fn size(&self) -> Size {
        each_arm!(self, p => p.size)
    }

    /// Number of planes.
    pub fn len(&self) -> usize {
        each_arm!(self, p => p.planes.len())
    }

    /// Whether it is empty.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The number type.
    pub fn number(&self) -> NumberKind {
        fn kind<T: Number>(_: &Planes<T>) -> NumberKind {
            T::KIND
        }
        each_arm!(self, p => kind(p))
    }

    /// Each plane by itself, with its name. No copy.
    pub fn apart(self) -> Vec<(String, AnyPlanes)> {
        let mut out = Vec::with_capacity(self.len());
        each_arm!(self, mut planes => while let Some((name, frame)) = planes.planes.pop() {
            out.push((name.clone(), Planes { size: planes.size, planes: vec![(name, frame)] }.into()));
        });
        out.reverse();
        out
    }

    /// Calls with each plane's name and its numbers, in order.
    fn each<'a>(&'a self, run: &mut dyn FnMut(&'a str, AnyNumbers<'a>)) {
        each_arm!(self, p => for (name, frame) in &p.planes {
            run(name, frame.view().numbers_any());
        });
    }

    /// Each plane with its number type as a value, in order.
    pub(crate) fn views(&self) -> Vec<AnyNumbers<'_>> {
        let mut out = Vec::with_capacity(self.len());
        self.each(&mut |_, numbers| out.push(numbers));
        out
    }

    /// Each plane with its number type as a value, in order, mutable.
    pub(crate) fn views_mut(&mut self) -> Vec<AnyNumbersMut<'_>> {
        let mut out = Vec::with_capacity(self.len());
        each_arm!(self, p => for (_, frame) in &mut p.planes {
            out.push(frame.view_mut().into_numbers_any());
        });
        out
    }

    /// Charges the planes to a budget, in place of the one that they were charged to.
    pub(super) fn charge_to(&mut self, budget: &MemoryBudget) -> Result<()> {
        each_arm!(self, p => for (_, frame) in &mut p.planes {
            frame.charge_to(budget)?;
        });
        Ok(())
    }

    /// The budget that the planes are charged to, and that what is made of them is.
    pub(crate) fn account(&self) -> Account<'_> {
        each_arm!(self, p => p.account())
    }

    /// Adds planes of zeros. A file may claim tens of thousands: that no two have the same name is checked once for all.
    ///
    /// # Errors
    /// A name twice, or a size beyond the system's memory.
    pub(super) fn push_blanks(&mut self, names: &[String], account: Account<'_>) -> Result<()> {
        let mut seen = std::collections::HashSet::new();
        if let Some(twice) = names.iter().find(|name| !seen.insert(name.as_str())) {
            check_new(twice, self.size(), self.size(), true)?;
        }
        each_arm!(self, p => for name in names {
            let frame = Frame::zeros(p.size, account)?;
            p.planes.push((name.clone(), frame));
        });
        Ok(())
    }

    /// The planes as planes of this number type.
    ///
    /// # Errors
    /// Another number type; the error names both.
    pub fn planes<T: Number>(&self) -> Result<&Planes<T>> {
        let typed: Option<&Planes<T>> = each_arm!(self, p => (p as &dyn std::any::Any).downcast_ref());
        typed.ok_or_else(|| self.another_number(T::KIND))
    }

    #[cold]
    fn another_number(&self, wanted: NumberKind) -> Error {
        let planes = |kind: NumberKind| format!("planes of {}", kind.name());
        ErrorKind::Types { wanted: planes(wanted), found: planes(self.number()) }.into()
    }

    /// The planes typed as another set of planes is, if they are of that type.
    pub(crate) fn typed_as<T: Number>(&self, _like: &Planes<T>) -> Option<&Planes<T>> {
        each_arm!(self, p => (p as &dyn std::any::Any).downcast_ref())
    }

    /// The names, in order.
    pub fn names(&self) -> Vec<String> {
        let mut names = Vec::with_capacity(self.len());
        self.each(&mut |name, _| names.push(name.to_string()));
        names
    }
}

macro_rules! from_planes {
    ($($t:ident $arm:ident),*) => {$(
        impl From<Planes<$t>> for AnyPlanes {
            fn from(planes: Planes<$t>) -> AnyPlanes { AnyPlanes::$arm(planes) }
        }
        impl TryFrom<AnyPlanes> for Planes<$t> {
            type Error = Error;
            /// No copy; planes of another number type are an error.
            fn try_from(planes: AnyPlanes) -> Result<Planes<$t>> {
                match planes {
                    AnyPlanes::$arm(planes) => Ok(planes),
                    other => Err(other.another_number(<$t as Number>::KIND)),
                }
            }
        }
    )*};
}
from_planes!(u8 U8, u16 U16, u32 U32, u64 U64, i8 I8, i16 I16, i32 I32, i64 I64, f32 F32, f64 F64);

/// A number type whose planes [`AnyPlanes`] has an arm for: all ten.
pub(crate) fn any_planes<T: Number>(planes: Planes<T>) -> AnyPlanes
where
    AnyPlanes: From<Planes<T>>,
{
    planes.into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn planes_keep_order_and_refuse_other_sizes_and_second_names() {
        let size = Size::new(2, 1);
        let plane = |v: i16| Frame::filled(size, Gray::new(v)).unwrap();
        let mut planes = Planes::new(size).with("depth", plane(-7)).unwrap().with("noise", plane(3)).unwrap();
        assert_eq!(planes.names().collect::<Vec<_>>(), ["depth", "noise"]);
        assert_eq!(planes.get("depth").unwrap()[(1, 0)].value, -7);
        let odd = Frame::new(Size::new(1, 2)).unwrap();
        assert_eq!(planes.push("odd", odd).unwrap_err().to_string(), "plane odd is 1x2, but 2x1 is needed");
        assert!(planes.push("noise", plane(0)).is_err());
        assert_eq!(planes.at(1).unwrap()[(0, 0)].value, 3);
        assert!(planes.rename("depth", "noise").is_err() && planes.rename("sound", "x").is_err());
        planes.rename("depth", "height").unwrap();
        planes.reorder(&["noise", "height"]).unwrap();
        for wrong in [&["noise"][..], &["noise", "noise"], &["noise", "height", "x"]] {
            assert!(planes.reorder(wrong).is_err());
        }
        assert_eq!(planes.names().collect::<Vec<_>>(), ["noise", "height"]);
        let mut one = planes.clone();
        assert_eq!(one.remove("height").unwrap()[(0, 0)].value, -7);
        assert_eq!(one.remove("height").unwrap_err().to_string(), "there is no plane height; there are noise");
        let any = AnyPlanes::from(planes);
        assert_eq!((any.number(), any.len(), any.size()), (NumberKind::I16, 2, size));
        assert_eq!(any.planes::<i16>().unwrap().len(), 2);
        let error = any.planes::<f64>().unwrap_err().to_string();
        assert_eq!(error, "wanted planes of f64, the picture holds planes of i16");
        assert!(Planes::<u8>::try_from(any.clone()).is_err() && Planes::<i16>::try_from(any).unwrap().len() == 2);
    }
}
