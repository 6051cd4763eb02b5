"""What a rule's words say, whatever their order."""

from __future__ import annotations

from dataclasses import dataclass, field

from stomion.drafts import words as w
from stomion.drafts.roles import (
    ACTIONS,
    KIN,
    NEW,
    PORT,
    TURNED,
    ZONES,
    into_of,
    names_rule,
    no_translation,
    role_of,
)
from stomion.drafts.services import REGISTERED, REGISTERED_PORTS, WITH_PORTS

NEXT = "\n"
"""Where a new line of a key and its value begins."""
LINE = "\r"
"""Where another line begins."""
_GOES_ON = frozenset({"given", "new", "action"})
"""What a line may say of the next."""
_BY_ZONE = {"source": "from_zone", "destination": "to_zone"}
_BY_CARD = {"source": "in_interface", "destination": "out_interface"}
_LISTED = frozenset({"source", "destination", "service"})
_JOINING = frozenset({"and", "or", "the"})
_KINDS_OF_VALUES = frozenset({"ip", "ipv4", "ipv6", "host", "net", "network", "subnet", "address"})
"""Words before a value, where a name may stand as well."""
_ARROWS = frozenset({"->", "=>", "<->", ">"})


@dataclass(slots=True)
class Names:
    """What the configuration itself has named."""

    networks: dict[str, tuple[str, ...]] = field(default_factory=dict)
    services: dict[str, tuple[str, ...]] = field(default_factory=dict)
    interfaces: set[str] = field(default_factory=set)
    zones: set[str] = field(default_factory=set)
    addresses: dict[str, str] = field(default_factory=dict)
    """The interfaces' own, each with its prefix."""
    cards: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """The addresses of each interface, with their prefixes."""
    lists: set[str] = field(default_factory=set)
    """What lists and blocks are called."""
    calling: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """For each kind of rule the key whose value is a rule's name, where no word says so."""


