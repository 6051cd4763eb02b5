"""Routes, translations and filter rules: words say what the value after them is, whatever the order."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.drafts import words as w
from stomion.drafts.roles import role_of
from stomion.drafts.said import LINE, NEXT, Names, Said
from stomion.drafts.services import with_ports
from stomion.drafts.things import ACTIONS, HEAD, LISTS, Thing
from stomion.model.site import SheetFilter, SheetMatch, SheetRoute, SheetTranslation
from stomion.shapes.statement import Statement
from stomion.space.axis import is_address


def _tokens(thing: Thing, names: Names) -> list[tuple[str, bool]]:
    """(word, did it stand in quotes) of all that is said of a rule."""
    out: list[tuple[str, bool]] = []

    known = ACTIONS | w.SIDES if thing.kind == "translation" else ACTIONS

    def add(statement: Statement) -> None:
        if len(thing.body) >= SEVERAL and not w.is_value(statement.words[0] if statement.words else "0"):
            out.append((acting(statement.words) if 1 < len(statement.words) < HEAD else LINE, False))
        for n, word in enumerate(statement.words):
            if " " in word and any(part.lower() in known for part in word.split()):
                # What is done, in words: "leave alone".
                out.extend((part, False) for part in word.split())
            else:
                out.append((word, n in statement.quoted))
        for kid in statement.kids:
            add(kid)

    def acting(words: tuple[str, ...]) -> str:
        """`disposition source`: under a key that says nothing, the side that is translated."""
        said = (
            thing.kind == "translation" and not role_of(words[0]) and any(word.lower() in w.SIDES for word in words[1:])
        )
        return "action" if said else NEXT

    name = _naming(thing, names)
    for statement in thing.body:
        if statement is name:
            out += [(LINE, False), ("name", False), (statement.words[-1], False)]
        elif not (
            len(statement.words) == len(("No", "3"))
            and statement.words[0].lower() in _COUNTED
            and statement.words[1].isdecimal()
        ):
            add(statement)
    return out


SEVERAL = 2
"""Lines from which on a rule is told by keys and values."""


def _naming(thing: Thing, names: Names) -> Statement | None:
    """The line of a rule's block that names it: by a word for a name in its key, else by one for what it is for, or by a key that calls
    each rule something else."""
    lines = _may_name(thing)
    if len(thing.body) < SEVERAL:
        return None
    for known in (w.NAME, _DESCRIBES):
        for statement in lines:
            if {part for word in statement.words[:-1] for part in w.parts_of(word)} & known:
                return statement
    return next((one for one in lines if one.words[:-1] == names.calling.get(thing.kind)), None)


def _may_name(thing: Thing) -> list[Statement]:
    """The lines of a rule that are a key which says nothing else, and one word."""
    return [
        s
        for s in thing.body
        if not s.kids and 1 < len(s.words) <= len(("known", "as", "NAME")) and not _is_known(s.words)
    ]


def calling_keys(things: Sequence[Thing], names: Names) -> dict[str, tuple[str, ...]]:
    """For each kind of rule the unknown key that stands in several of them, and has another value in each."""
    out: dict[str, tuple[str, ...]] = {}
    taken = {*names.interfaces, *names.zones, *names.networks, *names.services}
    for kind in LISTS - {"route"}:
        said: dict[tuple[str, ...], list[str]] = {}
        for thing in things:
            for one in _may_name(thing) if thing.kind == kind else ():
                said.setdefault(one.words[:-1], []).append(one.words[-1])
        found = [
            key
            for key, values in said.items()
            if len(set(values)) == len(values) >= SEVERAL
            and not any(_is_plain(value) or value in taken for value in values)
        ]
        if len(found) == 1:
            out[kind] = found[0]
    return out


def _is_known(words: tuple[str, ...]) -> bool:
    """Does a word say what is told, or is a value told that is no name?"""
    return w.is_value(words[-1]) or any(word.lower() in _COUNTED | ACTING or role_of(word) for word in words[:-1])


def _is_plain(value: str) -> bool:
    """Is it a setting, a number or what a rule does, and no name?"""
    words = set(value.lower().split())
    return bool(words & (w.DENIED | w.ALWAYS | w.SIDES | w.EVERYTHING | ACTIONS)) or value.isdecimal()


_DESCRIBES = frozenset(
    {"descr", "description", "desc", "comment", "remark", "note", "purpose", "text", "info", "tag", "known"}
)
ACTING = frozenset(
    {
        "action",
        "act",
        "do",
        "then",
        "verdict",
        "target",
        "decision",
        "result",
        "type",
        "order",
        "log",
        "logging",
        "status",
        "state",
        "enabled",
    }
)
_COUNTED = frozenset(
    {
        "no",
        "nr",
        "#",
        "number",
        "id",
        "seq",
        "sequence",
        "order",
        "priority",
        "index",
        "pos",
        "position",
        "rank",
        "line",
    }
)
"""Keys of a rule's place in its list."""


def _scan(thing: Thing, names: Names) -> Said:
    said = Said(names, translating=thing.kind == "translation")
    said.hear(_tokens(thing, names))
    return said


def _match(said: Said, *, translating: bool = False) -> SheetMatch:
    loose, source = list(said.loose), list(said.source)
    if not source and not said.destination and len(loose) > 1:
        source = [loose.pop(0)]
    destination = said.destination or (loose if source else [])
    out = said.values.get("out_interface") or (said.values.get("interface", "") if translating else "")
    # A name that stands for nothing stays one: the sheet's reader says so, and a walk through the rule is uncertain.
    names = said.unresolved()
    services = with_ports(dict.fromkeys(said.service), said.ports)
    return SheetMatch(
        said.values.get("in_interface", ""), out, said.values.get("from_zone", ""), said.values.get("to_zone", ""),
        (*source, *names.get("source", ())), (*destination, *names.get("destination", ())), (*services, *names.get("service", ())),
    )  # fmt: skip


def filter_of(thing: Thing, names: Names) -> SheetFilter | None:
    """A filter rule; None without an action."""
    said = _scan(thing, names)
    action = {"allow": "allow", "reject": "reject", "drop": "drop"}.get(said.action, "")
    return SheetFilter(action, _match(said), said.name or thing.name) if action else None


def translation_of(thing: Thing, names: Names) -> SheetTranslation | None:
    """A translation; None without an action."""
    said = _scan(thing, names)
    if said.into and (said.given or said.loose):
        to = said.given or said.loose.pop()
        return SheetTranslation({said.into: to}, _match(said, translating=True), "")
    if said.action in ("exempt", "masquerade"):
        return SheetTranslation(said.action, _match(said, translating=True), "")
    return None


def route_of(thing: Thing, names: Names) -> SheetRoute | None:
    """A route; None without a destination."""
    said = _scan(thing, names)
    words = {word.lower() for word, _ in _tokens(thing, names)}
    nets = [*said.source, *said.loose, *said.destination]
    destination = nets[0] if nets else "0.0.0.0/0" if words & w.DEFAULT else ""
    via = said.values.get("via", "")
    if not via and len(nets) > 1 and is_address(nets[1]):
        via = nets[1]
    if not destination or (said.unresolved().keys() & {"via"} and not via):
        return None
    if words & w.DEFAULT and is_address(destination) and not via:
        destination, via = "0.0.0.0/0", destination
    if "/" not in destination and "-" not in destination:
        destination += "/32" if ":" not in destination else "/128"
    hole = "blackhole" if words & w.HOLE else ""
    interface = next((said.values[k] for k in ("interface", "out_interface", "in_interface") if k in said.values), "")
    return SheetRoute(destination, via if is_address(via) else "", interface, 0, hole)
