"""Sites that nobody declared and whose own addresses nobody tells: by which of its peers' addresses each means the other."""

from __future__ import annotations

import itertools
import math
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping

from stomion.case.evidence import Evidence
from stomion.model.event import Event, What
from stomion.space.ranges import PRIVATE, common
from stomion.tunnel.plan import Plan

Talk = Mapping[str | None, list[Event]]
"""A site's events by the peer they are about."""

MOST_PEERS = 64
"""So many peers of a site, those it spoke with most, are held against those of the other."""
_SAID_ALONE = frozenset({What.CONFIGURED, What.WAITING, What.UNCARRIED})
"""What a gateway says without having met anybody."""
_SENDS = frozenset({What.INITIATING, What.SENT, What.RESENT, What.SEND_FAILED})
_STOOD = frozenset({What.IKE_UP, What.CHILD_UP, What.REKEY, What.AUTH_OK})
_ANSWERED = _STOOD | {What.AGREED, What.ASKED, What.RECEIVED}
_WAITED_FOR = frozenset({What.NO_ANSWER, What.GAVE_UP})
_KNOWN_TO = _WAITED_FOR | frozenset({
    What.INITIATING, What.AUTH_OK, What.IKE_UP, What.CHILD_UP, What.CONFIGURED, What.AGREED, What.KEY_REFUSED,
    What.IKE_PROPOSAL_REFUSED, What.PROPOSAL_REFUSED, What.SENT,
})  # fmt: skip


def facing(evidence: Evidence, loose: list[tuple[str, str]], own: Mapping[str, set[str]]) -> list[Plan]:
    """Tunnels of sites with peers at addresses that nobody claims: two such sites face each other; one alone faces its addresses.

    `loose`: (site, address), those with whom a site speaks most first; `own`: per site the addresses known to be its own.
    """
    unknown = _strangers(evidence)
    peers: dict[str, list[str]] = {}
    for site, address in loose:
        peers.setdefault(site, []).append(address)
    sites = list(peers)
    mute = _mute_site(evidence, sites)
    if len(sites) == 2 and not all(_wan_known(own.get(site, set())) for site in sites):
        return [_each_other(evidence, peers, unknown, own)]
    if len(sites) == 1 and mute is not None:
        site = sites[0]
        talk = _talk(evidence, site, peers[site])
        known = [x for x in peers[site] if x not in unknown[site]] or peers[site]
        address = _met(talk, _talk(evidence, mute, [])) or _silent(talk, unknown[site]) or known[0]
        return [Plan(f"{site}-{mute}", site, mute, set(own.get(site, ())), {address})]
    return [
        Plan(f"{site}-{address}", site, address, set(own.get(site, ())), {address})
        for site, address in loose
        if address not in unknown[site] or (address == peers[site][0] and unknown[site].issuperset(peers[site]))
    ]


def _each_other(
    evidence: Evidence,
    peers: Mapping[str, list[str]],
    unknown: Mapping[str, set[str]],
    own: Mapping[str, set[str]],
) -> Plan:
    """The tunnel of two sites. Where none of a site's peers can be the other one, what it tells of them is not the tunnel's."""
    a, b = peers
    here, there = _without_third_parties(peers[a], peers[b])
    of_a, of_b = _talk(evidence, a, here), _talk(evidence, b, there)
    seen_a, seen_b = _together(of_a, of_b, unknown[a] | unknown[b])
    seen_a = seen_a or _met(of_a, of_b) or _silent(of_a, unknown[a])
    seen_b = seen_b or _met(of_b, of_a) or _silent(of_b, unknown[b])
    if not (seen_a and seen_b):
        found_a, found_b = seen_a, seen_b
        seen_a = seen_a or _left_over(of_a, unknown[a], of_b.get(found_b))
        seen_b = seen_b or _left_over(of_b, unknown[b], of_a.get(found_a))
    apart = frozenset(peers[a]) | frozenset(peers[b])
    left, right = (own.get(site, set()) | ({seen} - {""}) for site, seen in ((a, seen_b), (b, seen_a)))
    return Plan(f"{a}-{b}", a, b, left, right, apart=apart - left - right)


def _without_third_parties(here: list[str], there: list[str]) -> tuple[list[str], list[str]]:
    """Both sites speak with a third one (a hub, a partner): it is neither's counterpart, where anybody else is left."""
    shared = set(here) & set(there)
    left, right = ([x for x in peers if x not in shared] for peers in (here, there))
    return (left, right) if left or right else (here, there)


def _talk(evidence: Evidence, site: str, peers: list[str]) -> Talk:
    """With what is said of nobody at None."""
    found: dict[str | None, list[Event]] = {x: [] for x in (*peers[:MOST_PEERS], None)}
    for log in evidence.logs:
        if log.site == site:
            for event in log.events:
                if event.peer in found:
                    found[event.peer].append(event)
    return found


