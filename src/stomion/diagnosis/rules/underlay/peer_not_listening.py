"""The peer's host answers, but not on the IKE port."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import unanswered
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="peer-not-listening",
    stage=Stage.UNDERLAY,
    title="The peer does not listen for IKE",
    means="The request reached a host that has nothing listening on UDP 500 or 4500: the service is stopped, or the address is "
    "another machine's.",
    decided="An ICMP message in a capture, or the asking end's log, says that the port is closed.",
    example="198.51.100.34 answers that nothing listens on UDP 500.",
)


def judge(context: Context) -> Finding | None:
    silence = unanswered(context)
    if silence is None:
        return None
    asker = silence.asker
    other = context.picture.other(asker)
    closed = [u for u in context.picture.unreachables if u.port_closed]
    told = [e for e in asker.story.silence if e.what is What.PORT_CLOSED]
    if not closed and not told:
        return None
    port = closed[-1].dport if closed else told[-1].peer_port or 500
    address = closed[-1].dst if closed else told[-1].peer or other.address
    where = closed[-1].where if closed else told[-1].where
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(other.site,),
        certainty=Certainty.PROVEN if closed else Certainty.LIKELY,
        summary=f"{other.title} ({address}) answers that nothing listens on UDP {port}.",
        remedies=(Remedy(other.site, "start the IKE service, and let it listen on the address the peer asks"),),
        evidence=(where, *silence.places),
        facts={"port": port},
    )


RULE = Rule(SPEC, judge)
