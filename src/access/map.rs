//! A user's own operation, one closure: over pixels, on one thread or spread over rows. Over single numbers the same, by
//! way of [`View::as_plane`].

use crate::error::{Error, Result};
use crate::frame::{Frame, Region, View, ViewMut, same_size};
use crate::pixel::{Gray, Number, Pixel};
use crate::threads::{self, Threads};

/// Rows that are folded together when the work is spread: fixed, so that float sums do not depend on the threads.
const STRIP: u32 = 64;

impl<P: Pixel> View<'_, P> {
    /// A new frame whose pixels are a function of these. One pass.
    ///
    /// # Errors
    /// A size beyond the address space or the system's memory.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Rgb, Size};
    /// let dusk = Frame::filled(Size::new(2, 2), Rgb::new(200u8, 120, 90))?;
    /// let reds = dusk.view().map(|p| Gray::new(p.r))?;
    /// assert_eq!(reds[(1, 1)].value, 200);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn map<Q: Pixel>(&self, change: impl FnMut(P) -> Q) -> Result<Frame<Q>> {
        let mut out = Frame::zeros(self.size(), self.account())?;
        self.map_into(out.view_mut(), change)?;
        Ok(out)
    }

    /// [`map`](View::map) into a view of the same size.
    ///
    /// # Errors
    /// A target of another size.
    #[inline]
    pub fn map_into<Q: Pixel>(&self, mut target: ViewMut<'_, Q>, mut change: impl FnMut(P) -> Q) -> Result<()> {
        same_size("the target", self.size(), target.size())?;
        for (from, to) in self.rows().zip(target.rows_mut()) {
            for (from, to) in from.iter().zip(to) {
                *to = change(*from);
            }
        }
        Ok(())
    }

    /// [`map_into`](View::map_into) with its rows spread over threads.
    ///
    /// # Errors
    /// A target of another size.
    pub fn map_into_parallel<Q: Pixel>(
        &self,
        target: ViewMut<'_, Q>,
        threads: Threads,
        change: impl Fn(P) -> Q + Sync + Send,
    ) -> Result<()> {
        same_size("the target", self.size(), target.size())?;
        let bytes = self.samples().bytes() + target.as_view().samples().bytes();
        target.each_band(threads, bytes, |first, to| {
            // Sizes were checked above, so the bands agree.
            let _ = rows_of(self, first, to.height()).map_into(to, &change);
        });
        Ok(())
    }

    /// A new frame whose pixels are a function of these and another picture's at the same place. One pass over both.
    ///
    /// # Errors
    /// Another size, or a size beyond the address space or the system's memory.
    pub fn zip<Q: Pixel, R: Pixel>(&self, other: &View<'_, Q>, join: impl FnMut(P, Q) -> R) -> Result<Frame<R>> {
        same_size("the other picture", self.size(), other.size())?;
        let mut out = Frame::zeros(self.size(), self.account())?;
        self.zip_into(other, out.view_mut(), join)?;
        Ok(out)
    }

    /// [`zip`](View::zip) into a view of the same size.
    ///
    /// # Errors
    /// Sizes that differ.
    #[inline]
    pub fn zip_into<Q: Pixel, R: Pixel>(
        &self,
        other: &View<'_, Q>,
        mut target: ViewMut<'_, R>,
        mut join: impl FnMut(P, Q) -> R,
    ) -> Result<()> {
        same_size("the other picture", self.size(), other.size())?;
        same_size("the target", self.size(), target.size())?;
        for ((a, b), to) in self.rows().zip(other.rows()).zip(target.rows_mut()) {
            for ((a, b), to) in a.iter().zip(b).zip(to) {
                *to = join(*a, *b);
            }
        }
        Ok(())
    }

    /// [`zip_into`](View::zip_into) with its rows spread over threads.
    ///
    /// # Errors
    /// Sizes that differ.
    pub fn zip_into_parallel<Q: Pixel, R: Pixel>(
        &self,
        other: &View<'_, Q>,
        target: ViewMut<'_, R>,
        threads: Threads,
        join: impl Fn(P, Q) -> R + Sync + Send,
    ) -> Result<()> {
        same_size("the other picture", self.size(), other.size())?;
        same_size("the target", self.size(), target.size())?;
        let bytes = self.samples().bytes() + other.samples().bytes() + target.as_view().samples().bytes();
        target.each_band(threads, bytes, |first, to| {
            let (a, b) = (rows_of(self, first, to.height()), rows_of(other, first, to.height()));
            // Sizes were checked above, so the bands agree.
            let _ = a.zip_into(&b, to, &join);
        });
        Ok(())
    }

    /// Folds all pixels into one value, row by row from the top left. One pass.
    #[inline]
    pub fn fold<A>(&self, start: A, mut add: impl FnMut(A, P) -> A) -> A {
        self.rows().fold(start, |sum, row| row.iter().fold(sum, |sum, p| add(sum, *p)))
    }

    /// Strips of 64 rows folded by themselves, spread over threads, and then joined from the top: the result does not
    /// depend on the threads, whatever the closures do. One pass.
    pub fn fold_parallel<A: Send>(
        &self,
        threads: Threads,
        start: impl Fn() -> A + Sync + Send,
        add: impl Fn(A, P) -> A + Sync + Send,
        join: impl FnMut(A, A) -> A,
    ) -> A {
        let strip = |top: u32| rows_of(self, top, STRIP.min(self.height() - top)).fold(start(), &add);
        let tops: Vec<u32> = (0..self.height()).step_by(STRIP as usize).collect();
        let threads = if threads.bands(self.samples().bytes()) == 1 { Threads::ONE } else { threads };
        threads::collect(threads, tops, strip).into_iter().reduce(join).unwrap_or_else(start)
    }

    /// The numbers as another type, each value kept as far as the type can hold it and **not** rescaled: 255 stays 255
    /// and becomes 255.0. Almost always a change of depth is what is wanted: [`depth`](crate::convert::depth). One pass.
    ///
    /// # Errors
    /// Pixels of other channel counts, or a size beyond the address space or the system's memory.
    pub fn cast_unscaled<Q: Pixel>(&self) -> Result<Frame<Q>> {
        let mut out = Frame::zeros(self.size(), self.account())?;
        self.cast_unscaled_into(out.view_mut())?;
        Ok(out)
    }

    /// [`cast_unscaled`](View::cast_unscaled) into a view of the same size.
    ///
    /// # Errors
    /// A target of another size or channel count.
    pub fn cast_unscaled_into<Q: Pixel>(&self, target: ViewMut<'_, Q>) -> Result<()> {
        same_size("the target", self.size(), target.size())?;
        if P::CHANNELS != Q::CHANNELS {
            return Err(Error::wrong_count(
                "target",
                Q::CHANNELS,
                (P::CHANNELS, P::CHANNELS),
                format!("{} and {} differ in channels", P::describe(), Q::describe()),
            ));
        }
        self.as_plane()?.map_into(target.into_plane()?, |v| Gray::new(v.value.cast_unscaled()))
    }
}

impl<P: Pixel> ViewMut<'_, P> {
    /// Replaces every pixel by a function of it. One pass.
    #[inline]
    pub fn update(&mut self, mut change: impl FnMut(P) -> P) {
        for row in self.rows_mut() {
            for p in row {
                *p = change(*p);
            }
        }
    }

    /// [`update`](ViewMut::update) with its rows spread over threads.
    pub fn update_parallel(&mut self, threads: Threads, change: impl Fn(P) -> P + Sync + Send) {
        let bytes = 2 * self.as_view().samples().bytes();
        self.reborrow().each_band(threads, bytes, |_, mut part| part.update(&change));
    }
}

/// Rows of a view that are known to be there.
fn rows_of<'a, P: Pixel>(view: &View<'a, P>, first: u32, height: u32) -> View<'a, P> {
    view.part(Region { y: first, height, ..view.size().region() })
}
