"""One gateway: out of its LAN into the tunnel, or out of the tunnel to its LAN; every piece of a set with its fate.

Order where translation comes first (the usual one): destination translation, routing, filter, source translation, tunnel
decision on what the packet is then. Where it does not, the tunnel decides before any translation and sealed packets pass none.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from stomion.algebra.boxes import DESTINATION, EVERY, SOURCE, Box, address_number, address_text
from stomion.model.provenance import Provenance
from stomion.model.tables import (
    DESTINATION_TO,
    ESTABLISHED,
    MASQUERADE,
    NEW,
    SOURCE_TO,
    Chain,
    Policy,
    Rule,
    Tables,
)
from stomion.walk.chains import Setting, Verdict, blocked, through
from stomion.walk.pieces import Piece
from stomion.walk.routing import LOCAL, Way, routed

TUNNEL = "tunnel"
"""The zone of packets that go into a tunnel or come out of one."""


class Fate(StrEnum):
    """What becomes of packets."""

    CARRIED = "carried"
    TRANSLATED = "translated"
    LEAKED = "in clear"
    DROPPED = "dropped"
    LOST = "no way"
    LOCAL = "for the gateway itself"
    UNCERTAIN = "uncertain"


@dataclass(frozen=True, slots=True)
class Step:
    """One decision on the way: `what` was decided, `says` it in words, `where` it stands, and the packet as it is after it."""

    what: str
    says: str
    where: Provenance | None = None
    rule: Rule | None = None


@dataclass(frozen=True, slots=True)
class Passage:
    """A piece that went through a gateway, or ended there. `rule` is the one that decided its fate, where one did."""

    piece: Piece
    fate: Fate
    steps: tuple[Step, ...] = ()
    rule: Rule | None = None
    chain: Chain | None = None
    way: Way | None = None
    policy: Policy | None = None
    says: str = ""
    tag: int = 0
    """Which of the pieces that came in this is a part of."""

    def after(self, step: Step, **more: object) -> Passage:
        """One step on."""
        return replace(self, steps=(*self.steps, step), **more)  # type: ignore[arg-type]


def outbound(tables: Tables, pieces: Iterable[Piece], in_dev: str, state: str = NEW) -> list[Passage]:
    """From the LAN towards the far side."""
    zone = tables.zones.get(in_dev, "")
    passages = _prerouting(
        tables, [Passage(piece, Fate.CARRIED, tag=piece.tag) for piece in pieces], in_dev, zone, state
    )
    ended, groups = _by_way(tables, passages, in_dev)
    return [*ended, *(p for group in groups for p in _forwarded(tables, group, in_dev, zone, state))]


def _by_way(tables: Tables, passages: list[Passage], in_dev: str) -> tuple[list[Passage], list[list[Passage]]]:
    """Passages routed: those whose way ends here, and the others in groups that leave by the same interface."""
    ended: list[Passage] = []
    groups: dict[str, list[Passage]] = {}
    for passage in passages:
        if passage.fate is not Fate.CARRIED:
            ended.append(passage)
            continue
        for way in routed(tables, [passage.piece], in_dev):
            part, goes_on = _routed(tables, passage, way)
            if goes_on:
                groups.setdefault(way.dev, []).append(part)
            else:
                ended.append(part)
    return ended, list(groups.values())


def inbound(tables: Tables, pieces: Iterable[Piece], policy: Policy | None, state: str = NEW) -> list[Passage]:
    """Out of the tunnel towards the LAN; `policy` is the tunnel's, whose selectors the packets must fit."""
    fresh, refused = _fitting(list(pieces), policy)
    in_dev = policy.dev if policy is not None else ""
    in_dev = in_dev or _wan(tables)
    zone = _tunnel_zone(tables, in_dev)
    passages = _prerouting(tables, [Passage(p, Fate.CARRIED, tag=p.tag) for p in fresh], in_dev, zone, state)
    ended, groups = _by_way(tables, passages, in_dev)
    return [*refused, *ended, *(p for group in groups for p in _delivered(tables, group, in_dev, state))]


