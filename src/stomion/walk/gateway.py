"""One gateway: out of its LAN into the tunnel, or out of the tunnel to its LAN; every piece of a set with its fate.

Order where translation comes first (the usual one): destination translation, routing, filter, source translation, tunnel
decision on what the packet is then. Where it does not, the tunnel decides before any translation and sealed packets pass none.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import lru_cache

from stomion.model.tables import (
    ESTABLISHED,
    NEW,
    Policy,
    Tables,
)
from stomion.space.boxes import EVERY, Box, meet
from stomion.walk.chains import Setting, Verdict, blocked, through
from stomion.walk.index import Listed
from stomion.walk.passage import Fate, Passage, Step
from stomion.walk.pieces import Piece
from stomion.walk.routing import LOCAL, Way, routed
from stomion.walk.translation import translated

TUNNEL = "tunnel"
"""The zone of packets that go into a tunnel or come out of one."""


def outbound(tables: Tables, pieces: Iterable[Piece], in_dev: str, state: str = NEW) -> list[Passage]:
    """From the LAN towards the far side."""
    zone = tables.zones.get(in_dev, "")
    passages = _prerouting(
        tables, [Passage(piece, Fate.CARRIED, tag=piece.tag) for piece in pieces], in_dev, zone, state
    )
    return _routed_on(
        tables, passages, in_dev, lambda group: _forwarded(tables, group, Setting(in_dev, in_zone=zone, state=state))
    )


def _routed_on(
    tables: Tables, passages: list[Passage], in_dev: str, onwards: Callable[[list[Passage]], list[Passage]]
) -> list[Passage]:
    """Passages routed, and those that leave by the same interface taken onwards together. What a route with several next hops takes is
    followed along each of them."""
    ended: list[Passage] = []
    groups: dict[str, list[Passage]] = {}
    ended.extend(p for p in passages if p.fate is not Fate.CARRIED)
    # Each piece carries its place, so that the tables are gone through once for all of them.
    pieces = [replace(p.piece, tag=i) for i, p in enumerate(passages) if p.fate is Fate.CARRIED]
    for way in routed(tables, pieces, in_dev):
        passage = passages[way.piece.tag]
        part, goes_on = _routed(tables, passage, way)
        if not goes_on:
            ended.append(part)
        elif any(dev != way.dev for dev, _ in way.others):
            ended.extend(_along_each(tables, passage, way, onwards))
        else:
            groups.setdefault(way.dev, []).append(part)
    return [*ended, *(p for group in groups.values() for p in onwards(group))]


def _along_each(
    tables: Tables, passage: Passage, way: Way, onwards: Callable[[list[Passage]], list[Passage]]
) -> list[Passage]:
    """The fates that are the same along every next hop; where they differ, only that they do."""
    hops = [replace(way, dev=dev, via=via, others=()) for dev, via in ((way.dev, way.via), *way.others)]
    found = onwards([_routed(tables, passage, hops[0])[0]])
    for hop in hops[1:]:
        second = onwards([_routed(tables, passage, hop)[0]])
        found = [p for a in found for b in second if (p := _both(a, b, way, hop)) is not None]
    return found


def _both(a: Passage, b: Passage, way: Way, other: Way) -> Passage | None:
    """What two next hops make of the packets they share."""
    shared = meet(a.piece.box, b.piece.box)
    if shared is None:
        return None
    part = replace(a, piece=replace(a.piece, box=shared))
    if (a.fate is b.fate and a.policy == b.policy) or a.fate is Fate.UNCERTAIN:
        return part
    fates = [f"{hop.via or hop.dev}: {p.says or p.fate.value}" for hop, p in ((way, a), (other, b))]
    says = f"it depends on the next hop taken ({'; '.join(fates)})"
    before = next((i for i, s in enumerate(a.steps) if s.what == "route"), 0)
    doubtful = replace(part, steps=a.steps[:before], fate=Fate.UNCERTAIN, policy=None, rule=None, says=says)
    return doubtful.after(Step("route", says, way.where, way=way))


def inbound(tables: Tables, pieces: Iterable[Piece], policies: tuple[Policy, ...], state: str = NEW) -> list[Passage]:
    """Out of the tunnel towards the LAN; the packets must fit one of the tunnel's selectors."""
    fresh, refused = _fitting(list(pieces), policies)
    in_dev = next((p.dev for p in policies if p.dev), "") or _wan(tables)
    zone = _tunnel_zone(tables, in_dev)
    passages = _prerouting(tables, [Passage(p, Fate.CARRIED, tag=p.tag) for p in fresh], in_dev, zone, state)
    setting = Setting(in_dev, in_zone=zone, state=state)
    return [*refused, *_routed_on(tables, passages, in_dev, lambda group: _delivered(tables, group, policies, setting))]


