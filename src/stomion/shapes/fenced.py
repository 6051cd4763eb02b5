"""Blocks that one line opens and another closes, or that stand under a title between strokes, brought to indentation and to heads in
brackets."""

from __future__ import annotations

import re

from stomion.shapes.nested import SEVERAL, Lines
from stomion.shapes.statement import MAX_DEPTH

LEAST = 0.25
"""Of a text with such blocks, lines that are neither the first nor the last of one."""
_OPENS = re.compile(r"\s*<([A-Za-z][\w-]{0,60})(\s[^<>=]{0,90})?>\s*")
_CLOSES = re.compile(r"\s*</([A-Za-z][\w-]{0,60})>\s*")
_TITLE = re.compile(r"\s{0,3}([-=*~_+#:])\1{1,79}[ \t]+([^\s\-=*~+#].{0,120}?)[ \t]+\1{2,80}\s*")
_TITLE_OPEN = re.compile(r"([-=*~])\1{2,79}[ \t]+([A-Za-z][^=:]{0,80})")
_WORDS = tuple(
    (re.compile(rf"\s*{begin}\s+(?=[\w\"'])", re.IGNORECASE), re.compile(rf"\s*{end}\b.{{0,80}}", re.IGNORECASE))
    for begin, end in (("begin", "end"), ("start", "stop"), ("start", "end"), ("open", "close"))
)


def without_fences(lines: Lines) -> Lines:
    """`<Tunnel NAME>` … `</Tunnel>` and `BEGIN TUNNEL NAME` … `END` as a head with what stands between indented below it."""
    opens = sum(_OPENS.fullmatch(line) is not None for _, line in lines)
    closes = sum(_CLOSES.fullmatch(line) is not None for _, line in lines)
    tags = sum("<" in line for _, line in lines)
    told = sum(bool(line.strip()) for _, line in lines)
    if closes >= len(("one", "two")) and opens >= closes and tags == opens + closes < told * (1 - LEAST):
        return _deeper(lines, _OPENS, _CLOSES)
    for begin, end in _WORDS:
        begins = sum(begin.match(line) is not None for _, line in lines)
        if begins >= SEVERAL and begins == sum(end.fullmatch(line) is not None for _, line in lines):
            return _deeper(lines, begin, end)
    return lines


def _deeper(lines: Lines, opens: re.Pattern[str], closes: re.Pattern[str]) -> Lines:
    out: Lines = []
    depth = 0
    for number, line in lines:
        if closes.fullmatch(line):
            depth = max(0, depth - 1)
            out.append((number, ""))
            continue
        m = opens.match(line)
        told = line.strip()
        if m is not None:
            told = f"{m[1]}{m[2] or ''}" if opens is _OPENS else line[m.end() :].strip()
        out.append((number, " " * (2 * depth) + told if told else ""))
        if m is not None and depth < MAX_DEPTH:
            depth += 1
    return out


def with_heads(lines: Lines) -> Lines:
    """Titles between strokes, `--- Tunnel NAME ---`, as heads in brackets."""
    found = {number: m for number, line in lines if (m := _TITLE.fullmatch(line) or _TITLE_OPEN.fullmatch(line))}
    if len(found) < len(("one", "two")):
        return lines
    return [(number, f"[{found[number][2].strip()}]" if number in found else line) for number, line in lines]
