"""The shape of a configuration: statements within statements, from braces, sections, indentation or lines of commands alike."""

from __future__ import annotations

import contextlib
import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field

MAX_LINES = 20_000
"""Of a configuration; what stands beyond is not read."""
MAX_STATEMENTS = 20_000
MAX_DEPTH = 24
SEVERAL = 3
"""Lines that end with a semicolon from which on it ends every statement."""
_COMMENT = re.compile(r"^\s*(?:[!#;]|//|--\s|rem\s)", re.IGNORECASE)
_TAIL_COMMENT = re.compile(r"\s(?:#|//|!)\s.*$")
_SECTION = re.compile(r"^\s*\[([^\[\]]{1,200})\]\s*$")
_TOKEN = re.compile(r"\"[^\"\n]*\"|'[^'\n]*'|<[-=]+>|[-=]+>|={2,3}|[{}()\[\],;]|[^\s{}()\[\],;\"']+")
_END = frozenset({"exit", "end", "next", "quit", "commit"})


@dataclass(slots=True)
class Statement:
    """`words` are its tokens without brackets, commas and the signs between a key and its value; those that stood in quotes are in
    `quoted` by their place."""

    words: tuple[str, ...]
    line: int
    kids: list[Statement] = field(default_factory=list)
    quoted: frozenset[int] = frozenset()

    def leaves(self, above: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], Statement]]:
        """(words of the statements it stands in, statement) of everything inside that holds nothing itself."""
        for kid in self.kids:
            if kid.kids:
                yield from kid.leaves((*above, *kid.words))
            else:
                yield above, kid


def statements_of(text: str) -> list[Statement]:
    """The top of a configuration."""
    start = text.lstrip()[:1]
    if start == "{":
        with contextlib.suppress(ValueError, RecursionError):
            return _from_data(json.loads(text))
    if start == "<":
        return _tagged(_without_comments(text, "<!--", "-->")[0])
    text = "\n".join(text.split("\n")[:MAX_LINES])
    text, tail = _without_comments(text.replace("\r\n", "\n").replace("\t", "    "), "/*", "*/")
    text += tail
    lines = [
        (n, "" if _COMMENT.match(line) else _TAIL_COMMENT.sub("", line)) for n, line in enumerate(text.split("\n"), 1)
    ]
    opened = sum(line.rstrip().endswith("{") for _, line in lines)
    if opened > 1:
        return _braces(lines)
    if sum(_SECTION.match(line) is not None for _, line in lines) > 1:
        return _sections(lines)
    return _indented(lines)


def _statement(text: str, line: int) -> Statement:
    words: list[str] = []
    quoted: set[int] = set()
    for token in _TOKEN.findall(text):
        if token[:1] in "\"'":
            quoted.add(len(words))
            words.append(token[1:-1])
        elif token not in "{}()[],;":
            words += _parted(token)
    return Statement(tuple(words), line, quoted=frozenset(quoted))


def _parted(token: str) -> list[str]:
    """`key=value` and `key:` are two and one; a colon inside an address, a service or a time stays."""
    if token[-1:] == ":" and len(token) > 1 and not re.fullmatch(r"[0-9a-fA-F:]+::", token):
        return [token[:-1]]
    key, sign, value = token.partition("=")
    if sign and key and not re.fullmatch(r"[-=<>!]+", token):
        return [key, *([value] if value else [])]
    return [] if token in (":", "=", ":=") else [token]


def _sections(lines: list[tuple[int, str]]) -> list[Statement]:
    out: list[Statement] = []
    for number, line in lines:
        head = _SECTION.match(line)
        if head:
            out.append(_statement(head[1], number))
        elif line.strip():
            (out[-1].kids if out else out).append(_keyed(line, number))
        if len(out) > MAX_STATEMENTS:
            break
    return out


def _keyed(line: str, number: int) -> Statement:
    """`Key = a value with any signs`."""
    key, sign, value = line.partition("=")
    if not sign:
        return _statement(line, number)
    rest = _statement(value, number)
    first = key.strip().strip("\"'")
    return Statement((first, *rest.words), number, quoted=frozenset(n + 1 for n in rest.quoted))


