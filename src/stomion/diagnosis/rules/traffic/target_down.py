"""The tunnel carries; the host that was asked is down, or not there."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.tables import Tables
from stomion.tunnel.attempts import Attempt, failing, passing
from stomion.tunnel.picture import End

SPEC = Spec(
    code="target-down",
    stage=Stage.TRAFFIC,
    title="The host that was asked is down",
    means="The tunnel carries packets to the far LAN; this one host there does not answer: it is switched off, unplugged, or has another address.",
    decided="Its own tables show every interface down; or somebody answers for it that it is unreachable while a neighbour in the same LAN answers.",
    example="10.66.0.12 behind Marram is down: its neighbour 10.66.0.10 answers.",
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    for attempt in failing(picture):
        if not attempt.silent:
            continue
        end = picture.right if attempt.from_left else picture.left
        off = next(
            (name for name, host in end.hosts.items() if _is_off(host) and _asked_for(attempt, name, host, end)), ""
        )
        beside = [a for a in passing(picture) if a.from_left is attempt.from_left and a.to != attempt.to]
        same = [a for a in passing(picture) if a.to == attempt.to]
        if off:
            return _finding(end, attempt, Certainty.PROVEN, f"its own tables show no interface of {off} up")
        if attempt.error == "unreachable" and beside and not same:
            return _finding(
                end,
                attempt,
                Certainty.LIKELY,
                f"its neighbour {beside[0].to} answers, for this one somebody says unreachable",
            )
    return None


def _is_off(host: Tables) -> bool:
    """Are all of its interfaces down, as far as they are listed?"""
    devs = [dev for dev in host.addresses if dev != "lo"]
    return bool(devs) and all(dev in host.down for dev in devs)


def _asked_for(attempt: Attempt, name: str, host: Tables, end: End) -> bool:
    """Is it this host that was asked? By its name or address; one without an address is the only one that is off."""
    if attempt.to in (name, f"{end.site}/{name}"):
        return True
    return not any(host.addresses.values()) and sum(1 for h in end.hosts.values() if _is_off(h)) == 1


def _finding(end: End, attempt: Attempt, certainty: Certainty, why: str) -> Finding:
    return SPEC.finding(
        [end.site],
        certainty,
        f"{attempt.to} behind {end.title} is down or not there: {why}.",
        [Remedy(end.site, f"switch {attempt.to} on, or ask for the address it has now")],
        [attempt.where],
        {"target": attempt.to, "attempt": attempt.says},
    )


RULE = Rule(SPEC, judge)
