"""The standby is up, and traffic reaches it only much later."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.failover import pair_of, switches_of
from stomion.vocabulary.durations import span_text

SPEC = Spec(
    code="failover-slow",
    stage=Stage.FAILOVER,
    title="The failover takes longer than it has to",
    means="The primary was given up and the standby stood, and yet traffic was sent into the standby only much later: a timer holds the "
    "route, or somebody had to move it.",
    decided="Both tunnels' sheets name their roles, and a site's events tell of the peer that was given up, of the standby that came up, "
    "and of the route or role that moved more than some seconds after that.",
    example="Petrel moves its route to the standby 15 s after that was up; traffic is back after 22.5 s.",
    explains=frozenset({"path-outage"}),
)
SLOW_S = 3.0
"""Seconds between a standby that stands and traffic in it beyond which a timer is at work."""


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    primary, standby = pair
    for switch in switches_of(primary, standby):
        ready = switch.up if switch.up is not None else switch.detected
        waited = switch.moved - ready if switch.moved is not None else 0.0
        if waited <= SLOW_S:
            continue
        end = next(e for e in primary.ends if e.site == switch.site)
        outage = (
            f"; traffic is back after {span_text(switch.restored - switch.loss)}"
            if switch.restored and switch.loss
            else ""
        )
        return SPEC.finding(
            [switch.site],
            Certainty.PROVEN,
            f"{end.title} moves its traffic to {standby.name} {span_text(waited)} after that was up{outage}.",
            [Remedy(switch.site, f"move the route as soon as {standby.name} is up: shorten the timer that holds it")],
            switch.places,
            {**switch.facts(), "part": "route", "waited_ms": round(1000 * waited)},
        )
    return None


RULE = Rule(SPEC, judge)
