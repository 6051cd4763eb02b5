"""A configuration's text to a draft of the site sheet, with what was not understood by its lines."""

from __future__ import annotations

import contextlib
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from stomion.drafts import words as w
from stomion.drafts.algorithms import kind_of, lifetime_of, offered, phase_of, told_phase, values_of, with_shared
from stomion.drafts.joined import joined
from stomion.drafts.keys import with_whole_keys
from stomion.drafts.kinds import IKE_ALONE, ORDERS, kind_word
from stomion.drafts.lists import with_lists
from stomion.drafts.objects import things_of
from stomion.drafts.roles import PORT
from stomion.drafts.rules import calling_keys, filter_of, route_of, translation_of
from stomion.drafts.said import Names
from stomion.drafts.services import with_ports
from stomion.drafts.things import HEAD, Thing
from stomion.drafts.tunnels import Suites, tunnel_of
from stomion.model.site import SheetInterface, SheetProposal, SiteSheet
from stomion.shapes.statement import Statement
from stomion.shapes.text import MAX_LINES, statements_of
from stomion.space.axis import is_address

MOST_OF_A_NAME = 1_000
"""Networks or services that one name stands for; groups of groups could double without end."""


@dataclass(frozen=True, slots=True)
class Draft:
    """`left` are the lines of which nothing came into the sheet, each with its first word alone: the rest may be a secret."""

    sheet: SiteSheet
    left: tuple[tuple[int, str], ...]
    cut: bool = False
    """Was the text longer than what is read of one?"""
    things: Mapping[str, Sequence[Thing]] = field(default_factory=dict)
    """What each kind of table was made of, in the order of the tables; under `site` what may name the gateway."""
    named: Mapping[str, Thing] = field(default_factory=dict)
    """What others may speak of by name."""


def draft_of(text: str) -> Draft:
    """Read a configuration of any shape."""
    top = _without_verb(statements_of(text))
    _plain(top)
    with_whole_keys(top)
    things = with_lists(things_of(top))
    names = Names()
    made: dict[str, list[Thing]] = {"site": [t for t in things if t.kind == "system"]}
    interfaces = []
    for thing in things:
        if thing.kind == "interface" and (interface := _interface(thing)) is not None:
            interfaces.append(interface)
            made.setdefault("interface", []).append(thing)
    names.cards = {i.name: i.addresses for i in interfaces}
    names.interfaces = {t.name for t in things if t.kind == "interface" and t.name}
    names.lists = {t.name for t in things if t.name and t.kind in ("block", "filter", "network-group")}
    names.zones = {i.zone for i in interfaces if i.zone}
    names.addresses = {a.partition("/")[0]: a for i in interfaces for a in i.addresses}
    _named(things, names)
    names.calling = calling_keys(things, names)
    suites = _suites(things)
    used: set[int] = set()

    def kept(found: Iterable[tuple[Thing, object]]) -> list[object]:
        out = []
        for thing, one in found:
            if one is not None:
                out.append(one)
                made.setdefault(thing.kind, []).append(thing)
                used.update(_lines(thing))
        return out

    tunnels = kept(
        (t, tunnel_of(t, names, suites)) for t in joined(things, {*suites, *names.networks, *names.interfaces})
    )
    routes = kept((t, route_of(t, names)) for t in things if t.kind == "route")
    translations = kept((t, translation_of(t, names)) for t in things if t.kind == "translation")
    filters = kept((t, filter_of(t, names)) for t in things if t.kind == "filter")
    for thing in things:
        if thing.kind in ("interface", "network", "network-group", "service", "proposal", "system"):
            used.update(_lines(thing))
    sheet = SiteSheet(
        _site(things, top), True, tuple(interfaces), tuple(tunnels), tuple(routes), tuple(translations), tuple(filters),  # type: ignore[arg-type]
    )  # fmt: skip
    named = {t.name: t for t in things if t.name and t.kind in _SPOKEN_OF}
    if len({t.line for t in things}) == 1:
        # Data that was decoded as a whole has no lines.
        made = {}
    return Draft(sheet, tuple(_left(top, used)), text.count("\n") > MAX_LINES, made, named)


def _without_verb(top: list[Statement]) -> list[Statement]:
    """Lines of commands without the verb that each of them begins with, were it one that nobody knows."""
    first = Counter(one.words[0] for one in top if len(one.words) > len(("put", "KEY")) and not one.kids)
    word, count = first.most_common(1)[0] if first else ("", 0)
    if count < max(FEW, MOST_BEGIN * len(top)) or not word.isalpha() or word.lower() in w.VOCABULARY | ORDERS:
        return top
    return [one.after(1) if one.words[:1] == (word,) else one for one in top]


FEW = 5
"""Lines of commands from which on they are a text of commands."""
MOST_BEGIN = 0.9
"""Of the lines begin with the verb."""


