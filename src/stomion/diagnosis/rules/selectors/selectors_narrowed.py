"""The child is up for less than one end wanted: some hosts are left outside."""

from __future__ import annotations

import re
from dataclasses import replace

from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.exchange.inside import BOTH_SIDES, child_asked
from stomion.model.event import Event, What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.space.ranges import covers, missing, spans, written
from stomion.tunnel.beside import has_several_lines
from stomion.tunnel.picture import End

SPEC = Spec(
    code="selectors-narrowed",
    stage=Stage.SELECTORS,
    title="The selectors were narrowed",
    means="In IKEv2 a responder may take a part of what is asked for. The tunnel works for that part; hosts outside it have no "
    "tunnel, and nothing reports an error.",
    decided="The Child SA's selectors in a log are smaller than an end's sheet asks for, while the other end's sheet names "
    "exactly the smaller range, or is not there to say. Without sheets: the line that tells of the Child SA, or one right before it, names "
    "what was asked for as well; of a primary and its standby, the SA that came up last carries less than the one before it.",
    example="Only 10.66.0.0/22 is carried; Quayhead asks for 10.66.0.0/21. Hosts in 10.66.4.0/22 have no tunnel.",
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    sealed = _narrowed_inside(context)
    if sealed is not None:
        return sealed
    for end in context.picture.ends:
        up = end.story.child_up
        if up is None or len(up.my_ts) < 2 or up.my_ts[0].count("/") != 1:
            continue
        # Further children may carry the rest: all that are up count together.
        found = _narrowed(context, end) or _narrowed_unseen(context, end) or _narrowed_by_its_words(context, end, up)
        if found:
            return found
    return _narrower_than_before(context)


def _narrower_than_before(context: Context) -> Finding | None:
    """Of a primary and its standby, which no sheet tells apart: the SA that stands now carries less than the one before it."""
    if not has_several_lines(context.picture):
        return None
    for end in context.picture.ends:
        now, before = end.story.child_up, [e for e in end.story.children if len(e.my_ts) == BOTH_SIDES]
        if now is None or len(now.my_ts) != BOTH_SIDES or now is not before[-1] or len(before) < BOTH_SIDES:
            continue
        last, other = before[-2], context.picture.other(end)
        for owner, wanted, given in zip((end, other), last.my_ts, now.my_ts, strict=True):
            lacking = written(missing([wanted], [given]))
            if lacking and covers([wanted], [given]):
                return _told_of_standby(end if end.story.asked else other, owner, lacking, last, now, wanted, given)
    return None


def _told_of_standby(
    holder: End, owner: End, lacking: tuple[str, ...], last: Event, now: Event, wanted: str, given: str
) -> Finding:
    return SPEC.finding(
        [holder.site],
        Certainty.LIKELY,
        f"The SA that stands now carries only {given} of {owner.title}'s side; the one before it carried {wanted}. "
        f"Hosts in {listed(lacking[:4], 'and')} have no tunnel.",
        [
            Remedy(
                holder.site, f"widen the standby's selector for {owner.title}'s side to {wanted}, as the primary has it"
            )
        ],
        [now.where, last.where],
        {"lacking": list(lacking), "held": [given], "wanted": [wanted]},
    )


def _narrowed_inside(context: Context) -> Finding | None:
    """From opened messages: the answer names less than was asked for."""
    inside = child_asked(context.picture.negotiations)
    asker = context.picture.end_at(inside.initiator) if inside else None
    if inside is None or asker is None or inside.answer is None or not inside.given_near or not inside.given_remote:
        return None
    holder = context.picture.other(asker)
    for owner, wanted, given in ((asker, inside.near, inside.given_near), (holder, inside.remote, inside.given_remote)):
        lacking = written(missing(wanted, given))
        if lacking and covers(wanted, given):
            word = "local" if holder is owner else "remote"
            return _told(asker, holder, owner, lacking, given, wanted, word, (inside.answer.where, inside.step.where))
    return None


def _narrowed(context: Context, end: End) -> Finding | None:
    other = context.picture.other(end)
    carried = [e for e in end.story.children if len(e.my_ts) >= 2]
    for index, owner in ((0, end), (1, other)):
        have = [e.my_ts[index] for e in carried]
        for wisher, wanted in _wishes(owner, context.picture.other(owner)):
            lacking = missing(wanted, have)
            holder = context.picture.other(wisher)
            held = _wish_for(holder, owner)
            if lacking and covers(wanted, have) and held and not covers(held, wanted):
                return _finding(carried[-1], wisher, holder, owner, written(lacking), held)
    return None


def _narrowed_unseen(context: Context, end: End) -> Finding | None:
    """Nothing is known of what the other end is set to: its Child SAs carry a part of a range that this end's sheet names."""
    other = context.picture.other(end)
    if (
        not _wish_for(end, end)
        or other.sheet is not None
        or _declared(other) is not None
        or context.picture.version == 1
    ):
        return None
    children = [e for e in end.story.children if len(e.my_ts) == BOTH_SIDES]
    # A log that names its tunnels may hold another's.
    name = end.sheet.name if end.sheet is not None else ""
    named = [e for e in children if name and name in e.text]
    carried = named or children
    for index, owner in ((0, end), (1, other)):
        wanted, have = _wish_for(end, owner), tuple(dict.fromkeys(e.my_ts[index] for e in carried))
        lacking = written(missing(wanted, have))
        # A range of which nothing is carried may wait for its own Child SA, and a single host's is made for one flow.
        parts = [h for h in have if h not in wanted and any(low != high for low, high in spans([h]))]
        if lacking and parts and covers(wanted, have):
            found = _told(
                end, other, owner, lacking, have, wanted, "remote" if owner is end else "local", (carried[-1].where,)
            )
            return replace(found, certainty=Certainty.LIKELY)
    return None


_ASKED = re.compile(r"\b(?:asked|requested|offered|proposed)\b", re.IGNORECASE)


def _narrowed_by_its_words(context: Context, end: End, up: Event) -> Finding | None:
    """The line that tells of the Child SA, or one right before it, names what was wanted as well: more than it carries."""
    other = context.picture.other(end)
    for event in (up, *_narrowed_before(end, up)):
        for owner, have in zip((end, other), up.my_ts, strict=False):
            for wanted in event.their_ts:
                lacking = written(missing([wanted], [have]))
                if lacking and covers([wanted], [have]):
                    by_us = _ASKED.search(up.text) if event is up else not event.far
                    wisher, holder = (other, end) if by_us else (end, other)
                    word = "local" if holder is owner else "remote"
                    where = tuple(dict.fromkeys((up.where, event.where)))
                    found = _told(wisher, holder, owner, lacking, (have,), (wanted,), word, where)
                    return replace(found, certainty=Certainty.LIKELY)
    return None


_SAME_EXCHANGE_S = 2.0
"""Seconds within which a narrowing and a child that comes up are of one exchange."""


def _narrowed_before(end: End, up: Event) -> list[Event]:
    return [
        event
        for event in end.events
        if event.what is What.NARROWED
        and event.at is not None
        and up.at is not None
        and 0 <= up.at - event.at <= _SAME_EXCHANGE_S
    ]


def _wishes(owner: End, peer: End) -> list[tuple[End, tuple[str, ...]]]:
    found = []
    for end in (owner, peer):
        wanted = _wish_for(end, owner)
        if wanted:
            found.append((end, wanted))
    return found


def _wish_for(end: End, owner: End) -> tuple[str, ...]:
    """What `end` is set to for the LAN of `owner`: its sheet, else what its log read of its own configuration, or asked for."""
    if end.sheet is None:
        told = _declared(end)
        return (told.my_ts[0 if end is owner else 1],) if told is not None else ()
    return end.sheet.local_ts if end is owner else end.sheet.remote_ts


def _declared(end: End) -> Event | None:
    """The line in which an end's log says which ranges it is set to join."""
    told = [e for e in end.events if len(e.my_ts) == BOTH_SIDES]
    configured = [e for e in told if e.what is What.CONFIGURED]
    asked = [e for e in told if e.what is What.INITIATING]
    return (configured or asked)[-1] if configured or asked else None


def _finding(
    event: Event,
    wisher: End,
    holder: End,
    owner: End,
    lacking: tuple[str, ...],
    held: tuple[str, ...],
) -> Finding:
    wanted = _wish_for(wisher, owner)
    word = "local" if holder is owner else "remote"
    return _told(wisher, holder, owner, lacking, held, wanted, word, (event.where,))


def _told(
    wisher: End,
    holder: End,
    owner: End,
    lacking: tuple[str, ...],
    held: tuple[str, ...],
    wanted: tuple[str, ...],
    word: str,
    evidence: tuple[Provenance, ...],
) -> Finding:
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(holder.site,),
        certainty=Certainty.PROVEN,
        summary=f"Only {listed(held)} of {owner.title}'s side is carried; {wisher.title} asks for {listed(wanted)}. "
        f"Hosts in {listed(lacking[:4], 'and')} have no tunnel.",
        remedies=(
            Remedy(holder.site, f"widen its {word} selector to {listed(wanted)}"),
            Remedy(wisher.site, f"or ask for {listed(held)} only, and leave those hosts without the tunnel"),
        ),
        evidence=evidence,
        facts={"lacking": list(lacking), "held": list(held), "wanted": list(wanted)},
    )


RULE = Rule(SPEC, judge)
