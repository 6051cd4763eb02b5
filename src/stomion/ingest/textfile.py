"""Any line of a text file, by its number, without keeping the text: an index of offsets, and reads on demand."""

from __future__ import annotations

from array import array
from bisect import bisect_right
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from stomion.ingest.files import GZIP, open_input
from stomion.vocabulary.clean import MAX_LINE, decode_line, without_listed_keys
from stomion.vocabulary.keydumps import KeyDumps, may_be_row

CHUNK = 1 << 20
MOST_ABOVE = 512
"""Rows of a dump that are looked through for the line above them."""
MAX_KEPT = 256 << 20
"""Bytes of an unpacked gzip file that are kept in memory to be shown; the rest is not."""


class TextFile:
    """Lines counted from 1. Raises UnreadableInput on opening; a file that shrinks later just has empty lines."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._packed: bytes | None = None
        self._dumps: tuple[int, KeyDumps] = (0, KeyDumps())
        """The last line that was shown, and whether it was the row of a key."""
        with open_input(path) as stream, path.open("rb") as raw:
            if raw.read(2) == GZIP:
                self._packed = stream.read(MAX_KEPT)
        self._starts = array("Q", [0])
        self._size = 0
        self._index()

    def _index(self) -> None:
        with open_input(self.path) as stream:
            self._index_from(stream, 0)

    def _index_from(self, stream: BinaryIO, at: int) -> None:
        while chunk := stream.read(CHUNK):
            found = chunk.find(b"\n")
            while found >= 0:
                self._starts.append(at + found + 1)
                found = chunk.find(b"\n", found + 1)
            at += len(chunk)
            if self._packed is not None and at >= MAX_KEPT:
                break
        self._size = at
        if len(self._starts) > 1 and self._starts[-1] == at:
            self._starts.pop()

    def grow(self) -> int:
        """Take in what was appended since; how many lines there are now. A file that shrank is indexed anew."""
        if self._packed is not None:
            return len(self)
        size = self.path.stat().st_size
        if size == self._size:
            return len(self)
        begin = self._size if size > self._size else 0
        if begin == 0:
            self._starts = array("Q", [0])
            self._size = 0
        with self.path.open("rb") as stream:
            stream.seek(max(begin - 1, 0))
            at = max(begin - 1, 0)
            if at and stream.read(1) == b"\n":
                self._starts.append(begin)
            stream.seek(begin)
            self._index_from(stream, begin)
        return len(self)

    def lines_with(self, words: str, stop: Callable[[], bool] = lambda: False) -> array[int]:
        """Numbers of the lines in which `words` occur, whatever their case; looked for block by block."""
        wanted = words.lower().encode()
        found = array("L")
        if not wanted:
            return found
        with open_input(self.path) as stream:
            rest, base = b"", 0
            while (chunk := stream.read(CHUNK)) and not stop():
                data = rest + chunk
                end = data.rfind(b"\n") + 1 or len(data)
                self._collect(data[:end].lower(), base, wanted, found)
                rest, base = data[end:], base + end
            self._collect(rest.lower(), base, wanted, found)
        return found

    def _collect(self, low: bytes, base: int, wanted: bytes, found: array[int]) -> None:
        at = low.find(wanted)
        while at >= 0:
            number = bisect_right(self._starts, base + at)
            found.append(number)
            after = self._starts[number] - base if number < len(self._starts) else len(low)
            at = low.find(wanted, after)

    def __len__(self) -> int:
        return len(self._starts) if self._size else 0

    def line(self, number: int) -> str:
        """The cleaned text of a line; empty beyond the end. A row of a key's bytes is known by what stands above it."""
        text = self._line(number)
        if not may_be_row(text):
            return text
        last, dumps = self._dumps
        if last != number - 1 or not last:
            dumps = KeyDumps()
            for earlier in range(self._above(number), number):
                dumps.shown(self._line(earlier))
        self._dumps = (number, dumps)
        return dumps.shown(text)

    def _above(self, number: int) -> int:
        """The line above a dump's rows, or one of its rows where they are too many."""
        last = max(1, number - MOST_ABOVE)
        number -= 1
        while number > last and (may_be_row(text := self._line(number)) or not text.strip()):
            number -= 1
        return max(number, 1)

    def _line(self, number: int) -> str:
        if not 1 <= number <= len(self._starts):
            return ""
        start = self._starts[number - 1]
        stop = self._starts[number] if number < len(self._starts) else self._size
        size = min(stop - start, MAX_LINE)
        if self._packed is not None:
            return without_listed_keys(decode_line(self._packed[start : start + size])[0])
        with self.path.open("rb") as stream:
            stream.seek(start)
            return without_listed_keys(decode_line(stream.read(size))[0])
