"""What was agreed is no longer fit for use."""

from __future__ import annotations

from stomion.crypto.strength import weak_values
from stomion.diagnosis.agreed import agreed_proposals
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.tunnel.settings import Layer

SPEC = Spec(
    code="weak-algorithm",
    stage=Stage.IKE,
    title="A weak algorithm is in use",
    means="Both ends settle on an algorithm or group that the IETF advises against. It works; it should be replaced.",
    decided="The proposal that was agreed, or that both sheets would agree on, holds a value that RFC 8247, RFC 8221 or RFC 9395 retire.",
    example="Quayhead and Marram agree on 3DES and group 2, which RFC 8247 retires.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    found: list[str] = []
    places: list[Provenance | None] = []
    for layer in Layer:
        for proposal, where in agreed_proposals(context.picture, layer):
            weak = weak_values(proposal, layer)
            found += weak
            places += where if weak else ()
    weak = list(dict.fromkeys(found))
    if not weak:
        return None
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} and {right.title} agree on {listed(weak, 'and')}, which current guidance retires.",
        [
            Remedy(end.site, "add a stronger proposal and put it first; take the weak one away when both ends have it")
            for end in (left, right)
        ],
        places,
        {"weak": weak},
    )


RULE = Rule(SPEC, judge)
