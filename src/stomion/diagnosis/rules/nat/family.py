"""What the rules of this stage share: all translated traffic of the tunnel, each with its one reason."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Certainty, Finding, Remedy
from stomion.model.tables import Hook, Rule, Tables
from stomion.space.boxes import Region, region
from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import EXEMPTS, Break, all_alike, asked_text, breaks, covering, flow_text, flows_of
from stomion.walk.chains import chain_of
from stomion.walk.gateway import policy_boxes
from stomion.walk.journey import between
from stomion.walk.passage import Fate

HOOKS = (Hook.POSTROUTING, Hook.PREROUTING)


class Exemption(StrEnum):
    """What is wrong with the exemption of translated traffic: each is the matter of one rule."""

    MISSING = "missing"
    SHADOWED = "below a wider translation"
    PARTIAL = "for a part only"


@dataclass(frozen=True, slots=True)
class Caught:
    """Traffic of the tunnel that a rule translates. `other` exempts too late or too little, `packets` are all that should be exempt."""

    why: Exemption
    found: Break
    rule: Rule
    order: int
    packets: Region
    other: Rule | None = None


def caught(context: Context) -> tuple[Caught, ...]:
    """All translated traffic with its one reason; worked out once for all rules of this family (`Context.once`)."""
    if context.cause is not None:
        return ()
    return tuple(
        _caught(context, found, found.rule, found.end.tables, order)
        for order, found in enumerate(breaks(context.picture))
        if found.leg.fate is Fate.TRANSLATED and found.rule is not None and found.end.tables is not None
    )


def first_caught(context: Context, why: Exemption) -> Caught | None:
    """The first translated traffic with this reason."""
    return next((c for c in context.once(caught) if c.why is why), None)


def _caught(context: Context, found: Break, rule: Rule, tables: Tables, order: int) -> Caught:
    packets = _all_packets(context, found)
    hit = Region((found.leg.box,))
    earlier, below = covering(tables, found.leg, packets, HOOKS, EXEMPTS)
    later = [r for r in below if Region(r.boxes) & hit]
    if later:
        return Caught(Exemption.SHADOWED, found, rule, order, packets, later[0])
    if earlier:
        return Caught(Exemption.PARTIAL, found, rule, order, packets, earlier[-1])
    return Caught(Exemption.MISSING, found, rule, order, packets)


def translated_words(context: Context, found: Break) -> str:
    """All packets that fare as this traffic does."""
    return packets_text(all_alike(context.picture, found))


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


def exemption_finding(context: Context, spec: Spec, item: Caught, summary: str, remedy: str) -> Finding:
    """The finding of one of this family's rules: its sentence and change, with the proof and facts that all of them have."""
    found, rule, other = item.found, item.rule, item.other
    tables = found.end.tables
    assert tables is not None
    chain = chain_of(tables, rule)
    facts: dict[str, object] = {
        "rule": rule.label,
        "chain": chain.name if chain else "",
        "packets": translated_words(context, found),
    }
    if other is not None:
        facts["exemption"] = other.label
    if found.flow is not None:
        facts["flow"] = flow_text(found.flow.test)
    places = [rule.where, other.where if other else None, found.flow.test.where if found.flow else None]
    detail = "" if tables.tunnel_devs else "Translated, they leave unencrypted, readable by anyone on the path."
    if found.flow is not None and (asked := asked_text(found.flow)):
        detail = " ".join(filter(None, (detail, f"{asked}.")))
    site = found.end.site
    finding = spec.finding([site], Certainty.PROVEN, summary, [Remedy(site, remedy)], places, facts, detail)
    return replace(finding, order=item.order)