def _wan(tables: Tables) -> str:
    """The interface of the default route: packets of a tunnel without an interface of its own come in there."""
    default = [r for r in tables.routes if r.length == 0 and r.dev]
    return default[0].dev if default else ""


def _tunnel_zone(tables: Tables, dev: str) -> str:
    """The zone of packets of a tunnel: its interface's, where it has one of its own, else the one named `tunnel`."""
    return (tables.zones.get(dev) if dev in tables.tunnel_devs else "") or TUNNEL


def _fitting(pieces: list[Piece], policies: tuple[Policy, ...]) -> tuple[list[Piece], list[Passage]]:
    """Packets out of the tunnel that its selectors allow, and those they do not."""
    if not policies:
        return pieces, []
    fit: list[Piece] = []
    rest = pieces
    for box in (box for policy in policies for box in policy_boxes(policy, inwards=True)):
        following: list[Piece] = []
        for piece in rest:
            cut = piece.cut(box)
            if cut is not None:
                fit.append(cut)
            following.extend(piece.without(box))
        rest = following
    why, first = "outside the tunnel's selectors at this end", policies[0]
    step = (Step("tunnel", why, first.where),)
    return fit, [Passage(p, Fate.DROPPED, step, policy=first, says=why, tag=p.tag) for p in rest]


@lru_cache(16_384)
def policy_boxes(policy: Policy, inwards: bool = False) -> tuple[Box, ...]:
    """The packets of a tunnel's selectors, outwards (near to far) or inwards."""
    services = policy.services or ((EVERY[2], EVERY[4]),)
    boxes: list[Box] = []
    for near in policy.near:
        for far in policy.far:
            first, second = (far, near) if inwards else (near, far)
            boxes.extend((first, second, protocol, EVERY[3], port) for protocol, port in services)
    return tuple(boxes)


def _prerouting(tables: Tables, passages: list[Passage], in_dev: str, zone: str, state: str) -> list[Passage]:
    """Marks, filters and destination translation before the routing decision."""
    setting = Setting(in_dev=in_dev, in_zone=zone, state=state)
    passages = _filters(tables, passages, "prerouting", setting)
    if state == ESTABLISHED:
        return passages
    return translated(tables, passages, "prerouting", setting)


def _filters(tables: Tables, passages: list[Passage], hook: str, setting: Setting) -> list[Passage]:
    """All base chains of a hook; an accept ends a chain, not the hook."""
    for chain in tables.base(hook, "filter"):
        following = [p for p in passages if p.fate is not Fate.CARRIED]
        pieces = [replace(p.piece, tag=i) for i, p in enumerate(passages) if p.fate is Fate.CARRIED]
        following.extend(_filtered(passages[v.piece.tag], v, setting) for v in through(chain, pieces, setting, tables))
        passages = following
    return passages


def _filtered(passage: Passage, verdict: Verdict, setting: Setting) -> Passage:
    rule, chain = verdict.rule, verdict.chain
    where = rule.where if rule else chain.where
    name = rule.label if rule else f"the end of {chain.name}"
    passage = replace(passage, piece=verdict.piece, setting=setting)
    if verdict.doubt:
        says = f"{name} in {chain.name} is not understood: {verdict.doubt}"
        return passage.after(Step("filter", says, where, rule), fate=Fate.UNCERTAIN, rule=rule, chain=chain, says=says)
    if blocked(verdict.action):
        says = f"{name} {'rejects' if verdict.action == 'reject' else 'drops'} it"
        return passage.after(Step("filter", says, where, rule), fate=Fate.DROPPED, rule=rule, chain=chain, says=says)
    return passage.after(Step("filter", f"{name} lets it pass", where, rule)) if rule or chain.rules else passage


def _forwarded(tables: Tables, group: list[Passage], coming: Setting) -> list[Passage]:
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
        setting = replace(coming, out_dev=way.dev, out_zone=zone)
        for part in _filters(tables, passages, "forward", setting):
            out.extend(_leaves(tables, part, part.way or way, setting) if part.fate is Fate.CARRIED else [part])
    return out


