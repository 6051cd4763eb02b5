"""The standby would not work if it were needed."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import STAGES, Finding, Stage
from stomion.tunnel.failover import pair_of, switches_of

SPEC = Spec(
    code="standby-broken",
    stage=Stage.FAILOVER,
    title="The standby would not work",
    means="The tunnel that is to take over has a fault of its own: what looks redundant is not, and the next failure of the primary is an "
    "outage.",
    decided="Both tunnels' sheets name their roles, and the standby, judged like any tunnel, has a fault at a stage before failover. A "
    "remark while the primary stands; a fault once it was given up and nothing carried.",
    example="The standby of Petrel and Farlight carries only half of Petrel's range.",
    explains=frozenset({"failover-absent"}),
)
_PASSING = ("peer-gone", "peer-silent", "packet-loss", "link-flapping", "link-down", "deleted-by-peer")
"""What a line that is down for a while does, and what a standby that is taken down after its use looks like."""
_BEFORE = STAGES[: STAGES.index(Stage.FAILOVER)]


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    own = {(f.code, f.sides) for f in context.judged(pair[0])}
    found = next(
        (
            f
            for f in context.judged(pair[1])
            if not f.caution and f.stage in _BEFORE and f.code not in _PASSING and (f.code, f.sides) not in own
        ),
        None,
    )
    if found is None:
        return None
    name = pair[1].name
    needed = any(not s.carried and s.back is None for s in switches_of(*pair))
    finding = SPEC.finding(
        found.sides,
        found.certainty,
        f"{name}, the standby, would not work: {found.summary}",
        found.remedies,
        found.evidence,
        {"standby": name, "code": found.code, **{k: v for k, v in found.facts.items() if isinstance(v, str | int)}},
    )
    # Until it is needed nothing fails at the primary: a remark there, and a fault of the standby itself.
    return replace(finding, caution=not needed)


RULE = Rule(SPEC, judge)
