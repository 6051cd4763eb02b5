"""Which tunnels a case has: whose address is whose, and which sites face each other."""

from __future__ import annotations

import ipaddress
from collections import Counter

from stomion.case.evidence import Evidence
from stomion.model.datagrams import Datagrams
from stomion.model.event import What
from stomion.model.provenance import Problem
from stomion.model.site import SheetTunnel
from stomion.tunnel.counterparts import facing
from stomion.tunnel.plan import Plan, is_knock

MAX_PAIRS = 64
"""So many pairs of strangers are shown as tunnels, where a case has nothing but captures taken between them."""
FRESH_TTL = (64, 128, 255)
"""Hop limits that packets leave their sender with."""


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
                if event.own and event.what in (What.SENT, What.RECEIVED, What.IKE_UP, What.STARTED):
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


def _own_in_capture(datagrams: Datagrams) -> str | None:
    """The address whose packets have not been forwarded yet; failing that, the one that takes part in everything."""
    ways = datagrams.ways()
    fresh = {w.src for w in ways if w.ttl in FRESH_TTL}
    worn = {w.src for w in ways if w.ttl and w.ttl not in FRESH_TTL}
    candidates = [a for a in fresh if a not in worn]
    if len(candidates) == 1:
        return candidates[0]
    pairs = {(w.src, w.dst) for w in ways}
    everywhere = [a for a in {src for src, _ in pairs} if all(a in pair for pair in pairs)]
    return everywhere[0] if len(everywhere) == 1 else None


def from_sheets(evidence: Evidence, own: dict[str, set[str]]) -> list[Plan]:
    """One tunnel per pair of sites; several where a site has several addresses for the same peer (primary, standby)."""
    groups: dict[tuple[str, ...], Plan] = {}
    several = _multihomed(evidence)
    sites = _sites_of(own)
    for sheet in evidence.sheets:
        for tunnel in sheet.tunnel:
            peer_site = tunnel.peer_site or sites.get(tunnel.peer) or tunnel.peer
            if not peer_site or peer_site == sheet.site:
                continue
            pair = tuple(sorted((sheet.site, peer_site)))
            split = ""
            if pair in several:
                split = tunnel.local if several[pair] == sheet.site else tunnel.peer
            plan = groups.get((*pair, split))
            if plan is None:
                plan = groups[(*pair, split)] = Plan(tunnel.name, sheet.site, peer_site)
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


def _declare(plan: Plan, site: str, tunnel: SheetTunnel, own: dict[str, set[str]]) -> None:
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


def _sites_of(own: dict[str, set[str]]) -> dict[str, str]:
    """Addresses -> the first site that has each."""
    found: dict[str, str] = {}
    for site, addresses in own.items():
        for address in addresses:
            found.setdefault(address, site)
    return found


def from_declarations(evidence: Evidence, plans: list[Plan]) -> None:
    """case.toml names tunnels and their ends; it may name one that no sheet has."""
    first: dict[frozenset[str], int] = {}
    for place, (_, ends) in enumerate(evidence.declared):
        first.setdefault(frozenset(ends), place)
    plans.sort(key=lambda p: first.get(frozenset((p.left, p.right)), len(evidence.declared)))
    unnamed: dict[frozenset[str], list[Plan]] = {}
    for plan in plans:
        unnamed.setdefault(frozenset((plan.left, plan.right)), []).append(plan)
    for name, (left, right) in evidence.declared:
        of_pair = unnamed.get(frozenset((left, right)), [])
        known = next((p for p in of_pair if p.name == name), None) or next(iter(of_pair), None)
        if known is None:
            plans.append(Plan(name, left, right))
            continue
        of_pair[:] = [p for p in of_pair if p is not known]
        known.name = name
        if known.left != left:
            known.left, known.right = left, right
            known.left_addresses, known.right_addresses = known.right_addresses, known.left_addresses
            known.left_sheet, known.right_sheet = known.right_sheet, known.left_sheet


_SERIOUS = frozenset({
    What.INITIATING, What.IKE_UP, What.CHILD_UP, What.AUTH_OK, What.CONFIGURED, What.SENT, What.AGREED, What.ASKED,
    What.NO_ANSWER, What.GAVE_UP, What.KEY_REFUSED, What.AUTH_REFUSED, What.IKE_PROPOSAL_REFUSED, What.RECEIVED, What.NO_PEER,
    What.PROPOSAL_REFUSED, What.CHILD_PROPOSAL_REFUSED, What.SELECTORS_REFUSED, What.IDENTITY_REFUSED, What.VERSION_REFUSED,
    What.MODE_REFUSED, What.METHOD_REFUSED, What.PFS_REFUSED, What.SEND_FAILED, What.WAITING, What.UNCARRIED,
})  # fmt: skip


def from_evidence(evidence: Evidence, own: dict[str, set[str]], plans: list[Plan]) -> None:
    """Tunnels that nobody declared: sites whose gateways talk to each other."""
    peers = _peers_by_site(evidence, own)
    known = {frozenset((p.left, p.right)) for p in plans}
    covered = {site for p in plans for site in (p.left, p.right)}
    loose: list[tuple[str, str]] = []
    sites = _sites_of(own)
    for site, found in peers.items():
        for address, _ in found.most_common():
            other = sites.get(address)
            if other == site:
                continue
            if other is None:
                if site not in covered:
                    loose.append((site, address))
            elif frozenset((site, other)) not in known:
                known.add(frozenset((site, other)))
                covered.update((site, other))
                plans.append(Plan(f"{site}-{other}", site, other, set(own.get(site, ())), {address}))
    plans.extend(facing(evidence, [x for x in loose if x[0] not in covered], own))
    _undeclared_between_others(evidence, plans)


def _peers_by_site(evidence: Evidence, own: dict[str, set[str]]) -> dict[str, Counter[str]]:
    """Per site the addresses its gateway spoke with; what it did itself weighs more than who merely knocked."""
    peers: dict[str, Counter[str]] = {}
    for log in evidence.logs:
        for event in log.events:
            if log.site and event.peer and event.what in _SERIOUS and event.peer not in own.get(log.site, ()):
                if is_knock(event):
                    continue
                weight = 1 if event.what in (What.ASKED, What.RECEIVED, What.NO_PEER) else 3
                peers.setdefault(log.site, Counter())[event.peer] += weight
    for capture in evidence.captures:
        mine = own.get(capture.site or "", set())
        for way, count in capture.datagrams.ways().items():
            if capture.site and (way.src in mine) != (way.dst in mine):
                peers.setdefault(capture.site, Counter())[way.dst if way.src in mine else way.src] += count
    return peers


def _undeclared_between_others(evidence: Evidence, plans: list[Plan]) -> None:
    """Captures taken between the sites, with nothing else: the two addresses that speak are the ends."""
    if plans:
        return
    pairs: Counter[tuple[str, ...]] = Counter()
    for capture in evidence.captures:
        for way, count in capture.datagrams.ways().items():
            pairs[tuple(sorted((way.src, way.dst)))] += count
    for (a, b), _ in pairs.most_common(MAX_PAIRS):
        plans.append(Plan(f"{a}-{b}", a, b, {a}, {b}))
    if len(pairs) > MAX_PAIRS:
        more = f"{len(pairs) - MAX_PAIRS:,} more pairs of addresses speak IKE; the {MAX_PAIRS} with the most packets are shown"
        evidence.problems.append(Problem(next(c.file for c in evidence.captures if c.datagrams), more))
