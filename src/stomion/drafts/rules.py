"""Routes, translations and filter rules: words say what the value after them is, whatever the order."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from stomion.drafts import words as w
from stomion.drafts.objects import Thing
from stomion.drafts.shape import Statement
from stomion.model.site import SheetFilter, SheetMatch, SheetRoute, SheetTranslation


@dataclass(slots=True)
class Names:
    """What the configuration itself has named."""

    networks: dict[str, tuple[str, ...]] = field(default_factory=dict)
    services: dict[str, tuple[str, ...]] = field(default_factory=dict)
    interfaces: list[str] = field(default_factory=list)
    zones: set[str] = field(default_factory=set)


@dataclass(slots=True)
class _Said:
    """What a rule's words said so far."""

    source: list[str] = field(default_factory=list)
    destination: list[str] = field(default_factory=list)
    service: list[str] = field(default_factory=list)
    loose: list[str] = field(default_factory=list)
    values: dict[str, str] = field(default_factory=dict)
    action: str = ""
    into: str = ""
    """`source_to` or `destination_to`, once an action names it."""
    given: str = ""
    name: str = ""
    ports: list[str] = field(default_factory=list)


_PORT = re.compile(r"\d{1,5}(?:-\d{1,5})?")
_ROLES: tuple[tuple[str, frozenset[str]], ...] = (
    ("source", w.SOURCE), ("destination", w.DESTINATION), ("service", w.SERVICE), ("in_interface", w.ENTERS),
    ("out_interface", w.LEAVES), ("via", w.VIA), ("on", w.ON),
)  # fmt: skip
_MIXED = {
    frozenset({"from", "zone"}): "from_zone", frozenset({"to", "zone"}): "to_zone", frozenset({"src", "zone"}): "from_zone",
    frozenset({"dst", "zone"}): "to_zone", frozenset({"source", "zone"}): "from_zone", frozenset({"destination", "zone"}): "to_zone",
    frozenset({"in", "if"}): "in_interface", frozenset({"out", "if"}): "out_interface", frozenset({"in", "interface"}): "in_interface",
    frozenset({"out", "interface"}): "out_interface", frozenset({"source", "interface"}): "in_interface",
    frozenset({"destination", "interface"}): "out_interface", frozenset({"incoming", "interface"}): "in_interface",
    frozenset({"outgoing", "interface"}): "out_interface", frozenset({"next", "hop"}): "via",
}  # fmt: skip


def _role(word: str) -> str:
    """What the value after a word is."""
    low = word.lower()
    whole = next((role for role, known in _ROLES if low in known), "")
    if whole:
        return whole
    parts = [p for p in w.parts_of(word) if not p.isdecimal()]
    mixed = _MIXED.get(frozenset(parts[:2])) if len(parts) > 1 else None
    if mixed:
        return mixed
    first = parts[0] if parts else ""
    return (
        next((role for role, known in _ROLES if first in known and len(word) > len(first)), "")
        if len(parts) < 3
        else ""
    )


def _tokens(thing: Thing) -> list[tuple[str, bool, bool]]:
    """(word, does it begin a statement, did it stand in quotes) of all that is said of a rule."""
    out: list[tuple[str, bool, bool]] = []

    def add(statement: Statement) -> None:
        out.extend((word, n == 0, n in statement.quoted) for n, word in enumerate(statement.words))
        for kid in statement.kids:
            add(kid)

    for statement in thing.body:
        add(statement)
    return out


