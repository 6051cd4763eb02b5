"""Texts that say by braces, sections or indentation what stands within what."""

from __future__ import annotations

import re
from collections.abc import Iterator

from stomion.shapes.statement import MAX_DEPTH, MAX_STATEMENTS, Statement, keyed, statement, with_pairs

SEVERAL = 3
"""Lines that end with a semicolon from which on it ends every statement."""
SECTION = re.compile(r"^\s*\[([^\[\]]{1,200})\]\s*$")
_END = frozenset({"exit", "end", "next", "quit", "commit"})
_KEYED_ITEM = re.compile(r"- +(?:- |[\w.-]+:(?:\s|$))")
_KEY = re.compile(r"([A-Za-z][\w .-]{0,40}?)\s*[:=]\s+(.*)")
_TYPES = frozenset({"type", "object", "kind", "record", "entry", "section", "class", "item"})
_PATH = re.compile(r"[\w-]+(?:[./](?:[\w-]+|\"[^\"]*\"))*")
_HEAD_PART = re.compile(r"\"([^\"]*)\"|([\w-]+)")
Lines = list[tuple[int, str]]
"""Each with its number."""


def sections(lines: Lines) -> list[Statement]:
    """Blocks under heads in brackets; a head with dots in it stands under the one that it begins with."""
    out: list[Statement] = []
    known: dict[tuple[str, ...], Statement] = {}
    here: list[Statement] = out
    for count, (number, line) in enumerate(lines):
        head = SECTION.match(line)
        if head:
            here = _under_head(head[1], number, out, known).kids
        elif line.strip():
            here.append(of_line(line, number))
        if count > MAX_STATEMENTS:
            break
    return out


def _under_head(head: str, number: int, out: list[Statement], known: dict[tuple[str, ...], Statement]) -> Statement:
    path = tuple(a or b for a, b in _HEAD_PART.findall(head)) if _PATH.fullmatch(head.strip()) else ()
    if len(path) < len(("tunnel", "NAME")):
        out.append(statement(head, number))
        return out[-1]
    here = out
    for length in range(1, min(len(path), MAX_DEPTH) + 1):
        key = path[:length]
        if key not in known or (length == len(path) and known[key].kids and not key[-1].isdecimal()):
            known[key] = Statement(() if key[-1].isdecimal() else (key[-1],), number)
            here.append(known[key])
        here = known[key].kids
    return known[path[:MAX_DEPTH]]


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


def closed(lines: Lines) -> list[Statement] | None:
    """Blocks that a line opens and `end` or `exit` closes, without indentation; None where the text has none."""
    told = [line for _, line in lines if line.strip()]
    ends = sum(line.split()[0].lower() in _END for line in told)
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
        if first in _END:
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
    return keyed((key.strip().strip("\"'"),), value, number) if sign else statement(line, number)


def indented(lines: Lines) -> list[Statement]:
    """Blocks of lines that stand deeper than the one before; `- ` begins an item of a list."""
    out: list[Statement] = []
    open_: list[tuple[int, Statement, bool]] = []
    for count, (number, line) in enumerate(lines):
        if not line.strip() or line.strip().lower() in _END or count > MAX_STATEMENTS:
            continue
        depth = len(line) - len(line.lstrip())
        body = line.lstrip()
        while open_ and _is_over(open_[-1], depth, body[:2] == "- "):
            open_.pop()
        item = body[:2] == "- "
        while body[:2] == "- ":
            if len(open_) >= MAX_DEPTH or not _KEYED_ITEM.match(body):
                body = body[2:].lstrip()
                break
            # An item that holds keys of its own is a block without a name.
            block = Statement((), number)
            _under(open_, out).append(block)
            open_.append((depth, block, True))
            rest = body[2:].lstrip()
            depth += len(body) - len(rest)
            body, item = rest, False
        found = with_pairs(body, number)
        if not found.words and not found.kids:
            continue
        _under(open_, out).append(found)
        if len(open_) < MAX_DEPTH:
            open_.append((depth, found, item))
    return out


def _is_over(held: tuple[int, Statement, bool], depth: int, item: bool) -> bool:
    """Does a line end what stands open? An item may stand as deep as the key that it is under, but not within another item."""
    return held[0] > depth or (held[0] == depth and (not item or held[2]))


def _under(open_: list[tuple[int, Statement, bool]], out: list[Statement]) -> list[Statement]:
    return open_[-1][1].kids if open_ else out


def braces(lines: Lines) -> list[Statement]:
    """Blocks in braces; a pair of braces on one line without a statement's end inside is a list of values."""
    ends = sum(line.rstrip().endswith(";") for _, line in lines) >= SEVERAL
    out: list[Statement] = []
    open_: list[Statement] = []
    buffer, began, values = "", 0, 0
    for number, line in ((n, _INLINE.sub(_parted_by_commas, line)) for n, line in lines):
        for at, sign in _signs(line):
            if not buffer.strip():
                began = number
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
