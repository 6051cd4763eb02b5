"""One gateway: out of its LAN into the tunnel, or out of the tunnel to its LAN; every piece of a set with its fate.

Order where translation comes first (the usual one): destination translation, routing, filter, source translation, tunnel
decision on what the packet is then. Where it does not, the tunnel decides before any translation and sealed packets pass none.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import lru_cache

from msgspec.structs import replace

from stomion.model.box import Box
from stomion.model.tables import Hook, Policy, State, Tables
from stomion.space.axis import is_v6
from stomion.space.boxes import DESTINATION, box_of, meet
from stomion.space.services import ANY_PORT, ANY_PROTOCOL
from stomion.walk.chains import Setting
from stomion.walk.hooks import at_hook
from stomion.walk.index import near
from stomion.walk.passage import Decision, Fate, Passage, Reason, Step
from stomion.walk.pieces import Piece, divided
from stomion.walk.routing import Ending, Way, routed

TUNNEL = "tunnel"
"""The zone of packets that go into a tunnel or come out of one."""


@dataclass(frozen=True, slots=True)
class NatMapping:
    """What a gateway does to the addresses of a reply, because of what it did to its question's: (axis, value) before routing, where a
    source was translated, and after it, where a destination was."""

    before: tuple[tuple[int, int], ...] = ()
    after: tuple[tuple[int, int], ...] = ()


def outbound(
    tables: Tables, pieces: Iterable[Piece], in_dev: str, state: State = State.NEW, mapping: NatMapping = NatMapping()
) -> list[Passage]:
    """From the LAN towards the far side."""
    zone = tables.zones.get(in_dev, "")
    fresh = [Passage(piece, Fate.CARRIED, tag=piece.tag) for piece in pieces]
    passages = _before_routing(tables, fresh, in_dev, zone, state, mapping)
    coming = Setting(in_dev, in_zone=zone, state=state)
    return _routed_on(tables, passages, in_dev, lambda group: _forwarded(tables, group, coming, mapping))


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
    alike = a.fate is b.fate and a.policy == b.policy and a.piece.fixed == b.piece.fixed
    if alike or a.fate is Fate.UNCERTAIN:
        return part
    fates = [f"{hop.via or hop.dev}: {_how(p)}" for hop, p in ((way, a), (other, b))]
    before = next((i for i, s in enumerate(a.steps) if s.what is Decision.ROUTE), 0)
    step = Step(Decision.ROUTE, Reason.HOPS_DIFFER, way.where, way=way, note="; ".join(fates))
    return replace(part, steps=a.steps[:before], policy=None).ends(step, Fate.UNCERTAIN)


def _how(passage: Passage) -> str:
    return passage.steps[-1].says if passage.steps and passage.fate is not Fate.CARRIED else passage.fate.value


def inbound(
    tables: Tables,
    pieces: Iterable[Piece],
    policies: tuple[Policy, ...],
    state: State = State.NEW,
    mapping: NatMapping = NatMapping(),
) -> list[Passage]:
    """Out of the tunnel towards the LAN; the packets must fit one of the tunnel's selectors."""
    fresh, refused = _fitting(list(pieces), policies)
    in_dev = next((p.dev for p in policies if p.dev), "") or _wan(tables)
    zone = _tunnel_zone(tables, in_dev)
    passages = [Passage(p, Fate.CARRIED, tag=p.tag) for p in fresh]
    passages = _before_routing(tables, passages, in_dev, zone, state, mapping)
    setting = Setting(in_dev, in_zone=zone, state=state)

    def deliver(group: list[Passage]) -> list[Passage]:
        return _delivered(tables, group, policies, setting, mapping)

    return [*refused, *_routed_on(tables, passages, in_dev, deliver)]


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
    fit, rest = divided(pieces, (box for policy in policies for box in policy_boxes(policy, inwards=True)))
    step = Step(Decision.TUNNEL, Reason.OUTSIDE_SELECTORS, policies[0].where)
    return fit, [Passage(p, Fate.DROPPED, (step,), step, policy=policies[0], tag=p.tag) for p in rest]


