"""Requests arrive at a gateway and its IKE service never sees them."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import unanswered
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="ike-blocked-at-gateway",
    stage=Stage.UNDERLAY,
    title="The gateway's own filter drops IKE",
    means="The request is on the wire of the asked gateway, and its IKE service knows nothing of it: a filter on that gateway stands between the two.",
    decided="The capture at the asked gateway holds the requests, its log tells of the service and of no request from this peer, and no ICMP says that the port is closed.",
    example="Quayhead's requests reach Marram's interface and its IKE service never hears of them.",
    explains=frozenset({"ike-lost-in-path", "peer-silent"}),
)


def judge(context: Context) -> Finding | None:
    silence = unanswered(context)
    if silence is None or silence.port_closed or silence.large_lost or not silence.blocked:
        return None
    asker = silence.asker
    other = context.picture.other(asker)
    port = "4500" if silence.moved else "500 and 4500"
    assert silence.negotiation is not None
    return SPEC.finding(
        [other.site],
        Certainty.LIKELY,
        f"{asker.title}'s requests reach {other.title}'s interface and its IKE service never hears of them.",
        [Remedy(other.site, f"let UDP {port} from {asker.address or asker.title} through its own filter")],
        [*silence.places, silence.negotiation.steps[0].where],
        {"port": port},
        "A service that does not listen on this address would look the same, were it not for the ICMP message that is missing.",
    )


RULE = Rule(SPEC, judge)
