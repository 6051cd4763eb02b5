"""Routing of tunnel traffic: which kind of fault the first packet without a right way shows, for the rules that ask."""

from __future__ import annotations

from dataclasses import dataclass, replace

from stomion.diagnosis.spec import Context, Spec, sheet_place
from stomion.model.finding import Certainty, Finding, Remedy
from stomion.model.provenance import Provenance
from stomion.model.tables import Origin, Policy, Route, Tables
from stomion.space.boxes import Region
from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import Break, all_alike, asked_text, breaks, flow_text, flows_of
from stomion.tunnel.picture import Picture
from stomion.walk.gateway import policy_boxes
from stomion.walk.journey import FAR, Leg, Machine
from stomion.walk.passage import Decision, Fate, Reason

ASTRAY = (Fate.LOST, Fate.LEAKED, Fate.LOOPING)


@dataclass(frozen=True, slots=True)
class Astray:
    """A break with its kind: the code of the rule that speaks of it, the sentence and the change."""

    code: str
    found: Break
    summary: str
    remedy: str
    where: Provenance | None = None
    certainty: Certainty = Certainty.PROVEN


def routing_fault(context: Context, spec: Spec) -> Finding | None:
    """The finding of this rule: the first traffic that goes astray in its way."""
    if context.cause is not None or not may_be_judged(context.picture):
        return None
    for order, found in enumerate(breaks(context.picture)):
        astray = _kind(context, found) if found.leg.fate in ASTRAY else None
        if astray is not None and astray.code == spec.code:
            return replace(_finding(context, spec, astray), order=order)
    return None


def may_be_judged(picture: Picture) -> bool:
    """A tunnel that is down may have taken its routes along: only where one is seen to be up, or nothing was seen of any
    negotiation, do routes tell."""
    return seen_up(picture) or not any(e.has_log or e.captures for e in picture.ends)


def seen_up(picture: Picture) -> bool:
    """Is there a sign that a Child SA is in place?"""
    up = any(e.story.child_up is not None or e.has_counters for e in picture.ends)
    return bool(up or (picture.esp_out and picture.esp_back))


def _finding(context: Context, spec: Spec, astray: Astray) -> Finding:
    found = astray.found
    facts: dict[str, object] = {"way": found.leg.says}
    detail = ""
    if found.leg.fate is Fate.LEAKED:
        packets = packets_text(all_alike(context.picture, found))
        facts["in_clear"] = packets
        detail = f"These packets go out in clear, readable by anyone on the way: {packets}."
    if found.flow is not None:
        facts["flow"] = flow_text(found.flow.test)
    if found.flow is not None and (asked := asked_text(found.flow)):
        detail = " ".join(filter(None, (detail, f"{asked}.")))
    places = [
        astray.where,
        *(s.where for _, s in reversed(found.leg.steps) if s.what in (Decision.ROUTE, Decision.HOST)),
        found.flow.test.where if found.flow else None,
    ]
    if not any(places):
        places = [sheet_place(found.end)]
    return spec.finding(
        [found.end.site], astray.certainty, astray.summary, [Remedy(found.end.site, astray.remedy)], places, facts, detail
    )  # fmt: skip


