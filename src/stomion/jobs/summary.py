"""What `stomion check --json` prints, as typed records; the published schema is generated from them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

import msgspec

from stomion.case.evidence import Evidence
from stomion.diagnosis.runner import Diagnosis
from stomion.diagnosis.together import common_causes
from stomion.jobs.examine import Examined
from stomion.jobs.unused import unused
from stomion.model.finding import STAGES, Finding, Stage, Status
from stomion.model.provenance import Provenance
from stomion.model.sa import Sa
from stomion.tunnel.attempts import of_test
from stomion.tunnel.failover import pair_of, switches_of
from stomion.tunnel.picture import Picture
from stomion.tunnel.relations import judged
from stomion.tunnel.sas import up_since
from stomion.tunnel.timers import predicted
from stomion.tunnel.uptime import uptime_of
from stomion.views.asks import asks_of
from stomion.views.chosen import fits
from stomion.views.looked import looked_at, missing, proof_words
from stomion.vocabulary.times import utc_text


class Place(msgspec.Struct, frozen=True, omit_defaults=True, kw_only=True):
    """A place in the evidence: a line of a text, a packet of a capture or a record of a table, counted from 1."""

    site: str | None = None
    file: str
    line: int | None = None
    packet: int | None = None
    record: int | None = None


class SideText(msgspec.Struct, frozen=True):
    """What one end is to change."""

    side: str
    text: str


class FindingRecord(msgspec.Struct, frozen=True):
    """One finding."""

    code: str
    stage: str
    sides: tuple[str, ...]
    certainty: str
    summary: str
    remedies: tuple[SideText, ...]
    facts: dict[str, Any]
    evidence: tuple[Place, ...]
    caution: bool = False
    detail: str = ""


class StageRecord(msgspec.Struct, frozen=True):
    """One stage, as a whole and per end."""

    stage: str
    verdict: str
    ends: dict[str, str]


class TestLine(msgspec.Struct, frozen=True):
    """What was tried between the two LANs: a test, or a continuous ping as a whole."""

    __test__ = False
    source: str = msgspec.field(name="from")
    to: str
    service: str
    sent: int
    received: int
    error: str
    at: str | None
    file: str
    line: int | None
    lost: tuple[int, ...] | msgspec.UnsetType = msgspec.UNSET
    """Numbers of the lost probes of a continuous ping."""


class SaRecord(msgspec.Struct, frozen=True):
    """A pair of SAs at one end; null where nobody tells. `state` is in one vocabulary, `state_words` what the source says."""

    end: str
    spi_in: str | None
    spi_out: str | None
    encryption: str | None
    integrity: str | None
    group: int | str | None
    encapsulation: str | None
    up_since: str | None
    age_s: float | None
    rekey_in_s: float | None
    expires_in_s: float | None
    packets_in: int | None
    packets_out: int | None
    bytes_in: int | None
    bytes_out: int | None
    state: str | None
    state_words: str | None


class AskRecord(msgspec.Struct, frozen=True):
    """Something to fetch: from whom (an end, or the provider), and what, as a sentence that can be sent."""

    whom: str
    stage: str
    text: str


class TunnelRecord(msgspec.Struct, frozen=True):
    """One tunnel. `looked_at` and `missing` name what the judgement rests on, and the kinds of evidence that nobody gave."""

    name: str
    ends: tuple[str, str]
    status: str
    stages: tuple[StageRecord, ...]
    first_fault: FindingRecord | None
    findings: tuple[FindingRecord, ...]
    tests: tuple[TestLine, ...] = ()
    sas: tuple[SaRecord, ...] = ()
    """SA pairs of both ends, each end's newest first."""
    failovers: tuple[dict[str, Any], ...] = ()
    """Of a primary tunnel: every time its standby took over, with the moments after the loss in milliseconds."""
    up_since: str | None = None
    """Since when it is up without a break, where it is and something tells."""
    up_s: float | None = None
    seen_s: float | None = None
    """Seconds that its log or counters tell of since it came up first, and those of them in which it was up; where something tells."""
    proof: tuple[str, ...] = ()
    """What proves that it carries, in words."""
    looked_at: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    ask: tuple[AskRecord, ...] = ()
    """What to fetch next, in the order of the stages; empty where what is there decides."""


