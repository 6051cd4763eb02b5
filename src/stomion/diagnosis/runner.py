"""Runs all rules on a picture and says how every stage stands. A rule that crashes becomes a visible line; the rest go on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from stomion.diagnosis.catalogue import RULES
from stomion.diagnosis.changes import change_beside
from stomion.diagnosis.spec import MAX_EVIDENCE, Context, Spec, listed
from stomion.diagnosis.stages import REFUSABLE, stage_verdicts, status_of
from stomion.diagnosis.twice import with_readings
from stomion.logs.unknown import unknown_words
from stomion.model.event import Event
from stomion.model.finding import STAGES, Certainty, Finding, Stage, StageVerdict, Status
from stomion.model.provenance import Provenance
from stomion.tunnel.cause import leading_cause
from stomion.tunnel.flows import flows_of
from stomion.tunnel.picture import Picture
from stomion.vocabulary.times import clock_text, utc_text


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """What is to be said of one tunnel. `crashed` names rules of ours that failed and
    what could not be worked out, as lines for the problems list."""

    picture: Picture
    status: Status
    stages: tuple[StageVerdict, ...]
    findings: tuple[Finding, ...]
    crashed: tuple[str, ...] = ()

    @property
    def first_fault(self) -> Finding | None:
        """The earliest stage's fault."""
        return next((f for f in self.findings if not f.caution), None)


@dataclass(frozen=True, slots=True)
class Judgement:
    """What the rules make of one context: findings, faults before cautions, and lines about rules of ours that failed."""

    findings: tuple[Finding, ...]
    crashed: tuple[str, ...] = ()


def run(context: Context, only: Callable[[Spec], bool] = lambda _spec: True) -> Judgement:
    """Ask the rules, all or some: for a case, a screen and a what-if alike. A rule that fails becomes a line; the rest go on."""
    found: list[Finding] = []
    crashed: list[str] = []
    for rule in RULES:
        if not only(rule.spec):
            continue
        try:
            finding = rule.judge(context)
        except Exception as error:
            crashed.append(
                f"{context.picture.name}: the rule {rule.spec.code} failed ({type(error).__name__}: {error})"
            )
            continue
        if finding is not None:
            found.append(finding)
    found = _without_symptoms(_without_leftovers(found))
    found.sort(key=lambda f: (f.caution, STAGES.index(f.stage), f.order))
    return Judgement(tuple(found), tuple(crashed))


def _without_leftovers(found: list[Finding]) -> list[Finding]:
    """What is only to be said where no fault explains the rest goes where one does."""
    leftover = {rule.spec.code for rule in RULES if rule.spec.leftover}
    faults = any(not f.caution and f.code not in leftover for f in found)
    return [f for f in found if not (faults and f.code in leftover)]


def _without_symptoms(found: list[Finding]) -> list[Finding]:
    """Faults with their symptoms named in their facts, and the symptoms themselves left out."""
    explains = {rule.spec.code: rule.spec.explains for rule in RULES}
    codes = {f.code for f in found}
    brought = {code for f in found for code in explains[f.code]}
    kept = []
    for finding in found:
        if finding.code not in brought:
            symptoms = sorted(codes & explains[finding.code])
            kept.append(replace(finding, facts={**finding.facts, "symptoms": symptoms}) if symptoms else finding)
    return kept


def _with_change(picture: Picture, finding: Finding) -> Finding:
    """A fault with the change right before it, where a record tells of one."""
    change = change_beside(picture, finding)
    if change is None or change.at is None:
        return finding
    end = next(e for e in picture.ends if e.site == change.site)
    about = ", ".join(part for part in (change.subject, change.detail) if part)
    what = change.what.replace("-", " ") + (f" ({about})" if about else "")
    said = f"Shortly before, at {clock_text(change.at)}, {end.title} had a change: {what}."
    return replace(
        finding,
        detail=" ".join(part for part in (finding.detail, said) if part),
        evidence=(*finding.evidence, change.where)[:MAX_EVIDENCE],
        facts={**finding.facts, "change": {"site": change.site, "at": utc_text(change.at), "what": change.what, "detail": about}},
    )  # fmt: skip


def _as_a_guess(finding: Finding, refusal: Event) -> Finding:
    """A fault that rests on a line of which no word is known to refuse what it speaks of: said, with the line and its unknown words."""
    words = unknown_words(refusal.text)
    unknown = f" (not known: {_quoted(words)})" if words else ""
    said = (
        f"What {_place(refusal.where)} says is not understood{unknown}; that it tells of this is concluded from what it speaks of and "
        "where it stands."
    )
    return replace(
        finding,
        # Of whatever else the rule made its certainty.
        certainty=Certainty.POSSIBLE,
        detail=" ".join(part for part in (finding.detail, said) if part),
        facts={**finding.facts, "guessed_from": _place(refusal.where)},
    )


def _as_inferred(finding: Finding, refusal: Event) -> Finding:
    """A fault that rests on a line whose meaning was concluded from its values and its place: it is not proven by that line alone."""
    words = unknown_words(refusal.text)
    why = (
        f", as its {'word' if len(words) == 1 else 'words'} {_quoted(words)} {'is' if len(words) == 1 else 'are'} not known"
        if words
        else ""
    )
    said = f"What {_place(refusal.where)} tells is concluded from its values and from how far the negotiation had come{why}."
    proven = finding.certainty is Certainty.PROVEN
    return replace(
        finding,
        certainty=Certainty.LIKELY if proven else finding.certainty,
        detail=" ".join(part for part in (finding.detail, said) if part),
        facts={**finding.facts, "inferred_from": _place(refusal.where)},
    )


def _place(where: Provenance) -> str:
    return f"{where.file}:{where.line}" if where.line is not None else where.file


def _quoted(words: tuple[str, ...]) -> str:
    return listed([f"“{word}”" for word in words], "and")


def faults_of(picture: Picture) -> tuple[Finding, ...]:
    """What the rules say of a tunnel apart from its failover; worked out once for a picture."""
    known = picture.worked_out.get("faults")
    if not isinstance(known, tuple):
        found = run(Context(picture, leading_cause(picture)), lambda spec: spec.stage is not Stage.FAILOVER)
        known = picture.worked_out["faults"] = found.findings
    return known


def diagnose(picture: Picture) -> Diagnosis:
    """Judge one tunnel."""
    cause = leading_cause(picture)
    context = Context(picture, cause, faults_of)
    judged = run(context)
    first = next((f for f in judged.findings if not f.caution), None)
    refused = first is not None and cause is not None and not cause.declared and first.stage in REFUSABLE
    if first is not None:
        named = with_readings(picture, _with_change(picture, first))
        refusal = cause.refusal.event if refused and cause is not None and cause.refusal is not None else None
        if refusal is not None and refusal.guessed:
            named = _as_a_guess(named, refusal)
        elif refusal is not None and refusal.inferred:
            named = _as_inferred(named, refusal)
        judged = Judgement(tuple(named if f is first else f for f in judged.findings), judged.crashed)
        first = named
    stages = stage_verdicts(picture, first, refused)
    flows = flows_of(picture)
    lines = (*judged.crashed, *(flows.given_up if flows is not None else ()))
    return Diagnosis(picture, status_of(picture, judged.findings, stages), stages, judged.findings, lines)