def _scan(thing: Thing, names: Names) -> _Said:
    said = _Said()
    role = ""
    tokens = _tokens(thing)
    begun = False
    skip = False
    for number, (word, starts, quoted) in enumerate(tokens):
        if skip:
            skip = False
            continue
        low = word.lower()
        following = tokens[number + 1][0] if number + 1 < len(tokens) else ""
        network, service = (
            names.networks.get(word) or (w.network_of(word),),
            names.services.get(word) or (w.service_of(word),),
        )
        if low in ("=>", "->", "then", "action", "do", "verdict", "as"):
            role, begun = "action", True
        elif quoted and not begun and not said.name:
            said.name = word
        elif w.is_mask(word):
            continue
        elif network[0] and not (role == "service"):
            if w.is_mask(following) or (word == following == "0.0.0.0"):  # noqa: S104
                network, skip = (w.network_of(f"{word}/{following}"),), True
            _place_network(said, role, network)
            begun = True
        elif (
            service[0]
            and (
                word in names.services
                or "/" in service[0]
                or role in ("service", "source", "destination", "")
                or low in ("icmp", "esp", "ah")
            )
            and role != "action"
        ):
            said.service += service
            begun = True
        elif low in w.PORTS and not starts or (low in w.PORTS and not said.name):
            role = "port"
        elif role == "port" and _PORT.fullmatch(word):
            said.ports.append(word)
            begun = True
        elif role == "name":
            said.name, role = word, ""
        elif low in w.NAME and not said.name:
            role = "name"
        elif _act(said, low, role):
            begun = True
            role = (
                {"source_to": "given", "destination_to": "given"}.get(said.into, "")
                if said.into and not said.given
                else ""
            )
        elif word in names.interfaces and role in ("in_interface", "out_interface", "on", ""):
            said.values.setdefault("interface" if role in ("on", "") else role, word)
        elif low in w.EVERYTHING:
            begun = True
        elif (
            word in names.zones or low in ("inside", "outside", "tunnel", "lan", "wan", "vpn", "internet", "dmz")
        ) and role in ("source", "destination", "from_zone", "to_zone"):
            said.values.setdefault({"source": "from_zone", "destination": "to_zone"}.get(role, role), word)
        elif low == "new":
            role, begun = "new", True
        elif _role(word):
            role, begun = _role(word), True
            if said.into and not said.given and role == "destination":
                role = "given"
        elif role in ("from_zone", "to_zone", "in_interface", "out_interface") and not starts:
            said.values.setdefault(role, word)
            role = ""
        elif not begun and not word.isdecimal() and not said.name:
            said.name = word
        elif low in w.HOLE or low in ("type",):
            said.values["type"] = "blackhole" if low in w.HOLE else said.values.get("type", "")
    return said


def _place_network(said: _Said, role: str, network: tuple[str, ...]) -> None:
    if role == "given" or (said.into and role == "action"):
        said.given = said.given or network[0]
    elif role == "source":
        said.source += network
    elif role == "destination":
        said.destination += network
    elif role == "via":
        said.values.setdefault("via", network[0])
    else:
        said.loose += network


def _act(said: _Said, word: str, role: str) -> bool:
    """Take a word as the rule's action, where it is one."""
    for action, known in (
        ("exempt", w.EXEMPT),
        ("masquerade", w.HIDE),
        ("allow", w.ALLOW),
        ("reject", w.REJECT),
        ("drop", w.DROP),
    ):
        if word in known:
            said.action = said.action or action
            return True
    if word == "not":
        said.action = said.action or "exempt"
        return True
    if word in ("snat", "source-nat") or (word in ("source", "src") and role in ("action", "new")):
        said.into = "source_to"
        return True
    if word in ("dnat", "destination-nat") or (word in ("destination", "dst", "dest") and role in ("action", "new")):
        said.into = "destination_to"
        return True
    if word == "interface" and role == "action":
        said.action = said.action or "masquerade"
        return True
    return False


def _services(said: _Said) -> tuple[str, ...]:
    """Services, where protocols and ports may stand apart: `protocol tcp … port 443`."""
    found = list(dict.fromkeys(said.service))
    if said.ports and found and all(name in ("tcp", "udp", "sctp") for name in found):
        found = [f"{name}/{port}" for name in found for port in said.ports]
    return tuple(found)


def _match(said: _Said, *, translating: bool = False) -> SheetMatch:
    loose, source = list(said.loose), list(said.source)
    if not source and not said.destination and len(loose) > 1:
        source = [loose.pop(0)]
    destination = said.destination or (loose if source else [])
    out = said.values.get("out_interface") or (said.values.get("interface", "") if translating else "")
    return SheetMatch(
        said.values.get("in_interface", ""), out, said.values.get("from_zone", ""),
        said.values.get("to_zone", ""), tuple(source), tuple(destination), _services(said),
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
    words = {word.lower() for word, _, _ in _tokens(thing)}
    nets = [*said.loose, *said.destination]
    destination = nets[0] if nets else "0.0.0.0/0" if words & w.DEFAULT else ""
    via = said.values.get("via", "")
    if not via and len(nets) > 1 and w.is_address(nets[1]):
        via = nets[1]
    if not destination:
        return None
    if "/" not in destination and "-" not in destination:
        destination += "/32" if ":" not in destination else "/128"
    hole = "blackhole" if words & w.HOLE else ""
    interface = next((said.values[k] for k in ("interface", "out_interface", "in_interface") if k in said.values), "")
    return SheetRoute(destination, via if w.is_address(via) else "", interface, 0, hole)
