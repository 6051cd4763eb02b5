"""The primary is back, and traffic stays on the standby."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.failover import pair_of, sends_after, switches_of
from stomion.vocabulary.times import clock_text

SPEC = Spec(
    code="failback-absent",
    stage=Stage.FAILOVER,
    title="Traffic does not return to the primary",
    means="The primary tunnel stands again and nothing moves the traffic back to it: the standby goes on carrying, often over the slower "
    "or dearer line, and the next failure finds nothing to fall back to.",
    decided="Both tunnels' sheets name their roles; a site's events tell that the primary's tunnel came up again after a failover, and of "
    "no route or role that moved back until the end of what is known, some seconds later.",
    example="Petrel's primary is up again since 14:25:18; its traffic stays on the standby.",
)
PATIENCE_S = 5.0
"""Seconds after which traffic ought to have returned."""


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    primary, standby = pair
    last = [s for s in switches_of(primary, standby) if s.moved is not None and s.back is not None]
    for switch in last:
        if switch.returned is not None or switch.back is None or switch.until - switch.back < PATIENCE_S:
            continue
        end = next(e for e in primary.ends if e.site == switch.site)
        if sends_after(end, switch.back):
            continue
        return SPEC.finding(
            [switch.site],
            Certainty.LIKELY,
            f"{primary.name} is up again since {clock_text(switch.back)}; {end.title}'s traffic stays on {standby.name}.",
            [
                Remedy(
                    switch.site, f"let traffic return to {primary.name} when it is up, or say that it is not meant to"
                )
            ],
            switch.places,
            switch.facts(),
        )
    return None


RULE = Rule(SPEC, judge)
