"""Runs all rules on a picture and says how every stage stands. A rule that crashes becomes a visible line; the rest go on."""

from __future__ import annotations

from dataclasses import dataclass, replace

from stomion.diagnosis.catalogue import rules
from stomion.diagnosis.spec import Context
from stomion.diagnosis.stages import stage_verdicts, status_of
from stomion.model.finding import STAGES, Finding, StageVerdict, Status
from stomion.tunnel.cause import leading_cause
from stomion.tunnel.picture import Picture


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """What is to be said of one tunnel. `crashed` names rules of ours that failed, as lines for the problems list."""

    picture: Picture
    status: Status
    stages: tuple[StageVerdict, ...]
    findings: tuple[Finding, ...]
    crashed: tuple[str, ...] = ()

    @property
    def first_fault(self) -> Finding | None:
        """The earliest stage's fault."""
        return next((f for f in self.findings if not f.caution), None)


EXPLAINED: dict[str, frozenset[str]] = {
    "link-down": frozenset({"peer-gone", "peer-silent", "ike-lost-in-path", "peer-not-listening", "no-route-to-peer", "link-flapping"}),
    "link-flapping": frozenset({"peer-gone", "peer-silent", "path-outage", "packet-loss", "ike-lost-in-path"}),
    "no-route-to-peer": frozenset({"peer-gone", "ike-lost-in-path"}),
    "sa-install-failed": frozenset({"deleted-by-peer"}),
    "ike-blocked-at-gateway": frozenset({"ike-lost-in-path", "peer-silent"}),
    "subnets-overlap": frozenset({"peer-inside-selectors"}),
}  # fmt: skip
"""fault -> what it brings about: listed as its symptoms, not as findings of their own."""


def _without_symptoms(found: list[Finding]) -> list[Finding]:
    codes = {f.code for f in found}
    kept = []
    for finding in found:
        if any(finding.code in EXPLAINED.get(code, ()) for code in codes):
            continue
        symptoms = sorted(codes & EXPLAINED.get(finding.code, frozenset()))
        kept.append(replace(finding, facts={**finding.facts, "symptoms": symptoms}) if symptoms else finding)
    return kept


def diagnose(picture: Picture) -> Diagnosis:
    """Judge one tunnel."""
    context = Context(picture, leading_cause(picture))
    found: list[Finding] = []
    crashed: list[str] = []
    for spec, judge in rules():
        try:
            finding = judge(context)
        except Exception as error:
            crashed.append(f"{picture.name}: the rule {spec.code} failed ({type(error).__name__}: {error})")
            continue
        if finding is not None:
            found.append(finding)
    found = _without_symptoms(found)
    found.sort(key=lambda f: (f.caution, STAGES.index(f.stage), f.order))
    first = next((f for f in found if not f.caution), None)
    stages = stage_verdicts(picture, first)
    return Diagnosis(picture, status_of(picture, first, stages), stages, tuple(found), tuple(crashed))
