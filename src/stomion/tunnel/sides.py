"""Both ends of a tunnel as the walk sees them: tables, hosts, the tunnel's selectors, and the ranges behind each."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from stomion.exchange.story import Story
from stomion.model.box import Interval
from stomion.model.event import Event
from stomion.model.tables import Policy, Tables
from stomion.space.axis import interval_of
from stomion.space.ranges import spans
from stomion.tunnel.lans import behind
from stomion.tunnel.picture import End, Picture
from stomion.walk.declared import policy_on, tunnel_policy
from stomion.walk.journey import Side


def sides_of(picture: Picture) -> tuple[Side, Side]:
    """The left and the right end. One that gave nothing has behind it what the other end's tunnel protects there."""
    left, right = _side(picture, picture.left), _side(picture, picture.right)
    return _completed(left, right), _completed(right, left)


def _side(picture: Picture, end: End) -> Side:
    found = _policies(picture, end)
    tables = end.tables
    if tables is not None and not tables.policies:
        # Without any selectors nothing can be said of what the tunnel takes: the gateway counts as unknown then.
        found = [policy_on(tables, policy) for policy in found]
        tables = replace(tables, policies=tuple(found)) if found else None
    near = tuple(dict.fromkeys(n for p in found if not _any(p.near) for n in p.near)) or _lans(end)
    return Side(end.site, tables, end.hosts, found[0] if found else None, near, tuple(found[1:]))


def _completed(side: Side, other: Side) -> Side:
    if side.lans:
        return side
    return replace(side, lans=tuple(dict.fromkeys(f for p in other.policies if not _any(p.far) for f in p.far)))


def _policies(picture: Picture, end: End) -> list[Policy]:
    """All selectors between the two ends, at one of them: as its tables hold them for this peer or this tunnel, else as its sheet
    declares them, else as its log tells of Child SAs."""
    other = picture.other(end)
    declared = tunnel_policy(end.sheet, end.sheet_place) if end.sheet is not None else None
    found = _held(end.tables, (other.site, *other.addresses), declared) if end.tables is not None else []
    return found or ([declared] if declared is not None else _from_log(end))


def _held(tables: Tables, peers: Iterable[str], declared: Policy | None) -> list[Policy]:
    """The policies of some tables for a peer, or that are the declared tunnel's by its name or ranges, in the order of the tables.

    A hub has thousands: they are put in order once.
    """
    known = tables.worked_out.get(("policies", "by"))
    if not isinstance(known, dict):
        known = tables.worked_out["policies", "by"] = _by_what_they_name(tables.policies)
    wanted: list[object] = [("peer", peer) for peer in peers if peer]
    if declared is not None:
        wanted += [("tunnel", declared.tunnel), *((near, far) for near in declared.near for far in declared.far)]
    numbers = {n for key in wanted for n in known.get(key, ())}
    return [tables.policies[n] for n in sorted(numbers)]


def _by_what_they_name(policies: tuple[Policy, ...]) -> dict[object, list[int]]:
    out: dict[object, list[int]] = {}
    for number, policy in enumerate(policies):
        keys = [("peer", policy.peer), ("tunnel", policy.tunnel), *((n, f) for n in policy.near for f in policy.far)]
        for key in keys:
            out.setdefault(key, []).append(number)
    return out


def _from_log(end: End) -> list[Policy]:
    """The ranges of every Child SA that the end's own log tells of, the latest first."""
    out: dict[tuple[str, ...], Policy] = {}
    for up in reversed(_latest_children(end.story)):
        if len(up.my_ts) != 2 or up.my_ts in out:
            continue
        try:
            near, far = (tuple(interval_of(text)) for text in up.my_ts)
        except ValueError:
            continue
        out[up.my_ts] = Policy(up.conn or "the tunnel", near, far, "", up.where)
    return list(out.values())


def _latest_children(story: Story) -> list[Event]:
    """Those of the latest IKE SA; all that were ever up where none came after it: a child outlives its IKE SA's rekeying."""
    every = [*story.children, *([story.child_ever] if story.child_ever is not None else [])]
    begun = story.ike_ever
    if begun is None:
        return every
    here = begun.where
    return [e for e in every if e.where.file == here.file and (e.where.line or 0) >= (here.line or 0)] or every


def _any(intervals: tuple[Interval, ...]) -> bool:
    return any(low == 0 for low, _ in intervals)


def _lans(end: End) -> tuple[Interval, ...]:
    """The networks of an end whose selectors are not known: its hosts', else those behind it. One that gave no tables has none here."""
    if end.tables is None:
        return ()
    hosts = [net for h in end.hosts.values() for dev, rows in h.addresses.items() if dev != "lo" for _, net in rows]
    return tuple(dict.fromkeys(hosts or spans(sorted(behind(end)))))
