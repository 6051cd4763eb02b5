"""Both ends' parameters on facing pages, the parameter's name on the seam between them; what both could agree on below."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from stomion.crypto.strength import STRENGTH, Level, level_of
from stomion.diagnosis.runner import Diagnosis
from stomion.tui.spans import Line, cut, left, paragraph, right, width_of
from stomion.tunnel.picture import Picture
from stomion.views.compare import DIFFERS, OPEN, PARTLY, SAME, Agreement, Comparison, Pair, Value
from stomion.whatif.attempt import Try
from stomion.whatif.sheets import Outcome

MARKS = 8
"""Columns of the seam besides the parameter's name: a mark on either side of it."""
LONGEST = 26
"""Columns a parameter's name may take."""
_MARKS = {SAME: ("━━", "proven"), PARTLY: ("┅┅", "doubt"), DIFFERS: ("╱╱", "change"), OPEN: ("··", "faint")}
_FREE = ("──", "muted")
_WORDS = {DIFFERS: "differs", PARTLY: "alike in part", OPEN: "one end unknown"}


Built = list[tuple[Line, Pair | None]]
"""Lines with the pair each shows; the line of a pair is drawn anew when the cursor comes to it (`pair_line`)."""


@dataclass(frozen=True, slots=True)
class Frame:
    """Columns: `half` for either page, `name` for the parameter between them."""

    half: int
    name: int

    @property
    def spine(self) -> int:
        return self.name + MARKS


