"""What a judgement of a tunnel rests on: the evidence that was looked at, what nobody gave, and what proves that it carries."""

from __future__ import annotations

from stomion.model.tables import Origin
from stomion.tunnel.attempts import attempts_of, before_and_after, latest
from stomion.tunnel.lans import known_address
from stomion.tunnel.picture import End, Picture

_KINDS = ("log", "captures", "counters")


def looked_at(picture: Picture) -> tuple[str, ...]:
    """`Quayhead's log and sheet`, `Marram's sheet`, `4 tests`: in the order of the ends."""
    out = []
    for end in picture.ends:
        kinds = _given(end)
        if kinds:
            out.append(f"{end.title}'s {_listed(kinds)}")
    tried = len(attempts_of(picture))
    if tried:
        out.append("1 test" if tried == 1 else f"{tried} tests")
    return tuple(out)


def missing(picture: Picture) -> tuple[str, ...]:
    """What would show that it works, and is not there: by kind, with the end where only one lacks it."""
    out = []
    for kind in _KINDS:
        without = [end.title for end in picture.ends if kind not in _given(end)]
        if len(without) == 1:
            out.append(f"{without[0]}'s {kind}")
        elif without:
            out.append(f"{kind}{'s' if kind == 'log' else ''} of either end")
    if not latest(picture):
        out.append("tests between the LANs" + _such_as(picture))
    out += [f"{file} in words that are understood" for end in picture.ends for file in end.mute_logs]
    return tuple(out)


def _such_as(picture: Picture) -> str:
    """The test that would tell, to an address that is known to be there."""
    for end in picture.ends:
        other = picture.other(end)
        target = known_address(other, end)
        if target:
            return f" (such as ping {target} from a host behind {end.title})"
    return ""


def proof_words(picture: Picture) -> tuple[str, ...]:
    """What proves that the tunnel carries: tests that are answered, above all those that were not before it was up."""
    earlier = {a.key for a, later in before_and_after(picture) if a.silent and later.passes}
    out = []
    for attempt in latest(picture):
        if attempt.expected and attempt.passes:
            proof = attempt.key in earlier
            out.append(attempt.says + (", and silent before the tunnel was up: the tunnel carries it" if proof else ""))
    return tuple(sorted(out, key=lambda text: "silent before" not in text))


def _given(end: End) -> list[str]:
    """Kinds of evidence that an end gave."""
    tables = end.tables is not None and end.tables.source is Origin.SYSTEM
    named = (
        ("log", end.has_log), ("captures", bool(end.captures)), ("counters", end.has_counters), ("sheet", end.sheet is not None),
        ("tables", tables),
    )  # fmt: skip
    return [name for name, given in named if given]


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else ", ".join(words[:-1]) + " and " + words[-1]
