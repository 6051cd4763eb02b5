"""The ladder as data: the messages of one attempt between two posts, with the log lines that speak of them."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

from stomion.exchange.automaton import REACH_WORDS
from stomion.exchange.clock import clock_words
from stomion.exchange.negotiation import Delivery, Negotiation, Step
from stomion.exchange.story import CHILD_FAILURES, IKE_FAILURES
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import End, Picture
from stomion.vocabulary.times import clock_text
from stomion.wire.ike.message import payload_name

NEAR_S = 0.6
"""A log line this close in time to a message, in the log of the end whose capture holds it, can speak of it."""
MAX_ROWS = 4_000


@dataclass(frozen=True, slots=True)
class Row:
    """One row: `direction` is 1 to the right, -1 to the left, 0 a remark. `tone` is `plain`, `change`, `doubt`, `proven`
    or `source`. A row has a message of the wire, or stands for a line of a log, or is a remark."""

    at: float | None
    clock: str
    direction: int
    label: str
    tone: str
    where: Provenance | None = None
    step: Step | None = None
    event: Event | None = None
    lost: bool = False
    clocks: tuple[str, str] = ("", "")
    """The message's time by the left end's clock and by the right one's, where captured there."""


@dataclass(frozen=True, slots=True)
class Ladder:
    """One attempt. `heading` sums up all attempts, `ending` this one."""

    left: str
    right: str
    left_address: str
    right_address: str
    left_known: bool
    right_known: bool
    rows: tuple[Row, ...]
    heading: str
    ending: str
    attempt: int
    attempts: int
    clocks: str = ""


def is_failure(row: Row) -> bool:
    """Does this row tell of something refused or lost?"""
    return row.tone == "change" or (row.event is not None and _is_failure(row.event))


def attempts_of(picture: Picture) -> int:
    """How many attempts there are to look at; at least one, which may be from logs alone."""
    return max(1, len(picture.negotiations))


def ladder_of(picture: Picture, attempt: int) -> Ladder:
    """The attempt with this number (from 0), from the wire where it was captured, else from the logs."""
    total = attempts_of(picture)
    attempt = max(0, min(attempt, total - 1))
    if picture.negotiations:
        negotiation = picture.negotiations[attempt]
        rows = _wire_rows(picture, negotiation)
        ending = _ending(negotiation, rows)
    else:
        rows = _log_rows(picture)
        ending = "from the logs alone" if rows else ""
    return Ladder(
        picture.left.title,
        picture.right.title,
        picture.left.address,
        picture.right.address,
        picture.left.given,
        picture.right.given,
        tuple(rows[:MAX_ROWS]),
        _heading(picture, attempt),
        ending,
        attempt,
        total,
        clock_words(picture.clock, picture.left.title, picture.right.title) if picture.clock else "",
    )


