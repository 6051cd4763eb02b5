"""One packet's way through both gateways on facing pages, its answer beneath, and what becomes of all packets."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.algebra.packetwords import packets_text
from stomion.diagnosis.flows import Flow, Flows, flow_text
from stomion.diagnosis.trial import Change, Difference
from stomion.exchange.picture import Picture
from stomion.model.provenance import Provenance
from stomion.model.tables import Rule
from stomion.tui.spans import Line, cut, left, paragraph, right
from stomion.walk.journey import NEAR, Leg, Share
from stomion.walk.passage import Fate, Step

SPINE = 17
"""Columns of the seam: an arrow and the name of the decision."""
BAR = 24
"""Columns of the bar that shows a share's size."""
_NAMES = {
    "host": "host",
    "translate": "translation",
    "route": "route",
    "filter": "filter",
    "tunnel": "tunnel",
    "host filter": "host filter",
}
_TONES = {Fate.CARRIED: "proven", Fate.LOCAL: "muted", Fate.UNCERTAIN: "doubt"}


@dataclass(frozen=True, slots=True)
class Stop:
    """What a line stands for: a decision with its rule, at one end (0 left, 1 right), in a chain."""

    side: int = 0
    step: Step | None = None
    rule: Rule | None = None
    chain: str = ""
    where: Provenance | None = None


Built = list[tuple[Line, Stop | None]]


@dataclass(frozen=True, slots=True)
class Trial:
    """Changes tried so far, and what they make of the packets."""

    changes: tuple[Change, ...]
    differences: tuple[Difference, ...]


