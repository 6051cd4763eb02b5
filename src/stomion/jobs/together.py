"""Both ends' evidence of one tunnel as one timeline: what their logs say and what their captures hold."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import End, Picture
from stomion.views.ladder import message_of, step_label
from stomion.vocabulary.times import clock_text


@dataclass(frozen=True, slots=True)
class Moment:
    """One line or message. `side` is 0 for the left end, 1 for the right one; `clock` is by that end's own clock."""

    at: float
    clock: str
    side: int
    text: str
    where: Provenance
    event: Event | None = None


def together(picture: Picture) -> list[Moment]:
    """All moments in order. Lines of one log stay in their own order; the right end's times are set by the clock offset."""
    clock = picture.clock
    told = clock is not None and clock.both_ways and abs(clock.right_ahead) > clock.uncertainty
    ahead = clock.right_ahead if clock is not None and told else 0.0
    keyed: list[tuple[float, int, int, Moment]] = []
    for side, end in enumerate(picture.ends):
        late = float("-inf")
        starts = _starts(picture.ends[1 - side], -ahead * (1 - side))
        for index, event in enumerate(end.events):
            own = event.at if event.at is not None else None
            late = max(late, (own - ahead * side) if own is not None else late)
            if event.what is What.ASKED and own is not None and own == int(own):
                # In whole seconds: what it was asked it was asked after the other end began to ask.
                late = next((s for s in starts if late <= s < own - ahead * side + 1), late)
            own_clock = clock_text(own) if own is not None else ""
            keyed.append((late, side, index, Moment(late, own_clock, side, message_of(event.text), event.where, event)))
    for negotiation in picture.negotiations:
        for index, step in enumerate(negotiation.steps):
            for at, place in step.seen:
                side = 1 if place.site == picture.right.site else 0
                sent = "sends" if step.src in picture.ends[side].addresses else "gets"
                text = f"{sent} {step_label(step)}"
                keyed.append(
                    (at - ahead * side, side, index, Moment(at - ahead * side, clock_text(at), side, text, place))
                )
    keyed.sort(key=lambda k: k[:3])
    return [moment for *_, moment in keyed]


def _starts(end: End, shift: float) -> list[float]:
    return [e.at + shift for e in end.events if e.what is What.INITIATING and e.at is not None]


def with_words(moments: list[Moment], words: str) -> list[Moment]:
    """Those whose text holds all the words, in any case."""
    wanted = words.lower().split()
    return [m for m in moments if all(w in m.text.lower() for w in wanted)]
