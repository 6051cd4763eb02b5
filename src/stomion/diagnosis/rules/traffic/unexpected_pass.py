"""Traffic passes that ought to be blocked."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import open_flow
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import asked_text, flow_text

SPEC = Spec(
    code="unexpected-pass",
    stage=Stage.TRAFFIC,
    title="Something passes that should not",
    means="A flow that is to be blocked gets through the tunnel, and no rule is there that would block it.",
    decided="A test that ought to be blocked got an answer; or `case.toml` expects a flow, or a whole range, to be blocked, and the tables of both ends let it or a part of it pass.",
    example="ssh from Quayhead to Whelk should be blocked and is answered.",
)


def judge(context: Context) -> Finding | None:
    found = context.once(open_flow)
    if found is None or found.rule is not None:
        return None
    test = found.flow.test
    end = context.picture.right if test.from_left else context.picture.left
    return SPEC.finding(
        [end.site],
        Certainty.PROVEN,
        f"{flow_text(test)} should be blocked and {'is answered' if test.seen else 'nothing at either end blocks it'}.",
        [Remedy(end.site, "add a rule that blocks it, above those that let the tunnel's traffic pass")],
        [test.where],
        {"flow": flow_text(test), "packets": packets_text(found.flow.part) if found.flow.part else flow_text(test)},
        asked_text(found.flow),
    )


RULE = Rule(SPEC, judge)
