"""Texts in which heads say what follows: in brackets, with a rule beneath, by a first line of a kind, or by a line that is closed later."""

from __future__ import annotations

import re

from stomion.shapes.nested import ENDS, SEVERAL, Lines, indented
from stomion.shapes.statement import MAX_DEPTH, MAX_STATEMENTS, Statement, keyed, stated, statement, with_pairs
from stomion.shapes.tables import TABLE, tabled

SECTION = re.compile(r"^\s*\[(?:\[([^\[\]]{1,200})\]|([^\[\]]{1,200}))\]\s*$")
_KEY = re.compile(r"([A-Za-z][\w .-]{0,40}?)\s*[:=]\s+(.*)")
_TYPES = frozenset({"type", "object", "kind", "record", "entry", "section", "class", "item"})
_PATH = re.compile(r"[\w-]+(?:[./](?:[\w-]+|\"[^\"]*\"))*")
_HEAD_PART = re.compile(r"\"([^\"]*)\"|([\w-]+)")


def sections(lines: Lines) -> list[Statement]:
    """Blocks under heads in brackets; a head with dots in it stands under the one that it begins with."""
    out: list[Statement] = []
    known: dict[tuple[str, ...], Statement] = {}
    here: list[Statement] = out
    for count, (number, line) in enumerate(lines):
        head = SECTION.match(line)
        if head:
            if head[1] is not None:
                # `[[tunnel]]` begins one more each time, and what stands under its name from here on is that one's.
                path = tuple(a or b for a, b in _HEAD_PART.findall(head[1]))
                for key in [key for key in known if key[: len(path)] == path]:
                    del known[key]
            here = _under_head(head[1] or head[2], number, out, known).kids
        elif line.strip() and line[0].isspace() and here and not re.search(r"[=:]", line):
            # A value that goes on below its key.
            here[-1].words += statement(line, number).words
        elif line.strip():
            here.append(of_line(line, number))
        if count > MAX_STATEMENTS:
            break
    return out


def _under_head(head: str, number: int, out: list[Statement], known: dict[tuple[str, ...], Statement]) -> Statement:
    path = tuple(a or b for a, b in _HEAD_PART.findall(head)) if _PATH.fullmatch(head.strip()) else _parted(head)
    if len(path) < len(("tunnel", "NAME")):
        out.append(statement(head, number))
        known[path or (head.strip(),)] = out[-1]
        return out[-1]
    here = out
    for length in range(1, min(len(path), MAX_DEPTH) + 1):
        key = path[:length]
        if key not in known or (length == len(path) and known[key].kids and not key[-1].isdecimal()):
            known[key] = Statement(() if key[-1].isdecimal() else statement(key[-1], number).words, number)
            here.append(known[key])
        here = known[key].kids
    return known[path[:MAX_DEPTH]]


def _parted(head: str) -> tuple[str, ...]:
    """The parts of a head behind another sign: `tunnel:NAME:ike`, `Tunnel NAME / IKE`."""
    for sign in (" / ", " > ", " - ", " » ", " | ", ": ", ":", "\\", ">", "|"):
        parts = [part.strip().strip('"') for part in head.split(sign)]
        if len(parts) > 1 and all(parts) and all(re.match(r"[A-Za-z\d]", part) for part in parts):
            return tuple(parts)
    return ()


def without_numbers(lines: Lines) -> Lines:
    """Lines of which nearly each begins with a number that grows, without these."""
    told = [(n, m) for n, line in lines if line.strip() and (m := _LINE_NUMBER.match(line)) is not None]
    numbers = [int(m[1]) for _, m in told]
    full = sum(bool(line.strip()) for _, line in lines)
    if len(told) < MOST_NUMBERED * full or len(told) < SEVERAL or numbers != sorted(set(numbers)):
        return lines
    ends = {n: m.end() for n, m in told}
    return [(n, line[ends.get(n, 0) :]) for n, line in lines]


MOST_NUMBERED = 0.9
_LINE_NUMBER = re.compile(r"\s*(\d{1,6})[.:)]? (?=\S)")
_LEVEL = re.compile(r"(#{1,6}) +(\S.*)")


def marked_down(lines: Lines) -> list[Statement]:
    """Blocks under titles with signs before them, as many as the title is deep."""
    top = Statement((), 0)
    open_: list[tuple[int, Statement]] = [(0, top)]
    here: Lines = []

    def close() -> None:
        tables, rest = tabled(here)
        kids = indented([(n, _BULLET.sub("", line)) for n, line in rest])
        for table in tables:
            # A table under a title alone is that title's own.
            kids += table.kids if table.words == TABLE else [table]
        open_[-1][1].kids.extend(kids)
        here.clear()

    for number, line in lines[:MAX_STATEMENTS]:
        title = _LEVEL.match(line)
        if title is None:
            here.append((number, line))
            continue
        close()
        while open_[-1][0] >= len(title[1]):
            open_.pop()
        found = statement(title[2], number)
        open_[-1][1].kids.append(found)
        open_.append((len(title[1]), found))
    close()
    return top.kids