@dataclass(slots=True)
class Said:
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
    translating: bool = False
    following: str = ""
    """The word after the one that is heard."""
    acted: bool = False
    """Was the word before an action?"""
    keyed: bool = False
    """Is the line one of a key and its value, of which neither is the rule's name?"""
    listing: bool = False
    """Is the line a key for a side or a service, and values of it?"""
    told: set[str] = field(default_factory=set)
    """The sides that something was said of, were it anything."""
    missing: dict[str, list[str]] = field(default_factory=dict)
    """For each role the values of its line that name something which the configuration does not tell."""
    unknown: dict[str, str] = field(default_factory=dict)
    """For each role the first word of a sentence that may be such a name."""

    def hear(self, words: list[tuple[str, bool]]) -> None:
        """Every word with whether it stood in quotes."""
        number = 0
        while number < len(words):
            word, quoted = words[number]
            if word in (NEXT, LINE):
                self.keyed = word == NEXT
                self.listing = number + 1 < len(words) and role_of(words[number + 1][0]) in _LISTED
                self.role = self.role if self.role in _GOES_ON else ""
                number += 1
                continue
            following = words[number + 1][0] if number + 1 < len(words) else ""
            self.following = following
            if word.lower() in ("no", "not", "without") and following.lower() in TURNED:
                self.action, self.begun = self.action or "exempt", True
                number += 1
            elif (
                quoted
                and not self.name
                and (not self.keyed or self.role == "name")
                and not w.network_of(word)
                and not (self.begun and any(word.lower() in known for _, known in ACTIONS))
                and self.role in (("", "name") if self.begun else ("", "name", self.role))
            ):
                self.name, self.role = word, ""
            elif word in _ARROWS and self._turns(following):
                self.role = "to_zone" if self.role == "zone" else "destination"
                if self.role == "destination" and not self.source:
                    self.source, self.loose = self.loose, []
            elif not w.is_mask(word):
                taken = self._value(word, following)
                self.acted = self.acted and taken is None
                number += self._other(word) if taken is None else taken
            number += 1

    def _turns(self, following: str) -> bool:
        """Does an arrow lead from a source to a destination, and not to what is done?"""
        place = following in self.names.networks or following in self.names.zones or bool(w.network_of(following))
        return not self.into and (place or following.lower() in w.EVERYTHING or self.role == "zone")

    def _value(self, word: str, following: str) -> int | None:
        """Take a network or a service; the number of further words that belong to it, None where it is neither."""
        masked = w.masked(word, following)
        network = self.names.networks.get(word) or (masked or w.network_of(word),)
        if network[0] and self.role != "service":
            self._place(network)
            self.begun = True
            return int(bool(masked))
        port = PORT.fullmatch(following) if word.lower() in WITH_PORTS and self.role in ("service", "") else None
        if port:
            self.service.append(f"{word.lower()}/{following}")
            self.begun = True
            return 1
        registered = REGISTERED.get(word.lower()) if self.role == "service" else None
        service = self.names.services.get(word) or registered or (w.service_of(word),)
        alone = (
            "/" in service[0]
            or word.lower() in ("icmp", "esp", "ah")
            or self.role in ("service", "source", "destination", "")
        )
        if service[0] and self.role != "action" and (word in self.names.services or registered or alone):
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
            self.told.add(self.role if self.role in w.SIDES else "source")
            {"source": self.source, "destination": self.destination}.get(self.role, self.loose).extend(network)

    def _other(self, word: str) -> int:
        """Take any other word: a name, a port, an action, an interface, a zone, or what the next value is."""
        acted, self.acted = self.acted, False
        for take in (self._sign, self._named, self._act, self._where, self._role):
            if take(word, word.lower()):
                return 0
        if self.role in ("from_zone", "to_zone", "in_interface", "out_interface"):
            self.values.setdefault(self.role, word)
            self.role = ""
        elif self.role == "zone" and word not in w.SIDES:
            self.values.setdefault("from_zone", word)
        elif self._may_be_name(word) and (not self.begun or (acted and not self.translating)):
            self.name = word
        elif word.lower() in w.HOLE:
            self.values["type"] = "blackhole"
        else:
            self.unknown.setdefault(self.role, word)
            if self.listing and self.role in _LISTED and word.lower() not in w.VOCABULARY | _JOINING:
                self.missing.setdefault(self.role, []).append(word)
        return 0

    def unresolved(self) -> dict[str, tuple[str, ...]]:
        """What was named of a side, a service or a way, and the configuration does not tell: without it a rule says more than it does."""
        values = self.values
        said = {
            "source": self.source or self.loose or values.keys() & {"from_zone", "in_interface"},
            "destination": self.destination or self.loose or values.keys() & {"to_zone", "out_interface"},
            "service": self.service,
            "via": values.keys() & {"via", "interface", "in_interface", "out_interface"},
        }
        alone = {
            k: (self.unknown[k],) for k, told in said.items() if k in self.unknown and k not in self.told and not told
        }
        return alone | {role: tuple(words) for role, words in self.missing.items()}

    def _may_be_name(self, word: str) -> bool:
        return not self.keyed and not self.name and not word.isdecimal() and word.lower() not in _KINDS_OF_VALUES

    def _sign(self, _word: str, low: str) -> bool:
        if low in ("=>", "->", "then", "action", "do", "act", "verdict", "as", "translate", "change"):
            self.role, self.begun = "action", True
            return True
        return False

    def _named(self, word: str, low: str) -> bool:
        """A port after its word, or the rule's name after its."""
        if self.role == "port" and (port := word if PORT.fullmatch(word) else REGISTERED_PORTS.get(low)):
            self.ports.append(port)
            self.begun = True
        elif self.role == "name" and low not in w.NAME:
            self.name, self.role = word, ""
        elif self.role == "port" and word in self.names.interfaces:
            self.values.setdefault("interface", word)
            self.role = ""
        elif low in w.PORTS:
            self.role = "port"
        elif (low in w.NAME or (low == "rule" and not self.begun) or names_rule(word)) and not self.name:
            self.role = "name"
        else:
            return False
        return True

    def _act(self, word: str, low: str) -> bool:
        """Take a word as the rule's action, where it is one."""
        action = next((name for name, known in ACTIONS if low in known), "")
        if not action and word not in self.names.lists:
            action = no_translation(word)
        into = into_of(word) or next((name for name, kin in KIN if low in kin and self.role in ("action", "new")), "")
        if low == "interface" and self.role == "action":
            action = "masquerade"
        if self.translating and self.role == "action" and low in w.DENIED:
            action = "exempt"
        if not action and not into:
            return False
        self.acted = bool(action)
        self.action = self.action or action
        self.into = into or self.into
        self.begun = True
        self.role = "given" if self.into and not self.given else ""
        return True

    def _where(self, word: str, low: str) -> bool:
        """An interface or a zone that is known, or a word for everything."""
        if word in self.names.interfaces and self.role in ("in_interface", "out_interface", "on", "via", "action", ""):
            self.values.setdefault(self.role if self.role in ("in_interface", "out_interface") else "interface", word)
        elif self.following in _ARROWS and self.role == "" and (word in self.names.zones or low in ZONES):
            self.begun = True
            self.values["from_zone"], self.role = word, "zone"
        elif low in w.EVERYTHING:
            self.begun = True
            self.told.add(self.role or "source")
        elif (word in self.names.zones or low in ZONES) and self.role in (
            "source",
            "destination",
            "from_zone",
            "to_zone",
        ):
            card = word in self.names.interfaces and word not in self.names.zones
            self.values.setdefault((_BY_CARD if card else _BY_ZONE).get(self.role, self.role), word)
        else:
            return False
        return True

    def _role(self, word: str, low: str) -> bool:
        if self.into and w.parts_of(word)[:1] == ("to",) and len(w.parts_of(word)) > 1:
            # `to-address` is where it is translated to, so that a `to` before it told the destination.
            self.destination += [self.given] if self.given else []
            self.given, self.role = "", "given"
            return True
        role = "new" if low in NEW else role_of(word)
        if role == "on" and self.role in ("in_interface", "out_interface"):
            # "incoming interface NAME" is one key of two words.
            return True
        if role and self.role == "new" and role not in w.SIDES:
            return True
        if self.translating and role in w.SIDES and role in self.told and not self.into:
            self.into = f"{role}_to"
        if not role and low in w.ZONE and self.role not in ("source", "destination", "from_zone", "to_zone"):
            role = "zone"
        if role:
            self.begun = True
            given = self.into and not self.given and (low == "to" or role in self.told)
            self.role = "given" if given else role
        return bool(role)