def frame_of(comparison: Comparison, width: int) -> Frame:
    """The seam is as wide as the longest name needs."""
    longest = max((len(full_name(p)) for p in comparison.pairs), default=8)
    name = min(LONGEST if width >= 90 else 16, longest)
    return Frame(max(14, (width - name - MARKS - 2) // 2), name)


@dataclass(frozen=True, slots=True)
class Trial:
    """A what-if with what it leads to; None where nothing has been changed in it yet."""

    attempt: Try
    outcome: Outcome | None


def page(
    comparison: Comparison,
    picture: Picture,
    width: int,
    side: int,
    differing_first: bool,
    trials: Sequence[Trial] = (),
    at: int = 0,
) -> Built:
    """All lines; `side` is the page the cursor is on (0 left, 1 right), `at` the what-if in hand."""
    frame = frame_of(comparison, width)
    built: Built = [([], None), (_heads(picture, frame, side), None), ([], None)]
    pairs = list(comparison.pairs)
    if differing_first:
        order = (DIFFERS, PARTLY, OPEN)
        pairs.sort(key=lambda p: order.index(p.verdict) if p.verdict in order else len(order))
    group = ""
    for pair in pairs:
        if pair.group != group and not differing_first:
            built.append(([(" " * (frame.half + 4), "plain"), (pair.group, "muted")], None))
            group = pair.group
        if differing_first:
            pair = replace(pair, name=full_name(pair))
        built.append((pair_line(pair, frame, side, False), pair))
    built.append(([], None))
    for number, trial in enumerate(trials):
        mark = "▸ " if number == at and len(trials) > 1 else "  "
        built += [(line, None) for line in _trial_lines(trial, mark, width)]
    built += [(line, None) for line in _agreement_lines(comparison, picture, width)]
    return built


def full_name(pair: Pair) -> str:
    """A parameter's name where its group is not written above it."""
    alone = pair.group not in ("IKE SA", "Child SA") or pair.name.startswith(pair.group)
    return pair.name if alone else f"{pair.group} {pair.name}"


def _heads(picture: Picture, frame: Frame, side: int) -> Line:
    names = [e.title + ("" if e.given or e.sheet else " (inferred)") for e in picture.ends]
    return [
        (right(names[0], frame.half), "!strong" if side == 0 else "!muted"),
        (" " * frame.spine, "plain"),
        (cut(names[1], frame.half), "!strong" if side == 1 else "!muted"),
    ]


def pair_line(pair: Pair, frame: Frame, side: int, chosen: bool) -> Line:
    """One row; where it is the chosen one, an arrow points at the value that Enter changes."""
    glyph, tone = _MARKS.get(pair.verdict, _FREE)
    body = tone if pair.verdict == DIFFERS else "plain"
    marks = ("◂" if chosen and side == 0 else " ", "▸" if chosen and side == 1 else " ")
    name = "muted" if pair.verdict == SAME else "strong"
    spine: Line = [
        (marks[0], "source"),
        (f"{glyph} ", tone),
        (left(pair.name, frame.name), name),
        (f" {glyph}", tone),
        (marks[1], "source"),
    ]
    line = [*right_page(pair.left, frame.half, body), *spine, *_value(pair.right, frame.half, body)]
    return [*line, ("  " + pair.says, "muted")] if pair.says else line


def detail(pair: Pair, picture: Picture, width: int) -> list[Line]:
    """What the chosen row's values rest on, and how good they are by current guidance."""
    lines: list[Line] = []
    for end, value in zip(picture.ends, (pair.left, pair.right), strict=True):
        where = f"{value.origin} · {value.where}" if value.where else value.origin or "not known"
        lines.append([("  " + left(end.title, 20), "muted"), (cut(where, width - 24), "source")])
        if value.against:
            text = f"seen {value.against} · {value.against_where or ''}; the sheet is not in force"
            lines.append([(" " * 22, "muted"), (cut(text, width - 24), "doubt")])
    kind = pair.left.key.partition(".")[2] or pair.right.key.partition(".")[2]
    named = dict.fromkeys(w.strip() for side in (pair.left, pair.right) for w in side.text.split(",") if w.strip())
    for word in named:
        if kind in STRENGTH and word != "none":
            level, why = level_of(kind, word)
            tone = {Level.GOOD: "proven", Level.FAIR: "plain", Level.WEAK: "doubt"}[level]
            name = f"group {word}" if kind == "group" else word
            lines.append(
                [("  " + left(name, 20), "muted"), (left(level.value, 6), tone), (cut(why, width - 30), "muted")]
            )
    return lines


def _value(value: Value, width: int, tone: str) -> Line:
    """The value, then what qualifies it: where it comes from, if that is not the sheet, and a weak standing."""
    if not value.text:
        return [(cut("not known", width), "faint")]
    notes: Line = []
    if value.origin not in ("", "declared"):
        notes.append((f" {value.origin}", "source"))
    if value.level is Level.WEAK:
        notes.append((" weak", "doubt"))
    if value.against:
        notes.append((f" but seen {cut(value.against, 24)}", "doubt"))
    room = max(6, width - width_of(notes))
    return [(cut(value.text, room), tone), *notes]


def right_page(value: Value, width: int, tone: str) -> Line:
    """The same set against the seam."""
    line = _value(value, width, tone)
    return [(" " * max(0, width - width_of(line)), "plain"), *line]


def _agreement_lines(comparison: Comparison, picture: Picture, width: int) -> list[Line]:
    lines: list[Line] = [[("  what both could agree on", "!source")]]
    for agreement in comparison.agreements:
        lines += _agreement(agreement, picture, width)
    return lines


_LAYERS = {"IKE": "IKE SA", "ESP": "Child SA"}


def _agreement(agreement: Agreement, picture: Picture, width: int) -> list[Line]:
    name = left(_LAYERS[agreement.layer], 10)
    if not agreement.known:
        return [[("  " + name, "muted"), ("the proposals of one end are not known", "faint")]]
    if agreement.chosen is not None:
        return [[("  " + name, "muted"), ("━━ ", "proven"), (cut(str(agreement.chosen), width - 18), "plain")]]
    lines: list[Line] = [[("  " + name, "muted"), ("╱╱ nothing, as they stand", "change")]]
    for way in agreement.ways[:4]:
        end = picture.ends[way.side]
        weak = way.level is Level.WEAK
        lines.append(
            [
                (" " * 15 + left(f"at {end.title}", 20), "change"),
                (way.words(), "plain"),
                ("  weak" if weak else "", "doubt"),
            ]
        )
    return lines


def _trial_lines(trial: Trial, mark: str, width: int) -> list[Line]:
    lines: list[Line] = [
        [
            (f"{mark}what if {trial.attempt.letter}", "!doubt"),
            ("   in the picture only, by the sheets alone; W saves it", "muted"),
        ]
    ]
    for number, change in enumerate(trial.attempt.changes, 1):
        label = f"    {left('steps' if number == 1 else '', 8)}"
        lines.append([(label, "muted"), (cut(f"{number} at {change.site}: {change.words}", width - 14), "plain")])
    if trial.outcome is None:
        return [*lines, [("    nothing yet: Enter on a value changes it", "faint")], []]
    for word, diagnosis in (("before", trial.outcome.before), ("after", trial.outcome.after)):
        lines += _led_to(word, diagnosis, width)
    return [*lines, []]


def _led_to(word: str, diagnosis: Diagnosis, width: int) -> list[Line]:
    first = diagnosis.first_fault
    text = first.summary if first else "nothing stands between the two, as far as is known"
    tone = "change" if first else "proven"
    head, *rest = paragraph(text, tone, width - 16) or [[]]
    lines: list[Line] = [[(f"    {left(word, 8)}", "muted"), ("╱╱ " if first else "━━ ", tone), *head]]
    return lines + [[(" " * 15, "plain"), *more] for more in rest]


def verdict_words(pair: Pair) -> str:
    """A pair's verdict in words, for copying."""
    return _WORDS.get(pair.verdict, "alike" if pair.verdict == SAME else "need not be alike")