def stanzas(lines: Lines) -> list[Statement] | None:
    """Blocks parted by empty lines, each of which says in its first line what it is: `Type: tunnel`. None where the text has none."""
    out: list[Statement] = []
    fresh, told, count, odd = True, 0, 0, 0
    for number, line in lines[:MAX_STATEMENTS]:
        if not line.strip():
            fresh = True
            continue
        found = _KEY.match(line)
        if found is None:
            odd += 1
            (out[-1].kids if out and not fresh else out).append(statement(line, number))
            continue
        key, value = found[1], found[2]
        if fresh:
            count += 1
            typed = key.lower() in _TYPES
            told += typed
            out.append(statement(value, number) if typed else Statement((), number))
            fresh = False
            if typed:
                continue
        out[-1].kids.append(keyed((key,), value, number))
    return out if told >= SEVERAL and told * 2 > count and odd <= told else None


def underlined(lines: Lines) -> list[Statement] | None:
    """Blocks under titles with a rule beneath; what stands before the first is at the top. None where the text has none."""
    titles = {n for n in range(len(lines) - 1) if _is_title(lines[n][1], lines[n + 1][1])}
    if len(titles) < len(("one", "two")):
        return None
    out: list[Statement] = []
    here: Lines = []
    head: Statement | None = None

    def close() -> None:
        kids = indented([(n, _BULLET.sub("", line)) for n, line in here])
        if head is None:
            out.extend(kids)
        else:
            head.kids = kids
        here.clear()

    for n, (number, line) in enumerate(lines):
        if n in titles:
            close()
            head = statement(line, number)
            out.append(head)
        elif n - 1 not in titles:
            here.append((number, line))
    close()
    return out


_BULLET = re.compile(r"^\s*[*•+-]\s+")


def _is_title(line: str, below: str) -> bool:
    rule = below.strip()
    return (
        bool(line.strip())
        and not line[0].isspace()
        and len(rule) >= SEVERAL
        and set(rule) in ({"-"}, {"="}, {"~"}, {"_"})
        and len(rule) >= len(line.strip()) // 2
    )


def headed(lines: Lines) -> list[Statement] | None:
    """Blocks parted by empty lines, each under a first line of two words; None where the text has none, or indents anything."""
    told = [line for _, line in lines if line.strip()]
    if any(line[0].isspace() for line in told):
        return None
    blocks: list[list[Statement]] = [[]]
    for number, line in lines[:MAX_STATEMENTS]:
        if line.strip():
            blocks[-1].append(with_pairs(line, number))
        elif blocks[-1]:
            blocks.append([])
    out: list[Statement] = []
    heads = 0
    for block in blocks:
        keys = [one.words[0].lower() for one in block if one.words]
        if len(block) > 1 and len(block[0].words) == len(("tunnel", "NAME")) and keys.count(keys[0]) == 1:
            block[0].kids = block[1:]
            out.append(block[0])
            heads += 1
        else:
            out += block
    return out if heads >= SEVERAL else None


def closed(lines: Lines) -> list[Statement] | None:
    """Blocks that a line opens and `end` or `exit` closes, without indentation; None where the text has none."""
    told = [line for _, line in lines if line.strip()]
    ends = sum(line.split()[0].lower() in ENDS for line in told)
    begins = sum(line.split()[0].lower() == "begin" for line in told)
    if ends < len(("one", "two")) or any(line[0].isspace() for line in told):
        return None
    out: list[Statement] = []
    open_: list[Statement] = []
    fresh = True
    for number, line in lines[:MAX_STATEMENTS]:
        words = line.split()
        if not words:
            fresh = True
            continue
        first = words[0].lower()
        if first in ENDS:
            if open_:
                open_.pop()
            fresh = True
            continue
        opens = first == "begin" if begins else fresh and not open_
        found = with_pairs(line.strip()[len("begin") :] if opens and begins else line, number)
        (open_[-1].kids if open_ else out).append(found)
        if opens and len(open_) < MAX_DEPTH:
            open_.append(found)
        fresh = False
    return out


def of_line(line: str, number: int) -> Statement:
    """`Key = a value with any signs`, or a statement."""
    key, sign, value = line.partition("=")
    return keyed((key.strip().strip("\"'"),), value, number) if sign else stated(line.strip(), number)
