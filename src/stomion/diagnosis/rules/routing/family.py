"""What the rules of this stage share: all traffic without a right way, each with its one reason."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from stomion.diagnosis.spec import Context, Spec, sheet_place
from stomion.model.finding import Certainty, Finding, Remedy
from stomion.model.provenance import Provenance
from stomion.model.record import NEIGHBOUR_DOWN, NEIGHBOUR_UP
from stomion.model.tables import Origin, Policy, Route, Tables
from stomion.space.boxes import DESTINATION, SOURCE, Region
from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import Break, all_alike, asked_text, breaks, flow_text, flows_of
from stomion.tunnel.picture import Adjacency, Picture
from stomion.tunnel.up import up_of
from stomion.tunnel.uptime import stood_when_read
from stomion.vocabulary.times import clock_text
from stomion.walk.gateway import policy_boxes
from stomion.walk.journey import FAR, Leg, Machine
from stomion.walk.passage import Decision, Fate, Reason

ASTRAY = (Fate.LOST, Fate.LEAKED, Fate.LOOPING)


class Lost(StrEnum):
    """Why traffic goes astray: each is the matter of one rule."""

    FORWARDING = "forwarding is off"
    NO_WAY_TO_LAN = "no way to the LAN"
    PAST_THE_TUNNEL = "another route wins"
    NO_WAY_TO_TUNNEL = "no route into the tunnel"
    HOST_WITHOUT_GATEWAY = "the host has no gateway"


@dataclass(frozen=True, slots=True)
class Astray:
    """Traffic without a right way, and the one reason for it. `host` is the machine behind an end whose routes are meant."""

    why: Lost
    found: Break
    order: int
    where: Provenance | None = None
    host: str = ""
    certainty: Certainty = Certainty.PROVEN


def astray(context: Context) -> tuple[Astray, ...]:
    """All traffic that goes astray, each with its one reason; worked out once for all rules of this family (`Context.once`)."""
    if context.cause is not None or not may_be_judged(context.picture):
        return ()
    found = [(o, b) for o, b in enumerate(breaks(context.picture)) if b.leg.fate in ASTRAY]
    return tuple(a for order, b in found if (a := _astray(context, b, order)) is not None)


def first_astray(context: Context, why: Lost) -> Astray | None:
    """The first traffic that goes astray for this reason."""
    return next((a for a in context.once(astray) if a.why is why), None)


def may_be_judged(picture: Picture) -> bool:
    """A tunnel that is down may have taken its routes along: only where one is seen to be up, or nothing was seen of any
    negotiation, do routes tell."""
    return up_of(picture).now or not any(e.has_log or e.captures for e in picture.ends)


def routing_finding(context: Context, spec: Spec, item: Astray, summary: str, remedy: str) -> Finding:
    """The finding of one of this family's rules: its sentence and change, with the proof and facts that all of them have."""
    found = item.found
    facts: dict[str, object] = {"way": found.leg.says}
    details = []
    if found.leg.fate is Fate.LEAKED:
        packets = packets_text(all_alike(context.picture, found))
        facts["in_clear"] = packets
        details.append(f"These packets leave unencrypted, readable by anyone on the path: {packets}.")
    if found.flow is not None:
        facts["flow"] = flow_text(found.flow.test)
        details += [f"{asked}." for asked in [asked_text(found.flow)] if asked]
    gone = lost_neighbour(context.picture, found.end.site)
    if gone is not None:
        since = f" since {clock_text(gone.last.at)}" if gone.last.at is not None else ""
        details.append(
            f"Its routing neighbour {gone.address} is not up{since}: routes that were learned from it are gone."
        )
    places = [
        item.where,
        *(s.where for _, s in reversed(found.leg.steps) if s.what in (Decision.ROUTE, Decision.HOST)),
        found.flow.test.where if found.flow else None,
        gone.last.where if gone is not None else None,
    ]
    if not any(places):
        places = [sheet_place(found.end)]
    site, detail = found.end.site, " ".join(details)
    finding = spec.finding([site], item.certainty, summary, [Remedy(site, remedy)], places, facts, detail)
    return replace(finding, order=item.order)


def lost_neighbour(picture: Picture, site: str) -> Adjacency | None:
    """The neighbour that an end lost first, of those that it has not got back."""
    gone = [a for a in picture.adjacencies if a.site == site and a.last.what != NEIGHBOUR_UP]
    return min(gone, key=lambda a: (a.last.what != NEIGHBOUR_DOWN, a.last.at or 0.0), default=None)


