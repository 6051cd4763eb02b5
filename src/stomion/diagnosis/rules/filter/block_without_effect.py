"""A rule that should block has no effect."""

from __future__ import annotations

from stomion.diagnosis.changes import switched_on
from stomion.diagnosis.rules.filter.family import Idle, open_flow
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.flows import asked_text, flow_text
from stomion.vocabulary.times import clock_text

SPEC = Spec(
    code="block-without-effect",
    stage=Stage.FILTER,
    title="A block has no effect",
    means="A rule is there to block this traffic, and the traffic passes all the same: it names the wrong interface, or a rule above it lets the packets pass.",
    decided="A test that ought to be blocked got through, or the tables let a flow pass that `case.toml` expects to be blocked, and a rule that drops its packet does not decide. Or a record tells that a block was switched on, and a running ping that the tables stop goes on.",
    example="Whelk means to block ssh on wan0; the packets come in by the tunnel.",
)


_WHY = {
    Idle.WRONG_INTERFACE: "it names an interface that these packets do not use",
    Idle.SHADOWED: "a rule above it lets them pass",
    Idle.NO_EFFECT: "the packets pass all the same",
}


def judge(context: Context) -> Finding | None:
    return _open(context) or _switched_on(context)


def _switched_on(context: Context) -> Finding | None:
    """A block that was switched on while a ping ran, which by the tables has to stop it, and the ping goes on."""
    found = next((s for s in switched_on(context.picture) if s.flow.test.passed and s.flow.test.expected), None)
    if found is None or context.cause is not None:
        return None
    end, rule, flow = found.end, found.rule, flow_text(found.flow.test)
    change = found.change
    when = f" at {clock_text(change.at)}" if change is not None and change.at is not None else ""
    return SPEC.finding(
        [end.site],
        Certainty.LIKELY,
        f"At {end.title} {rule.label} was switched on{when}, and {flow} goes on as before.",
        [Remedy(end.site, f"see that {rule.label} is in force, and end the connections that were there before it")],
        [rule.where, change.where if change is not None else None, found.flow.test.where],
        {"rule": rule.label, "flow": flow, "reason": Idle.NO_EFFECT.value, "hits": rule.hits},
        "It may be saved and not applied, or spare what was under way: a new connection decides.",
    )


def _open(context: Context) -> Finding | None:
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
