"""Single things that a tunnel's statements say: how its peer is probed, who begins, which version and mode it speaks."""

from __future__ import annotations

import re

from stomion.drafts import words as w
from stomion.drafts.told import Told
from stomion.vocabulary.durations import seconds_of

_IKE = re.compile(r"(?:ike)?[-_ ]?v?([12])(?:\.0)?", re.IGNORECASE)
_UNTIL = frozenset({"timeout", "until"})
"""How long a peer may be silent, which counts no tries."""
_BOTH = re.compile(r"^(\d{1,6}[a-z]{0,3})[/x](\d{1,6}[a-z]{0,3})$")
"""An interval and a number of tries in one word: `15s/3`."""
IKE_WORD = re.compile(r"ike[-_ ]?v?[12](?![\d.])", re.IGNORECASE)


def probing(told: Told, words: tuple[str, ...]) -> None:
    """The interval is the length of time, or what stands after a word for it; the other number counts the tries."""
    role = ""
    words = tuple(
        part for word in words for part in (_BOTH.sub(r"\1 \2", word).split() if word[:1].isdigit() else [word])
    )
    for number, word in enumerate(words):
        parts = {word.lower(), *w.parts_of(word)}
        following = words[number + 1].lower() if number + 1 < len(words) else ""
        if parts & w.INTERVAL and not w.is_value(word):
            role = "interval"
        elif parts & w.RETRIES and not w.is_value(word):
            role = "retries"
        elif parts & _UNTIL and not w.is_value(word):
            role = "until"
        if not re.match(r"\d", word) or w.network_of(word):
            continue
        unit = following.rstrip("s") in ("", "second", "sec", "min", "minute", "m") and following != ""
        length = seconds_of(f"{word} {following}" if unit else word)
        keyed = number + 2 < len(words) and words[number + 2][:1].isdecimal()
        tries = not keyed and following.rstrip("s") in ("retrie", "retry", "time", "trie", "attempt", "try", "failure")
        if length is None:
            continue
        if role == "until":
            told.until = length
            continue
        if (role == "retries" and not unit) or tries:
            told.retries = int(length)
        elif told.interval is None:
            told.interval = length
        elif told.retries is None:
            told.retries = int(length)


def begins(told: Told, words: tuple[str, ...]) -> None:
    rest = words[1:] if w.bag(words[:1]) & w.STARTS else words
    said = w.bag(rest) | {word.lower() for word in rest}
    if said & {"other", "others", "peer", "remote", "far", "they"} and not said & w.OWN:
        told.values.setdefault("initiate", "never")
    elif said & w.ON_TRAFFIC:
        told.values.setdefault("initiate", "on-traffic")
    elif said & w.NEVER:
        told.values.setdefault("initiate", "never")
    elif said & w.ALWAYS:
        told.values.setdefault("initiate", "always")


def version(told: Told, words: tuple[str, ...]) -> bool:
    low = [word.lower() for word in words]
    found = next(
        (
            m
            for word in (low if low and IKE_WORD.match(low[0]) else low[1:])
            for part in re.split(r"[-_/ ]", word)
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
