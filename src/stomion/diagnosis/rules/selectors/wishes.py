"""Both ends' selectors side by side, and which of two differing ones is the wrong one."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.diagnosis.spec import Context
from stomion.logs.grid import names_sides
from stomion.space.ranges import common, covers, same, spans
from stomion.tunnel.lans import behind
from stomion.tunnel.picture import End
from stomion.tunnel.settings import Basis, Ranges, asked_ranges, ranges, seen_ranges


@dataclass(frozen=True, slots=True)
class Difference:
    """The range about which the ends differ: `owner` is the end whose LAN it is, `wrong` the end that must change."""

    owner: End
    owner_says: tuple[str, ...]
    peer_says: tuple[str, ...]
    wrong: End


def wish_of(context: Context, end: End) -> Ranges:
    """What an end asked for or holds: the refusal that names both wishes, its opened packets, else what it is set to by its own sheet or
    log. What its peer heard is not taken here: a rule that names the wrong end may not rest on it."""
    cause = context.cause
    if cause and cause.refusal and cause.refusal.event.where.site:
        found = _from_refusal(context, end)
        if found.whole:
            return found
    asked = asked_ranges(context.picture, end)
    told = asked if asked else ranges(context.picture, end)
    return told.value if told.source is not Basis.INFERRED and told.value.whole else Ranges()


def _from_refusal(context: Context, end: End) -> Ranges:
    """The refuser's line: what it was asked (from its view: own side first or last) and what it holds."""
    cause = context.cause
    assert cause is not None and cause.refusal is not None
    event = cause.refusal.event
    if cause.heard:
        hearer = context.asker
        return (
            Ranges((event.their_ts[0],), (event.their_ts[1],))
            if end is hearer and len(event.their_ts) == 2
            else Ranges()
        )
    asked, held = event.their_ts, event.my_ts
    if end is cause.by and len(held) == 2:
        return Ranges((held[0],), (held[1],))
    if end is context.asker and len(asked) == 2:
        near, remote = (asked[1], asked[0]) if _own_side_first(context, asked) else asked
        return Ranges((near,), (remote,))
    return Ranges()


def sides_are_told(context: Context) -> bool:
    """Does anything tell which network of the refuser's line is whose: its own words or signs, or the networks that either end is known to have?"""
    cause = context.cause
    if cause is None or cause.refusal is None or cause.heard or not cause.refusal.event.my_ts:
        return True
    if names_sides(cause.refusal.event.text):
        return True
    known = [n for end in context.picture.ends for n in (*end.networks, *(end.sheet.local_ts if end.sheet else ()))]
    told = [seen_ranges(context.picture, end) for end in context.picture.ends]
    refused = cause.refusal.event.where
    return bool(known) or any(k.source is Basis.SEEN and k.value.whole and k.where != refused for k in told)


def _own_side_first(context: Context, asked: tuple[str, ...]) -> bool:
    """Does the refuser write the asked pair with its own side first? Told by the networks either end is known to have."""
    cause = context.cause
    assert cause is not None and cause.refusal is not None
    held = cause.refusal.event.my_ts
    by = set(cause.by.networks) | set(held[:1]) | set(cause.by.sheet.local_ts if cause.by.sheet else ())
    asker = (
        set(context.asker.networks) | set(held[1:]) | set(context.asker.sheet.local_ts if context.asker.sheet else ())
    )
    first_is_askers = bool(common([asked[0]], asker))
    second_is_bys = bool(common([asked[1]], by))
    if first_is_askers or second_is_bys:
        return False
    return bool(common([asked[0]], by) or common([asked[1]], asker)) or bool(held)


def differences(context: Context) -> list[Difference]:
    """Every range the ends see differently; empty where they mirror each other or one side is unknown."""
    left, right = context.picture.ends
    a, b = wish_of(context, left), wish_of(context, right)
    found = []
    for owner, own, peer, peers in ((left, a.near, right, b.remote), (right, b.near, left, a.remote)):
        if own and peers and not same(own, peers):
            found.append(Difference(owner, own, peers, _wrong(owner, own, peer, peers)))
    return found


def _wrong(owner: End, own: tuple[str, ...], peer: End, peers: tuple[str, ...]) -> End:
    """An end knows its own LAN best, unless its interfaces or hosts show that its selector misses that LAN."""
    lans = [n for n in behind(owner) if spans([n])]
    if lans:
        own_fits = any(covers(own, [n]) or covers([n], own) for n in lans)
        peer_fits = any(same(peers, [n]) or covers(peers, [n]) for n in lans)
        if peer_fits and not any(covers(own, [n]) for n in lans):
            return owner
        if own_fits:
            return peer
    return peer
