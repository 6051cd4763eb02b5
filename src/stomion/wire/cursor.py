"""One bounded reader for all wire formats: nothing can be read past the end of its window."""

from __future__ import annotations

from struct import Struct

from stomion.errors import Truncated

_U16 = Struct(">H")
_U32 = Struct(">I")


class Cursor:
    """Reads big-endian integers and byte runs from `data[at:end]`; raises Truncated with the offset it stopped at."""

    __slots__ = ("at", "data", "end")

    def __init__(self, data: bytes, at: int = 0, end: int | None = None) -> None:
        self.data = data
        self.at = at
        self.end = len(data) if end is None else end

    @property
    def left(self) -> int:
        """Bytes not yet read."""
        return self.end - self.at

    def _step(self, size: int) -> int:
        at = self.at
        if size < 0 or at + size > self.end:
            raise Truncated(f"needs {size} bytes, {self.end - at} left", place=at)
        self.at = at + size
        return at

    def u8(self) -> int:
        """One byte."""
        return self.data[self._step(1)]

    def u16(self) -> int:
        """Two bytes, big-endian."""
        return int(_U16.unpack_from(self.data, self._step(2))[0])

    def u32(self) -> int:
        """Four bytes, big-endian."""
        return int(_U32.unpack_from(self.data, self._step(4))[0])

    def take(self, size: int) -> bytes:
        """`size` bytes as they are."""
        at = self._step(size)
        return self.data[at : at + size]

    def unpack(self, layout: Struct) -> tuple[int, ...]:
        """Several numbers at once: the fast way through substructures of a fixed head."""
        return layout.unpack_from(self.data, self._step(layout.size))

    def rest(self) -> bytes:
        """All that is left of the window."""
        return self.take(self.left)

    def window(self, size: int) -> Cursor:
        """A reader for the next `size` bytes only; this one steps over them."""
        at = self._step(size)
        return Cursor(self.data, at, at + size)