def _routed(tables: Tables, passage: Passage, way: Way) -> tuple[Passage, bool]:
    """The routing decision as a step; False where the way ends with it."""
    passage = replace(passage, piece=way.piece, way=way)
    if way.doubt:
        says = f"the routing is not understood: {way.doubt}"
        return passage.after(Step("route", says, way.where, way=way), fate=Fate.UNCERTAIN, says=says), False
    if way.end == LOCAL:
        return passage.after(Step("route", "for this machine itself", way.where, way=way), fate=Fate.LOCAL), False
    if way.end:
        says = "no route" if way.end == "no route" else f"the route ends it: {way.end}"
        return passage.after(Step("route", says, way.where, way=way), fate=Fate.LOST, says=says), False
    if tables.forwarding is False:
        says = "forwarding is switched off"
        return passage.after(Step("route", says, tables.forwarding_at), fate=Fate.LOST, says=says), False
    to = f" by way of {way.via}" if way.via else ""
    return passage.after(Step("route", f"out of {way.dev}{to}", way.where, way=way)), True


def _by_policy(tables: Tables, piece: Piece, way: Way) -> list[tuple[Piece, Policy | None]]:
    """A piece split by the tunnel whose selectors it fits on this way, in the order of the policies."""
    out: list[tuple[Piece, Policy | None]] = []
    rest = [piece]
    for policy in Listed(tables.policies, policy_boxes).near(rest):
        if policy.dev and policy.dev != way.dev:
            continue
        if not policy.dev and way.dev in tables.tunnel_devs:
            continue
        for box in policy_boxes(policy):
            following: list[Piece] = []
            for part in rest:
                cut = part.cut(box)
                if cut is None:
                    following.append(part)
                    continue
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
            out.append(_sealed(after, policy) if policy else _unsealed(tables, after, way, setting.in_dev))
    return out


def _translated_out(tables: Tables, passage: Passage, way: Way, setting: Setting) -> list[Passage]:
    if setting.state == ESTABLISHED:
        # An answer is translated as its question was, not by the rules (RFC 5382 keeps the mapping).
        return [passage]
    return translated(tables, [passage], "postrouting", setting, way)


def _in_clear(tables: Tables, passage: Passage, way: Way, setting: Setting) -> list[Passage]:
    return [
        _unsealed(tables, part, way, setting.in_dev) if part.fate is Fate.CARRIED else part
        for part in _translated_out(tables, passage, way, setting)
    ]


def _sealed(passage: Passage, policy: Policy) -> Passage:
    return passage.after(Step("tunnel", f"into the tunnel {policy.tunnel}", policy.where), policy=policy)


def _unsealed(tables: Tables, passage: Passage, way: Way, in_dev: str) -> Passage:
    """No tunnel takes it: thrown away at a tunnel's interface, turned back to where it came from, or out on the wire as it is."""
    changed = bool(passage.piece.fixed)
    if way.dev in tables.tunnel_devs:
        says = "no tunnel's selectors fit it" + (" once translated" if changed else "")
        fate = Fate.TRANSLATED if changed else Fate.LOST
        return passage.after(Step("tunnel", says, None), fate=fate, says=says)
    if way.dev == in_dev != _wan(tables) and not changed:
        says = f"turned back out of {in_dev}, where it came in"
        return passage.after(Step("route", says, way.where, way=way), fate=Fate.LOOPING, says=says)
    says = "no tunnel takes it, it goes out in clear" + (", translated" if changed else "")
    return passage.after(Step("tunnel", says, None), fate=Fate.TRANSLATED if changed else Fate.LEAKED, says=says)


def _delivered(tables: Tables, group: list[Passage], tunnel: tuple[Policy, ...], coming: Setting) -> list[Passage]:
    """Out of the tunnel and routed out of one interface: must go to a LAN, past the filter, and perhaps through a translation."""
    way = group[0].way
    assert way is not None
    setting = replace(coming, out_dev=way.dev, out_zone=tables.zones.get(way.dev, ""))
    out: list[Passage] = []
    for passage in _filters(tables, group, "forward", setting):
        if passage.fate is not Fate.CARRIED:
            out.append(passage)
            continue
        for piece, policy in _by_policy(tables, passage.piece, way):
            part = replace(passage, piece=piece)
            if policy is None and way.dev not in tables.tunnel_devs:
                out.extend(_translated_out(tables, part, part.way or way, setting))
            elif way.dev == coming.in_dev and (policy is None or any(policy is p for p in tunnel)):
                says = "back into the tunnel it came out of"
                out.append(part.after(Step("tunnel", says, way.where), fate=Fate.LOOPING, says=says))
            else:
                # Out of one tunnel into another: traffic between two far sites, no end here.
                out.append(replace(part, says="into another tunnel"))
    return out


def accepts(tables: Tables, pieces: Iterable[Piece], in_dev: str, state: str = NEW) -> list[Passage]:
    """Does this machine itself take the packets? Its own input chains decide."""
    fresh = [Passage(piece, Fate.CARRIED) for piece in pieces]
    return _filters(tables, fresh, "input", Setting(in_dev=in_dev, in_zone=tables.zones.get(in_dev, ""), state=state))
