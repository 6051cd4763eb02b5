"""Evidence to one picture per tunnel: whose address is whose, which sites face each other, what belongs to which tunnel."""

from __future__ import annotations

import ipaddress
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

from stomion.case.evidence import Evidence
from stomion.exchange.clock import clock_offset
from stomion.exchange.negotiation import assemble
from stomion.exchange.picture import End, LanTest, LinkEvent, Picture
from stomion.exchange.story import read_story
from stomion.logs.algorithms import encryption_of, find_proposal, group_of
from stomion.model.event import Event, What
from stomion.model.packet import Datagram
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.model.site import SheetProposal, SheetTunnel

FRESH_TTL = (64, 128, 255)
"""Hop limits that packets leave their sender with."""


@dataclass(slots=True)
class _Plan:
    """A tunnel before its evidence is attached."""

    name: str
    left: str
    right: str
    left_addresses: set[str] = field(default_factory=set)
    right_addresses: set[str] = field(default_factory=set)
    left_sheet: SheetTunnel | None = None
    right_sheet: SheetTunnel | None = None


def pictures(evidence: Evidence) -> list[Picture]:
    """All tunnels of a case, in the order they were declared or seen."""
    own = own_addresses(evidence)
    plans = _from_sheets(evidence, own)
    _from_declarations(evidence, plans)
    _from_evidence(evidence, own, plans)
    return [_picture(plan, evidence, plans) for plan in plans]


def own_addresses(evidence: Evidence) -> dict[str, set[str]]:
    """Per site the addresses that are its gateway's own."""
    own: dict[str, set[str]] = {site: set(found) for site, found in evidence.addresses.items()}
    for sheet in evidence.sheets:
        for tunnel in sheet.tunnel:
            if _is_address(tunnel.local):
                own.setdefault(sheet.site, set()).add(tunnel.local)
    for log in evidence.logs:
        if log.site:
            for event in log.events:
                if event.own and event.what in (What.SENT, What.RECEIVED, What.IKE_UP):
                    own.setdefault(log.site, set()).add(event.own)
    for capture in evidence.captures:
        if capture.site and not own.get(capture.site):
            address = _own_in_capture(capture.datagrams)
            if address:
                own.setdefault(capture.site, set()).add(address)
    return own


def _is_address(text: str) -> bool:
    try:
        return not ipaddress.ip_address(text).is_unspecified
    except ValueError:
        return False


def _own_in_capture(datagrams: list[Datagram]) -> str | None:
    """The address whose packets have not been forwarded yet; failing that, the one that takes part in everything."""
    fresh = Counter(d.src for d in datagrams if d.ttl in FRESH_TTL)
    worn = Counter(d.src for d in datagrams if d.ttl and d.ttl not in FRESH_TTL)
    candidates = [a for a in fresh if not worn[a]]
    if len(candidates) == 1:
        return candidates[0]
    everywhere = [a for a in {d.src for d in datagrams} if all(a in (d.src, d.dst) for d in datagrams)]
    return everywhere[0] if len(everywhere) == 1 else None


def _from_sheets(evidence: Evidence, own: dict[str, set[str]]) -> list[_Plan]:
    """One tunnel per pair of sites; several where a site has several addresses for the same peer (primary, standby)."""
    groups: dict[tuple[str, ...], _Plan] = {}
    several = _multihomed(evidence)
    for sheet in evidence.sheets:
        for tunnel in sheet.tunnel:
            peer_site = tunnel.peer_site or _site_at(tunnel.peer, own) or tunnel.peer
            if not peer_site or peer_site == sheet.site:
                continue
            pair = tuple(sorted((sheet.site, peer_site)))
            split = ""
            if pair in several:
                split = tunnel.local if several[pair] == sheet.site else tunnel.peer
            plan = groups.get((*pair, split))
            if plan is None:
                plan = groups[(*pair, split)] = _Plan(tunnel.name, sheet.site, peer_site)
            _declare(plan, sheet.site, tunnel, own)
    return list(groups.values())


