"""Every stage at both ends: what proves it, what is not seen, and the line each end's page shows for it."""

from __future__ import annotations

from collections.abc import Callable

from stomion.diagnosis.spec import last_event, listed
from stomion.diagnosis.tablelines import Line, table_line
from stomion.exchange.automaton import Reach
from stomion.model.event import What
from stomion.model.finding import PATH, STAGES, Certainty, Finding, Stage, StageVerdict, Status, Verdict
from stomion.model.provenance import Provenance
from stomion.tunnel import settings
from stomion.tunnel.adjacency import learned
from stomion.tunnel.attempts import attempts_of, before_and_after, latest, passing, sender
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.settings import Basis, Layer, known, ranges
from stomion.tunnel.up import proven_at

NOTHING = Line(Verdict.UNSEEN)


def stage_verdicts(picture: Picture, first: Finding | None, refused: bool = False) -> tuple[StageVerdict, ...]:
    """All ten stages. Beyond the first fault everything is unreached: its failing would mean nothing.

    `refused`: the first fault is a refusal that was seen, which proves that the stages before it were reached.
    """
    out = []
    at = STAGES.index(first.stage) if first else len(STAGES)
    for index, stage in enumerate(STAGES):
        left, right = (_LINES[stage](picture, end) for end in picture.ends)
        left, right = _shared(left, right)
        if first and index == at:
            left, right = (_faulty(line, end, first) for line, end in zip((left, right), picture.ends, strict=True))
        elif index > at:
            left, right = (Line(Verdict.UNREACHED, x.text if x.where else "", x.where) for x in (left, right))
        elif refused and index < at and Verdict.PASS not in (left.verdict, right.verdict) and stage in _IMPLIED:
            left, right = _implied(left), _implied(right)
        words = (left.text or "", right.text or "") if first and index == at else (_words(left), _words(right))
        out.append(StageVerdict(stage, left.verdict, right.verdict, words, (left.where, right.where)))
    return tuple(out)


def _words(line: Line) -> str:
    if line.text is None:
        return "no evidence" if line.verdict is Verdict.UNSEEN else ""
    return line.text


REFUSABLE = (Stage.IKE, Stage.CHILD, Stage.SELECTORS)
"""Stages whose faults are refusals by the other end, where they were seen."""
_IMPLIED = (Stage.UNDERLAY, Stage.IKE, Stage.CHILD)
"""Stages without which a refusal further on could not have been made."""


def _implied(line: Line) -> Line:
    return Line(Verdict.PASS, line.text or "reached the next stage", line.where)


def _shared(left: Line, right: Line) -> tuple[Line, Line]:
    """An SA is up at both ends or at none: what one end proves holds for the one that showed nothing."""
    if {left.verdict, right.verdict} == {Verdict.PASS, Verdict.UNSEEN}:
        return left._replace(verdict=Verdict.PASS), right._replace(verdict=Verdict.PASS)
    return left, right


def _faulty(line: Line, end: End, first: Finding) -> Line:
    if PATH in first.sides and first.stage is Stage.CARRIAGE:
        return line._replace(verdict=Verdict.FAULT)
    if end.site in first.sides:
        return line._replace(verdict=Verdict.FAULT)
    return line._replace(verdict=Verdict.PASS if end.given else Verdict.UNSEEN)


def _underlay(picture: Picture, end: End) -> Line:
    story = end.story
    up = story.ike_ever or story.answered
    if up:
        return Line(Verdict.PASS, f"{end.address or end.site} · peer answers", up.where)
    for negotiation in picture.negotiations:
        if negotiation.reach > Reach.ASKED or negotiation.refusal:
            return Line(Verdict.PASS, f"{end.address or end.site} · packets both ways", negotiation.steps[0].where)
    if story.asked:
        return Line(Verdict.PASS, f"{end.address or end.site} · is asked", story.asked[-1].where)
    if story.silence:
        return Line(Verdict.UNSEEN, f"asks, {len(story.silence)} times without an answer", story.silence[-1].where)
    if picture.last and picture.last.initiator in end.addresses:
        count = len(picture.last.steps)
        return Line(Verdict.UNSEEN, f"{count} requests without an answer", picture.last.steps[0].where)
    return NOTHING


