"""The primary is lost, and nothing takes over."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.failover import pair_of, switches_of
from stomion.tunnel.up import up_at
from stomion.vocabulary.times import clock_text

SPEC = Spec(
    code="failover-absent",
    stage=Stage.FAILOVER,
    title="Nothing takes over",
    means="The primary was given up and no traffic went over the standby until the end of what is known: the standby was not set up, or no "
    "route and no role ever led into it.",
    decided="Both tunnels' sheets name their roles; an end gave the primary up by its events or its log, and pings stay lost for some "
    "seconds, or neither a move nor a packet into the standby is seen, while the primary does not come back.",
    example="Farlight gives the primary up at 14:25:00.5; the standby is up 0.3 s later, and no traffic goes over it.",
    explains=frozenset({"path-outage", "test-fails-unexplained", "packet-loss"}),
)
PATIENCE_S = 10.0
"""Seconds within which the standby ought to carry."""


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    primary, standby = pair
    switch = next(reversed(list(switches_of(primary, standby))), None)
    if switch is None or switch.carried or switch.back is not None or switch.until - switch.detected < PATIENCE_S:
        return None
    end = next(e for e in primary.ends if e.site == switch.site)
    mate = next((e for e in standby.ends if e.site == switch.site), None)
    recorded = any(m.what == "peer-lost" and m.site == switch.site for m in primary.moves)
    if not recorded and (mate is None or not mate.readings):
        # A log alone tells of SAs, not of the route: the traffic may have moved and be lost on its way back.
        return None
    up = switch.up is not None or (mate is not None and up_at(standby, mate))
    state = f"{standby.name} is up" if up else f"{standby.name} is not set up"
    advice = (
        f"let the route to the far LAN, or the role, follow {standby.name} when {primary.name} is lost"
        if up
        else f"let {standby.name} be started when {primary.name} is lost, or keep it up beforehand"
    )
    return SPEC.finding(
        [switch.site],
        Certainty.LIKELY,
        f"{end.title} gives {primary.name} up at {clock_text(switch.detected)}; {state}, and no traffic goes over it.",
        [Remedy(switch.site, advice)],
        switch.places,
        switch.facts(),
    )


RULE = Rule(SPEC, judge)
