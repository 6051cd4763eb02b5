"""A site sheet's tables in the common shape: interfaces, routes, translations, filters, tunnels."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace

from stomion.model.box import Box, Interval
from stomion.model.provenance import Provenance
from stomion.model.site import SheetFilter, SheetMatch, SheetTranslation, SheetTunnel, SiteSheet
from stomion.model.tables import (
    Action,
    Address,
    Chain,
    ChainKind,
    Hook,
    Names,
    Origin,
    Policy,
    Route,
    RouteKind,
    Rule,
    State,
    Tables,
)
from stomion.space.axis import address_number, as_prefix, interval_of, is_v6
from stomion.space.boxes import ANY_ADDRESS, EVERY, box_of
from stomion.space.services import ANY_PORT, ANY_PROTOCOL, service_of

_FILTER_ACTIONS = {"allow": Action.ACCEPT, "drop": Action.DROP, "reject": Action.REJECT}


def declared_tables(sheet: SiteSheet, file: str) -> Tables:
    """What a sheet says of its gateway. A filter or translation list that is not there lets everything pass unchanged.

    With filter rules, what none of them matches is dropped, save answers to what was let through.
    """
    addresses = _addresses(sheet)
    policies = (tunnel_policy(t, _at(sheet, file, f"tunnel.{n}")) for n, t in enumerate(sheet.tunnel))
    return Tables(
        sheet.site,
        source=Origin.SHEET,
        addresses=addresses,
        zones={i.name: i.zone for i in sheet.interface},
        tunnel_devs=frozenset(t.interface for t in sheet.tunnel if t.style == "route" and t.interface),
        routes=(*_connected(addresses, Provenance(file, sheet.site)), *_routes(sheet, file, addresses)),
        policies=tuple(p for p in policies if p is not None),
        chains={chain.name: chain for chain in _chains(sheet, file)},
        translation_first=sheet.translation_first,
    )


def _chains(sheet: SiteSheet, file: str) -> Iterator[Chain]:
    """A sheet's translations as the two lists that a gateway asks, and its filter."""
    if sheet.translation:
        rules = tuple(
            _translation(r, n, _at(sheet, file, f"translation.{n - 1}")) for n, r in enumerate(sheet.translation, 1)
        )
        destination = {Action.DESTINATION_TO, Action.RETURN}
        yield Chain(
            "translation in", tuple(r for r in rules if r.action in destination), ChainKind.NAT, Hook.PREROUTING
        )
        source = tuple(r for r in rules if r.action != Action.DESTINATION_TO)
        yield Chain("translation", source, ChainKind.NAT, Hook.POSTROUTING, 100)
    if sheet.filter:
        rules = tuple(_filter(r, n, _at(sheet, file, f"filter.{n - 1}")) for n, r in enumerate(sheet.filter, 1))
        answers = Rule(
            0,
            Action.ACCEPT,
            (EVERY,),
            Provenance(file, sheet.site),
            "answers",
            states=frozenset((State.ESTABLISHED, State.RELATED)),
        )
        yield Chain(
            "filter", (answers, *rules), ChainKind.FILTER, Hook.FORWARD, 0, Action.DROP, Provenance(file, sheet.site)
        )


def _at(sheet: SiteSheet, file: str, path: str) -> Provenance:
    return Provenance(file, sheet.site, line=sheet.lines.get(path) or None)


def _addresses(sheet: SiteSheet) -> dict[str, tuple[Address, ...]]:
    """By interface; one that is no address is left out, as the sheet's reader has said so."""
    out: dict[str, tuple[Address, ...]] = {}
    for interface in sheet.interface:
        for text in interface.addresses:
            try:
                own = address_number(text.partition("/")[0])
                ((low, high),) = interval_of(text)
            except ValueError:
                continue
            out[interface.name] = (*out.get(interface.name, ()), (own, (low, high)))
    return out


def _connected(addresses: Mapping[str, tuple[Address, ...]], where: Provenance) -> list[Route]:
    """The routes that an interface's address brings along, and the addresses themselves."""
    out = []
    for dev, found in addresses.items():
        for own, (low, high) in found:
            network = as_prefix((low, high))
            out.append(
                Route(
                    (own, own),
                    128 if is_v6(own) else 32,
                    where,
                    dev=dev,
                    table="local",
                    kind=RouteKind.LOCAL,
                    text="own address",
                )
            )
            if network is not None:
                out.append(Route(*network, where, dev=dev, text=f"on {dev}"))
    return out


def _routes(sheet: SiteSheet, file: str, addresses: Mapping[str, tuple[Address, ...]]) -> list[Route]:
    """Static routes; one without an interface leaves by that of its next hop."""
    tables = Tables(sheet.site, addresses=addresses)
    out = []
    for index, route in enumerate(sheet.route):
        try:
            intervals = interval_of(route.destination)
            dev = route.interface or (tables.dev_of(address_number(route.via)) if route.via else "")
        except ValueError:
            continue
        for network in filter(None, map(as_prefix, intervals)):
            where = _at(sheet, file, f"route.{index}")
            out.append(
                Route(
                    *network,
                    where,
                    route.via,
                    dev,
                    route.metric,
                    kind=RouteKind(route.type or RouteKind.UNICAST),
                    text=route.destination,
                )
            )
    return out