class Unknown(msgspec.Struct, frozen=True):
    """A file that was not recognised."""

    file: str
    why: str


class Trouble(msgspec.Struct, frozen=True, omit_defaults=True):
    """Something that could not be read."""

    file: str
    text: str
    line: int | None = None


class NotUsed(msgspec.Struct, frozen=True, omit_defaults=True):
    """Something that was read and is of no use for any tunnel."""

    file: str
    text: str
    why: str
    line: int | None = None


class SourceRecord(msgspec.Struct, frozen=True):
    """A file that was read: how many lines, packets or records it has; of a log, those that were understood, and those that have a word of
    the trade and were not."""

    file: str
    kind: str
    records: int
    understood: int
    not_understood: int


class CauseRecord(msgspec.Struct, frozen=True):
    """One change at one site that several tunnels need."""

    code: str
    site: str
    change: str
    says: str
    tunnels: tuple[str, ...]


class RelationRecord(msgspec.Struct, frozen=True):
    """Two sites that are wanted joined (`direct`, `through` another one) or `apart`; `holds` is null where nothing tells."""

    ends: tuple[str, str]
    want: str
    through: str | None
    holds: bool | None
    text: str
    sides: tuple[str, ...]


class Summary(msgspec.Struct, frozen=True):
    """The whole output; `stomion` is the version of this format."""

    stomion: int
    case: str
    tunnels: tuple[TunnelRecord, ...]
    not_recognised: tuple[Unknown, ...]
    problems: tuple[Trouble, ...]
    not_used: tuple[NotUsed, ...] = ()
    sources: tuple[SourceRecord, ...] = ()
    common_causes: tuple[CauseRecord, ...] = ()
    relations: tuple[RelationRecord, ...] = ()
    """What the case wants of two sites each, and whether it is so."""


def chosen_of(examined: Examined, tunnel: str | None = None, words: str = "") -> list[Diagnosis]:
    """All tunnels, worst first; the one asked for, or those that fit the words."""
    return [d for d in examined.worst_first() if tunnel in (None, d.picture.name) and fits(d, words)]


def summary_of(examined: Examined, tunnel: str | None = None, words: str = "") -> Summary:
    """What is said of all tunnels, worst first, of the one asked for, or of those that fit the words."""
    evidence = examined.evidence
    chosen = chosen_of(examined, tunnel, words)
    return Summary(
        1,
        evidence.title,
        tuple(_tunnel(d) for d in chosen),
        tuple(Unknown(n.file, n.why) for n in evidence.not_recognised),
        tuple(Trouble(p.file, p.text, p.line) for p in evidence.problems),
        tuple(NotUsed(u.file, u.text, u.why, u.line) for u in unused(examined)),
        sources_of(evidence),
        tuple(CauseRecord(c.code, c.site, c.change, c.says, c.tunnels) for c in common_causes(chosen)),
        tuple(_relations(examined)) if tunnel is None and not words else (),
    )


def _relations(examined: Examined) -> Iterator[RelationRecord]:
    for one in judged(examined.evidence.relations, [d.picture for d in examined.tunnels]):
        through = one.relation.through or None
        yield RelationRecord((one.left, one.right), one.relation.want, through, one.holds, one.says, one.sites)


def sources_of(evidence: Evidence) -> tuple[SourceRecord, ...]:
    """Every file that was recognised: what it is, how much of it there is, and how much of that was understood."""
    logs = {log.file: log for log in evidence.logs}
    troubles = Counter(p.file for p in evidence.problems)
    out = []
    for source in evidence.sources:
        log = logs.get(source.file)
        known = sum(not e.guessed for e in log.events) if log is not None else source.count
        lost = max(log.looked_at - known, 0) if log is not None else troubles[source.file]
        out.append(SourceRecord(source.file, source.kind, source.count, known, lost))
    return tuple(out)


