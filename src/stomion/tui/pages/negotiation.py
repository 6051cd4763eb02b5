"""The ladder of one attempt, and the chosen message as a ledger of its fields."""

from __future__ import annotations

from stomion.diagnosis.runner import Diagnosis
from stomion.exchange.negotiation import Negotiation
from stomion.jobs.decoding import message_title
from stomion.tui.pages.tunnels import remedies, settings_lines
from stomion.tui.spans import Line, cut, left, paragraph, right, width_of, wrap
from stomion.views.ladder import Ladder, Row
from stomion.views.reception import Reception, receptions
from stomion.wire.ike.field import Field
from stomion.wire.ike.ledger import ledger
from stomion.wire.ike.message import HEADER_SIZE

CLOCK = 14
Built = list[tuple[Line, int]]
"""Lines with the ladder row each stands for, -1 for none."""


def ladder_lines(ladder: Ladder, diagnosis: Diagnosis, width: int, both_clocks: bool = False) -> Built:
    """The ladder, how it ended, and what is to be said of it."""
    inner = max(18, min(width - CLOCK - (CLOCK + 2 if both_clocks else 8), 64))
    built: Built = [(line, -1) for line in _posts(ladder, inner)]
    for index, row in enumerate(ladder.rows):
        built.append((_row(row, inner, width, both_clocks), index))
    if not ladder.rows:
        built.append(([("  Neither packets nor log lines of a negotiation were given for this tunnel.", "muted")], -1))
    elif ladder.ending:
        built.append(([(" " * CLOCK, "plain"), ("╵" + " " * inner + "╵", "muted")], -1))
        built.extend((line, -1) for line in paragraph(ladder.ending, "muted", width - 2, CLOCK))
        if ladder.clocks:
            built.extend((line, -1) for line in paragraph(ladder.clocks, "faint", width - 2, CLOCK))
    built.append(([], -1))
    first = diagnosis.first_fault
    if first is not None:
        built.extend((line, -1) for line in paragraph(first.summary, "!strong", width - 3, 1))
        built.append(([], -1))
        built.extend((line, -1) for line in remedies(diagnosis, width))
    return built


def _posts(ladder: Ladder, inner: int) -> list[Line]:
    half = inner // 2
    known = [" (inferred)" if not k else "" for k in (ladder.left_known, ladder.right_known)]
    return [
        [],
        [
            (" " * CLOCK, "plain"),
            (left(ladder.left + known[0], half), "!strong"),
            (right(ladder.right + known[1], inner + 2 - half), "!strong"),
        ],
        [
            (" " * CLOCK, "plain"),
            (left(ladder.left_address, half), "muted"),
            (right(ladder.right_address, inner + 2 - half), "muted"),
        ],
    ]


def _row(row: Row, inner: int, width: int, both_clocks: bool) -> Line:
    if row.direction == 0:
        return _remark(row, width)
    tone = row.tone
    clock: Line = [(right(row.clocks[0] if both_clocks else row.clock, CLOCK - 1) + " ", "faint")]
    label = cut(row.label, inner - 7)
    shaft = max(1, inner - len(label) - 6)
    if row.direction > 0:
        body = f"━━ {label} " + "━" * shaft + ("╳ " if row.lost else "━▶")
    else:
        body = (" ╳" if row.lost else "◀━") + f" {label} " + "━" * (shaft + 2)
    number = f" {row.where.packet}" if row.where and row.where.packet else ""
    if both_clocks:
        number = f" {row.clocks[1]}"
    return [*clock, ("┃", "muted"), (left(body, inner), tone), ("┃", "muted"), (number, "faint")]


def _remark(row: Row, width: int) -> Line:
    """A log line that speaks of the message above it; where it stands comes first."""
    place = str(row.where) if row.where else ""
    line: Line = [(" " * (CLOCK - 1), "plain"), (" ┃ ", "muted"), (place, "source"), ("  ", "plain")]
    return [*line, (cut(row.label, max(8, width - width_of(line) - 1)), "muted")]