def _plain(top: list[Statement]) -> None:
    """Every statement without the words that only stand between an address and its mask."""
    todo = list(top)
    while todo:
        statement = todo.pop()
        if statement.kids and len(statement.words) > 1 and statement.words[-1].lower() == "is":
            statement.words = statement.words[:-1]
        if any("," in statement.words[n] for n in statement.quoted if n < len(statement.words)):
            _part_lists(statement)
        if any(word.lower() in w.NETMASK for word in statement.words):
            statement.words = w.without_mask_words(statement.words)
        todo += statement.kids


_LISTED = re.compile(r"[\w./:-]+(?:\s*,\s*[\w./:-]+)+")


def _part_lists(statement: Statement) -> None:
    """`"A, B"` in quotes as the values that they are."""
    words: list[str] = []
    quoted: list[int] = []
    for n, word in enumerate(statement.words):
        values = re.split(r"\s*,\s*", word) if n in statement.quoted and _LISTED.fullmatch(word) else [word]
        quoted += [len(words)] if n in statement.quoted and len(values) == 1 else []
        words += values
    statement.words, statement.quoted = tuple(words), frozenset(quoted)


_SPOKEN_OF = frozenset(("network", "network-group", "service", "proposal", "interface"))


def _lines(thing: Thing) -> set[int]:
    found = {thing.line}
    todo = list(thing.body)
    while todo:
        statement = todo.pop()
        found.add(statement.line)
        todo += statement.kids
    return found


def _left(top: list[Statement], used: set[int]) -> Iterable[tuple[int, str]]:
    todo = list(reversed(top))
    while todo:
        statement = todo.pop()
        if statement.line not in used and statement.words and not statement.kids:
            yield statement.line, _shown(statement.words)
        todo += reversed(statement.kids)


_PLAIN = re.compile(r"[A-Za-z][A-Za-z_.-]{0,23}")


def _shown(words: tuple[str, ...]) -> str:
    """A line's first word, where it is a plain key with something behind it: a line of one word, or of signs, may be a key or a part of
    one."""
    return words[0] if len(words) > 1 and _PLAIN.fullmatch(words[0]) else "a line"


def _calls_itself(top: list[Statement]) -> str:
    """`identify as NAME`, at the top of the text."""
    told = (s.words for s in top if not s.kids and 1 < len(s.words) < HEAD and s.words[0].lower() in _CALLED)
    return next((words[-1] for words in told if not w.is_value(words[-1])), "")


def _first_name(top: list[Statement]) -> str:
    """What the first block is called by a word for a name, if it is of no known kind and holds neither blocks nor networks."""
    first = next((s for s in top if s.kids), None)
    if (
        first is None
        or not 0 < len(first.words) < HEAD
        or any(map(kind_word, first.words))
        or any(kid.kids for kid in first.kids)
    ):
        return ""
    if any(map(w.network_of, (word for kid in first.kids for word in kid.words))):
        return ""
    told = (kid.words for kid in first.kids if len(kid.words) > 1 and w.bag(kid.words[:-1]) & w.NAME)
    return next((words[-1] for words in told if not w.is_value(words[-1])), "")


_CALLED = frozenset({"identify", "identity", "called", "known", "named", "identifies"})


def _titled(top: list[Statement]) -> str:
    """The last word of the text's first line, if one for a gateway stands before it: `Configuration of unit NAME`."""
    words = top[0].words if top else ()
    if len(words) == 1:
        alone = len(top) == 1 and top[0].kids and words[0].lower() not in w.VOCABULARY and not w.is_value(words[0])
        alone = alone and not _is_title(words[0])
        return words[0] if alone else ""
    before = [word.lower() for word in words[:-1]]
    told = before[-1:] and (before[-1] in _GATEWAY or (before[-1] in ("of", "for") and set(before) & _EXPORTED))
    return words[-1] if told and not (w.is_value(words[-1]) or _is_title(words[-1])) else ""


def _site(things: list[Thing], top: list[Statement]) -> str:
    """What the gateway calls itself: by a word for a name, else beside the word for the gateway at the head of its block."""
    systems = [thing for thing in things if thing.kind == "system"]
    for thing in systems:
        if set(w.parts_of(thing.label)) & (w.NAME | {"is"}) and thing.name:
            return thing.name
        for statement in thing.body:
            key = {part for word in statement.words[:-1][:2] for part in w.parts_of(word)}
            if key & (w.NAME | _GATEWAY) or key == {"id"}:
                words = statement.words
                return words[-1] if words[1].lower() in _FILLERS | w.NAME else words[1]
    named = next((thing.name for thing in systems if thing.name and not thing.label and not _is_title(thing.name)), "")
    alone = (t for t in things if t.label.lower() in _GATEWAY | {"host"} and not any(s.words or s.kids for s in t.body))
    return (
        named
        or next((thing.name for thing in alone if not w.is_value(thing.name)), "")
        or _calls_itself(top)
        or _first_name(top)
        or _titled(top)
    )


_GATEWAY = frozenset({"unit", "box", "gateway", "node", "device", "station", "appliance"})
_EXPORTED = frozenset({"configuration", "config", "settings", "export", "backup", "setup"})
_FILLERS = frozenset({"of", "the", "this", "is", *_GATEWAY})


