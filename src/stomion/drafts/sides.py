"""Which of a statement's values are the own side's and which the far one's."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.drafts import words as w
from stomion.drafts.said import Names
from stomion.drafts.told import Told
from stomion.space.axis import is_address

BETWEEN = ("<->", "<=>", "===", "==", "->", "=>", "-->")


def share(told: Told, above: tuple[str, ...], words: tuple[str, ...], topic: str, names: Names) -> None:
    """Share the values of a statement between the two ends."""
    side = side_of((*above, *words[:1]))
    if not side and words and topic != "id":
        side = next((of for of, known in _WAYS if known & set(w.parts_of(words[0]))), "")
    if topic == "end" and len(words) == len(("to", "ADDRESS")) and not side:
        side = {"from": "own", "to": "far"}.get(words[0].lower(), "")
    if topic == "id" and (pair := _as_and_expected(words)):
        told.values.setdefault("local_id", pair[0])
        told.values.setdefault("remote_id", pair[1])
        return
    between = next((n for n, word in enumerate(words) if word in BETWEEN), None)
    if between is None and words and words[0].lower() == "between":
        between = next((n for n, word in enumerate(words) if word.lower() == "and"), None)
    if between is None and not side:
        between = _turning(words, names)
    for number, word in enumerate(words):
        if word in BETWEEN:
            continue
        low = word.lower()
        mine = side_of((word,)) if not w.is_value(word) and word not in names.networks else ""
        if between is not None:
            side = "own" if number < between else "far"
        elif mine and not (topic != "id" and number == len(words) - 1):
            side = mine
            continue
        if topic == "end" and low == "as" and side and number + 1 < len(words):
            told.values.setdefault("local_id" if side == "own" else "remote_id", words[number + 1])
            return
        values = _values(words, number, topic, names)
        for value in values:
            _put(told, topic, side, value)
        if topic == "id" and not values and number and side and not _is_key(low):
            told.values.setdefault("local_id" if side == "own" else "remote_id", word)


_WAYS = (
    ("own", frozenset({"source", "src", "origin"})),
    ("far", frozenset({"destination", "dst", "dest"})),
)


def _as_and_expected(words: Sequence[str]) -> tuple[str, str] | None:
    """`identifies itself as X and expects Y`."""
    low = [word.lower() for word in words]
    own = next((low.index(word) for word in ("as",) if word in low), -1)
    far = next((low.index(word) for word in ("expects", "expect", "expecting", "wants") if word in low), -1)
    return (words[own + 1], words[far + 1]) if 0 <= own < far < len(words) - 1 else None


def _turning(words: Sequence[str], names: Names) -> int | None:
    """Where a sentence turns to the far side: the `to` between values of both, if neither stands by a word for a side."""
    if any(side_of((word,)) for word in words if not w.is_value(word) and word not in names.networks):
        return None
    values = [
        n
        for n, word in enumerate(words)
        if w.network_of(word) or word in names.networks or word.lower() in w.EVERYTHING
    ]
    turns = [n for n, word in enumerate(words) if word.lower() in _TURNING and values and values[0] < n < values[-1]]
    apart = [
        n
        for n in turns
        if not (is_address(words[n - 1]) and is_address(words[n + 1]) and len(values) > len(("A", "B")))
    ]
    return apart[0] if len(apart) == 1 else None


_TURNING = frozenset({"to", "towards", "toward", "with", "against", "into", "reaching"})


def _is_key(word: str) -> bool:
    parts = set(w.parts_of(word))
    return (
        word in w.IDENTITY
        or word in w.OWN | w.FAR
        or (
            bool(parts)
            and parts <= w.IDENTITY | w.OWN | w.FAR | {"type", "value", "fqdn", "email", "user", "side", "end"}
        )
    )


def _values(words: tuple[str, ...], number: int, topic: str, names: Names) -> tuple[str, ...]:
    word = words[number]
    if topic == "id":
        return (word,) if is_address(word) else ()
    if topic == "networks" and word in names.networks:
        return tuple(map(whole, names.networks[word]))
    if topic == "networks" and word in names.cards and number == len(words) - 1:
        return tuple(w.network_of(address) for address in names.cards[word])
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
    return (whole(network),) if network else ()


def whole(network: str) -> str:
    """One address as the prefix that it is."""
    alone = "/" not in network and "-" not in network
    return network + ("/128" if ":" in network else "/32") if alone else network


def _put(told: Told, topic: str, side: str, value: str) -> None:
    if topic == "networks":
        if side:
            (told.near if side == "own" else told.far).append(value)
    elif topic == "id" and side:
        told.values.setdefault("local_id" if side == "own" else "remote_id", value)
    elif topic == "end" and side:
        told.values.setdefault("local" if side == "own" else "peer", value)


def side_of(words: Sequence[str]) -> str:
    """The last word that tells a side."""
    for word in reversed(words):
        parts = {word.lower(), *w.parts_of(word)}
        if parts & w.OWN:
            return "own"
        if parts & w.FAR:
            return "far"
    return ""
