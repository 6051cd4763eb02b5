"""A link goes down and comes up again and again."""

from __future__ import annotations

from stomion.diagnosis.spec import MAX_EVIDENCE, Context, Rule, Spec
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="link-flapping",
    stage=Stage.UNDERLAY,
    title="A link goes up and down",
    means="The tunnel is torn down and set up again and again because a link beneath it does not stay up.",
    decided="Event records tell of three or more losses of a link, with recoveries between them.",
    example="A link on the way was lost 4 times and came back each time.",
    explains=frozenset({"peer-gone", "peer-silent", "path-outage", "packet-loss", "ike-lost-in-path"}),
)
LOSSES = 3
"""So many losses make it flapping: one is an outage, two may be a repair."""


def judge(context: Context) -> Finding | None:
    events = context.picture.link_events
    for site in dict.fromkeys(e.site for e in events):
        mine = [e for e in events if e.site == site]
        downs = [e for n, e in enumerate(mine) if not e.up and (n == 0 or mine[n - 1].up)]
        if len(downs) < LOSSES:
            continue
        end = next((e for e in context.picture.ends if e.site == site), None)
        place = f"{end.title}'s link" if end else "A link on the way"
        back = " and came back each time" if mine[-1].up else ""
        return Finding(
            code=SPEC.code,
            stage=SPEC.stage,
            sides=(site,) if end else (PATH,),
            certainty=Certainty.PROVEN,
            summary=f"{place} was lost {len(downs)} times{back}.",
            remedies=(
                Remedy(
                    site if end else PATH,
                    "repair the unstable link; until then longer detection times spare the tunnel",
                ),
            ),
            evidence=tuple(e.where for e in downs)[:MAX_EVIDENCE],
            facts={"losses": len(downs)},
        )
    return None


RULE = Rule(SPEC, judge)
