"""A tunnel out of what is said of it: by the topic of each statement, and by which of its words mean the own side and which the far one."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from stomion.drafts import words as w
from stomion.drafts.algorithms import (
    combinations,
    kind_of,
    kinds_in,
    lifetime_of,
    offered,
    phase_of,
    proposal,
    told_phase,
    values_of,
    with_shared,
)
from stomion.drafts.objects import Thing
from stomion.drafts.said import Names
from stomion.model.site import SheetDpd, SheetProposal, SheetTunnel
from stomion.shapes.statement import Statement
from stomion.space.axis import is_address
from stomion.vocabulary.durations import seconds_of

Suites = dict[str, list[tuple[int | None, SheetProposal]]]
"""Named proposals: (phase, what it offers)."""
_BETWEEN = ("<->", "<=>", "===", "==", "->", "=>", "-->")
_IKE = re.compile(r"(?:ike)?[-_ ]?v?([12])(?:\.0)?", re.IGNORECASE)

_PROOFS = frozenset({"proof", "auth", "authentication", "authenticates", "method", "credential", "credentials"})
_VERSIONED = frozenset({"ike", "exchange", "version", "keyexchange", "isakmp"})
_IKE_WORD = re.compile(r"ike[-_ ]?v?[12](?![\d.])", re.IGNORECASE)


@dataclass(slots=True)
class _Phase:
    """What is said of the proposals of one phase."""

    whole: list[SheetProposal] = field(default_factory=list)
    keyed: dict[str, tuple[str | int, ...]] = field(default_factory=dict)
    life: int | None = None

    def all(self) -> tuple[SheetProposal, ...]:
        """Whole ones, each with what is said of all; else the one that the keyed values make."""
        if self.whole:
            return with_shared(self.whole, self.keyed.get("group", ()), self.life)
        return (proposal(self.keyed, self.life),) if self.keyed.get("encryption") else ()


@dataclass(slots=True)
class _Told:
    values: dict[str, str] = field(default_factory=dict)
    near: list[str] = field(default_factory=list)
    far: list[str] = field(default_factory=list)
    ike: int | None = None
    interval: float | None = None
    retries: int | None = None
    phases: tuple[_Phase, _Phase] = field(default_factory=lambda: (_Phase(), _Phase()))


def tunnel_of(thing: Thing, names: Names, suites: Suites) -> SheetTunnel | None:
    """None where it names neither an end nor a network."""
    told = _Told()
    blocks: dict[int, Statement] = {}
    for statement in thing.body:
        _block(statement, (), told, blocks)
    for above, statement in thing.leaves():
        if id(statement) not in blocks:
            _tell(told, above, statement, names, suites)
    v = told.values
    if not (v.get("local") or v.get("peer") or told.near or told.far):
        return None
    bound = v.get("interface", "")
    dpd = SheetDpd(told.interval, told.retries) if told.interval is not None else None
    return SheetTunnel(
        thing.name or v.get("name", ""), v.get("peer_site", ""), v.get("local", ""), v.get("peer", ""), told.ike, v.get("mode", ""),
        v.get("initiate", ""), v.get("auth", ""), v.get("local_id", ""), v.get("remote_id", ""), "", "route" if bound else "",
        bound, "", "",
        tuple(dict.fromkeys(told.near)), tuple(dict.fromkeys(told.far)), dpd, "", told.phases[0].all(), told.phases[1].all(),
    )  # fmt: skip


def _block(statement: Statement, above: tuple[str, ...], told: _Told, taken: dict[int, Statement]) -> None:
    """Blocks that are one proposal of a phase each: their lines are of it alone."""
    if not statement.kids:
        return
    phase = phase_of([*above, *statement.words]) or told_phase(statement.kids)
    plain = all(not any(k.kids for k in kid.kids) and (kid.words or not kid.kids) for kid in statement.kids)
    if phase is not None and plain and "encryption" in [kind_of(kid.words) for kid in statement.kids]:
        found = offered(statement.kids, "IKE" if phase == 1 else "ESP")
        if found is not None:
            taken.update((id(one), one) for kid in statement.kids for one in (kid, *kid.kids))
            told.phases[phase - 1].whole.append(found)
            return
    for kid in statement.kids:
        _block(kid, (*above, *statement.words), told, taken)


def _tell(told: _Told, above: tuple[str, ...], statement: Statement, names: Names, suites: Suites) -> None:
    words = statement.words
    if len(words) > 1 and words[0].lower() in ("is", "it", "the"):
        words = words[1:]
    bag = w.bag((*above, *words[:4]))
    head = w.bag((*above, *words[:2]))
    if _proposals(told, above, words, suites):
        return
    if bag & w.DPD:
        _dpd(told, words)
    elif bag & {"identifies"} or (head & w.IDENTITY and not head & w.NETWORKS):
        _sides(told, above, words, "id", names)
    elif head & w.PSK or (head & _PROOFS and bag & (w.PSK | w.CERTIFICATE)) or head & w.CERTIFICATE:
        told.values.setdefault("auth", "certificate" if bag & w.CERTIFICATE and not bag & w.PSK else "psk")
    elif head & w.STARTS and not any(map(w.network_of, words)):
        _starts(told, words)
    elif bag & {"aggressive"} and not {word.lower() for word in words[1:]} & w.DENIED:
        told.values.setdefault("mode", "aggressive")
        _version(told, words)
    elif head & {"mode"} and words[-1].lower() == "main":
        told.values.setdefault("mode", "main")
    elif (head & _VERSIONED or _IKE_WORD.match(words[-1] if words else "")) and _version(told, words):
        return
    elif head & w.SITE and (head & w.FAR) and len(words) > 1:
        told.values.setdefault("peer_site", words[-1])
    elif (head & w.BOUND or head & {"interface", "port", "intf", "iface", "if", "nic"}) and words[
        -1
    ] in names.interfaces:
        told.values.setdefault("interface", words[-1])
    elif _ends_alone(words, head, names):
        _sides(told, above, words, "end", names)
    elif any(sign in words for sign in _BETWEEN) or head & (w.NETWORKS - {"range"}) or _has_networks(words, names):
        _sides(told, above, words, "networks", names)
    elif (
        head & w.ENDPOINT
        or "between" in head
        or (
            len(words) > 1
            and (_side_of(words[:1]) or words[0].lower() in ("from", "to"))
            and (is_address(words[1]) or words[1].lower() in w.EVERYTHING)
        )
    ):
        _sides(told, above, words, "end", names)
    elif head & w.NAME and len(words) > 1 and not above:
        told.values.setdefault("name", " ".join(words[1:]))


def _ends_alone(words: Sequence[str], head: frozenset[str], names: Names) -> bool:
    """Two addresses with an arrow between, and nothing that makes networks of them."""
    return (
        any(sign in words for sign in _BETWEEN)
        and not head & (w.NETWORKS - {"range"})
        and not _has_networks(words, names)
        and sum(map(is_address, words)) <= len(("own", "far"))
        and any(map(is_address, words))
    )


def _has_networks(words: Sequence[str], names: Names) -> bool:
    return any("/" in w.network_of(word) or word in names.networks for word in words)


def _proposals(told: _Told, above: tuple[str, ...], words: tuple[str, ...], suites: Suites) -> bool:
    keys = [word for word in words[:3] if word not in suites]
    phase = phase_of((*above, *keys))
    speaks = bool(w.bag((*above, *keys)) & w.OFFERS)
    named = [
        (of, found)
        for word in words[1:]
        for of, found in suites.get(word, ())
        if (speaks or not word.isdecimal()) and (phase in (None, of) or of is None)
    ]
    if named:
        for of, one in named:
            told.phases[(of or phase or 1) - 1].whole.append(one)
        return True
    kind = kind_of(words)
    if phase is None and kind == "group" and "pfs" in w.bag(words[:2]):
        phase = 2
    if phase is None:
        return False
    part, protocol = told.phases[phase - 1], "IKE" if phase == 1 else "ESP"
    offers = {p for word in words[:2] for p in w.parts_of(word)} & {"proposal", "transform", "suite", "ciphers"}
    if offers or kind in ("", "lifetime") or kinds_in(words) > 1:
        found = combinations(words[1:] if len(words) > 1 else words, protocol)
        if found:
            part.whole += found
            return True
    if kind == "lifetime":
        part.life = lifetime_of(words) or part.life
    elif kind:
        part.keyed[kind] = (*part.keyed.get(kind, ()), *values_of(kind, words[1:], protocol))
    return bool(kind)


def _dpd(told: _Told, words: tuple[str, ...]) -> None:
    """The interval is the length of time, or what stands after a word for it; the other number counts the tries."""
    role = ""
    for number, word in enumerate(words):
        parts = {word.lower(), *w.parts_of(word)}
        following = words[number + 1].lower() if number + 1 < len(words) else ""
        if parts & w.INTERVAL and not w.is_value(word):
            role = "interval"
        elif parts & w.RETRIES and not w.is_value(word):
            role = "retries"
        if not re.match(r"\d", word) or w.network_of(word):
            continue
        unit = following.rstrip("s") in ("", "second", "sec", "min", "minute", "m") and following != ""
        length = seconds_of(f"{word} {following}" if unit else word)
        keyed = number + 2 < len(words) and words[number + 2][:1].isdecimal()
        tries = not keyed and following.rstrip("s") in ("retrie", "retry", "time", "trie", "attempt", "try", "failure")
        if length is None:
            continue
        if (role == "retries" and not unit) or tries:
            told.retries = int(length)
        elif told.interval is None:
            told.interval = length
        elif told.retries is None:
            told.retries = int(length)


def _starts(told: _Told, words: tuple[str, ...]) -> None:
    rest = words[1:] if w.bag(words[:1]) & w.STARTS else words
    said = w.bag(rest) | {word.lower() for word in rest}
    if said & w.ON_TRAFFIC:
        told.values.setdefault("initiate", "on-traffic")
    elif said & w.NEVER:
        told.values.setdefault("initiate", "never")
    elif said & w.ALWAYS:
        told.values.setdefault("initiate", "always")


def _version(told: _Told, words: tuple[str, ...]) -> bool:
    low = [word.lower() for word in words]
    found = next(
        (
            m
            for word in (low if _IKE_WORD.match(low[0]) else low[1:])
            for part in re.split(r"[-_/]", word)
            if (m := _IKE.fullmatch(part))
        ),
        None,
    )
    mode = next((name for name in ("aggressive", "main") if any(name in word for word in low)), "")
    if found is None and not mode:
        return False
    if found is not None and told.ike is None:
        told.ike = int(found[1])
    if mode:
        told.values.setdefault("mode", mode)
    return True


def _sides(told: _Told, above: tuple[str, ...], words: tuple[str, ...], topic: str, names: Names) -> None:
    """Share the values of a statement between the two ends."""
    side = _side_of((*above, *words[:1]))
    if topic == "end" and len(words) == len(("to", "ADDRESS")) and not side:
        side = {"from": "own", "to": "far"}.get(words[0].lower(), "")
    if topic == "id" and (pair := _as_and_expected(words)):
        told.values.setdefault("local_id", pair[0])
        told.values.setdefault("remote_id", pair[1])
        return
    between = next((n for n, word in enumerate(words) if word in _BETWEEN), None)
    if between is None and words and words[0].lower() == "between":
        between = next((n for n, word in enumerate(words) if word.lower() == "and"), None)
    if between is None and not side:
        between = _turning(words, names)
    for number, word in enumerate(words):
        if word in _BETWEEN:
            continue
        low = word.lower()
        mine = _side_of((word,)) if not w.is_value(word) and word not in names.networks else ""
        if between is not None:
            side = "own" if number < between else "far"
        elif mine and not (topic != "id" and number == len(words) - 1):
            side = mine
            continue
        values = _values(words, number, topic, names)
        for value in values:
            _put(told, topic, side, value)
        if topic == "id" and not values and number and side and not _is_key(low):
            told.values.setdefault("local_id" if side == "own" else "remote_id", word)


def _as_and_expected(words: Sequence[str]) -> tuple[str, str] | None:
    """`identifies itself as X and expects Y`."""
    low = [word.lower() for word in words]
    own = next((low.index(word) for word in ("as",) if word in low), -1)
    far = next((low.index(word) for word in ("expects", "expect", "expecting", "wants") if word in low), -1)
    return (words[own + 1], words[far + 1]) if 0 <= own < far < len(words) - 1 else None


def _turning(words: Sequence[str], names: Names) -> int | None:
    """Where a sentence turns to the far side: the `to` between values of both, if neither stands by a word for a side."""
    if any(_side_of((word,)) for word in words if not w.is_value(word) and word not in names.networks):
        return None
    values = [
        n
        for n, word in enumerate(words)
        if w.network_of(word) or word in names.networks or word.lower() in w.EVERYTHING
    ]
    turns = [
        n for n, word in enumerate(words) if word.lower() in ("to", "towards") and values and values[0] < n < values[-1]
    ]
    apart = [
        n
        for n in turns
        if not (is_address(words[n - 1]) and is_address(words[n + 1]) and len(values) > len(("A", "B")))
    ]
    return apart[0] if len(apart) == 1 else None


def _is_key(word: str) -> bool:
    parts = set(w.parts_of(word))
    return (
        word in w.IDENTITY
        or word in w.OWN | w.FAR
        or (bool(parts) and parts <= w.IDENTITY | w.OWN | w.FAR | {"type", "value", "fqdn", "email", "user"})
    )


def _values(words: tuple[str, ...], number: int, topic: str, names: Names) -> tuple[str, ...]:
    word = words[number]
    if topic == "id":
        return (word,) if is_address(word) else ()
    if topic == "networks" and word in names.networks:
        return tuple(map(_whole, names.networks[word]))
    if word.lower() in w.EVERYTHING and number:
        return ("any",) if topic == "end" else ("0.0.0.0/0",)
    if number and w.masked(words[number - 1], word):
        return ()
    following = words[number + 1] if number + 1 < len(words) else ""
    if topic == "networks" and is_address(word):
        if number and words[number - 1].lower() == "range" and is_address(following):
            return (f"{word}-{following}",)
        if number > 1 and words[number - 2].lower() == "range" and is_address(words[number - 1]):
            return ()
    if (
        topic == "networks"
        and following.lower() in ("to", "-", "through")
        and number + 2 < len(words)
        and is_address(word)
        and is_address(words[number + 2])
    ):
        return (f"{word}-{words[number + 2]}",)
    if (
        topic == "networks"
        and number > 1
        and words[number - 1].lower() in ("to", "-", "through")
        and is_address(word)
        and is_address(words[number - 2])
    ):
        return ()
    network = w.masked(word, following) or w.network_of(word)
    if topic == "end":
        return (word,) if is_address(word) else ()
    return (_whole(network),) if network else ()


def _whole(network: str) -> str:
    """One address as the prefix that it is."""
    alone = "/" not in network and "-" not in network
    return network + ("/128" if ":" in network else "/32") if alone else network


def _put(told: _Told, topic: str, side: str, value: str) -> None:
    if topic == "networks":
        if side:
            (told.near if side == "own" else told.far).append(value)
    elif topic == "id" and side:
        told.values.setdefault("local_id" if side == "own" else "remote_id", value)
    elif topic == "end" and side:
        told.values.setdefault("local" if side == "own" else "peer", value)


def _side_of(words: Sequence[str]) -> str:
    """The last word that tells a side."""
    for word in reversed(words):
        parts = {word.lower(), *w.parts_of(word)}
        if parts & w.OWN:
            return "own"
        if parts & w.FAR:
            return "far"
    return ""
