"""Routes, translations and filter rules: words say what the value after them is, whatever the order."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import lru_cache

from stomion.drafts import words as w
from stomion.drafts.objects import Thing
from stomion.model.site import SheetFilter, SheetMatch, SheetRoute, SheetTranslation
from stomion.shapes.statement import Statement
from stomion.space.axis import is_address


@dataclass(slots=True)
class Names:
    """What the configuration itself has named."""

    networks: dict[str, tuple[str, ...]] = field(default_factory=dict)
    services: dict[str, tuple[str, ...]] = field(default_factory=dict)
    interfaces: set[str] = field(default_factory=set)
    zones: set[str] = field(default_factory=set)


@dataclass(slots=True)
class _Said:
    """What a rule's words said so far. `role` is what the next value is, by the last word that tells; `begun` is set once anything but a
    name was said."""

    names: Names
    source: list[str] = field(default_factory=list)
    destination: list[str] = field(default_factory=list)
    service: list[str] = field(default_factory=list)
    ports: list[str] = field(default_factory=list)
    loose: list[str] = field(default_factory=list)
    """Networks of which nothing tells what they are."""
    values: dict[str, str] = field(default_factory=dict)
    action: str = ""
    into: str = ""
    """`source_to` or `destination_to`, once an action names it."""
    given: str = ""
    """The address that it is translated to."""
    name: str = ""
    role: str = ""
    begun: bool = False

    def hear(self, words: list[tuple[str, bool]]) -> None:
        """Every word with whether it stood in quotes."""
        number = 0
        while number < len(words):
            word, quoted = words[number]
            following = words[number + 1][0] if number + 1 < len(words) else ""
            if word.lower() in ("no", "not", "without") and following.lower() in _TURNED:
                self.action, self.begun = self.action or "exempt", True
                number += 1
            elif quoted and not self.name and self.role in (("", "name") if self.begun else ("", "name", self.role)):
                self.name, self.role = word, ""
            elif not w.is_mask(word):
                taken = self._value(word, following)
                number += self._other(word) if taken is None else taken
            number += 1

    def _value(self, word: str, following: str) -> int | None:
        """Take a network or a service; the number of further words that belong to it, None where it is neither."""
        masked = w.masked(word, following)
        network = self.names.networks.get(word) or (masked or w.network_of(word),)
        if network[0] and self.role != "service":
            self._place(network)
            self.begun = True
            return int(bool(masked))
        port = _PORT.fullmatch(following) if word.lower() in _WITH_PORTS and self.role in ("service", "") else None
        if port:
            self.service.append(f"{word.lower()}/{following}")
            self.begun = True
            return 1
        service = self.names.services.get(word) or (w.service_of(word),)
        alone = (
            "/" in service[0]
            or word.lower() in ("icmp", "esp", "ah")
            or self.role in ("service", "source", "destination", "")
        )
        if service[0] and self.role != "action" and (word in self.names.services or alone):
            self.service += service
            self.begun = True
            return 0
        return None

    def _place(self, network: tuple[str, ...]) -> None:
        if self.role in ("given", "new") or (self.into and self.role == "action"):
            self.given = self.given or network[0]
        elif self.role == "via":
            self.values.setdefault("via", network[0])
        else:
            {"source": self.source, "destination": self.destination}.get(self.role, self.loose).extend(network)

    def _other(self, word: str) -> int:
        """Take any other word: a name, a port, an action, an interface, a zone, or what the next value is."""
        for take in (self._sign, self._named, self._act, self._where, self._role):
            if take(word, word.lower()):
                return 0
        if self.role in ("from_zone", "to_zone", "in_interface", "out_interface"):
            self.values.setdefault(self.role, word)
            self.role = ""
        elif not self.begun and not word.isdecimal() and not self.name:
            self.name = word
        elif word.lower() in w.HOLE:
            self.values["type"] = "blackhole"
        return 0

    def _sign(self, _word: str, low: str) -> bool:
        if low in ("=>", "->", "then", "action", "do", "verdict", "as", "translate"):
            self.role, self.begun = "action", True
            return True
        return False

    def _named(self, word: str, low: str) -> bool:
        """A port after its word, or the rule's name after its."""
        if self.role == "port" and _PORT.fullmatch(word):
            self.ports.append(word)
            self.begun = True
        elif self.role == "name":
            self.name, self.role = word, ""
        elif self.role == "port" and word in self.names.interfaces:
            self.values.setdefault("interface", word)
            self.role = ""
        elif low in w.PORTS:
            self.role = "port"
        elif low in w.NAME and not self.name:
            self.role = "name"
        else:
            return False
        return True

    def _act(self, word: str, low: str) -> bool:
        """Take a word as the rule's action, where it is one."""
        action = next((name for name, known in _ACTIONS if low in known), "") or _no_translation(word)
        into = _into(word) or next((name for name, kin in _KIN if low in kin and self.role in ("action", "new")), "")
        if low == "interface" and self.role == "action":
            action = "masquerade"
        if not action and not into:
            return False
        self.action = self.action or action
        self.into = into or self.into
        self.begun = True
        self.role = "given" if self.into and not self.given else ""
        return True

    def _where(self, word: str, low: str) -> bool:
        """An interface or a zone that is known, or a word for everything."""
        if word in self.names.interfaces and self.role in ("in_interface", "out_interface", "on", ""):
            self.values.setdefault("interface" if self.role in ("on", "") else self.role, word)
        elif low in w.EVERYTHING:
            self.begun = True
        elif (word in self.names.zones or low in _ZONES) and self.role in (
            "source",
            "destination",
            "from_zone",
            "to_zone",
        ):
            self.values.setdefault({"source": "from_zone", "destination": "to_zone"}.get(self.role, self.role), word)
        else:
            return False
        return True

    def _role(self, word: str, low: str) -> bool:
        role = "new" if low in _NEW else _role(word)
        if role == "on" and self.role in ("in_interface", "out_interface"):
            # "incoming interface NAME" is one key of two words.
            return True
        if role and self.role == "new" and role not in w.SIDES:
            return True
        if role:
            self.begun = True
            self.role = "given" if self.into and not self.given and role == "destination" else role
        return bool(role)


