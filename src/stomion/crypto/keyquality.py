"""What is wrong with a pre-shared key as people type and paste it, told without showing any of it."""

from __future__ import annotations

import math
import unicodedata

SHORTEST = 20
"""Characters: with fewer, a key of letters and digits has less than about 100 bits. RFC 7296 2.15 asks for as much unpredictability as the
strongest key that is negotiated."""
WEAKEST_BITS = 80
_LOOK_ALIKE = frozenset("0O1lI|`'")
"""Characters that people read for one another."""
_CLASSES = ((str.islower, 26), (str.isupper, 26), (str.isdigit, 10))
_OTHERS = 32


def key_remarks(key: str) -> tuple[str, ...]:
    """Remarks in words, none of which holds a character of the key, save the name of one that no keyboard of the far end may have."""
    out = []
    if key != key.strip():
        where = [word for word, part in (("begins", key[:1]), ("ends", key[-1:])) if part.isspace()]
        out.append(f"the key {' and '.join(where)} with a blank: was it pasted with one too many?")
    if any(c.isspace() for c in key.strip()):
        out.append("the key has blanks inside: some gateways cut it there")
    odd = sorted({c for c in key if not c.isascii() or not c.isprintable()})
    if odd:
        names = ", ".join(dict.fromkeys(unicodedata.name(c, "a control character").lower() for c in odd[:3]))
        out.append(f"the key has characters beyond ASCII ({names}): the two ends may encode them differently")
    alike = sum(1 for c in key if c in _LOOK_ALIKE)
    if alike:
        many = "1 character is" if alike == 1 else f"{alike} characters are"
        out.append(f"{many} easily read as another (zero and O, one and l and I): paste it, or read it out by name")
    if len(key) < SHORTEST:
        out.append(f"the key has {len(key)} characters: make it {SHORTEST} or more, at random")
    elif guessing_bits(key) < WEAKEST_BITS:
        out.append("the key is of few different characters, or repeats itself: make it at random")
    return tuple(out)


def guessing_bits(key: str) -> float:
    """A generous bound of what a guesser has to try, in bits: the classes of characters used, for as many as differ from the one before."""
    size = sum(count for is_of, count in _CLASSES if any(map(is_of, key)))
    size += _OTHERS if any(not c.isalnum() for c in key) else 0
    telling = len([c for before, c in zip("\0" + key, key, strict=False) if c != before])
    telling = min(telling, 2 * len(set(key)))
    return telling * math.log2(size) if size else 0.0
