"""ESP leaves one end and never arrives."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.carriage import ENOUGH, nothing_arrives
from stomion.measure.counters import moved
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.tunnel.beside import has_several_lines
from stomion.tunnel.counted import around_failures, places
from stomion.tunnel.picture import End
from stomion.vocabulary.times import clock_text, utc_text

SPEC = Spec(
    code="esp-lost-in-path",
    stage=Stage.CARRIAGE,
    title="ESP is lost on the way",
    means="The tunnel is up and one end sends packets into it; the other end does not receive a single one. Something between them drops ESP or UDP 4500 in this direction.",
    decided="The captures of both ends are compared: packets of a direction are in the sender's and none in the receiver's. Without captures, the counters around tests that fail: one end's rise, the other's do not; or from a moment on nothing comes in while the other end sends.",
    explains=frozenset({"test-fails-unexplained", "path-outage"}),
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
    if has_several_lines(picture):
        # Counters of a primary and its standby in one: one of them is silent while the other carries.
        return None
    return _counted(context) or _stalled(context)


def _counted(context: Context) -> Finding | None:
    """By both ends' counters around tests that fail, or by one end's: then it can't be told where they are lost."""
    for found in around_failures(context.picture):
        mine, theirs = found.mine, found.theirs
        ends = [*places(found.end), *places(found.other), *(a.where for a in found.attempts)]
        if mine is not None and theirs is not None and mine.out >= ENOUGH and not theirs.back:
            return _finding(found.end, found.other, mine.out, Certainty.LIKELY, ends)
        if mine is not None and theirs is not None and theirs.out >= ENOUGH and theirs.back and not mine.back:
            return _finding(found.other, found.end, theirs.out, Certainty.LIKELY, ends)
        if theirs is None and mine is not None and mine.out >= ENOUGH and not mine.back:
            return _one_end(found.end, found.other, mine.out, ends)
    return None


STALLED_S = 10.0
"""Seconds for which nothing may come in, while the other end sends, before it is a stall."""


def _stalled(context: Context) -> Finding | None:
    """From a moment on nothing of what one end sends comes in at the other."""
    if any(e.sheet is not None and e.sheet.role for e in context.picture.ends):
        # One of a primary and its standby is silent while the other one carries.
        return None
    for start, receiver in (context.picture.ends, context.picture.ends[::-1]):
        got = moved(receiver.readings)
        if got is None or got.last_back is None or got.until is None or got.until - got.last_back < STALLED_S:
            continue
        sent = moved(start.readings, got.last_back)
        later = sent.out if sent is not None else 0
        if later >= MANY and not got.replay and not got.integrity:
            since: dict[str, object] = {"since": utc_text(got.last_back)}
            places_ = [*places(start), *places(receiver)]
            return _finding(
                start, receiver, later, Certainty.LIKELY, places_, since, f" since {clock_text(got.last_back)}"
            )
    return None


MANY = 10
"""Packets that one end must have sent meanwhile."""


def _one_end(start: End, receiver: End, sent: int, where: list[Provenance]) -> Finding:
    return SPEC.finding(
        [PATH],
        Certainty.POSSIBLE,
        f"{start.title} sends {sent} packets into the tunnel and none comes back: they are lost on the way, or not answered at {receiver.title}.",
        [
            Remedy(
                receiver.site,
                f"read {receiver.title}'s SA counters before and after the same test: do they rise, in and out?",
            )
        ],
        where,
        {"direction": f"{start.site}-to-{receiver.site}", "sent": sent},
        f"One end's counters cannot tell which: {receiver.title}'s decide.",
    )


def _finding(
    sender: End,
    receiver: End,
    lost: int,
    certainty: Certainty,
    where: list[Provenance],
    more: dict[str, object] | None = None,
    when: str = "",
) -> Finding:
    return SPEC.finding(
        [PATH],
        certainty,
        f"Not one of {lost} ESP packets from {sender.title} reached {receiver.title}{when}.",
        [
            Remedy(
                PATH,
                f"let ESP and UDP 4500 pass from {sender.address or sender.title} to {receiver.address or receiver.title}",
            )
        ],
        where,
        {"direction": f"{sender.site}-to-{receiver.site}", "lost": lost} | (more or {}),
    )


RULE = Rule(SPEC, judge)
