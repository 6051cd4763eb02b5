"""What one record of a listing tells: each value by the words of its key, else by its own shape."""

from __future__ import annotations

import re
from dataclasses import dataclass

from stomion.listings import keywords as k
from stomion.listings.amounts import algorithms, counts, encapsulation, length, seconds_at, spis
from stomion.listings.found import Found
from stomion.listings.raw import Raw
from stomion.listings.states import state_of
from stomion.space.axis import is_address
from stomion.vocabulary.algorithms import encryption_of, find_proposal, group_of
from stomion.vocabulary.durations import seconds_of

MOST_STATE = 40
"""Characters of a state in words."""
_NOTHING = frozenset({"-", "–", "--", "n/a", "none", "N/A", ""})
_MAY_BE_NONE = re.compile(r"integrity|encap", re.IGNORECASE)
"""Keys for which `none` tells something."""
_STILL = re.compile(r"remain|left", re.IGNORECASE)
_BESIDE = re.compile(r"\s{2,}(?=[A-Za-z][\w-]{0,20}:\s)")
"""Before one more key on the same line."""
_BEHIND_A_COMMA = re.compile(r", ?(expires|rekey|renewed|age|up|pfs|dh|lifetime|left)\b([^,]*)", re.IGNORECASE)
_CALLED = re.compile(r"(?:\bto|\bwith|\btunnel|\bpeer|\bconnection|\bvpn)\s+[\"']?([A-Za-z][\w.-]*)", re.IGNORECASE)
_NO_NAMES = frozenset({"to", "with", "tunnel", "peer", "state", "status", "is", "of", "the"})


@dataclass(frozen=True, slots=True)
class _Key:
    """`way` is the direction that it says, or else the whole record."""

    words: list[str]
    bag: frozenset[str]
    way: str


def told_by(raw: Raw) -> Found:
    """All that a record tells."""
    found = Found()
    found.loose += k.ADDRESS.findall(raw.head)
    found.name = _named(raw.head)
    said = next((way for key, value in raw.pairs if (way := _way(k.words_of(key), value))), "")
    found.way = said or k.direction_of([word for word in raw.head.lower().split()[:1] if word in k.DIRECTIONS])
    for key, value in raw.pairs:
        if value.strip() in _NOTHING and not _MAY_BE_NONE.search(key):
            continue
        first, *others = _BESIDE.split(value.strip())
        _take(found, k.words_of(key), _BEHIND_A_COMMA.sub("", first))
        for other in others:
            name, _, said = other.partition(":")
            _take(found, k.words_of(name), said.strip())
        for m in _BEHIND_A_COMMA.finditer(first):
            _take(found, k.words_of(m[1]), m[2].strip())
    if len(found.spis) > 1:
        found.put("spi_in", found.spis[0])
        found.put("spi_out", found.spis[1])
    return found


def _way(words: list[str], value: str) -> str:
    """The direction that a record says it is of: `Dir  in`."""
    low = value.strip().lower()
    if not k.WAYS & set(words):
        return ""
    return (
        "in" if low in k.IN or low in ("<-", "<=", "←") else "out" if low in k.OUT or low in ("->", "=>", "→") else ""
    )


def _named(head: str) -> str:
    """What a paragraph's first line calls the tunnel or its far end: the word after `to`, `with` or `tunnel`, if it is no number."""
    called = next((m[1] for m in _CALLED.finditer(head) if m[1].lower() not in _NO_NAMES), "")
    words = head.split()
    return called or (words[0] if len(words) == 1 and re.fullmatch(r"[A-Za-z][\w.-]*", words[0]) else "")


def _take(found: Found, words: list[str], value: str) -> None:
    key = _Key(words, frozenset(words), k.direction_of(words) or found.way)
    for take in _IN_TURN:
        if take(found, key, value):
            return


def _spi(found: Found, key: _Key, value: str) -> bool:
    if not key.bag & {"spi", "spis"}:
        return False
    told = [m.lower().zfill(8) for m in k.SPI_VALUE.findall(_hexadecimal(value))]
    if key.way and len(told) == 1:
        found.put(f"spi_{key.way}", told[0])
    elif told:
        spis(found, value, told)
    return True


def _hexadecimal(spi: str) -> str:
    """An SPI that is written as a number, as the others are."""
    return f"0x{int(spi):08x}" if k.DECIMAL_SPI.fullmatch(spi) and int(spi) < 1 << 32 else spi


