"""A test went to an address that no host can have."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.flows import flow_text
from stomion.tunnel.lans import no_host

SPEC = Spec(
    code="wrong-target",
    stage=Stage.TRAFFIC,
    title="The test asked the wrong address",
    means="A subnet's own address or its broadcast address was pinged, or a name that nothing resolves: no host answers there, and the "
    "tunnel is not to blame.",
    decided="The target of a failed test is the first or the last address of a network behind the far end. Or it is a name, and the test "
    "says that it is not known.",
    example="Somebody pinged 10.78.0.0, the network's own address.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    for test in context.picture.tests:
        if test.passed or not test.expected:
            continue
        end = context.picture.right if test.from_left else context.picture.left
        kind = no_host(test.to, end)
        if not kind:
            continue
        start = context.picture.other(end)
        return SPEC.finding(
            [start.site],
            Certainty.PROVEN,
            f"{flow_text(test)} asks {kind} behind {end.title}: no host answers there.",
            [Remedy(start.site, f"ask a host behind {end.title} that is known to be alive")],
            [test.where],
            {"target": test.to, "kind": kind},
        )
    return _unresolved(context)


def _unresolved(context: Context) -> Finding | None:
    """A test that never began, as its target is a name that was not known where it was made."""
    picture = context.picture
    for test in picture.aside:
        if test.passed or not test.expected or test.error != "name":
            continue
        start = picture.left if test.from_left else picture.right
        return SPEC.finding(
            [start.site],
            Certainty.PROVEN,
            f"{test.who or start.title} does not resolve the name {test.to}: nothing was sent into the tunnel.",
            [
                Remedy(
                    start.site,
                    f"try the address itself; then let the hosts of {start.title} ask a name server that knows {test.to}, through the tunnel "
                    "where it stands behind it",
                )
            ],
            [test.where],
            {"target": test.to, "kind": "a name that is not known"},
        )
    return None


RULE = Rule(SPEC, judge)
