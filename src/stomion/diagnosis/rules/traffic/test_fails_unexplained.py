"""Something was tried and not answered, and nothing in the evidence says why."""

from __future__ import annotations

from collections.abc import Iterable

from stomion.diagnosis.changes import stopped_by, switched_on
from stomion.diagnosis.rules.traffic import service_not_listening, target_down
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.attempts import Attempt, before_and_after, failing, passing
from stomion.tunnel.flows import flows_of, is_own
from stomion.tunnel.picture import End, Picture
from stomion.vocabulary.times import clock_text

SPEC = Spec(
    code="test-fails-unexplained",
    stage=Stage.TRAFFIC,
    title="Tests fail and nothing says why",
    means="Packets between the LANs are not answered, or only a part of them, and no rule, route, translation, refusal or count in the "
    "evidence explains it. The finding says what was tried, what was ruled out, which causes are left and what tells them apart.",
    decided="The latest test or ping of a host, target and service ought to be answered and is not, while no fault is found at any stage.",
    example="ping quayhead/dome-1 > 10.66.0.10 (0 of 5 answered); Marram's tables are not known.",
    caution=True,
    leftover=True,
)
NAMED = 3
"""Attempts named one by one; the rest are counted."""


def judge(context: Context) -> Finding | None:
    picture = context.picture
    meant = {s.flow.test.key for s in switched_on(picture)}
    elsewhere = _told_elsewhere(context)
    failed = [a for a in failing(picture) if a.to not in elsewhere and a.key not in meant]
    if not failed:
        return None
    ends = list(dict.fromkeys(_target(picture, a).site for a in failed))
    shown = "; ".join(a.says for a in failed[:NAMED])
    more = f"; {len(failed) - NAMED} more" if len(failed) > NAMED else ""
    return SPEC.finding(
        ends,
        Certainty.POSSIBLE,
        f"Not answered as expected, and nothing seen explains it: {shown}{more}.",
        [Remedy(site, text) for site, text in _looks(context, failed)],
        [a.where for a in failed],
        {"failed": [a.says for a in failed], "answered": [a.says for a in passing(picture)]},
        " ".join(_details(picture, failed)),
    )


def _told_elsewhere(context: Context) -> set[str]:
    """Targets of which another finding of this stage says what is wrong."""
    found = [context.once(judge) for judge in (target_down.judge, service_not_listening.judge)]
    return {str(f.facts["target"]) for f in found if f is not None}


def _target(picture: Picture, attempt: Attempt) -> End:
    return picture.right if attempt.from_left else picture.left


def _details(picture: Picture, failed: Iterable[Attempt]) -> list[str]:
    """What narrows it down: what is answered beside it, what was answered before the tunnel, and what the tables let pass."""
    out = []
    for attempt in failed:
        beside = [a for a in passing(picture) if a.to == attempt.to and a.service != attempt.service]
        if beside:
            names = listed([a.service or "icmp" for a in beside], "and")
            verb = "is" if len({a.service for a in beside}) == 1 else "are"
            out.append(
                f"{names} of {attempt.to} {verb} answered: the tunnel carries, and {_named(attempt)} alone is stopped."
            )
    for attempt in failed:
        change = stopped_by(picture, attempt)
        if change is not None:
            when = f" at {clock_text(change.at)}" if change.at is not None else ""
            what = f"{change.subject} was {change.detail or 'changed'} at {change.site}{when}"
            out.append(f"{_named(attempt)} to {attempt.to} stops right after {what}: was that meant?")
    earlier = [a for a, later in before_and_after(picture) if not a.silent and not later.passes]
    if earlier:
        out.append("It was answered before the tunnel was up: the other way worked, the tunnel does not carry.")
    known = [e.title for e in picture.ends if e.tables is not None]
    flows = flows_of(picture)
    if known and flows is not None and all(f.trip is None or f.trip.works for f in flows.flows if not is_own(f.test)):
        out.append(f"The tables of {listed(known, 'and')} let it pass.")
    return list(dict.fromkeys(out))


def _named(attempt: Attempt) -> str:
    return "ping" if attempt.service in ("", "icmp") else attempt.service


def _looks(context: Context, failed: list[Attempt]) -> list[tuple[str, str]]:
    """Where to look, and the test that decides: at each target's end, and at the sender's."""
    picture = context.picture
    out: list[tuple[str, str]] = []
    for end in picture.ends:
        asked = [a for a in failed if _target(picture, a) is end]
        if not asked:
            continue
        start, target = picture.other(end), asked[0].to
        out.append(
            (
                end.site,
                f"see whether {target} is up and answers {end.title}'s own gateway, and what its own filter drops",
            )
        )
        text = f"read both gateways' SA counters before and after {max(a.sent for a in asked)} more: where they stop rising is where they are lost"
        out.append((start.site, text))
    return out


RULE = Rule(SPEC, judge)
