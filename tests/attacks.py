"""Texts that a pattern finds hard: what stands within its own repetitions, many times over, and then something that does not fit."""

from __future__ import annotations

import random
import re
import signal
from collections.abc import Iterator
from re import _constants, _parser  # type: ignore[attr-defined]
from typing import Any

LETTERS = 2_048
"""Of a text. One step for each two of them is 2 million, which takes a hundredth of a second; one for each three takes minutes."""
PATIENCE_S = 2.0
MANY = 6
"""Repetitions that may be as many count as without end."""
UNITS = (
    "a", "1", " ", "1.", "a:", "1:", "=", "[", "-", '"', "0x", "a ", "1 ", "a=", "(", ".", "a.", "a-", "/", "1.1.1.1 ", "a,", "'", "a b ",
    "<a>", "::", "\\", "{", "f:", "_", "/*",
)  # fmt: skip
_CATEGORIES = {"DIGIT": "1", "SPACE": " ", "WORD": "a", "NOT_SPACE": "a", "NOT_DIGIT": "a", "NOT_WORD": "-"}


class TooSlow(Exception):
    pass


def hard_text(pattern: re.Pattern[str], seed: int) -> str | None:
    """One of the texts that `pattern` takes more than PATIENCE_S to search, None where it gets through all of them."""
    chance = random.Random(seed)
    units = [("", unit) for unit in UNITS]
    for _ in range(3):
        units += _units(list(_parser.parse(pattern.pattern, pattern.flags)), "", chance)
    for head, unit in dict.fromkeys(units):
        for begin, again in ((head, unit), ("", head + unit)):
            text = begin + again * ((LETTERS - len(begin)) // max(1, len(again))) + "\x01"
            if again and not _gets_through(pattern, text):
                return f"{begin!r} + {again!r} * n"
    return None


def _gets_through(pattern: re.Pattern[str], text: str) -> bool:
    before = signal.signal(signal.SIGALRM, _stop)
    signal.setitimer(signal.ITIMER_REAL, PATIENCE_S)
    try:
        for _ in pattern.finditer(text):
            pass
    except TooSlow:
        return False
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
    return True


def _stop(*_: object) -> None:
    raise TooSlow


def _units(nodes: list[Any], before: str, chance: random.Random) -> Iterator[tuple[str, str]]:
    """(what leads up to it, what is repeated) of every repetition in a parsed pattern."""
    for k, (op, value) in enumerate(nodes):
        here = before + _example(nodes[:k], chance)
        name = str(op)
        if name.endswith("_REPEAT"):
            if value[1] is _constants.MAXREPEAT or int(value[1]) >= MANY:
                yield here, _example(value[2], chance)
            yield from _units(list(value[2]), here, chance)
        elif name == "SUBPATTERN":
            yield from _units(list(value[3]), here, chance)
        elif name == "ATOMIC_GROUP":
            yield from _units(list(value), here, chance)
        elif name == "BRANCH":
            for branch in value[1]:
                yield from _units(list(branch), here, chance)


def _example(nodes: Any, chance: random.Random) -> str:
    """A text that a parsed pattern would probably match."""
    out = []
    for op, value in nodes:
        match str(op):
            case "LITERAL":
                out.append(chr(value))
            case "NOT_LITERAL" | "ANY":
                out.append("a" if value != ord("a") else "b")
            case "IN":
                out.append(_one_of(value, chance))
            case "MAX_REPEAT" | "MIN_REPEAT" | "POSSESSIVE_REPEAT":
                times = min(max(value[0], chance.choice((0, 1, 1))), 99)
                out.append("".join(_example(value[2], chance) for _ in range(times)))
            case "SUBPATTERN":
                out.append(_example(value[3], chance))
            case "ATOMIC_GROUP":
                out.append(_example(value, chance))
            case "BRANCH":
                out.append(_example(chance.choice(value[1]), chance))
    return "".join(out)


def _one_of(items: list[Any], chance: random.Random) -> str:
    kind, value = chance.choice(items)
    match str(kind):
        case "LITERAL":
            return chr(value)
        case "RANGE":
            return chr(chance.choice(value))
        case "CATEGORY":
            return _CATEGORIES.get(str(value).removeprefix("CATEGORY_"), "a")
    return chance.choice("a1 -.:=/x")