def _wan(tables: Tables) -> str:
    """The interface of the default route: packets of a tunnel without an interface of its own come in there."""
    default = [r for r in tables.routes if r.length == 0 and r.dev]
    return default[0].dev if default else ""


def _tunnel_zone(tables: Tables, dev: str) -> str:
    """The zone of packets of a tunnel: its interface's, where it has one of its own, else the one named `tunnel`."""
    return (tables.zones.get(dev) if dev in tables.tunnel_devs else "") or TUNNEL


def _fitting(pieces: list[Piece], policy: Policy | None) -> tuple[list[Piece], list[Passage]]:
    """Packets out of the tunnel that its selectors allow, and those they do not."""
    if policy is None:
        return pieces, []
    fit: list[Piece] = []
    rest = pieces
    for box in policy_boxes(policy, inwards=True):
        following: list[Piece] = []
        for piece in rest:
            cut = piece.cut(box)
            if cut is not None:
                fit.append(cut)
            following.extend(piece.without(box))
        rest = following
    why = "outside the tunnel's selectors at this end"
    step = (Step("tunnel", why, policy.where),)
    return fit, [Passage(p, Fate.DROPPED, step, policy=policy, says=why, tag=p.tag) for p in rest]


def policy_boxes(policy: Policy, inwards: bool = False) -> list[Box]:
    """The packets of a tunnel's selectors, outwards (near to far) or inwards."""
    services = policy.services or ((EVERY[2], EVERY[4]),)
    boxes: list[Box] = []
    for near in policy.near:
        for far in policy.far:
            first, second = (far, near) if inwards else (near, far)
            boxes.extend((first, second, protocol, EVERY[3], port) for protocol, port in services)
    return boxes


def _prerouting(tables: Tables, passages: list[Passage], in_dev: str, zone: str, state: str) -> list[Passage]:
    """Marks, filters and destination translation before the routing decision."""
    setting = Setting(in_dev=in_dev, in_zone=zone, state=state)
    passages = _filters(tables, passages, "prerouting", setting)
    if state == ESTABLISHED:
        return passages
    return _translate(tables, passages, "prerouting", setting)


def _filters(tables: Tables, passages: list[Passage], hook: str, setting: Setting) -> list[Passage]:
    """All base chains of a hook; an accept ends a chain, not the hook."""
    for chain in tables.base(hook, "filter"):
        following = [p for p in passages if p.fate is not Fate.CARRIED]
        pieces = [replace(p.piece, tag=i) for i, p in enumerate(passages) if p.fate is Fate.CARRIED]
        following.extend(_filtered(passages[v.piece.tag], v) for v in through(chain, pieces, setting, tables))
        passages = following
    return passages


def _filtered(passage: Passage, verdict: Verdict) -> Passage:
    rule, chain = verdict.rule, verdict.chain
    where = rule.where if rule else chain.where
    name = rule.label if rule else f"the end of {chain.name}"
    passage = replace(passage, piece=verdict.piece)
    if verdict.doubt:
        says = f"{name} in {chain.name} is not understood: {verdict.doubt}"
        return passage.after(Step("filter", says, where, rule), fate=Fate.UNCERTAIN, rule=rule, chain=chain, says=says)
    if blocked(verdict.action):
        says = f"{name} {'rejects' if verdict.action == 'reject' else 'drops'} it"
        return passage.after(Step("filter", says, where, rule), fate=Fate.DROPPED, rule=rule, chain=chain, says=says)
    return passage.after(Step("filter", f"{name} lets it pass", where, rule)) if rule or chain.rules else passage


def _forwarded(tables: Tables, group: list[Passage], in_dev: str, in_zone: str, state: str) -> list[Passage]:
    """Routed out of one interface: filter, translation, tunnel decision."""
    way = group[0].way
    assert way is not None
    sealed: dict[bool, list[Passage]] = {}
    for passage in group:
        for piece, policy in _by_policy(tables, passage.piece, way):
            into = policy is not None or way.dev in tables.tunnel_devs
            sealed.setdefault(into, []).append(replace(passage, piece=piece))
    out: list[Passage] = []
    for into, passages in sealed.items():
        zone = _tunnel_zone(tables, way.dev) if into else tables.zones.get(way.dev, "")
        setting = Setting(in_dev, way.dev, in_zone, zone, state)
        for part in _filters(tables, passages, "forward", setting):
            out.extend(_leaves(tables, part, part.way or way, setting) if part.fate is Fate.CARRIED else [part])
    return out