def _together(here: Talk, there: Talk, strangers: Collection[str]) -> tuple[str, str]:
    """The two peers with whom both logs tell of the same SPIs, or of the same moments, more often than chance would have it. One moment
    shared with a mere stranger is chance."""
    spis = {x: {s for e in events for s in e.spis} for talk in (here, there) for x, events in talk.items() if x}
    score: dict[tuple[str, str], float] = {}
    span = _span(here, there)
    theirs = {y: seconds_of(_met_somebody(events)) for y, events in there.items() if y}
    for x, events in here.items():
        if not x:
            continue
        mine = seconds_of(_met_somebody(events))
        for y, others in theirs.items():
            chance = len(mine) * len(others) / span
            surplus = (len(mine & others) - chance) / math.sqrt(chance + 1)
            score[x, y] = math.inf if spis[x] & spis[y] else surplus - (x in strangers or y in strangers)
    best = sorted(score.items(), key=lambda pair: -pair[1])[:2]
    if not best or best[0][1] <= _CHANCE or (len(best) > 1 and best[0][1] == best[1][1]):
        return "", ""
    return best[0][0]


_CHANCE = 0.5
"""As much above what is to be expected is not yet more than chance; one moment that both tell of in an hour is."""


def _span(*talks: Talk) -> float:
    times = [e.at for talk in talks for events in talk.values() for e in events if e.at is not None]
    return max(times) - min(times) + 1 if times else 1.0


def _met_somebody(events: Iterable[Event]) -> Iterator[Event]:
    return (e for e in events if e.what not in _SAID_ALONE)


def _met(talk: Talk, other: Talk) -> str:
    """The peer it spoke with in the seconds in which the other site's log tells of something. Empty where that leaves it open."""
    theirs = seconds_of(e for events in other.values() for e in events)
    for chosen in (_met_somebody, iter):
        shared = Counter({x: len(seconds_of(chosen(events)) & theirs) for x, events in talk.items() if x})
        best = shared.most_common(2)
        if best and best[0][1]:
            return best[0][0] if len(best) == 1 or best[0][1] > best[1][1] else ""
    return ""


def _silent(talk: Talk, strangers: Collection[str]) -> str:
    """The only peer that never answered: of others the other site's log would tell."""
    silent = [x for x, events in talk.items() if x and x not in strangers and _is_unanswered(events)]
    return silent[0] if len(silent) == 1 else ""


def _is_unanswered(events: Iterable[Event]) -> bool:
    """Nothing came of it: who is waited for in vain did not begin it, whatever a line seems to say."""
    found = {e.what for e in events}
    return found.isdisjoint(_ANSWERED if found.isdisjoint(_WAITED_FOR) else _STOOD | {What.AGREED})


def _left_over(talk: Talk, strangers: set[str], sent: list[Event] | None) -> str:
    """The first of its own peers; none with whom all stands, where the other site never got an answer. Of mere strangers the only one,
    or who came again as often after one another as the other site sent."""
    unanswered = bool(sent) and _is_unanswered(sent or ())
    for x, events in talk.items():
        if x and x not in strangers and not (unanswered and any(e.what in _STOOD for e in events)):
            return x
    left = [x for x in talk if x in strangers]
    if len(left) == 1:
        return left[0] or ""
    pauses = _pauses(e for e in sent or () if e.what in _SENDS)
    return next((x for x in left if x and _pauses(talk[x]) & pauses), "")


def _pauses(events: Iterable[Event]) -> set[int]:
    """Seconds from each moment to the next, each with the one after it; what happens at once is one moment."""
    times = sorted(e.at for e in events if e.at is not None)
    gaps = [later - earlier for earlier, later in itertools.pairwise(times)]
    return {int(gap) + more for gap in gaps if gap > _AT_ONCE_S for more in (0, 1)}


_AT_ONCE_S = 2


def seconds_of(events: Iterable[Event]) -> set[int]:
    """The seconds of some events, each with the one after it: two clocks round differently."""
    return {int(e.at) + more for e in events if e.at is not None for more in (0, 1)}


def _wan_known(addresses: set[str]) -> bool:
    """Is any of a site's own addresses more than a LAN's? Then a peer that nobody owns is really somebody else."""
    return any(not common([a], PRIVATE) for a in addresses)


def _mute_site(evidence: Evidence, speaking: Collection[str]) -> str | None:
    """The one other site of the case whose log knows of no peer at all: it is the other end, and heard nothing."""
    others = {log.site for log in evidence.logs if log.site and log.site not in speaking}
    if not others:
        # A folder of which nothing was understood is a site's all the same.
        folders = {n.file.partition("/")[0] for n in evidence.not_recognised if "/" in n.file}
        others = folders - set(speaking) - {"sites", "path"}
    return others.pop() if len(others) == 1 else None


def _strangers(evidence: Evidence) -> Mapping[str, set[str]]:
    """Per site the addresses that asked and for whom the gateway has no configuration, or whom it never answered."""
    found: dict[str, dict[str, set[What]]] = defaultdict(lambda: defaultdict(set))
    for log in evidence.logs:
        for event in log.events:
            if log.site and event.peer:
                found[log.site][event.peer].add(event.what)
    for capture in evidence.captures:
        for way in capture.datagrams.ways():
            if capture.site:
                found[capture.site][way.src].add(What.RECEIVED)
                found[capture.site][way.dst].add(What.SENT)
    return defaultdict(
        set,
        {
            site: {x for x, whats in peers.items() if What.NO_PEER in whats or whats.isdisjoint(_KNOWN_TO)}
            for site, peers in found.items()
        },
    )
