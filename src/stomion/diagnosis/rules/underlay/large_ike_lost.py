"""Only the large messages vanish: IP fragments are dropped on the way."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import unanswered
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.exchange.negotiation import Step
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance

SPEC = Spec(
    code="large-ike-lost",
    stage=Stage.UNDERLAY,
    title="Large IKE messages are lost",
    means="The first, small exchange passes; the authentication with certificates is larger than a packet, becomes IP fragments, "
    "and these do not arrive whole. No gateway logs anything about it.",
    decided="A message over 1,300 bytes left one end and did not arrive whole at the other, while smaller ones did.",
    example="Petrel's IKE_AUTH of 2,192 bytes never arrives whole at Farlight.",
)


def judge(context: Context) -> Finding | None:
    silence = unanswered(context)
    if silence is None or not silence.large_lost:
        return None
    asker = silence.asker
    other = context.picture.other(asker)
    steps = silence.negotiation.steps if silence.negotiation else []
    both = len({p.file for p in _seen(steps)}) > 1
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(PATH,),
        certainty=Certainty.PROVEN if both else Certainty.LIKELY,
        summary=f"{asker.title}'s message of {silence.largest} bytes never arrives whole at {other.title}; small ones do.",
        remedies=(
            Remedy(asker.site, "switch on IKE fragmentation (RFC 7383), so that no IP fragments are needed"),
            Remedy(other.site, "switch on IKE fragmentation as well"),
            Remedy(PATH, "or let IP fragments pass"),
        ),
        evidence=silence.places,
        facts={"bytes": silence.largest},
    )


def _seen(steps: list[Step]) -> list[Provenance]:
    return [where for s in steps for _, where in s.seen]


RULE = Rule(SPEC, judge)
