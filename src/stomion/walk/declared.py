"""A site sheet's tables in the common shape: interfaces, routes, translations, filters, tunnels."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from stomion.model.provenance import Provenance
from stomion.model.site import SheetFilter, SheetMatch, SheetTranslation, SheetTunnel, SiteSheet
from stomion.model.tables import (
    ACCEPT,
    DESTINATION_TO,
    DROP,
    MASQUERADE,
    REJECT,
    RETURN,
    SOURCE_TO,
    Chain,
    Interval,
    Names,
    Policy,
    Route,
    Rule,
    Tables,
)
from stomion.space.boxes import EVERY, Box, address_number, interval_of, service_of

_FILTER_ACTIONS = {"allow": ACCEPT, "drop": DROP, "reject": REJECT}


def declared_tables(sheet: SiteSheet, file: str) -> Tables:
    """What a sheet says of its gateway. A filter or translation list that is not there lets everything pass unchanged.

    With filter rules, what none of them matches is dropped, save answers to what was let through.
    """
    tables = Tables(sheet.site, source="sheet", translation_first=sheet.translation_first)
    for interface in sheet.interface:
        tables.zones[interface.name] = interface.zone
        for text in interface.addresses:
            _address(tables, interface.name, text)
    tables.tunnel_devs = {t.interface for t in sheet.tunnel if t.style == "route" and t.interface}
    tables.routes = [*_connected(tables, file), *_routes(sheet, file)]
    tables.policies = [
        p for index, t in enumerate(sheet.tunnel) if (p := tunnel_policy(t, _at(sheet, file, f"tunnel.{index}")))
    ]
    if sheet.translation:
        rules = tuple(
            _translation(r, n, _at(sheet, file, f"translation.{n - 1}")) for n, r in enumerate(sheet.translation, 1)
        )
        destination = {DESTINATION_TO, RETURN}
        tables.chains["translation in"] = Chain(
            "translation in", tuple(r for r in rules if r.action in destination), "nat", "prerouting"
        )
        source = tuple(r for r in rules if r.action != DESTINATION_TO)
        tables.chains["translation"] = Chain("translation", source, "nat", "postrouting", 100)
    if sheet.filter:
        rules = tuple(_filter(r, n, _at(sheet, file, f"filter.{n - 1}")) for n, r in enumerate(sheet.filter, 1))
        answers = Rule(
            0, ACCEPT, (EVERY,), Provenance(file, sheet.site), "answers", states=frozenset(("established", "related"))
        )
        tables.chains["filter"] = Chain(
            "filter", (answers, *rules), "filter", "forward", 0, DROP, Provenance(file, sheet.site)
        )
    return tables


def _at(sheet: SiteSheet, file: str, path: str) -> Provenance:
    return Provenance(file, sheet.site, line=sheet.lines.get(path) or None)


def _address(tables: Tables, dev: str, text: str) -> None:
    try:
        own = address_number(text.partition("/")[0])
        ((low, high),) = interval_of(text)
    except ValueError:
        return
    tables.addresses.setdefault(dev, []).append((own, (low, high)))


def _connected(tables: Tables, file: str) -> list[Route]:
    """The routes that an interface's address brings along, and the addresses themselves."""
    out = []
    for dev, found in tables.addresses.items():
        for own, (low, high) in found:
            length = 128 - (high - low).bit_length()
            where = Provenance(file, tables.site)
            out.append(Route((own, own), 129, where, dev=dev, table="local", kind="local", text="own address"))
            out.append(Route((low, high), length, where, dev=dev, text=f"on {dev}"))
    return out


def _routes(sheet: SiteSheet, file: str) -> list[Route]:
    """Static routes; one without an interface leaves by that of its next hop."""
    tables = Tables(sheet.site)
    for interface in sheet.interface:
        for text in interface.addresses:
            _address(tables, interface.name, text)
    out = []
    for index, route in enumerate(sheet.route):
        try:
            intervals = interval_of(route.destination)
            dev = route.interface or (tables.dev_of(address_number(route.via)) if route.via else "")
        except ValueError:
            continue
        for low, high in intervals:
            length = 128 - (high - low).bit_length()
            where = _at(sheet, file, f"route.{index}")
            out.append(
                Route((low, high), max(0, length) if route.destination not in ("any", "default", "0.0.0.0/0", "::/0") else 0,
                      where, route.via, dev, route.metric, kind=route.type or "unicast", text=route.destination)
            )  # fmt: skip
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
    doubt = ""
    for given, found in ((_many(match.source), sources), (_many(match.destination), destinations)):
        if given and not found:
            doubt = f"{', '.join(given)} is no range"
    services: list[tuple[Interval, Interval]] = []
    for text in _many(match.service):
        try:
            services.extend(service_of(text))
        except ValueError:
            doubt = f"{text!r} is no service"
    boxes = tuple(
        (source, destination, protocol, EVERY[3], port)
        for source in sources or (EVERY[0],)
        for destination in destinations or (EVERY[1],)
        for protocol, port in services or ((EVERY[2], EVERY[4]),)
    )
    return boxes, doubt


def _names(text: str) -> Names:
    return Names(frozenset((text.removeprefix("!"),)), text.startswith("!")) if text else Names()


def _rule(
    number: int, action: str, match: SheetMatch, where: Provenance, name: str, to: str = "", text: str = ""
) -> Rule:
    boxes, doubt = match_boxes(match)
    return Rule(
        number, action, boxes, where, name, _names(match.in_interface), _names(match.out_interface), _names(match.from_zone),
        _names(match.to_zone), to=to, doubt=doubt, text=text,
    )  # fmt: skip


def _filter(rule: SheetFilter, number: int, where: Provenance) -> Rule:
    return _rule(number, _FILTER_ACTIONS.get(rule.action, DROP), rule.match, where, rule.name, text=rule.action)


def _translation(rule: SheetTranslation, number: int, where: Provenance) -> Rule:
    action = rule.action
    if isinstance(action, dict):
        kind, to = next(iter(action.items()), ("", ""))
        return _rule(
            number, DESTINATION_TO if kind == "destination_to" else SOURCE_TO, rule.match, where, rule.name, to, kind
        )
    return _rule(number, MASQUERADE if action == "masquerade" else RETURN, rule.match, where, rule.name, text=action)