def _indented(lines: list[tuple[int, str]]) -> list[Statement]:
    out: list[Statement] = []
    open_: list[tuple[int, Statement]] = []
    for count, (number, line) in enumerate(lines):
        if not line.strip() or line.strip().lower() in _END or count > MAX_STATEMENTS:
            continue
        depth = len(line) - len(line.lstrip())
        body = line.lstrip()
        while open_ and _is_over(open_[-1], depth, body[:2] == "- "):
            open_.pop()
        while body[:2] == "- ":
            if not re.match(r"- +(?:- |[\w.-]+:(?:\s|$))", body):
                body = body[2:].lstrip()
                break
            # An item that holds keys of its own is a block without a name.
            item = Statement((), number)
            _under(open_, out).append(item)
            open_.append((depth, item))
            rest = body[2:].lstrip()
            depth += len(body) - len(rest)
            body = rest
        found = _statement(body, number)
        if not found.words:
            continue
        _under(open_, out).append(found)
        if len(open_) < MAX_DEPTH:
            open_.append((depth, found))
    return out


def _is_over(held: tuple[int, Statement], depth: int, item: bool) -> bool:
    """Does a line end what stands open? An item may stand as deep as the key that it is under, but not within another item."""
    return held[0] > depth or (held[0] == depth and (not item or not held[1].words))


def _under(open_: list[tuple[int, Statement]], out: list[Statement]) -> list[Statement]:
    return open_[-1][1].kids if open_ else out


_TAG = re.compile(
    r"<(?P<close>/)?(?P<name>[A-Za-z][\w:.-]{0,80})(?P<attributes>(?:\s+[\w:.-]+\s*=\s*(?:\"[^\"]*\"|'[^']*'))*)\s*(?P<empty>/)?>|<[!?][^>]*>"
)
_ATTRIBUTE = re.compile(r"(?<![\w:.-])([\w:.-]+)\s*=\s*(?:\"([^\"]*)\"|'([^']*)')")


def _without_comments(text: str, begin: str, close: str) -> tuple[str, str]:
    """The text with its comments reduced to the line breaks that they hold, and what a comment without an end takes of it."""
    out, at = [], 0
    while (start := text.find(begin, at)) >= 0:
        out.append(text[at:start])
        end = text.find(close, start + len(begin))
        if end < 0:
            return "".join(out), text[start:]
        out.append("\n" * text.count("\n", start, end))
        at = end + len(close)
    return "".join(out) + text[at:], ""


def _tagged(text: str) -> list[Statement]:
    """Elements as blocks; attributes and elements with a text alone are keys and values."""
    out: list[Statement] = []
    open_: list[Statement] = []
    at, line = 0, 1
    for m in _TAG.finditer(text):
        inner = " ".join(text[at : m.start()].split())
        line += text.count("\n", at, m.end())
        at = m.end()
        if inner and open_ and not open_[-1].kids:
            open_[-1].words += _statement(inner, line).words
        if m["name"] is None:
            continue
        if m["close"]:
            if open_:
                open_.pop()
            continue
        kids = [_keyed(f"{k}={a or b}", line) for k, a, b in _ATTRIBUTE.findall(m["attributes"])]
        found = Statement((m["name"],), line, kids)
        (open_[-1].kids if open_ else out).append(found)
        if not m["empty"] and len(open_) < MAX_DEPTH:
            open_.append(found)
    return out


def _from_data(data: object, depth: int = 0) -> list[Statement]:
    """JSON: objects as blocks, lists of objects as blocks without a name, everything else as a key and its values."""
    if not isinstance(data, dict) or depth > MAX_DEPTH:
        return []
    out = []
    for key, value in data.items():
        if isinstance(value, dict):
            out.append(Statement((key,), 1, _from_data(value, depth + 1)))
        elif isinstance(value, list) and any(isinstance(v, dict) for v in value):
            out.append(Statement((key,), 1, [Statement((), 1, _from_data(v, depth + 1)) for v in value]))
        else:
            values = value if isinstance(value, list) else [value]
            out.append(Statement((key, *(_plain(v) for v in values if v is not None)), 1))
    return out


def _plain(value: object) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _braces(lines: list[tuple[int, str]]) -> list[Statement]:
    """Blocks in braces; a pair of braces on one line without a statement's end inside is a list of values."""
    ends = sum(line.rstrip().endswith(";") for _, line in lines) >= SEVERAL
    out: list[Statement] = []
    open_: list[Statement] = []
    buffer, began, values = "", 0, 0
    for number, line in lines:
        for at, sign in _signs(line):
            if not buffer.strip():
                began = number
            if sign == "{" and not _is_list(line, at):
                block = _statement(buffer, began)
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
    found = _statement(buffer, line)
    if found.words and len(out) < MAX_STATEMENTS:
        (open_[-1].kids if open_ else out).append(found)
