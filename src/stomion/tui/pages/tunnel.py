"""One tunnel as two facing pages along its seam, the fault and its remedy below, and the proof."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.diagnosis.spec import listed
from stomion.model.finding import STAGES, Finding, Stage, StageVerdict, Verdict
from stomion.model.provenance import Provenance
from stomion.space.axis import address_text, is_v6
from stomion.space.ranges import spans
from stomion.tui.pages.tunnels import remedies, settings_lines
from stomion.tui.spans import Line, cut, left, paragraph, right
from stomion.tunnel.picture import End
from stomion.views.seam import Stretch, seam_of

SPINE = 17
"""Columns of the seam between the pages: its glyph and the stage's name."""
BAR = 64
"""Columns of the selector drawing."""


@dataclass(frozen=True, slots=True)
class Item:
    """What a line stands for: a stage, a place of proof, or nothing (the cursor steps over it)."""

    stage: Stage | None = None
    place: Provenance | None = None
    finding: int = -1


Built = list[tuple[Line, Item]]


def page(diagnosis: Diagnosis, width: int, shown: int, lines_of: dict[Provenance, str]) -> Built:
    """All lines of the page; `shown` is the finding spelled out, `lines_of` the text at places of proof."""
    side = max(20, (width - SPINE - 4) // 2)
    side = min(side, 70)
    pad = max(0, (width - 2 * side - SPINE) // 2)
    built: Built = [(line, Item()) for line in _heads(diagnosis, side, pad)]
    for index, verdict in enumerate(diagnosis.stages):
        built.append((_stage_row(diagnosis, verdict, index, side, pad), Item(stage=verdict.stage)))
    built.append(([], Item()))
    findings = diagnosis.findings
    if not findings:
        built.extend((line, Item()) for line in paragraph(seam_of(diagnosis).says, "!strong", width - 4, 2))
        built.append(([], Item()))
        built.extend(_places(standing_proof(diagnosis), width, lines_of))
        return built
    shown = max(0, min(shown, len(findings) - 1))
    built.extend(_finding(diagnosis, shown, width))
    built.extend(proof(findings[shown], width, lines_of))
    for end in diagnosis.picture.ends:
        if not end.given:
            built.append(([], Item()))
            built.extend((line, Item()) for line in settings_lines(diagnosis, end, min(width - 4, 110), 2))
    return built


def _heads(diagnosis: Diagnosis, side: int, pad: int) -> list[Line]:
    seam = seam_of(diagnosis)
    first = diagnosis.first_fault
    stage = first.stage.value if first else ""
    names: Line = [
        (" " * pad, "plain"),
        (
            right(("must change ▐ " if seam.left_changes else "") + seam.left, side),
            "!change" if seam.left_changes else "!strong",
        ),
        (" " * SPINE, "plain"),
        (seam.right + (" ▌ must change" if seam.right_changes else ""), "!change" if seam.right_changes else "!strong"),
    ]
    below: Line = [(" " * pad, "plain"), (right(_given(diagnosis.picture.left), side), "muted")]
    middle = f"path: {stage}" if seam.path_changes else ""
    below.append((left("  " + middle, SPINE), "change"))
    below.append((cut(_given(diagnosis.picture.right), side), "muted"))
    return [[], names, below, []]


def _given(end: End) -> str:
    """The end's address and what evidence it gave."""
    kinds = []
    if end.has_log:
        kinds.append("log")
    if end.captures:
        kinds.append("capture")
    if end.sheet is not None:
        kinds.append("sheet")
    if end.has_counters:
        kinds.append("counters")
    address = end.address if end.address != end.site else ""
    given = ", ".join(kinds) if end.given or kinds else "inferred: only its peer's evidence speaks"
    return " · ".join(x for x in (address, given) if x)


def _stage_row(diagnosis: Diagnosis, v: StageVerdict, index: int, side: int, pad: int) -> Line:
    stretch = seam_of(diagnosis).stretches[index][1]
    glyph, tone = _SPINE[stretch]
    name_tone = "!change" if tone == "change" else "plain" if tone == "proven" else "muted"
    texts = [_says(text, verdict) for text, verdict in zip(v.says, (v.left, v.right), strict=True)]
    first = diagnosis.first_fault
    if first is not None and first.stage is v.stage and any(len(t) > side for t in texts):
        ends = diagnosis.picture.ends
        texts = [_differing(first, end.site) or text for end, text in zip(ends, texts, strict=True)]
    return [
        (" " * pad, "plain"),
        (right(texts[0], side), _tone(v.left)),
        ("  ", "plain"),
        (left(glyph, 4), tone),
        (left(v.stage.value, SPINE - 8), name_tone),
        ("  ", "plain"),
        (cut(texts[1], side), _tone(v.right)),
    ]


def _differing(finding: Finding, site: str) -> str:
    """Where there is no room for everything: only what the ends differ in."""
    parts = []
    kinds = finding.facts.get("differs")
    for kind in kinds if isinstance(kinds, list) else ():
        values = finding.facts.get(kind)
        if isinstance(values, dict) and values.get(site):
            parts.append(("group " if kind == "group" else "") + listed(list(values[site])))
    return " · ".join(parts)


_SPINE = {
    Stretch.WHOLE: (" ┃", "proven"),
    Stretch.DOUBT: (" ╏", "doubt"),
    Stretch.UNSEEN: (" ┊", "faint"),
    Stretch.ABSENT: ("  ", "faint"),
    Stretch.BREAK_LEFT: ("╱╿", "change"),
    Stretch.BREAK_RIGHT: (" ╿╲", "change"),
    Stretch.BREAK_MIDDLE: ("╱╿╲", "change"),
}


def _says(text: str, verdict: Verdict) -> str:
    if text:
        return text
    return {Verdict.UNSEEN: "no evidence", Verdict.UNREACHED: "not reached", Verdict.PASS: "holds"}.get(verdict, "")


def _tone(verdict: Verdict) -> str:
    return {
        Verdict.FAULT: "!change",
        Verdict.CAUTION: "doubt",
        Verdict.PASS: "plain",
        Verdict.UNSEEN: "faint",
        Verdict.UNREACHED: "faint",
    }[verdict]


def _finding(diagnosis: Diagnosis, shown: int, width: int) -> Built:
    finding = diagnosis.findings[shown]
    inner = min(width - 4, 140)
    built: Built = [(line, Item()) for line in paragraph(finding.summary, "!strong", inner, 2)]
    count = f" · finding {shown + 1} of {len(diagnosis.findings)}" if len(diagnosis.findings) > 1 else ""
    built.append(([("  ", "plain"), (f"{finding.stage.value} · {_sure(finding, diagnosis)}{count}", "muted")], Item()))
    built.extend((line, Item()) for line in paragraph(finding.detail, "muted", inner, 2))
    bars = selector_bars(diagnosis, finding, width)
    if bars:
        built.append(([], Item()))
        built.extend((line, Item()) for line in bars)
    built.append(([], Item()))
    built.extend((line, Item()) for line in remedies(diagnosis, width, shown))
    built.append(([], Item()))
    return built


_BY_TABLES = (Stage.NAT, Stage.ROUTING, Stage.FILTER)


def _proven(finding: Finding, diagnosis: Diagnosis) -> str:
    """What proves it: the tables, a gateway's own line, or sheets and packets, which need no words of their own."""
    if finding.stage in _BY_TABLES:
        return "proven by the tables"
    lines = {e.where for end in diagnosis.picture.ends for e in end.events if not e.far}
    negotiated = finding.stage in (Stage.IKE, Stage.CHILD, Stage.SELECTORS) and not finding.caution
    return (
        "proven by the refusing end's own word" if negotiated and lines.intersection(finding.evidence[:1]) else "proven"
    )


def _sure(finding: Finding, diagnosis: Diagnosis) -> str:
    return {
        "proven": _proven(finding, diagnosis),
        "likely": "likely, from one end's evidence",
        "possible": "possible: other causes look the same from here",
    }[finding.certainty.value]


def standing_proof(diagnosis: Diagnosis) -> tuple[Provenance, ...]:
    """What a tunnel without a fault rests on: the places that prove its stages."""
    return tuple(dict.fromkeys(p for v in diagnosis.stages for p in v.where if p is not None))


def proof(finding: Finding, width: int, lines_of: dict[Provenance, str]) -> Built:
    """A finding's places of proof, each a line the cursor can rest on."""
    if not finding.evidence:
        return [([("  Proof", "!source")], Item()), ([("  declared, in the sheets", "muted")], Item())]
    return _places(finding.evidence, width, lines_of)


def _places(places: tuple[Provenance, ...], width: int, lines_of: dict[Provenance, str]) -> Built:
    built: Built = [([("  Proof", "!source")], Item())]
    room = max([12, *(len(str(p)) for p in places)])
    room = min(room, 36)
    for place in places:
        text = lines_of.get(place, "")
        line: Line = [
            ("  ", "plain"),
            (left(str(place), room), "source"),
            ("  ", "plain"),
            (cut(text, width - room - 6), "plain"),
        ]
        built.append((line, Item(place=place)))
    return built


def selector_bars(diagnosis: Diagnosis, finding: Finding, width: int) -> list[Line]:
    """Both ends' idea of one range on one axis, where a wrong mask is seen at once."""
    found = finding.facts.get("ranges")
    if not isinstance(found, list) or width < 60:
        return []
    lines: list[Line] = []
    titles = {e.site: e for e in diagnosis.picture.ends}
    for item in found[:2]:
        owner = titles.get(item["of"])
        if owner is None:
            continue
        peer = diagnosis.picture.other(owner)
        lines.extend(
            _bars((peer.title, tuple(item["peer"])), (owner.title, tuple(item["own"])), finding, owner.site, width)
        )
    return lines


def _bars(
    asks: tuple[str, tuple[str, ...]], has: tuple[str, tuple[str, ...]], finding: Finding, owner: str, width: int
) -> list[Line]:
    both = spans((*asks[1], *has[1]))
    if not both or is_v6(both[0][0]) != is_v6(both[-1][0]):
        return []
    low, high = both[0][0], max(last for _, last in both)
    size = min(BAR, width - 40)
    name = max(len(asks[0]), len(has[0])) + 7
    axis, end = address_text(low), address_text(high)
    lines: list[Line] = [[("  " + " " * name, "plain"), (left(axis, size - len(end)) + end, "muted")]]
    for (title, ranges), word, wrong in ((asks, "means", False), (has, "has", owner in finding.sides)):
        cells = [_covered(low, high, size, i, ranges) for i in range(size)]
        text: Line = [("  " + left(f"{title} {word}", name), "change" if wrong else "plain")]
        text.extend(("█" if c else "░", "proven" if c else "faint") for c in cells)
        text.append((f"  {' + '.join(ranges)}", "!change" if wrong else "plain"))
        lines.append(text)
    return lines


def _covered(low: int, high: int, size: int, cell: int, ranges: tuple[str, ...]) -> bool:
    """Is the middle of a cell of the axis inside the ranges?"""
    at = low + (high - low + 1) * (2 * cell + 1) // (2 * size)
    return any(first <= at <= last for first, last in spans(ranges))


def stage_index(stage: Stage) -> int:
    """A stage's place among all."""
    return STAGES.index(stage)