def _kind(context: Context, found: Break) -> Astray | None:
    end, leg = found.end, found.leg
    other = context.picture.other(end)
    step = leg.steps[-1][1] if leg.steps else None
    where = step.where if step is not None else None
    if leg.place is Machine.HOST:
        return _host(context, found, where)
    tables = end.tables
    if tables is None:
        return None
    if leg.reason is Reason.FORWARDING_OFF:
        return Astray(
            "forwarding-disabled",
            found,
            f"{end.title} does not pass packets on: forwarding is switched off.",
            "switch forwarding on",
            where,
        )
    flows = flows_of(context.picture)
    assert flows is not None
    policies = flows.sides[0 if end is context.picture.left else 1].policies
    far = tuple(f for p in policies for f in p.far)
    if policies and not any(_concerns(p, leg) for p in policies):
        # What the selectors do not name is no matter of the tunnel's routes.
        return None
    if leg.at == FAR:
        text = f"{end.title} has no way to its own LAN for what comes out of the tunnel: {leg.says or leg.fate.value}."
        return Astray("return-route-missing", found, text, "add the route to the LAN behind it", where)
    tunnel_route = route_into_tunnel(tables, far)
    way = leg.passage.way if leg.passage is not None else None
    if leg.fate is Fate.LEAKED and leg.passage is not None and leg.passage.policy is None and not tables.tunnel_devs:
        return None
    if tunnel_route is not None or (
        way is not None and way.route is not None and way.route.length > 0 and not tables.tunnel_devs
    ):
        thief = way.route.text if way is not None and way.route is not None else leg.says
        by = " (policy routing)" if way is not None and way.rule is not None and not way.rule.of_the_system else ""
        summary = f"At {end.title} the way to {other.title} is taken past the tunnel: {thief}{by}."
        place = (way.rule.where if by and way.rule is not None else way.where) if way is not None else where
        return Astray(
            "route-stolen",
            found,
            summary,
            f"take that route or rule away, or leave {other.title}'s LAN out of it",
            place,
        )
    if tables.source is Origin.SYSTEM and (not seen_up(context.picture) or _worked_before(context.picture, found)):
        # The system's routes into a tunnel come and go with it: without a sign that it is up their absence tells nothing.
        return None
    summary = f"{end.title} has no route into the tunnel for {other.title}'s LAN: {leg.says or 'it goes elsewhere'}."
    return Astray("tunnel-route-missing", found, summary, f"route {other.title}'s LAN into the tunnel", where)


def _worked_before(picture: Picture, found: Break) -> bool:
    """Did the same direction carry traffic before it failed? Then the way was there, and went when the tunnel did."""
    failed = found.flow.test.at if found.flow is not None else None
    passed = [t.at for t in picture.tests if t.passed and t.from_left is found.from_left and t.at is not None]
    return bool(failed is not None and passed and min(passed) < failed)


def _concerns(policy: Policy, leg: Leg) -> bool:
    """Are these packets the tunnel's, by its selectors at this end, in either direction?"""
    packets = Region((leg.box,))
    return bool(
        packets & Region(tuple(policy_boxes(policy))) or packets & Region(tuple(policy_boxes(policy, inwards=True)))
    )


def _host(context: Context, found: Break, where: Provenance | None) -> Astray | None:
    """A host behind an end that does not find the way to the far side."""
    end = found.end
    other = context.picture.other(end)
    flows = flows_of(context.picture)
    assert flows is not None
    address = found.leg.box[0][0]
    side = flows.sides[0 if end is context.picture.left else 1]
    host = side.host_at(address)
    if host is None:
        return None
    default = [r for r in host.routes if r.length == 0]
    where = where or next((Provenance(r.where.file, end.site) for r in host.routes), None)
    if not default and found.leg.reason is Reason.HOST_NO_ROUTE:
        summary = f"{host.host} behind {end.title} has no default gateway and no route to {other.title}'s LAN: its answers end there."
        return Astray("host-gateway-missing", found, summary, f"set the gateway as default route on {host.host}", where)
    summary = f"{host.host} behind {end.title} does not send to {other.title}'s LAN via the gateway: {found.leg.says}."
    remedy = f"route {other.title}'s LAN to the gateway on {host.host}"
    # Another router might know the way on; that the test failed speaks against it, and does not prove it.
    elsewhere = any(s.way is not None and s.way.via for _, s in found.leg.steps)
    return Astray(
        "return-route-missing", found, summary, remedy, where, Certainty.LIKELY if elsewhere else Certainty.PROVEN
    )


def route_into_tunnel(tables: Tables, far: tuple[tuple[int, int], ...]) -> Route | None:
    """A route into the tunnel for the far side, in any table."""
    for route in tables.routes:
        if route.dev in tables.tunnel_devs and any(
            route.destination[0] <= f[1] and f[0] <= route.destination[1] for f in far
        ):
            return route
    return None