def _multihomed(evidence: Evidence) -> dict[tuple[str, ...], str]:
    """Pairs of sites with more than one tunnel between different addresses -> the site that has several."""
    found: dict[tuple[str, ...], str] = {}
    for sheet in evidence.sheets:
        locals_of: dict[str, set[str]] = {}
        for tunnel in sheet.tunnel:
            if _is_address(tunnel.local) and tunnel.peer_site:
                locals_of.setdefault(tunnel.peer_site, set()).add(tunnel.local)
        for peer, addresses in locals_of.items():
            if len(addresses) > 1:
                found[tuple(sorted((sheet.site, peer)))] = sheet.site
    return found


def _declare(plan: _Plan, site: str, tunnel: SheetTunnel, own: dict[str, set[str]]) -> None:
    is_left = plan.left == site
    mine, theirs = (
        (plan.left_addresses, plan.right_addresses) if is_left else (plan.right_addresses, plan.left_addresses)
    )
    if _is_address(tunnel.local):
        mine.add(tunnel.local)
    other = plan.right if is_left else plan.left
    if _is_address(tunnel.peer) and (not own.get(other) or tunnel.peer in own[other]):
        theirs.add(tunnel.peer)
    if is_left:
        plan.left_sheet = plan.left_sheet or tunnel
    else:
        plan.right_sheet = plan.right_sheet or tunnel
    if plan.left_sheet and plan.right_sheet and plan.left_sheet.name != plan.right_sheet.name:
        plan.name = f"{plan.left}-{plan.right}"


def _site_at(address: str, own: dict[str, set[str]]) -> str | None:
    return next((site for site, found in own.items() if address in found), None)


def _from_declarations(evidence: Evidence, plans: list[_Plan]) -> None:
    """case.toml names tunnels and their ends; it may name one that no sheet has."""
    declared = [frozenset(ends) for _, ends in evidence.declared]
    plans.sort(
        key=lambda p: declared.index(pair) if (pair := frozenset((p.left, p.right))) in declared else len(declared)
    )
    for name, (left, right) in evidence.declared:
        known = next((p for p in plans if {p.left, p.right} == {left, right}), None)
        if known is None:
            plans.append(_Plan(name, left, right))
            continue
        known.name = name
        if known.left != left:
            known.left, known.right = left, right
            known.left_addresses, known.right_addresses = known.right_addresses, known.left_addresses
            known.left_sheet, known.right_sheet = known.right_sheet, known.left_sheet


_SERIOUS = frozenset({
    What.INITIATING, What.IKE_UP, What.CHILD_UP, What.AUTH_OK, What.CONFIGURED, What.SENT, What.AGREED, What.ASKED,
    What.NO_ANSWER, What.GAVE_UP, What.KEY_REFUSED, What.AUTH_REFUSED, What.IKE_PROPOSAL_REFUSED, What.RECEIVED,
})  # fmt: skip


def _from_evidence(evidence: Evidence, own: dict[str, set[str]], plans: list[_Plan]) -> None:
    """Tunnels that nobody declared: sites whose gateways talk to each other."""
    peers = _peers_by_site(evidence, own)
    known = {frozenset((p.left, p.right)) for p in plans}
    covered = {site for p in plans for site in (p.left, p.right)}
    loose: list[tuple[str, str]] = []
    for site, found in peers.items():
        for address, _ in found.most_common():
            other = _site_at(address, own)
            if other == site:
                continue
            if other is None:
                if site not in covered:
                    loose.append((site, address))
            elif frozenset((site, other)) not in known:
                known.add(frozenset((site, other)))
                covered.update((site, other))
                plans.append(_Plan(f"{site}-{other}", site, other, set(own.get(site, ())), {address}))
    _pair_loose(evidence, [x for x in loose if x[0] not in covered], plans, own)
    _undeclared_between_others(evidence, plans)