def _is_title(word: str) -> bool:
    """`settings`, `gatewayConfig`: what the text is, and no name."""
    parts = set(w.parts_of(word))
    return bool(parts) and parts <= _GATEWAY | _EXPORTED


def _interface(thing: Thing) -> SheetInterface | None:
    addresses: list[str] = []
    zone, name, bare = "", thing.name, ""
    for _, statement in thing.leaves():
        words = statement.words
        length = set(w.parts_of(words[0])) & (w.NETMASK | {"prefix"}) if words else set()
        if length and bare and (found := w.interface_address(bare, words[-1])):
            addresses.append(found)
            continue
        for number, word in enumerate(words):
            following = words[number + 1] if number + 1 < len(words) else ""
            found = w.interface_address(word, following) if w.is_mask(following) else w.interface_address(word)
            if found:
                addresses.append(found)
            elif bare and number and w.is_mask(word) and set(w.parts_of(words[number - 1])) & w.NETMASK:
                addresses.append(w.interface_address(bare, word))
            elif is_address(word) and not w.is_mask(word):
                bare = word
        parts = set(w.parts_of(words[0])) if words else set()
        if parts & w.ZONE and len(words) > 1:
            zone = words[-1]
        elif len(words) > 1 and any(word.lower() in w.ZONE for word in words[:-1]):
            zone = zone or next(words[n + 1] for n, word in enumerate(words[:-1]) if word.lower() in w.ZONE)
        elif not name and parts & w.NAME and len(words) > 1:
            name = words[1]
    return SheetInterface(name, tuple(dict.fromkeys(addresses)), zone) if name and addresses else None


def _named(things: list[Thing], names: Names) -> None:
    """Names of networks and services; groups may hold names that come later."""
    for _ in range(3):
        for thing in things:
            words = [word for _, s in thing.leaves() for word in s.words]
            if thing.kind in ("network", "network-group") and thing.name and not w.is_value(thing.name):
                found = tuple(dict.fromkeys(_networks(words, names)))
                if found:
                    names.networks[thing.name] = found[:MOST_OF_A_NAME]
            elif thing.kind == "service" and thing.name:
                services = _services_named([s.words for _, s in thing.leaves()], names)
                if services:
                    names.services[thing.name] = services[:MOST_OF_A_NAME]


def _services_named(lines: list[tuple[str, ...]], names: Names) -> tuple[str, ...]:
    """What a name of services stands for; protocols and ports may stand apart."""
    words = [word for line in lines for word in line]
    found = [
        x for word in words for x in names.services.get(word) or ((w.service_of(word),) if w.service_of(word) else ())
    ]
    ports = [
        word
        for line in lines
        if w.bag(line[:1]) & w.PORTS and not w.bag(line) & w.SOURCE
        for word in line[1:]
        if PORT.fullmatch(word)
    ]
    return with_ports(dict.fromkeys(found), ports)


def _networks(words: list[str], names: Names) -> tuple[str, ...]:
    found: list[str] = []
    skip = 0
    for number, word in enumerate(words):
        following = words[number + 1] if number + 1 < len(words) else ""
        if skip:
            skip -= 1
        elif word in names.networks:
            found += names.networks[word]
        elif network := w.masked(word, following):
            found.append(network)
            skip = 1
        elif is_address(word) and is_address(following) and number and words[number - 1].lower() == "range":
            found.append(f"{word}-{following}")
            skip = 1
        elif is_address(word) and following in ("-", "to") and number + 2 < len(words):
            found.append(f"{word}-{words[number + 2]}")
            skip = 2
        elif w.network_of(word):
            found.append(w.network_of(word))
    return tuple(found)


def _suites(things: list[Thing]) -> Suites:
    out: Suites = {}
    for thing in things:
        if thing.kind != "proposal" or not thing.name:
            continue
        phase = (
            phase_of([thing.label])
            or (1 if thing.label.lower() in IKE_ALONE else None)
            or told_phase(thing.body)
            or phase_of([thing.name])
        )
        protocol = "IKE" if phase == 1 else "ESP"
        with contextlib.suppress(ValueError):
            out.setdefault(thing.name, []).extend((phase, found) for found in _each_offered(thing.body, protocol))
    return out


def _each_offered(body: list[Statement], protocol: str) -> tuple[SheetProposal, ...]:
    """The proposals of a named block: one for each block within, with what is said of all of them; else the one that it is."""
    blocks = [kid for kid in body if kid.kids and not kind_of(kid.words)]
    each = [found for kid in blocks if (found := offered(kid.kids, protocol)) is not None]
    if not each:
        alone = offered(body, protocol)
        return (alone,) if alone is not None else ()
    life: int | None = None
    group: tuple[str | int, ...] = ()
    for statement in body:
        kind = kind_of(statement.words)
        if kind == "lifetime":
            life = lifetime_of(statement.words) or life
        elif kind == "group":
            group = values_of(kind, statement.words[1:], protocol)
    return with_shared(each, group, life)