def as_json_bytes(summary: Summary) -> bytes:
    """Indented JSON."""
    return msgspec.json.format(msgspec.json.encode(summary), indent=1)


def schema() -> dict[str, Any]:
    """The JSON Schema of the output."""
    return msgspec.json.schema(Summary)


def _tunnel(d: Diagnosis) -> TunnelRecord:
    left, right = d.picture.left.site, d.picture.right.site
    stages = tuple(
        StageRecord(s.stage.value, s.whole.value, {left: s.left.value, right: s.right.value}) for s in d.stages
    )
    first = d.first_fault
    uptime = uptime_of(d.picture)
    return TunnelRecord(
        d.picture.name,
        (left, right),
        d.status.value,
        stages,
        _finding(first) if first else None,
        tuple(_finding(f) for f in d.findings),
        tuple(_tests(d.picture)),
        tuple(_sa(sa) for end in d.picture.ends for sa in end.sas),
        tuple(_failovers(d.picture)),
        None if _is_refused(d) else utc_text(up_since(d.picture)),
        round(uptime.up, 3) if uptime is not None else None,
        round(uptime.seen, 3) if uptime is not None else None,
        proof_words(d.picture),
        looked_at(d.picture),
        missing(d.picture),
        tuple(AskRecord(a.whom, a.stage.value, a.text) for a in asks_of(d)),
    )


def _failovers(picture: Picture) -> Iterator[dict[str, Any]]:
    pair = pair_of(picture)
    for switch in switches_of(*pair) if pair is not None else ():
        expected = predicted(*pair, switch) if pair is not None else None
        whole = [round(1000 * s) for s in expected.whole] if expected is not None else None
        yield {"site": switch.site, **switch.facts(), "predicted_ms": whole}


def _is_refused(d: Diagnosis) -> bool:
    """Does a fault stand in the way of any SA?"""
    first = d.first_fault
    return (
        d.status is Status.BROKEN and first is not None and STAGES.index(first.stage) <= STAGES.index(Stage.SELECTORS)
    )


def _sa(sa: Sa) -> SaRecord:
    group = int(sa.group) if sa.group.isdecimal() else sa.group or None
    return SaRecord(
        sa.site, sa.spi_in or None, sa.spi_out or None, sa.encryption or None, sa.integrity or None, group, sa.encapsulation or None,
        utc_text(sa.up_since), sa.age_s, sa.rekey_in_s, sa.expires_in_s, sa.packets_in, sa.packets_out, sa.bytes_in, sa.bytes_out,
        sa.state.value if sa.state is not None else None, sa.words or None,
    )  # fmt: skip


def _tests(picture: Picture) -> Iterator[TestLine]:
    """Everything that was tried from either site, each test once; continuous pings as a whole."""
    flows = (*picture.tests, *picture.near, *picture.outside, *picture.internet, *picture.aside)
    for a in sorted((of_test(t) for t in flows if t.seen), key=lambda a: a.at or 0.0):
        yield TestLine(a.who, a.to, a.service, a.sent, a.received, a.error, utc_text(a.at), a.where.file, a.where.line)
    for s in picture.pings:
        lost = tuple(n for n, got in zip(s.numbers, s.answered, strict=True) if not got)
        told = lost if len(set(s.numbers)) == len(s.numbers) else msgspec.UNSET
        first = next((at for at in s.times if at is not None), None)
        yield TestLine(
            s.source, s.to, "icmp", len(s.answered), sum(s.answered), "" if any(s.answered) else "timeout", utc_text(first), s.where.file,
            s.where.line, told,
        )  # fmt: skip


def _finding(f: Finding) -> FindingRecord:
    return FindingRecord(
        f.code,
        f.stage.value,
        f.sides,
        f.certainty.value,
        f.summary,
        tuple(SideText(r.side, r.text) for r in f.remedies),
        f.facts,
        tuple(_place(p) for p in f.evidence),
        f.caution,
        f.detail,
    )


def _place(p: Provenance) -> Place:
    return Place(file=p.file, site=p.site, line=p.line, packet=p.packet, record=p.record)
