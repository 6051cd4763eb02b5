"""A failover that works, and takes much longer than its timers promise."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.failover import Switch, pair_of, switches_of
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.timers import Part, Prediction, parts_of, predicted
from stomion.vocabulary.durations import span_text

SPEC = Spec(
    code="failover-slow",
    stage=Stage.FAILOVER,
    title="The failover takes longer than it has to",
    means="Traffic came back over the standby, and one part of the outage was far longer than the timers that govern it: the loss was "
    "found late, the standby's negotiation took several attempts, the route was held, or the far end went on sending into the dead path.",
    decided="Both tunnels' sheets name their roles. Of the moments of a failover (events, logs, counters, pings) one part exceeds what is "
    "declared or seen by some seconds: detection by interval, tries and waits; negotiation by the shortest that was seen; the route and the "
    "return by nothing at all.",
    example="Petrel moves its route to the standby 15 s after that was up; traffic is back after 22.5 s.",
    explains=frozenset({"path-outage"}),
)
SLOW_S = 3.0
"""Seconds beyond what its timers promise from which on a part of an outage is too long."""


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    primary, standby = pair
    for switch in switches_of(primary, standby):
        prediction = predicted(primary, standby, switch)
        slow = [p for p in parts_of(switch, prediction) if p.over > SLOW_S]
        if slow and switch.carried:
            return _finding(primary, standby, switch, prediction, max(slow, key=lambda p: p.over))
    return None


def _finding(primary: Picture, standby: Picture, switch: Switch, prediction: Prediction | None, part: Part) -> Finding:
    end = next(e for e in primary.ends if e.site == switch.site)
    total = switch.restored - switch.loss if switch.restored and switch.loss else None
    outage = f"; traffic is back after {span_text(total)}" if total else ""
    says, side, advice = _words(part, end, primary, standby, prediction)
    facts = {**switch.facts(), "part": part.name, "waited_ms": round(1000 * part.seconds)}
    if prediction is not None:
        facts["predicted_ms"] = [round(1000 * s) for s in prediction.whole]
    return SPEC.finding(
        [side],
        Certainty.PROVEN if part.name == "route" else Certainty.LIKELY,
        f"{says}{outage}.",
        [Remedy(side, advice)],
        switch.places,
        facts,
        detail=f"By its timers ({prediction.words}) it ought to take {span_text(prediction.whole[0])} to {span_text(prediction.whole[1])}."
        if prediction is not None
        else "",
    )


def _words(
    part: Part, end: End, primary: Picture, standby: Picture, prediction: Prediction | None
) -> tuple[str, str, str]:
    """(what happened, the site that has to change, what)."""
    took = span_text(part.seconds)
    if part.name == "detection":
        advice = (
            "see whether peer detection runs as its sheet says: fewer tries or a shorter interval find a loss sooner"
            if prediction is not None
            else "switch peer detection on, with an interval of a few seconds"
        )
        return f"{end.title} notices the loss of {primary.name} only after {took}", end.site, advice
    if part.name == "negotiation":
        advice = f"keep {standby.name} established beforehand, or find out why its negotiation needs several attempts"
        return f"{standby.name} is up only {took} after {primary.name} was given up", end.site, advice
    if part.name == "route":
        advice = f"move the route as soon as {standby.name} is up: shorten the timer that holds it"
        return f"{end.title} moves its traffic to {standby.name} {took} after that was up", end.site, advice
    other = primary.other(end)
    advice = f"let it leave {primary.name} as fast as {end.title} does: the same peer detection, and a route that follows the tunnel"
    return f"{other.title} answers over {standby.name} only {took} after {end.title} sends into it", other.site, advice


RULE = Rule(SPEC, judge)