def page(
    picture: Picture, flows: Flows, flow: Flow | None, place: tuple[int, int], width: int, trial: Trial | None
) -> Built:
    """`place` is the flow's number and how many there are."""
    half = max(20, (width - SPINE - 4) // 2)
    built: Built = [([], None), *[(line, None) for line in _heads(picture, flow, place, half)]]
    if flow is not None and flow.trip is not None:
        sender = 0 if flow.test.from_left else 1
        built += _leg(flows, flow.trip.there, sender, half)
        if flow.trip.back is not None:
            built.append(([(" " * (half + 4), "plain"), ("its answer", "muted")], None))
            built += _leg(flows, flow.trip.back, 1 - sender, half)
        built.append(([], None))
        built += [(line, None) for line in _verdict(flow, width, trial is not None)]
    elif flow is not None:
        built.append(([("  This flow can't be walked: an address or a service of it is not known.", "muted")], None))
    built.append(([], None))
    if trial is not None:
        built += [(line, None) for line in _trial(trial, picture, width)]
    built += [(line, None) for line in _shares(flows, picture, width)]
    return built


def _heads(picture: Picture, flow: Flow | None, place: tuple[int, int], half: int) -> list[Line]:
    names: Line = [
        (right(picture.left.title, half), "!strong"),
        (" " * SPINE, "plain"),
        (picture.right.title, "!strong"),
    ]
    if flow is None:
        return [
            names,
            [(" " * 2 + "No flow was tested or is expected; / takes one: 10.64.0.9 > 10.96.0.10 tcp/80", "muted")],
            [],
        ]
    test = flow.test
    outcome = (
        "was not tried"
        if not test.seen
        else "was answered"
        if test.passed
        else f"got no answer{f' ({test.error})' if test.error else ''}"
    )
    wish = "" if test.expected else ", and ought to be blocked"
    head: Line = [
        ("  " + flow_text(test), "!strong"),
        (f"   {outcome}{wish}", "muted"),
        (f"   flow {place[0] + 1} of {place[1]}", "faint"),
    ]
    return [head, [], names]


def _leg(flows: Flows, leg: Leg, sender: int, half: int) -> Built:
    built: Built = []
    ended = leg.fate is not Fate.CARRIED
    for index, (at, step) in enumerate(leg.steps):
        side = sender if at == NEAR else 1 - sender
        broken = ended and index == len(leg.steps) - 1
        built.append((_step_line(step, side, sender, half, broken), _stop(flows, leg, step, side)))
    if not leg.steps:
        built.append(([(" " * (half + 4), "plain"), ("no table of this way is known", "faint")], None))
    return built


def _stop(flows: Flows, leg: Leg, step: Step, side: int) -> Stop:
    tables = flows.sides[side].gateway
    chain = ""
    if tables is not None and step.rule is not None:
        chain = next((c.name for c in tables.chains.values() if any(r is step.rule for r in c.rules)), "")
    return Stop(side, step, step.rule, chain, step.where)


def _step_line(step: Step, side: int, sender: int, half: int, broken: bool) -> Line:
    tone = "change" if broken else "plain"
    arrow = "▶" if sender == 0 else "◀"
    mark, mark_tone = ("╱╱", "change") if broken else ("━" + arrow, "proven")
    spine: Line = [
        (f" {mark} ", mark_tone),
        (left(_NAMES.get(step.what, step.what), SPINE - 4), "!change" if broken else "muted"),
    ]
    says = step.says
    if side == 0:
        return [(right(cut(says, half), half), tone), *spine]
    return [(" " * half, "plain"), *spine, (cut(says, half), tone)]


def _verdict(flow: Flow, width: int, tried: bool) -> list[Line]:
    leg = flow.broken
    if leg is None:
        text, tone = "The tables of both ends let it pass, and its answer too.", "proven"
        if flow.test.seen and not flow.test.passed and not tried:
            text, tone = "The tables let it pass; what stopped it is not in them.", "doubt"
    else:
        back = " on its way back" if flow.trip is not None and flow.trip.on_the_way_back else ""
        text, tone = f"It ends{back}: {leg.says or leg.fate.value}.", "change"
    return paragraph(text, "!" + tone, width - 4, 2)


def _shares(flows: Flows, picture: Picture, width: int) -> list[Line]:
    lines: list[Line] = [[("  all packets between the two LANs", "!source")]]
    for index, shares in enumerate(flows.shares):
        names = [e.title for e in picture.ends] if index == 0 else [e.title for e in picture.ends[::-1]]
        lines.append([(f"  {names[0]} to {names[1]}", "strong")])
        if not shares:
            lines.append([("    not known: an end's tables or ranges are missing", "faint")])
        total = sum(s.region.size() for s in shares)
        lines += [_share(share, total, width) for share in shares[:6]]
    return lines


def _share(share: Share, total: int, width: int) -> Line:
    tone = _TONES.get(share.fate, "change")
    part = share.region.size() / total if total else 0
    cells = max(1, round(part * BAR))
    says = f"{packets_text(share.region)}" + (f" · {share.says}" if share.says else "")
    return [
        ("    ", "plain"),
        ("█" * cells, tone),
        ("░" * (BAR - cells), "faint"),
        (f" {part * 100:5.1f} %  ", "muted"),
        (left(share.fate.value, 24), tone),
        (cut(says, max(8, width - BAR - 40)), "muted"),
    ]


def _trial(trial: Trial, picture: Picture, width: int) -> list[Line]:
    lines: list[Line] = [
        [
            (
                f"  what if: {len(trial.changes)} change{'' if len(trial.changes) == 1 else 's'}, nothing is touched",
                "!doubt",
            )
        ]
    ]
    lines += [[(f"    at {c.site}: ", "muted"), (cut(c.words, width - 20), "plain")] for c in trial.changes]
    if not trial.differences:
        lines.append([("    no packet's fate changes", "muted")])
    for d in trial.differences[:5]:
        ends = picture.ends if d.from_left else picture.ends[::-1]
        lines.append([
            (f"    {ends[0].title} to {ends[1].title}: ", "muted"), (d.before.value, _TONES.get(d.before, "change")), (" → ", "muted"),
            (left(d.after.value, 14), _TONES.get(d.after, "change")), (cut(packets_text(d.region), max(8, width - 60)), "muted"),
        ])  # fmt: skip
    return [*lines, []]