def _peers_by_site(evidence: Evidence, own: dict[str, set[str]]) -> dict[str, Counter[str]]:
    """Per site the addresses its gateway spoke with; what it did itself weighs more than who merely knocked."""
    peers: dict[str, Counter[str]] = {}
    for log in evidence.logs:
        for event in log.events:
            if log.site and event.peer and event.what in _SERIOUS and event.peer not in own.get(log.site, ()):
                weight = 1 if event.what in (What.ASKED, What.RECEIVED) else 3
                peers.setdefault(log.site, Counter())[event.peer] += weight
    for capture in evidence.captures:
        mine = own.get(capture.site or "", set())
        for item in capture.datagrams:
            if capture.site and (item.src in mine) != (item.dst in mine):
                peers.setdefault(capture.site, Counter())[item.dst if item.src in mine else item.src] += 1
    return peers


def _pair_loose(evidence: Evidence, loose: list[tuple[str, str]], plans: list[_Plan], own: dict[str, set[str]]) -> None:
    """Sites whose peers' addresses nobody claims: two such sites face each other; one alone faces its addresses."""
    strangers = _strangers(evidence)
    first: dict[str, str] = {}
    for site, address in loose:
        if (site, address) not in strangers or site not in first:
            first.setdefault(site, address)
    sites = list(first)
    if len(sites) == 2 and not (own.get(sites[0]) and own.get(sites[1])):
        a, b = sites
        plans.append(_Plan(f"{a}-{b}", a, b, own.get(a, set()) | {first[b]}, own.get(b, set()) | {first[a]}))
        return
    mute = _mute_site(evidence, first)
    if mute is not None and len(sites) == 1:
        site = sites[0]
        plans.append(_Plan(f"{site}-{mute}", site, mute, set(own.get(site, ())), {first[site]}))
        return
    for site, address in loose:
        if address == first[site] or (site, address) not in strangers:
            plans.append(_Plan(f"{site}-{address}", site, address, set(own.get(site, ())), {address}))


def _mute_site(evidence: Evidence, speaking: dict[str, str]) -> str | None:
    """The one other site of the case whose log knows of no peer at all: it is the other end, and heard nothing."""
    others = {log.site for log in evidence.logs if log.site and log.site not in speaking}
    return others.pop() if len(others) == 1 else None


_KNOWN_TO = frozenset({
    What.INITIATING, What.AUTH_OK, What.IKE_UP, What.CHILD_UP, What.CONFIGURED, What.AGREED, What.KEY_REFUSED,
    What.IKE_PROPOSAL_REFUSED, What.PROPOSAL_REFUSED, What.SENT,
})  # fmt: skip


def _strangers(evidence: Evidence) -> set[tuple[str, str]]:
    """(site, address) of those who asked and for whom the gateway has no configuration, or whom it never answered."""
    seen: set[tuple[str, str]] = set()
    known: set[tuple[str, str]] = set()
    unwelcome: set[tuple[str, str]] = set()
    for log in evidence.logs:
        for event in log.events:
            if log.site and event.peer:
                pair = (log.site, event.peer)
                seen.add(pair)
                if event.what is What.NO_PEER:
                    unwelcome.add(pair)
                elif event.what in _KNOWN_TO:
                    known.add(pair)
    for capture in evidence.captures:
        for item in capture.datagrams:
            if capture.site:
                seen.add((capture.site, item.src))
                known.add((capture.site, item.dst))
    return {p for p in seen if p in unwelcome or p not in known}


def _undeclared_between_others(evidence: Evidence, plans: list[_Plan]) -> None:
    """Captures taken between the sites, with nothing else: the two addresses that speak are the ends."""
    if plans:
        return
    pairs = Counter(tuple(sorted((d.src, d.dst))) for capture in evidence.captures for d in capture.datagrams)
    for (a, b), _ in pairs.most_common(64):
        plans.append(_Plan(f"{a}-{b}", a, b, {a}, {b}))