@lru_cache(16_384)
def policy_boxes(policy: Policy, inwards: bool = False) -> tuple[Box, ...]:
    """The packets of a tunnel's selectors, outwards (near to far) or inwards."""
    services = policy.services or ((ANY_PROTOCOL, ANY_PORT),)
    boxes: list[Box] = []
    for ours in policy.near:
        for far in policy.far:
            first, second = (far, ours) if inwards else (ours, far)
            boxes.extend(box_of(first, second, protocol, port) for protocol, port in services)
    return tuple(boxes)


def _before_routing(
    tables: Tables, passages: list[Passage], in_dev: str, zone: str, state: State, mapping: NatMapping
) -> list[Passage]:
    """Marks, filters and destination translation before the routing decision. A reply's destination is set back first."""
    passages = [replace(p, piece=_set_back(p.piece, mapping.before)) for p in passages]
    return at_hook(tables, passages, Hook.PREROUTING, Setting(in_dev=in_dev, in_zone=zone, state=state))


def _set_back(piece: Piece, axes: tuple[tuple[int, int], ...]) -> Piece:
    for axis, value in axes:
        piece = piece.with_axis(axis, value)
    return piece


def _forwarded(tables: Tables, group: list[Passage], coming: Setting, mapping: NatMapping) -> list[Passage]:
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
        for part in at_hook(tables, passages, Hook.FORWARD, setting, way):
            carried = part.fate is Fate.CARRIED
            out.extend(_leaves(tables, part, part.way or way, setting, mapping) if carried else [part])
    return out


def _routed(tables: Tables, passage: Passage, way: Way) -> tuple[Passage, bool]:
    """The routing decision as a step; False where the way ends with it."""
    passage = replace(passage, piece=way.piece, way=way)
    where = way.where
    if way.doubt:
        step = Step(Decision.ROUTE, Reason.ROUTING_UNCLEAR, where, way=way, note=way.doubt)
        return passage.ends(step, Fate.UNCERTAIN), False
    if way.end is Ending.LOCAL:
        return passage.ends(Step(Decision.ROUTE, Reason.FOR_ITSELF, where, way=way), Fate.LOCAL), False
    if way.end is not None:
        reason = Reason.NO_ROUTE if way.end is Ending.NO_ROUTE else Reason.ROUTE_ENDS
        return passage.ends(Step(Decision.ROUTE, reason, where, way=way), Fate.LOST), False
    if tables.forwards(is_v6(way.piece.now[DESTINATION][0])) is False:
        return passage.ends(Step(Decision.ROUTE, Reason.FORWARDING_OFF, tables.forwarding_at), Fate.LOST), False
    return passage.after(Step(Decision.ROUTE, Reason.ROUTED, where, way=way)), True


def _by_policy(tables: Tables, piece: Piece, way: Way) -> list[tuple[Piece, Policy | None]]:
    """A piece split by the tunnel whose selectors it fits on this way, in the order of the policies."""
    out: list[tuple[Piece, Policy | None]] = []
    rest = [piece]
    for policy in near(tables, "policies", tables.policies, policy_boxes, rest):
        if policy.dev and policy.dev != way.dev:
            continue
        if not policy.dev and way.dev in tables.tunnel_devs:
            continue
        held, rest = divided(rest, policy_boxes(policy))
        out += [(part, policy) for part in held]
    return out + [(part, None) for part in rest]


def _leaves(tables: Tables, passage: Passage, way: Way, setting: Setting, mapping: NatMapping) -> list[Passage]:
    """Translation and tunnel decision of what the filter lets out."""
    out: list[Passage] = []
    if not tables.translation_first:
        for piece, policy in _by_policy(tables, passage.piece, way):
            part = replace(passage, piece=piece)
            out += [_sealed(part, policy)] if policy else _in_clear(tables, part, way, setting, mapping)
        return out
    for part in _after_routing(tables, passage, way, setting, mapping):
        if part.fate is not Fate.CARRIED:
            out.append(part)
            continue
        for piece, policy in _by_policy(tables, part.piece, way):
            after = replace(part, piece=piece)
            out.append(_sealed(after, policy) if policy else _unsealed(tables, after, way, setting.in_dev))
    return out


