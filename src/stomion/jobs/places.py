"""What stands at a place of the evidence: a line's text, or a message's title."""

from __future__ import annotations

from pathlib import Path

from stomion.diagnosis.runner import Diagnosis
from stomion.errors import UnreadableInput, UsageError
from stomion.exchange.negotiation import Step
from stomion.ingest.textfile import TextFile
from stomion.jobs.decoding import message_title
from stomion.jobs.examine import Examined
from stomion.model.event import Event
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import Picture
from stomion.views.ladder import message_of
from stomion.vocabulary.times import clock_text


def texts_at(picture: Picture, places: tuple[Provenance, ...]) -> dict[Provenance, str]:
    """A short text for every place, from what was read already: no file is opened."""
    events = {e.where: e for end in picture.ends for e in end.events}
    steps = {where: s for n in picture.negotiations for s in n.steps for _, where in s.seen}
    found: dict[Provenance, str] = {}
    for place in places:
        event, step = events.get(place), steps.get(place)
        if event is not None:
            clock = clock_text(event.at) + "  " if event.at is not None else ""
            found[place] = clock + message_of(event.text)
        elif step is not None:
            found[place] = f"{clock_text(step.at)}  {message_title(step.message)}"
        else:
            test = next((t for t in picture.tests if t.where == place), None)
            if test is not None:
                clock = clock_text(test.at) + "  " if test.at is not None else ""
                found[place] = f"{clock}test {test.service}: {'answered' if test.passed else 'no answer'}"
    return found


def find_step(picture: Picture, place: Provenance) -> tuple[int, Step] | None:
    """(attempt, step) of the message at a packet's place."""
    for index, negotiation in enumerate(picture.negotiations):
        for step in negotiation.steps:
            if any(where == place for _, where in step.seen):
                return index, step
    return None


def open_text(examined: Examined, file: str) -> TextFile:
    """A text source of the case for reading. Raises UsageError where it can't be opened."""
    path = Path(examined.evidence.root) / examined.evidence.written.get(file, file)
    try:
        return TextFile(path)
    except (UnreadableInput, OSError) as error:
        what = error.what if isinstance(error, UnreadableInput) else "it can't be read"
        raise UsageError(f"{file}: {what}") from error


def events_by_line(examined: Examined, file: str) -> dict[int, Event]:
    """The events of a log by their line numbers."""
    for log in examined.evidence.logs:
        if log.file == file:
            return {e.where.line: e for e in log.events if e.where.line is not None}
    return {}


def telling_line(diagnosis: Diagnosis) -> Provenance | None:
    """The line of a tunnel's evidence that matters most: where its first fault began, else the last thing its logs tell of it."""
    first = diagnosis.first_fault
    proof = next(
        (p for p in (first.evidence if first is not None else ()) if p.packet is None and p.record is None), None
    )
    if proof is not None:
        return first_failure(diagnosis.picture, proof.file) or proof
    ends = sorted(diagnosis.picture.ends, key=lambda e: -len(e.events))
    return next((e.events[-1].where for e in ends if e.events), None)


def first_failure(picture: Picture, file: str) -> Provenance | None:
    """The first line of a log with a refusal of a tunnel that still stands; None where there is none."""
    standing = [r.event.where for end in picture.ends for r in end.story.standing if r.event.where.file == file]
    return min(standing, key=lambda where: where.line or 0, default=None)


def lines_about(picture: Picture, file: str) -> list[int]:
    """Numbers of the lines of a log that tell of a tunnel, in their order."""
    found = {e.where.line for end in picture.ends for e in end.events if e.where.file == file and e.where.line}
    return sorted(found)


def text_sources(examined: Examined) -> list[str]:
    """Names of the files that can be shown as text, logs first."""
    order = {"log": 0, "records": 1, "sheet": 2, "case": 3}
    found = [s for s in examined.evidence.sources if s.kind != "capture"]
    return [s.file for s in sorted(found, key=lambda s: (order.get(s.kind, 9), s.file))]