def _picture(plan: _Plan, evidence: Evidence, plans: list[_Plan]) -> Picture:
    left = _end(plan.left, plan.left_addresses, plan.left_sheet, evidence)
    right = _end(plan.right, plan.right_addresses, plan.right_sheet, evidence)
    picture = Picture(plan.name, left, right)
    shares = sum(1 for p in plans if {p.left, p.right} & {plan.left, plan.right}) > 1
    _learn_translated(left, right, evidence, shares)
    _learn_translated(right, left, evidence, shares)
    for end, other in ((left, right), (right, left)):
        _attach_log(end, other, evidence, alone=_alone(end.site, plans))
    _attach_packets(picture, evidence)
    _attach_tests(picture, evidence)
    _attach_counters(picture, evidence)
    _attach_links(picture, evidence, only=len(plans) == 1)
    return picture


def _alone(site: str, plans: list[_Plan]) -> bool:
    return sum(1 for p in plans if site in (p.left, p.right)) == 1


def _end(site: str, addresses: set[str], sheet: SheetTunnel | None, evidence: Evidence) -> End:
    known = set(addresses)
    if not known:
        known = set(evidence.addresses.get(site, ()))
    end = End(site, known, set(evidence.networks.get(site, ())), sheet, evidence.sheet_lines.get(site, ""))
    if sheet is not None:
        end.ike_proposals = tuple(_sheet_proposal(p, "IKE") for p in sheet.ike_proposal)
        end.child_proposals = tuple(_sheet_proposal(p, "ESP") for p in sheet.esp_proposal)
    return end


def _sheet_proposal(declared: SheetProposal, protocol: str) -> Proposal:
    """Any spelling of the trade to the common names; a value not understood is kept as written."""

    def named(kind: str, values: Iterable[str]) -> tuple[str, ...]:
        out: list[str] = []
        for value in values:
            found = find_proposal(f"prf {value}" if kind == "prf" else value, protocol)
            out.extend((found.values(kind) if found else ()) or (value,))
        return tuple(dict.fromkeys(out))

    encryption = tuple(dict.fromkeys(x for v in declared.encryption for x in encryption_of(v) or (v,)))
    groups = tuple(
        x for g in declared.group for x in ((str(g),) if str(g).isdigit() else group_of(str(g)) or (str(g),))
    )
    integrity, prf = named("integrity", declared.integrity), named("prf", declared.prf)
    return Proposal(protocol, encryption, integrity, prf, groups, lifetime_s=declared.lifetime_s)


def _learn_translated(end: End, other: End, evidence: Evidence, shares: bool) -> None:
    """An address translation on the way gives the other end a second address, as this end's log and packets show it.

    Only where this end has no other tunnel, and only for a peer that authenticated: a stranger never does.
    """
    if shares:
        return
    for log in evidence.logs:
        if log.site == end.site:
            for event in log.events:
                if event.what in (What.IKE_UP, What.AUTH_OK) and event.peer and event.peer not in end.addresses:
                    other.addresses.add(event.peer)


def _attach_log(end: End, other: End, evidence: Evidence, alone: bool) -> None:
    for log in evidence.logs:
        if log.site != end.site:
            continue
        end.has_log = True
        end.events.extend(e for e in log.events if _concerns(e, end, other, alone))
    end.story = read_story(end.events)


def _concerns(event: Event, end: End, other: End, alone: bool) -> bool:
    if event.peer is None:
        return alone
    if event.peer in other.addresses:
        return event.own is None or event.own in end.addresses or not end.addresses or alone
    if event.peer in end.addresses:
        return event.own in other.addresses or (alone and event.own is None)
    # An address nobody knows: with no address for the other end at all it can only be that end's.
    return alone and not other.addresses


def _attach_packets(picture: Picture, evidence: Evidence) -> None:
    left, right = picture.left.addresses, picture.right.addresses
    chosen: list[Datagram] = []
    for capture in evidence.captures:
        for end in picture.ends:
            if capture.site == end.site:
                end.captures.append(capture.file)
        chosen.extend(
            d for d in capture.datagrams if (d.src in left and d.dst in right) or (d.src in right and d.dst in left)
        )
        picture.unreachables.extend(u for u in capture.unreachables if {u.src, u.dst} & left and {u.src, u.dst} & right)
        for flow in capture.esp.values():
            if flow.src in left and flow.dst in right:
                picture.esp_out += flow.packets
            elif flow.src in right and flow.dst in left:
                picture.esp_back += flow.packets
            else:
                continue
            picture.esp_last = max(picture.esp_last, flow.last)
    picture.negotiations = assemble(chosen, evidence.keys)
    _order_by_sender(picture)
    picture.clock = clock_offset(picture.negotiations, picture.left.site, picture.right.site)
    _settle_fates(picture, evidence)


