"""The traffic selectors were refused."""

from __future__ import annotations

from stomion.diagnosis.rules.selectors.wishes import Difference, differences, sides_are_told, wish_of
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.ranges import missing, written

SPEC = Spec(
    code="selectors-unacceptable",
    stage=Stage.SELECTORS,
    title="The traffic selectors were refused",
    means="The IKE SA is up, and the ends want different address ranges protected: in IKEv1 the two identities of "
    "quick mode must mirror each other exactly, in IKEv2 the responder found no part of the request it could accept.",
    decided="The refusing end's log says so, or its peer hears TS_UNACCEPTABLE or INVALID_ID_INFORMATION. Both wishes come from "
    "the logs, or from the sheets. An end is taken to know its own LAN unless its interfaces show otherwise.",
    example="Quayhead asks for 10.66.0.0/21; Marram is set to 10.66.0.0/22.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.SELECTORS_REFUSED or cause.declared:
        return None
    told = sides_are_told(context)
    found = differences(context) if told else []
    by, asker = cause.by, context.asker
    if found:
        sides = tuple(dict.fromkeys(d.wrong.site for d in found))
        summary = " ".join(sentence(context, d) for d in found)
        remedies = tuple(r for d in found for r in remedies_for(context, d))
    else:
        sides = (context.picture.left.site, context.picture.right.site)
        summary = _unsided(context, told)
        remedies = (
            Remedy(asker.site, f"make its selectors the mirror of those at {by.title}"),
            Remedy(by.site, f"or set its selectors to the mirror of those at {asker.title}"),
        )
    certainty = context.certainty()
    if cause.heard:
        certainty = Certainty.LIKELY
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=sides,
        certainty=certainty,
        summary=summary,
        remedies=remedies,
        evidence=context.evidence(),
        facts={
            "ranges": [{"of": d.owner.site, "own": list(d.owner_says), "peer": list(d.peer_says)} for d in found],
            "attempts": context.attempts(),
        },
    )


def _unsided(context: Context, told: bool) -> str:
    """What is refused, where the ends' wishes are not known, or not whose network is whose."""
    cause, asker = context.cause, context.asker
    assert cause is not None
    refuses = f"{cause.by.title} refuses the selectors that {asker.title} asks for"
    event = cause.refusal.event if cause.refusal is not None else None
    if event is not None and event.my_ts and event.their_ts and not told:
        asked, held = (" with ".join(pair) for pair in (event.their_ts, event.my_ts))
        return f"{refuses}: {asked} is not {held}. Which of these networks is whose, nothing tells."
    wish = wish_of(context, asker)
    return f"{refuses}: {listed(wish.near)} with {listed(wish.remote)}." if wish.whole else f"{refuses}."


def sentence(context: Context, d: Difference) -> str:
    peer = context.picture.other(d.owner)
    lacking = written(missing(d.peer_says, d.owner_says)) or written(missing(d.owner_says, d.peer_says))
    more = [f"{len(lacking) - 4} more ranges"] if len(lacking) > 4 else []
    tail = f" They differ in {listed([*lacking[:4], *more], 'and')}." if lacking else ""
    return f"{d.owner.title} has {listed(d.owner_says)} on its side; {peer.title} means {listed(d.peer_says)}.{tail}"


def remedies_for(context: Context, d: Difference) -> tuple[Remedy, ...]:
    peer = context.picture.other(d.owner)
    at_owner = Remedy(
        d.owner.site, f"set its local selector to {listed(d.peer_says)} instead of {listed(d.owner_says)}"
    )
    at_peer = Remedy(peer.site, f"set its remote selector to {listed(d.owner_says)} instead of {listed(d.peer_says)}")
    return (at_owner, at_peer) if d.wrong is d.owner else (at_peer, at_owner)


RULE = Rule(SPEC, judge)
