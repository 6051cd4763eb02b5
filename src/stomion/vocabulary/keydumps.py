"""Keys that a text prints byte by byte, over the lines after the one that names them.

A row of a dump is bytes, before them at the most a log's prefix and an offset, beside them their characters. Rows below a line that names
a key or a password are shown as a mark each; the dump of a packet stays as it is.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from stomion.vocabulary.secrets import mark_of, names_secret

FEWEST = 4
"""Bytes of a row; a shorter one may end a dump."""
MOST_ROWS = 4_096
"""Rows of one dump: keys end far below."""

_BYTES = r"(?:0x)?[0-9a-fA-F]{2}(?:(?: {0,3}|[:-]|, {0,2})(?:0x)?[0-9a-fA-F]{2}){0,127}"
_BESIDE = r"(?:,?|\s{0,120}[|\[<].{0,64}|\s{2,120}\S.{0,63})"
"""Characters beside the bytes: behind a last row's few bytes there is much space."""
_ROW = re.compile(
    rf"(?P<before>\s{{0,80}}(?:(?:0x)?[0-9a-fA-F]{{1,8}}[:>]\s{{0,4}})?)(?P<bytes>{_BYTES}){_BESIDE}\s{{0,8}}"
)
_LOGGED = re.compile(rf"(?:^|[\s:>\])])(?P<bytes>{_BYTES}){_BESIDE}\s{{0,8}}$")
_NUMBERS = re.compile(r"(?P<before>\s{0,80})(?P<bytes>\d{1,3}(?:\s{0,4},\s{0,4}\d{1,3}){0,127}),?\s{0,8}")
_CODED = re.compile(r"(?P<before>\s{0,80})(?P<bytes>[A-Za-z0-9+/]{2,100}={0,2})\s{0,8}")
_ENDS_AS_HEADING = re.compile(r"(?:[:=>\[({]|\b(?:bytes?|octets?|dump|hex)\)?|\b\d{1,4}\)?)\s{0,8}$", re.IGNORECASE)
_PRIVATE = re.compile(r"-----BEGIN [A-Z ]{0,24}PRIVATE KEY-----")
_TIME = re.compile(r"\d\d:\d\d:\d\d")
_OFFSET = re.compile(r"(?<![\w.:])(?:0x)?[0-9a-fA-F]{1,8}[:>]\s{0,8}$")
_COUNT = re.compile(r"(?<![\w.:])(?:0x)?[0-9a-fA-F]{1,8}[:>]?\s{0,8}$")
_NUMBER = re.compile(r"\d+")
_DIGITS = re.compile(r"[0-9a-fA-F]{2}")


def may_be_row(line: str) -> bool:
    """A cheap question that most lines answer with no."""
    return bool(_ROW.fullmatch(line) or _logged(line) or _NUMBERS.fullmatch(line) or _CODED.fullmatch(line))


def _logged(line: str) -> re.Match[str] | None:
    """The bytes at the end of a line of a log, behind its prefix; a few only behind an offset."""
    for found in _LOGGED.finditer(line):
        enough = _is_long(found) or _OFFSET.search(line, 0, found.start("bytes")) is not None
        if enough and not _TIME.search(found["bytes"]):
            return found
    return None


def _is_long(found: re.Match[str]) -> bool:
    return len(_DIGITS.findall(found["bytes"])) >= FEWEST


class KeyDumps:
    """Lines in their order, those that are rows of a key with a mark for their bytes. Give it every line of a text, one after the other."""

    def __init__(self) -> None:
        self._rows = 0
        """Rows so far below a line that names a key; -1 below any other line."""
        self._private = self._list = False
        self._heading = ""

    def shown(self, line: str) -> str:
        """The line, or what stands for it."""
        if self._private:
            self._private = "-----END" not in line
            return self._marked(_CODED.fullmatch(line), line)
        if self._heading or self._rows > 0:
            found = self._row(line)
            if found is not None and self._rows < MOST_ROWS:
                self._rows += 1
                return self._marked(found, line)
            if not line.strip() and not self._rows:
                return line
        self._begin(line)
        return line

    def _begin(self, line: str) -> None:
        self._rows = 0
        self._private = bool(_PRIVATE.search(line))
        self._heading = line if names_secret(line) else ""
        self._list = self._heading != "" and line.rstrip().endswith("[")

    def _row(self, line: str) -> re.Match[str] | None:
        if self._list:
            return _NUMBERS.fullmatch(line) or _ROW.fullmatch(line)
        found = _ROW.fullmatch(line)
        if found is not None:
            return found if _is_long(found) or self._rows else None
        found = _logged(line) if self._rows or _ENDS_AS_HEADING.search(self._heading) else None
        if found is None or not (self._rows or _is_long(found)):
            return None
        return found if self._has_prefix(line[: found.start("bytes")]) else None

    def _has_prefix(self, before: str) -> bool:
        """What stands before a row's bytes is what the line that names the key begins with, but for its numbers, and an offset."""
        prefix = _NUMBER.sub("0", _COUNT.sub("", before).rstrip())
        return _NUMBER.sub("0", self._heading).startswith(prefix)

    @staticmethod
    def _marked(found: re.Match[str] | None, line: str) -> str:
        if found is None:
            return line
        return line[: found.start("bytes")] + mark_of("".join(found["bytes"].split()).lower())


def without_key_dumps(lines: Iterable[str]) -> Iterator[str]:
    """All lines of a text."""
    dumps = KeyDumps()
    return map(dumps.shown, lines)