def _state(found: Found, key: _Key, value: str) -> bool:
    if not (key.bag & k.STATE or key.words == ["phase"]):
        return False
    found.put("state", value)
    return True


def _counted(found: Found, key: _Key, value: str) -> bool:
    if not (key.bag & k.COUNTED or (key.way and k.COUNT.search(value))):
        return False
    counts(found, key.bag, key.way, value)
    return True


def _until(found: Found, key: _Key, value: str) -> bool:
    """When it is renewed, or ends."""
    if key.bag & k.REKEY and not key.bag & {"expires", "expiry"}:
        found.put("rekey_in_s", length(value))
    elif key.bag & k.LEFT or (key.bag & {"lifetime", "life"} and _STILL.search(value)):
        found.put("expires_in_s", length(value))
    else:
        return False
    return True


def _since(found: Found, key: _Key, value: str) -> bool:
    moment = k.DATE.search(value)
    up = key.words == ["up"] or ("up" in key.bag and key.bag & {"for", "time", "since"})
    if key.bag & k.AGE or up:
        found.put("up_since" if moment else "age_s", seconds_at(moment[0]) if moment else length(value))
    elif key.bag & {"time", "at", "timestamp", "date"} and moment:
        found.put("at", seconds_at(moment[0]))
    else:
        return False
    return True


def _carried(found: Found, key: _Key, value: str) -> bool:
    if not key.bag & k.CARRIED:
        return False
    found.put("encapsulation", encapsulation(value))
    return True


def _algorithm(found: Found, key: _Key, value: str) -> bool:
    if key.bag & k.INTEGRITY and "method" not in key.bag:
        said = find_proposal(value, "ESP")
        found.put("integrity", next(iter(said.values("integrity")), "") if said else "")
    elif key.bag & k.GROUP and not encryption_of(value):
        found.put("group", value if value.isdecimal() else next(iter(group_of(value)), ""))
    elif key.bag & k.CIPHER and find_proposal(value.replace("/", " "), "ESP"):
        algorithms(found, value)
    else:
        return False
    return True


def _addressed(found: Found, key: _Key, value: str) -> bool:
    if not k.ADDRESS.search(value) or "/" in value or key.bag & k.NETWORKS:
        return False
    told = [a for a in k.ADDRESS.findall(value) if is_address(a)]
    bag = key.bag
    if found.way == "in" and bag & k.ENDS:
        bag = frozenset({"remote"} if bag & {"source", "src"} else {"local"})
    if bag & k.OWN:
        found.own += told
    elif bag & k.FAR and len(told) == 1:
        found.peers += told
    else:
        found.loose += told
    return True


def _name(found: Found, key: _Key, value: str) -> bool:
    plain = re.search(r"[A-Za-z]{2}", value) and not k.ADDRESS.search(value)
    if not key.bag & k.NAMES or found.name or not plain:
        return False
    found.name = value.split()[0].strip("\"',;")
    return True


def _state_of_a_phase(found: Found, key: _Key, value: str) -> bool:
    """`IKE  up`, `Child  rekeying`: the child's is the tunnel's."""
    phases = key.bag & {"ike", "child", "sa", "esp", "ipsec", "phase"}
    if not (phases and len(value) < MOST_STATE and re.match(r"[A-Za-z]", value) and state_of(value)):
        return False
    if key.bag & {"child", "esp", "ipsec"}:
        found.values.pop("state", None)
    found.put("state", value)
    return True


_DIRECTION = re.compile(r"\b(?:in|out)(?:bound)?\b|0x", re.IGNORECASE)


def _by_value(found: Found, _key: _Key, value: str) -> bool:
    """Two SPIs, or an algorithm, under a key that nobody knows."""
    told = k.SPI.findall(value)
    if len(told) == len(("in", "out")) and not re.search(r"[g-z]", _DIRECTION.sub("", value), re.IGNORECASE):
        spis(found, value, [m.lower() for m in told])
        return True
    said = find_proposal(value.replace("/", " "), "ESP")
    if said is None or not said.values("encryption") or seconds_of(value) is not None:
        return False
    algorithms(found, value)
    return True


def _state_alone(found: Found, key: _Key, value: str) -> bool:
    if key.words or not state_of(value) or len(value) >= MOST_STATE:
        return False
    found.put("state", value)
    return True


_IN_TURN = (
    _spi, _state, _counted, _until, _since, _carried, _algorithm, _addressed, _name, _state_of_a_phase, _by_value, _state_alone,
)  # fmt: skip
"""The first that takes a value keeps it."""
