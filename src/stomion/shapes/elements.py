"""Elements that say by their content or by an attribute what others say by their name: `<key>peer</key><string>192.0.2.1</string>`,
`<option name="peer">192.0.2.1</option>`, `<entry type="tunnel">`."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.shapes.statement import Statement, statement

_KEYS = frozenset({"key", "k"})
_SETTINGS = frozenset({
    "setting", "param", "parameter", "property", "prop", "option", "opt", "field", "attr", "attribute", "value", "var", "variable",
    "string", "leaf", "data", "pair", "item", "entry", "add",
})  # fmt: skip
"""Elements that are one key and its value, and say the key in an attribute."""
_BLOCKS = frozenset({
    "section", "group", "block", "node", "object", "entry", "item", "record", "element", "container", "table", "list", "obj", "module",
})  # fmt: skip
_ROOTS = frozenset({"plist", "dict", "root", "document", "data", "config", "configuration", "settings", "export"})
_NAMES = frozenset({"name", "key", "id", "n", "field", "label"})
_TYPES = frozenset({"type", "kind", "class"})


def unwrapped(top: list[Statement]) -> list[Statement]:
    """What an element that holds the whole text, and says nothing of it, holds."""
    while len(top) == 1 and top[0].kids and not top[0].words[1:] and (not top[0].words or _is(top[0], _ROOTS)):
        top = top[0].kids
    return top


def plain(one: Statement) -> Statement:
    """The same with every key at the head of its value, all the way down; as deep as elements are read."""
    kids = [plain(kid) for kid in one.kids]
    return _named(Statement(one.words, one.line, _paired(kids), one.quoted))


def _paired(kids: Sequence[Statement]) -> list[Statement]:
    """Keys and values that stand behind one another, put together."""
    keys = kids[::2]
    if not kids or len(kids) % 2 or any(not _is(kid, _KEYS) or kid.kids or len(kid.words) == 1 for kid in keys):
        return list(kids)
    return [_valued(key, value) for key, value in zip(keys, kids[1::2], strict=True)]


def _valued(key: Statement, value: Statement) -> Statement:
    """A key with its value: a text, a block, or a list of these."""
    words = value.words[1:] or (value.words if not value.kids else ())
    items = [Statement((), kid.line, kid.kids) for kid in value.kids if kid.kids]
    listed = tuple(word for kid in value.kids if not kid.kids for word in kid.words[1:])
    if value.kids and items and not listed and all(_is_container(kid) for kid in value.kids):
        return Statement(key.words[1:], key.line, items)
    if value.kids and not items and listed and len({kid.words[0] for kid in value.kids}) == 1:
        return Statement((*key.words[1:], *listed), value.kids[0].line)
    return Statement((*key.words[1:], *words), key.line if value.kids else value.line, list(value.kids))


def _is_container(kid: Statement) -> bool:
    return len(kid.words) == 1 and bool(kid.kids)


def _named(one: Statement) -> Statement:
    """An element of no meaning of its own, by its attribute."""
    said = {kid.words[0].lower(): kid for kid in one.kids if len(kid.words) > 1 and not kid.kids}
    name = next((said[key] for key in said if key in _NAMES), None)
    if _is(one, _SETTINGS) and name is not None:
        value = said.get("value")
        if len(one.words) > 1 and len(one.kids) == 1:
            return Statement((*name.words[1:], *one.words[1:]), one.line)
        if value is not None and len(one.words) == 1 and len(one.kids) == len((name, value)):
            return Statement((*name.words[1:], *value.words[1:]), one.line)
    kind = next((said[key] for key in said if key in _TYPES), None)
    if _is(one, _BLOCKS) and len(one.words) == 1 and (kind or name) is not None:
        head = kind or name
        kids = [kid for kid in one.kids if kid is not head]
        if kids and head is not None and (kind is not None or any(kid.kids for kid in kids)):
            return Statement(statement(" ".join(head.words[1:]), one.line).words, one.line, kids)
    return one


def _is(one: Statement, names: frozenset[str]) -> bool:
    return bool(one.words) and one.words[0].lower() in names
