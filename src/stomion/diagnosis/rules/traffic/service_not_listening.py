"""The host answers, and says that nothing listens on the service that was asked."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.attempts import failing, passing

SPEC = Spec(
    code="service-not-listening",
    stage=Stage.TRAFFIC,
    title="Nothing listens on the service",
    means="The packets reach the far LAN and somebody there refuses the connection: the service is stopped or listens elsewhere, or a filter "
    "in front of it rejects. The tunnel carries.",
    decided="A test of a service is refused rather than left unanswered, while the same host answers something else.",
    example="10.66.0.10 behind Marram refuses tcp/80 and answers ping: no web server listens there.",
)
_REFUSED = ("refused", "reset", "connection refused")


def judge(context: Context) -> Finding | None:
    picture = context.picture
    for attempt in failing(picture):
        if not attempt.silent or attempt.error not in _REFUSED:
            continue
        same = [a for a in passing(picture) if a.to == attempt.to]
        if not same:
            continue
        end = picture.right if attempt.from_left else picture.left
        return SPEC.finding(
            [end.site],
            Certainty.LIKELY,
            f"{attempt.to} behind {end.title} refuses {attempt.service} and answers {same[0].service or 'icmp'}: the tunnel carries, nothing listens there.",
            [Remedy(end.site, f"start the service on {attempt.to}, or see which filter rejects {attempt.service}")],
            [attempt.where, same[0].where],
            {"target": attempt.to, "service": attempt.service},
        )
    return None


RULE = Rule(SPEC, judge)
