"""ESP leaves one end and never arrives."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.carriage import ENOUGH, nothing_arrives
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import End

SPEC = Spec(
    code="esp-lost-in-path",
    stage=Stage.CARRIAGE,
    title="ESP is lost on the way",
    means="The tunnel is up and one end sends packets into it; the other end does not receive a single one. Something between them drops ESP or UDP 4500 in this direction.",
    decided="The captures of both ends are compared: packets of a direction are in the sender's and none in the receiver's. Without captures, the counters: one end's rise, the other's stay at 0.",
    example="Not one of 15 ESP packets from Marram reached Quayhead.",
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    picture = context.picture
    for seen in picture.esp_seen:
        lost = nothing_arrives(seen.sent, seen.got) if seen.got is not None else 0
        sender, receiver = picture.ends if seen.from_left else picture.ends[::-1]
        if lost:
            return _finding(sender, receiver, lost, Certainty.PROVEN, [Provenance(f, sender.site) for f in seen.files])
    failed = [t for t in picture.tests if t.expected and not t.passed]
    for sender, receiver in (picture.ends, picture.ends[::-1]):
        counted = sender.has_counters and receiver.has_counters and failed
        if counted and sender.out_packets >= ENOUGH and not receiver.in_packets and receiver.out_packets:
            return _finding(sender, receiver, sender.out_packets, Certainty.LIKELY, [t.where for t in failed[:2]])
    return None


def _finding(sender: End, receiver: End, lost: int, certainty: Certainty, places: list[Provenance]) -> Finding:
    return SPEC.finding(
        [PATH],
        certainty,
        f"Not one of {lost} ESP packets from {sender.title} reached {receiver.title}.",
        [
            Remedy(
                PATH,
                f"let ESP and UDP 4500 pass from {sender.address or sender.title} to {receiver.address or receiver.title}",
            )
        ],
        places,
        {"direction": f"{sender.site}-to-{receiver.site}", "lost": lost},
    )


RULE = Rule(SPEC, judge)
