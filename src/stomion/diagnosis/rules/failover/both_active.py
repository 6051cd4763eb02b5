"""Primary and standby carry at the same time."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.counters import moved
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.counted import places
from stomion.tunnel.failover import MANY, about, pair_of, switches_of
from stomion.tunnel.picture import End, Picture

SPEC = Spec(
    code="both-active",
    stage=Stage.FAILOVER,
    title="Both tunnels carry at once",
    means="One end sends into the primary and into its standby at the same time: packets arrive twice or out of their order, and filters "
    "that keep state see halves of connections. Two gateways that both hold the active role do the same.",
    decided="Both tunnels' sheets name their roles; while nothing tells of a failure, one end's counters of packets out rise at both in the "
    "second half of the time. Or two gateways of a site tell that they are active, and neither that it gave the role up.",
    example="Farlight sends 120 packets into the primary and 118 into the standby.",
)


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    primary, standby = pair
    if list(switches_of(primary, standby)):
        return _roles(primary, standby)
    both = []
    for end in primary.ends:
        mate = next((e for e in standby.ends if e.site == end.site), None)
        if mate is not None and min(_late(end), _late(mate)) >= MANY:
            both.append((end, mate))
    if not both:
        return _roles(primary, standby)
    said = "; ".join(
        f"{end.title} sends {_late(end):,} packets into {primary.name} and {_late(mate):,} into {standby.name}"
        for end, mate in both
    )
    advice = f"let only one of the two take the traffic: prefer {primary.name} by metric, or hold {standby.name}'s route back"
    return SPEC.finding(
        [end.site for end, _ in both],
        Certainty.LIKELY,
        f"Both tunnels carry at once: {said}.",
        [Remedy(end.site, advice) for end, _ in both],
        [p for pair_ in both for e in pair_ for p in places(e)],
        {end.site: [_late(end), _late(mate)] for end, mate in both},
    )


def _late(end: End) -> int:
    """Packets out in the second half of the time in which the counters were read."""
    middle = end.readings.middle
    found = moved(end.readings.inside(middle)) if middle is not None else None
    return found.out if found is not None else 0


def _roles(primary: Picture, standby: Picture) -> Finding | None:
    """Two gateways of one site that both say that they are active."""
    shared = {e.site for e in primary.ends} & {e.site for e in standby.ends}
    rows = sorted(
        {
            m.where: m
            for m in (*primary.moves, *standby.moves)
            if m.what in ("role-active", "role-standby") and m.site not in shared
        }.values(),
        key=lambda m: m.at or 0.0,
    )
    last = {m.site: m for m in rows}
    active = [
        m
        for m in last.values()
        if m.what == "role-active" and (about(m, primary, standby) or about(m, standby, primary))
    ]
    if len(active) < len(("primary", "standby")):
        return None
    return SPEC.finding(
        [m.site for m in active],
        Certainty.LIKELY,
        f"{' and '.join(m.site for m in active)} both took the active role, and neither gave it up.",
        [Remedy(m.site, "let only one of the two be active: see whether they hear each other") for m in active],
        [m.where for m in active],
        {"active": [m.site for m in active]},
    )


RULE = Rule(SPEC, judge)