def _heading(picture: Picture, attempt: int) -> str:
    found = picture.negotiations
    if not found:
        return "no packets of this tunnel"
    text = f"attempt {attempt + 1} of {len(found)}"
    if len(found) > 2:
        gaps = sorted(b.start - a.start for a, b in itertools.pairwise(found))
        middle = gaps[len(gaps) // 2]
        if middle > 0 and all(abs(g - middle) <= max(1.0, middle * 0.15) for g in gaps):
            text += f", every {_seconds(middle)}"
        same = {(n.reach, n.refusal) for n in found}
        if len(same) == 1 and found[0].refusal_step >= 0:
            text += ", all refused alike"
    return text


def _seconds(value: float) -> str:
    return f"{value:.0f} s" if value >= 10 else f"{value:.1f} s"


def _wire_rows(picture: Picture, n: Negotiation) -> list[Row]:
    rows: list[Row] = []
    tied = tie_events(picture, n)
    last: float | None = None
    refused = False
    for index, step in enumerate(n.steps):
        row = _step_row(picture, n, step, index, last, refused)
        events = tied.get(index, [])
        told = next((e for e in events if e.far and _is_failure(e)), None)
        if told is not None and step.message.encrypted and step.opened is None:
            row = replace(
                row, tone="change", label=f"{row.label} · {told.notifies[0] if told.notifies else told.what.value}"
            )
        rows.append(row)
        refused = refused or any(x.is_error for x in step.view.notifies)
        last = step.at
        rows.extend(Row(e.at, "", 0, message_of(e.text), "source", e.where, None, e) for e in events)
    return rows


def _step_row(picture: Picture, n: Negotiation, step: Step, index: int, last: float | None, refused: bool) -> Row:
    direction = 1 if step.src in picture.left.addresses else -1
    tone = "plain"
    label = step_label(step)
    if index == n.refusal_step or any(x.is_error for x in step.view.notifies):
        tone = "change" if (n.refusal and n.refusal != "INVALID_KE_PAYLOAD") or not n.chosen else "doubt"
        if n.reach >= 5 and n.refusal == "":
            tone = "doubt"
        label = ", ".join(step.notifies) or "refused, encrypted"
        wanted = next((x.wanted_group for x in step.view.notifies if x.wanted_group is not None), None)
        label += f" · group {wanted} wanted" if wanted is not None else ""
    elif step.again:
        tone = "doubt"
        label = "same again" + (", ignoring the refusal" if refused and step.src == n.initiator else "")
    if step.fate is Delivery.LOST:
        label += " · never arrives"
        tone = "change"
    clock = clock_text(step.at) if last is None else f"+{_gap(step.at - last)}"
    by_site = {place.site: clock_text(at) for at, place in step.seen}
    clocks = by_site.get(picture.left.site, ""), by_site.get(picture.right.site, "")
    return Row(step.at, clock, direction, label, tone, step.where, step, None, step.fate is Delivery.LOST, clocks)


def _gap(seconds: float) -> str:
    if seconds < 1:
        return f"{max(0.0, seconds) * 1000:.0f} ms"
    return f"{seconds:.1f} s" if seconds < 120 else f"{seconds / 60:.1f} min"


def step_label(step: Step) -> str:
    """`IKE_SA_INIT  SA KE Nonce N×3`."""
    header = step.message.header
    if header is None:
        return "unreadable"
    names: list[str] = []
    notifies = 0
    for payload in step.view.payloads:
        name = payload_name(header.major, payload.kind)
        if name == "Notify":
            notifies += 1
        elif name == "Vendor ID":
            continue
        else:
            names.append({"SK": "encrypted", "Nonce": "No"}.get(name, name))
    if step.opened is None and step.message.encrypted and header.major == 1:
        names = ["encrypted"]
    if notifies:
        names.append(f"N×{notifies}" if notifies > 1 else "N")
    part = f" {step.fragment}" if step.fragment else ""
    return f"{header.exchange_name}{part}  {' '.join(names)}"


_TELLING = IKE_FAILURES | CHILD_FAILURES | {What.CHILD_UP, What.PROPOSAL_REFUSED, What.KE_RETRY}
PER_STEP = 2
"""Log lines shown under one message."""


def _is_failure(event: Event) -> bool:
    return event.what in IKE_FAILURES or event.what in CHILD_FAILURES or event.what is What.PROPOSAL_REFUSED


def tie_events(picture: Picture, n: Negotiation) -> dict[int, list[Event]]:
    """Telling log lines by the index of the message each speaks of: the one closest in time that it can speak of."""
    tied: dict[int, list[Event]] = {}
    for end in picture.ends:
        for event in end.events:
            if event.at is None or event.what not in _TELLING or not n.start - NEAR_S <= event.at <= n.end + 1 + NEAR_S:
                continue
            best = _closest(end, event, n)
            if best is not None and len(tied.setdefault(best, [])) < PER_STEP:
                tied[best].append(event)
    return tied


def _closest(end: End, event: Event, n: Negotiation) -> int | None:
    """An end decides before it answers, and learns of an answer after it arrives. Without a capture of its own an end is
    on the other's clock only by and large, and may log whole seconds."""
    assert event.at is not None
    coarse = not end.captures
    found: list[tuple[float, int]] = []
    for index, step in enumerate(n.steps):
        sender = step.src in end.addresses
        # What could not be read was received, whoever is to blame for it.
        if (event.far or event.what is What.UNDECRYPTABLE) is sender:
            continue
        at = next((t for t, place in step.seen if place.site == end.site), step.at)
        gap = (at - event.at) if sender else (event.at - at)
        if (-1.0 if coarse else -0.002) <= gap <= (1.0 if coarse else NEAR_S):
            found.append((abs(gap), index))
    if coarse and found:
        # Whole seconds can't tell the messages of one second apart: the last answer is the one that refused.
        return max(index for _, index in found)
    return min(found)[1] if found else None


def message_of(text: str) -> str:
    """A log line without its time and host, for a place where these are known."""
    for mark in ("]: ", "] ", ": "):
        at = text.find(mark, 8, 90)
        if at >= 0:
            return text[at + len(mark) :].strip()
    return text


_ARROWS = {
    What.INITIATING: 1,
    What.SENT: 1,
    What.RESENT: 1,
    What.ASKED: -1,
    What.RECEIVED: -1,
}


def _log_rows(picture: Picture) -> list[Row]:
    """Without packets: what both ends' logs tell, in the order of time where there is one, each log in its own order."""
    merged: list[tuple[float, int, End, Event]] = []
    for end in picture.ends:
        at = 0.0
        for index, event in enumerate(end.events):
            at = max(at, event.at) if event.at is not None else at
            merged.append((at, index, end, event))
    merged.sort(key=lambda x: (x[0], x[1]))
    rows = []
    for at, _, end, event in merged:
        sign = 1 if end is picture.left else -1
        direction = _ARROWS.get(event.what, 0) * sign
        failure = event.what in IKE_FAILURES or event.what in CHILD_FAILURES
        if failure:
            direction = -sign if event.far else sign
        tone = "change" if failure else "proven" if event.what in (What.IKE_UP, What.CHILD_UP) else "plain"
        label = event.what.value + (f" · {event.notifies[0]}" if event.notifies else "")
        clock = clock_text(at) if event.at is not None else ""
        rows.append(Row(event.at, clock, direction, label, tone, event.where, None, event))
    return rows


def _ending(n: Negotiation, rows: list[Row]) -> str:
    text = REACH_WORDS[n.reach]
    said = next((r.event for r in reversed(rows) if r.event is not None and _is_failure(r.event)), None)
    if said is not None and n.refusal_step < 0:
        text += f", then {said.what.value}"
    tries = [s for s in n.steps if s.src == n.initiator and s.raw == n.steps[0].raw]
    if len(tries) > 1:
        gaps = [b.at - a.at for a, b in itertools.pairwise(tries)]
        text += f"; {len(tries)} tries, first gap {_seconds(gaps[0])}"
        if len(gaps) > 1 and gaps[0] > 0:
            text += f", growing × {(gaps[-1] / gaps[0]) ** (1 / (len(gaps) - 1)):.1f}"
    return text
