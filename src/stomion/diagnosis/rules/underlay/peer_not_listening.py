"""The peer's host answers, but not on the IKE port."""

from __future__ import annotations

from stomion.diagnosis.silence import unanswered
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="peer-not-listening",
    stage=Stage.UNDERLAY,
    title="The peer does not listen for IKE",
    means="The request reached a host that has nothing listening on UDP 500 or 4500: the service is stopped, or the address is "
    "another machine's.",
    decided="An ICMP message in a capture says that the port is closed.",
    example="198.51.100.34 answers that nothing listens on UDP 500.",
)


def judge(context: Context) -> Finding | None:
    closed = [u for u in context.picture.unreachables if u.port_closed]
    silence = unanswered(context)
    if silence is None or not closed:
        return None
    asker = silence.asker
    other = context.picture.other(asker)
    last = closed[-1]
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(other.site,),
        certainty=Certainty.PROVEN,
        summary=f"{other.title} ({last.dst}) answers that nothing listens on UDP {last.dport}.",
        remedies=(Remedy(other.site, "start the IKE service, and let it listen on the address the peer asks"),),
        evidence=(last.where, *silence.places),
        facts={"port": last.dport},
    )
