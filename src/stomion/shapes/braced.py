"""Texts that say by braces what stands within what."""

from __future__ import annotations

import re
from collections.abc import Iterator

from stomion.shapes.nested import SEVERAL, Lines
from stomion.shapes.statement import MAX_DEPTH, MAX_STATEMENTS, Statement, statement


def braces(lines: Lines) -> list[Statement]:
    """Blocks in braces; a pair of braces on one line without a statement's end inside is a list of values."""
    ends = sum(line.rstrip().endswith(";") for _, line in lines) >= SEVERAL
    out: list[Statement] = []
    open_: list[Statement] = []
    buffer, began, deep, values = "", 0, 0, 0
    for number, line in ((n, _INLINE.sub(_parted_by_commas, line)) for n, line in lines):
        if ends and _HEAD.match(line) and buffer.strip() and _depth(line) <= deep:
            _put(buffer, began, open_, out)
            buffer = ""
        for at, sign in _signs(line):
            if not buffer.strip():
                began, deep = number, _depth(line)
            if sign == "{" and not _is_list(line, at):
                block = statement(buffer, began)
                (open_[-1].kids if open_ else out).append(block)
                if len(open_) < MAX_DEPTH:
                    open_.append(block)
                buffer = ""
            elif sign == "{":
                values += 1
                buffer += " "
            elif sign == "}" and values:
                values -= 1
                buffer += " "
            elif sign in "};":
                _put(buffer, began, open_, out)
                buffer = ""
                if sign == "}" and open_:
                    open_.pop()
            else:
                buffer += sign
        if not ends:
            _put(buffer, began or number, open_, out)
            buffer = ""
        else:
            buffer += " "
    _put(buffer, began, open_, out)
    return out


_HEAD = re.compile(r"\s*[^\s{};][^{};]*\{\s*$")


def _depth(line: str) -> int:
    return len(line) - len(line.lstrip())


_INLINE = re.compile(r"\{[^{}\n]{1,4000}\}")
_IN_LIST = re.compile(r"\[[^\]]*\]|\"[^\"]*\"|,")


def _parted_by_commas(block: re.Match[str]) -> str:
    """A block on one line whose keys are parted by commas, with semicolons in their place."""
    if re.search(r"[\w-]\s*[=:]\s", block[0]) is None or ";" in block[0]:
        return block[0]
    return _IN_LIST.sub(lambda m: ";" if m[0] == "," else m[0], block[0][:-1]) + ";}"


def _signs(line: str) -> Iterator[tuple[int, str]]:
    """Braces and semicolons outside quotes, and the stretches between them."""
    for m in re.finditer(r"\"[^\"]*\"|'[^']*'|[{};]|[^{};\"']+|[\"']", line):
        yield m.start(), m[0]


def _is_list(line: str, at: int) -> bool:
    inside, close, _ = line[at + 1 :].partition("}")
    return (
        bool(close)
        and ";" not in inside
        and "{" not in inside
        and ("," in inside or not re.search(r"[A-Za-z]{3}", inside))
    )


def _put(buffer: str, line: int, open_: list[Statement], out: list[Statement]) -> None:
    found = statement(buffer, line)
    if found.words and len(out) < MAX_STATEMENTS:
        (open_[-1].kids if open_ else out).append(found)