def _astray(context: Context, found: Break, order: int) -> Astray | None:
    end, leg = found.end, found.leg
    where = leg.steps[-1][1].where if leg.steps else None
    if leg.place is Machine.HOST:
        return _host(context, found, order, where)
    tables = end.tables
    if tables is None:
        return None
    if leg.reason is Reason.FORWARDING_OFF:
        return Astray(Lost.FORWARDING, found, order, where)
    flows = flows_of(context.picture)
    assert flows is not None
    policies = flows.sides[0 if end is context.picture.left else 1].policies
    if policies and not any(_concerns(p, leg) for p in policies):
        # What the selectors do not name is no matter of the tunnel's routes.
        return None
    if leg.at == FAR:
        return Astray(Lost.NO_WAY_TO_LAN, found, order, where)
    if leg.fate is Fate.LEAKED and leg.passage is not None and leg.passage.policy is None and not tables.tunnel_devs:
        return None
    if _stolen(tables, leg):
        way = leg.passage.way if leg.passage is not None else None
        led = way.rule if way is not None and led_by_policy(leg) else None
        return Astray(Lost.PAST_THE_TUNNEL, found, order, led.where if led is not None else way.where if way else where)
    if tables.source is Origin.SHEET and not tables.named_routes:
        # A sheet that names no route at all leaves its routes open.
        return None
    if tables.source is Origin.SYSTEM and (
        not stood_when_read(context.picture, end) or _worked_before(context.picture, found)
    ):
        # The system's routes into a tunnel come and go with it: without a sign that it is up their absence tells nothing.
        return None
    return Astray(Lost.NO_WAY_TO_TUNNEL, found, order, where)


def _stolen(tables: Tables, leg: Leg) -> bool:
    """Is there a route into the tunnel for these very packets that another one wins over, or a special route where the selectors alone
    would do?"""
    way = leg.passage.way if leg.passage is not None else None
    special = way is not None and way.route is not None and way.route.length > 0
    low, high = leg.box[DESTINATION]
    led = (r for r in tables.routes if r.dev in tables.tunnel_devs)
    lost = any(r.destination[0] <= low and high <= r.destination[1] for r in led)
    return lost or (special and not tables.tunnel_devs)


def led_by_policy(leg: Leg) -> bool:
    """Did a rule of policy routing, and not the destination alone, choose the way?"""
    way = leg.passage.way if leg.passage is not None else None
    return way is not None and way.rule is not None and not way.rule.of_the_system


def _worked_before(picture: Picture, found: Break) -> bool:
    """Did the same direction carry traffic before it failed? Then the way was there, and went when the tunnel did."""
    if (
        found.flow is not None
        and found.flow.test.continuous
        and found.flow.test.received
        and not found.flow.test.passed
    ):
        # A ping that was answered and then stopped.
        return True
    failed = found.flow.test.at if found.flow is not None else None
    passed = [t.at for t in picture.tests if t.passed and t.from_left is found.from_left and t.at is not None]
    return bool(failed is not None and passed and min(passed) < failed)


def _concerns(policy: Policy, leg: Leg) -> bool:
    """Are these packets the tunnel's, by its selectors at this end, in either direction?"""
    packets = Region((leg.box,))
    return bool(
        packets & Region(tuple(policy_boxes(policy))) or packets & Region(tuple(policy_boxes(policy, inwards=True)))
    )


def _host(context: Context, found: Break, order: int, where: Provenance | None) -> Astray | None:
    """A host behind an end that does not find the way to the far side."""
    end, leg = found.end, found.leg
    flows = flows_of(context.picture)
    assert flows is not None
    host = flows.sides[0 if end is context.picture.left else 1].host_at(leg.box[SOURCE][0])
    if host is None:
        return None
    where = where or next((Provenance(r.where.file, end.site) for r in host.routes), None)
    if leg.reason is Reason.HOST_NO_ROUTE and not any(r.length == 0 for r in host.routes):
        return Astray(Lost.HOST_WITHOUT_GATEWAY, found, order, where, host.host)
    # Another router might know the way on; that the test failed speaks against it, and does not prove it.
    elsewhere = any(s.way is not None and s.way.via for _, s in leg.steps)
    certainty = Certainty.LIKELY if elsewhere else Certainty.PROVEN
    return Astray(Lost.NO_WAY_TO_LAN, found, order, where, host.host, certainty)


def route_into_tunnel(tables: Tables, far: tuple[tuple[int, int], ...]) -> Route | None:
    """A route into the tunnel for the far side, in any table."""
    for route in tables.routes:
        if route.dev in tables.tunnel_devs and any(
            route.destination[0] <= f[1] and f[0] <= route.destination[1] for f in far
        ):
            return route
    return None
