"""What to fetch next: for each stage without evidence the few things that would decide, worded for whoever has them.

The order is that of the stages. Nothing is asked for that is there, and nothing beyond a fault that is proven. No key is ever asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.model.finding import Certainty, Finding, Stage, StageVerdict, Status, Verdict
from stomion.model.tables import Origin
from stomion.tunnel.attempts import failing
from stomion.tunnel.lans import known_address, lans_of
from stomion.tunnel.picture import End, Picture
from stomion.vocabulary.times import clock_text

PROVIDER = "the provider"
"""Who carries the packets between the two gateways."""
MOST = 3
"""Things asked of one end for one stage."""


@dataclass(frozen=True, slots=True)
class Ask:
    """One request: of whom (a site, or the provider), for which stage, in a sentence that can be sent as it is."""

    whom: str
    stage: Stage
    text: str


def asks_of(diagnosis: Diagnosis) -> tuple[Ask, ...]:
    """Everything worth asking for, each thing once; empty where a fault is proven or the tunnel is proven to carry."""
    first, picture = diagnosis.first_fault, diagnosis.picture
    if first is not None and first.certainty is Certainty.PROVEN:
        return ()
    if first is None and diagnosis.status is Status.WORKING:
        return ()
    found: dict[tuple[str, str], Ask] = {}
    for verdict in _open(diagnosis, first):
        for end, at in zip(picture.ends, (verdict.left, verdict.right), strict=True):
            if first is None and at not in (Verdict.UNSEEN, Verdict.CAUTION):
                continue
            for text in list(_WANTED[verdict.stage](picture, end))[:MOST]:
                found.setdefault((end.site, text), Ask(end.title, verdict.stage, text))
        if verdict.stage in (Stage.UNDERLAY, Stage.CARRIAGE) and (first is not None or verdict.whole is Verdict.UNSEEN):
            text = _of_the_provider(picture)
            found.setdefault((PROVIDER, text), Ask(PROVIDER, verdict.stage, text))
    return tuple(found.values())


def _open(diagnosis: Diagnosis, first: Finding | None) -> list[StageVerdict]:
    """Stages that are not decided: the one of a fault that is not proven, else all that nothing was seen of."""
    if first is not None:
        return [v for v in diagnosis.stages if v.stage is first.stage]
    return [v for v in diagnosis.stages if v.whole in (Verdict.UNSEEN, Verdict.CAUTION) and v.stage in _WANTED]


def _moment(picture: Picture) -> str:
    """` around 09:14:00` of the latest failure, where it has a time."""
    times = [a.at for a in failing(picture) if a.at is not None]
    times += [e.at for end in picture.ends for e in end.story.silence[-1:] if e.at is not None]
    return f" around {clock_text(max(times))}" if times else ""


def _far(picture: Picture, end: End) -> str:
    other = picture.other(end)
    return other.address or other.title


def _a_host(picture: Picture, end: End) -> str:
    """A target behind the other end, as it was tried, else its range."""
    tried = [a.to for a in failing(picture) if (picture.left if a.from_left else picture.right) is end]
    other = picture.other(end)
    known = known_address(other, end)
    if tried or known:
        return tried[-1] if tried else known
    ranges = sorted(lans_of(other, end))
    return f"a host in {ranges[0]}" if ranges else f"a host behind {other.title}"


def _log(picture: Picture, end: End) -> Iterator[str]:
    if not end.has_log:
        when = _moment(picture)
        yield f"{end.title}'s IKE log{when}, with all it says of {_far(picture, end)}, from the request to the end of the attempt"


def _capture(picture: Picture, end: End) -> Iterator[str]:
    if not end.captures:
        what = f"UDP 500, UDP 4500 and ESP to and from {_far(picture, end)}"
        yield f"a capture at {end.title}'s public interface, while the tunnel is tried: {what}"


def _settings(_picture: Picture, end: End) -> Iterator[str]:
    if end.sheet is None:
        what = "IKE version and mode, both proposals with group and lifetime, identities, own and far ranges"
        yield f"{end.title}'s settings of this tunnel: {what}; without its key"


def _underlay(picture: Picture, end: End) -> Iterator[str]:
    yield from _log(picture, end)
    yield from _capture(picture, end)
    yield f"from {end.title}'s gateway: does its next hop answer a ping, and does {_far(picture, end)}?"


def _negotiation(picture: Picture, end: End) -> Iterator[str]:
    yield from _log(picture, end)
    yield from _settings(picture, end)
    yield from _capture(picture, end)


def _selectors(picture: Picture, end: End) -> Iterator[str]:
    yield from _settings(picture, end)
    yield from _log(picture, end)


def _table(what: str) -> Callable[[Picture, End], Iterator[str]]:
    def wanted(picture: Picture, end: End) -> Iterator[str]:
        tables = end.tables
        if tables is None or tables.source is Origin.SHEET:
            yield f"{end.title}'s {what}".format(far=_a_host(picture, end))

    return wanted


def _carriage(picture: Picture, end: End) -> Iterator[str]:
    if not end.has_counters:
        when = f"right before and right after ten pings to {_a_host(picture, end)}"
        yield f"{end.title}'s counters of this SA, packets in and out and those thrown away, {when}"
    yield from _capture(picture, end)


def _traffic(picture: Picture, end: End) -> Iterator[str]:
    to = _a_host(picture, end)
    what = "with both addresses, the time and how many were answered"
    yield f"from a host behind {end.title}, not from its gateway: ten pings to {to}, {what}"
    yield f"from the same host: the service that is really wanted, to {to}, and what it says: refused, or nothing"


def _failover(picture: Picture, end: End) -> Iterator[str]:
    """Of a tunnel that has a role in a pair; any other has nothing to take over."""
    if end.sheet is None or not end.sheet.role:
        return
    yield f"{end.title}'s events of both tunnels with their times: link, peer, tunnel, route, role; and the timers that are set for them"
    if not end.has_counters:
        yield f"{end.title}'s counters of both tunnels, some times a minute, from before the failure until after it"
    yield from _log(picture, end)


def _of_the_provider(picture: Picture) -> str:
    left, right = (e.address or e.title for e in picture.ends)
    what = "do UDP 500, UDP 4500 and ESP (IP protocol 50) pass both ways"
    return f"{what} between {left} and {right}, fragments too, and is anything of it limited or translated?"


_WANTED: dict[Stage, Callable[[Picture, End], Iterator[str]]] = {
    Stage.UNDERLAY: _underlay,
    Stage.IKE: _negotiation,
    Stage.CHILD: _negotiation,
    Stage.SELECTORS: _selectors,
    Stage.NAT: _table("translation rules in their order, with those that leave traffic to {far} as it is"),
    Stage.ROUTING: _table("routing table with policy routes, and the default gateway of the host that was tried"),
    Stage.FILTER: _table("filter rules in their order, with their counts before and after a try to {far}"),
    Stage.CARRIAGE: _carriage,
    Stage.TRAFFIC: _traffic,
    Stage.FAILOVER: _failover,
}


def asks_text(asks: tuple[Ask, ...]) -> str:
    """A list for each one asked, to be copied into a mail or a ticket; empty where nothing is asked for."""
    parts = []
    for whom in dict.fromkeys(a.whom for a in asks):
        parts.append(f"To {whom}:")
        parts.extend(f"  - {a.text}  ({a.stage.value})" for a in asks if a.whom == whom)
    return "\n".join(parts)
