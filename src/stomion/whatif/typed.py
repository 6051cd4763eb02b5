"""A rule or a route as people type it, for trying a change: `allow 10.64.0.0/21 > 10.96.0.0/20 tcp/80`, `route 10.96.0.0/20 dev tun0`.

    allow | drop | reject               [SOURCES > DESTINATIONS] [SERVICES] [in DEV] [out DEV] [named WORD]
    exempt | masquerade                 the same
    source-to ADDRESS | destination-to ADDRESS   the same
    route PREFIX [via ADDRESS] [dev DEV] [metric N] [table NAME], or route PREFIX blackhole
    forwarding on | off

Several ranges or services stand with commas and no spaces. What is left out is anything.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from stomion.errors import UsageError
from stomion.model.box import Box, Interval
from stomion.model.provenance import Provenance
from stomion.model.tables import Action, ChainKind, Names, Route, RouteKind, Rule, Tables
from stomion.space.axis import Prefix, address_number, addresses_text, as_prefix, interval_of, is_v6
from stomion.space.boxes import ANY_ADDRESS, DESTINATION, PORT, PROTOCOL, SOURCE, Region, box_of
from stomion.space.services import ANY_PORT, ANY_PROTOCOL, service_of, service_text

_ACTIONS = {
    "allow": (ChainKind.FILTER, Action.ACCEPT),
    "drop": (ChainKind.FILTER, Action.DROP),
    "reject": (ChainKind.FILTER, Action.REJECT),
    "exempt": (ChainKind.NAT, Action.RETURN),
    "masquerade": (ChainKind.NAT, Action.MASQUERADE),
    "source-to": (ChainKind.NAT, Action.SOURCE_TO),
    "destination-to": (ChainKind.NAT, Action.DESTINATION_TO),
}
_WORDS = {v: k for k, v in _ACTIONS.items()}
FORMS = "allow, drop, reject, exempt, masquerade, source-to ADDRESS, destination-to ADDRESS, route or forwarding"


@dataclass(frozen=True, slots=True)
class Typed:
    """What was typed: a rule with the kind of chain it belongs to, a route, or whether to forward; the others are None."""

    text: str
    rule: Rule | None = None
    kind: ChainKind | None = None
    route: Route | None = None
    forwarding: bool | None = None


def parse_change(text: str, tables: Tables) -> Typed:
    """Raises UsageError with what would be right."""
    words = text.split()
    if not words:
        raise UsageError(f"a change begins with {FORMS}")
    if words[0] == "route":
        return Typed(text, route=_route(words[1:], tables))
    if words[0] == "forwarding":
        if words[1:] not in (["on"], ["off"]):
            raise UsageError("forwarding is on or off")
        return Typed(text, forwarding=words[1] == "on")
    if words[0] not in _ACTIONS:
        raise UsageError(f"{words[0]!r} is no change; one begins with {FORMS}")
    kind, action = _ACTIONS[words[0]]
    return Typed(text, _rule(words[1:], action, tables), kind)


def _rule(words: list[str], action: Action, tables: Tables) -> Rule:
    to = ""
    if action in (Action.SOURCE_TO, Action.DESTINATION_TO):
        if not words:
            raise UsageError("an address is missing: source-to 192.0.2.10 …")
        to, words = words[0], words[1:]
        _address(to)
    named, words = _options(words, ("in", "out", "named"))
    sources, destinations, words = _ends(words)
    services = [s for w in words for part in w.split(",") if part for s in _services(part)]
    boxes: tuple[Box, ...] = tuple(
        box_of(source, destination, protocol, port)
        for source in sources
        for destination in destinations
        if is_v6(source[0]) == is_v6(destination[0]) or ANY_ADDRESS in (source, destination)
        for protocol, port in services or [(ANY_PROTOCOL, ANY_PORT)]
    )
    if not boxes:
        raise UsageError("source and destination are of two address families")
    in_dev, out_dev = (_names(named.get(key, ""), tables) for key in ("in", "out"))
    return Rule(0, action, boxes, Provenance("", tables.site), named.get("named", ""), in_dev, out_dev, to=to)


def _ends(words: list[str]) -> tuple[list[Interval], list[Interval], list[str]]:
    """Ranges on both sides of `>`, which may stand with or without spaces, and the words after them."""
    joined = " ".join(words).replace(">", " > ").split()
    if ">" not in joined:
        return [ANY_ADDRESS], [ANY_ADDRESS], joined
    at = joined.index(">")
    if at != 1 or len(joined) < 3:
        raise UsageError("ranges are written SOURCE > DESTINATION, as 10.64.0.0/21 > 10.96.0.0/20")
    return _ranges(joined[0]), _ranges(joined[2]), joined[3:]


def _options(words: list[str], known: tuple[str, ...]) -> tuple[dict[str, str], list[str]]:
    """Pairs of a known word and its value, and all other words."""
    found: dict[str, str] = {}
    rest: list[str] = []
    waiting = iter(words)
    for word in waiting:
        if word in known:
            found[word] = next(waiting, "")
            if not found[word]:
                raise UsageError(f"something must follow {word!r}")
        else:
            rest.append(word)
    return found, rest


def _ranges(text: str) -> list[Interval]:
    if text == "any":
        return [ANY_ADDRESS]
    try:
        return [i for part in text.split(",") if part for i in interval_of(part)]
    except ValueError as error:
        raise UsageError(f"{text!r} is no range; one like 10.64.0.0/21 or 10.64.0.1-10.64.0.9 expected") from error


def _services(text: str) -> list[tuple[Interval, Interval]]:
    try:
        return service_of(text)
    except ValueError as error:
        raise UsageError(f"{text!r} is no service; one like tcp/80, udp/500-520 or icmp expected") from error


def _address(text: str) -> int:
    try:
        return address_number(text)
    except ValueError as error:
        raise UsageError(f"{text!r} is no address") from error


def _names(text: str, tables: Tables) -> Names:
    known = sorted({*tables.addresses, *tables.tunnel_devs} - {"lo"})
    if text and known and text not in known:
        raise UsageError(f"{text!r} is no interface of {tables.host or tables.site}: {', '.join(known)}")
    return Names(frozenset((text,))) if text else Names()


def _route(words: list[str], tables: Tables) -> Route:
    named, rest = _options(words, ("via", "dev", "metric", "table"))
    blackhole = "blackhole" in rest
    rest = [w for w in rest if w != "blackhole"]
    if len(rest) != 1:
        raise UsageError("a route is: route PREFIX via ADDRESS dev NAME, as route 10.96.0.0/20 dev tun0")
    destination = _prefix(rest[0])
    via, dev = named.get("via", ""), named.get("dev", "")
    if via and not dev:
        dev = tables.dev_of(_address(via))
    if not dev and not blackhole:
        where = f"{via} is in no network of this machine; add" if via else "add"
        raise UsageError(f"the route needs a next hop: {where} dev NAME, or via ADDRESS")
    metric = named.get("metric", "0")
    if not (metric.isascii() and metric.isdecimal()):
        raise UsageError(f"{metric!r} is no metric")
    words_of_it = rest[0] + (f" via {via}" if via else "") + (f", {dev}" if dev else "")
    return Route(
        *destination, Provenance("", tables.site), via, dev, int(metric), named.get("table", "main"),
        RouteKind.BLACKHOLE if blackhole else RouteKind.UNICAST, words_of_it,
    )  # fmt: skip


def _prefix(text: str) -> Prefix:
    found = [as_prefix(i) for i in _ranges("0.0.0.0/0" if text == "default" else text)]
    if len(found) != 1 or found[0] is None:
        raise UsageError(f"{text!r} is no prefix; one like 10.96.0.0/20 expected")
    return found[0]


def rule_text(rule: Rule) -> str | None:
    """A rule as it would be typed; None where it can't be said so (marks, states, sets that are no product)."""
    kind = (
        ChainKind.NAT
        if rule.action in (Action.MASQUERADE, Action.SOURCE_TO, Action.DESTINATION_TO)
        else ChainKind.FILTER
    )
    word = _WORDS.get((kind, rule.action)) or _WORDS.get((ChainKind.NAT, rule.action))
    sources, destinations = (list(dict.fromkeys(b[axis] for b in rule.boxes)) for axis in (SOURCE, DESTINATION))
    services = list(dict.fromkeys((b[PROTOCOL], b[PORT]) for b in rule.boxes))
    product = tuple(box_of(a, b, p, q) for a in sources for b in destinations for p, q in services)
    if word is None or rule.doubt or rule.states or rule.marks or not Region(product).same(Region(rule.boxes)):
        return None
    parts = [word, *([rule.to] if rule.to else [])]
    if sources != [ANY_ADDRESS] or destinations != [ANY_ADDRESS]:
        parts.append(f"{ranges_text(sources)} > {ranges_text(destinations)}")
    if services != [(ANY_PROTOCOL, ANY_PORT)]:
        # A name stands for both address families where both are meant.
        words = [service_text(p, q) for p, q in services if p != (58, 58) or ((1, 1), q) not in services]
        if any(" " in w for w in words):
            return None
        parts.append(",".join(words))
    for key, names in (("in", rule.in_dev), ("out", rule.out_dev)):
        if len(names.names) > 1 or names.negated:
            return None
        parts += [f"{key} {name}" for name in names.names]
    return " ".join(parts)


def ranges_text(intervals: Iterable[Interval]) -> str:
    """Ranges as they are typed: prefixes with commas between."""
    return ",".join(dict.fromkeys(p for i in intervals for p in addresses_text(i)))


def route_text(route: Route) -> str:
    """A route as it would be typed."""
    prefix = "default" if route.length == 0 else addresses_text(route.destination)[0]
    parts = ["route", prefix]
    if route.kind is not RouteKind.UNICAST:
        return " ".join([*parts, "blackhole"])
    for key, value in (("via", route.via), ("dev", route.dev), ("metric", str(route.metric) if route.metric else "")):
        parts += [key, value] if value else []
    return " ".join(parts + (["table", route.table] if route.table != "main" else []))
