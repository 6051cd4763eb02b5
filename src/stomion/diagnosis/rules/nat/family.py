"""Translation of tunnel traffic: whether an exemption is missing, shadowed or partial, for the three rules that ask."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Certainty, Finding, Remedy
from stomion.model.tables import Hook, Rule
from stomion.space.boxes import Region, region
from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import EXEMPTS, Break, all_alike, asked_text, breaks, covering, flow_text, flows_of
from stomion.walk.chains import chain_of
from stomion.walk.gateway import policy_boxes
from stomion.walk.journey import between
from stomion.walk.passage import Fate

HOOKS = (Hook.POSTROUTING, Hook.PREROUTING)


def exemption_fault(context: Context, spec: Spec, wanted: str) -> Finding | None:
    """The finding of one kind (`missing`, `shadowed`, `partial`), for the first translated traffic that is of that kind."""
    if context.cause is not None:
        return None
    for order, found in enumerate(breaks(context.picture)):
        if found.leg.fate is not Fate.TRANSLATED or found.rule is None:
            continue
        kind, other = _kind(context, found)
        if kind == wanted:
            return replace(_finding(context, spec, found, other, kind), order=order)
    return None


def _all_packets(context: Context, found: Break) -> Region:
    flows = flows_of(context.picture)
    assert flows is not None
    index = 0 if found.end is context.picture.left else 1
    side = flows.sides[index]
    every = region(between(side, flows.sides[1 - index]))
    packet = Region((found.leg.box,))
    for policy in side.policies:
        # One pair of ranges at a time, where there are several: an exemption of another pair is not a part of this one's.
        mine = region(policy_boxes(policy)) & every
        if mine & packet:
            return mine.merged()
    return every


def _kind(context: Context, found: Break) -> tuple[str, Rule | None]:
    """What is wrong with the exemption, and the rule that exempts too late or too little."""
    assert found.rule is not None and found.end.tables is not None
    packets = _all_packets(context, found)
    hit = Region((found.leg.box,))
    earlier, below = covering(found.end.tables, found.leg, packets, HOOKS, EXEMPTS)
    later = [r for r in below if Region(r.boxes) & hit]
    if later:
        return "shadowed", later[0]
    return ("partial", earlier[-1]) if earlier else ("missing", None)


def _finding(context: Context, spec: Spec, found: Break, other: Rule | None, kind: str) -> Finding:
    rule, end = found.rule, found.end
    assert rule is not None and end.tables is not None
    tables, chain = end.tables, chain_of(end.tables, rule)
    packets = _all_packets(context, found)
    words = packets_text(all_alike(context.picture, found))
    if kind == "shadowed":
        assert other is not None
        far = context.picture.other(end).title
        summary = f"At {end.title} {rule.label} translates what goes to {far} before {other.label} can exempt it."
        remedy = f"move {other.label} above {rule.label}"
    elif kind == "partial":
        assert other is not None
        summary = f"At {end.title} {other.label} exempts only a part; {rule.label} translates the rest: {words}."
        remedy = f"widen {other.label} to {packets_text(packets)}"
    else:
        summary = f"{end.title} translates what goes to {context.picture.other(end).title} ({rule.label}); nothing exempts it."
        remedy = f"exempt {packets_text(packets)} from translation, above {rule.label}"
    facts: dict[str, object] = {"rule": rule.label, "chain": chain.name if chain else "", "packets": words}
    if other is not None:
        facts["exemption"] = other.label
    if found.flow is not None:
        facts["flow"] = flow_text(found.flow.test)
    places = [rule.where, other.where if other else None, found.flow.test.where if found.flow else None]
    clear = not tables.tunnel_devs
    detail = "Translated, they go out in clear, readable by anyone on the way." if clear else ""
    if found.flow is not None and (asked := asked_text(found.flow)):
        detail = " ".join(filter(None, (detail, f"{asked}.")))
    return spec.finding([end.site], Certainty.PROVEN, summary, [Remedy(end.site, remedy)], places, facts, detail)
