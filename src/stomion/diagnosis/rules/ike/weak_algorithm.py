"""What was agreed is no longer fit for use."""

from __future__ import annotations

from stomion.crypto.strength import weak_values
from stomion.diagnosis.agreed import agreed_proposals
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import Picture
from stomion.tunnel.settings import Layer

SPEC = Spec(
    code="weak-algorithm",
    stage=Stage.IKE,
    title="A weak algorithm or IKEv1 is in use",
    means="Both ends settle on an algorithm or group that the IETF advises against, or on version 1 of IKE itself, which RFC 9395 "
    "deprecates. It works; it should be replaced.",
    decided="The proposal that was agreed, or that both sheets would agree on, holds a value that RFC 8247, RFC 8221 or RFC 9395 retire; "
    "or both sheets, or a captured negotiation that agreed, are of IKEv1.",
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
    old = _version_one(context.picture)
    if not weak and not old:
        return None
    said = [f"agree on {listed(weak, 'and')}, which current guidance retires"] if weak else []
    said += ["use IKEv1, which RFC 9395 deprecates"] if old else []
    steps = ["add a stronger proposal and put it first; take the weak one away when both ends have it"] if weak else []
    steps += ["plan the change to IKEv2 with the other end: both change together"] if old else []
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} and {right.title} {'; they '.join(said)}.",
        [Remedy(end.site, "; ".join(steps)) for end in (left, right)],
        [*places, *old],
        {"weak": weak, **({"ike": 1} if old else {})},
    )


def _version_one(picture: Picture) -> list[Provenance | None]:
    """Where it stands that both ends use IKEv1; empty where they don't, or nothing tells."""
    if all(end.sheet is not None and end.sheet.ike == 1 for end in picture.ends):
        return [end.sheet_at("ike") for end in picture.ends]
    agreed = next((n for n in picture.negotiations if n.version == 1 and n.chosen), None)
    return [agreed.steps[0].where] if agreed is not None else []


RULE = Rule(SPEC, judge)
