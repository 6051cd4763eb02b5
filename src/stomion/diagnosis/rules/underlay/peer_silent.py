"""Nobody answers, and nothing shows why."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import LARGE, Silence, unanswered
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="peer-silent",
    stage=Stage.UNDERLAY,
    title="The peer does not answer",
    means="Requests left one end and nothing ever came back. Without evidence from the other end it can't be told whether they "
    "arrive there.",
    decided="An end's log gives up waiting, or its capture holds requests sent again and again without an answer, and there "
    "is no evidence from the other end.",
    example="Saltern never answers Quayhead's requests.",
)


def judge(context: Context) -> Finding | None:
    silence = unanswered(context)
    if silence is None or silence.arrived is not None or silence.port_closed:
        return None
    asker = silence.asker
    other = context.picture.other(asker)
    where = " after the first exchange" if silence.after_init else ""
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(asker.site, other.site) if other.given and not other.addresses - other.assumed else (other.site,),
        certainty=Certainty.POSSIBLE,
        summary=f"{other.title} never answers {asker.title}'s requests{where}.",
        remedies=(
            Remedy(
                other.site,
                f"capture UDP 500 and 4500 from {asker.address or asker.title}: do the requests arrive, does an answer leave?",
            ),
            _own_part(silence),
        ),
        evidence=silence.places,
        facts={
            "candidates": _candidates(silence),
            "after_first_exchange": silence.after_init,
        },
        detail="A capture at the other end decides: requests that arrive there accuse that gateway, their absence the path.",
    )


def _large(silence: Silence) -> bool:
    """Small messages were answered, and this one is larger than a packet of most paths."""
    return silence.after_init and silence.largest > LARGE


def _candidates(silence: Silence) -> list[str]:
    if silence.after_init:
        return (["large-ike-lost"] if _large(silence) else []) + ["ike-lost-in-path"]
    return ["ike-lost-in-path", "peer-not-listening", "peer-address-wrong"]


def _own_part(silence: Silence) -> Remedy:
    """What the end that asks can look at itself: after the first exchange its peer's address is right."""
    if _large(silence):
        return Remedy(
            silence.asker.site,
            f"its request of {silence.largest:,} bytes may be dropped in pieces on the way: switch on IKE fragmentation (RFC 7383) at both ends",
        )
    if silence.after_init:
        return Remedy(silence.asker.site, "check that UDP 4500 may leave, not 500 alone")
    return Remedy(silence.asker.site, "check the peer address and that UDP 500 and 4500 may leave")


RULE = Rule(SPEC, judge)