def _order_by_sender(picture: Picture) -> None:
    """With clocks that differ the sender's capture is not always the earlier one: put it first all the same."""
    for negotiation in picture.negotiations:
        for step in negotiation.steps:
            sender = picture.end_at(step.src)
            if sender is not None and len(step.seen) > 1:
                step.seen.sort(key=lambda seen: seen[1].site != sender.site)


def _settle_fates(picture: Picture, evidence: Evidence) -> None:
    """A message seen leaving one end, while the other end's capture was running and has it not, is lost on the way."""
    watched = {c.site: c for c in evidence.captures if c.site}
    for negotiation in picture.negotiations:
        for step in negotiation.steps:
            sender = picture.end_at(step.src)
            receiver = picture.end_at(step.dst)
            if sender is None or receiver is None or step.fate == "arrived":
                continue
            if step.where.site == receiver.site:
                step.fate = "arrived"
            elif step.where.site == sender.site and receiver.site in watched and watched[receiver.site].packets:
                step.fate = "lost"


def _attach_tests(picture: Picture, evidence: Evidence) -> None:
    for record, (file, line) in zip(evidence.tests, evidence.test_places, strict=True):
        site = record.source.split("/")[0]
        end = next((e for e in picture.ends if e.site == site), None)
        if end is None or "/" not in record.source or not _inside(record.to, picture.other(end).networks):
            continue
        picture.tests.append(
            LanTest(
                end is picture.left,
                record.received > 0,
                record.expected != "blocked",
                _seconds(record.at),
                Provenance(file, site, line=line),
                record.service,
            )
        )


def _attach_links(picture: Picture, evidence: Evidence, only: bool) -> None:
    """Links at either end; one elsewhere counts where it can only be this tunnel's path, as there is no other."""
    ends = {e.site for e in picture.ends}
    sites = {s.site for s in evidence.sources if s.site}
    for record, (file, line) in zip(evidence.happenings, evidence.happening_places, strict=True):
        if record.what in ("link-down", "link-up") and (record.site in ends or (only and record.site not in sites)):
            where = Provenance(file, record.site, line=line)
            picture.link_events.append(LinkEvent(record.site, record.what == "link-up", _seconds(record.at), where))


def _inside(address: str, networks: set[str]) -> bool:
    try:
        ip = ipaddress.ip_address(address)
        return any(ip in ipaddress.ip_network(n) for n in networks)
    except ValueError:
        return False


def _seconds(text: str) -> float | None:
    try:
        return datetime.fromisoformat(text).timestamp()
    except (ValueError, OverflowError):
        return None


def _attach_counters(picture: Picture, evidence: Evidence) -> None:
    """The highest reading of every SA at either end; a sum over SAs is what the tunnel carried."""
    names = {e.sheet.name for e in picture.ends if e.sheet} | {picture.name}
    for end in picture.ends:
        best: dict[str, tuple[int, int]] = {}
        for record in evidence.counters:
            if record.site != end.site or not (
                _alone_counter(record.tunnel, names) or _selects(record.remote_ts, picture, end)
            ):
                continue
            end.has_counters = True
            out, back = best.get(record.spi_out, (0, 0))
            best[record.spi_out] = (max(out, record.packets_out), max(back, record.packets_in))
        end.out_packets = sum(out for out, _ in best.values())
        end.in_packets = sum(back for _, back in best.values())


def _alone_counter(name: str, names: set[str]) -> bool:
    return name in names


def _selects(remote_ts: tuple[str, ...], picture: Picture, end: End) -> bool:
    other = picture.other(end)
    return any(ts in other.networks for ts in remote_ts)
