//! Sets of candidates, a bit each.

/// A set of at most 128.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub(super) struct Bits(pub u128);

impl Bits {
    pub(super) fn of(places: impl IntoIterator<Item = usize>) -> Self {
        places.into_iter().fold(Self::default(), Self::with)
    }

    pub(super) fn with(self, place: usize) -> Self {
        Self(self.0 | 1 << place)
    }

    pub(super) fn without(self, place: usize) -> Self {
        Self(self.0 & !(1 << place))
    }

    pub(super) fn has(self, place: usize) -> bool {
        self.0 >> place & 1 == 1
    }

    pub(super) fn places(self) -> impl Iterator<Item = usize> {
        (0..128).filter(move |place| self.has(*place))
    }
}