def _after_routing(tables: Tables, passage: Passage, way: Way, setting: Setting, mapping: NatMapping) -> list[Passage]:
    """Filters and source translation on the way out. A reply's source is set back as its question's destination was changed."""
    passage = replace(passage, piece=_set_back(passage.piece, mapping.after))
    return at_hook(tables, [passage], Hook.POSTROUTING, setting, way)


def _in_clear(tables: Tables, passage: Passage, way: Way, setting: Setting, mapping: NatMapping) -> list[Passage]:
    return [
        _unsealed(tables, part, way, setting.in_dev) if part.fate is Fate.CARRIED else part
        for part in _after_routing(tables, passage, way, setting, mapping)
    ]


def _sealed(passage: Passage, policy: Policy) -> Passage:
    return passage.after(Step(Decision.TUNNEL, Reason.INTO_TUNNEL, policy.where, policy=policy), policy=policy)


def _unsealed(tables: Tables, passage: Passage, way: Way, in_dev: str) -> Passage:
    """No tunnel takes it: thrown away at a tunnel's interface, turned back to where it came from, or out on the wire as it is."""
    changed = passage.piece.changed
    # Where a translation changed it, that decided its fate: the tunnel's decision only follows.
    by = passage.decided if changed else None
    if way.dev in tables.tunnel_devs:
        step = Step(Decision.TUNNEL, Reason.NO_SELECTORS_FIT, translated=changed)
        return passage.after(step, fate=Fate.TRANSLATED if changed else Fate.LOST, decided=by or step)
    if way.dev == in_dev != _wan(tables) and not changed:
        return passage.ends(Step(Decision.ROUTE, Reason.TURNED_BACK, way.where, way=way), Fate.LOOPING)
    step = Step(Decision.TUNNEL, Reason.NO_TUNNEL_TAKES_IT, translated=changed)
    return passage.after(step, fate=Fate.TRANSLATED if changed else Fate.LEAKED, decided=by or step)


def _delivered(
    tables: Tables, group: list[Passage], tunnel: tuple[Policy, ...], coming: Setting, mapping: NatMapping
) -> list[Passage]:
    """Out of the tunnel and routed out of one interface: must go to a LAN, past the filter, and perhaps through a translation."""
    way = group[0].way
    assert way is not None
    setting = replace(coming, out_dev=way.dev, out_zone=tables.zones.get(way.dev, ""))
    out: list[Passage] = []
    for passage in at_hook(tables, group, Hook.FORWARD, setting, way):
        carried = passage.fate is Fate.CARRIED
        for part in _after_routing(tables, passage, passage.way or way, setting, mapping) if carried else [passage]:
            out.extend(_unsealed_at(tables, part, way, tunnel, coming) if part.fate is Fate.CARRIED else [part])
    return out


def _unsealed_at(
    tables: Tables, passage: Passage, way: Way, tunnel: tuple[Policy, ...], coming: Setting
) -> list[Passage]:
    """What came out of a tunnel and leaves by an interface: to the LAN, back into the same tunnel, or into another one."""
    out: list[Passage] = []
    for piece, policy in _by_policy(tables, passage.piece, way):
        part = replace(passage, piece=piece)
        if policy is None and way.dev not in tables.tunnel_devs:
            out.append(part)
        elif way.dev == coming.in_dev and (policy is None or any(policy is p for p in tunnel)):
            out.append(part.ends(Step(Decision.TUNNEL, Reason.BACK_INTO_TUNNEL, way.where), Fate.LOOPING))
        else:
            # Out of one tunnel into another: traffic between two far sites, no end here.
            out.append(part.after(Step(Decision.TUNNEL, Reason.INTO_OTHER_TUNNEL, way.where, policy=policy)))
    return out


def accepts(tables: Tables, pieces: Iterable[Piece], in_dev: str, state: State = State.NEW) -> list[Passage]:
    """Does this machine itself take the packets? Its own input chains decide."""
    fresh = [Passage(piece, Fate.CARRIED) for piece in pieces]
    setting = Setting(in_dev=in_dev, in_zone=tables.zones.get(in_dev, ""), state=state)
    return at_hook(tables, fresh, Hook.INPUT, setting)