def _routed(tables: Tables, passage: Passage, way: Way) -> tuple[Passage, bool]:
    """The routing decision as a step; False where the way ends with it."""
    passage = replace(passage, piece=way.piece, way=way)
    if way.doubt:
        says = f"the routing is not understood: {way.doubt}"
        return passage.after(Step("route", says, way.where), fate=Fate.UNCERTAIN, says=says), False
    if way.end == LOCAL:
        return passage.after(Step("route", "for this machine itself", way.where), fate=Fate.LOCAL), False
    if way.end:
        says = "no route" if way.end == "no route" else f"the route ends it: {way.end}"
        return passage.after(Step("route", says, way.where), fate=Fate.LOST, says=says), False
    if tables.forwarding is False:
        says = "forwarding is switched off"
        return passage.after(Step("route", says, tables.forwarding_at), fate=Fate.LOST, says=says), False
    to = f" by way of {way.via}" if way.via else ""
    return passage.after(Step("route", f"out of {way.dev}{to}", way.where)), True


def _by_policy(tables: Tables, piece: Piece, way: Way) -> list[tuple[Piece, Policy | None]]:
    """A piece split by the tunnel whose selectors it fits on this way, in the order of the policies."""
    out: list[tuple[Piece, Policy | None]] = []
    rest = [piece]
    for policy in tables.policies:
        if policy.dev and policy.dev != way.dev:
            continue
        if not policy.dev and way.dev in tables.tunnel_devs:
            continue
        for box in policy_boxes(policy):
            following: list[Piece] = []
            for part in rest:
                cut = part.cut(box)
                if cut is not None:
                    out.append((cut, policy))
                following.extend(part.without(box))
            rest = following
    return out + [(part, None) for part in rest]


def _leaves(tables: Tables, passage: Passage, way: Way, setting: Setting) -> list[Passage]:
    """Translation and tunnel decision of what the filter lets out."""
    if not tables.translation_first:
        out = []
        for piece, policy in _by_policy(tables, passage.piece, way):
            part = replace(passage, piece=piece)
            out += [_sealed(part, policy)] if policy else _in_clear(tables, part, way, setting)
        return out
    out = []
    for part in _translated_out(tables, passage, way, setting):
        if part.fate is not Fate.CARRIED:
            out.append(part)
            continue
        for piece, policy in _by_policy(tables, part.piece, way):
            after = replace(part, piece=piece)
            out.append(_sealed(after, policy) if policy else _unsealed(tables, after, way))
    return out


def _translated_out(tables: Tables, passage: Passage, way: Way, setting: Setting) -> list[Passage]:
    if setting.state == ESTABLISHED:
        # An answer is translated as its question was, not by the rules (RFC 5382 keeps the mapping).
        return [passage]
    return _translate(tables, [passage], "postrouting", setting, way)


def _in_clear(tables: Tables, passage: Passage, way: Way, setting: Setting) -> list[Passage]:
    return [
        _unsealed(tables, part, way) if part.fate is Fate.CARRIED else part
        for part in _translated_out(tables, passage, way, setting)
    ]


def _sealed(passage: Passage, policy: Policy) -> Passage:
    return passage.after(Step("tunnel", f"into the tunnel {policy.tunnel}", policy.where), policy=policy)


def _unsealed(tables: Tables, passage: Passage, way: Way) -> Passage:
    """No tunnel takes it: thrown away at a tunnel's interface, or out on the wire as it is."""
    changed = bool(passage.piece.fixed)
    if way.dev in tables.tunnel_devs:
        says = "no tunnel's selectors fit it" + (" once translated" if changed else "")
        fate = Fate.TRANSLATED if changed else Fate.LOST
        return passage.after(Step("tunnel", says, None), fate=fate, says=says)
    says = "no tunnel takes it, it goes out in clear" + (", translated" if changed else "")
    return passage.after(Step("tunnel", says, None), fate=Fate.TRANSLATED if changed else Fate.LEAKED, says=says)


