"""What an end is evidently set to, as far as its own packets tell: for the engineer who has no access to it."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from stomion.diagnosis.spec import listed
from stomion.exchange.negotiation import Negotiation, Step
from stomion.tunnel.picture import End, Picture
from stomion.wire.ike.bodies import KeV2, Opaque
from stomion.wire.ike.numbers import PayloadV1, PayloadV2
from stomion.wire.registries import VENDOR_IDS

_KINDS = (("encryption", "ENCR"), ("integrity", "INTEG"), ("prf", "PRF"), ("group", "KE"), ("authentication", "AUTH"))


@dataclass(frozen=True, slots=True)
class Setting:
    """One parameter, its value, and what this rests on."""

    name: str
    value: str
    basis: str


def evident_settings(picture: Picture, end: End) -> tuple[Setting, ...]:
    """From the offers, choices, wishes and timing of one end; empty where it never spoke on the wire."""
    asked = [n for n in picture.negotiations if n.initiator in end.addresses and n.offered]
    answered = [n for n in picture.negotiations if n.responder in end.addresses]
    found: list[Setting] = []
    if asked:
        found.append(
            Setting(
                "IKE",
                f"version {asked[-1].version}" + (f", {asked[-1].mode} mode" if asked[-1].mode else ""),
                _count(asked),
            )
        )
        found.extend(_offered(asked))
        found.append(_guess(asked)) if any(_ke(n) for n in asked) else None
    found.extend(_answers(answered))
    if asked:
        found.append(_rhythm(asked))
    vendor = _vendor(asked + answered, end)
    if vendor:
        found.append(Setting("can", vendor, "its vendor IDs"))
    return tuple(s for s in found if s.value)


def _count(found: list[Negotiation]) -> str:
    return f"in all {len(found)} attempts" if len(found) > 1 else "in its one attempt"


def _offered(asked: list[Negotiation]) -> list[Setting]:
    out = []
    for kind, name in _KINDS:
        sets = [tuple(dict.fromkeys(v for p in n.offered for v in p.values(kind))) for n in asked]
        values = sets[-1]
        if not values:
            continue
        basis = "offered " + (_count(asked) if len(set(sets)) == 1 else "in the last attempt; it offered others before")
        if len(values) == 1 and len(set(sets)) == 1:
            basis = "only value " + _count(asked)
        out.append(Setting(name, ("group " if kind == "group" else "") + listed(values), basis))
    return out


def _ke(n: Negotiation) -> KeV2 | None:
    return next((p.body for s in n.steps[:1] for p in s.message.payloads if isinstance(p.body, KeV2)), None)


def _guess(asked: list[Negotiation]) -> Setting:
    groups = {str(ke.group) for n in asked if (ke := _ke(n))}
    return Setting("first KE", f"group {listed(sorted(groups))}", "the group it tries first")


def _answers(answered: list[Negotiation]) -> list[Setting]:
    out = []
    chosen = next((n for n in reversed(answered) if n.chosen), None)
    if chosen is not None:
        out.append(Setting("takes", str(chosen.chosen[0]), "what it chose from an offer"))
    wanted = next((n.wanted_group for n in reversed(answered) if n.wanted_group is not None), None)
    if wanted is not None:
        out.append(Setting("wants", f"group {wanted}", "its INVALID_KE_PAYLOAD"))
    return out


def _rhythm(asked: list[Negotiation]) -> Setting:
    """How it starts and how stubborn it is."""
    tries = max(len([s for s in n.steps if s.src == n.initiator and s.raw == n.steps[0].raw]) for n in asked)
    text = "starts by itself"
    if len(asked) > 2:
        gaps = sorted(b.start - a.start for a, b in itertools.pairwise(asked))
        text += f", about every {gaps[len(gaps) // 2]:.0f} s"
    ignores = any(_sends_after_refusal(n) for n in asked)
    text += "; ignores refusals" if ignores else ""
    return Setting("habit", text + (f"; {tries} tries" if tries > 1 else ""), _count(asked))


def _sends_after_refusal(n: Negotiation) -> bool:
    return n.refusal_step >= 0 and any(s.again and s.src == n.initiator for s in n.steps[1:])


def _vendor(found: list[Negotiation], end: End) -> str:
    names: list[str] = []
    for n in found[-3:]:
        for step in n.steps:
            if step.src in end.addresses:
                names.extend(_vendor_names(step))
    return ", ".join(dict.fromkeys(names))


def _vendor_names(step: Step) -> list[str]:
    out = []
    for payload in step.message.payloads:
        if isinstance(payload.body, Opaque) and payload.kind in (PayloadV1.VENDOR_ID, PayloadV2.VENDOR_ID):
            name = VENDOR_IDS.get(payload.body.data) or VENDOR_IDS.get(payload.body.data[:16])
            out.extend([name] if name else [])
    return out
