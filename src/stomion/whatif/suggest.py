"""The change that would most likely mend a flow, as a text to start from; and where a typed change belongs."""

from __future__ import annotations

from stomion.errors import UsageError
from stomion.space.axis import address_text
from stomion.space.boxes import DESTINATION, SOURCE
from stomion.tunnel.flows import Flow, Flows
from stomion.tunnel.picture import Picture
from stomion.walk.journey import NEAR, Leg, Machine
from stomion.walk.passage import Fate, Reason
from stomion.whatif.tables import Place
from stomion.whatif.typed import ranges_text


def machines(picture: Picture) -> list[Place]:
    """Every machine whose tables are known: both gateways, and the hosts behind them."""
    out = []
    for side, end in enumerate(picture.ends):
        if end.tables is not None:
            out.append(Place(side))
        out += [Place(side, name) for name in sorted(end.hosts)]
    return out


def named_place(text: str, picture: Picture, otherwise: Place) -> tuple[Place, str]:
    """(machine, change) of `at NAME: change`; without a name it is the given machine. Raises UsageError for an unknown name."""
    text = text.strip()
    if not text.lower().startswith("at ") or ": " not in text + " ":
        return otherwise, text
    name, _, change = text[3:].partition(":")
    wanted = name.strip().lower().replace(" ", "-")
    known = machines(picture)
    for place in known:
        end = picture.ends[place.side]
        if wanted == (f"{end.site}/{place.host}" if place.host else end.site).lower():
            return place, change.strip()
    names = ", ".join(p.title(picture) for p in known)
    raise UsageError(f"no tables of {name.strip()!r} are known; those of {names} are")


def suggestion(flows: Flows, flow: Flow) -> tuple[Place, str] | None:
    """Where and what to change for a flow that is broken; a text that may have to be completed."""
    leg = flow.broken
    if leg is None or flow.trip is None:
        return None
    back = flow.trip.on_the_way_back
    side = flows.ends_of(flow.test.from_left, leg, back)
    near, far = (ranges_text(flows.sides[s].lans) or "any" for s in (side, 1 - side))
    if leg.place is Machine.HOST:
        return _at_host(flows, leg, side, far)
    if leg.reason is Reason.FORWARDING_OFF:
        return Place(side), "forwarding on"
    if leg.fate is Fate.TRANSLATED:
        return Place(side), f"exempt {near} > {far}"
    if leg.fate is Fate.DROPPED:
        ways = (near, far) if leg.at == NEAR else (far, near)
        return Place(side), f"allow {ways[0]} > {ways[1]} {flow.test.service}"
    if leg.at != NEAR:
        return Place(side), f"route {near.partition(',')[0]} via "
    policy = flows.sides[side].policy
    return Place(side), f"route {far.partition(',')[0]} {f'dev {policy.dev}' if policy and policy.dev else 'via '}"


def _at_host(flows: Flows, leg: Leg, side: int, far: str) -> tuple[Place, str] | None:
    address = leg.box[SOURCE if leg.at == NEAR else DESTINATION][0]
    host = flows.sides[side].host_at(address)
    if host is None:
        return None
    if leg.fate is Fate.DROPPED:
        return Place(side, host.host), f"allow {far} > {address_text(address)}"
    gateway = flows.sides[side].gateway
    dev = gateway.dev_of(address) if gateway is not None else ""
    own = next((o for o, _ in gateway.addresses.get(dev, [])), None) if gateway is not None else None
    return Place(side, host.host), f"route default via {address_text(own) if own is not None else ''}"