def _ike(picture: Picture, end: End) -> Line:
    story = end.story
    up = story.ike_ever
    if up is None and story.child_ever:
        up = story.child_ever
    text = _ike_words(picture, end)
    if up:
        return Line(Verdict.PASS, text or "IKE SA up", up.where)
    if proven_at(picture, end):
        return Line(Verdict.PASS, text or "IKE SA up", None)
    for negotiation in reversed(picture.negotiations):
        if negotiation.reach >= Reach.AUTH_ANSWERED and not negotiation.refusal:
            where = negotiation.steps[-1].where
            return Line(Verdict.PASS, text or "authentication answered", where)
    place = _ike_place(picture, end)
    return Line(Verdict.UNSEEN, text or None, place) if place else NOTHING


def _ike_words(picture: Picture, end: End) -> str:
    """`version 2 · AES-GCM-16-256 · group 20`: what this end declares, says or sends."""
    version = settings.version(picture, end).value or picture.version
    proposal = next(iter(known(picture, end, Layer.IKE).value), None)
    parts = [f"version {version}"] if version else []
    if proposal is not None:
        parts.append(str(proposal))
    return " · ".join(parts)


def _ike_place(picture: Picture, end: End) -> Provenance | None:
    if end.story.ike_agreed:
        return end.story.ike_agreed.where
    for negotiation in reversed(picture.negotiations):
        if negotiation.steps and end.addresses & {negotiation.initiator, negotiation.responder}:
            return negotiation.steps[0].where
    event = last_event(end, What.INITIATING, What.ASKED)
    return event.where if event else None


def _child(picture: Picture, end: End) -> Line:
    text = " · ".join(str(p) for p in known(picture, end, Layer.CHILD).value[:1])
    if end.story.child_ever:
        rekeys = f" · rekeyed {len(end.story.children) - 1}×" if len(end.story.children) > 1 else ""
        return Line(Verdict.PASS, (text or "Child SA up") + rekeys, end.story.child_ever.where)
    if proven_at(picture, end):
        return Line(Verdict.PASS, text or "Child SA up", None)
    done = next((n for n in reversed(picture.negotiations) if n.reach >= Reach.CHILD_UP), None)
    if done is not None:
        return Line(Verdict.PASS, text or "quick mode complete", done.steps[-1].where)
    return Line(Verdict.UNSEEN, text, None) if text else NOTHING


def _selectors(picture: Picture, end: End) -> Line:
    up = end.story.child_ever
    told = ranges(picture, end)
    text = f"{listed(told.value.near, '+')} ⇄ {listed(told.value.remote, '+')}" if told.value.whole else ""
    if up or (end.has_counters and picture.esp_out and picture.esp_back):
        return Line(Verdict.PASS, text or "agreed", up.where if up else None)
    seen_at = told.where if told.source is not Basis.DECLARED else None
    return Line(Verdict.UNSEEN, text, seen_at) if text else NOTHING


def _from_tables(stage: Stage) -> Callable[[Picture, End], Line]:
    """The tables themselves, where they are known; else traffic, which proves all of them at once."""

    def line(picture: Picture, end: End) -> Line:
        told = table_line(picture, end, stage)
        return told if told is not None else _passing(picture)

    return line


def _routing(picture: Picture, end: End) -> Line:
    """The way of packets, and behind it what routing protocols have to do with it."""
    line = _from_tables(Stage.ROUTING)(picture, end)
    near = [a for a in picture.adjacencies if a.site == end.site]
    words = [f"neighbour {a.address} {a.last.what.rpartition('-')[2]}" for a in near[:MOST_NEAR]]
    words += [f"{len(near) - MOST_NEAR} more neighbours"] if len(near) > MOST_NEAR else []
    told = learned(end)
    if told is not None:
        count = len(told.routes)
        words.append(f"{count} route{'' if count == 1 else 's'} learned ({', '.join(told.protocols)})")
    if not words:
        return line
    text = " · ".join(part for part in (line.text, *words) if part)
    return line._replace(text=text, where=line.where or (near[0].last.where if near else None))


MOST_NEAR = 2
"""Neighbours named on the line of a stage."""


