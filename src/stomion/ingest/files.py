"""Opening user files safely: bounded reads, gzip with a limit, lines that can't be endless."""

from __future__ import annotations

import gzip
import io
import zlib
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import BinaryIO, Protocol

from stomion.errors import Malformed, UnreadableInput
from stomion.vocabulary.clean import MAX_LINE, decode_line
from stomion.vocabulary.keydumps import KeyDumps

HEAD = 65_536
"""Bytes looked at to recognise a file."""
MAX_UNPACKED = 4 << 30
"""A gzip file may unpack to this many bytes; beyond it the rest is left unread and said so."""
GZIP = b"\x1f\x8b"


class Bounded(io.RawIOBase):
    """A reader of a gzip file that stops with an error after `limit` unpacked bytes."""

    def __init__(self, raw: BinaryIO, limit: int) -> None:
        self._raw = raw
        self._inner = gzip.GzipFile(fileobj=raw)
        self._left = limit

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: memoryview) -> int:  # type: ignore[override]
        try:
            data = self._inner.read(len(buffer))
        except (EOFError, zlib.error, gzip.BadGzipFile) as error:
            raise Malformed(f"damaged gzip: {error}") from error
        self._left -= len(data)
        if self._left < 0:
            raise Malformed(f"unpacks to more than {MAX_UNPACKED >> 30} GiB; the rest is not read")
        buffer[: len(data)] = data
        return len(data)

    def close(self) -> None:
        self._inner.close()
        self._raw.close()
        super().close()


def open_input(path: Path) -> BinaryIO:
    """The file's content, unpacked where it is gzip. Raises UnreadableInput where it can't be opened."""
    try:
        raw = path.open("rb")
    except OSError as error:
        raise UnreadableInput(reason(error)) from error
    if raw.peek(2)[:2] != GZIP:
        return raw
    return io.BufferedReader(Bounded(raw, MAX_UNPACKED), 1 << 16)


def reason(error: OSError) -> str:
    """An OSError in the user's words."""
    known = {13: "no permission to read it", 2: "it does not exist", 21: "it is a folder", 40: "links in a circle"}
    return known.get(error.errno or 0, error.strerror or "it can't be opened")


BLOCK = 4 << 20
"""Bytes of a log looked at in one go; at most this much of a line without an end is kept."""


class Place(Protocol):
    """Where a pattern occurs."""

    def start(self) -> int:
        """Its first byte."""

    def end(self) -> int:
        """The byte after it."""


class Finder(Protocol):
    """A compiled pattern of bytes."""

    def search(self, text: bytes, pos: int = ..., /) -> Place | None:
        """The first place from `pos` on."""


MOST_FOUND, MOST_BYTES = 200_000, 64 << 20
"""So many of the first lines found in a log are looked at, and as many of the last: how it began, and how it stands."""


class LineScan:
    """Lines of a log in which a pattern occurs, found block by block: the others are stepped over without being touched.

    After the scan `lines` is their count, `not_utf8` the number of the first line that is no UTF-8, or 0, `cut` how many of those
    found were longer than MAX_LINE, and `left_out` how many between the first and the last of them were passed over.
    """

    def __init__(self, stream: BinaryIO, pattern: Finder, about: Callable[[int], None] = lambda _lines: None) -> None:
        """`about` is told the lines gone through after every block; it may raise Cancelled."""
        self._stream = stream
        self._pattern = pattern
        self._about = about
        self.lines = 0
        self.not_utf8 = 0
        self.cut = 0
        self.left_out = 0

    def __iter__(self) -> Iterator[tuple[int, str]]:
        """(number, cleaned text) of every line with the pattern, which is searched for in lower case."""
        found, held = self._raw(), 0
        for count, (number, raw) in enumerate(found, 1):
            yield number, decode_line(raw)[0]
            held += len(raw)
            if count >= MOST_FOUND or held >= MOST_BYTES:
                break
        for number, raw in self._last(found):
            yield number, decode_line(raw)[0]

    def _last(self, found: Iterator[tuple[int, bytes]]) -> Iterable[tuple[int, bytes]]:
        last: deque[tuple[int, bytes]] = deque()
        held = 0
        for row in found:
            last.append(row)
            held += len(row[1])
            if len(last) > MOST_FOUND or held > MOST_BYTES:
                held -= len(last.popleft()[1])
                self.left_out += 1
        return last

    def _raw(self) -> Iterator[tuple[int, bytes]]:
        rest = b""
        while chunk := self._stream.read(BLOCK):
            data = rest + chunk
            end = data.rfind(b"\n") + 1 or (len(data) if len(data) >= BLOCK else 0)
            rest = data[end:]
            if end:
                yield from self._block(data[:end])
            self._about(self.lines)
        if rest:
            yield from self._block(rest)

    def _block(self, data: bytes) -> Iterator[tuple[int, bytes]]:
        if b"\0" in data:
            data = data.replace(b"\0", b"")
        if not self.not_utf8:
            self._check(data)
        low = data.lower()
        number, counted, at = self.lines + 1, 0, 0
        while found := self._pattern.search(low, at):
            start = low.rfind(b"\n", 0, found.start()) + 1
            stop = low.find(b"\n", found.end())
            stop = len(low) if stop < 0 else stop
            number += low.count(b"\n", counted, start)
            counted = start
            self.cut += stop - start > MAX_LINE
            yield number, data[start : min(stop, start + MAX_LINE)]
            at = stop + 1
        self.lines += data.count(b"\n") + (not data.endswith(b"\n"))

    def _check(self, data: bytes) -> None:
        try:
            data.decode("utf-8")
        except UnicodeDecodeError as error:
            if error.start < len(data) - 4 or data.endswith(b"\n"):
                self.not_utf8 = self.lines + 1 + data.count(b"\n", 0, error.start)


def read_lines(stream: BinaryIO) -> Iterator[tuple[int, str, bool, int]]:
    """(number, cleaned text, whether it was UTF-8, bytes) of every line; a line's tail beyond MAX_LINE is dropped."""
    number = 0
    dumps = KeyDumps()
    while True:
        raw = stream.readline(MAX_LINE)
        if not raw:
            return
        number += 1
        size = len(raw)
        tail = raw
        while not tail.endswith(b"\n") and len(tail) == MAX_LINE:
            tail = stream.readline(MAX_LINE)
            size += len(tail)
        text, utf8 = decode_line(raw)
        yield number, dumps.shown(text), utf8, size
