"""Port 500 passes, port 4500 does not."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import unanswered
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="nat-traversal-port-lost",
    stage=Stage.UNDERLAY,
    title="UDP 4500 does not pass",
    means="The first exchange on UDP 500 is answered; then both ends move to UDP 4500, as NAT traversal wants it, and nothing "
    "comes through there.",
    decided="Messages to port 4500 left one end and did not arrive at the other, while those to port 500 did; small ones too, so "
    "that fragments are not the reason.",
    example="Quayhead's messages to UDP 4500 never reach Marram; UDP 500 passes.",
)


def judge(context: Context) -> Finding | None:
    silence = unanswered(context)
    if (
        silence is None
        or not silence.moved
        or silence.arrived is not False
        or silence.large_lost
        or silence.port_closed
    ):
        return None
    asker = silence.asker
    other = context.picture.other(asker)
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(PATH,),
        certainty=Certainty.PROVEN if silence.loss_seen else Certainty.LIKELY,
        summary=f"{asker.title}'s messages to UDP 4500 never reach {other.title}; UDP 500 passes.",
        remedies=(
            Remedy(
                PATH,
                f"let UDP 4500 pass between {asker.address or asker.title} and {other.address or other.title}, both ways",
            ),
        ),
        evidence=silence.places,
        facts={"direction": f"{asker.site}-to-{other.site}"},
    )


RULE = Rule(SPEC, judge)