def _translate(
    tables: Tables, passages: list[Passage], hook: str, setting: Setting, way: Way | None = None
) -> list[Passage]:
    """The first rule of the translation chains that matches decides; an exemption ends it like any other verdict."""
    for chain in tables.base(hook, "nat"):
        following: list[Passage] = []
        for passage in passages:
            if passage.fate is not Fate.CARRIED or passage.piece.fixed:
                following.append(passage)
                continue
            for verdict in through(chain, [passage.piece], setting, tables):
                following.append(_translation(tables, passage, verdict, way))
        passages = following
    return passages


def _translation(tables: Tables, passage: Passage, verdict: Verdict, way: Way | None) -> Passage:
    rule = verdict.rule
    passage = replace(passage, piece=verdict.piece)
    if rule is None:
        return passage
    if verdict.doubt:
        says = f"{rule.label} in {verdict.chain.name} is not understood: {verdict.doubt}"
        return passage.after(
            Step("translate", says, rule.where, rule), fate=Fate.UNCERTAIN, rule=rule, chain=verdict.chain, says=says
        )
    axis, value = _to(tables, rule, way)
    if value is None:
        return passage.after(Step("translate", f"{rule.label} leaves it as it is", rule.where, rule))
    word = "source" if axis == SOURCE else "destination"
    says = f"{rule.label} makes its {word} {address_text(value)}"
    return passage.after(
        Step("translate", says, rule.where, rule),
        piece=passage.piece.with_axis(axis, value),
        rule=rule,
        chain=verdict.chain,
        says=says,
    )


def _to(tables: Tables, rule: Rule, way: Way | None) -> tuple[int, int | None]:
    """(axis, new address) of a translation; None where the rule translates nothing."""
    if rule.action in (SOURCE_TO, DESTINATION_TO):
        try:
            return (SOURCE if rule.action == SOURCE_TO else DESTINATION), address_number(rule.to)
        except ValueError:
            return SOURCE, None
    if rule.action == MASQUERADE:
        return SOURCE, _own_address(tables, way)
    return SOURCE, None


def _own_address(tables: Tables, way: Way | None) -> int:
    """The address that stands for the gateway on its way out: that of the interface, else its first one outside a LAN."""
    found = tables.addresses.get(way.dev, []) if way is not None else []
    if found:
        return found[0][0]
    fallback = [own for dev, rows in tables.addresses.items() if dev != "lo" for own, _ in rows]
    return fallback[0] if fallback else 0


def _delivered(tables: Tables, group: list[Passage], in_dev: str, state: str) -> list[Passage]:
    """Out of the tunnel and routed out of one interface: must go to a LAN, past the filter, and perhaps through a translation."""
    way = group[0].way
    assert way is not None
    setting = Setting(in_dev, way.dev, _tunnel_zone(tables, in_dev), tables.zones.get(way.dev, ""), state)
    out: list[Passage] = []
    for part in _filters(tables, group, "forward", setting):
        if part.fate is not Fate.CARRIED:
            out.append(part)
        elif way.dev in tables.tunnel_devs or any(p is not None for _, p in _by_policy(tables, part.piece, way)):
            # Out of one tunnel into another: traffic between two far sites, no end here.
            out.append(replace(part, says="into another tunnel"))
        else:
            out.extend(_translated_out(tables, part, part.way or way, setting))
    return out


def accepts(tables: Tables, pieces: Iterable[Piece], in_dev: str, state: str = NEW) -> list[Passage]:
    """Does this machine itself take the packets? Its own input chains decide."""
    fresh = [Passage(piece, Fate.CARRIED) for piece in pieces]
    return _filters(tables, fresh, "input", Setting(in_dev=in_dev, in_zone=tables.zones.get(in_dev, ""), state=state))
