"""A step before any tunnel fails."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage
from stomion.tunnel.baseline import Check, Near, checks_of
from stomion.tunnel.picture import End
from stomion.tunnel.up import up_of

SPEC = Spec(
    code="baseline-fails",
    stage=Stage.UNDERLAY,
    title="A step before the tunnel fails",
    means="Before anything of the tunnel can work, a host must reach its own gateway, the gateway its next hop, and the gateway the peer's "
    "public address. A step that a later one proves to pass is no fault: a router may hide from ping.",
    decided="Tests of these steps. Next hop and peer's address both silent is a fault; one step alone is a caution, as its target may hide from ping.",
    example="Quayhead's gateway reaches neither its next hop 192.0.2.1 nor Marram's 198.51.100.34.",
    explains=frozenset({"peer-silent", "peer-gone", "test-fails-unexplained"}),
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    if up_of(picture).ever or any(e.story.answered for e in picture.ends):
        return None
    checks = checks_of(picture)
    for end in picture.ends:
        mine = {c.step: c for c in checks if c.end is end}
        found = _judged(end, picture.other(end), mine)
        if found is not None:
            return found
    return None


def _judged(end: End, other: End, mine: dict[Near, Check]) -> Finding | None:
    hop, peer, own = (mine.get(step) for step in (Near.NEXT_HOP, Near.PEER_ADDRESS, Near.OWN_GATEWAY))
    if hop is not None and hop.attempt.silent and peer is not None and peer.attempt.silent:
        text = f"{end.title}'s gateway reaches neither its next hop {hop.attempt.to} nor {other.title}'s {peer.attempt.to}."
        return _finding(
            end.site,
            [hop, peer],
            Near.NEXT_HOP,
            Certainty.LIKELY,
            text,
            f"see whether its line and the router {hop.attempt.to} are up, and whether that next hop is right",
        )
    if hop is not None and hop.attempt.silent and peer is None:
        text = f"{end.title}'s gateway gets no answer from its next hop {hop.attempt.to}; nobody tried what lies behind it."
        return _finding(
            end.site,
            [hop],
            Near.NEXT_HOP,
            Certainty.POSSIBLE,
            text,
            f"ping {other.title}'s public address: an answer shows that the next hop merely hides",
        )
    if peer is not None and peer.attempt.silent:
        text = f"{end.title}'s gateway gets no answer from {other.title}'s public address {peer.attempt.to}."
        return _finding(
            PATH,
            [peer],
            Near.PEER_ADDRESS,
            Certainty.POSSIBLE,
            text,
            f"trace the way to {peer.attempt.to}, and ask {other.title} whether it answers ping at all",
        )
    if own is not None and own.attempt.silent:
        text = f"{own.attempt.who} gets no answer from {own.attempt.to}, its own gateway."
        return _finding(
            end.site,
            [own],
            Near.OWN_GATEWAY,
            Certainty.POSSIBLE,
            text,
            "see the host's address and link, and whether the gateway answers ping from its LAN",
        )
    return None


def _finding(side: str, checks: list[Check], step: Near, certainty: Certainty, text: str, remedy: str) -> Finding:
    found = SPEC.finding(
        [side], certainty, text, [Remedy(side, remedy)], [c.attempt.where for c in checks], {"step": step.value}
    )
    return replace(found, caution=certainty is Certainty.POSSIBLE)


RULE = Rule(SPEC, judge)
