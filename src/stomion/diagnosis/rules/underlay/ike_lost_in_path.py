"""Messages leave one end and never arrive at the other."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import unanswered
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="ike-lost-in-path",
    stage=Stage.UNDERLAY,
    title="IKE is lost on the way",
    means="One end sends and the other never receives, or answers that never come back: something between them drops UDP 500 or "
    "4500.",
    decided="The captures of both ends are compared message by message; with logs alone, one end gives up waiting and the "
    "other's log knows nothing of it.",
    example="Quayhead's requests never reach Marram.",
)


def judge(context: Context) -> Finding | None:
    silence = unanswered(context)
    if silence is None or silence.port_closed or silence.large_lost:
        return None
    if silence.moved and silence.arrived is False:
        return None
    back = bool(silence.arrived and silence.answer_left)
    if silence.arrived is not False and not back:
        return None
    asker = silence.asker
    other = context.picture.other(asker)
    source, target = (other, asker) if back else (asker, other)
    word = "answers" if back else "requests"
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(PATH,),
        certainty=Certainty.PROVEN if silence.loss_seen else Certainty.LIKELY,
        summary=f"{source.title}'s {word} never reach {target.title}.",
        remedies=(
            Remedy(
                PATH,
                f"let UDP 500 and 4500 pass from {source.address or source.title} to {target.address or target.title}",
            ),
        ),
        evidence=silence.places,
        facts={"direction": f"{source.site}-to-{target.site}"},
    )


RULE = Rule(SPEC, judge)