_ZONES = frozenset({"inside", "outside", "tunnel", "lan", "wan", "vpn", "internet", "dmz"})
_ACTIONS = (
    ("exempt", w.EXEMPT | {"not"}), ("masquerade", w.HIDE), ("allow", w.ALLOW), ("reject", w.REJECT), ("drop", w.DROP),
)  # fmt: skip
_NEW = frozenset({"new", "gets", "becomes", "translated", "mapped", "rewritten"})
_WITH_PORTS = frozenset({"tcp", "udp", "sctp"})
_KIN = (
    ("source_to", frozenset({"source", "src"})),
    ("destination_to", frozenset({"destination", "dst", "dest"})),
)  # fmt: skip
_REWRITES = w.TRANSLATION | {"translated", "rewrite", "mapped", "to", "new"}


@lru_cache(8_192)
def _into(word: str) -> str:
    """Which address a word says is translated: `snat`, `translate-source`, `destinationNat`."""
    if word.lower() in ("snat", "dnat"):
        return "source_to" if word.lower() == "snat" else "destination_to"
    parts = set(w.parts_of(word))
    if not parts & _REWRITES or len(parts) != len(("source", "nat")):
        return ""
    return next((name for name, kin in _KIN if parts & kin), "")


def _no_translation(word: str) -> str:
    parts = w.parts_of(word)
    return "exempt" if len(parts) > 1 and parts[0] in ("no", "not", "without", "skip") and parts[1] in _TURNED else ""


_TURNED = w.TRANSLATION | {"translated", "nating", "natted"}


MOST_PARTS = 3
"""Parts of a word from which on it is no plain key."""
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
        if len(parts) < MOST_PARTS
        else ""
    )


def _tokens(thing: Thing) -> list[tuple[str, bool]]:
    """(word, did it stand in quotes) of all that is said of a rule."""
    out: list[tuple[str, bool]] = []

    def add(statement: Statement) -> None:
        out.extend((word, n in statement.quoted) for n, word in enumerate(statement.words))
        for kid in statement.kids:
            add(kid)

    for statement in thing.body:
        if not (
            len(statement.words) == len(("No", "3"))
            and statement.words[0].lower() in _COUNTED
            and statement.words[1].isdecimal()
        ):
            add(statement)
    return out


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


def _scan(thing: Thing, names: Names) -> _Said:
    said = _Said(names)
    said.hear(_tokens(thing))
    return said


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
    words = {word.lower() for word, _ in _tokens(thing)}
    nets = [*said.loose, *said.destination]
    destination = nets[0] if nets else "0.0.0.0/0" if words & w.DEFAULT else ""
    via = said.values.get("via", "")
    if not via and len(nets) > 1 and is_address(nets[1]):
        via = nets[1]
    if not destination:
        return None
    if words & w.DEFAULT and is_address(destination) and not via:
        destination, via = "0.0.0.0/0", destination
    if "/" not in destination and "-" not in destination:
        destination += "/32" if ":" not in destination else "/128"
    hole = "blackhole" if words & w.HOLE else ""
    interface = next((said.values[k] for k in ("interface", "out_interface", "in_interface") if k in said.values), "")
    return SheetRoute(destination, via if is_address(via) else "", interface, 0, hole)