def ledger_lines(diagnosis: Diagnosis, negotiation: Negotiation | None, row: Row | None, width: int) -> list[Line]:
    """The chosen message field by field, then what the far end is evidently set to."""
    lines: list[Line] = []
    if row is None:
        lines.append([("Nothing chosen.", "muted")])
    elif row.step is None:
        lines.extend(_event_lines(row, width))
    else:
        lines.extend(_message_lines(diagnosis, negotiation, row, width))
    lines.append([])
    for end in diagnosis.picture.ends:
        if not end.has_log or diagnosis.first_fault is not None:
            lines.extend([*settings_lines(diagnosis, end, width), []])
    return lines


def _message_lines(diagnosis: Diagnosis, negotiation: Negotiation | None, row: Row, width: int) -> list[Line]:
    step = row.step
    assert step is not None
    sender = diagnosis.picture.end_at(step.src)
    head = f"{message_title(step.view).split(':')[0]} from {sender.title if sender else step.src}"
    lines: list[Line] = [
        [(cut(head, width), "!strong")],
        [(cut(f"{step.size} bytes · {step.src}:{step.sport} → {step.dst}:{step.dport}", width), "muted")],
        [(cut(" · ".join(str(p) for _, p in step.seen), width), "source")],
        [],
    ]
    fields = ledger(step.view)
    made = receptions(diagnosis.picture, negotiation, step, fields) if negotiation else [Reception(None)] * len(fields)
    raw_width = 25 if width >= 76 else 19 if width >= 60 else 13
    marks = [_mark(r) for r in made]
    room = max((len(m) for m in marks), default=0)
    receiver = diagnosis.picture.end_at(step.dst)
    judge = f"{receiver.title}'s view" if receiver and room else ""
    head = left("at", 6) + left("bytes", raw_width)
    lines.append([(head + left("says", max(0, width - len(head) - max(room, len(judge)))) + judge, "faint")])
    lines.extend(_field_line(f, m, raw_width, width, room) for f, m in zip(fields, marks, strict=True))
    for damage in step.view.damage:
        lines.append([(f"damaged at {damage.offset:04x}: {cut(damage.text, width - 18)}", "change")])
    return lines


def _mark(reception: Reception) -> str:
    """What the other end makes of a field, with a shape as well as a colour."""
    if reception.taken is None:
        return ""
    return "━━ taken" if reception.taken else f"╱╱ {reception.says}"


def _field_line(f: Field, mark: str, raw_width: int, width: int, mark_width: int) -> Line:
    """One field: offset, bytes, meaning, and at the right what the other end makes of it."""
    room = (raw_width - 1) // 3
    raw = f.raw[:room].hex(" ") + ("…" if len(f.raw) > room else "")
    refused = mark.startswith("╱")
    tone = "!change" if refused else "!plain" if f.depth == 0 and f.offset >= HEADER_SIZE else "plain"
    line: Line = [(f"{f.offset:04x}  ", "faint"), (left(raw, raw_width), "change" if refused else "muted")]
    text = "  " * f.depth + _field_text(f)
    rest = width - width_of(line)
    if not mark:
        return [*line, (cut(text, rest), tone)]
    space = max(12, rest - mark_width - 1)
    return [*line, (left(text, space), tone), (cut(" " + mark, rest - space), "change" if refused else "proven")]


def _field_text(f: Field) -> str:
    """`KE 0x0e = 14  2048-bit MODP`: name, the number in both bases, and what it means."""
    if f.value is None:
        return f"{f.name}  {f.says}"
    number = f"0x{f.value:02x} = {f.value}"
    says = "" if f.says == str(f.value) else f"  {f.says}"
    return f"{f.name} {number}{says}"


def _event_lines(row: Row, width: int) -> list[Line]:
    event = row.event
    if event is None:
        return []
    lines: list[Line] = [[(cut(event.what.value, width), "!strong")], [(str(event.where), "source")], []]
    lines.extend([[(part, "plain")] for part in wrap(event.text, width)])
    lines.append([])
    for name, value in (
        ("peer", event.peer or ""),
        ("connection", event.conn or ""),
        ("mine", str(event.mine) if event.mine else ""),
        ("theirs", str(event.theirs) if event.theirs else ""),
        ("my selectors", " ⇄ ".join(event.my_ts)),
        ("asked", " ⇄ ".join(event.their_ts)),
        ("notifies", ", ".join(event.notifies)),
        ("assumed", ", ".join(event.assumed)),
    ):
        if value:
            lines.append([(left(name, 14), "muted"), (cut(value, width - 14), "plain")])
    return lines
