"""Texts whose own signs say what stands within what: JSON, elements, and lists in parentheses."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import islice

from stomion.shapes.elements import plain, unwrapped
from stomion.shapes.statement import MAX_DEPTH, MAX_STATEMENTS, Statement, keyed, several, statement

_TAG = re.compile(
    r"<(?P<close>/)?(?P<name>[A-Za-z][\w:.-]{0,80})(?P<attributes>(?:\s+[\w:.-]+\s*=\s*(?:\"[^\"]*\"|'[^']*'))*)\s*(?P<empty>/)?>|<[!?][^>]*>"
)
_ATTRIBUTE = re.compile(r"(?<![\w:.-])([\w:.-]+)\s*=\s*(?:\"([^\"]*)\"|'([^']*)')")
_DATA = re.compile(r"\"(?:[^\"\\\n]|\\.)*\"|[{}\[\],:]|[^\s{}\[\],:\"]+|\n")
_LISTED = re.compile(r"\"[^\"\n]*\"|[()]|;[^\n]*|[^\s()\";]+|\n")
_ESCAPED = re.compile(r"\\(.)")


def tagged(text: str) -> list[Statement]:
    """Elements as blocks; attributes and elements with a text alone are keys and values."""
    out: list[Statement] = []
    open_: list[Statement] = []
    own: dict[int, int] = {}
    """How many attributes each element has; what else it holds are elements."""
    at, line = 0, 1
    for m in _TAG.finditer(text):
        inner = " ".join(text[at : m.start()].split())
        line += text.count("\n", at, m.end())
        at = m.end()
        if inner and open_ and len(open_[-1].kids) == own.get(id(open_[-1]), 0):
            open_[-1].words += statement(inner, line).words
        if m["name"] is None:
            continue
        if m["close"]:
            if open_:
                open_.pop()
            continue
        kids = [keyed((k,), a or b, line) for k, a, b in _ATTRIBUTE.findall(m["attributes"])]
        found = Statement((m["name"],), line, kids)
        own[id(found)] = len(kids)
        (open_[-1].kids if open_ else out).append(found)
        if not m["empty"] and len(open_) < MAX_DEPTH:
            open_.append(found)
    return unwrapped([plain(one) for one in out])


def data(text: str) -> list[Statement]:
    """JSON: objects as blocks, those in a list as blocks without a name, everything else as a key and its values. What breaks off is
    read as far as it goes."""
    read = _Data(list(islice(_tokens(_DATA, text), MAX_STATEMENTS * 8)))
    found = read.value(0)
    return [kid for one in found for kid in one.kids] if isinstance(found, list) else []


class _Data:
    def __init__(self, tokens: list[tuple[str, int]]) -> None:
        self.tokens, self.at = tokens, 0

    def peek(self) -> str:
        return self.tokens[self.at][0] if self.at < len(self.tokens) else ""

    def take(self) -> tuple[str, int]:
        self.at += 1
        return self.tokens[self.at - 1] if self.at <= len(self.tokens) else ("", 0)

    def value(self, depth: int) -> list[Statement] | str | None:
        """An object, or the objects of a list, as blocks; a plain value as its text; a list of these as a statement's words."""
        token, line = self.take()
        if token in ("{", "[") and depth > MAX_DEPTH:
            self.skip()
            return None
        if token == "{":
            return [Statement((), line, self.members(depth + 1))]
        if token == "[":
            return self.items(line, depth + 1)
        return _plain(token)

    def skip(self) -> None:
        """Over what is nested too deeply."""
        deep = 1
        while deep and self.peek():
            deep += {"{": 1, "[": 1, "}": -1, "]": -1}.get(self.take()[0], 0)

    def members(self, depth: int) -> list[Statement]:
        out: list[Statement] = []
        while (token := self.peek()) not in ("", "}"):
            key, line = self.take()
            if token in ("]", ",", ":") or self.peek() != ":":
                continue
            self.take()
            listed = self.peek() == "["
            found = self.value(depth)
            name = _plain(key) or ""
            if not isinstance(found, list):
                out.append(Statement((name, *(several(found) if found is not None else [])), line))
            elif not listed:
                out.append(Statement((name,), line, found[0].kids))
            elif len(found) == 1 and not found[0].kids:
                out.append(Statement((name, *found[0].words), line))
            else:
                out.append(Statement((name,), line, found))
        self.take()
        return out

    def items(self, line: int, depth: int) -> list[Statement]:
        blocks: list[Statement] = []
        plain: list[str] = []
        while (token := self.peek()) not in ("", "]"):
            if token in (",", ":", "}"):
                self.take()
                continue
            found = self.value(depth)
            if isinstance(found, list):
                blocks += found
            elif found is not None:
                plain += several(found)
        self.take()
        return [*blocks, *([Statement(tuple(plain), line)] if plain else [])]


def _plain(token: str) -> str | None:
    if token[:1] == '"':
        return _ESCAPED.sub(r"\1", token[1:-1])
    return None if token == "null" else token


def listed(text: str) -> list[Statement]:
    """Lists in parentheses: the words before the first list within are a block's own."""
    top = Statement((), 1)
    open_ = [top]
    deep = 0
    for token, line in islice(_tokens(_LISTED, text), MAX_STATEMENTS * 8):
        if token[0] == ";":
            continue
        if token == "(":
            if len(open_) >= MAX_DEPTH:
                deep += 1
                continue
            found = Statement((), line)
            open_[-1].kids.append(found)
            open_.append(found)
        elif token == ")":
            if deep:
                deep -= 1
            elif len(open_) > 1:
                open_.pop()
        elif token[0] == '"':
            here = open_[-1]
            here.quoted |= {len(here.words)}
            here.words += (token[1:-1],)
        else:
            open_[-1].words += (token,)
    return top.kids


def _tokens(pattern: re.Pattern[str], text: str) -> Iterator[tuple[str, int]]:
    """(token, its line)."""
    line = 1
    for m in pattern.finditer(text):
        if m[0] == "\n":
            line += 1
        else:
            yield m[0], line
