"""Lines of a log that tell of a routing protocol's neighbour: up, down, or stuck on the way.

States are those of the standards: RFC 2328 section 10.1 for OSPF, RFC 4271 section 8.2.2 for BGP; other words are the trade's.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from stomion.logs.clock import Clock
from stomion.logs.framing import FRAMES, unframe
from stomion.model.record import NEIGHBOUR_DOWN, NEIGHBOUR_FORMING, NEIGHBOUR_UP, EventRecord
from stomion.vocabulary.addresses import read_addresses
from stomion.vocabulary.times import utc_text

WORDS = r"neighbo|adjacenc|bgp|ospf|babel"
"""What a line must have, in lower case."""
LOOKED_AT = 1_024
"""Characters of a line."""
_WORDS = re.compile(WORDS)
_PROTOCOL = re.compile(r"\b(?:bgp|ospf|rip(?:v2|ng)?|is-?is|babel|routing|routed)(?:v\d)?d?\b")
_PARTNER = re.compile(r"\bneighbo(?:u)?rs?\b|\badjacenc(?:y|ies)\b|\b(?:peer|session)\b")
_OTHER = re.compile(
    r"\barp\b|\blldp\b|\bndp\b|solicit|advertisement|discovery|\bcache\b|neighbo(?:u)?r table|\bmac\b"
    r"|\bike|\besp\b|\bspi\b|\bsa\b|isakmp|ipsec|\bvpn\b|\bchild\b|\bphase\b|proposal|negotiat"
)
"""Neighbours on a wire, and what speaks of tunnels."""
_STATES = {
    "full": NEIGHBOUR_UP, "established": NEIGHBOUR_UP, "up": NEIGHBOUR_UP, "down": NEIGHBOUR_DOWN, "idle": NEIGHBOUR_DOWN,
    "attempt": NEIGHBOUR_FORMING, "init": NEIGHBOUR_FORMING, "2-way": NEIGHBOUR_FORMING, "exstart": NEIGHBOUR_FORMING,
    "exchange": NEIGHBOUR_FORMING, "loading": NEIGHBOUR_FORMING, "connect": NEIGHBOUR_FORMING, "active": NEIGHBOUR_FORMING,
    "opensent": NEIGHBOUR_FORMING, "openconfirm": NEIGHBOUR_FORMING,
}  # fmt: skip
_NAMES = "|".join(sorted(_STATES, key=len, reverse=True))
_CHANGE = re.compile(
    rf"\b(?:{_NAMES})\b[\"']?\s{{0,3}}(?:to|->|=>|→|>)\s{{0,3}}(?:state\s)?[\"']?(?P<to>{_NAMES})\b|\b(?:now|entered|reached|state|in)[ :=]{{1,3}}(?:state )?(?P<now>{_NAMES})\b"
)
_DOWN = re.compile(
    r"\b(?:is |went |goes |now |has gone |is gone )?(?:down|dead|silent|lost|gone|unreachable|withdrawn|idle)\b|\b(?:hold|dead|keepalive)[- ]?(?:timer|time|interval)\b|"
    r"\b(?:expired|timed out|closed|reset|dropped|removed|deleted|vanished|torn down|not heard|no hellos?)\b"
)
_UP = re.compile(r"\bup\b|\bfull\b|\bestablished\b|\bcomplete[d]?\b|\bformed\b|\bstands\b|\bis back\b|\bregained\b")
_STUCK = re.compile(
    rf"\bstuck (?:in|at) (?P<state>{_NAMES})\b|\b(?:mtu|hello interval|dead interval|area) (?:mismatch|differs)"
)
_DEVICE = re.compile(
    r"\b(?:on|over|via|through|interface|dev|if)[ =:]{1,2}\(?(?P<dev>[a-z][\w./-]{0,31}\d[\w.]{0,8})\b|\((?P<closed>[a-z][a-z_-]{0,20}\d[\w./-]{0,8})\)",
    re.IGNORECASE,
)
MOST_REASON = 120


@dataclass(frozen=True, slots=True)
class Told:
    """What one line says of a neighbour. `what` is the event of a record, `why` the line's own words behind it."""

    what: str
    address: str
    dev: str = ""
    why: str = ""

    @property
    def state(self) -> tuple[str, str]:
        """How the neighbour stands by it; on the way, what keeps it there is a part of that."""
        return self.what, self.why if self.what == NEIGHBOUR_FORMING else ""


def may_tell(line: str) -> bool:
    """Has a line a word of such protocols?"""
    return _WORDS.search(line[:LOOKED_AT].lower()) is not None


def tells_of_neighbour(text: str, before: str = "") -> Told | None:
    """A line without what stands `before` its message; None where it says nothing of a routing neighbour."""
    low = text[:LOOKED_AT].lower()
    if not may_tell(before + text) or _PARTNER.search(low) is None or _OTHER.search(low) is not None:
        return None
    if _PROTOCOL.search(before.lower() + low) is None and "adjacenc" not in low and _DEVICE.search(low) is None:
        return None
    endpoints = read_addresses(text[:LOOKED_AT]).endpoints
    judged = _judged(low)
    if not endpoints or judged is None:
        return None
    what, at = judged
    device = _DEVICE.search(text[:LOOKED_AT])
    dev = (device["dev"] or device["closed"]) if device is not None else ""
    return Told(what, endpoints[0][0], dev, text[at:LOOKED_AT].strip(" \t.,:;-\"')")[:MOST_REASON])


def _judged(low: str) -> tuple[str, int] | None:
    """What a line says happened, and where in it the reason begins."""
    stuck = _STUCK.search(low)
    if stuck is not None:
        return NEIGHBOUR_FORMING, stuck.start()
    change = next(reversed(list(_CHANGE.finditer(low))), None)
    if change is not None:
        return _STATES[change["to"] or change["now"]], change.end()
    down, up = _DOWN.search(low), _UP.search(low)
    if up is not None and (down is None or up.start() < down.start()):
        # The word that comes first judges; what stands behind it is the reason, or a history.
        return NEIGHBOUR_UP, up.end()
    return (NEIGHBOUR_DOWN, down.end()) if down is not None else None


@dataclass(slots=True)
class Neighbours:
    """The neighbours that one log tells of, and how each stood last: only what changes becomes a record."""

    site: str
    clock: Clock
    _states: dict[str, tuple[str, str]] = field(default_factory=dict)

    def read(self, line: str) -> EventRecord | None:
        """A line, as it stands; None where nothing changed by it."""
        if not may_tell(line):
            return None
        frame = unframe(line) if line[:1] in FRAMES else None
        rest, at, _ = self.clock.take(frame.text if frame is not None else line)
        if frame is not None and frame.at is not None:
            at = frame.at
        told = tells_of_neighbour(rest, line[: len(line) - len(rest)][:LOOKED_AT])
        if told is None or self._states.get(told.address) == told.state:
            return None
        self._states[told.address] = told.state
        detail = ", ".join(part for part in (f"on {told.dev}" if told.dev else "", told.why) if part)
        return EventRecord(utc_text(at) or "", told.what, self.site, told.address, detail)