def tunnel_policy(tunnel: SheetTunnel, where: Provenance | None) -> Policy | None:
    """A tunnel's selectors; a tunnel by routes without selectors takes all that its interface is given."""
    near = _intervals(tunnel.local_ts)
    far = _intervals(tunnel.remote_ts)
    by_route = tunnel.style == "route" and tunnel.interface
    if by_route and not (near and far):
        near, far = _intervals(("any",)), _intervals(("any",))
    if not near or not far:
        return None
    dev = tunnel.interface if by_route else ""
    return Policy(tunnel.name, near, far, dev, where, _services(tunnel), tunnel.peer_site or tunnel.peer)


def policy_on(tables: Tables, policy: Policy) -> Policy:
    """A sheet's tunnel on a machine whose own tables are known: which interface it uses, if it has one of its own.

    It is the tunnel interface that a route to the far side leads to; a machine with a single one uses that.
    """
    if policy.dev or not tables.tunnel_devs:
        return policy
    leading = [
        r.dev
        for r in tables.routes
        if r.dev in tables.tunnel_devs and any(_meets(r.destination, f) for f in policy.far)
    ]
    dev = leading[0] if leading else next(iter(tables.tunnel_devs)) if len(tables.tunnel_devs) == 1 else ""
    return replace(policy, dev=dev)


def _meets(a: Interval, b: Interval) -> bool:
    return a[0] <= b[1] and b[0] <= a[1]


def _services(tunnel: SheetTunnel) -> tuple[tuple[Interval, Interval], ...]:
    """Services written after a range (`10.64.0.0/21 tcp/80`), of either side."""
    found: list[tuple[Interval, Interval]] = []
    for text in (*tunnel.local_ts, *tunnel.remote_ts):
        _, _, service = text.strip().partition(" ")
        if service:
            try:
                found.extend(service_of(service))
            except ValueError:
                continue
    return tuple(found)


def _intervals(texts: Iterable[str]) -> tuple[Interval, ...]:
    out: list[Interval] = []
    for text in texts:
        try:
            out.extend(interval_of(text.strip().partition(" ")[0]))
        except ValueError:
            continue
    return tuple(out)


def _many(value: str | tuple[str, ...]) -> tuple[str, ...]:
    return (value,) if isinstance(value, str) else value


def match_boxes(match: SheetMatch) -> tuple[tuple[Box, ...], str]:
    """(boxes, doubt): the packets of a match; `doubt` names a value that is not understood."""
    sources, destinations = _intervals(_many(match.source)), _intervals(_many(match.destination))
    strange = [t for t in (*_many(match.source), *_many(match.destination)) if not _intervals((t,))]
    doubt = f"{strange[0]!r} is no range" if strange else ""
    services: list[tuple[Interval, Interval]] = []
    for text in _many(match.service):
        try:
            services.extend(service_of(text))
        except ValueError:
            doubt = f"{text!r} is no service"
    boxes = tuple(
        box_of(source, destination, protocol, port)
        for source in sources or (ANY_ADDRESS,)
        for destination in destinations or (ANY_ADDRESS,)
        for protocol, port in services or ((ANY_PROTOCOL, ANY_PORT),)
    )
    return boxes, doubt


def _names(text: str) -> Names:
    return Names(frozenset((text.removeprefix("!"),)), text.startswith("!")) if text else Names()


def _rule(
    number: int, action: Action, match: SheetMatch, where: Provenance, name: str, to: str = "", text: str = ""
) -> Rule:
    boxes, doubt = match_boxes(match)
    return Rule(
        number, action, boxes, where, name, _names(match.in_interface), _names(match.out_interface), _names(match.from_zone),
        _names(match.to_zone), to=to, doubt=doubt, text=text,
    )  # fmt: skip


def _filter(rule: SheetFilter, number: int, where: Provenance) -> Rule:
    return _rule(number, _FILTER_ACTIONS.get(rule.action, Action.DROP), rule.match, where, rule.name, text=rule.action)


def _translation(rule: SheetTranslation, number: int, where: Provenance) -> Rule:
    action = rule.action
    if isinstance(action, dict):
        kind, to = next(iter(action.items()), ("", ""))
        return _rule(
            number,
            Action.DESTINATION_TO if kind == "destination_to" else Action.SOURCE_TO,
            rule.match,
            where,
            rule.name,
            to,
            kind,
        )
    return _rule(
        number,
        Action.MASQUERADE if action == "masquerade" else Action.RETURN,
        rule.match,
        where,
        rule.name,
        text=action,
    )
