"""A rule that should block has no effect."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import Idle, open_flow
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.flows import asked_text, flow_text

SPEC = Spec(
    code="block-without-effect",
    stage=Stage.FILTER,
    title="A block has no effect",
    means="A rule is there to block this traffic, and the traffic passes all the same: it names the wrong interface, or a rule above it lets the packets pass.",
    decided="A test that ought to be blocked got through, or the tables let a flow pass that `case.toml` expects to be blocked, and a rule that drops its packet does not decide.",
    example="Whelk means to block ssh on wan0; the packets come in by the tunnel.",
)


_WHY = {
    Idle.WRONG_INTERFACE: "it names an interface that these packets do not use",
    Idle.SHADOWED: "a rule above it lets them pass",
    Idle.NO_EFFECT: "the packets pass all the same",
}


def judge(context: Context) -> Finding | None:
    found = context.once(open_flow)
    if found is None or found.rule is None or found.end is None or found.why is None:
        return None
    rule, end = found.rule, found.end
    flow = flow_text(found.flow.test)
    return SPEC.finding(
        [end.site],
        Certainty.PROVEN,
        f"At {end.title} {rule.label} should block {flow} and has no effect: {_WHY[found.why]}.",
        [
            Remedy(
                end.site,
                f"let {rule.label} name the tunnel's interface"
                if found.why is Idle.WRONG_INTERFACE
                else f"move {rule.label} above {found.above.label}"
                if found.above is not None
                else f"see that {rule.label} is in force, and that this flow began after it was",
            )
        ],
        [rule.where, found.flow.test.where],
        {"rule": rule.label, "flow": flow, "reason": found.why, "hits": rule.hits},
        asked_text(found.flow),
    )


RULE = Rule(SPEC, judge)
