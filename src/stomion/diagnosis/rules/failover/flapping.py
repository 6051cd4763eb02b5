"""Traffic goes to and fro between the primary and its standby."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.failover import pair_of, switches_of
from stomion.vocabulary.durations import span_text

SPEC = Spec(
    code="flapping",
    stage=Stage.FAILOVER,
    title="The failover flaps",
    means="The primary is lost and comes back again and again, and traffic follows each time: every switch costs an outage. The primary's "
    "line is unstable, or traffic returns to it before it has proved itself.",
    decided="Both tunnels' sheets name their roles; three or more failovers with a return between them lie within an hour.",
    example="Petrel switched 4 times within 40 s; 78 pings were lost.",
    explains=frozenset({"path-outage", "peer-gone", "packet-loss", "failover-slow"}),
)
OFTEN, WITHIN_S = 3, 3600.0


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    found = list(switches_of(*pair))
    if len(found) < OFTEN or found[-1].detected - found[-OFTEN].detected > WITHIN_S:
        return None
    if sum(s.back is not None for s in found) < OFTEN - 1:
        return None
    site = found[-1].site
    end = next(e for e in pair[0].ends if e.site == site)
    lost = sum(s.lost for s in found)
    span = span_text(round(found[-1].detected - found[0].detected))
    return SPEC.finding(
        [site],
        Certainty.PROVEN,
        f"{end.title} gave {pair[0].name} up {len(found)} times within {span} and went back each time"
        + (f"; {lost:,} pings were lost." if lost else "."),
        [
            Remedy(
                site,
                f"repair the line of {pair[0].name}; until then let traffic return only after it has stood for minutes",
            ),
        ],
        [p for s in found for p in s.places[:1]],
        {"switches": len(found), "lost": lost, **found[0].facts()},
    )


RULE = Rule(SPEC, judge)
