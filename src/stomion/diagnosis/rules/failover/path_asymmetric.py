"""The two ends send into different tunnels."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.counted import places
from stomion.tunnel.failover import carrier, pair_of

SPEC = Spec(
    code="path-asymmetric",
    stage=Stage.FAILOVER,
    title="The two ends use different tunnels",
    means="One end sends over the primary and the other over the standby. Where one of the two paths is dead, one direction is lost; where "
    "both live, filters that keep state may drop what they have not seen begin.",
    decided="Both tunnels' sheets name their roles; of each end's counters only one tunnel's packets out rise in the second half of the "
    "time, and it is not the same tunnel at both ends.",
    example="Farlight sends over the standby, Petrel still into the primary.",
    explains=frozenset({"esp-lost-in-path", "test-fails-unexplained", "one-way-return"}),
)


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    primary, standby = pair
    into = {end.site: carrier(primary, standby, end.site) for end in primary.ends}
    if None in into.values() or len({p.name for p in into.values() if p is not None}) == 1:
        return None
    stays = next(e for e in primary.ends if into[e.site] is primary)
    other = primary.other(stays)
    watches = stays.sheet is not None and stays.sheet.dpd is not None
    advice = "find out why it did not notice that the other left the primary" if watches else "switch peer detection on"
    return SPEC.finding(
        [stays.site],
        Certainty.LIKELY,
        f"{other.title} sends over {standby.name}, {stays.title} still into {primary.name}.",
        [Remedy(stays.site, f"{advice}, so that it leaves the primary, too")],
        [p for end in primary.ends for p in places(end)],
        {other.site: standby.name, stays.site: primary.name},
    )


RULE = Rule(SPEC, judge)