def _passing(picture: Picture) -> Line:
    wanted = [a for a in latest(picture) if a.expected]
    if wanted and all(a.passes for a in wanted) and {a.from_left for a in wanted} == {True, False}:
        return Line(Verdict.PASS, "inferred: traffic gets through", wanted[-1].where)
    return NOTHING


def _carriage(picture: Picture, end: End) -> Line:
    if end.has_counters:
        both = end.out_packets and end.in_packets
        return Line(
            Verdict.PASS if both else Verdict.UNSEEN,
            f"{end.out_packets} out · {end.in_packets} in",
            None,
        )
    out, back = (picture.esp_out, picture.esp_back) if end is picture.left else (picture.esp_back, picture.esp_out)
    if out or back:
        return Line(Verdict.PASS if out and back else Verdict.UNSEEN, f"{out} ESP out · {back} in", None)
    return NOTHING


def _traffic(picture: Picture, end: End) -> Line:
    tried = [a for a in attempts_of(picture) if sender(picture, a) is end]
    if not tried:
        return NOTHING
    last = [a for a in latest(picture) if sender(picture, a) is end]
    tests = [a for a in tried if a.last is None]
    series = [a for a in tried if a.last is not None]
    words = []
    if tests:
        answered = sum(1 for a in tests if not a.silent)
        words.append(f"{len(tests)} test{'' if len(tests) == 1 else 's'}, {answered} answered")
    if series:
        words.append(f"{sum(a.sent for a in series)} probes, {sum(a.received for a in series)} answered")
    if any(a.silent and later.passes for a, later in before_and_after(picture) if sender(picture, a) is end):
        words.append("silent before the tunnel was up")
    kept = all(a.passes if a.expected else a.silent for a in last)
    verdict = (Verdict.PASS if kept else Verdict.CAUTION) if last else Verdict.UNSEEN
    return Line(verdict, " · ".join(words), (last or tried)[-1].where)


def _failover(_picture: Picture, _end: End) -> Line:
    return NOTHING


_LINES: dict[Stage, Callable[[Picture, End], Line]] = {
    Stage.UNDERLAY: _underlay,
    Stage.IKE: _ike,
    Stage.CHILD: _child,
    Stage.SELECTORS: _selectors,
    Stage.NAT: _from_tables(Stage.NAT),
    Stage.ROUTING: _routing,
    Stage.FILTER: _from_tables(Stage.FILTER),
    Stage.CARRIAGE: _carriage,
    Stage.TRAFFIC: _traffic,
    Stage.FAILOVER: _failover,
}


_PARTLY = frozenset(("packet-loss", "target-down"))
"""Faults of a part: with any answer at all the tunnel carries something."""


def status_of(picture: Picture, findings: tuple[Finding, ...], stages: tuple[StageVerdict, ...]) -> Status:
    """A fault breaks a tunnel, save that a part of it may still work; traffic or counters prove one that works."""
    first = next((f for f in findings if not f.caution), None)
    answered = bool(passing(picture))
    if first is not None:
        # A child that can't be renewed carries on until it expires.
        # A narrowed child carries a part, seen or by both sheets.
        narrowed = first.code == "selectors-narrowed" or (
            first.code == "selectors-not-mirrored" and first.certainty is Certainty.LIKELY
        )
        part = narrowed or (first.code == "pfs-mismatch" and any(e.story.child_up is not None for e in picture.ends))
        beyond = STAGES.index(first.stage) > STAGES.index(Stage.SELECTORS)
        return Status.DEGRADED if part or (answered and (beyond or first.code in _PARTLY)) else Status.BROKEN
    by_stage = {s.stage: s for s in stages}
    traffic, carriage = by_stage[Stage.TRAFFIC], by_stage[Stage.CARRIAGE]
    if traffic.whole is Verdict.CAUTION:
        return Status.DEGRADED if answered else Status.UNPROVEN
    if any(f.code == "reached-without-tunnel" for f in findings):
        return Status.UNPROVEN
    if traffic.whole is Verdict.PASS or carriage.whole is Verdict.PASS:
        return Status.WORKING
    quiet = not picture.negotiations and not any(e.story.initiated or e.story.asked for e in picture.ends)
    on_demand = any(e.sheet and e.sheet.initiate == "on-traffic" for e in picture.ends)
    return Status.IDLE if quiet and on_demand else Status.UNPROVEN
